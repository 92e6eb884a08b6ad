"""Items by number, with what is visible of them in columns: each value is read and each condition evaluated once."""

from __future__ import annotations

from collections.abc import Callable, Hashable, Iterable, Sequence
from datetime import date
from typing import Protocol

from scrub.by_example.expressions import FAILS, Context
from scrub.by_example.values import is_empty, moment
from scrub.model.core.values import fold


class Tested(Protocol):
    """What holds for some items: its text tells it from others."""

    @property
    def text(self) -> str:
        """As a macro writes it."""

    @property
    def of(self) -> Callable[[Context], bool]:
        """Whether it holds."""


def key_of(value: object) -> Hashable:
    """What is the same for values that a macro takes for equal: texts in any case, empty ones of any kind."""
    if isinstance(value, str):
        return fold(value) or None
    if value is FAILS:
        return FAILS
    if is_empty(value):
        return None
    if isinstance(value, date):
        return moment(value)
    if isinstance(value, list):
        return tuple(map(key_of, value))
    return type(value).__name__, value if isinstance(value, Hashable) else repr(value)


def bits(numbers: Iterable[int]) -> int:
    """A set of numbers as the bits of one integer."""
    found = 0
    for number in numbers:
        found |= 1 << number
    return found


class Items:
    """Some items for which conditions are looked for."""

    def __init__(self, contexts: Sequence[Context]) -> None:
        self.contexts = contexts
        self._values: dict[str, list[object]] = {}
        self._keys: dict[str, list[Hashable]] = {}
        self._holding: dict[str, int] = {}

    def values(self, field: str) -> list[object]:
        """What a field is in each item; `FAILS` where an item lacks it."""
        if field not in self._values:
            self._values[field] = [each.get(field, FAILS) for each in self.contexts]
        return self._values[field]

    def keys(self, field: str) -> list[Hashable]:
        """The keys of these values."""
        if field not in self._keys:
            self._keys[field] = [key_of(value) for value in self.values(field)]
        return self._keys[field]

    def numbers(self, members: int) -> list[int]:
        """The items of a set that is given as bits."""
        return [number for number in range(len(self.contexts)) if members >> number & 1]

    def holding(self, condition: Tested) -> int:
        """The items for which a condition holds, as bits."""
        if condition.text not in self._holding:
            of = condition.of
            digits = ["1" if of(each) else "0" for each in reversed(self.contexts)]
            self._holding[condition.text] = int("".join(digits) or "0", 2)
        return self._holding[condition.text]
