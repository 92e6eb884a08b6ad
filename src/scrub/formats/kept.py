"""What a file says, and what it is to say: whether the two differ decides what is written."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from copy import copy
from functools import partial
from typing import Generic, TypeVar

from scrub.model.core.change import Undo

T = TypeVar("T")
K = TypeVar("K")


class LazyPiece(Generic[T]):
    """A piece of a file, read when first asked for. Something changed there and back counts as unchanged."""

    __slots__ = ("_first", "_meaning", "_now", "_read", "known")

    def __init__(self, read: Callable[[], T], meaning: Callable[[T], object] | None = None) -> None:
        """`meaning` gives what is compared, where two values can differ and say the same."""
        self._read = read
        self._meaning = meaning
        self.known = False

    @property
    def now(self) -> T:
        """The former value until it is set."""
        if not self.known:
            self._load()
        return self._now

    def _load(self) -> None:
        self._now = self._read()
        self._first = copy(self._now)
        self.known = True

    @property
    def first(self) -> T:
        """What the file says."""
        if not self.known:
            self._load()
        return self._first

    def put(self, value: T) -> Undo:
        """Changes it; returns how to undo it."""
        former = self.now
        self._now = value
        return partial(setattr, self, "_now", former)

    @property
    def touched(self) -> bool:
        """Whether it must be written."""
        if not self.known:
            return False
        meaning = self._meaning
        return bool(self._now != self._first if meaning is None else meaning(self._now) != meaning(self._first))


def all_back(backs: Sequence[Callable[[], None]]) -> Undo:
    """What takes several things back, the last one first."""

    def revert() -> None:
        for each in reversed(backs):
            each()

    return revert


def put_in(held: dict[K, T], key: K, value: T) -> Undo:
    """Sets a value by its key; returns how to undo it."""
    former = {key: held[key]} if key in held else {}
    held[key] = value

    def revert() -> None:
        held.pop(key, None)
        held.update(former)

    return revert
