"""How things are printed: plain lines, one accent colour, long lists cut."""

from __future__ import annotations

import json
import os
from collections.abc import Iterable, Sequence
from typing import Any

import click

from scrub import Change, counted

#: Lines of a list before it is cut.
SHOWN = 10


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
    # A line shows no more than fits, so that of a thousand changes in one place the first few are enough.
    lines = columns([(place, ", ".join(str(each) for each in every[:SHOWN])) for place, every in by_place.items()])
    if limit is not None and len(lines) > limit + 1:
        return [*lines[:limit], f"  ... {len(lines) - limit} more (--all)"]
    return lines


def short_path(path: str) -> str:
    """A path as a person in the current folder writes it."""
    inside = os.path.realpath(os.getcwd()) + os.sep
    return path[len(inside) :] if path.startswith(inside) else path


def change_count(changes: Iterable[Change], part: str) -> str:
    """`9 changes on 8 sheets`."""
    every = list(changes)
    return f"{counted(len(every), 'change')} on {counted(len({change.place for change in every}), part)}"
