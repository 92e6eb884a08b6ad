"""What keeps a cell of a sheet from being changed: protection, merges, array formulas, headings of tables."""

from __future__ import annotations

from typing import TYPE_CHECKING

from scrub.formats.line_changes import LineChanges
from scrub.formats.workbook.cells.covered import Covered
from scrub.formats.workbook.cells.overlay import SheetOverlay
from scrub.formats.workbook.cells.stored_cells import StoredCells, placed
from scrub.formats.workbook.shared import Shared
from scrub.model.cells.grid import TablePlace
from scrub.model.core.area import Area
from scrub.model.core.problem import Failure

if TYPE_CHECKING:
    from scrub.formats.workbook.contracts import LockedCells


class CellLocks:
    """Tells which cells of a sheet can be changed."""

    def __init__(
        self, sheet: LockedCells, shared: Shared, overlay: SheetOverlay, stored: StoredCells, lines: LineChanges
    ) -> None:
        self._sheet = sheet
        self._shared = shared
        self._overlay = overlay
        self._stored = stored
        self._lines = lines
        self._covered: Covered | None = None  # the cells under merges; None when that must be looked up
        #: Whether all cells can be changed; None when that must be looked up.
        self.free: bool | None = None

    def is_free(self) -> bool:
        """Whether nothing on the sheet keeps a cell from being changed: asked once for many cells."""
        if self.free is None:
            if self._stored.part.skeleton().root.name != "worksheet":
                raise Failure(f'"{self._sheet.name}" is a chart sheet and has no cells')
            sheet = self._sheet
            self.free = not (sheet.protected or sheet.merged() or self._stored.arrays() or any(sheet.tables()))
        return self.free

    def ensure_open(self, row: int, column: int) -> None:
        """Raises `Failure` when a cell cannot be changed: it is locked, merged away, part of an array, or not there."""
        where = self._sheet.where
        self._lines.ensure_there(row, column, where)
        if self._sheet.protected and self._shared.styles.locked(self._sheet.style(row, column)):
            raise placed(f"{where(row, column)} is locked, and the sheet is protected. Unprotect it first: unprotect")
        area = self._merged_over(row, column)
        if area is not None:
            raise placed(f"{where(row, column)} is inside the merged range {area}. Unmerge it first: unmerge")
        area = self._array_over(row, column)
        if area is not None:
            raise placed(
                f"{where(row, column)} is part of the array formula in {area}. Change it in the workbook's own program"
            )

    def ensure_no_heading(self, row: int, column: int) -> None:
        """Raises `Failure` for the heading of a table."""
        table = self.headed(row, column)
        if table is not None:
            raise placed(
                f'{self._sheet.where(row, column)} is a heading of the table "{table.name}", and formulas use it. '
                "Change it in the workbook's own program"
            )

    def headed(self, row: int, column: int) -> TablePlace | None:
        """The table that has a cell among its headings; None for none."""
        found = (table for table in self._sheet.tables() if row == table.area.top)
        return next(
            (table_place for table_place in found if table_place.area.left <= column <= table_place.area.right), None
        )

    def why_passed_by(self, row: int, column: int) -> str:
        """Why the text of a cell is passed by where all texts of a range are edited; an empty text where it is not."""
        if self._merged_over(row, column) is not None:
            return "is inside a merged range"
        return "is part of an array formula" if self._array_over(row, column) is not None else ""

    def _array_over(self, row: int, column: int) -> Area | None:
        return next((area for area in self._stored.arrays() if area.holds(row, column)), None)

    def changed(self) -> None:
        """Is told when the protection changed: what keeps cells from being changed is looked up again."""
        self._overlay.materialize()
        self.free = None

    def merges_changed(self, area: Area, merged: bool) -> None:
        """Is told of a range that was merged or split."""
        self.changed()
        if self._covered is not None:
            (self._covered.add if merged else self._covered.take)(area)

    def _merged_over(self, row: int, column: int) -> Area | None:
        if self._covered is None:
            self._covered = Covered(self._sheet.merged())
        if not self._lines:
            return self._covered.over(row, column)
        at = self._lines.rows.place(row), self._lines.columns.place(column)
        area = self._covered.over(*at)
        if area is None or (row, column) == self.shown_cell(area):
            return None
        # A line that comes before the first one of a range is beside it.
        beside = (at[0] != row and at[0] == area.top) or (at[1] != column and at[1] == area.left)
        return None if beside else area

    def shown_cell(self, area: Area) -> tuple[int, int]:
        """The cell of a merged range whose content is shown: the first one that was not deleted."""
        lines = self._lines
        return lines.rows.first_kept(area.top, area.bottom), lines.columns.first_kept(area.left, area.right)
