"""What composite actions on cells share."""

from __future__ import annotations

from collections.abc import Iterator

from scrub.model.cells.grid import Grid, HoldsCells, resolve
from scrub.model.core.progress import over
from scrub.model.core.values import Value


def used_columns(item: HoldsCells) -> Iterator[tuple[Grid, int, list[tuple[int, Value]]]]:
    """The columns of an item as far as they are used: the sheet, the column, and its rows with their values."""
    for sheet, area in over(list(item.areas()), lambda each: each[0].name):
        used = sheet.used()
        if used is None:
            continue
        area = area.within(used)
        for column in over(range(area.left, area.right + 1)):
            values = sheet.column_values(column).items()
            yield sheet, column, [(row, resolve(value)) for row, value in values if area.top <= row <= area.bottom]
