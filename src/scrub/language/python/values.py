"""Expressions of macros as Python."""

from __future__ import annotations

from collections.abc import Sequence
from decimal import Decimal

from scrub.language import tree
from scrub.language.paths import is_own
from scrub.language.python.code import (
    AND,
    ATOM,
    COMPARISON,
    NOT,
    OR,
    PRODUCT,
    SUM,
    UNARY,
    Code,
    called,
    compared,
    escaped,
    quoted,
)
from scrub.language.python.inferred import Sort, names_in
from scrub.language.python.writing import Writing, cannot, plain_number, writes
from scrub.language.tree import Argument, Expression
from scrub.model.core.amounts import Duration
from scrub.model.core.named import NamedTuple
from scrub.model.core.python_names import outer_name, plural, python_name
from scrub.model.vocabulary import Callee

_SIGNS = {"+": SUM, "-": SUM, "*": PRODUCT, "/": PRODUCT}
_CALCULATED = {"+": "added", "-": "taken", "*": "times", "/": "divided"}
_ORDERED = {"<": "less", ">": "more", "<=": "at_most", ">=": "at_least"}
_MIRRORED = {"<": ">", ">": "<", "<=": ">=", ">=": "<=", "==": "==", "!=": "!="}
_NUMBERS = ("int", "Decimal")
_TEXTS = {"contains": "contains", "starts with": "starts_with", "ends with": "ends_with"}


@writes(tree.Constant)
def _constant(on: Writing, node: tree.Constant) -> Code:
    return on.constant(node.value)


@writes(tree.Moment)
def _moment(on: Writing, node: tree.Moment) -> Code:
    if node.word == "today":
        return called(f"{on.script.use('datetime', 'date')}.today")
    return on.helper("now")


@writes(tree.PrintMark)
def _printmark(on: Writing, node: tree.PrintMark) -> Code:
    return Code(quoted(f"{{{node.word}}}"))


@writes(tree.ListOf)
def _listof(on: Writing, node: tree.ListOf) -> Code:
    return Code(f"[{', '.join(on.text(item) for item in node.items)}]")


class Hole(NamedTuple):
    """A value in a text, and the same as a text of its own."""

    value: Code
    text: Code


@writes(tree.Text)
def _text(on: Writing, node: tree.Text) -> Code:
    parts: list[str | Hole] = []
    for part in node.parts:
        mark = f"{{{part.word}}}" if isinstance(part, tree.PrintMark) else ""
        parts.append(part if isinstance(part, str) else mark or _hole(on, part))
    return joined_text(parts)


def _hole(on: Writing, node: Expression) -> Hole:
    """A value in a text; what may be nothing, a date or a decimal is shown as macros show it."""
    sort, value = on.inferred.sort(node), on.value(node)
    if isinstance(node, tree.Constant) or sort not in (Sort("str"), Sort("int")):
        value = on.helper("shown", value.text)
        return Hole(value, value)
    return Hole(value, value if sort == Sort("str") else called("str", value.text))


#: Characters of a hole, above which it is beside the text and not in it.
_LONG_HOLE = 60


def joined_text(parts: Sequence[str | Hole]) -> Code:
    """Texts and values as one text: with holes, or with `+` where Python 3.11 cannot have them, or they are long."""
    values = [part.value.text for part in parts if isinstance(part, Hole)]
    if not values:
        return Code(quoted("".join(map(str, parts))))
    marks = [mark for mark in ('"', "'") if not any(mark in value for value in values)]
    if not marks or any("\\" in value or "\n" in value or len(value) > _LONG_HOLE for value in values):
        pieces = [quoted(part) if isinstance(part, str) else part.text.within(SUM) for part in parts if part]
        return Code(" + ".join(pieces), SUM if len(pieces) > 1 else ATOM)
    mark = marks[0]
    inner = "".join(
        escaped(part.replace("{", "{{").replace("}", "}}"), mark) if isinstance(part, str) else f"{{{part.value.text}}}"
        for part in parts
    )
    return Code(f"f{mark}{inner}{mark}")


