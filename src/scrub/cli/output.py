"""How things are printed: plain lines, one accent colour, long lists cut."""

from __future__ import annotations

import json
import os
import re
from collections.abc import Iterable, Sequence
from typing import Any

import click

from scrub import Change, counted

#: Lines of a list before it is cut.
SHOWN = 10
#: Changes of one place that are looked at to fill a line.
_ENOUGH = 400


def accent(text: str) -> str:
    """The text in the accent colour, where the output is a terminal that wants it."""
    return text if os.environ.get("NO_COLOR") else click.style(text, fg="cyan")


def width() -> int:
    """The columns of the terminal."""
    try:
        found = int(os.environ.get("COLUMNS", "")) or os.get_terminal_size().columns
    except (ValueError, OSError):
        found = 100
    return max(60, min(120, found))


def print_json(value: Any) -> None:
    """Prints a value as JSON."""
    click.echo(json.dumps(value, ensure_ascii=False, indent=2))


def columns(rows: Sequence[Sequence[str]], indent: str = "  ") -> list[str]:
    """Rows as lines with their columns in line; the last column is cut at the edge of the terminal."""
    if not rows:
        return []
    widths = [min(48, max(len(row[index]) for row in rows)) for index in range(len(rows[0]) - 1)]
    lines = []
    for row in rows:
        line = indent + "".join(f"{cell:<{size}}  " for cell, size in zip(row, widths, strict=False))
        room = width() - len(line)
        last = row[-1] if len(row[-1]) <= room or room < 12 else row[-1][: room - 3].rstrip() + "..."
        lines.append((line + last).rstrip())
    return lines


def change_lines(changes: Sequence[Change], limit: int | None = SHOWN) -> list[str]:
    """Changes by their place, those of one place on one line; cut after `limit` lines."""
    by_place: dict[str, list[Change]] = {}
    for change in changes:
        by_place.setdefault(change.place, []).append(change)
    # A line shows no more than fits, so that of a thousand changes in one place the first ones are enough.
    share = None if limit is None else max(1, limit // max(1, len(by_place)))
    lines = columns([row for place, every in by_place.items() for row in _rows(place, every, share)])
    if limit is not None and len(lines) > limit + 1:
        return [*lines[:limit], f"  ... {len(lines) - limit} more (--all)"]
    return lines


_CELL = re.compile(r"([A-Z]{1,3})([1-9]\d*)\b(.*)", re.DOTALL)


def _rows(place: str, changes: list[Change], share: int | None) -> list[tuple[str, str]]:
    """The lines of one place: one where that is enough or no more is given, else a line a change."""
    texts = together(changes if share is None else changes[:_ENOUGH])
    joined = ", ".join(texts)
    if share == 1 or len(texts) == 1 or len(joined) + len(place) + 4 <= width():
        return [(place, joined)]
    shown = texts if share is None or len(texts) <= share + 1 else texts[:share]
    rows = [(place if number == 0 else "", text) for number, text in enumerate(shown)]
    left = len(texts) - len(shown)
    more = "more than " if len(changes) > _ENOUGH and share is not None else ""
    return [*rows, ("", f"... {more}{left} more (--all)")] if left else rows


def _following(letters: str) -> str:
    """The letters of the next column."""
    whole = letters.rstrip("Z")
    tail = "A" * (len(letters) - len(whole))
    return whole[:-1] + chr(ord(whole[-1]) + 1) + tail if whole else "A" + tail


def together(changes: Sequence[Change]) -> list[str]:
    """Changes of one place as texts; the same change of cells below or beside each other is told as one of a range."""
    blocks: list[tuple[str, tuple[str, int, str, int]]] = []  # what follows the address, and its corners
    for text in map(str, changes):
        found = _CELL.fullmatch(text)
        if found is None:
            blocks.append((text, ("", 0, "", 0)))
            continue
        column, row, rest = found[1], int(found[2]), found[3]
        if blocks and blocks[-1][0] == rest:
            first, top, last, bottom = blocks[-1][1]
            if first == last == column and row == bottom + 1:
                blocks[-1] = (rest, (first, top, last, row))
                continue
            if top == bottom == row and _following(last) == column:
                blocks[-1] = (rest, (first, top, column, row))
                continue
        blocks.append((rest, (column, row, column, row)))
    return [
        rest
        if not top
        else f"{first}{top}{rest}"
        if (first, top) == (last, bottom)
        else f"{first}{top}:{last}{bottom}{rest}"
        for rest, (first, top, last, bottom) in blocks
    ]


def short_path(path: str) -> str:
    """A path as a person in the current folder writes it."""
    inside = os.path.realpath(os.getcwd()) + os.sep
    return path[len(inside) :] if path.startswith(inside) else path


def change_count(changes: Iterable[Change], part: str) -> str:
    """`9 changes on 8 sheets`."""
    every = list(changes)
    return f"{counted(len(every), 'change')} on {counted(len({change.place for change in every}), part)}"
