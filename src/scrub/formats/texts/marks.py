"""What is over words of a paragraph, such as a new comment: it is written before them and after."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from typing import cast

from scrub.model.core.text import MARKS, Looks, Stretches


class Mark:
    """Something over some words, as it is written before the first of them and after the last."""

    __slots__ = ("closing", "holds", "is_written", "name", "opening", "pieces")

    def __init__(self, name: str, opening: str, closing: str, holds: bool = False, pieces: bool = False) -> None:
        """`name` tells it from others of its sort; `contains` tells that it is an element with the words in it,
        `pieces` that it is one for each piece of them.
        """
        self.name, self.opening, self.closing, self.holds, self.pieces = name, opening, closing, holds, pieces
        self.is_written = False  # whether any of its words are still there


def are_marked(stretches: Stretches) -> bool:
    """Whether anything is over its words."""
    return any(part.looks and marks_of(part.looks) for part in stretches.parts)


def marks_of(looks: Looks) -> Sequence[Mark]:
    """What is over words of these looks."""
    return cast("Sequence[Mark]", next((value for word, value in looks if word == MARKS), ()))


def bare(looks: Looks) -> Looks:
    """The looks alone."""
    return tuple(look for look in looks if look[0] != MARKS)


def around(every: Iterable[Looks]) -> Iterator[tuple[str, str]]:
    """What is written before each of some pieces of text, which come in their order, and after it."""
    marks = [marks_of(looks) for looks in every]
    first: dict[Mark, int] = {}
    last: dict[Mark, int] = {}
    for number, some in enumerate(marks):
        for mark in some:
            first.setdefault(mark, number)
            last[mark] = number
            mark.is_written = True
    for number, some in enumerate(marks):
        inmost = sorted(some, key=lambda mark: mark.holds)  # what contains words is inside what marks them
        opening = "".join(mark.opening for mark in inmost if mark.pieces or first[mark] == number)
        closing = "".join(mark.closing for mark in reversed(inmost) if mark.pieces or last[mark] == number)
        yield opening, closing
