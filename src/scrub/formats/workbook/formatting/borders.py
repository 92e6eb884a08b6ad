"""The lines at the edges of a cell (ISO/IEC 29500-1, 18.8.4)."""

from __future__ import annotations

import re

from scrub.formats.workbook.elements import attributes_inside, replaced
from scrub.model.cells.grid import EDGES, SEVERAL, Line

#: All four edges at once.
ALL = "borders"


def _of(word: str) -> tuple[str, ...]:
    return EDGES if word == ALL else (word,)


def line(border: bytes, word: str) -> Line | str | None:
    """The line at an edge, or at all of them; None for none, `SEVERAL` where they differ."""
    lines: set[Line | None] = set()
    for edge in _of(word):
        said = (attributes_inside(border, edge.removeprefix("border-")) or {}).get("style", "none")
        name = re.sub(r"(?<=[a-z])(?=[A-Z])", "-", said).lower()
        lines.add(None if name == "none" else Line(name) if name in list(Line) else Line.THIN)
    return lines.pop() if len(lines) == 1 else SEVERAL


def with_line(border: bytes, word: str, value: Line | None, prefix: str) -> bytes:
    """A border with other lines; None takes them away."""
    for edge in _of(word):
        name = f"{prefix}{edge.removeprefix('border-')}"
        style = re.sub(r"-([a-z])", lambda found: found[1].upper(), value or "")
        fresh = f'<{name} style="{style}"><{prefix}color auto="1"/></{name}>' if style else f"<{name}/>"
        border = replaced(border, edge.removeprefix("border-"), fresh.encode())
    return border
