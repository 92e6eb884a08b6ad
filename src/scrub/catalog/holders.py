"""What composite actions ask of the items they act on."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Protocol

from scrub.model.area import Area
from scrub.model.declare import FileItem
from scrub.model.grid import Grid

#: The kinds that hold cells.
CELL_KINDS = ("cell", "cells", "selection", "row", "column", "merged-range", "record", "table", "sheet", "workbook")


class HoldsCells(Protocol):
    """An item that is made of cells, or holds some."""

    @property
    def file(self) -> FileItem:
        """The file it belongs to."""

    def areas(self) -> Iterable[tuple[Grid, Area]]:
        """Its ranges, with the sheet of each."""
