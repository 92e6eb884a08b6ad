"""The functions of formulas, by their names, with what their arguments are."""

from __future__ import annotations

from collections.abc import Callable
from typing import TypeVar

from scrub.model.core.named import NamedTuple

C = TypeVar("C", bound=Callable[..., object])


class Function(NamedTuple):
    """A function. `kinds` has a letter for each argument, those that can be left out in `optional`, those that come
    again and again in `repeated`:

    `n` a number, `t` a text, `b` a truth value, `v` a single value, an error too: where an array is given, the function
    is calculated for each of its values; `a` an array or a value, ranges are read; `x` just what is given, ranges as
    ranges; `l` a closure, which the function asks only if it needs it.
    """

    name: str
    call: Callable[..., object]
    kinds: str
    optional: str
    repeated: str
    clause: str
    volatile: bool  # whether its result changes without any change of a cell
    dynamic: bool  # whether it reads cells that are not in the formula as they are

    def kind(self, place: int) -> str:
        """The letter of an argument, from 0; empty where there can be none."""
        every = self.kinds + self.optional
        if place < len(every):
            return every[place]
        return self.repeated[(place - len(every)) % len(self.repeated)] if self.repeated else ""

    def takes(self, count: int) -> bool:
        """Whether it accepts this number of arguments."""
        return len(self.kinds) <= count and (bool(self.repeated) or count <= len(self.kinds) + len(self.optional))


FUNCTIONS: dict[str, Function] = {}


def function(
    name: str, kinds: str = "", clause: str = "", volatile: bool = False, dynamic: bool = False
) -> Callable[[C], C]:
    """Marks a function. `kinds` are letters, `?` before those that can be left out, `*` before those that repeat."""
    head, _, repeated = kinds.partition("*")
    needed, _, optional = head.partition("?")

    def mark(call: C) -> C:
        for word in name.split():
            FUNCTIONS[word] = Function(word, call, needed, optional, repeated, clause, volatile, dynamic)
        return call

    return mark