@writes(tree.Name)
def _name(on: Writing, node: tree.Name) -> Code:
    means = on.means[node]
    if means.choice is not None:
        return Code(quoted(str(means.choice)))
    if means.implied:
        outer = on.items[means.slot]
        kind = on.vocabulary.kinds[on.kinds[outer]]
        taken = node.word in kind.fields or on.vocabulary.finder(kind.word, node.word) is not None
        return Code(f"{outer}.{outer_name(node.word, taken)}")
    if means.slot == on.program.selection_slot:
        return Code("selection")
    if means.slot in on.items:
        return Code(on.items[means.slot])
    return Code(on.names.get(node.word) or python_name(node.word))


# -- what follows a dot


@writes(tree.Dot)
def _dot(on: Writing, node: tree.Dot) -> Code:
    means = on.means[node]
    target = on.text(node.target, UNARY)
    target = f"({target})" if target[:1].isdigit() and target.isdigit() else target
    if means.lookup is not None:
        return looked_up(on, means.lookup, target)
    if means.part is not None:
        name = "as_table" if node.word == "records" else python_name(node.word)
        return called(f"{target}.{name}", *arguments(on, means.part, means.bound, node.arguments or ()))
    if on.inferred.is_heading(node):
        return Code(f"{target}[{heading(node)}]")
    if on.inferred.field(node) is not None:
        return Code(f"{target}.{python_name(node.word)}")
    return _operation(on, node, target)


def heading(node: tree.Dot) -> str:
    """A heading as a script writes it: with spaces, as it is in most files."""
    return quoted(node.word if node.quoted else node.word.replace("-", " "))


def _operation(on: Writing, node: tree.Dot, target: str) -> Code:
    callee = on.inferred.operation(node)
    if callee is None:
        return _asked_at_run(on, node, target)
    sort = on.inferred.sort(node.target)
    native = _native(node.word, target, sort)
    if native is not None:
        return native
    bound = on.means[node].bound
    return on.operation(node.word, on.text(node.target), *arguments(on, callee, bound, node.arguments or ()))


def _native(word: str, target: str, sort: Sort) -> Code | None:
    """What Python has itself, for values that are surely of the type that has it."""
    if not sort.sure:
        return None
    if word in ("length", "count") and sort.name in (("str",) if word == "length" else ("list", "pairs")):
        return called("len", target)
    if sort.name == "pairs" and word in ("keys", "values"):
        return called(f"{target}.{word}")
    if sort.name in ("date", "datetime") and word in ("year", "month", "day"):
        return Code(f"{target}.{word}")
    if sort.name == "datetime" and word in ("hour", "minute", "date"):
        return called(f"{target}.date") if word == "date" else Code(f"{target}.{word}")
    return None


def _asked_at_run(on: Writing, node: tree.Dot, target: str) -> Code:
    """A field of an item, or an operation of a value, whose type is not known before."""
    is_field = any(node.word in kind.fields for kind in on.vocabulary.kinds.values())
    is_operation = any(node.word == word for _, word in on.vocabulary.operations)
    if is_operation and not is_field:
        names = [argument.name for argument in node.arguments or ()]
        given = [
            on.given(argument.value) if name is None else f"{python_name(name)}={on.given(argument.value)}"
            for name, argument in zip(names, node.arguments or (), strict=True)
        ]
        exactly = ["exactly=True"] if any(argument.exactly for argument in node.arguments or ()) else []
        return on.operation(node.word, on.text(node.target), *given, *exactly)
    if is_field and not is_operation:
        return Code(f"{target}.{python_name(node.word)}")
    return on.helper("asked_of", on.text(node.target), quoted(node.word))


def arguments(on: Writing, callee: Callee, bound: Sequence[str], given: Sequence[Argument]) -> list[str]:
    """The arguments of a call of the Python API; only the first can omit its name."""
    if callee.open:
        return _under_headings(on, bound, given)
    found: list[str] = []
    later: list[str] = []
    for name, argument in zip(bound, given, strict=False):
        parameter = callee.by_python[name]
        value = path(on, argument.value) if parameter.path else on.given(argument.value)
        if argument.name is None:
            found.append(value)
        else:
            later.append(f"{name}={value}")
    if any(argument.exactly for argument in given):
        later.append("exactly=True")
    return found + later


