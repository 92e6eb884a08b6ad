"""A value for each key, as macros compare keys."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from scrub.api.current import RUN
from scrub.api.values import into
from scrub.model.core import values
from scrub.model.core.values import Pairs as MacroPairs


class Pairs(MacroPairs):
    """A value for each key. Keys are compared as macros compare them: case and kinds of spaces do not count, and the
    number 3 is not the text "3".

    `otherwise` is the value of a key that got none; without it, asking for one raises `Failure`.
    """

    __slots__ = ()

    def __init__(self, *otherwise: object) -> None:
        super().__init__(*map(into, otherwise))

    def __getitem__(self, key: object) -> Any:
        found: Any = self.get(into(key))
        return found

    def __setitem__(self, key: object, value: object) -> None:
        run = RUN.get()
        if run is None:
            self.put(into(key), into(value))
        else:  # an attempt that fails undoes it
            run.execution.put_pair(self, into(key), into(value))

    def __contains__(self, key: object) -> bool:
        return self.has(into(key))

    def __iter__(self) -> Iterator[Any]:
        return iter(self.keys())

    def __repr__(self) -> str:
        return f"Pairs({values.shown(self)})"

    def copied(self) -> Pairs:
        """The same pairs, to be changed by themselves."""
        pairs = Pairs(*self._otherwise)
        pairs.held, pairs.types = dict(self.held), set(self.types)
        return pairs
