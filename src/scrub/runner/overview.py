"""What a run did to one file in short: its changes by place, many of a column in one line, and how many there are of
each field. It is made where the file was worked on, so that of ten thousand files nobody has to look at each change.
"""

from __future__ import annotations

import os
import re
from collections.abc import Iterable, Mapping, Sequence

from scrub.model.core.area import Area, letters_of
from scrub.model.core.change import Change
from scrub.model.core.named import NamedTuple

_DATE = re.compile(r"\d{4}-\d{2}-\d{2}")
_PARAGRAPH = re.compile(r"paragraph (\d+)")
Headings = Mapping[str, Mapping[str, str]]
#: Lines that are told of one place before its columns are, and rows of one file that are held against other files.
_SHOWN, _ROWS = 10, 200


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
    counts: dict[str, int] = {}
    first: dict[str, Change] = {}
    for change in changes:
        word = change.field if change.field and not change.said else "other changes"
        counts[word] = counts.get(word, 0) + 1
        if word not in first:
            first[word] = change
    fields = [
        Field(word, counts[word], (f"{each.place}: " if each.place != name else "") + str(each))
        for word, each in first.items()
    ]
    return Overview(tuple(rows[:_ROWS]), tuple(fields), len(set(places) - {name}))


def change_rows(changes: Sequence[Change], limit: int, headings: Headings) -> list[tuple[str, str]]:
    """The same as pairs of a place and what was changed there."""
    result = []
    for place, every in by_place(changes).items():
        texts = together(every) if len(every) <= 200 else []
        if not texts or len(texts) > limit:
            texts = in_columns(every, headings.get(place, {}))
        result += [(place, text) for text in texts]
    return result


def by_place(changes: Sequence[Change]) -> dict[str, list[Change]]:
    """The changes of each place; its cells in reading order, and so paragraphs, which are called by number."""
    found: dict[str, list[Change]] = {}
    for change in changes:
        found.setdefault(change.place, []).append(change)
    numbered = {place: int(at[1]) for place in found if (at := _PARAGRAPH.fullmatch(place))}
    places = sorted(found, key=lambda place: numbered.get(place, 0))
    return {
        place: sorted(found[place], key=_reading_order) if len(found[place]) > 1 else found[place] for place in places
    }


def _reading_order(change: Change) -> tuple[int, ...]:
    """Cells by row and column; what is not a cell stays before."""
    cell = change.cell
    return cell[:2] if cell else (0, 0)


def in_columns(changes: Sequence[Change], headings: Mapping[str, str]) -> list[str]:
    """A line for each column and what was done in it; what is not a cell has a line of its own, as long as it is one
    of a few hundred.
    """
    groups: dict[tuple[int, str], list[Change]] = {}
    fields: dict[str, list[Change]] = {}
    others: list[str] = []
    many = len(changes) > 200
    for change in changes:
        cell = change.cell
        if cell is None and many and not change.said:
            fields.setdefault(change.field, []).append(change)
        elif cell is None:
            others.append(str(change))
        else:
            groups.setdefault((cell.left, change.of_cell), []).append(change)
    told = []
    for (column, rest), every in sorted(groups.items()):
        letters = letters_of(column)
        told.append(f"{headings.get(letters) or f'column {letters}'}: {_done(rest, every)}")
    return [*others, *(f"{field}: {_done('', every, 'values')}" for field, every in fields.items()), *told]


def _done(rest: str, changes: list[Change], cells: str = "cells") -> str:
    """What was done with the cells of one column."""
    if len(changes) == 1:
        return str(changes[0])
    count = f"{len(changes):,}"
    pairs = [change.sides for change in changes]
    if rest:
        after = {new for _, new in pairs}
        return f"{count} cells, {rest}: {after.pop() if len(after) == 1 else 'changed'}"
    old = [before[1:-1] if before.startswith('"') else None for before, _ in pairs]
    new = [after[1:-1] if after.startswith('"') else None for _, after in pairs]
    if all(before == "nothing" for before, _ in pairs):
        return f"{count} empty {cells} filled"
    if all(after == "nothing" for _, after in pairs):
        return f"{count} {cells} emptied"
    if None in old:
        return f"{count} {cells} changed, such as {changes[0]}"
    texts = [each or "" for each in old]
    if None not in new:
        for words, change in _OF_TEXTS:
            if [change(text) for text in texts] == new:
                return f"{count} {cells} {words}"
        return f"{count} {cells} changed, such as {changes[0]}"
    if all(_DATE.match(after) for _, after in pairs):
        return f"{count} {cells} converted to dates"
    return f"{count} {cells} converted to numbers" if not any(new) else f"{count} {cells} changed"


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
