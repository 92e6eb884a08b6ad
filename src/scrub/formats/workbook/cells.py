"""Changes of the cells of a sheet: made in memory, spliced when the file is saved."""

from __future__ import annotations

from collections.abc import Callable, Collection, Iterator, Mapping, Sequence
from datetime import date, datetime
from decimal import Decimal
from functools import partial
from typing import Any

from scrub.formats.sheet import NOBODYS, UNCHANGED, keep, put_back
from scrub.formats.workbook.colours import same_colour
from scrub.formats.workbook.covered import Covered
from scrub.formats.workbook.decode import MOST_EXACT, ensure_exact
from scrub.formats.workbook.done import Put, PutAgain
from scrub.formats.workbook.formulas import problem_of, translated
from scrub.formats.workbook.future_functions import stored_formula
from scrub.formats.workbook.number_formats import ensure_number_format
from scrub.formats.workbook.part import SheetPart
from scrub.formats.workbook.protection import ensure_unprotected
from scrub.formats.workbook.reading import Loads, placed
from scrub.formats.workbook.row_order import in_order
from scrub.formats.workbook.row_sorting import RowSorting, totals_below
from scrub.formats.workbook.rows_below import MOST_CHARACTERS, RowsBelow
from scrub.formats.workbook.searched import Searched
from scrub.formats.workbook.shared import Shared
from scrub.formats.workbook.strings import Run, edited_runs
from scrub.formats.workbook.styles import DATE, DURATION, TIME
from scrub.model.amounts import Duration
from scrub.model.area import MOST_COLUMNS, MOST_ROWS, Area
from scrub.model.grid import ColumnValues, TablePlace, Trouble
from scrub.model.problem import Failure
from scrub.model.required import required
from scrub.model.text import Edit, edited
from scrub.model.values import Value, type_name

#: The forms in which a date, a time and a duration are shown where a cell has no form of its own for them.
_FORMS = {DATE: "mm-dd-yy", TIME: "m/d/yy h:mm", DURATION: "[h]:mm:ss"}


