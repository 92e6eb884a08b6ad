"""Items that are fixed, and made one by one as somebody comes to them: a mailbox may hold a million."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Sequence
from typing import Any, TypeVar

from scrub.model.core.predicate import Predicate, Setting, Sieve, Tally
from scrub.model.core.problem import FileProblem

T = TypeVar("T", covariant=True)


class Series(Sequence[T]):
    """So many items, of which the one at a place is made when it is asked for."""

    __slots__ = ("_count", "_make")

    def __init__(self, count: int, make: Callable[[int], T]) -> None:
        self._count, self._make = count, make

    def __len__(self) -> int:
        return self._count

    def __getitem__(self, place: Any) -> Any:
        if not 0 <= place < self._count:
            raise IndexError(place)
        return self._make(place)

    def __iter__(self) -> Iterator[T]:
        return map(self._make, range(self._count))

    def many(self) -> int:
        """How many of them were not removed."""
        every: Iterator[Any] = iter(self)
        return sum(not each.removed for each in every)

    def sifted(self, predicate: Predicate, tally: Tally | None = None) -> Series[T] | None:
        """Those for which a condition may hold, each with a row that says whether it certainly does; with a tally
        those that certainly do are counted there instead, as the others are gone through. None where whoever
        contains them does not find them by it.
        """
        return None

    def chosen(self, fields: frozenset[str], ask: Callable[[Any], tuple[bool, bool]]) -> Series[T] | None:
        """Those for which a condition on some of their fields holds. `ask` tells of one whether it does, and whether
        that is so of all whose fields are the same. None where whoever contains them does not know that of any.
        """
        return None

    def has(self, headings: Iterable[str]) -> bool:
        """Whether each of them certainly has a value under all these headings."""
        return False

    def delete_all(self, sieve: Sieve | None) -> int | None:
        """Takes out all items for which a condition holds, as if one by one; see `set_all`."""
        return None

    def set_all(self, sieve: Sieve | None, settings: Sequence[Setting]) -> int | None:
        """Sets values in all items for which a condition holds, as if one by one; tells how many these are. None, and
        nothing is done, where whoever contains them does not do that, or cannot tell of one whether it is among them.
        What tests and makes values is given an item, and of rows the values under its headings.
        """
        return None


class Fixed(Series[Any]):
    """Items that are there: what changes the sequence later does not change these."""

    __slots__ = ("_every",)

    def __init__(self, every: Sequence[object]) -> None:
        self._every: Sequence[Any] = every if isinstance(every, range) else tuple(every)
        super().__init__(len(every), self._every.__getitem__)

    def __iter__(self) -> Iterator[object]:
        return iter(self._every)


class Opening(Series[T]):
    """Files that are opened one by one, of which one may be damaged, encrypted or in use."""

    def but_for_broken(self, leave: Callable[[str], None]) -> Series[T]:
        """Those that can be opened; `leave` is told of each other one. All of them count as pieces of work."""
        return _Openable(self._count, self._make, leave)


class _Openable(Series[T]):
    __slots__ = ("_leave",)

    def __init__(self, count: int, make: Callable[[int], T], leave: Callable[[str], None]) -> None:
        super().__init__(count, make)
        self._leave = leave

    def __iter__(self) -> Iterator[T]:
        for place in range(self._count):
            try:
                found = self._make(place)
            except FileProblem as problem:
                self._leave(f"skipped {problem}")
                continue
            yield found


class Through(Series[T]):
    """Items made of those of another series, as these come."""

    __slots__ = ("_inner", "_of")

    def __init__(self, inner: Series[object], make: Callable[[object], T]) -> None:
        super().__init__(0, lambda place: make(inner[place]))
        self._inner, self._of = inner, make

    def __len__(self) -> int:
        return len(self._inner)

    def __getitem__(self, place: Any) -> Any:
        return self._of(self._inner[place])

    def __iter__(self) -> Iterator[T]:
        return map(self._of, self._inner)

    @property
    def inner(self) -> Series[Any]:
        """The other series."""
        return self._inner

    def many(self) -> int:
        """As many as of the other series; of one whose items tell nothing of that, those of its own."""
        return super().many() if isinstance(self._inner, Fixed) else self._inner.many()

    def sifted(self, predicate: Predicate, tally: Tally | None = None) -> Series[T] | None:
        """The same, made of those of the other series."""
        found = self._inner.sifted(predicate, tally)
        return None if found is None else Through(found, self._of)