def _under_headings(on: Writing, names: Sequence[str], given: Sequence[Argument]) -> list[str]:
    """Values under headings: as arguments where all headings can be names."""
    pairs = [(name, on.given(argument.value)) for name, argument in zip(names, given, strict=False)]
    simple = [(python_name(name), value) for name, value in pairs]
    if all(name.isidentifier() and not name.endswith("_") for name, _ in simple):
        return [f"{name}={value}" for name, value in simple]
    return ["{" + ", ".join(f"{quoted(name.replace('-', ' '))}: {value}" for name, value in pairs) + "}"]


# -- what is looked up or made


@writes(tree.Call)
def _call(on: Writing, node: tree.Call) -> Code:
    means = on.means[node]
    if means.pairs:
        key = node.arguments[0]
        return Code(f"{on.names.get(node.word, python_name(node.word))}[{on.text(key.value)}]")
    if node.word == "pairs":
        return called("scrub.Pairs", *(on.given(argument.value) for argument in node.arguments))
    special = {"copy-of": _made, "new-file": _made, "open": _made, "new-message": _new_message}.get(node.word)
    if special is not None:
        return special(on, node)
    if node.word == "own-file":
        return called("scrub.own_file", on.text(node.arguments[0].value))
    if means.action is not None:
        given = arguments(on, means.action, means.bound, node.arguments)
        return called(f"{on.items[means.base]}.{python_name(node.word)}", *given)
    if node.word not in on.vocabulary.kinds:
        raise cannot(f'"{node.word}(…)"')
    return looked_up(on, node, on.items[means.base])


def _made(on: Writing, node: tree.Call) -> Code:
    """Another file: copied, new, or opened for reading."""
    name = {"open": "open_beside"}.get(node.word) or python_name(node.word)
    given = []
    for argument in node.arguments:
        chosen = argument.name == "if-exists" and isinstance(argument.value, tree.Name)
        value = quoted(argument.value.word) if chosen else path(on, argument.value)  # type: ignore[attr-defined]
        given.append(value if argument.name is None else f"{python_name(argument.name)}={value}")
    return called(f"scrub.{name}", *given)


def _new_message(on: Writing, node: tree.Call) -> Code:
    given = [f"{argument.name}={on.given(argument.value)}" for argument in node.arguments]
    return called("scrub.new_message", *given)


def looked_up(on: Writing, node: tree.Call, holder: str, or_none: bool = False) -> Code:
    """An item looked up in another one."""
    means = on.means[node]
    name = python_name(node.word)
    if means.finder is not None:
        given = arguments(on, means.finder, means.bound, node.arguments)
    else:
        given = [on.text(node.arguments[0].value)] + (["exactly=True"] if node.arguments[0].exactly else [])
    return called(f"{holder}.{'find_' if or_none else ''}{name}", *given)


def or_none(on: Writing, node: Expression) -> Code:
    """What is looked up, or None where it, or what it is looked up in, is missing."""
    guards, found = _guarded(on, node)
    return Code(f"{found} if {' and '.join(guards)} else None", OR) if guards else Code(found)


def is_there(on: Writing, node: Expression, negated: bool) -> Code:
    """Whether something that is looked up is there."""
    guards, found = _guarded(on, node)
    tests = [*guards, f"{found} is not None"]
    opposites = [f"{test.removesuffix(' is not None')} is None" for test in tests]
    if not guards:
        return compared(found, "is" if negated else "is not", "None")
    return Code(" or ".join(opposites), OR) if negated else Code(" and ".join(tests), AND)


def _guarded(on: Writing, node: Expression) -> tuple[list[str], str]:
    """What is looked up, as a call that gives None where it is missing, and what must be there before it can be."""
    if isinstance(node, tree.Call) and node.word in on.vocabulary.kinds:
        return [], looked_up(on, node, on.items[on.means[node].base], True).text
    if not isinstance(node, tree.Dot):
        return [], on.text(node)
    guards, target = _guarded(on, node.target) if _looks_up(on, node.target) else ([], on.text(node.target, UNARY))
    if guards or _looks_up(on, node.target):
        name = on.new_item("found", on.inferred.type(node.target).word)
        guards, target = [*guards, f"({name} := {target}) is not None"], name
        on.live.append(name)
    lookup, part = on.means[node].lookup, on.means[node].part
    if lookup is not None:
        return guards, looked_up(on, lookup, target, True).text
    assert part is not None
    name = "as_table" if node.word == "records" else python_name(node.word)
    return guards, called(f"{target}.{name}", *arguments(on, part, on.means[node].bound, node.arguments or ())).text


