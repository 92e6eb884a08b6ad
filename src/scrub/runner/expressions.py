"""Expressions to closures: each takes the running frame and gives a value."""

from __future__ import annotations

import decimal
from collections.abc import Callable
from datetime import date, datetime
from decimal import Decimal

from scrub.language import tree
from scrub.language.tree import Argument, Expression
from scrub.model.core.amounts import Amount
from scrub.model.core.declare import Item
from scrub.model.core.problem import Failure
from scrub.model.core.values import (
    Value,
    fold,
    is_empty,
    loosen,
    same,
    shown,
    type_name,
)
from scrub.model.operations.mistaken import mistaken
from scrub.runner.arithmetic import ARITHMETIC, combined, no_number
from scrub.runner.asking import Way, asking, holder_of_heading, under_heading
from scrub.runner.comparisons import (
    ORDER,
    Compares,
    Evaluate,
    in_order,
    is_in,
    matching,
    ordered,
    text_test,
)
from scrub.runner.compiling import Compiler, evaluates
from scrub.runner.execution import Frame
from scrub.runner.fitting import fitted_all, within
from scrub.runner.lookups import Absent, call_of, deleted, part_of
from scrub.runner.origins import asking_first, at_origins, origins_of, placing_failures, telling


@evaluates(tree.Constant)
def _constant(on: Compiler, node: tree.Constant) -> Evaluate:
    value = node.value
    return lambda frame: value


def _number(node: Expression | None) -> Decimal | None:
    """A number that is written in the macro."""
    return node.value if isinstance(node, tree.Constant) and isinstance(node.value, Decimal) else None


@evaluates(tree.Moment)
def _moment(on: Compiler, node: tree.Moment) -> Evaluate:
    if node.word == "today":
        return lambda frame: date.today()
    return lambda frame: datetime.now().replace(second=0, microsecond=0)


@evaluates(tree.Text)
def _text(on: Compiler, node: tree.Text) -> Evaluate:
    parts = [part if isinstance(part, str) else on.evaluate(part) for part in node.parts]
    return lambda frame: within("".join(part if isinstance(part, str) else shown(part(frame)) for part in parts))


@evaluates(tree.PrintMark)
def _printmark(on: Compiler, node: tree.PrintMark) -> Evaluate:
    mark = f"{{{node.word}}}"  # the field that takes it knows it again
    return lambda frame: mark


@evaluates(tree.ListOf)
def _listof(on: Compiler, node: tree.ListOf) -> Evaluate:
    items = [on.evaluate(item) for item in node.items]
    return lambda frame: [item(frame) for item in items]


@evaluates(tree.Name)
def _name(on: Compiler, node: tree.Name) -> Evaluate:
    means = on.means[node]
    if means.choice is not None:
        choice = means.choice
        return lambda frame: choice
    slot = means.slot
    if means.plain:
        return lambda frame: frame[slot]
    if means.implied:
        method = means.implied
        return lambda frame: getattr(frame[slot], method)()

    def look(frame: Frame) -> Value:
        result = frame[slot]
        if isinstance(result, Item) and result.removed:
            raise deleted(result)
        if type(result) is Absent:
            raise Failure(result.what)
        return result

    return look


@evaluates(tree.Dot)
def _dot(on: Compiler, node: tree.Dot) -> Evaluate:
    means = on.means[node]
    target = on.evaluate(node.target)
    if means.lookup is not None:
        return call_of(on, means.lookup, target)
    if means.part is not None:
        return part_of(on, node, target)
    holder = holder_of_heading(on, node)
    if holder:
        return under_heading(on, holder, means.heading)
    arguments = _arguments(on, node.arguments or ())
    if any(argument.exactly for argument in node.arguments or ()):
        arguments = [*arguments, lambda frame: True]
    ways: dict[type, Way] = {}  # how it is asked of values of each class
    asked = asking(on, node, ways)

    def read(frame: Frame) -> Value:
        value = target(frame)
        ask, parameters = ways.get(type(value)) or asked(value)
        if not parameters:
            return ask(value)
        given_now = [argument(frame) for argument in arguments]
        return ask(value, **fitted_all(zip(parameters, given_now, strict=True)))

    return read


def _arguments(on: Compiler, arguments: tuple[Argument, ...]) -> list[Evaluate]:
    return [on.evaluate(argument.value) for argument in arguments]


@evaluates(tree.Compare)
def _compare(on: Compiler, node: tree.Compare) -> Evaluate:
    left = on.evaluate(node.left)
    test = _test(on, node, left)
    if not node.negated:
        return test
    return lambda frame: not test(frame)


def combining(on: Compiler, node: tree.Arithmetic) -> Callable[[str, Value, Value, Frame], Value]:
    """Arithmetic with dates and amounts; a failure names the cells whose values it is about."""
    origins = origins_of(on, node.left, node.right)

    def combine_or_tell(sign: str, one: Value, other: Value, frame: Frame) -> Value:
        try:
            return combined(sign, one, other)
        except Failure as failure:
            raise at_origins(failure, origins, frame) from None

    return combine_or_tell


