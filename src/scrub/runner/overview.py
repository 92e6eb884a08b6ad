"""What a run did to one file in short: its changes by place, many of a column in one line, and how many there are of
each field. It is made where the file was worked on, so that of ten thousand files nobody has to look at each change.
"""

from __future__ import annotations

import os
import re
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from functools import cached_property, partial
from typing import overload

from scrub.model.core.area import Area, letters_of
from scrub.model.core.change import Change
from scrub.model.core.changes import ChangeBlock, ChangeColumn, Changes
from scrub.model.core.named import NamedTuple

_DATE = re.compile(r"\d{4}-\d{2}-\d{2}")
_PARAGRAPH = re.compile(r"paragraph (\d+)")
Headings = Mapping[str, Mapping[str, str]]
#: Lines that are told of one place before its columns are, and rows of one file that are held against other files.
_SHOWN, _ROWS = 10, 200
#: Changes of one place above which nobody reads each of them.
_FEW = 200


class Field(NamedTuple):
    """The changes of one field: how many there are, and the first, with its place before it."""

    name: str
    times: int
    first: str


class Overview(NamedTuple):
    """What many files are compared by: rows of what was changed and where, the fields, and the number of places."""

    rows: tuple[tuple[str, str], ...] = ()
    fields: tuple[Field, ...] = ()
    places: int = 0


def overview_of(path: str, changes: Sequence[Change], places: Iterable[str], headings: Headings) -> Overview:
    """The overview of one file; what was changed of the file itself is on none of its places."""
    name = os.path.basename(path)
    rows = [(text, "" if place == name else place) for place, text in change_rows(changes, _SHOWN, headings)]
    counts, first = _by_field(changes)
    fields = [
        Field(word, counts[word], (f"{each.place}: " if each.place != name else "") + str(each))
        for word, each in first.items()
    ]
    return Overview(tuple(rows[:_ROWS]), tuple(fields), len(set(places) - {name}))


def _by_field(changes: Sequence[Change]) -> tuple[dict[str, int], dict[str, Change]]:
    """How many changes of each field there are, and the first of each."""
    counts: dict[str, int] = {}
    first: dict[str, Change] = {}
    for part in changes.parts if isinstance(changes, Changes) else (changes,):
        columns = part.columns if isinstance(part, ChangeBlock) else ()
        for field, many, one in (
            (("other changes" if column.said else column.field, len(column), column[0]) for column in columns if column)
            if columns
            else ((change.field if change.field and not change.said else "other changes", 1, change) for change in part)
        ):
            counts[field] = counts.get(field, 0) + many
            first.setdefault(field, one)
    return counts, first


def change_rows(changes: Sequence[Change], limit: int, headings: Headings) -> list[tuple[str, str]]:
    """The same as pairs of a place and what was changed there."""
    result = []
    for place, every in by_place(changes).items():
        texts = together(every) if len(every) <= 200 else []
        if not texts or len(texts) > limit:
            texts = in_columns(every, headings.get(place, {}))
        result += [(place, text) for text in texts]
    return result


class ManyOfFields(Sequence[Change]):
    """The changes of one place, of which each column knows how many it has: nobody looks at each of them."""

    def __init__(self, columns: Sequence[ChangeColumn], every: Callable[[], Iterable[Change]]) -> None:
        """`every` gives them in the order in which they were made."""
        self.columns, self._every = columns, every

    def __len__(self) -> int:
        return sum(map(len, self.columns))

    @cached_property
    def _in_order(self) -> list[Change]:
        return sorted(self._every(), key=_reading_order)

    @overload
    def __getitem__(self, place: int) -> Change: ...
    @overload
    def __getitem__(self, place: slice) -> list[Change]: ...
    def __getitem__(self, place: int | slice) -> Change | list[Change]:
        return self._in_order[place]

    def __iter__(self) -> Iterator[Change]:
        return iter(self._in_order)


def by_place(changes: Sequence[Change]) -> dict[str, Sequence[Change]]:
    """The changes of each place; its cells in reading order, and so paragraphs, which are called by number."""
    found: dict[str, list[Change]] = {}
    many = _many_of_fields(changes) if isinstance(changes, Changes) else {}
    for part in changes.parts if isinstance(changes, Changes) else (changes,):
        if isinstance(part, ChangeBlock) and all(column.place in many for column in part.columns):
            for column in part.columns:
                found.setdefault(column.place, [])
            continue
        for change in part:
            if change.place not in many:
                found.setdefault(change.place, []).append(change)
    numbered = {place: int(at[1]) for place in found if (at := _PARAGRAPH.fullmatch(place))}
    places = sorted(found, key=lambda place: numbered.get(place, 0))
    return {
        place: many.get(place) or (sorted(found[place], key=_reading_order) if len(found[place]) > 1 else found[place])
        for place in places
    }


def _many_of_fields(changes: Changes) -> dict[str, ManyOfFields]:
    """The places with many changes of which all are in columns, each field in one."""
    found: dict[str, list[tuple[ChangeColumn, ChangeBlock]]] = {}
    others: set[str] = set()
    for part in changes.parts:
        if isinstance(part, ChangeBlock):
            for column in part.columns:
                found.setdefault(column.place, []).append((column, part))
        else:
            others.update(change.place for change in part)
    return {
        place: ManyOfFields([column for column, _ in every], partial(_of_place, place, [part for _, part in every]))
        for place, every in found.items()
        if place not in others
        and sum(len(column) for column, _ in every) > _FEW
        and len({column.field for column, _ in every}) == len(every)
    }