def _looks_up(on: Writing, node: Expression) -> bool:
    """Whether something in it may be missing, too."""
    if isinstance(node, tree.Dot):
        return on.means[node].lookup is not None or (on.means[node].part is not None and _looks_up(on, node.target))
    return isinstance(node, tree.Call) and node.word in on.vocabulary.kinds


def path(on: Writing, node: Expression) -> str:
    """A path; one with pieces of data may not lead out of its folder."""
    if is_own(node, on.own_names):
        return on.given(node)
    if not isinstance(node, tree.Text):
        return on.helper("path_from_data", on.text(node)).text
    segments: list[list[str | Hole]] = [[]]
    first = None  # the segment in which data come first
    for part in node.parts:
        if isinstance(part, str):
            head, *others = part.replace("\\", "/").split("/")
            segments[-1].append(head)
            segments += [[each] for each in others]
            continue
        if first is None and not is_own(part, on.own_names):
            first = len(segments) - 1
        segments[-1].append(_hole(on, part))
    before = segments[: first or 0]
    folder: list[str | Hole] = []
    for segment in before:
        folder += [*(["/"] if folder else []), *segment]
    names = [_name_of(segment) for segment in segments[first or 0 :]]
    return on.helper("path", joined_text(folder).text if folder else '""', *names).text


def _name_of(segment: list[str | Hole]) -> str:
    """One name of a path: a value alone is shown by `path` itself."""
    pieces = [part for part in segment if part]
    only = pieces[0] if len(pieces) == 1 else ""
    return only.value.text if isinstance(only, Hole) else joined_text(pieces or [""]).text


# -- several items


def visited(on: Writing, word: str, inside: Expression | None, base: int) -> str:
    """The items of a kind inside another one."""
    if isinstance(inside, tree.Dot) and word == "record" and on.means[inside].part is not None:
        if inside.word == "records":
            given = arguments(on, on.means[inside].part, on.means[inside].bound, inside.arguments or ())  # type: ignore[arg-type]
            given = [each if "=" in each else f"headings={each}" for each in given]
            return called(f"{on.text(inside.target, UNARY)}.records", *given).text
    holder = on.text(inside, UNARY) if inside is not None else on.items[base]
    return called(f"{holder}.{plural(word)}").text


@writes(tree.Count)
def _count(on: Writing, node: tree.Count) -> Code:
    means = on.means[node]
    items = visited(on, node.word, node.inside, means.base)
    if node.where is None:
        return called("len", items)
    name = on.new_item(node.word, node.word)
    with on.item(means.slot, name):
        return called("sum", f"1 for {name} in {items} if {condition(on, node.where).text}")


_GATHERED = {"sum": "total_of", "smallest": "smallest_of", "largest": "largest_of", "average": "average_of"}


@writes(tree.Gather)
def _gather(on: Writing, node: tree.Gather) -> Code:
    means = on.means[node]
    word = next(each.word for each in names_in(node.value) if each.word in on.vocabulary.kinds)
    items = visited(on, word, node.inside, means.base)
    name = on.new_item(word, word)
    with on.item(means.slot, name):
        tail = f" if {condition(on, node.where).text}" if node.where is not None else ""
        each = f"{on.text(node.value)} for {name} in {items}{tail}"
    return Code(f"[{each}]") if node.operation == "list" else on.helper(_GATHERED[node.operation], each)


# -- conditions


def condition(on: Writing, node: Expression) -> Code:
    """What must be yes or no."""
    if on.inferred.sort(node) == Sort("bool"):
        return on.value(node)
    return on.helper("yes", on.text(node))


@writes(tree.Both)
def _both(on: Writing, node: tree.Both) -> Code:
    left, right = condition(on, node.left), condition(on, node.right)
    if node.operator == "and":
        return both(left, right)
    return Code(f"{_alternative(left)} or {_alternative(right)}", OR)


