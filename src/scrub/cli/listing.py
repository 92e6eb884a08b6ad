"""Changes as a person reads them: by place, cells in reading order, many of a column in one line."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence

from scrub import Area, Change, letters_of
from scrub.cli.output import SHOWN, columns, more, width

_DATE = re.compile(r"\d{4}-\d{2}-\d{2}")
_PARAGRAPH = re.compile(r"paragraph (\d+)")
Headings = Mapping[str, Mapping[str, str]]


def change_lines(
    changes: Sequence[Change], limit: int | None = SHOWN, headings: Headings | None = None, whole: int | None = None
) -> list[str]:
    """Changes by their place. A place with more than ten has a line for each column; `limit` None shows each change.

    `whole` is how many lines there may be in all.
    """
    rows: list[tuple[str, str]] = []
    unread = 0  # lines that are counted and not made, as nobody will see them
    for place, every in by_place(changes).items():
        if whole is not None and len(rows) > whole + 1 and len(every) == 1:
            unread += 1
        else:
            rows += _rows(place, every, limit, (headings or {}).get(place, {}))
    if whole is not None and len(rows) > whole + 1:
        return [*columns(rows[:whole]), more(len(rows) - whole + unread)]
    return columns(rows)


def change_rows(changes: Sequence[Change], limit: int, headings: Headings) -> list[tuple[str, str]]:
    """The same as pairs of a place and what was changed there."""
    result = []
    for place, every in by_place(changes).items():
        texts = together(every) if len(every) <= 200 else []
        if not texts or len(texts) > limit:
            texts = _in_columns(every, headings.get(place, {}))
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


def _rows(place: str, changes: list[Change], limit: int | None, headings: Mapping[str, str]) -> list[tuple[str, str]]:
    """The lines of one place: one where that is enough, else a line a change, or a line a column."""
    texts = together(changes[:200] if limit is not None else changes)
    joined = ", ".join(texts)
    if len(changes) <= 200 and (len(texts) == 1 or (limit is not None and len(joined) + len(place) + 4 <= width())):
        return [(place, joined)]
    if limit is not None and (len(texts) > limit or len(changes) > 200):
        texts = _in_columns(changes, headings)
    return [(place if number == 0 else "", text) for number, text in enumerate(texts)]


def _in_columns(changes: list[Change], headings: Mapping[str, str]) -> list[str]:
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
    for rest, area in blocks:
        above = next((at for at, (r, other) in enumerate(result) if r == rest and _is_below(area, other)), -1)
        other = result[above][1] if above >= 0 else None
        if area is not None and other is not None:
            result[above] = (rest, other._replace(bottom=area.bottom))
        else:
            result.append((rest, area))
    return result


def _is_below(area: Area | None, other: Area | None) -> bool:
    if area is None or other is None:
        return False
    return (other.left, other.right, other.bottom) == (area.left, area.right, area.top - 1)
