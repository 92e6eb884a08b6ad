"""The formulas of a sheet: read, checked, set, and taken away."""

from __future__ import annotations

import re
from collections.abc import Collection, Iterator, Sequence
from typing import TYPE_CHECKING

from scrub.formats.overlay import UNCHANGED, keep, key_of, place_of, put_back
from scrub.formats.workbook.cells.locks import CellLocks
from scrub.formats.workbook.cells.overlay import SheetOverlay
from scrub.formats.workbook.cells.stale_results import StaleResults
from scrub.formats.workbook.cells.stored_cells import StoredCells
from scrub.formats.workbook.formulas.future_functions import shown_formula, stored_formula
from scrub.formats.workbook.formulas.syntax import problem_of, translated
from scrub.formats.workbook.shared import Shared
from scrub.model.cells.grid import CellError, ColumnValues
from scrub.model.core.area import MOST_ROWS, Area
from scrub.model.core.problem import Failure
from scrub.model.core.values import Value

if TYPE_CHECKING:
    from scrub.formats.workbook.contracts import FormulaCells


class CellFormulas:
    """What the cells of one sheet calculate."""

    def __init__(
        self,
        sheet: FormulaCells,
        shared: Shared,
        overlay: SheetOverlay,
        stored: StoredCells,
        locks: CellLocks,
        stale: StaleResults,
    ) -> None:
        self._sheet = sheet
        self._shared = shared
        self._overlay = overlay
        self._stored = stored
        self._locks = locks
        self._stale = stale

    @property
    def may_be_there(self) -> bool:
        """Whether the sheet may contain formulas."""
        part = self._stored.part
        return bool(self._overlay.formulas) or (part.has_formulas is not False and not part.is_new)

    def at(self, row: int, column: int) -> str | None:
        """The formula of a cell, with its equals sign; one that is shared is written out."""
        formulas, key = self._overlay.formulas, key_of(row, column)
        if key in formulas:
            formula = formulas[key]
            return None if formula is None else f"={formula}"
        if not self._sheet.has_formula(row, column):
            return None
        cell = self._stored.cell(row, column)
        assert cell is not None
        return f"={shown_formula(self._stored.formula(cell))}"

    def every(self) -> Iterator[tuple[int, int, str]]:
        """The cells that are calculated: row, column, formula without its equals sign."""
        part, formulas = self._stored.part, self._overlay.formulas
        if part.name is None and not part.is_new:
            return
        if part.has_formulas is not False:
            for cell in self._stored.loaded().stored.all_cells():
                if cell.formula is not None and key_of(cell.row, cell.column) not in formulas:
                    formula = self.at(cell.row, cell.column)
                    if formula is not None:
                        yield cell.row, cell.column, formula[1:]
        for key, fresh in formulas.items():
            if fresh:
                yield *place_of(key), fresh

    def totals_below(self, rows: Sequence[int], left: int, right: int) -> Collection[int]:
        """The last of some rows, as far as they add up the ones above."""
        if not self._stored.has_formulas and not self._overlay.formulas:
            return ()
        from scrub.formats.workbook.cells.row_sorting import totals_below  # rarely needed

        def formulas(row: int) -> Iterator[str]:
            for column in range(left, right + 1):
                formula = self.at(row, column)
                if formula is not None:
                    yield formula[1:]

        return totals_below(rows, formulas, self._stored.part.sheet)

    def uses_of_name(self, word: re.Pattern[str]) -> str:
        """Where the sheet uses a word in a formula or a rule; an empty text for nowhere."""
        part, formulas = self._stored.part, self._overlay.formulas
        if part.name is None and not part.is_new:
            return ""
        raw = re.compile(word.pattern.encode(), re.IGNORECASE)
        if part.has_formulas is not False or formulas:
            for cell in self._stored.loaded().stored.all_cells():
                key = key_of(cell.row, cell.column)
                formula = formulas.get(key, cell.formula.text if cell.formula is not None else None)
                if formula and word.search(formula):
                    return self._sheet.where(cell.row, cell.column)
            for key, formula in formulas.items():
                if formula and word.search(formula):
                    return self._sheet.where(*place_of(key))
        skeleton, root = part.skeleton()
        for name in ("conditionalFormatting", "dataValidations", "hyperlinks"):
            for span in root.all(name):
                if raw.search(skeleton[span.start : span.end]):
                    return f"a {'rule' if name != 'hyperlinks' else 'link'} of {self._sheet.name}"
        return ""

    # -- changing

    def put(self, row: int, column: int, formula: str | None, down: int = 0, right: int = 0) -> None:
        """Gives a cell a formula, or takes it away and leaves its result just as it is stored.

        `down` and `right` tell how far the cell is from the one that the formula was written for.
        """
        before = self.at(row, column)
        if formula is not None:
            formula = self._checked(formula)
            # A row that has no number yet refers to itself by the one it has for the time being.
            formula = "=" + translated(formula[1:], down, right, 2 * MOST_ROWS if row > MOST_ROWS else MOST_ROWS)
        if formula == before:
            return
        self._locks.ensure_open(row, column)
        self._locks.ensure_no_heading(row, column)
        values = self._sheet.column_values(column)
        result = self._sheet.raw_value(row, column)
        if formula is None and isinstance(result, CellError) and result.lost:
            raise result.failure()
        self.set_to(row, column, before, formula, values, result)

    def take_away(self, row: int, column: int) -> None:
        """Takes the formula of a cell away, regardless of its result."""
        before = self.at(row, column)
        if before is not None:
            self._locks.ensure_open(row, column)
            self._locks.ensure_no_heading(row, column)
            values = self._sheet.column_values(column)
            self.set_to(row, column, before, None, values, self._sheet.raw_value(row, column))

    def set_to(
        self, row: int, column: int, before: str | None, formula: str | None, values: ColumnValues, result: Value
    ) -> None:
        """Sets a formula that was checked, in a cell that may get it, and notes the change."""
        overlay, shared = self._overlay, self._shared
        is_other = formula is None and not self._is_stored(row, column, result)
        if is_other and isinstance(result, CellError):
            raise result.failure()
        written_out = self.unshare(row, column)
        key, formulas = key_of(row, column), overlay.formulas
        former, former_value = formulas.get(key, UNCHANGED), overlay.values.pop(key, UNCHANGED)
        was_written_out = key in overlay.written_out
        overlay.written_out.discard(key)
        formulas[key] = formula[1:] if formula else None
        if is_other:
            overlay.values[key] = result
            overlay.first.setdefault(key, None)
            overlay.took([key])
        shared.cells_changed()
        keep(values, row, result if formula is None else self._stale.doubted(row, column, None))

        def revert() -> None:
            for other in written_out:
                formulas.pop(other, None)
                overlay.written_out.discard(other)
            if was_written_out:
                overlay.written_out.add(key)
            put_back(formulas, key, former)
            self._sheet.restore(key, former_value, result)
            shared.cells_changed(back=True)

        self._sheet.changed("formula", before, formula, revert, inner=(Area(row, column, row, column),))

    def _is_stored(self, row: int, column: int, result: Value) -> bool:
        """Whether the result of a formula is the one that is stored."""
        stored = self._sheet.stored_result(row, column)
        if isinstance(result, CellError) and isinstance(stored, CellError):
            return result.error == stored.error
        return type(result) is type(stored) and bool(result == stored)

    def unshare(self, row: int, column: int) -> list[int]:
        """Where the first cell of a shared formula changes, the others get it written out; gives those keys."""
        cell = self._stored.cell(row, column)
        if cell is None or cell.formula is None or cell.formula.type != "shared" or not cell.formula.text:
            return []
        result = []
        for other in self._stored.sharing(cell.formula.si):
            key = key_of(other.row, other.column)
            if key not in self._overlay.formulas and (other.row, other.column) != (row, column):
                fresh = translated(cell.formula.text, other.row - row, other.column - column)
                self._overlay.formulas[key] = fresh
                self._overlay.written_out.add(key)
                result.append(key)
        return result

    def _checked(self, formula: str) -> str:
        """A formula with its equals sign. Raises `Failure` for one that no program would take."""
        formula = "=" + formula.strip().removeprefix("=").strip()
        if formula == "=":
            raise Failure("the formula is empty. To delete a formula: cell.formula = nothing")
        shared = self._shared
        if formula not in shared.checked_formulas:
            wrong = problem_of(formula[1:], shared.knows_name, lambda name: name.casefold() in shared.by_name)
            if wrong:
                raise Failure(f'"{formula[:60]}" is not a formula: {wrong}')
            shared.checked_formulas.add(formula)
        return formula

    def plain(self, formula: str) -> str:
        """A formula as a rule contains it, without its equals sign. Raises `Failure` for one that no program takes."""
        return stored_formula(self._checked(formula)[1:])
