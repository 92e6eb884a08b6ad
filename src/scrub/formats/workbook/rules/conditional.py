"""Looks that cells get by what is in them (ISO/IEC 29500-1, 18.3.1.10, 18.3.1.18)."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping, Sequence

from scrub.formats.kept import LazyPiece
from scrub.formats.opc.parts import Parts
from scrub.formats.spans import Span, Splice, escaped, number_in, parse, set_attributes, spliced
from scrub.formats.workbook.around.protection import ensure_unprotected
from scrub.formats.workbook.part import SheetPart, Skeleton
from scrub.formats.workbook.rules.ruled import (
    Areas,
    AsFormula,
    RuleItem,
    areas_in,
    corner,
    minus,
    rebased,
    shown,
    sqref,
    text,
)
from scrub.formats.workbook.shared import Shared
from scrub.formats.xmltext import escaped_text, text_of, unescaped, xstring, xstring_value
from scrub.model.cells.sheet import Sheet
from scrub.model.cells.validation import ConditionalFormat, Effect, Emphasis, When
from scrub.model.core.area import Area, address_of
from scrub.model.core.named import NamedTuple
from scrub.model.core.problem import Failure

#: The operators of a rule by value (18.18.15), as a person reads them.
_OPERATORS = {
    "greaterThan": ">", "lessThan": "<", "greaterThanOrEqual": ">=", "lessThanOrEqual": "<=", "equal": "=",
    "notEqual": "not", "between": "between", "notBetween": "not between",
}  # fmt: skip
_OF_WHEN = {
    "above": "greaterThan", "below": "lessThan", "at_least": "greaterThanOrEqual", "at_most": "lessThanOrEqual",
    "equal": "equal",
}  # fmt: skip
_TEXTS = {
    "containsText": "contains", "notContainsText": "does not contain", "beginsWith": "starts with",
    "endsWith": "ends with",
}  # fmt: skip


class Rule(NamedTuple):
    """One rule: its element as it is written, but for the number of its look where that is made in this run."""

    areas: Areas
    element: bytes
    emphasis: Emphasis | None = None
    block: int = -1  # the element of the file that contains it; -1 for a new one


class ConditionalFormats:
    """The rules of one sheet as they should be, in the order of the file."""

    def __init__(self, sheet: Sheet, part: SheetPart, shared: Shared, check: Callable[[str], str]) -> None:
        """`check` gives a formula as it can be written, or fails."""
        self._sheet = sheet
        self._part = part
        self._shared = shared
        self._check = check
        self._rules: LazyPiece[list[Rule]] = LazyPiece(self._read)

    def _read(self) -> list[Rule]:
        data, root = self._part.skeleton()
        return [
            Rule(areas_in(block.attributes.get("sqref", "")), data[span.start : span.end], None, number)
            for number, block in enumerate(root.all("conditionalFormatting"))
            for span in block.all("cfRule")
            if block.attributes.get("sqref", "").strip()
        ]

    def every(self) -> Iterator[OfficeConditionalFormat]:
        """The rules as items."""
        return (OfficeConditionalFormat(self, self._sheet, rule) for rule in self._rules.now)

    def has(self, rule: Rule) -> bool:
        """Whether a rule is still there."""
        return rule in self._rules.now

    def emphasis(self, rule: Rule) -> Emphasis:
        """The look that a rule gives."""
        if rule.emphasis is not None:
            return rule.emphasis
        of = parse(rule.element).attributes
        return self._shared.styles.emphasis(number_in(of, "dxfId")) if "dxfId" in of else Emphasis()

    def add(self, area: Area, when: When, emphasis: Emphasis) -> None:
        """Adds a rule for the cells of a range."""
        ensure_unprotected(self._sheet)
        self._add(Rule((area,), self._written(area, when), emphasis))

    def add_scale(self, area: Area, colours: Sequence[str]) -> None:
        """Adds a colour scale over two or three colours (18.3.1.16)."""
        ensure_unprotected(self._sheet)
        p = self._part.skeleton().root.prefix
        middle = f'<{p}cfvo type="percentile" val="50"/>' if len(colours) == 3 else ""
        inner = f'<{p}cfvo type="min"/>{middle}<{p}cfvo type="max"/>'
        inner += "".join(f'<{p}color rgb="{self._shared.styles.colours.write(colour)}"/>' for colour in colours)
        element = f'<{p}cfRule type="colorScale" priority="1"><{p}colorScale>{inner}</{p}colorScale></{p}cfRule>'
        self._add(Rule((area,), element.encode()))

    def _add(self, rule: Rule) -> None:
        if any(each.areas == rule.areas and self._says(each) == self._says(rule) for each in self._rules.now):
            return
        most = max((number_in(parse(each.element).attributes, "priority") for each in self._rules.now), default=0)
        root = parse(rule.element)
        element = spliced(rule.element, set_attributes(rule.element, root, [("priority", str(most + 1))]))
        fresh = rule._replace(element=element)
        back = self._rules.put([*self._rules.now, fresh])
        said = described(element)
        self._sheet.changed("conditional-format", None, said, back, inner=(rule.areas[0],))

    def _says(self, rule: Rule) -> tuple[str, Emphasis]:
        return described(rule.element), self.emphasis(rule)

    def clear(self, area: Area) -> None:
        """Takes all rules away from the cells of a range."""
        fresh: list[Rule] = []
        gone = 0
        for rule in self._rules.now:
            left = minus(rule.areas, area)
            gone += left != rule.areas
            if left == rule.areas:
                fresh.append(rule)
            elif left:
                fresh.append(rule._replace(areas=left, element=_rebased(rule, left)))
        if gone:
            ensure_unprotected(self._sheet)
            back = self._rules.put(fresh)
            self._sheet.changed("conditional-formats", gone, 0, back, inner=(area,))

    def take(self, rule: Rule) -> None:
        """Takes one rule away."""
        ensure_unprotected(self._sheet)
        back = self._rules.put([each for each in self._rules.now if each != rule])
        self._sheet.changed("conditional-format", described(rule.element), None, back, inner=(shown(rule.areas),))

    def _written(self, area: Area, when: When) -> bytes:
        """The element of a rule."""
        p, value = self._part.skeleton().root.prefix, AsFormula(self._shared.decoder)
        attributes: dict[str, str]
        formulas: list[str]
        first = address_of(*corner((area,)))
        if when.contains is not None:
            if not when.contains:
                raise Failure("the text to look for is missing")
            attributes = {"type": "containsText", "operator": "containsText", "text": xstring_value(when.contains)}
            formulas = [f"NOT(ISERROR(SEARCH({text(_searched(when.contains))},{first})))"]
        elif when.duplicates:
            attributes, formulas = {"type": "duplicateValues"}, []
        elif when.formula is not None:
            attributes, formulas = {"type": "expression"}, [self._check(when.formula)]
        elif when.between is not None:
            attributes, formulas = {"type": "cellIs", "operator": "between"}, [value(each) for each in when.between]
        else:
            word = next(word for word in _OF_WHEN if getattr(when, word) is not None)
            attributes, formulas = {"type": "cellIs", "operator": _OF_WHEN[word]}, [value(getattr(when, word))]
        said = "".join(f' {name}="{escaped(given)}"' for name, given in attributes.items())
        inner = "".join(f"<{p}formula>{xstring(formula)}</{p}formula>" for formula in formulas)
        return f'<{p}cfRule priority="1"{said}>{inner}</{p}cfRule>'.encode()

    def changed(self) -> tuple[list[Rule], list[Rule]]:
        """Those of the file, and those that are to be; none where nothing was changed."""
        return (self._rules.first, self._rules.now) if self.touched else ([], [])

    @property
    def touched(self) -> bool:
        """Whether they must be written."""
        return self._rules.touched

    def elements(self, skeleton: Skeleton, parts: Parts) -> Mapping[str, bytes]:
        """All blocks of rules as one piece; those that nothing changed stay as they are."""
        data, root = skeleton
        p, made = root.prefix, b""
        blocks = root.all("conditionalFormatting")
        rules = self._rules.now
        for number, block in enumerate(blocks):
            own = [rule for rule in rules if rule.block == number]
            if own == [rule for rule in self._rules.first if rule.block == number] and block.children:
                made += data[block.start : block.end]
                continue
            kept = "".join(f' {name}="{escaped(v)}"' for name, v in block.attributes.items() if name != "sqref")
            for areas in dict.fromkeys(rule.areas for rule in own):
                inner = b"".join(rule.element for rule in own if rule.areas == areas)
                made += self._block(areas, kept, inner, p)
        for rule in rules:
            if rule.block < 0:
                element = rule.element
                if rule.emphasis is not None:
                    id_ = str(self._shared.styles.emphasis_number(rule.emphasis))
                    element = spliced(element, set_attributes(element, parse(element), [("dxfId", id_)]))
                made += self._block(rule.areas, "", element, p)
        return {"conditionalFormatting": made}

    @staticmethod
    def _block(areas: Areas, attributes: str, inner: bytes, p: str) -> bytes:
        opening = f'<{p}conditionalFormatting{attributes} sqref="{sqref(areas)}">'
        return opening.encode() + inner + f"</{p}conditionalFormatting>".encode()


def _searched(words: str) -> str:
    """Words for SEARCH, in which ? and * mean others."""
    return "".join(f"~{letter}" if letter in "~?*" else letter for letter in words)


def _formulas(element: bytes) -> list[Span]:
    return [span for span in parse(element).all("formula") if span.open_end != span.close_start]


def _rebased(rule: Rule, left: Areas) -> bytes:
    """A rule for other cells: its formulas are written for the first of them."""
    spans = _formulas(rule.element)
    was = [text_of(rule.element[span.start : span.end]) for span in spans]
    now = rebased(was, rule.areas, left)
    return spliced(
        rule.element,
        [
            Splice(span.open_end, span.close_start, escaped_text(each).encode())
            for span, each in zip(spans, now, strict=True)
        ],
    )


def effect_of(element: bytes) -> Effect:
    """By what a rule chooses its cells."""
    type_ = parse(element).attributes.get("type", "")
    known = {
        "cellIs": Effect.VALUE, "duplicateValues": Effect.DUPLICATES, "expression": Effect.FORMULA,
        "colorScale": Effect.COLOUR_SCALE, **dict.fromkeys(_TEXTS, Effect.TEXT),
    }  # fmt: skip
    return known.get(type_, Effect.OTHER)


def described(element: bytes) -> str:
    """The condition of a rule in words."""
    of = parse(element).attributes
    formulas = [text_of(element[span.start : span.end]) for span in _formulas(element)]
    effect = effect_of(element)
    if effect == Effect.VALUE:
        return f"{_OPERATORS.get(of.get('operator', ''), '')} {' and '.join(formulas)}".strip()
    if effect == Effect.TEXT:
        return f"{_TEXTS[of['type']]} {unescaped(of.get('text', ''))}"
    if effect == Effect.FORMULA:
        return f"={formulas[0]}" if formulas else ""
    return str(effect) if effect != Effect.OTHER else of.get("type", "")


class OfficeConditionalFormat(RuleItem, ConditionalFormat):
    """One rule as an item."""

    def __init__(self, rules: ConditionalFormats, sheet: Sheet, rule: Rule) -> None:
        super().__init__(rules, sheet, rule)
        self._rules = rules
        self._rule = rule

    @property
    def by(self) -> Effect:
        """By what it chooses its cells."""
        return effect_of(self._rule.element)

    @property
    def condition(self) -> str:
        """Its condition in words."""
        return described(self._rule.element)

    @property
    def emphasis(self) -> Emphasis:
        """The look it gives."""
        return self._rules.emphasis(self._rule)

    def delete(self) -> None:
        """Takes it away."""
        self._rules.take(self._rule)
