"""What was moved."""

from __future__ import annotations

from bisect import bisect_left
from collections.abc import Sequence


def moved(order: Sequence[int]) -> list[int]:
    """The fewest places to move so that all are in ascending order: those outside a longest ascending part."""
    tails: list[int] = []  # the last place of the best ascending part of each length
    ends: list[int] = []
    before: dict[int, int] = {}
    for place, number in enumerate(order):
        length = bisect_left(ends, number)
        if length:
            before[place] = tails[length - 1]
        tails[length : length + 1] = [place]
        ends[length : length + 1] = [number]
    kept = set()
    place = tails[-1] if tails else -1
    while place >= 0:
        kept.add(order[place])
        place = before.get(place, -1)
    return [number for number in order if number not in kept]
