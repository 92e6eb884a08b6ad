"""Conditions on records that can be handed on: `table.records(where=scrub.heading("nights") >= 7)`."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from typing import Any

from scrub.api.values import into
from scrub.model.core.predicate import Joined, Leaf, Opposite, Predicate
from scrub.model.core.problem import Failure
from scrub.model.core.values import Value, fold, heading_key, is_empty, same
from scrub.runner.comparisons import in_order, text_test


class Condition:
    """A condition on a record. `&`, `|` and `~` join them; a database then looks for the records on its own."""

    __slots__ = ("predicate", "test")

    def __init__(self, predicate: Predicate, test: Callable[[Any], bool]) -> None:
        self.predicate = predicate
        self.test = test

    def __and__(self, other: Condition) -> Condition:
        return Condition(
            Joined("and", [self.predicate, other.predicate]), lambda record: self.test(record) and other.test(record)
        )

    def __or__(self, other: Condition) -> Condition:
        return Condition(
            Joined("or", [self.predicate, other.predicate]), lambda record: self.test(record) or other.test(record)
        )

    def __invert__(self) -> Condition:
        return Condition(Opposite(self.predicate), lambda record: not self.test(record))

    def __bool__(self) -> bool:
        raise TypeError("a condition is yes or no for each record. Join conditions with & and |, not with and, or, not")


class Heading:
    """What is under a heading in each record, to be compared as macros compare."""

    __slots__ = ("_key", "_name")

    def __init__(self, name: str) -> None:
        self._name, self._key = name, heading_key(name)

    def _compared(self, operator: str, value: object, test: Callable[[Value, Value], bool]) -> Condition:
        wanted, key, name = into(value), self._key, self._name

        def tested(record: Any) -> bool:
            try:
                return test(into(record[name]), wanted)
            except Failure as failure:
                raise failure.at(record._it.place_of(key)) from None

        return Condition(Leaf(key, operator, wanted), tested)

    def __eq__(self, value: object) -> Condition:  # type: ignore[override]
        return self._compared("is", value, same)

    def __ne__(self, value: object) -> Condition:  # type: ignore[override]
        return ~(self == value)

    def __hash__(self) -> int:
        return hash(self._key)

    def __lt__(self, value: object) -> Condition:
        return self._compared("<", value, lambda one, other: in_order("<", one, other))

    def __le__(self, value: object) -> Condition:
        return self._compared("<=", value, lambda one, other: in_order("<=", one, other))

    def __gt__(self, value: object) -> Condition:
        return self._compared(">", value, lambda one, other: in_order(">", one, other))

    def __ge__(self, value: object) -> Condition:
        return self._compared(">=", value, lambda one, other: in_order(">=", one, other))

    def contains(self, text: str) -> Condition:
        """Whether a text is in it, in upper or lower case."""
        return self._compared("contains", text, lambda one, other: text_test("contains", one, other, fold))

    def starts_with(self, text: str) -> Condition:
        """Whether it starts with a text, in upper or lower case."""
        return self._compared("starts with", text, lambda one, other: text_test("starts with", one, other, fold))

    def ends_with(self, text: str) -> Condition:
        """Whether it ends with a text, in upper or lower case."""
        return self._compared("ends with", text, lambda one, other: text_test("ends with", one, other, fold))

    def one_of(self, values: Iterable[object]) -> Condition:
        """Whether it is one of some values. Raises `Failure` for none."""
        every = [self == value for value in values]
        if not every:
            raise Failure("one_of(…) needs at least one value")
        found = every[0]
        for each in every[1:]:
            found = found | each
        return found

    def is_empty(self) -> Condition:
        """Whether nothing is there, or spaces only. A cell with an error value is not empty."""
        name = self._name
        return Condition(Leaf(self._key, "is empty"), lambda record: empty_under(record, name))


def empty_under(record: Any, name: str) -> bool:
    """Whether nothing is under a heading of a record, or spaces only. A cell with an error value is not empty."""
    try:
        return is_empty(into(record[name]))
    except Failure as failure:
        if failure.filled:
            return False
        raise


def heading(name: str) -> Heading:
    """What is under a heading, for conditions: `table.records(where=scrub.heading("nights") >= 7)`."""
    return Heading(name)