class SheetCells(RowsBelow):
    """Cells that can be changed."""

    def __init__(self, shared: Shared, part: SheetPart, loads: Loads) -> None:
        super().__init__(shared, part, loads)
        self._name = part.sheet
        self._covered: Covered | None = None  # the cells under merges; None when that must be looked up
        self._free: bool | None = None  # whether all its cells can be changed; None when that must be looked up
        self._sorting: RowSorting | None = None  # the rows that are being sorted
        self.formed: dict[int, int] = {}  # the formats that dates and durations brought along

    # -- what may be changed

    def ensure_open(self, row: int, column: int) -> None:
        """Raises `Failure` when a cell cannot be changed: it is locked, merged away, part of an array, or a heading."""
        self.ensure_there(row, column)
        if self.protected and self.shared.styles.locked(self.style(row, column)):
            raise placed(
                f"{self.where(row, column)} is locked, and the sheet is protected. Unprotect it first: unprotect"
            )
        area = self._merged_over(row, column)
        if area is not None:
            raise placed(f"{self.where(row, column)} is inside the merged range {area}. Unmerge it first: unmerge")
        for area in self.arrays():
            if area.holds(row, column):
                raise placed(
                    f"{self.where(row, column)} is part of the array formula in {area}. Change it in the workbook's "
                    "own program"
                )

    def ensure_line_moves(self, line: int, is_row: bool) -> None:
        """Raises `Failure` for a line of a protected sheet, or one that a file has where no sheet can."""
        ensure_unprotected(self)
        numbers = self.load().stored.numbers
        if numbers and numbers[-1] > MOST_ROWS:
            raise Failure(f"{self.name} has rows beyond the sheet's limit ({MOST_ROWS:,})")

    def _row_went(self, back: bool) -> None:
        self.take_up()
        super()._row_went(back)
        self.shared.cells_changed(back=back)

    @property
    def first_name(self) -> str:
        """The name that it has in the file."""
        return self.part.sheet

    @required
    def has_links(self) -> bool:
        """Whether a click on any cell leads anywhere."""
        raise NotImplementedError

    def _ensure_block_moves(self, block: Area) -> None:
        """Raises `Failure` where something depends on cells that would stay after, or contains several together."""
        for area in (*self.merged(), *self.arrays()):
            if area.meets(block):
                raise Failure(f"{self.name} {area} is merged or an array formula, so its rows cannot be sorted")
        for noted in self.comments():
            if block.holds(noted.row, noted.column):
                where = self.where(noted.row, noted.column)
                raise Failure(
                    f"{where} has a comment, which would not move with its row. Delete the comment before sorting"
                )
        for row in range(block.top, block.bottom + 1) if self.has_links() else ():
            for column in range(block.left, block.right + 1):
                if self.link(row, column) is not None:
                    raise Failure(
                        f"{self.where(row, column)} has a link, which would not move with its row. Delete the link "
                        "before sorting"
                    )

    def order_rows(self, rows: Sequence[int], left: int, right: int) -> Callable[[], None]:
        """Puts what is in some rows into an order, looks and formulas too."""
        block = Area(min(rows), left, max(rows), right)
        self._ensure_block_moves(block)
        # All rows count, also those that stay by chance: what is refused next week is refused today.
        places = {row: place for place, row in zip(sorted(rows), rows, strict=True)}
        self._sorting = RowSorting(self.first_name, places, left, right, self.name)
        self.shared.ensure_sortable(self._sorting)
        self._ensure_formulas_move(self._sorting)
        in_bytes = self._order_bytes(rows, block)
        if in_bytes is not None:
            return in_bytes
        back = super().order_rows(rows, left, right)
        self.shared.cells_changed()

        def all_back() -> None:
            back()
            self.shared.cells_changed(back=True)

        return all_back

    def _ensure_formulas_move(self, sorting: RowSorting) -> None:
        """Raises `Failure` for a formula in the rows that would come to mean something else."""
        for row, column, formula in self.each_formula():
            if sorting.holds(self.first_name, row, column):
                sorting.moved(formula, row, self.where(row, column))

    def each_formula(self) -> Iterator[tuple[int, int, str]]:
        """The cells that are calculated: row, column, formula without its equals sign."""
        if self.part.name is None and not self.part.is_new:
            return
        if self.has_formulas is not False:
            for cell in self.load().stored.all_cells():
                if cell.formula is not None and self.key(cell.row, cell.column) not in self.formulas:
                    formula = self.formula(cell.row, cell.column)
                    if formula is not None:
                        yield cell.row, cell.column, formula[1:]
        for key, fresh in self.formulas.items():
            if fresh:
                yield *self.place(key), fresh

    def totals_below(self, rows: Sequence[int], left: int, right: int) -> Collection[int]:
        """The last of some rows, as far as they add up the ones above."""
        if not self.has_formulas and not self.formulas:
            return ()

        def formulas(row: int) -> Iterator[str]:
            for column in range(left, right + 1):
                formula = self.formula(row, column)
                if formula is not None:
                    yield formula[1:]

        return totals_below(rows, formulas, self.first_name)

    def _order_bytes(self, rows: Sequence[int], block: Area) -> Callable[[], None] | None:
        """Puts whole rows of plain cells into an order as they are stored; None where anything depends on them or was
        changed, so that they are ordered cell by cell.
        """
        stored = self.load().stored
        touched = self.values or self.styles or self.formulas or self.shaped
        if touched or self.has_formulas or not isinstance(stored, Searched) or not self.is_free():
            return None
        columns = stored.stored_columns()
        if not columns or columns[0] < block.left or columns[-1] > block.right:
            return None
        moves = {place: row for place, row in zip(sorted(rows), rows, strict=True) if place != row}
        data = in_order(stored, moves)
        if data is None:
            return None
        back = self.part.order(stored, data)
        self._ordered(block, moves)

        def revert() -> None:
            back()
            self._ordered(block, {row: place for place, row in moves.items()}, back=True)

        return revert

    def _ordered(self, block: Area, moves: Mapping[int, int], back: bool = False) -> None:
        """Lets what was read of the rows follow them."""
        self._loads.forget(self.part)
        sources = list(moves.values())
        for values in list(self.live.values()):
            if sources and values.keys() >= moves.keys():  # they change places among themselves
                values.update(zip(moves, list(map(values.__getitem__, sources)), strict=True))
            else:
                seen = {row: values[row] for row in sources if row in values}
                for place in moves:
                    values.pop(place, None)
                values.update((place, seen[row]) for place, row in moves.items() if row in seen)
            values.version += 1
        if back:
            self.ordered_blocks.pop()
        else:
            self.ordered_blocks.append(block)
        self.row_changed(block.top)
        self.shared.cells_changed(back=back)

    def ensure_row_moves(self, row: int, left: int, right: int) -> None:
        """Raises `Failure` for a row with a cell that cannot be changed."""
        if not self.is_free():
            for column in range(left, right + 1):
                self.ensure_open(row, column)

    def _order_column(self, column: int, moves: Sequence[tuple[int, int]], backs: list[Callable[[], None]]) -> None:
        """Moves the values of a column with their looks, and its formulas, which then refer to their own new row."""
        values, key_of, style_of = self.column_values(column), self.key, self.styles_of(column)
        calculated = self.has_formulas or self.formulas
        plain = not calculated or not any(self.has_formula(row, column) for _, row in moves)
        if plain and self.looks_alike(column, [row for _, row in moves]) and not self.may_have_runs():
            super()._order_column(column, moves, backs)
            return
        for _, row in moves:
            if not plain and self.has_formula(row, column):
                self._unshare(row, column)
        fresh = []
        for place, row in moves:
            formula = None if plain else self.formula(row, column)
            value = values.get(row)
            if formula is None:
                value = self._moved_value(row, column, value)
            runs = self.runs_in(row, column) if type(value) is str else None
            fresh.append((place, row, formula, value, runs, style_of(row), style_of(place)))
        for place, row, formula, value, runs, style, style_before in fresh:
            key = key_of(place, column)
            former = [
                (held, held.get(key, UNCHANGED)) for held in (self.formulas, self.runs, self.styles, self.results)
            ]
            before, had_formula = values.get(place), not plain and self.has_formula(place, column)
            changed = self.change(key, value, values, before)
            backs.append(partial(self._order_back, key, former, changed, before))
            for held, _ in former[:2]:
                held.pop(key, None)
            self.results.pop(key, None)
            if formula is not None:
                assert self._sorting is not None
                self.formulas[key] = self._sorting.moved(formula[1:], row, self.where(row, column))
                del self.values[key]
                self.results[key] = None if isinstance(value, Trouble) else value
                self.formula_rows.setdefault(column, set()).add(place)
            elif had_formula:
                self.formulas[key] = None
            if runs is not None:
                self.runs[key] = runs
            if style != style_before:
                self.styles[key] = style

    def _order_back(self, key: int, former: Sequence[tuple[dict[int, Any], Any]], value: Value, before: Value) -> None:
        for held, each in former:
            put_back(held, key, each)
        self.restore(key, value, before)

    def locks_changed(self) -> None:
        """Is told when its protection changed: what keeps cells from being changed is looked up again."""
        self.take_up()
        self._free = None

    def merges_changed(self, area: Area, merged: bool) -> None:
        """Is told of a range that was merged or split."""
        self.take_up()
        self._free = None
        if self._covered is not None:
            (self._covered.add if merged else self._covered.take)(area)

    def is_free(self) -> bool:
        """Whether nothing on the sheet keeps a cell from being changed: asked once for many cells."""
        if self._free is None:
            self._free = not (self.protected or self.merged() or self.arrays() or any(self.tables()))
        return self._free

    def _merged_over(self, row: int, column: int) -> Area | None:
        if self._covered is None:
            self._covered = Covered(self.merged())
        if not self.shaped:
            return self._covered.over(row, column)
        at = self.rows.place(row), self.columns.place(column)
        area = self._covered.over(*at)
        if area is None or (row, column) == self.shown_cell(area):
            return None
        # A line that comes before the first one of a range is beside it.
        beside = (at[0] != row and at[0] == area.top) or (at[1] != column and at[1] == area.left)
        return None if beside else area

    def shown_cell(self, area: Area) -> tuple[int, int]:
        """The cell of a merged range whose content is shown: the first one that was not deleted."""
        return self.rows.first_kept(area.top, area.bottom), self.columns.first_kept(area.left, area.right)

    # -- changing values

    def put(self, row: int, column: int, value: Value) -> None:
        """Gives a cell a value."""
        column_values = self.live.get(column)
        if column_values is None:
            column_values = self.column_values(column)
        before = column_values.get(row)
        if before is None and value is None and not self.has_formula(row, column):
            return
        if not self._free and not self.is_free():
            self.ensure_open(row, column)
            self._ensure_no_heading(row, column)
        elif not 1 <= row <= MOST_ROWS or not 1 <= column <= MOST_COLUMNS or self.gone or self.columns.gone:
            self.ensure_there(row, column)
        if (row in self.formula_rows[column] or self.formulas) and self.has_formula(row, column):
            raise placed(
                f"{self.where(row, column)} contains a formula. To replace it with a value, delete it first: "
                "cell.formula = nothing"
            )
        if type(value) is Decimal:
            if not -MOST_EXACT < value < MOST_EXACT:
                self._ensure_exact(row, column, value)
        elif type(value) is not str or not 0 < len(value) <= MOST_CHARACTERS:
            value = self.storable(row, column, value)
        if type(before) is type(value) and before == value:
            return
        self._put_quietly(row, column, value, before, column_values)

    def _ensure_exact(self, row: int, column: int, value: Decimal) -> None:
        try:
            ensure_exact(value)
        except Failure as failure:
            raise placed(f"{self.where(row, column)}: {failure.what}") from None

    def _put_quietly(
        self,
        row: int,
        column: int,
        value: Value,
        before: Value,
        column_values: ColumnValues,
        runs: list[Run] | None = None,
    ) -> None:
        """Puts a value that may be put, and notes the change."""
        key, all_runs = self.key(row, column), self.runs
        former_runs = all_runs.get(key)
        former = self.change(key, value, column_values, before)
        self.shared.cells_changed()
        if runs is not None:
            all_runs[key] = runs
        elif former_runs is not None:
            del all_runs[key]
        restyled = None
        if type(value) is not str and type(value) is not Decimal and isinstance(value, date | Duration):
            restyled = self.show_as_moment(row, column, value)
        done = Put(self, key, before, value)
        if former is not UNCHANGED or former_runs is not None or restyled is not None:
            done = PutAgain(self, key, before, value, former, former_runs, restyled)
        self.shared.file.recorder.note(done)

    def storable(self, row: int, column: int, value: Value) -> Value:
        """A value as a cell contains it. Raises `Failure` for one that it cannot contain."""
        if isinstance(value, bool | Decimal | date) or value is None:
            if isinstance(value, date):
                self.shared.decoder.serial(value)
            return value
        if isinstance(value, str):
            if len(value) > MOST_CHARACTERS:
                raise placed(f"{self.where(row, column)}: a cell can contain up to 32,767 characters")
            return str(value) or None
        if isinstance(value, Duration) and not value.on_calendar:
            return value
        raise placed(f"{self.where(row, column)}: a cell cannot contain {type_name(value)}")

    def show_as_moment(self, row: int, column: int, value: Value) -> Callable[[], None] | None:
        """Gives a cell a form in which a date or a duration is seen as one; returns how to undo it."""
        wanted = DURATION if isinstance(value, Duration) else TIME if isinstance(value, datetime) else DATE
        style = self.style(row, column)
        sort = self.shared.styles.sort(style)
        if sort != wanted and not (wanted == DATE and sort == TIME):
            fresh = self.shared.styles.derived(style, "number-format", _FORMS[wanted])
            self.formed[self.key(row, column)] = fresh
            return self.put_style(row, column, fresh)
        return None

    def note_moment(self, row: int, column: int, value: Decimal) -> None:
        """Notes a number that is read as a date or a duration, since the cell is formatted as one."""
        self.shared.moments.setdefault(self.where(row, column), (value, self.style(row, column)))

    def let_go(self, key: int) -> None:
        """Forgets a value that is again what it was, with its runs and the form that it was given on the way."""
        super().let_go(key)
        self.runs.pop(key, None)
        if key in self.formed and self.styles.get(key) == self.formed[key]:
            del self.styles[key]

    def forget_there_and_back(self) -> None:
        """Lets go of values and looks that were changed and changed back."""
        super().forget_there_and_back()
        for key, style in list(self.styles.items()):
            if style == self.stored_style(*self.place(key)):
                del self.styles[key]

    def _headed(self, row: int, column: int) -> TablePlace | None:
        """The table of which a cell is a heading."""
        found = (each for each in self.tables() if row == each.area.top)
        return next((each for each in found if each.area.left <= column <= each.area.right), None)

    def _ensure_no_heading(self, row: int, column: int) -> None:
        table = self._headed(row, column)
        if table is not None:
            raise placed(
                f'{self.where(row, column)} is a heading of the table "{table.name}", and formulas use it. Change it '
                "in the workbook's own program"
            )

    # -- formulas

    def put_formula(self, row: int, column: int, formula: str | None, down: int = 0, right: int = 0) -> None:
        """Gives a cell a formula, or takes it away and leaves its result just as it is stored.

        `down` and `right` tell how far the cell is from the one that the formula was written for.
        """
        before = self.formula(row, column)
        if formula is not None:
            formula = self._checked_formula(formula)
            # A row that has no number yet refers to itself by the one it has for the time being.
            formula = "=" + translated(formula[1:], down, right, 2 * MOST_ROWS if row > MOST_ROWS else MOST_ROWS)
        if formula == before:
            return
        self.ensure_open(row, column)
        self._ensure_no_heading(row, column)
        values = self.column_values(column)
        result = self.raw_value(row, column)
        if formula is None and isinstance(result, Trouble) and result.lost:
            raise result.failure()
        self._set_formula(row, column, before, formula, values, result)

    def _set_formula(
        self, row: int, column: int, before: str | None, formula: str | None, values: ColumnValues, result: Value
    ) -> None:
        written_out = self._unshare(row, column)
        key, formulas = self.key(row, column), self.formulas
        former, former_value = formulas.get(key, UNCHANGED), self.values.pop(key, UNCHANGED)
        was_written_out = key in self.written_out
        self.written_out.discard(key)
        formulas[key] = formula[1:] if formula else None
        self.shared.cells_changed()
        keep(values, row, result if formula is None else self._doubted(row, column, None))

        def revert() -> None:
            for other in written_out:
                formulas.pop(other, None)
                self.written_out.discard(other)
            if was_written_out:
                self.written_out.add(key)
            put_back(formulas, key, former)
            self.restore(key, former_value, result)
            self.shared.cells_changed(back=True)

        self.note("formula", before, formula, revert, _cell(row, column))

    def empty(self, row: int, column: int) -> None:
        """Takes away what is in a cell, a formula too, regardless of its result."""
        before = self.formula(row, column)
        if before is not None:
            self.ensure_open(row, column)
            self._ensure_no_heading(row, column)
            self._set_formula(row, column, before, None, self.column_values(column), self.raw_value(row, column))
        self.put(row, column, None)

    def move_content(self, start: tuple[int, int], end: tuple[int, int]) -> None:
        """Moves what a cell contains, with its format, to an empty one in the same merged range."""
        value, formula, runs = self.raw_value(*start), self.formula(*start), self.runs_in(*start)
        style = self.style(*start)
        if style != self.style(*end):
            self.note("format", None, f"as in {self.where(*start)}", self.put_style(*end, style), _cell(*end))
        if formula is not None:
            self._set_formula(*end, None, formula, self.column_values(end[1]), None)
        elif value is not None and not isinstance(value, Trouble):
            self._put_quietly(*end, value, self.raw_value(*end), self.column_values(end[1]), runs)

    def _checked_formula(self, formula: str) -> str:
        """A formula with its equals sign. Raises `Failure` for one that no program would take."""
        formula = "=" + formula.strip().removeprefix("=").strip()
        if formula == "=":
            raise Failure("the formula is empty. To delete a formula: cell.formula = nothing")
        if formula not in self.shared.checked_formulas:
            wrong = problem_of(formula[1:], self.shared.knows_name, lambda name: name.casefold() in self.shared.by_name)
            if wrong:
                raise Failure(f'"{formula[:60]}" is not a formula: {wrong}')
            self.shared.checked_formulas.add(formula)
        return formula

    def plain_formula(self, formula: str) -> str:
        """A formula as a rule contains it, without its equals sign. Raises `Failure` for one that no program takes."""
        return stored_formula(self._checked_formula(formula)[1:])

    def _unshare(self, row: int, column: int) -> list[int]:
        """Where the first cell of a shared formula changes, the others get it written out; gives those keys."""
        cell = self.stored(row, column)
        if cell is None or cell.formula is None or cell.formula.type != "shared" or not cell.formula.text:
            return []
        found = []
        for other in self.sharing(cell.formula.si):
            key = self.key(other.row, other.column)
            if key not in self.formulas and (other.row, other.column) != (row, column):
                self.formulas[key] = translated(cell.formula.text, other.row - row, other.column - column)
                self.written_out.add(key)
                found.append(key)
        return found

    # -- texts

    def edit_text(self, row: int, column: int, text: str, edits: Sequence[Edit]) -> None:
        """Edits one text with its looks; one that is calculated, or the heading of a table, is passed by."""
        if (
            self.is_gone(row)
            or self.is_column_gone(column)
            or self.has_formula(row, column)
            or self._headed(row, column) is not None
        ):
            return
        if not self.is_free():
            covered = self._merged_over(row, column) or next((a for a in self.arrays() if a.holds(row, column)), None)
            if covered is not None:
                why = "is part of an array formula" if covered in self.arrays() else "is inside a merged range"
                self.file.recorder.remarks.append(f"{self.where(row, column)} {why}. Skipped")
                return
            self.ensure_open(row, column)
        runs = self.runs_in(row, column)
        rich = edited_runs(runs, edits) if runs and (len(runs) > 1 or runs[0].look) else None
        values = self.live.get(column, NOBODYS)
        self._put_quietly(row, column, self.storable(row, column, edited(text, edits)), text, values, rich)

    # -- looks

    def put_look(self, row: int, column: int, word: str, value: Any) -> None:
        """Changes how a cell looks."""
        style = self.style(row, column)
        before = self.shared.styles.look(style, word)
        if word in ("fill", "colour"):
            value = same_colour(value)
        fresh = self.derived_style(style, word, value)
        if fresh is None:
            return
        revert = self.put_style(row, column, fresh)
        self.note(word, before, value, revert, _cell(row, column))

    def derived_style(self, style: int, word: str, value: Any) -> int | None:
        """A format with another look; None where it has that look. Raises `Failure` on a protected sheet."""
        if word in ("fill", "colour"):
            value = same_colour(value)
        if word == "number-format":
            ensure_number_format(value)
        same = self.shared.styles.look(style, word) == value
        if same and not (word == "fill" and value is None and self.shared.styles.is_filled(style)):
            return None
        if self.protected:
            raise Failure(f"{self.name}: the sheet is protected. Unprotect it first: unprotect")
        return self.shared.styles.derived(style, word, value)

    def put_style(self, row: int, column: int, style: int) -> Callable[[], None]:
        """Gives a cell another format; returns how to undo it."""
        key, styles = self.key(row, column), self.styles
        former = styles.get(key)
        styles[key] = style

        def revert() -> None:
            if former is None:
                styles.pop(key, None)
            else:
                styles[key] = former

        return revert

    def note(self, field: str, before: Any, after: Any, revert: Callable[[], None], *inner: Area | str) -> None:
        """Notes a change of something on this sheet."""
        self.changed(field, before, after, revert, "", inner)

    @property
    def cells_touched(self) -> bool:
        """Whether the stored cells must change."""
        return bool(self.has_values or self.formulas or self.styles or self.part.is_ordered)


def _cell(row: int, column: int) -> Area:
    return Area(row, column, row, column)
