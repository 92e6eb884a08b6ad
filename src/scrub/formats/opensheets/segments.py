"""Rows or columns as they are written: each element is one line or several equal ones. Here they are split
where something happens, and put in another order.
"""

from __future__ import annotations

from bisect import bisect_left
from collections.abc import Iterable, Iterator, Sequence
from typing import Generic, TypeVar

from scrub.formats.shift import Shift
from scrub.model.core.named import NamedTuple

T = TypeVar("T")


class Segment(NamedTuple, Generic[T]):
    """Lines that are written as one element: the first, how many, and that element; None for new ones."""

    first: int
    count: int  # type: ignore[assignment]  # a tuple has a method of this name
    of: T


def split(segments: Iterable[Segment[T]], marks: Sequence[int]) -> Iterator[Segment[T]]:
    """The segments, none of them across a mark: a line at which something begins. Marks are in order."""
    for segment in segments:
        first, last = segment.first, segment.first + segment.count - 1
        for mark in marks[bisect_left(marks, first + 1) : bisect_left(marks, last + 1)]:
            yield Segment(first, mark - first, segment.of)
            first = mark
        yield Segment(first, last - first + 1, segment.of)


def marks_of(shift: Shift) -> set[int]:
    """The lines at which something happens when some go, come or move."""
    found: set[int] = set()
    for line in (*shift.gone, *(line for lines in shift.put.values() for line in lines if line <= shift.most)):
        found |= {line, line + 1}
    return found | set(shift.put)


def arranged(segments: Iterable[Segment[T]], shift: Shift, fresh: T) -> Iterator[Segment[T]]:
    """The segments in their new order, those that go left out; they are split at the marks already. `fresh` is
    the element of a new line.
    """
    if not shift:
        yield from segments
        return
    every = list(segments)
    by_line = {segment.first: segment.of for segment in every if segment.count == 1}
    moved = {line for lines in shift.put.values() for line in lines}
    waiting = dict(shift.put)
    for segment in every:
        for before in [line for line in waiting if line <= segment.first]:
            yield from _put(waiting.pop(before), by_line, fresh)
        if segment.count == 1 and (segment.first in shift.gone or segment.first in moved):
            continue
        yield segment
    for before in sorted(waiting):
        yield from _put(waiting[before], by_line, fresh)


def _put(lines: Sequence[int], by_line: dict[int, T], fresh: T) -> Iterator[Segment[T]]:
    for line in lines:
        yield Segment(line, 1, by_line.get(line, fresh))
