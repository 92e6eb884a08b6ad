"""How far a long piece of work has come, told to whoever looks; without anybody it costs nothing."""

from __future__ import annotations

import time
from collections.abc import Callable, Iterator, Sequence
from contextlib import contextmanager
from contextvars import ContextVar
from typing import TypeVar

T = TypeVar("T")

#: Seconds between two tellings.
_PAUSE = 0.1
#: Levels of work inside work that are counted; what is deeper is too small to see.
_DEEPEST = 3
#: Above that many pieces, not every one looks at the clock.
_MANY = 500


class Meter:
    """Adds up the shares of pieces inside pieces. `tell` is given a label and the share done, from 0 to 1."""

    def __init__(self, tell: Callable[[str, float], None]) -> None:
        self._tell = tell
        self._levels: list[list[float]] = []  # of each level: pieces done, pieces in all
        self._labels: list[str] = []
        self._last = 0.0

    def over(self, pieces: Sequence[T], label: Callable[[T], str] | None = None) -> Iterator[T]:
        """Goes through pieces, counting them."""
        if len(self._levels) >= _DEEPEST or not pieces:
            yield from pieces
            return
        level = [0.0, float(len(pieces))]
        self._levels.append(level)
        self._labels.append("")
        often = len(pieces) < _MANY
        try:
            for number, piece in enumerate(pieces):
                if often or not number & 0xFF:
                    level[0] = number
                    self._labels[-1] = label(piece) if label else ""
                    self._look()
                yield piece
        finally:
            self._levels.pop()
            self._labels.pop()

    def _look(self) -> None:
        now = time.monotonic()
        if now - self._last < _PAUSE:
            return
        self._last = now
        share, width = 0.0, 1.0
        for done, total in self._levels:
            share += width * done / total
            width /= total
        self._tell(next((label for label in reversed(self._labels) if label), ""), share)


_METER: ContextVar[Meter | None] = ContextVar("meter", default=None)


def over(pieces: Sequence[T], label: Callable[[T], str] | None = None) -> Sequence[T] | Iterator[T]:
    """The pieces, counted where somebody looks."""
    meter = _METER.get()
    return pieces if meter is None else meter.over(pieces, label)


@contextmanager
def watched(tell: Callable[[str, float], None] | None) -> Iterator[None]:
    """Lets `tell` hear of the work inside the block; None for nobody."""
    token = _METER.set(Meter(tell) if tell is not None else None)
    try:
        yield
    finally:
        _METER.reset(token)
