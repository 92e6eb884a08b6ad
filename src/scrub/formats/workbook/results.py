"""Results of formulas on a sheet: as they were saved, or with a doubt as soon as anything was changed in a run."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Mapping
from functools import partial

from scrub.formats.sheet import OpenSheet
from scrub.formats.workbook.depends import no_result, old_result
from scrub.formats.workbook.shared import Shared
from scrub.model.area import Area
from scrub.model.grid import ColumnValues, Trouble
from scrub.model.required import required
from scrub.model.values import Value


class SheetResults(OpenSheet):
    """Formulas that were changed, and which saved results may be old."""

    def __init__(self, shared: Shared) -> None:
        super().__init__()
        self.shared = shared
        self.formulas: dict[int, str | None] = {}
        self.written_out: set[int] = set()  # formulas that were shared: another text, the same result
        self.ordered_blocks: list[Area] = []  # cells whose rows were put in another order as they are stored
        self.formula_rows: dict[int, set[int]] = {}
        self.results: dict[int, Value] = {}  # of formulas that moved to another cell with all they refer to

    @property
    @required
    def has_formulas(self) -> bool | None:
        """Whether its part contains formulas; None where nobody looked."""
        raise NotImplementedError

    @required
    def formula(self, row: int, column: int) -> str | None:
        """The formula of a cell."""
        raise NotImplementedError

    @required
    def has_formula(self, row: int, column: int) -> bool:
        """Whether a cell is calculated."""
        raise NotImplementedError

    def with_doubts(self, values: ColumnValues, column: int) -> ColumnValues:
        """The values of a column; results of formulas can be old as soon as anything was changed in this run."""
        if self.shared.version:
            self.doubt(values, column)
        return values

    def doubt(self, values: ColumnValues, column: int) -> None:
        """Puts a doubt in the place of each result of a formula."""
        rows = set(self.formula_rows.get(column, ()))
        rows |= {key >> 15 for key, formula in self.formulas.items() if formula and (key & 0x7FFF) + 1 == column}
        for row in rows:
            if self.formulas.get(self.key(row, column), "") is not None:
                value = values.get(row)
                if type(value) is not Trouble or value.doubt is None:
                    values[row] = self._doubted(row, column, value)

    def _doubted(self, row: int, column: int, value: Value) -> Trouble:
        return Trouble(self.where(row, column), doubt=partial(self.result, row, column, value))

    def result(self, row: int, column: int, value: Value) -> Value:
        """The saved result of a formula where it still contains, else the `Trouble` with it."""
        key = self.key(row, column)
        if self.formulas.get(key) is not None and key not in self.written_out:
            return Trouble(no_result(self.where(row, column)), lost=True)
        changed = self.shared.dependence.changed_below(self, row, column)
        return Trouble(old_result(self.where(row, column), changed), lost=True) if changed else value

    def changed_in(self, area: Area) -> tuple[int, int] | None:
        """A cell of a range whose value or formula was changed in this run."""
        if self.shaped:
            row = self.rows.touched_in(area.top, area.bottom)
            column = self.columns.touched_in(area.left, area.right)
            if row or column:
                return row or area.top, column or area.left
        for block in self.ordered_blocks:
            if block.meets(area):
                return block.within(area)[:2]
        found = self._first_in(area, self.formulas, self._is_fresh)
        if found is None:
            found = self._first_in(area, self.values, lambda key: not self.went_back(key))
        return None if found is None else self.place(found)

    def hidden_in(self, area: Area) -> int:
        """A row of a range that was hidden or shown in this run; 0 for none."""
        return 0

    def _is_fresh(self, key: int) -> bool:
        """Whether a cell got a formula in this run."""
        return bool(self.formulas[key]) and key not in self.written_out

    def _first_in(self, area: Area, held: Mapping[int, object], fits: Callable[[int], bool]) -> int | None:
        """A cell of a range among those held; looked for in the smaller of the two, as a range may be a single cell."""
        if (area.bottom - area.top + 1) * (area.right - area.left + 1) <= len(held):
            keys: Iterable[int] = (
                self.key(row, column)
                for row in range(area.top, area.bottom + 1)
                for column in range(area.left, area.right + 1)
            )
            return next((key for key in keys if key in held and fits(key)), None)
        return next((key for key in held if area.holds(*self.place(key)) and fits(key)), None)

    def formulas_in(self, area: Area) -> Iterator[tuple[int, int]]:
        """The cells of a range that are calculated."""
        used = self.used()
        if used is None or not (self.has_formulas or self.formulas):
            return
        area = area.within(used)
        for column in range(area.left, area.right + 1):
            if column not in self.formula_rows:
                self.column_values(column)
            rows = self.formula_rows.get(column, set())
            few = len(rows) > area.bottom - area.top
            for row in range(area.top, area.bottom + 1) if few else sorted(rows):
                if row in rows and area.top <= row <= area.bottom and self.has_formula(row, column):
                    yield row, column
