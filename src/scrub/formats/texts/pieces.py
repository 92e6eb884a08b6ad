"""The pieces of a part that the characters of a paragraph are in, found by the place of a character."""

from __future__ import annotations

from bisect import bisect_right
from collections.abc import Iterator, Sequence
from typing import Protocol


class TextPiece(Protocol):
    """What some characters are in."""

    @property
    def start(self) -> int:
        """Its first character in the paragraph."""

    @property
    def text(self) -> str:
        """Its characters."""


class Pieces:
    """The pieces of one paragraph, in order."""

    def __init__(self, every: Sequence[TextPiece]) -> None:
        self._every = every
        self._starts = [piece.start for piece in every]

    def at(self, place: int) -> int:
        """The number of the piece with a character; of a place past the end, or before the start, the last one."""
        return bisect_right(self._starts, place) - 1 if place >= 0 else len(self._every) - 1

    def within(self, start: int, end: int) -> Iterator[tuple[int, str]]:
        """The pieces that a range of characters is in, each with its part of the text."""
        number, count = self.at(start), len(self._every)
        while start < end and number < count:
            piece = self._every[number]
            last = min(end, piece.start + len(piece.text))
            yield number, piece.text[start - piece.start : last - piece.start]
            start = last
            number += 1