def both(left: Code, right: Code) -> Code:
    """Two conditions with `and` between."""
    return Code(f"{left.within(AND)} and {right.within(AND + 1)}", AND)


def _alternative(code: Code) -> str:
    """One side of an `or`; an `and` inside it is in brackets, for readers."""
    return code.text if code.strength == OR else code.within(NOT)


@writes(tree.Not)
def _not(on: Writing, node: tree.Not) -> Code:
    return opposite(condition(on, node.value))


def opposite(code: Code) -> Code:
    """The opposite of a condition."""
    if code.opposite:
        return Code(code.opposite, code.strength, code.text)
    if code.text.startswith("not ") and code.strength == NOT:
        inner = code.text[4:]
        return Code(inner, COMPARISON if inner.startswith("(") else ATOM)
    return Code(f"not {code.within(NOT)}", NOT)


@writes(tree.Compare)
def _compare(on: Writing, node: tree.Compare) -> Code:
    if node.operator == "exists":
        return _exists(on, node)
    if node.operator == "is empty":
        found = _empty(on, node.left)
        return opposite(found) if node.negated else found
    assert node.right is not None
    if node.operator == "is":
        return _is(on, node, node.right)
    exactly = ["exactly=True"] if node.exactly else []
    if node.operator in _ORDERED:
        found = _ordered(on, node.operator, node.left, node.right)
    elif node.operator == "is in":
        found = on.helper("one_of", on.text(node.left), on.text(node.right), *exactly)
    elif node.operator == "matches":
        found = on.helper("matches", on.text(node.left), on.text(node.right), *exactly)
    else:
        found = on.helper(_TEXTS[node.operator], on.text(node.left), on.text(node.right), *exactly)
    return opposite(found) if node.negated else found


def _exists(on: Writing, node: tree.Compare) -> Code:
    left = node.left
    lookup = on.means[left].lookup if isinstance(left, tree.Dot) else left
    if isinstance(lookup, tree.Call) and on.means[lookup].pairs:
        name = on.names.get(lookup.word, python_name(lookup.word))
        return compared(on.text(lookup.arguments[0].value, SUM), "not in" if node.negated else "in", name)
    if isinstance(left, tree.Name):
        return compared(on.text(left), "is" if node.negated else "is not", "None")
    return is_there(on, left, node.negated)


def _empty(on: Writing, node: Expression) -> Code:
    """Whether something is empty; a cell with an error value is not."""
    sort = on.inferred.sort(node)
    if isinstance(node, tree.Dot):
        if on.inferred.is_heading(node):
            return on.helper("empty", on.text(node.target), heading(node))
        if on.inferred.field(node) is not None and sort.name == "Any":
            return on.helper("empty", on.text(node.target), quoted(python_name(node.word)))
    if sort == Sort("list"):
        return Code(f"not {on.text(node, NOT)}", NOT)
    return on.helper("empty", on.text(node))


def _is(on: Writing, node: tree.Compare, right: Expression) -> Code:
    """`is`: Python's own sign where both sides surely have a type for which it means the same."""
    one, other = on.inferred.sort(node.left), on.inferred.sort(right)
    value = right.value if isinstance(right, tree.Constant) else node
    sign = ""
    if isinstance(value, bool):
        if one == Sort("bool"):
            found = on.value(node.left)
            return opposite(found) if value == node.negated else found
        sign = "is not" if node.negated else "is"
    elif value is None and one.name not in ("str", "Any") and not _is_written(node.left):
        sign = "is not" if node.negated else "is"
    elif (
        (isinstance(right, tree.Name) and on.means[right].choice is not None and one.name == "str")
        or (one.name in _NUMBERS and other.name in _NUMBERS)
        or (one.name == other.name and one.name in ("date", "datetime"))
    ):
        sign = "!=" if node.negated else "=="
    if sign:
        return _mirrored(node.left, on.text(node.left, SUM), sign, on.text(right, SUM), right)
    exactly = ["exactly=True"] if node.exactly else []
    found = on.helper("same", on.text(node.left), on.text(right), *exactly)
    return opposite(found) if node.negated else found


