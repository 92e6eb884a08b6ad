"""Expressions to closures: each takes the running frame and gives a value."""

from __future__ import annotations

import decimal
from collections.abc import Callable
from datetime import date, datetime
from decimal import Decimal

from scrub.language import tree
from scrub.language.meanings import Meanings
from scrub.language.tree import Argument, Expression
from scrub.model.amounts import Amount
from scrub.model.declare import Item
from scrub.model.mistaken import mistaken
from scrub.model.problem import Failure
from scrub.model.values import (
    Value,
    fold,
    is_empty,
    loosen,
    same,
    shown,
    type_name,
)
from scrub.model.vocabulary import Vocabulary
from scrub.runner.arithmetic import ARITHMETIC, combined, no_number
from scrub.runner.asking import Asking, Way
from scrub.runner.comparisons import (
    ORDER,
    Compares,
    Evaluate,
    NoText,
    Told,
    in_order,
    is_in,
    matching,
    ordered,
    text_test,
)
from scrub.runner.execution import Frame
from scrub.runner.fitting import fitted_all, within
from scrub.runner.lookups import Absent, Lookups, deleted
from scrub.runner.paths import Paths


class Expressions(Asking, Paths, Lookups):
    """Compiles expressions of one program."""

    def __init__(self, vocabulary: Vocabulary, means: Meanings, own_names: frozenset[str] = frozenset()) -> None:
        """`means` is what the checker found; `own_names` never hold data: paths may be made of them."""
        self.vocabulary = vocabulary
        self.means = means
        self.line = 0  # the line on which the statement begins that is being compiled
        self.title = ""
        self.own_names = own_names

    def evaluate(self, node: Expression) -> Evaluate:
        """The closure of an expression."""
        found: Evaluate = getattr(self, f"_{type(node).__name__.lower()}")(node)
        line = node.place.line
        return self._on_line(found, line) if self.line and line != self.line and not _is_plain(node) else found

    def _on_line(self, value: Evaluate, line: int) -> Evaluate:
        """A value on another line than its statement begins on: a failure in it names that line."""
        title = self.title

        def evaluate(frame: Frame) -> Value:
            try:
                return value(frame)
            except Failure as failure:
                if failure.line is None:
                    failure.title, failure.line = title, line
                raise

        return evaluate

    def condition(self, node: Expression) -> Callable[[Frame], bool]:
        """The closure of a condition; anything but yes or no is a failure."""
        value = self.evaluate(node)
        if isinstance(node, tree.Compare | tree.Between | tree.Both | tree.Not):
            return value  # these give yes or no by themselves

        def test(frame: Frame) -> bool:
            found = value(frame)
            if found is True or found is False:
                return found
            raise self.no_condition(found)

        return test

    @staticmethod
    def no_condition(found: Value) -> Failure:
        """The failure for what should be yes or no."""
        return Failure(f"expected a condition, found {type_name(found)}")

    def _constant(self, node: tree.Constant) -> Evaluate:
        value = node.value
        return lambda frame: value

    @staticmethod
    def _number(node: Expression | None) -> Decimal | None:
        """A number that is written in the macro."""
        return node.value if isinstance(node, tree.Constant) and isinstance(node.value, Decimal) else None

    def _moment(self, node: tree.Moment) -> Evaluate:
        if node.word == "today":
            return lambda frame: date.today()
        return lambda frame: datetime.now().replace(second=0, microsecond=0)

    def _text(self, node: tree.Text) -> Evaluate:
        parts = [part if isinstance(part, str) else self.evaluate(part) for part in node.parts]
        return lambda frame: within("".join(part if isinstance(part, str) else shown(part(frame)) for part in parts))

    def _printmark(self, node: tree.PrintMark) -> Evaluate:
        mark = f"{{{node.word}}}"  # the field that takes it knows it again
        return lambda frame: mark

    def _listof(self, node: tree.ListOf) -> Evaluate:
        items = [self.evaluate(item) for item in node.items]
        return lambda frame: [item(frame) for item in items]

    def _name(self, node: tree.Name) -> Evaluate:
        means = self.means[node]
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
            found = frame[slot]
            if isinstance(found, Item) and found.removed:
                raise deleted(found)
            if type(found) is Absent:
                raise Failure(found.what)
            return found

        return look

    # -- fields and operations

    def _dot(self, node: tree.Dot) -> Evaluate:
        means = self.means[node]
        target = self.evaluate(node.target)
        if means.lookup is not None:
            return self._call(means.lookup, target)
        if means.part is not None:
            return self._part(node, target)
        if self.is_under_heading(node):
            return self.under_heading(self.means[node.target].slot, means.heading)
        arguments = self._arguments(node.arguments or ())
        if any(argument.exactly for argument in node.arguments or ()):
            arguments = [*arguments, lambda frame: True]
        ways: dict[type, Way] = {}  # how it is asked of values of each class
        asked = self.asked(node, ways)

        def read(frame: Frame) -> Value:
            value = target(frame)
            ask, parameters = ways.get(type(value)) or asked(value)
            if not parameters:
                return ask(value)
            given_now = [argument(frame) for argument in arguments]
            return ask(value, **fitted_all(zip(parameters, given_now, strict=True)))

        return read

    def _arguments(self, arguments: tuple[Argument, ...]) -> list[Evaluate]:
        return [self.evaluate(argument.value) for argument in arguments]

    # -- comparisons

    def _compare(self, node: tree.Compare) -> Evaluate:
        left = self.evaluate(node.left)
        test = self._test(node, left)
        if not node.negated:
            return test
        return lambda frame: not test(frame)

    def combining(self, node: tree.Arithmetic) -> Callable[[str, Value, Value, Frame], Value]:
        """Arithmetic with dates and amounts; a failure names the cells whose values it is about."""
        origins = self._origins(node.left, node.right)

        def combine_or_tell(sign: str, one: Value, other: Value, frame: Frame) -> Value:
            try:
                return combined(sign, one, other)
            except Failure as failure:
                raise _named(failure, origins, frame) from None

        return combine_or_tell

    def _origins(self, *sides: Expression | None) -> list[Callable[[Frame], str]]:
        return [origin for side in sides if side is not None for origin in [self._origin(side)] if origin]

    def _telling(self, *sides: Expression | None) -> Told:
        """Adds to a failure the cells whose values it is about."""
        origins = self._origins(*sides)
        return lambda failure, frame: _named(failure, origins, frame)

    def _asking_first(self, node: Expression, told: Told) -> Told:
        """The same; where the value of a cell is not a text, a failure tells how to ask for texts only."""
        if not isinstance(node, tree.Dot) or node.word != "value" or not isinstance(node.target, tree.Name):
            return told
        item = node.target.word

        def tell(failure: Failure, frame: Frame) -> Failure:
            found = told(failure, frame)
            if isinstance(failure, NoText):
                found.what += f". To test text only: where {item}.holds is text and …"
            return found

        return tell

    def _placed(self, run: Callable[[Frame], bool], told: Told) -> Callable[[Frame], bool]:
        """The same; a failure names the cells whose values it is about."""

        def placed(frame: Frame) -> bool:
            try:
                return run(frame)
            except Failure as failure:
                raise told(failure, frame) from None

        return placed

    def _origin(self, node: Expression) -> Callable[[Frame], str] | None:
        """Where the value of an expression is in the file, if it comes straight from there."""
        if not isinstance(node, tree.Dot) or node.arguments is not None:
            return None
        target, heading = self.evaluate(node.target), self.means[node].heading

        def place(frame: Frame) -> str:
            item = target(frame)
            if isinstance(item, Item):
                return item.place_of(heading) if item.open_fields else item.label
            return type_name(item)

        return place if heading or node.word == "value" else None

    def _test(self, node: tree.Compare, left: Evaluate) -> Callable[[Frame], bool]:
        name, exactly = node.operator, node.exactly
        if name == "exists":
            return self._exists(node.left, left)
        if name == "is empty":
            return _emptiness(left)
        assert node.right is not None
        unlike = self.unlike(node.left, node.right)
        if name == "is" and isinstance(node.right, tree.Constant) and isinstance(node.right.value, str) and not exactly:
            return self._is_constant(left, node.right.value, unlike)
        right, told = self.evaluate(node.right), self._telling(node.left, node.right)
        if name in ORDER:
            return ordered(name, left, right, self.ordering(name, node.left, node.right), self._number(node.right))
        if name == "is":

            def equal(frame: Frame) -> bool:
                one, other = left(frame), right(frame)
                return same(one, other, exactly) or (type(one) is not type(other) and unlike(one, other, frame))

            return equal
        if name == "is in":
            return self._placed(lambda frame: is_in(left(frame), right(frame), exactly, unlike, frame), told)
        if name == "matches":
            asking = self._asking_first(node.left, told)
            return self._placed(matching(exactly, self.means[node].pattern, left, right), asking)
        fix = loosen if exactly else fold
        return self._placed(
            lambda frame: text_test(name, left(frame), right(frame), fix), self._asking_first(node.left, told)
        )

    def _exists(self, node: Expression, left: Evaluate) -> Callable[[Frame], bool]:
        """Whether what is looked up is there; also of what a name keeps."""
        if isinstance(node, tree.Name):
            slot = self.means[node].slot
            return lambda frame: type(frame[slot]) is not Absent
        return lambda frame: (found := left(frame)) is not None and type(found) is not Absent

    def _between(self, node: tree.Between) -> Callable[[Frame], bool]:
        value, low, high = self.evaluate(node.value), self.evaluate(node.low), self.evaluate(node.high)
        above = ordered(">=", value, low, self.ordering(">=", node.value, node.low), self._number(node.low))
        below = ordered("<=", value, high, self.ordering("<=", node.value, node.high), self._number(node.high))
        if node.negated:
            return lambda frame: not (above(frame) and below(frame))
        return lambda frame: above(frame) and below(frame)

    def ordering(self, name: str, *sides: Expression) -> Compares:
        """`<`, `<=`, `>` or `>=` between any two values; a failure names the cells whose values it is about."""
        told = self._telling(*sides)

        def test(one: Value, other: Value, frame: Frame) -> bool:
            try:
                return in_order(name, one, other)
            except Failure as failure:
                raise told(failure, frame) from None

        return test

    def unlike(self, *sides: Expression | None) -> Compares:
        """Notes two values that are not equal only because one is stored as a text. Always no."""
        origins = self._origins(*sides)
        headings = [side.word for side in sides if isinstance(side, tree.Dot) and self.means[side].heading]
        under = headings[0] if headings else ""

        def unlike(one: Value, other: Value, frame: Frame) -> bool:
            what = mistaken(one, other)
            if what:
                frame[0].unlike(what, " and ".join(origin(frame) for origin in origins), under)
            return False

        return unlike

    @staticmethod
    def _is_constant(left: Evaluate, text: str, unlike: Compares) -> Callable[[Frame], bool]:
        """The commonest comparison, with its constant side prepared."""
        low = fold(text)

        def test(frame: Frame) -> bool:
            value = left(frame)
            if type(value) is not str:
                return same(value, text) or unlike(value, text, frame)
            return (value.lower() if value.isascii() else fold(value)) == low

        return test

    def _arithmetic(self, node: tree.Arithmetic) -> Evaluate:
        left, right, sign = self.evaluate(node.left), self.evaluate(node.right), node.operator
        if sign == "+":
            return self._sum(node, left, right)
        work, told = ARITHMETIC[sign], self.combining(node)

        def calculate(frame: Frame) -> Value:
            one, other = left(frame), right(frame)
            if type(one) is Decimal and type(other) is Decimal:
                try:
                    return work(one, other)
                except decimal.DecimalException as error:
                    raise no_number(error) from None
            return told(sign, one, other, frame)

        return calculate

    def _sum(self, node: tree.Arithmetic, left: Evaluate, right: Evaluate) -> Evaluate:
        """Adding is what loops do most: a kept value plus something is fetched without a call."""
        slot = self.means[node.left].slot if isinstance(node.left, tree.Name) and self.means[node.left].plain else -1
        told = self.combining(node)

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

    def _negative(self, node: tree.Negative) -> Evaluate:
        value = self.evaluate(node.value)

        def negate(frame: Frame) -> Value:
            found = value(frame)
            if isinstance(found, Amount):
                return found.combined("*", Decimal(-1))
            if type(found) is not Decimal:
                raise Failure(f"a minus needs a number; this is {type_name(found)}")
            return -found

        return negate

    def _not(self, node: tree.Not) -> Evaluate:
        value = self.condition(node.value)
        return lambda frame: not value(frame)

    def _both(self, node: tree.Both) -> Evaluate:
        left, right = self.condition(node.left), self.condition(node.right)
        if node.operator == "and":
            return lambda frame: left(frame) and right(frame)
        return lambda frame: left(frame) or right(frame)


def _is_plain(node: Expression) -> bool:
    """Whether reading it never fails."""
    return isinstance(node, tree.Constant | tree.Moment)


def _named(failure: Failure, origins: list[Callable[[Frame], str]], frame: Frame) -> Failure:
    """The failure, with the cells whose values it is about."""
    return failure.at(" and ".join(origin(frame) for origin in origins)) if origins else failure


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
