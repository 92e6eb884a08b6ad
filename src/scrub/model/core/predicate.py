"""A condition on records as plain data, for whoever contains that many that it finds them on its own."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Any, TypeAlias

from scrub.model.core.named import NamedTuple
from scrub.model.core.values import Value


class Leaf(NamedTuple):
    """What is under a heading, compared with a value. The operator `yes` asks whether it is yes."""

    heading: str
    operator: str
    value: Value = None
    exactly: bool = False


class Unknown(NamedTuple):
    """A condition that only the macro can test."""


class Joined(NamedTuple):
    """Conditions with `and` or `or` between them."""

    operator: str
    parts: Sequence[Predicate]


class Opposite(NamedTuple):
    """`not`."""

    part: Predicate


Predicate: TypeAlias = Leaf | Unknown | Joined | Opposite
UNKNOWN = Unknown()


def is_known(predicate: Predicate) -> bool:
    """Whether no part of it is only the macro's to test."""
    if isinstance(predicate, Opposite):
        return is_known(predicate.part)
    return all(map(is_known, predicate.parts)) if isinstance(predicate, Joined) else isinstance(predicate, Leaf)


class Setting(NamedTuple):
    """What is to be under a heading of a record: a value, or one made of what is under others of that record."""

    heading: str
    value: Value = None
    #: The headings of which the value is made, and what makes it; None for a value that is the same in all.
    sources: tuple[str, ...] = ()
    make: Callable[[Any], Value] | None = None


class Sieve(NamedTuple):
    """A condition on what is under some headings, and nothing else: as plain data, and as what tests it."""

    predicate: Predicate
    headings: tuple[str, ...]
    holds: Callable[[Any], bool]


class Tally:
    """How many meet a condition for sure: they are counted, and nobody looks at them."""

    __slots__ = ("sure",)

    def __init__(self) -> None:
        self.sure = 0


def headings_of(predicate: Predicate) -> set[str]:
    """The headings that it asks for."""
    if isinstance(predicate, Leaf):
        return {predicate.heading}
    if isinstance(predicate, Opposite):
        return headings_of(predicate.part)
    return set().union(*map(headings_of, predicate.parts)) if isinstance(predicate, Joined) else set()
