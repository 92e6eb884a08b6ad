"""What is read and calculated in a function that is made of a long loop."""

from __future__ import annotations

from decimal import Decimal
from functools import partial
from typing import Any

from scrub.language import tree
from scrub.language.tree import Expression
from scrub.model.core.values import fold
from scrub.runner.asking import asking, field_of, holder_of_heading
from scrub.runner.comparisons import ORDER
from scrub.runner.expressions import combining, noting_unlike, ordering
from scrub.runner.lookups import finder_by_name
from scrub.runner.source_writer import SourceWriter, gives

#: The signs of calculations and comparisons, as Python has them too.
_SIGNS = {each: each for each in ("+", "-", "*", "/", *ORDER)}


@gives(tree.Constant)
def _constant(to: SourceWriter, node: tree.Constant) -> str:
    name = to.keep(node.value)
    if type(node.value) is Decimal:
        to.numbers.add(name)
    return name


@gives(tree.Text)
def _text(to: SourceWriter, node: tree.Text) -> str:
    parts = [
        to.keep(part) if isinstance(part, str) else to.variable_of(f"shown({to.value(part)})") for part in node.parts
    ]
    return to.variable_of(f"within(''.join(({''.join(f'{part}, ' for part in parts)})))")


@gives(tree.ListOf)
def _listof(to: SourceWriter, node: tree.ListOf) -> str:
    return to.variable_of(f"[{', '.join([to.value(item) for item in node.items])}]")


@gives(tree.Name)
def _name(to: SourceWriter, node: tree.Name) -> str | None:
    means = to.means[node]
    if means.choice is not None or means.implied:
        return None
    name = to.variable_of(f"frame[{means.slot:d}]")
    if not means.plain:
        look = to.keep(to.compiler.evaluate(node))
        to.put(f"if type({name}) is Absent or isinstance({name}, Item) and {name}.removed: {look}(frame)")
    return name


@gives(tree.Dot)
def _dot(to: SourceWriter, node: tree.Dot) -> str | None:
    means = to.means[node]
    if means.lookup is not None:
        return _looked_up(to, means.lookup, node.target)
    if means.part is not None or any(argument.exactly for argument in node.arguments or ()):
        return None
    holder = holder_of_heading(to.compiler, node)
    if holder:
        return _under_heading(to, holder, means.heading)
    target = to.value(node.target)
    ways: dict[type, Any] = {}
    find = to.keep(asking(to.compiler, node, ways))
    way = to.variable_of(f"{to.keep(ways)}.get(type({target})) or {find}({target})")
    if not node.arguments:
        return to.variable_of(f"{way}[0]({target})")
    given = "".join(f"{to.value(argument.value)}, " for argument in node.arguments)
    return to.variable_of(f"{way}[0]({target}, **fitted_all(zip({way}[1], ({given}), strict=True)))")


def _under_heading(to: SourceWriter, slot: int, heading: str) -> str:
    """What is under a heading: the commonest step of a loop over records, so without a detour."""
    known = to.read.get((slot, heading))
    if known is not None:
        return known
    record, found, kept = to.variable_of(f"frame[{slot:d}]"), to.variable(), to.keep(heading)
    to.read[slot, heading] = found
    to.put(
        "try:",
        f"    {found} = {record}.table.readers[{kept}]({record}.row)",
        "except (KeyError, AttributeError):",
        f"    {found} = {to.keep(partial(field_of, to.compiler))}({record}, {kept})",
        "else:",
        f"    if type({found}) is CellError: {found} = {found}.resolved()",
    )
    return found


@gives(tree.Call)
def _call(to: SourceWriter, node: tree.Call) -> str | None:
    means = to.means[node]
    if means.pairs:
        pairs = pairs_in(to, means.slot, node.word)
        key = to.value(node.arguments[0].value)
        of = key_of(to, key)
        if means.may_be_missing:
            return to.variable_of(f"{of} in {pairs}.held or execution.missed({pairs}, {key})")
        found = to.variable_of(f"{pairs}.held.get({of})")
        return to.variable_of(f"{found}[1] if {found} is not None else execution.get_pair({pairs}, {key})")
    return _looked_up(to, node, None)