def _of_place(place: str, parts: Sequence[ChangeBlock]) -> Iterator[Change]:
    return (change for part in dict.fromkeys(parts) for change in part if change.place == place)


def _reading_order(change: Change) -> tuple[int, ...]:
    """Cells by row and column; what is not a cell stays before."""
    cell = change.cell
    return cell[:2] if cell else (0, 0)


def in_columns(changes: Sequence[Change], headings: Mapping[str, str]) -> list[str]:
    """A line for each column and what was done in it; what is not a cell has a line of its own, as long as it is one
    of a few hundred.
    """
    told: list[tuple[int, str, str]] = []
    if isinstance(changes, ManyOfFields):
        for whole in changes.columns:
            if not whole.said:
                told += [_of_column(number, some, headings) for number, some in whole.by_column().items()]
        said = (text for whole in changes.columns for text in whole.said)
        return [*said, *(text for *_, text in sorted(told, key=lambda each: each[:2]))]
    groups: dict[tuple[int, str], list[Change]] = {}
    fields: dict[str, list[Change]] = {}
    others: list[str] = []
    many = len(changes) > _FEW
    for change in changes:
        cell = change.cell
        if cell is None and many and not change.said:
            fields.setdefault(change.field, []).append(change)
        elif cell is None:
            others.append(str(change))
        else:
            groups.setdefault((cell.left, change.of_cell), []).append(change)
    for (column, rest), every in sorted(groups.items()):
        told.append((column, rest, f"{_heading(column, headings)}: {_done(rest, every[0], *_sides(every))}"))
    by_field = (f"{field}: {_done('', every[0], *_sides(every), 'values')}" for field, every in fields.items())
    return [*others, *by_field, *(text for *_, text in told)]


def _of_column(number: int, column: ChangeColumn, headings: Mapping[str, str]) -> tuple[int, str, str]:
    """What was done in a column of a sheet, with what it is sorted by, or in a field of anything else."""
    if not number:
        return 0, "", f"{column.field}: {_done('', column.first, *column.sides, 'values')}"
    return number, "", f"{_heading(number, headings)}: {_done('', column.first, *column.sides)}"


def _heading(column: int, headings: Mapping[str, str]) -> str:
    letters = letters_of(column)
    return headings.get(letters) or f"column {letters}"


def _sides(changes: Sequence[Change]) -> tuple[list[str], list[str]]:
    pairs = [change.sides for change in changes]
    return [before for before, _ in pairs], [after for _, after in pairs]


def _done(rest: str, first: Change, before: Sequence[str], after: Sequence[str], cells: str = "cells") -> str:
    """What was done with the cells of one column, of which the first change is given, and the two sides of each."""
    if len(before) == 1:
        return str(first)
    count = f"{len(before):,}"
    if rest:
        unlike = set(after)
        return f"{count} cells, {rest}: {unlike.pop() if len(unlike) == 1 else 'changed'}"
    if set(before) == _NOTHING:
        return f"{count} empty {cells} filled"
    if set(after) == _NOTHING:
        return f"{count} {cells} emptied"
    if not all(each.startswith('"') for each in before):
        return f"{count} {cells} changed, such as {first}"
    if all(each.startswith('"') for each in after):
        for words, change in _OF_TEXTS:
            if all(change(old[1:-1]) == new[1:-1] for old, new in zip(before, after, strict=True)):
                return f"{count} {cells} {words}"
        return f"{count} {cells} changed, such as {first}"
    if all(_DATE.match(each) for each in after):
        return f"{count} {cells} converted to dates"
    return (
        f"{count} {cells} changed" if any(each[0] == '"' for each in after) else f"{count} {cells} converted to numbers"
    )


_NOTHING = {"nothing"}
_OF_TEXTS = (
    ("in upper case", str.upper),
    ("in lower case", str.lower),
    ("trimmed", str.strip),
    ("with single spaces", lambda text: " ".join(text.split())),
)


def together(changes: Sequence[Change]) -> list[str]:
    """Changes of one place as texts; the same change of cells below or beside each other is told as one of a range."""
    blocks: list[tuple[str, Area | None]] = []  # what follows the address, and the range
    for change in changes:
        text, cell = str(change), change.cell
        if cell is None or change.said:
            blocks.append((text, None))
            continue
        rest = text.removeprefix(str(cell))
        at = next((at for at in range(len(blocks) - 1, max(-1, len(blocks) - 30), -1) if blocks[at][0] == rest), -1)
        area = blocks[at][1] if at >= 0 else None
        if area is not None and area.left == area.right == cell.left and cell.top == area.bottom + 1:
            blocks[at] = (rest, area._replace(bottom=cell.top))
        elif area is not None and area.top == area.bottom == cell.top and area.right + 1 == cell.left:
            blocks[at] = (rest, area._replace(right=cell.left))
        else:
            blocks.append((rest, cell))
    return [rest if area is None else f"{area}{rest}" for rest, area in _squared(blocks)]


def _squared(blocks: list[tuple[str, Area | None]]) -> list[tuple[str, Area | None]]:
    """Rows of equal changes that are below each other as one range."""
    result: list[tuple[str, Area | None]] = []
    below: dict[tuple[str, int, int, int], int] = {}  # what goes on below a range: its number
    for rest, area in blocks:
        if area is None:
            result.append((rest, area))
            continue
        above = below.pop((rest, area.left, area.right, area.top), None)
        if above is None:
            above = len(result)
            result.append((rest, area))
        else:
            other = result[above][1]
            assert other is not None
            result[above] = (rest, other._replace(bottom=area.bottom))
        below[rest, area.left, area.right, area.bottom + 1] = above
    return result
