"""A sheet of an Office Open XML workbook: its cells; what depends on them is in pieces that write themselves."""

from __future__ import annotations

from collections.abc import Callable, Collection, Iterable, Iterator, Mapping, Sequence
from datetime import date, datetime
from decimal import Decimal
from functools import cached_property, partial
from typing import TYPE_CHECKING, ClassVar

from scrub.formats.overlay import NOBODYS, UNCHANGED, key_of, place_of
from scrub.formats.sheet import OpenSheet
from scrub.formats.spans import Span
from scrub.formats.texts.styles import style_named
from scrub.formats.workbook.around.drawings import OfficeChart, OfficePicture
from scrub.formats.workbook.around.protection import ensure_unprotected
from scrub.formats.workbook.cell_looks import CellLooks
from scrub.formats.workbook.cells.appended import AppendedRows
from scrub.formats.workbook.cells.decode import MOST_EXACT, ensure_exact
from scrub.formats.workbook.cells.done import Put, PutAgain, Puts, RowAdded
from scrub.formats.workbook.cells.formulas_of_cells import CellFormulas
from scrub.formats.workbook.cells.locks import CellLocks
from scrub.formats.workbook.cells.number_formats import shown_as
from scrub.formats.workbook.cells.overlay import SheetOverlay
from scrub.formats.workbook.cells.stale_results import StaleResults
from scrub.formats.workbook.cells.stored_cells import SINGLE, Loaded, Loads, StoredCells, placed
from scrub.formats.workbook.cells.strings import Run, edited_runs
from scrub.formats.workbook.formatting.styles import DATE, DURATION, TIME
from scrub.formats.workbook.part import SheetPart
from scrub.formats.workbook.pieces import Pieces
from scrub.formats.workbook.saved_sheet import SavedSheet
from scrub.formats.workbook.shared import Shared
from scrub.formats.workbook.sheet_tab import SheetTab
from scrub.model.cells.grid import CellError, ColumnValues, Grid, Noted, TablePlace, resolve
from scrub.model.cells.sheet import Selecting, SheetPermission
from scrub.model.cells.validation import ConditionalFormat, Emphasis, Restriction, Validation, When
from scrub.model.core.amounts import Duration
from scrub.model.core.area import MOST_COLUMNS, MOST_ROWS, Area
from scrub.model.core.change import Undo
from scrub.model.core.declare import FileItem
from scrub.model.core.problem import Failure
from scrub.model.core.text import Edit, edited
from scrub.model.core.values import Secret, Value, type_name

if TYPE_CHECKING:
    from scrub.formats.workbook.cells.sheet_order import SheetOrder

#: The most characters that a cell contains.
_MOST_CHARACTERS = 32_767
#: Rows above which a column is read without a table of it, which would take more room than all else.
_MANY = 100_000