def key_of(to: SourceWriter, value: str) -> str:
    """A variable with what a value is as a key of pairs, made once for each."""
    key = to._keys.get(value)
    if key is None:
        quick = f"type({value}) is str and {value} and {value}.isascii()"
        key = to._keys[value] = to.variable_of(f"{value}.lower() if {quick} else Pairs.of({value})")
    return key


def pairs_in(to: SourceWriter, slot: int, word: str) -> str:
    """A variable with the pairs that a name keeps; anything else fails."""
    pairs = to.variable_of(f"frame[{slot:d}]")
    to.put(f"if type({pairs}) is not Pairs: pairs_of({pairs}, {to.keep(word)})")
    return pairs


def _looked_up(to: SourceWriter, node: tree.Call, target: Expression | None) -> str | None:
    """An item looked up by its name."""
    find = finder_by_name(to.compiler, node)
    if find is None:
        return None
    holder = to.variable_of(f"frame[{to.means[node].base:d}]") if target is None else None
    name = to.value(node.arguments[0].value)
    if target is not None:
        holder = to.value(target)
    return to.variable_of(f"{to.keep(find)}({holder}, {name})")


@gives(tree.Compare)
def _compare(to: SourceWriter, node: tree.Compare) -> str | None:
    compiler, right = to.compiler, node.right
    result = None
    if node.operator == "exists":
        if isinstance(node.left, tree.Name):
            result = to.variable_of(f"type(frame[{to.means[node.left].slot:d}]) is not Absent")
        else:
            left = to.value(node.left)
            result = to.variable_of(f"{left} is not None and type({left}) is not Absent")
    elif right is None:
        return None
    elif node.operator == "is" and not node.exactly:
        result = _equal(to, node, right)
    elif node.operator in ORDER:
        one, other, tell = (
            to.value(node.left),
            to.value(right),
            to.keep(ordering(compiler, node.operator, node.left, right)),
        )
        sign, result = _SIGNS[node.operator], to.variable()
        both = _both_numbers(to, one, other)
        to.put(f"{result} = {one} {sign} {other} if {both} else {tell}({one}, {other}, frame)")
    if result is not None and node.negated:
        result = to.variable_of(f"not {result}")
    return result


def _equal(to: SourceWriter, node: tree.Compare, right: Expression) -> str:
    unlike = to.keep(noting_unlike(to.compiler, node.left, right))
    one = to.value(node.left)
    if isinstance(right, tree.Constant) and isinstance(right.value, str):
        low, text = to.keep(fold(right.value)), to.keep(right.value)
        result = to.variable()
        with to.below(f"if type({one}) is str:"):
            to.put(f"{result} = ({one}.lower() if {one}.isascii() else fold({one})) == {low}")
        with to.below("else:"):
            to.put(f"{result} = same({one}, {text}) or {unlike}({one}, {text}, frame)")
        return result
    other = to.value(right)
    return to.variable_of(
        f"same({one}, {other}, False) or (type({one}) is not type({other}) and {unlike}({one}, {other}, frame))"
    )


@gives(tree.Arithmetic)
def _arithmetic(to: SourceWriter, node: tree.Arithmetic) -> str:
    one, other, found = to.value(node.left), to.value(node.right), to.variable()
    sign = _SIGNS[node.operator]
    tell = f"{to.keep(combining(to.compiler, node))}({to.keep(sign)}, {one}, {other}, frame)"
    to.put(
        f"if {_both_numbers(to, one, other)}:",
        f"    try: {found} = {one} {sign} {other}",
        "    except DecimalException as error: raise no_number(error) from None",
        f"else: {found} = {tell}",
    )
    return found


def _both_numbers(to: SourceWriter, one: str, other: str) -> str:
    unsure = [name for name in (one, other) if name not in to.numbers]
    return " and ".join(f"type({name}) is Decimal" for name in unsure) or "True"


@gives(tree.Both)
def _both(to: SourceWriter, node: tree.Both) -> str:
    result = to.variable()
    to.put(f"{result} = {to.condition(node.left)}")
    with to.below(f"if {result}:" if node.operator == "and" else f"if not {result}:"):
        to.put(f"{result} = {to.condition(node.right)}")
    return result


@gives(tree.Not)
def _not(to: SourceWriter, node: tree.Not) -> str:
    return to.variable_of(f"not {to.condition(node.value)}")
