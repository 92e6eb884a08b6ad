"""What composite actions ask of the items they act on."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from typing import Protocol

from scrub.model.area import Area
from scrub.model.declare import FileItem
from scrub.model.grid import Grid, settle
from scrub.model.progress import over
from scrub.model.values import Value

#: The kinds that hold cells.
CELL_KINDS = ("cell", "cells", "selection", "row", "column", "merged-range", "record", "table", "sheet", "workbook")


class HoldsCells(Protocol):
    """An item that is made of cells, or holds some."""

    @property
    def file(self) -> FileItem:
        """The file it belongs to."""

    def areas(self) -> Iterable[tuple[Grid, Area]]:
        """Its ranges, with the sheet of each."""


def used_columns(item: HoldsCells) -> Iterator[tuple[Grid, int, list[tuple[int, Value]]]]:
    """The columns of an item as far as they are used: the sheet, the column, and its rows with their values."""
    for sheet, area in over(list(item.areas()), lambda each: each[0].name):
        used = sheet.used()
        if used is None:
            continue
        area = area.within(used)
        for column in over(range(area.left, area.right + 1)):
            values = sheet.column_values(column).items()
            yield sheet, column, [(row, settle(value)) for row, value in values if area.top <= row <= area.bottom]
