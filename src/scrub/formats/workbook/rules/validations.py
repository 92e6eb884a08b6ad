"""What may be entered into cells (ISO/IEC 29500-1, 18.3.1.32, 18.3.1.33)."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping

from scrub.formats.kept import LazyPiece
from scrub.formats.opc.parts import Parts
from scrub.formats.spans import Span, escaped
from scrub.formats.workbook.around.protection import ensure_unprotected
from scrub.formats.workbook.part import SheetPart, Skeleton
from scrub.formats.workbook.rules.ruled import Areas, AsFormula, RuleItem, areas_in, minus, rebased, shown, sqref
from scrub.formats.workbook.shared import Shared
from scrub.formats.xmltext import text_of, unescaped, xstring, xstring_value
from scrub.model.cells.sheet import Sheet
from scrub.model.cells.validation import Allowed, Restriction, Validation, limits
from scrub.model.core.area import Area
from scrub.model.core.named import NamedTuple
from scrub.model.core.problem import Failure

_TYPES = {
    "list": Allowed.LIST, "whole": Allowed.WHOLE_NUMBER, "decimal": Allowed.NUMBER, "date": Allowed.DATE,
    "time": Allowed.TIME, "textLength": Allowed.TEXT_LENGTH, "custom": Allowed.FORMULA,
}  # fmt: skip
_WRITTEN = {allowed: written for written, allowed in _TYPES.items()}
#: The operators that say from where to where a value goes.
_LIMITS = ("between", "greaterThanOrEqual", "lessThanOrEqual")
_MOST_LIST, _MOST_MESSAGE = 255, 255


class Rule(NamedTuple):
    """One rule: its cells, its attributes but for these, and its formulas."""

    areas: Areas
    attributes: tuple[tuple[str, str], ...]
    formulas: tuple[str, ...]
    later: bool = False  # whether it is written in the form of a later version, which is read and left

    def get(self, name: str, otherwise: str = "") -> str:
        """An attribute."""
        return next((value for each, value in self.attributes if each == name), otherwise)

    @property
    def restriction(self) -> Restriction:
        """The rule as a macro sees it; limits are left in the formulas."""
        to = _TYPES.get(self.get("type", "none"), Allowed.FORMULA)
        first = self.formulas[0] if self.formulas else ""
        message = unescaped(self.get("error"))
        if to == Allowed.LIST and first.startswith('"'):
            choices = tuple(each.strip() for each in first[1:-1].replace('""', '"').split(","))
            return Restriction(to, choices=choices, message=message)
        operator, ends = self.get("operator", "between"), self.formulas
        if to in (Allowed.LIST, Allowed.FORMULA) or operator not in _LIMITS:
            return Restriction(to, formula=first, message=message)
        least, most = {"between": ends, "greaterThanOrEqual": (*ends, None)}.get(operator, (None, *ends))[:2]
        return Restriction(to, least, most, message=message)

    @property
    def source(self) -> str | None:
        """Its first formula, where that is more than choices."""
        first = self.formulas[0] if self.formulas else ""
        return None if first.startswith('"') and self.get("type") == "list" else first or None


class Validations:
    """The rules of one sheet as they should be."""

    def __init__(self, sheet: Sheet, part: SheetPart, shared: Shared, check: Callable[[str], str]) -> None:
        """`check` gives a formula as it can be written, or fails."""
        self._sheet = sheet
        self._part = part
        self._shared = shared
        self._check = check
        self._rules: LazyPiece[list[Rule]] = LazyPiece(self._read)

    def _read(self) -> list[Rule]:
        data, root = self._part.skeleton()
        holder, found = root.child("dataValidations"), []
        for span in holder.all("dataValidation") if holder else ():
            found.append(_rule(data, span))
        for span in root.inside() if b"dataValidations" in data[root.start :] else ():
            if span.name == "dataValidation" and "sqref" not in span.attributes:
                found.append(_later(data, span))
        return [rule for rule in found if rule.areas]

    def every(self) -> Iterator[OfficeValidation]:
        """The rules as items."""
        return (OfficeValidation(self, self._sheet, rule) for rule in self._rules.now)

    def has(self, rule: Rule) -> bool:
        """Whether a rule is still there."""
        return rule in self._rules.now

    def at(self, row: int, column: int) -> Restriction | None:
        """What may be entered into a cell; None for anything."""
        rule = next((r for r in self._rules.now if any(area.holds(row, column) for area in r.areas)), None)
        return rule.restriction if rule is not None and rule.get("type", "none") != "none" else None

    def put(self, area: Area, restriction: Restriction | None) -> None:
        """Sets what may be entered into the cells of a range; nothing for anything."""
        ensure_unprotected(self._sheet)
        fresh: list[Rule] = []
        for rule in self._rules.now:
            left = minus(rule.areas, area)
            if left == rule.areas:
                fresh.append(rule)
                continue
            if rule.later:
                raise Failure(
                    f"{self._sheet.name} {shown(rule.areas)} has a rule in a newer form of the format. Change it in "
                    "the workbook's own program"
                )
            if left:
                fresh.append(Rule(left, rule.attributes, rebased(rule.formulas, rule.areas, left)))
        if restriction is not None:
            made = Rule((area,), *self._written(restriction))
            same = next((each for each in fresh if each[1:3] == made[1:3] and _one_for_all(each.formulas)), None)
            if same is not None:  # the same rule for other cells: one for all
                fresh[fresh.index(same)] = same._replace(areas=(*same.areas, area))
            else:
                fresh.append(made)
        if fresh == self._rules.now:
            return
        before = self.at(area.top, area.left)
        self._sheet.changed("validation", _said(before), _said(restriction), self._rules.put(fresh), inner=(area,))

    def take(self, rule: Rule) -> None:
        """Takes a rule away."""
        ensure_unprotected(self._sheet)
        if rule.later:
            raise Failure(
                f"the rule for {self._sheet.name} {shown(rule.areas)} is in a newer form of the format. Change it in "
                "the workbook's own program"
            )
        back = self._rules.put([each for each in self._rules.now if each != rule])
        self._sheet.changed("validation", _said(rule.restriction), None, back, inner=(shown(rule.areas),))

    def _written(self, restriction: Restriction) -> tuple[tuple[tuple[str, str], ...], tuple[str, ...]]:
        """The attributes and the formulas of a rule."""
        of = {"type": _WRITTEN[restriction.to]}
        value = AsFormula(self._shared.decoder)
        formulas: tuple[str, ...]
        if restriction.choices:
            formulas = (_listed(restriction.choices),)
        elif restriction.formula:
            formulas = (self._check(restriction.formula),)
        else:
            least, most = restriction.least, restriction.most
            if restriction.to in (Allowed.WHOLE_NUMBER, Allowed.TEXT_LENGTH):
                for each in (least, most):
                    if each is not None and value(each) != str(int(each)):
                        raise Failure(f"{value(each)} is not a whole number")
            if least is None or most is None:
                of["operator"] = "greaterThanOrEqual" if most is None else "lessThanOrEqual"
            formulas = tuple(value(each) for each in (least, most) if each is not None)
        of |= {"allowBlank": "1", "showInputMessage": "1", "showErrorMessage": "1"}
        if restriction.message:
            if len(restriction.message) > _MOST_MESSAGE:
                raise Failure(f"a message can have up to {_MOST_MESSAGE} characters")
            of["error"] = xstring_value(restriction.message).replace("\n", "_x000a_")
        return tuple(of.items()), formulas

    def changed(self) -> tuple[list[Rule], list[Rule]]:
        """Those of the file, and those that are to be; none where nothing was changed."""
        return (self._rules.first, self._rules.now) if self.touched else ([], [])

    @property
    def touched(self) -> bool:
        """Whether they must be written."""
        return self._rules.touched

    def elements(self, skeleton: Skeleton, parts: Parts) -> Mapping[str, bytes]:
        """The `dataValidations` element."""
        p = skeleton.root.prefix
        rules = [rule for rule in self._rules.now if not rule.later]
        if not rules:
            return {"dataValidations": b""}
        holder = skeleton.root.child("dataValidations")
        own = {name: value for name, value in holder.attributes.items() if name != "count"} if holder else {}
        inner = "".join(_element(rule, p) for rule in rules)
        opening = "".join(f' {name}="{escaped(value)}"' for name, value in own.items())
        whole = f'<{p}dataValidations{opening} count="{len(rules)}">{inner}</{p}dataValidations>'
        return {"dataValidations": whole.encode()}


def _rule(data: bytes, span: Span) -> Rule:
    attributes = tuple((name, value) for name, value in span.attributes.items() if name != "sqref")
    formulas = [text_of(data[child.start : child.end]) for child in span.children if child.name.startswith("formula")]
    return Rule(areas_in(span.attributes.get("sqref", "")), attributes, tuple(formulas))


def _later(data: bytes, span: Span) -> Rule:
    """A rule in the form of a later version ([MS-XLSX] 2.6.22): its range and its formulas are elements."""
    where = span.child("sqref")
    formulas = [
        text_of(data[inner.start : inner.end])
        for child in span.children if child.name.startswith("formula")
        for inner in child.children
    ]  # fmt: skip
    areas = areas_in(text_of(data[where.start : where.end]).strip()) if where is not None else ()
    return Rule(areas, tuple(span.attributes.items()), tuple(formulas), True)


def _element(rule: Rule, p: str) -> str:
    attributes = "".join(f' {name}="{escaped(value)}"' for name, value in rule.attributes)
    formulas = "".join(
        f"<{p}formula{number}>{xstring(formula)}</{p}formula{number}>"
        for number, formula in enumerate(rule.formulas, 1)
    )
    return f'<{p}dataValidation{attributes} sqref="{sqref(rule.areas)}">{formulas}</{p}dataValidation>'


def _one_for_all(formulas: tuple[str, ...]) -> bool:
    """Whether formulas say the same wherever they are."""
    return all(
        formula.startswith('"') or "$" in formula or not any(letter.isalpha() for letter in formula)
        for formula in formulas
    )


def _listed(choices: tuple[str, ...]) -> str:
    """Choices as a rule has them."""
    odd = next((choice for choice in choices if "," in choice or choice != choice.strip()), None)
    if odd is not None:
        raise Failure(
            f'"{odd}" contains a comma, so it cannot be a choice here. Put the choices in cells: cell.choices-from '
            '= "Lists!$A$1:$A$9"'
        )
    joined = ",".join(choices)
    if len(joined) > _MOST_LIST:
        raise Failure(
            f"the choices have {len(joined)} characters; the maximum is {_MOST_LIST}. Put them in cells: "
            'cell.choices-from = "Lists!$A$1:$A$9"'
        )
    return '"' + joined.replace('"', '""') + '"'


def _said(restriction: Restriction | None) -> object:
    """A rule as the list of changes tells it."""
    if restriction is None:
        return None
    if restriction.choices:
        return f"one of {', '.join(restriction.choices)}"
    said = [str(restriction.to), *limits(restriction.least, restriction.most)]
    if restriction.formula:
        said.append(f"from {restriction.formula}" if restriction.to == Allowed.LIST else f"={restriction.formula}")
    return " ".join(said)


class OfficeValidation(RuleItem, Validation):
    """One rule as an item."""

    def __init__(self, rules: Validations, sheet: Sheet, rule: Rule) -> None:
        super().__init__(rules, sheet, rule)
        self._rules = rules
        self._rule = rule

    @property
    def allows(self) -> Allowed:
        """What may be entered."""
        return self._rule.restriction.to

    @property
    def source(self) -> str | None:
        """Its first formula."""
        return self._rule.source

    @property
    def choices(self) -> list[str]:
        """The choices written in it."""
        return list(self._rule.restriction.choices)

    @property
    def message(self) -> str | None:
        """What is said to somebody who enters something else."""
        return self._rule.restriction.message or None

    def delete(self) -> None:
        """Takes it away."""
        self._rules.take(self._rule)
