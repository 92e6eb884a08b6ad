"""Rows of a sheet put into another order, with their looks and formulas."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from functools import partial
from typing import TYPE_CHECKING, Any

from scrub.formats.line_changes import LineChanges
from scrub.formats.overlay import UNCHANGED, key_of, put_back
from scrub.formats.workbook.cells.formulas_of_cells import CellFormulas
from scrub.formats.workbook.cells.locks import CellLocks
from scrub.formats.workbook.cells.overlay import SheetOverlay
from scrub.formats.workbook.cells.row_order import in_order
from scrub.formats.workbook.cells.row_sorting import RowSorting
from scrub.formats.workbook.cells.searched import Searched
from scrub.formats.workbook.cells.stale_results import StaleResults
from scrub.formats.workbook.cells.stored_cells import StoredCells
from scrub.formats.workbook.cells.strings import Run
from scrub.formats.workbook.shared import Shared
from scrub.model.cells.grid import CellError
from scrub.model.core.area import Area
from scrub.model.core.change import Undo
from scrub.model.core.problem import Failure
from scrub.model.core.values import Value

if TYPE_CHECKING:
    from scrub.formats.workbook.contracts import OrderedCells


class SheetOrder:
    """Puts rows of one sheet into another order."""

    def __init__(
        self,
        sheet: OrderedCells,
        shared: Shared,
        overlay: SheetOverlay,
        stored: StoredCells,
        lines: LineChanges,
        locks: CellLocks,
        formulas: CellFormulas,
        stale: StaleResults,
        has_links: Callable[[], bool],
        runs_in: Callable[[int, int], list[Run] | None],
        styles_of: Callable[[int], Callable[[int], int]],
    ) -> None:
        """`runs_in` gives the runs of a text with several looks, and `styles_of` what gives the number of the format of
        a cell of a column by its row.
        """
        self._sheet = sheet
        self._shared = shared
        self._overlay = overlay
        self._stored = stored
        self._lines = lines
        self._locks = locks
        self._formulas = formulas
        self._stale = stale
        self._has_links = has_links
        self._runs_in = runs_in
        self._styles_of = styles_of
        self._sorting: RowSorting | None = None  # the rows that are being sorted

    def begin(self, rows: Sequence[int], left: int, right: int) -> Undo | None:
        """Puts rows of plain cells into an order as they are stored; returns how to undo it, or None where they are to
        be ordered cell by cell. Raises `Failure` where something would not go with its row.
        """
        block = Area(min(rows), left, max(rows), right)
        self._ensure_block_moves(block)
        # All rows count, also those that stay by chance: what is refused next week is refused today.
        places = {row: place for place, row in zip(sorted(rows), rows, strict=True)}
        first_name = self._stored.part.sheet
        self._sorting = RowSorting(first_name, places, left, right, self._sheet.name)
        self._shared.ensure_sortable(self._sorting)
        for row, column, formula in self._formulas.every():  # one that would come to mean something else is refused
            if self._sorting.holds(first_name, row, column):
                self._sorting.moved(formula, row, self._sheet.where(row, column))
        return self._order_bytes(rows, block)

    def _ensure_block_moves(self, block: Area) -> None:
        """Raises `Failure` where something depends on cells that would stay after, or contains several together."""
        sheet = self._sheet
        for area in (*sheet.merged(), *self._stored.arrays()):
            if area.meets(block):
                raise Failure(f"{sheet.name} {area} is merged or an array formula, so its rows cannot be sorted")
        for noted in sheet.comments():
            if block.holds(noted.row, noted.column):
                where = sheet.where(noted.row, noted.column)
                raise Failure(
                    f"{where} has a comment, which would not move with its row. Delete the comment before sorting"
                )
        for row in range(block.top, block.bottom + 1) if self._has_links() else ():
            for column in range(block.left, block.right + 1):
                if sheet.link(row, column) is not None:
                    raise Failure(
                        f"{sheet.where(row, column)} has a link, which would not move with its row. Delete the link "
                        "before sorting"
                    )

    def _order_bytes(self, rows: Sequence[int], block: Area) -> Undo | None:
        """Puts whole rows of plain cells into an order as they are stored; None where anything depends on them or was
        changed, so that they are ordered cell by cell.
        """
        stored, overlay = self._stored.loaded().stored, self._overlay
        touched = overlay.values or overlay.styles or overlay.formulas or self._lines
        if touched or self._stored.has_formulas or not isinstance(stored, Searched) or not self._locks.is_free():
            return None
        columns = stored.stored_columns()
        if not columns or columns[0] < block.left or columns[-1] > block.right:
            return None
        moves = {place: row for place, row in zip(sorted(rows), rows, strict=True) if place != row}
        data = in_order(stored, moves)
        if data is None:
            return None
        back = self._stored.part.order(stored, data)
        self._follow(block, moves)

        def revert() -> None:
            back()
            self._follow(block, {row: place for place, row in moves.items()}, back=True)

        return revert

    def _follow(self, block: Area, moves: Mapping[int, int], back: bool = False) -> None:
        """Lets what was read of the rows follow them."""
        self._stored.forget()
        sources = list(moves.values())
        for values in list(self._overlay.live.values()):
            if sources and values.keys() >= moves.keys():  # they change places among themselves
                values.update(zip(moves, list(map(values.__getitem__, sources)), strict=True))
            else:
                seen = {row: values[row] for row in sources if row in values}
                for place in moves:
                    values.pop(place, None)
                values.update((place, seen[row]) for place, row in moves.items() if row in seen)
            values.version += 1
        if back:
            self._stale.ordered_blocks.pop()
        else:
            self._stale.ordered_blocks.append(block)
        self._sheet.row_changed(block.top)
        self._shared.cells_changed(back=back)

    def ensure_row_moves(self, row: int, left: int, right: int) -> None:
        """Raises `Failure` for a row with a cell that cannot be changed."""
        if not self._locks.is_free():
            for column in range(left, right + 1):
                self._locks.ensure_open(row, column)

    def looks_alike(self, column: int, moves: Sequence[tuple[int, int]]) -> bool:
        """Whether the cells of a column that move certainly look the same, and so do the words in each."""
        stored, overlay = self._stored, self._overlay
        alike = not overlay.styles and stored.look_alike(column, [row for _, row in moves])
        return alike and not stored.may_have_runs() and not overlay.runs

    def calculates(self, column: int, moves: Sequence[tuple[int, int]]) -> bool:
        """Whether any cell of a column that moves is calculated."""
        if not self._stored.has_formulas and not self._overlay.formulas:
            return False
        return any(self._sheet.has_formula(row, column) for _, row in moves)

    def move(
        self,
        column: int,
        moves: Sequence[tuple[int, int]],
        backs: list[Undo],
        calculated: bool,
        moved: Callable[[int, int, Value], Value],
    ) -> None:
        """Moves the values of a column with their looks, and its formulas, which then refer to their own new row.
        `calculated` tells whether there are any, and `moved` is a value on its way, which may fail.
        """
        sheet, overlay = self._sheet, self._overlay
        values, style_of = sheet.column_values(column), self._styles_of(column)
        for _, row in moves if calculated else ():
            if sheet.has_formula(row, column):
                self._formulas.unshare(row, column)
        fresh = []
        for place, row in moves:
            formula = self._formulas.at(row, column) if calculated else None
            value = values.get(row)
            if formula is None:
                value = moved(row, column, value)
            runs = self._runs_in(row, column) if type(value) is str else None
            fresh.append((place, row, formula, value, runs, style_of(row), style_of(place)))
        for place, row, formula, value, runs, style, style_before in fresh:
            key = key_of(place, column)
            former = [
                (held, held.get(key, UNCHANGED))
                for held in (overlay.formulas, overlay.runs, overlay.styles, overlay.results)
            ]
            before, had_formula = values.get(place), calculated and sheet.has_formula(place, column)
            changed = sheet.change(key, value, values, before)
            backs.append(partial(self._back, key, former, changed, before))
            for held, _ in former[:2]:
                held.pop(key, None)
            overlay.results.pop(key, None)
            if formula is not None:
                assert self._sorting is not None
                overlay.formulas[key] = self._sorting.moved(formula[1:], row, sheet.where(row, column))
                del overlay.values[key]
                overlay.results[key] = None if isinstance(value, CellError) else value
                self._stored.formula_rows.setdefault(column, set()).add(place)
            elif had_formula:
                overlay.formulas[key] = None
            if runs is not None:
                overlay.runs[key] = runs
            if style != style_before:
                overlay.styles[key] = style

    def _back(self, key: int, former: Sequence[tuple[dict[int, Any], object]], value: Value, before: Value) -> None:
        for held, each in former:
            put_back(held, key, each)
        self._sheet.restore(key, value, before)