def _mirrored(left: Expression, one: str, sign: str, other: str, right: Expression) -> Code:
    """A comparison, with what is written out on its right."""
    if _is_written(left) and not _is_written(right) and sign in _MIRRORED:
        return compared(other, _MIRRORED[sign], one)
    return compared(one, sign, other)


def _is_written(node: Expression) -> bool:
    """Whether a value is written out."""
    return isinstance(node, tree.Constant) or (isinstance(node, tree.Negative) and _is_written(node.value))


def number(on: Writing, node: Expression, strength: int) -> str:
    """A number, also under a heading, where anything else fails."""
    if on.inferred.is_heading(node) and isinstance(node, tree.Dot):
        return f"{on.text(node.target)}.number({heading(node)})"
    return on.text(node, strength)


def _ordered(on: Writing, sign: str, left: Expression, right: Expression) -> Code:
    one, other = on.inferred.sort(left), on.inferred.sort(right)
    if on.inferred.numbers(left, right):
        return _mirrored(left, number(on, left, SUM), sign, number(on, right, SUM), right)
    if one == other and one in (Sort("date"), Sort("datetime")):
        return _mirrored(left, on.text(left, SUM), sign, on.text(right, SUM), right)
    return on.helper(_ORDERED[sign], on.text(left), on.text(right))


@writes(tree.Between)
def _between(on: Writing, node: tree.Between) -> Code:
    numbers = on.inferred.numbers(node.value, node.low) and on.inferred.numbers(node.value, node.high)
    if numbers:
        low, high = number(on, node.low, SUM), number(on, node.high, SUM)
        found = Code(f"{low} <= {number(on, node.value, SUM)} <= {high}", COMPARISON)
    else:
        above, below = _ordered(on, ">=", node.value, node.low), _ordered(on, "<=", node.value, node.high)
        found = Code(f"{above.within(AND)} and {below.within(AND + 1)}", AND)
    return opposite(found) if node.negated else found


# -- calculating


@writes(tree.Negative)
def _negative(on: Writing, node: tree.Negative) -> Code:
    if on.inferred.sort(node.value).is_number:
        return Code(f"-{on.text(node.value, UNARY)}", UNARY)
    return on.helper("negative", on.text(node.value))


@writes(tree.Arithmetic)
def _arithmetic(on: Writing, node: tree.Arithmetic) -> Code:
    one, sign, strength = on.inferred.sort(node.left), node.operator, _SIGNS[node.operator]
    if on.inferred.numbers(node.left, node.right):
        left = _exact(on, node) if sign in "*/" else number(on, node.left, strength)
        return Code(f"{left} {sign} {number(on, node.right, strength + 1)}", strength)
    if sign in "+-" and one in (Sort("date"), Sort("datetime")) and on.inferred.is_span(node.right):
        return Code(f"{on.text(node.left, SUM)} {sign} {_span(on, node.right)}", SUM)
    if sign == "-" and one == on.inferred.sort(node.right) == Sort("date"):
        return Code(f"{on.text(node.left, SUM)} - {on.text(node.right, SUM + 1)}", SUM)
    return on.helper(_CALCULATED[sign], on.text(node.left), on.text(node.right))


def _exact(on: Writing, node: tree.Arithmetic) -> str:
    """The left side of a product or a quotient, which must be decimal unless both are small."""
    one, other = on.inferred.sort(node.left), on.inferred.sort(node.right)
    ints = one.name == other.name == "int"
    if ints and (node.operator == "/" or _has_names(node)):
        decimal = on.script.use("decimal", "Decimal")
        return called(decimal, number(on, node.left, 0)).text
    return number(on, node.left, PRODUCT)


def _has_names(node: Expression) -> bool:
    return bool(names_in(node)) or any(
        isinstance(child, tree.Arithmetic) and child.operator == "*" for child in tree.children(node)
    )


def _span(on: Writing, node: Expression) -> str:
    """A span of whole days in Python."""
    assert isinstance(node, tree.Constant)
    assert isinstance(node.value, Duration)
    days = node.value.total / Decimal(86_400)
    return called(on.script.use("datetime", "timedelta"), f"days={plain_number(days)}").text