def _test(on: Compiler, node: tree.Compare, left: Evaluate) -> Callable[[Frame], bool]:
    name, exactly = node.operator, node.exactly
    if name == "exists":
        return _exists(on, node.left, left)
    if name == "is empty":
        return _emptiness(left)
    assert node.right is not None
    unlike = noting_unlike(on, node.left, node.right)
    if name == "is" and isinstance(node.right, tree.Constant) and isinstance(node.right.value, str) and not exactly:
        return _is_constant(left, node.right.value, unlike)
    right, told = on.evaluate(node.right), telling(on, node.left, node.right)
    if name in ORDER:
        return ordered(name, left, right, ordering(on, name, node.left, node.right), _number(node.right))
    if name == "is":

        def equal(frame: Frame) -> bool:
            one, other = left(frame), right(frame)
            return same(one, other, exactly) or (type(one) is not type(other) and unlike(one, other, frame))

        return equal
    if name == "is in":
        return placing_failures(lambda frame: is_in(left(frame), right(frame), exactly, unlike, frame), told)
    if name == "matches":
        tell = asking_first(node.left, told)
        return placing_failures(matching(exactly, on.means[node].pattern, left, right), tell)
    fix = loosen if exactly else fold
    return placing_failures(
        lambda frame: text_test(name, left(frame), right(frame), fix), asking_first(node.left, told)
    )


def _exists(on: Compiler, node: Expression, left: Evaluate) -> Callable[[Frame], bool]:
    """Whether what is looked up is there; also of what a name keeps."""
    if isinstance(node, tree.Name):
        slot = on.means[node].slot
        return lambda frame: type(frame[slot]) is not Absent
    return lambda frame: (found := left(frame)) is not None and type(found) is not Absent


@evaluates(tree.Between)
def _between(on: Compiler, node: tree.Between) -> Callable[[Frame], bool]:
    value, low, high = on.evaluate(node.value), on.evaluate(node.low), on.evaluate(node.high)
    above = ordered(">=", value, low, ordering(on, ">=", node.value, node.low), _number(node.low))
    below = ordered("<=", value, high, ordering(on, "<=", node.value, node.high), _number(node.high))
    if node.negated:
        return lambda frame: not (above(frame) and below(frame))
    return lambda frame: above(frame) and below(frame)


def ordering(on: Compiler, name: str, *sides: Expression) -> Compares:
    """`<`, `<=`, `>` or `>=` between any two values; a failure names the cells whose values it is about."""
    told = telling(on, *sides)

    def test(one: Value, other: Value, frame: Frame) -> bool:
        try:
            return in_order(name, one, other)
        except Failure as failure:
            raise told(failure, frame) from None

    return test


def noting_unlike(on: Compiler, *sides: Expression | None) -> Compares:
    """Notes two values that are not equal only because one is stored as a text. Always no."""
    origins = origins_of(on, *sides)
    headings = [side.word for side in sides if isinstance(side, tree.Dot) and on.means[side].heading]
    under = headings[0] if headings else ""

    def unlike(one: Value, other: Value, frame: Frame) -> bool:
        what = mistaken(one, other)
        if what:
            frame[0].unlike(what, " and ".join(origin(frame) for origin in origins), under)
        return False

    return unlike


def _is_constant(left: Evaluate, text: str, unlike: Compares) -> Callable[[Frame], bool]:
    """The commonest comparison, with its constant side prepared."""
    low = fold(text)

    def test(frame: Frame) -> bool:
        value = left(frame)
        if type(value) is not str:
            return same(value, text) or unlike(value, text, frame)
        return (value.lower() if value.isascii() else fold(value)) == low

    return test


@evaluates(tree.Arithmetic)
def _arithmetic(on: Compiler, node: tree.Arithmetic) -> Evaluate:
    left, right, sign = on.evaluate(node.left), on.evaluate(node.right), node.operator
    if sign == "+":
        return _sum(on, node, left, right)
    work, told = ARITHMETIC[sign], combining(on, node)

    def calculate(frame: Frame) -> Value:
        one, other = left(frame), right(frame)
        if type(one) is Decimal and type(other) is Decimal:
            try:
                return work(one, other)
            except decimal.DecimalException as error:
                raise no_number(error) from None
        return told(sign, one, other, frame)

    return calculate


def _sum(on: Compiler, node: tree.Arithmetic, left: Evaluate, right: Evaluate) -> Evaluate:
    """Adding is what loops do most: a kept value plus something is fetched without a call."""
    slot = on.means[node.left].slot if isinstance(node.left, tree.Name) and on.means[node.left].plain else -1
    told = combining(on, node)

    def add(frame: Frame) -> Value:
        one = frame[slot] if slot >= 0 else left(frame)
        other = right(frame)
        if type(one) is Decimal and type(other) is Decimal:
            try:
                return one + other
            except decimal.DecimalException as error:
                raise no_number(error) from None
        return told("+", one, other, frame)

    return add


@evaluates(tree.Negative)
def _negative(on: Compiler, node: tree.Negative) -> Evaluate:
    value = on.evaluate(node.value)

    def negate(frame: Frame) -> Value:
        found = value(frame)
        if isinstance(found, Amount):
            return found.combined("*", Decimal(-1))
        if type(found) is not Decimal:
            raise Failure(f"a minus needs a number; this is {type_name(found)}")
        return -found

    return negate


@evaluates(tree.Not)
def _not(on: Compiler, node: tree.Not) -> Evaluate:
    value = on.condition(node.value)
    return lambda frame: not value(frame)


@evaluates(tree.Both)
def _both(on: Compiler, node: tree.Both) -> Evaluate:
    left, right = on.condition(node.left), on.condition(node.right)
    if node.operator == "and":
        return lambda frame: left(frame) and right(frame)
    return lambda frame: left(frame) or right(frame)


def _emptiness(value: Evaluate) -> Callable[[Frame], bool]:
    """`is empty`, also of what is somewhere and cannot be read."""

    def test(frame: Frame) -> bool:
        try:
            return is_empty(value(frame))
        except Failure as failure:
            if failure.filled:
                return False
            raise

    return test
