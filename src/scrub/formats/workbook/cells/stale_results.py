"""Results of formulas on a sheet: as they were saved, or in doubt as soon as anything was changed in a run."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Mapping
from functools import partial
from typing import TYPE_CHECKING

from scrub.formats.line_changes import LineChanges
from scrub.formats.overlay import key_of, place_of
from scrub.formats.workbook.cells.decode import no_result
from scrub.formats.workbook.cells.depends import old_result
from scrub.formats.workbook.cells.overlay import SheetOverlay
from scrub.formats.workbook.cells.stored_cells import StoredCells
from scrub.formats.workbook.shared import Shared
from scrub.model.cells.grid import CellError, ColumnValues
from scrub.model.core.area import Area
from scrub.model.core.values import Value

if TYPE_CHECKING:
    from scrub.formats.workbook.contracts import ResultCells


class StaleResults:
    """Which saved results of a sheet may be old. Others ask it which of its cells were changed, and are calculated."""

    def __init__(
        self,
        cells: ResultCells,
        shared: Shared,
        overlay: SheetOverlay,
        stored: StoredCells,
        lines: LineChanges,
        hidden_rows: Callable[[], Iterable[int]],
    ) -> None:
        self._cells = cells
        self._shared = shared
        self._overlay = overlay
        self._stored = stored
        self._lines = lines
        self._hidden_rows = hidden_rows
        self.ordered_blocks: list[Area] = []  # cells whose rows were put in another order as they are stored

    @property
    def name(self) -> str:
        """The name of the sheet."""
        return self._cells.name

    @property
    def has_formulas(self) -> bool | None:
        """Whether the sheet contains formulas; None where nobody looked."""
        return self._stored.has_formulas

    def where(self, row: int, column: int) -> str:
        """How a person names a cell."""
        return self._cells.where(row, column)

    def formula(self, row: int, column: int) -> str | None:
        """The formula of a cell."""
        return self._cells.formula(row, column)

    def mark_column(self, values: ColumnValues, column: int) -> ColumnValues:
        """The values of a column; results of formulas can be old as soon as anything was changed in this run. Where
        no result is saved, it is calculated when somebody asks.
        """
        if self._shared.version or not self._shared.is_trusted:
            self.mark(values, column)
            return values
        for row in self._stored.formula_rows.get(column, ()):
            value = values.get(row)
            if type(value) is CellError and value.lost:
                values[row] = self.doubted(row, column, value)
        return values

    def mark_all(self) -> None:
        """Is told of the first change of the run: what was read so far is in doubt now."""
        for column, values in self._overlay.live.items():
            self.mark(values, column)

    def mark(self, values: ColumnValues, column: int) -> None:
        """Puts a doubt in the place of each result of a formula."""
        formulas = self._overlay.formulas
        rows = set(self._stored.formula_rows.get(column, ()))
        rows |= {key >> 15 for key, formula in formulas.items() if formula and (key & 0x7FFF) + 1 == column}
        for row in rows:
            if formulas.get(key_of(row, column), "") is not None:
                value = values.get(row)
                if type(value) is not CellError or value.stale is None:
                    values[row] = self.doubted(row, column, value)

    def doubted(self, row: int, column: int, value: Value) -> CellError:
        """A result in doubt: whether it is old is looked up when somebody asks."""
        return CellError(self.where(row, column), stale=partial(self.result, row, column, value))

    def result(self, row: int, column: int, value: Value) -> Value:
        """The result of a formula: the saved one where it still holds, else what it gives now; a `CellError` where
        that cannot be calculated.
        """
        known = self.saved_result(row, column, value)
        is_lost = isinstance(known, CellError) and known.lost
        if not is_lost and self._shared.is_trusted:
            return known
        given = self._shared.calculated(self.name, row, column, known)
        return known if not is_lost and isinstance(given, CellError) and given.lost else given

    def saved_result(self, row: int, column: int, value: Value) -> Value:
        """The saved result of a formula where it still holds, else the `CellError` with it."""
        key = key_of(row, column)
        if self._overlay.formulas.get(key) is not None and key not in self._overlay.written_out:
            return CellError(no_result(self.where(row, column)), lost=True)
        changed = self._shared.dependence.changed_below(self, row, column) if self._shared.version else ""
        return CellError(old_result(self.where(row, column), changed), lost=True) if changed else value

    def still_right(self, row: int, column: int) -> Value:
        """The saved result of a formula where it still holds; None where it does not, or there is none."""
        value = self.saved_result(row, column, self._cells.stored_result(row, column))
        return None if (isinstance(value, CellError) and value.lost) or not self._shared.is_trusted else value

    # -- what others ask

    def changed_in(self, area: Area) -> tuple[int, int] | None:
        """A cell of a range whose value or formula was changed in this run."""
        if self._lines:
            row = self._lines.rows.touched_in(area.top, area.bottom)
            column = self._lines.columns.touched_in(area.left, area.right)
            if row or column:
                return row or area.top, column or area.left
        for block in self.ordered_blocks:
            if block.meets(area):
                return block.within(area)[:2]
        overlay = self._overlay
        found = _first_in(area, overlay.formulas, self._is_fresh)
        if found is None:
            found = _first_in(area, overlay.values, lambda key: not overlay.went_back(key))
        return None if found is None else place_of(found)

    def hidden_in(self, area: Area) -> int:
        """A row of a range that was hidden or shown in this run; 0 for none."""
        return next((row for row in self._hidden_rows() if area.top <= row <= area.bottom), 0)

    @property
    def hides_rows(self) -> bool:
        """Whether rows were hidden or shown in this run."""
        return any(True for _ in self._hidden_rows())

    @property
    def changed(self) -> bool:
        """Whether anything was changed on which results depend, but for rows that were hidden or shown."""
        return bool(self._overlay.has_values or self._overlay.formulas or self._lines or self.ordered_blocks)

    def formulas_in(self, area: Area) -> Iterator[tuple[int, int]]:
        """The cells of a range that are calculated."""
        used = self._cells.used()
        if used is None or not (self.has_formulas or self._overlay.formulas):
            return
        area = area.within(used)
        for column in range(area.left, area.right + 1):
            if column not in self._stored.formula_rows:
                self._cells.column_values(column)
            rows = self._stored.formula_rows.get(column, set())
            few = len(rows) > area.bottom - area.top
            for row in range(area.top, area.bottom + 1) if few else sorted(rows):
                if row in rows and area.top <= row <= area.bottom and self._cells.has_formula(row, column):
                    yield row, column

    def _is_fresh(self, key: int) -> bool:
        """Whether a cell got a formula in this run."""
        return bool(self._overlay.formulas[key]) and key not in self._overlay.written_out


def _first_in(area: Area, held: Mapping[int, object], fits: Callable[[int], bool]) -> int | None:
    """A cell of a range among those held; looked for in the smaller of the two, as a range may be a single cell."""
    if (area.bottom - area.top + 1) * (area.right - area.left + 1) <= len(held):
        keys: Iterable[int] = (
            key_of(row, column)
            for row in range(area.top, area.bottom + 1)
            for column in range(area.left, area.right + 1)
        )
        return next((key for key in keys if key in held and fits(key)), None)
    return next((key for key in held if area.holds(*place_of(key)) and fits(key)), None)
