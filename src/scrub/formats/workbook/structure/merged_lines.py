"""Rows and columns that go, come or move where ranges are merged."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator

from scrub.formats.line_changes import LineChanges
from scrub.formats.overlay import key_of, place_of
from scrub.formats.workbook.cells.overlay import SheetOverlay
from scrub.formats.workbook.cells.sheet_data import Stored
from scrub.model.cells.grid import Grid
from scrub.model.core.area import Area
from scrub.model.core.change import Undo
from scrub.model.core.problem import Failure


def ensure_whole(sheet: Grid, lines: LineChanges, is_row: bool) -> None:
    """Raises `Failure` where lines were moved out of a merged range, or into one before its first."""
    arranged = lines.of(is_row)
    shift = arranged.shift()
    for area in sheet.merged():
        first, last = (area.top, area.bottom) if is_row else (area.left, area.right)
        span = shift.span(first, last) if first < last else None
        if span is None:
            continue
        if span[1] - span[0] < last - first or shift.place(first) != span[0]:
            raise Failure(f"{sheet.name} {area} is merged and would be split. Unmerge it first: unmerge")
        for line in arranged.moved_into(first, last) if span[1] - span[0] > last - first else ():
            _ensure_nothing_hidden(sheet, area, line, is_row)


def _ensure_nothing_hidden(sheet: Grid, area: Area, line: int, is_row: bool) -> None:
    """Raises `Failure` where a line comes into a merged range with a value or a merged range of its own."""
    across = Area(line, area.left, line, area.right) if is_row else Area(area.top, line, area.bottom, line)
    other = next((each for each in sheet.merged() if each != area and each.meets(across)), None)
    if other is not None:
        raise Failure(f"{sheet.name} {other} would overlap the merged range {area}. Unmerge one of them first")
    for row in range(across.top, across.bottom + 1):
        for column in range(across.left, across.right + 1):
            if sheet.raw_value(row, column) is not None:
                raise Failure(
                    f"{sheet.where(row, column)} would be hidden inside the merged range {area}. Unmerge it first, or "
                    "empty the cell"
                )


def hidden_starts(
    merged: Iterable[Area],
    lines: LineChanges,
    shown_cell: Callable[[Area], tuple[int, int]],
    line: int,
    is_row: bool,
) -> Iterator[tuple[tuple[int, int], tuple[int, int]]]:
    """For each merged range that begins at a line that goes: the cell that it shows, and the one that it shows then."""
    for area in merged:
        if not (area.top <= line <= area.bottom if is_row else area.left <= line <= area.right):
            continue
        row, column = shown_cell(area)
        following = lines.of(is_row).first_kept(line + 1, area.bottom if is_row else area.right)
        if (row if is_row else column) == line and following:
            yield (row, column), ((following, column) if is_row else (row, following))


def like_line(overlay: SheetOverlay, stored: Stored, fresh: int, line: int, is_row: bool) -> Undo:
    """Gives the cells of a new line the formats of those of another one; returns how to undo it."""
    found: dict[int, int] = {}
    index = stored.index(line) if is_row else 0
    for cell in (stored.cells(index) if index >= 0 else ()) if is_row else stored.column(line):
        found[cell.column if is_row else cell.row] = cell.style
    for key, style in overlay.styles.items():
        row, column = place_of(key)
        if (row if is_row else column) == line:
            found[column if is_row else row] = style
    keys = {
        (key_of(fresh, other) if is_row else key_of(other, fresh)): style for other, style in found.items() if style
    }
    overlay.styles.update(keys)

    def revert() -> None:
        for key in keys:
            overlay.styles.pop(key, None)

    return revert
