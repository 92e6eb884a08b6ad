"""Which sheet and which row of a workbook is which in the other one."""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence
from typing import NamedTuple

from scrub.by_example.seen import SeenBook, SeenSheet
from scrub.by_example.values import literal


class Pair(NamedTuple):
    """A sheet before and after, and which row is which: the rows that are there in both, and those that are gone."""

    one: SeenSheet
    other: SeenSheet
    rows: list[tuple[int, int]]
    gone: list[int]
    moved: bool


def pairs_of(one: SeenBook, other: SeenBook) -> tuple[list[Pair], list[str]]:
    """The sheets that are in both, by name and then by place; and what is told of the others."""
    by_name = {sheet.name: sheet for sheet in other.sheets}
    left = [sheet for sheet in one.sheets if sheet.name not in by_name]
    fresh = [sheet for sheet in other.sheets if sheet.name not in {each.name for each in one.sheets}]
    renamed = dict(zip((sheet.name for sheet in left), fresh, strict=True)) if len(left) == len(fresh) else {}
    notes = []
    if not renamed:
        notes += [f'The second file has a sheet "{sheet.name}" that the first one lacks.' for sheet in fresh]
        notes += [f'The sheet "{sheet.name}" is gone in the second file.' for sheet in left]
    found = []
    for sheet in one.sheets:
        match = by_name.get(sheet.name) or renamed.get(sheet.name)
        if match is not None:
            found.append(_paired(sheet, match))
    return found, notes


def _paired(one: SeenSheet, other: SeenSheet) -> Pair:
    """Which row is which: in place, or a part of them, or in another order."""
    before, after = one.rows, other.rows
    common = [written for written in one.headings if written in other.headings]
    if one.heading_row is None or not common:
        return Pair(one, other, [(row, row) for row in before], [], False)
    if len(before) == len(after):
        in_place = list(zip(before, after, strict=True))
        if not all(_equal(one, other, a, b, common) for a, b in in_place):
            moved = _by_contents(one, other, before, after, common)
            if moved is not None and [b for _, b in moved] != after:
                return Pair(one, other, moved, [], True)
        return Pair(one, other, in_place, [], False)
    if len(after) < len(before):
        steady = _steady(one, other, before, after, common)
        matched = _by_contents(one, other, before, after, steady) if steady else None
        if matched is not None:
            kept = {a for a, _ in matched}
            places = [b for _, b in matched]
            return Pair(one, other, matched, [row for row in before if row not in kept], places != sorted(places))
    return Pair(one, other, list(zip(before, after, strict=False)), [], False)


def key_of(sheet: SeenSheet, row: int, written: Sequence[str]) -> tuple[str, ...]:
    """What is under some headings in a row, by which rows are compared."""
    return tuple(plain_text(sheet.value(row, sheet.headings[each])) for each in written)


def plain_text(value: object) -> str:
    """A value as a text, by which values are counted."""
    return "" if value is None else str(literal(value) or value)


def _equal(one: SeenSheet, other: SeenSheet, a: int, b: int, common: Sequence[str]) -> bool:
    left, right = one.record(a), other.record(b)
    return all(
        (before := left[each]) == (after := right[each]) or plain_text(before) == plain_text(after) for each in common
    )


def _steady(one: SeenSheet, other: SeenSheet, before: list[int], after: list[int], common: list[str]) -> list[str]:
    """The columns whose values after all come from before."""
    found = []
    for written in common:
        had = Counter(key_of(one, row, [written]) for row in before)
        has = Counter(key_of(other, row, [written]) for row in after)
        if not has - had:
            found.append(written)
    return found


def _by_contents(
    one: SeenSheet, other: SeenSheet, before: list[int], after: list[int], written: Sequence[str]
) -> list[tuple[int, int]] | None:
    """Each row after with its row before, by what is in these columns; None where one has no such row."""
    places: dict[tuple[str, ...], list[int]] = {}
    for row in before:
        places.setdefault(key_of(one, row, written), []).append(row)
    found = []
    for row in after:
        rows = places.get(key_of(other, row, written))
        if not rows:
            return None
        found.append((rows.pop(0), row))
    return sorted(found)
