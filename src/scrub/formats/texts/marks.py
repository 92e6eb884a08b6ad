"""What lies over words of a paragraph, such as a new comment: it is written in front of them and behind."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from typing import cast

from scrub.model.text import MARKS, Looks, Stretches


class Mark:
    """Something over some words, as it is written in front of the first of them and behind the last."""

    __slots__ = ("closing", "is_written", "name", "opening")

    def __init__(self, name: str, opening: str, closing: str) -> None:
        """`name` tells it from others of its sort."""
        self.name, self.opening, self.closing = name, opening, closing
        self.is_written = False  # whether any of its words are still there


def are_marked(stretches: Stretches) -> bool:
    """Whether anything lies over its words."""
    return any(each.looks and marks_of(each.looks) for each in stretches.parts)


def marks_of(looks: Looks) -> Sequence[Mark]:
    """What lies over words of these looks."""
    return cast("Sequence[Mark]", next((value for word, value in looks if word == MARKS), ()))


def bare(looks: Looks) -> Looks:
    """The looks alone."""
    return tuple(each for each in looks if each[0] != MARKS)


def around(every: Iterable[Looks]) -> Iterator[tuple[str, str]]:
    """What is written in front of each of some pieces of text, which come in their order, and behind it."""
    marks = [marks_of(looks) for looks in every]
    first: dict[Mark, int] = {}
    last: dict[Mark, int] = {}
    for number, some in enumerate(marks):
        for mark in some:
            first.setdefault(mark, number)
            last[mark] = number
            mark.is_written = True
    for number, some in enumerate(marks):
        opening = "".join(mark.opening for mark in some if first[mark] == number)
        yield opening, "".join(mark.closing for mark in reversed(some) if last[mark] == number)