class OfficeSheet(OpenSheet):
    """One sheet: its entry in the workbook part, and its own part, read only when needed."""

    overlay: SheetOverlay
    #: What reads its part, and its cells as they are stored.
    _part_type: ClassVar[type[SheetPart]] = SheetPart
    _stored_type: ClassVar[type[StoredCells]] = StoredCells

    def __init__(
        self,
        shared: Shared,
        loads: Loads,
        number: int,
        entry: Span,
        part: str | None,
        is_new: bool = False,
        like: tuple[OfficeSheet, set[str]] | None = None,
    ) -> None:
        """`number` is its place in the file, and `part` the name of its part, None where that is missing or it is new.
        `like` is a sheet that it is to be a copy of, as that is in the file, with the names that no table can get.
        """
        overlay = SheetOverlay()
        super().__init__(overlay)
        self._shared = shared
        lines, own = self.line_changes, self._part_type(shared.package, part, entry.attributes.get("name", ""), number)
        self._stored = stored = self._stored_type(shared, own, loads, self.where)
        self._locks = CellLocks(self, shared, overlay, stored, lines)
        self.stale = StaleResults(self, shared, overlay, stored, lines, lambda: self._pieces.lines.hidden_rows())
        self.formulas = CellFormulas(self, shared, overlay, stored, self._locks, self.stale)
        self._pieces = Pieces(
            self,
            shared,
            own,
            lambda: stored.loaded().stored,
            self.formulas.plain,
            self._locks.changed,
            self._locks.merges_changed,
        )
        self._looks = CellLooks(self, shared, overlay, stored, self._pieces.lines)
        self.saved = SavedSheet(entry, shared, stored, overlay, lines, self._pieces, self.where, self.used)
        self._tab = SheetTab(self, shared, self.saved)
        self._puts: Puts | None = None  # the arrays that took the last value
        own.is_new = is_new
        if like is not None:
            self._pieces.begin_as(like[0]._pieces, like[1])

    # -- values

    def column_values(self, column: int) -> ColumnValues:
        """The values from row 1 to the last filled one."""
        loaded = self._stored.loaded()
        values = loaded.columns.get(column)
        if values is None:
            values = self.overlay.live.get(column)
            if values is None:
                if loaded.has_many_columns and loaded.filled is None:
                    self._read_all(loaded)
                    values = loaded.columns.get(column)
                if values is None:
                    values = self._seen(self._stored.read_column(column), column)
                    self.overlay.live[column] = values
            loaded.columns[column] = values
        return values

    def values_at(self, column: int, rows: Sequence[int]) -> Sequence[Value]:
        """What is in a column in many rows: of very many, read without a table of it that is kept."""
        values = self._stored_at(column, rows) if len(rows) > _MANY else None
        return super().values_at(column, rows) if values is None else values

    def _stored_at(self, column: int, rows: Sequence[int]) -> Sequence[Value] | None:
        """The same as it is stored; None where something was changed, or is calculated."""
        overlay, loaded = self.overlay, self._stored.loaded()
        if self.line_changes or overlay.formulas or overlay.is_changed(column):
            return None
        if column in overlay.live or column in loaded.columns or loaded.has_many_columns:
            return None
        return self._stored.values_at(column, rows)

    def put_many(self, rows: Sequence[int], puts: Sequence[tuple[int, Sequence[Value]]]) -> None:
        """Gives cells of many rows values: of very many at once, where all are texts or numbers, and may be there."""
        column, values = puts[0]
        recorder, overlay = self._shared.file.recorder, self.overlay
        before = None
        if len(puts) == 1 and len(rows) > _MANY and recorder.takes_columns and self._locks.is_free():
            before = self._stored_at(column, rows)
        plain = before is not None and not overlay.runs and _are_plain(values)
        if (
            before is None
            or not plain
            or rows[-1] > MOST_ROWS
            or column > MOST_COLUMNS
            or CellError in map(type, before)
        ):
            super().put_many(rows, puts)
            return
        self.row_changed(rows[0])
        if self._put_together(rows, column, before, values, self._opened_puts):
            self._shared.cells_changed()

    def _opened_puts(self) -> Puts | None:
        """The arrays that take values that are put."""
        known = self._puts if self._puts and self._puts.name == self.name else None
        self._puts = self._shared.file.recorder.column(known, partial(Puts, self))
        return self._puts

    def _read_all(self, loaded: Loaded) -> None:
        for column, (found, formulas) in self._stored.read_all().items():
            if column not in loaded.columns and column not in self.overlay.live:
                self._stored.formula_rows[column] = formulas
                loaded.columns[column] = self.overlay.live[column] = self._seen(found, column)

    def _seen(self, stored: ColumnValues, column: int) -> ColumnValues:
        """The stored values of a column as they are to be seen."""
        return self.stale.mark_column(self.with_changes(stored, column), column)

    def raw_value(self, row: int, column: int) -> Value:
        """The value of a cell, or a `CellError`."""
        loaded, lines, overlay = self._stored.loaded(), self.line_changes, self.overlay
        if row in lines.gone_rows or column in lines.gone_columns:
            return None
        known = loaded.columns.get(column)
        if known is not None:
            return resolve(known.get(row))
        key = key_of(row, column)
        if key in overlay.values:
            return overlay.values[key]
        loaded.singles += 1
        if loaded.singles > SINGLE or column in overlay.live:
            return resolve(self.column_values(column).get(row))
        cell = loaded.stored.cell(row, column)
        found = self._shared.decoder.value(cell, lambda: self.where(row, column)) if cell is not None else None
        calculated = overlay.formulas.get(key, cell.formula if cell is not None else None) is not None
        if not calculated:
            return found
        is_lost = type(found) is CellError and found.lost
        is_unsure = self._shared.version or is_lost or not self._shared.is_trusted
        return self.stale.result(row, column, found) if is_unsure else found

    def formula_problem(self, row: int, column: int) -> str:
        """What is wrong with the formula of a cell; an empty text for nothing."""
        return self.formula_problems().get((row, column), "")

    def formula_problems(self) -> Mapping[tuple[int, int], str]:
        """What is wrong with its formulas in the file, by row and column."""
        return self._shared.problems_of_formulas.get(self._stored.part, {})

    def stored_result(self, row: int, column: int) -> Value:
        """The result of a formula as it is in the file."""
        cell = self._stored.cell(row, column)
        return self._shared.decoder.value(cell, lambda: self.where(row, column)) if cell is not None else None

    def array_ranges(self) -> Sequence[Area]:
        """The ranges of array formulas and data tables."""
        return self._stored.arrays()

    def hides_row(self, row: int, filtered_only: bool) -> bool:
        """Whether a row is hidden; or, of those, by a filter."""
        if not self._pieces.lines.is_hidden(row):
            return False
        return not filtered_only or any(area.top < row <= area.bottom for area in self._filtered)

    @cached_property
    def _filtered(self) -> list[Area]:
        return self.saved.part.filtered_areas()

    @property
    def is_rearranged(self) -> bool:
        """Whether it is a copy of this run, or its lines came, went or moved."""
        return bool(self.line_changes) or self.removed or self._pieces.copied_from is not None

    def has_formula(self, row: int, column: int) -> bool:
        """Whether a cell is calculated."""
        key, lines, formulas = key_of(row, column), self.line_changes, self.overlay.formulas
        if row in lines.gone_rows or column in lines.gone_columns:
            return False
        if key in formulas:
            return formulas[key] is not None
        if column not in self._stored.formula_rows:
            self.column_values(column)
        return row in self._stored.formula_rows.get(column, ())

    def style(self, row: int, column: int) -> int:
        """The number of a cell's format; a cell that is not stored has its row's or its column's."""
        found = self.overlay.styles.get(key_of(row, column))
        if found is None:
            found = self._stored.style(row, column)
        return self._pieces.lines.inherited_style(row, column) if found is None else found

    def look(self, row: int, column: int, word: str) -> object:
        """How a cell looks."""
        return self._shared.styles.look(self.style(row, column), word)

    def put(self, row: int, column: int, value: Value) -> None:
        """Gives a cell a value."""
        lines, locks = self.line_changes, self._locks
        column_values = self.overlay.live.get(column)
        if column_values is None:
            column_values = self.column_values(column)
        before = column_values.get(row)
        if before is None and value is None and not self.has_formula(row, column):
            return
        if not locks.free and not locks.is_free():
            locks.ensure_open(row, column)
            locks.ensure_no_heading(row, column)
        elif not 1 <= row <= MOST_ROWS or not 1 <= column <= MOST_COLUMNS or lines.gone_rows or lines.gone_columns:
            lines.ensure_there(row, column, self.where)
        if (row in self._stored.formula_rows[column] or self.overlay.formulas) and self.has_formula(row, column):
            raise placed(
                f"{self.where(row, column)} contains a formula. To replace it with a value, delete it first: "
                "cell.formula = nothing"
            )
        if type(value) is Decimal:
            if not -MOST_EXACT < value < MOST_EXACT:
                self._ensure_exact(row, column, value)
        elif type(value) is not str or not 0 < len(value) <= _MOST_CHARACTERS:
            value = self._storable(row, column, value)
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
        key, all_runs = key_of(row, column), self.overlay.runs
        former_runs = all_runs.get(key)
        former = self.change(key, value, column_values, before)
        self._shared.cells_changed()
        if runs is not None:
            all_runs[key] = runs
        elif former_runs is not None:
            del all_runs[key]
        restyled = None
        if type(value) is not str and type(value) is not Decimal and isinstance(value, date | Duration):
            restyled = self._show_as_moment(row, column, value)
        recorder, puts = self._shared.file.recorder, self._puts
        if former is not UNCHANGED or former_runs is not None or restyled is not None:
            recorder.note(PutAgain(self, key, before, value, former, former_runs, restyled))
            return
        puts = self._puts = recorder.column(puts if puts and puts.name == self.name else None, partial(Puts, self))
        if puts is not None:
            puts.note(key, before, value)
        else:
            recorder.note(Put(self, key, before, value))

    def restore(self, key: int, former: Value, before: Value) -> None:
        """Takes one change of a value back; `before` is the value that was seen."""
        super().restore(key, former, before)
        self._shared.cells_changed(back=True)

    def _storable(self, row: int, column: int, value: Value) -> Value:
        """A value as a cell contains it. Raises `Failure` for one that it cannot contain."""
        if isinstance(value, bool | Decimal | date) or value is None:
            if isinstance(value, date):
                self._shared.decoder.serial(value)
            return value
        if isinstance(value, str):
            if len(value) > _MOST_CHARACTERS:
                raise placed(f"{self.where(row, column)}: a cell can contain up to 32,767 characters")
            return str(value) or None
        if isinstance(value, Duration) and not value.on_calendar:
            return value
        raise placed(f"{self.where(row, column)}: a cell cannot contain {type_name(value)}")

    def _show_as_moment(self, row: int, column: int, value: Value) -> Undo | None:
        """Gives a cell a form in which a date or a duration is seen as one; returns how to undo it."""
        wanted = DURATION if isinstance(value, Duration) else TIME if isinstance(value, datetime) else DATE
        style = self.style(row, column)
        sort = self._shared.styles.sort(style)
        if sort != wanted and not (wanted == DATE and sort == TIME):
            fresh = self._shared.styles.derived(style, "number-format", self._shared.moment_forms[wanted])
            self.overlay.formed[key_of(row, column)] = fresh
            return self.overlay.put_style(key_of(row, column), fresh)
        return None

    def text(self, row: int, column: int) -> str:
        """What is seen in a cell."""
        value = self.value(row, column)
        if value is None or isinstance(value, str):
            return value or ""
        styles, style = self._shared.styles, self.style(row, column)
        if styles.is_local(style) and not isinstance(value, bool):
            raise Failure("how its date is shown depends on the reader's country. Use the value: cell.value").at(
                self.where(row, column)
            )
        try:
            return shown_as(value, styles.form(style), self._shared.decoder)
        except Failure as failure:
            raise failure.at(self.where(row, column)) from None

    # -- rows below all others

    def add_row(self, values: list[object]) -> None:
        """Writes values into the first row below all that is used, from the first used column on."""
        appended = self.overlay.appended
        if appended is None or not values:
            super().add_row(values)
            return
        row = appended.top + len(appended.rows)
        for value in values:
            if type(value) is not Decimal and (type(value) is not str or not 0 < len(value) <= _MOST_CHARACTERS):
                break
        else:  # as most rows are, and what goes before applies to this one too
            if row <= MOST_ROWS and appended.left + len(values) - 1 <= MOST_COLUMNS:
                fresh, shared = tuple(values), self._shared
                appended.rows.append(fresh)
                if shared.version:
                    shared.version += 1
                else:
                    shared.cells_changed()
                shared.file.recorder.note(RowAdded(self, row, appended.left, fresh, ()))
                return
        self.put_row(row, appended.left, values)

    def put_row(self, row: int, left: int, values: Sequence[Value]) -> None:
        """Gives the cells of a row below all others their values: one change for all of them."""
        overlay = self.overlay
        is_open = overlay.appended is not None or (not self.line_changes and self._locks.is_free())
        if not is_open or not 1 <= row <= MOST_ROWS or left + len(values) - 1 > MOST_COLUMNS:
            super().put_row(row, left, values)
            return
        fresh = [self._storable(row, left + place, value) for place, value in enumerate(values)]
        moments = [place for place, each in enumerate(fresh) if isinstance(each, date | Duration)]
        while fresh and fresh[-1] is None:
            fresh.pop()
        if not fresh:
            return
        appended = overlay.appended
        if appended is None or appended.left != left or appended.top + len(appended.rows) != row or overlay.live:
            overlay.materialize()
            appended = overlay.appended = AppendedRows(row, left)
        if None in fresh:
            appended.sparse.add(row)
        appended.rows.append(tuple(fresh))
        if fresh[0] is None or overlay.live:
            overlay.materialize()
        back = [self._show_as_moment(row, left + place, fresh[place]) for place in moments]
        self._shared.cells_changed()
        self.row_changed(row)
        self.file.recorder.note(RowAdded(self, row, left, tuple(values), [each for each in back if each is not None]))

    # -- where something is

    def used(self) -> Area | None:
        """The smallest range with all that contains something."""
        return self.spanning(self._stored.used())

    def stored_rows(self) -> Sequence[int]:
        """The rows that are stored or were written."""
        changed = (key >> 15 for key in (*self.overlay.values, *self.overlay.styles))
        return self.line_changes.kept_rows(sorted({*self._stored.loaded().stored.numbers, *changed}))

    def stored_places(self) -> Sequence[tuple[int, int]]:
        """Row and column of every cell that is stored or was written."""
        places = self._stored.places()
        changed = {place_of(key) for key in (*self.overlay.values, *self.overlay.styles)}
        return self.line_changes.kept_places(sorted(changed.union(places)) if changed else places)

    def filled_rows(self, area: Area, known: Iterable[ColumnValues] = ()) -> Sequence[int]:
        """The rows that hold a value in a range."""
        return self.line_changes.kept_rows(self._filled_rows(area, known))

    def _filled_rows(self, area: Area, known: Iterable[ColumnValues]) -> Sequence[int]:
        used = self.used()
        if used is None:
            return []
        area = area.within(used)
        rows, holding = self._stored.rows_between(area.top, area.bottom)
        values = self.overlay.values
        if not values and any(all(map(each.__contains__, rows)) for each in known):
            every = range(rows[0], rows[-1] + 1) if rows else rows
            return every if len(every) == len(rows) else rows
        changed = {key >> 15 for key in values}
        whole = area.left == used.left and area.right == used.right
        if whole and not changed:
            return holding()
        found = holding() if whole else rows
        found = [row for row in found if (whole and row not in changed) or self._row_holds(row, area)]
        changed -= set(found)
        fresh = [row for row in changed if area.top <= row <= area.bottom and self._row_holds(row, area)]
        return sorted([*found, *fresh]) if fresh else found

    def _row_holds(self, row: int, area: Area) -> bool:
        return any(self.raw_value(row, column) is not None for column in range(area.left, area.right + 1))

    # -- texts and looks

    def _texts_of(self, column: int) -> Mapping[int, str]:
        """The texts of a column by row; those of formulas can be among them."""
        overlay = self.overlay
        found = None
        if column not in overlay.live and not overlay.values and not self.line_changes:
            found = self._stored.texts_of(column)
        return super()._texts_of(column) if found is None else found

    def edit_text(self, row: int, column: int, text: str, edits: Sequence[Edit]) -> None:
        """Edits one text with its looks; one that is calculated, or the heading of a table, is passed by."""
        if (
            self.is_gone(row)
            or self.is_column_gone(column)
            or self.has_formula(row, column)
            or self._locks.headed(row, column) is not None
        ):
            return
        if not self._locks.is_free():
            why = self._locks.why_passed_by(row, column)
            if why:
                self.file.recorder.remarks.append(f"{self.where(row, column)} {why}. Skipped")
                return
            self._locks.ensure_open(row, column)
        runs = self._runs_in(row, column)
        rich = edited_runs(runs, edits) if runs and (len(runs) > 1 or runs[0].look) else None
        values = self.overlay.live.get(column, NOBODYS)
        self._put_quietly(row, column, self._storable(row, column, edited(text, edits)), text, values, rich)

    def _runs_in(self, row: int, column: int) -> list[Run] | None:
        """The runs of a text with several looks; None for a plain one."""
        key, overlay = key_of(row, column), self.overlay
        if key in overlay.values:
            return overlay.runs.get(key)
        if not overlay.runs and not self._stored.may_have_runs():
            return None
        return self._stored.runs_in(row, column)

    def put_look(self, row: int, column: int, word: str, value: object) -> None:
        """Changes how a cell looks."""
        self._looks.put(row, column, word, value)

    def put_column_look(self, column: int, word: str, value: object) -> None:
        """Changes how cells of a column look that are not filled yet: its own format (18.3.1.13)."""
        if column <= MOST_COLUMNS and not self.is_column_gone(column):
            self._looks.put_column(column, word, value)

    def look_like(self, row: int, column: int, other_row: int) -> None:
        """Gives a cell the look of another one of its column."""
        self._looks.liken((row, column), (other_row, column), "look", f"as in row {other_row}")

    # -- formulas

    def formula(self, row: int, column: int) -> str | None:
        """The formula of a cell; one that is shared is written out."""
        return self.formulas.at(row, column)

    def formulas_of(self, column: int) -> Mapping[int, str]:
        """The formulas of a column by row."""
        return super().formulas_of(column) if self.formulas.may_be_there else {}

    def styles_of(self, column: int) -> Callable[[int], int]:
        """What gives the number of a cell's format by its row."""
        return self._looks.styles_of(column)

    def put_formula(self, row: int, column: int, formula: str | None, down: int = 0, right: int = 0) -> None:
        """Gives a cell a formula, or takes it away and leaves its result just as it is stored."""
        self.formulas.put(row, column, formula, down, right)

    def totals_below(self, rows: Sequence[int], left: int, right: int) -> Collection[int]:
        """The last of some rows, as far as they add up the ones above."""
        return self.formulas.totals_below(rows, left, right)

    def empty(self, row: int, column: int) -> None:
        """Takes away what is in a cell, a formula too, regardless of its result."""
        self.formulas.take_away(row, column)
        self.put(row, column, None)

    def _move_content(self, start: tuple[int, int], end: tuple[int, int]) -> None:
        """Moves what a cell contains, with its format, to an empty one in the same merged range."""
        value, formula, runs = self.raw_value(*start), self.formula(*start), self._runs_in(*start)
        self._looks.liken(end, start, "format", f"as in {self.where(*start)}")
        if formula is not None:
            self.formulas.set_to(*end, None, formula, self.column_values(end[1]), None)
        elif value is not None and not isinstance(value, CellError):
            self._put_quietly(*end, value, self.raw_value(*end), self.column_values(end[1]), runs)

    # -- lines

    def measure(self, line: int, is_row: bool, word: str) -> object:
        """Width, height, level, or whether a row or column is hidden or ends a page."""
        return self._pieces.measure(line, is_row, word)

    def put_measure(self, line: int, is_row: bool, word: str, value: object) -> None:
        """Changes it."""
        self._pieces.put_measure(line, is_row, word, value)
        if is_row and word == "hidden":
            self._shared.cells_changed()

    def _ensure_line_moves(self, line: int, is_row: bool) -> None:
        """Raises `Failure` for a line of a protected sheet, or one that a file has where no sheet can."""
        if self.saved.part.skeleton().root.name != "worksheet":
            raise Failure(f'"{self.name}" is a chart sheet and has no cells')
        ensure_unprotected(self)
        numbers = self._stored.loaded().stored.numbers
        if numbers and numbers[-1] > MOST_ROWS:
            raise Failure(f"{self.name} has rows beyond the sheet's limit ({MOST_ROWS:,})")

    def _row_went(self, back: bool = False) -> None:
        self.overlay.materialize()
        super()._row_went(back)
        self._shared.cells_changed(back=back)

    def _ensure_whole_after(self, is_row: bool) -> None:
        """Raises `Failure` where lines were moved out of a merged range, or into one before its first."""
        from scrub.formats.workbook.structure.merged_lines import ensure_whole  # rarely needed

        ensure_whole(self, self.line_changes, is_row)

    def delete_row(self, row: int) -> None:
        """Deletes a row; what a merged range shows stays when its first row is deleted."""
        self._ensure_row_goes(row)
        self._keep_shown(row, True)
        super().delete_row(row)

    def delete_column(self, column: int) -> None:
        """Deletes a column; what a merged range shows stays when its first column is deleted."""
        self._ensure_line_moves(column, False)
        self._keep_shown(column, False)
        super().delete_column(column)

    def _keep_shown(self, line: int, is_row: bool) -> None:
        from scrub.formats.workbook.structure.merged_lines import hidden_starts  # rarely needed

        for start, end in hidden_starts(self.merged(), self.line_changes, self._locks.shown_cell, line, is_row):
            self._move_content(start, end)

    def _look_like_line(self, fresh: int, line: int, is_row: bool) -> Undo:
        """Gives a new line the looks of another one; returns how to undo it."""
        from scrub.formats.workbook.structure.merged_lines import like_line  # rarely needed

        unlike_cells = like_line(self.overlay, self._stored.loaded().stored, fresh, line, is_row)
        unlike = self._pieces.lines.make_like(fresh, line, is_row)

        def revert() -> None:
            unlike()
            unlike_cells()

        return revert

    @cached_property
    def _order(self) -> SheetOrder:
        from scrub.formats.workbook.cells.sheet_order import SheetOrder  # rarely needed

        return SheetOrder(
            self,
            self._shared,
            self.overlay,
            self._stored,
            self.line_changes,
            self._locks,
            self.formulas,
            self.stale,
            lambda: self._pieces.links.any,
            self._runs_in,
            self._looks.styles_of,
        )

    def order_rows(self, rows: Sequence[int], left: int, right: int) -> Undo:
        """Puts what is in some rows into an order, looks and formulas too."""
        in_bytes = self._order.begin(rows, left, right)
        if in_bytes is not None:
            return in_bytes
        back = super().order_rows(rows, left, right)
        self._shared.cells_changed()

        def all_back() -> None:
            back()
            self._shared.cells_changed(back=True)

        return all_back

    def _ensure_row_moves(self, row: int, left: int, right: int) -> None:
        self._order.ensure_row_moves(row, left, right)

    def _order_column(self, column: int, moves: Sequence[tuple[int, int]], backs: list[Undo]) -> None:
        """Moves the values of a column with their looks, and its formulas, which then refer to their own new row."""
        calculated = self._order.calculates(column, moves)
        if not calculated and self._order.looks_alike(column, moves):
            super()._order_column(column, moves, backs)
        else:
            self._order.move(column, moves, backs, calculated, self._moved_value)

    # -- what depends on its cells

    def setting(self, word: str) -> object:
        """What is set for the sheet as a whole."""
        return self._pieces.settings.get(word)

    def put_setting(self, word: str, value: object) -> None:
        """Sets it."""
        self._pieces.settings.put(word, value)

    def merged(self) -> Collection[Area]:
        """The merged ranges."""
        return self._pieces.merges.areas

    def merge(self, area: Area) -> None:
        """Merges a range."""
        self._pieces.merges.merge(area)

    def unmerge(self, area: Area) -> None:
        """Takes a merge apart."""
        self._pieces.merges.unmerge(area)

    def restriction(self, row: int, column: int) -> Restriction | None:
        """What may be entered into a cell."""
        return self._pieces.validations.at(row, column)

    def put_restriction(self, area: Area, restriction: Restriction | None) -> None:
        """Sets what may be entered into the cells of a range."""
        self._pieces.validations.put(area, restriction)

    def each_validation(self) -> Iterator[Validation]:
        """Its rules about what may be entered into cells."""
        return self._pieces.validations.every()

    def each_conditional_format(self) -> Iterator[ConditionalFormat]:
        """Its looks that cells get by what is in them."""
        return self._pieces.conditional.every()

    def add_conditional_format(self, area: Area, when: When, emphasis: Emphasis) -> None:
        """Highlights those cells of a range that fulfil a condition."""
        self._pieces.conditional.add(area, when, emphasis)

    def add_colour_scale(self, area: Area, colours: Sequence[str]) -> None:
        """Gives the cells of a range colours by their numbers."""
        self._pieces.conditional.add_scale(area, colours)

    def clear_conditional_formats(self, area: Area) -> None:
        """Takes all conditional formats away from the cells of a range."""
        self._pieces.conditional.clear(area)

    def each_picture(self) -> Iterator[OfficePicture]:
        """Its pictures."""
        return self._pieces.drawings.pictures()

    def each_chart(self) -> Iterator[OfficeChart]:
        """In the order of the drawing part (21.2)."""
        return self._pieces.drawings.charts()

    def link(self, row: int, column: int) -> str | None:
        """Where a click on a cell leads."""
        return self._pieces.links.at(row, column)

    def put_link(self, area: Area, target: str | None) -> None:
        """Sets where a click on the cells of a range leads."""
        self._pieces.ensure_no_copy("links")
        self._pieces.links.put(area, target, self._locks.ensure_open)

    def comments(self) -> Iterator[Noted]:
        """Its comments, in reading order."""
        return self._pieces.notes.noted()

    def comment_text(self, row: int, column: int) -> str | None:
        """What the comment of a cell says."""
        return self._pieces.notes.text(row, column)

    def put_comment(self, row: int, column: int, text: str | None) -> None:
        """Writes a comment, or removes it."""
        if text != self._pieces.notes.text(row, column):
            self._pieces.ensure_no_copy("comments")
            self._locks.ensure_open(row, column)
            self._pieces.notes.put(row, column, text)

    def tables(self) -> Iterator[TablePlace]:
        """Tables of the file (18.5), not areas of plain cells."""
        return iter(self._pieces.tables.places())

    def grow_table(self, name: str, heading: str | None, back: Undo) -> None:
        """Makes a table a row longer, or a column wider."""
        self._pieces.ensure_no_copy("tables")
        shrink = self._pieces.tables.grow(name, heading)
        self._locks.changed()

        def revert() -> None:
            shrink()
            self._locks.changed()
            back()

        place = next(table for table in self.tables() if table.name == name)
        now = place.bottom - place.area.top if heading is None else place.area.right - place.area.left + 1
        self.changed(f"{'rows' if heading is None else 'columns'} in {name}", now - 1, now, revert)

    def table_style(self, name: str) -> str | None:
        """The name of the style (18.5.1.5); None for none."""
        return self._pieces.tables.style(name)

    def put_table_style(self, name: str, style: str | None) -> Undo:
        """Gives a table another style."""
        ensure_unprotected(self)
        self._pieces.ensure_no_copy("tables")
        known = self._shared.styles.table_styles()
        return self._pieces.tables.put_style(name, None if style is None else style_named(style, known, "table style"))

    def named_range(self, name: str) -> tuple[Grid, Area] | None:
        """The range that has a defined name in the workbook."""
        found = self._shared.names.area(name)
        return (self._shared.grid_named(found[0]), found[1]) if found else None

    def range_name(self, area: Area) -> str | None:
        """The defined name of just this range."""
        from scrub.formats.workbook.names.range_names import range_name  # rarely needed

        return range_name(self._shared.names, self.saved.part.sheet, self.name, area)

    def put_range_name(self, area: Area, name: str | None) -> None:
        """Gives a range a name, or takes its name away."""
        before = self.range_name(area)
        if before != name:
            from scrub.formats.workbook.names.range_names import put_range_name  # rarely needed

            back = put_range_name(self._shared, self.name, area, before, name)
            self.changed("name", before, name, back, inner=(area,))

    # -- protection

    @property
    def protected(self) -> bool:
        """Whether its locked cells cannot be changed."""
        return self._pieces.protection.on

    @property
    def password_needed(self) -> bool:
        """Whether a password opens it."""
        return self._pieces.protection.on and self._pieces.protection.has_password

    @property
    def allowed(self) -> list[SheetPermission]:
        """What stays possible."""
        return self._pieces.protection.allowed() if self.protected else []

    @property
    def selectable(self) -> Selecting:
        """Which cells can be selected."""
        return self._pieces.protection.selectable() if self.protected else Selecting.ANY_CELL

    def protect(
        self,
        password: Secret | None = None,
        allow: Sequence[SheetPermission] = (),
        select: Selecting = Selecting.ANY_CELL,
    ) -> None:
        """Stops changes to the locked cells."""
        self._pieces.protection.protect(password, allow, select)

    def unprotect(self, password: Secret | None = None) -> None:
        """Lifts the protection."""
        self._pieces.protection.unprotect(password)

    # -- its tab

    @property
    def file(self) -> FileItem:
        """The workbook."""
        return self._shared.file

    @property
    def name(self) -> str:
        """The name on its tab."""
        return self._tab.name

    @name.setter
    def name(self, value: str) -> None:
        self._tab.rename(value)

    @property
    def number(self) -> int:
        """Its place among the sheets, from 1."""
        return self._tab.number

    @property
    def removed(self) -> bool:
        """Whether it was deleted in this run."""
        return self._tab.is_deleted

    @property
    def hidden(self) -> bool:
        """Whether its tab is not shown."""
        return self.saved.state != "visible"

    @hidden.setter
    def hidden(self, value: bool) -> None:
        self._tab.hide(value)

    @property
    def active(self) -> bool:
        """Whether it is in front when the file is opened."""
        return self._shared.front is self

    @active.setter
    def active(self, value: bool) -> None:
        self._tab.activate(value)

    def move_to(self, place: int) -> None:
        """Gives its tab another place."""
        self._tab.move_to(place)

    def delete(self) -> None:
        """Takes the sheet out; whether others refer to it is looked up when the file is saved."""
        self._tab.delete()

    def copy(self, name: str) -> OfficeSheet:
        """Makes a sheet like this one, as it is in the file, after the last one."""
        self._tab.ensure_copied(bool(self.line_changes))
        made: OfficeSheet = self._shared.make_sheet(name, self)
        return made


def _are_plain(values: Sequence[Value]) -> bool:
    """Whether all are texts, or all numbers, that any cell can contain."""
    kinds = set(map(type, values))
    if kinds == {str}:
        return all(0 < len(each) <= _MOST_CHARACTERS for each in set(values) if isinstance(each, str))
    return kinds == {Decimal} and all(
        -MOST_EXACT < each < MOST_EXACT for each in set(values) if isinstance(each, Decimal)
    )
