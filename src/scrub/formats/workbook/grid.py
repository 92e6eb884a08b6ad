"""The cells of a sheet of a workbook: read from the bytes, changed in memory, spliced when the file is saved."""

from __future__ import annotations

from bisect import bisect_left
from collections.abc import Callable, Iterable, Sequence
from datetime import date, datetime
from decimal import Decimal
from functools import lru_cache, partial
from operator import itemgetter
from typing import TYPE_CHECKING, Any
from weakref import WeakValueDictionary

from scrub.formats.workbook.colours import same_colour
from scrub.formats.workbook.formulas import translated
from scrub.formats.workbook.shown import shown_as
from scrub.formats.workbook.stored import Searched, Stored, StoredCell
from scrub.formats.workbook.strings import Run, edited_runs, runs_of
from scrub.formats.workbook.styles import DATE, DURATION, TIME
from scrub.model.amounts import Duration
from scrub.model.area import MOST_COLUMNS, MOST_ROWS, Area, address_of, area_of
from scrub.model.grid import ColumnValues, Editing, Trouble, edited
from scrub.model.problem import Failure
from scrub.model.sheet import Sheet
from scrub.model.values import Value, same, shown, type_name

if TYPE_CHECKING:
    from scrub.formats.workbook.book import OfficeWorkbook

#: The forms in which a date, a time and a duration are shown where a cell has no form of its own for them.
_FORMS = {DATE: "mm-dd-yy", TIME: "m/d/yy h:mm", DURATION: "[h]:mm:ss"}
#: Columns read one by one before a sheet is read as a whole.
_FEW = 16
#: Cells read one by one before whole columns are.
_SINGLE = 200


class Loaded:
    """What was read of a sheet's part; let go when other sheets are read."""

    def __init__(self, stored: Stored) -> None:
        self.stored = stored
        self.columns: dict[int, ColumnValues] = {}
        self.singles = 0
        self.rich: bool | None = None  # whether some text may have several looks
        self.used: Area | None = None


class SheetCells(Sheet):
    """Cells as they should be. A key is row and column in one number."""

    book: OfficeWorkbook
    part: str | None

    def __init__(self) -> None:
        self.values: dict[int, Value] = {}
        self.formulas: dict[int, str | None] = {}
        self.runs: dict[int, list[Run]] = {}
        self.styles: dict[int, int] = {}
        self._live: WeakValueDictionary[int, ColumnValues] = WeakValueDictionary()
        self._formula_rows: dict[int, set[int]] = {}
        self._arrays: list[Area] | None = None
        self._covered: tuple[int, dict[int, Area]] = (-1, {})
        self._free: bool | None = None  # whether all its cells can be changed; None when that must be looked up

    @staticmethod
    def key(row: int, column: int) -> int:
        """Row and column in one number."""
        return row << 14 | column - 1

    @staticmethod
    def place(key: int) -> tuple[int, int]:
        """Row and column of a key."""
        return key >> 14, (key & 0x3FFF) + 1

    # -- reading

    def load(self) -> Loaded:
        """The stored cells, kept for the sheets that were read last."""
        return self.book.loaded(self)

    def read_stored(self) -> Stored:
        """The stored cells, read from the part."""
        raise NotImplementedError

    def stored(self, row: int, column: int) -> StoredCell | None:
        """A cell as it is stored."""
        return self.load().stored.cell(row, column)

    def column_values(self, column: int) -> ColumnValues:
        """The values of a column."""
        loaded = self.load()
        found = loaded.columns.get(column)
        if found is None:
            found = self._live.get(column)
            if found is None:
                if len(loaded.columns) >= _FEW:
                    self._read_all(loaded)
                    found = loaded.columns.get(column)
                if found is None:
                    found = self._read_column(loaded.stored, column)
                    self._live[column] = found
            loaded.columns[column] = found
        return found

    def live_column(self, column: int) -> ColumnValues | None:
        """The values of a column, if somebody holds them."""
        return self._live.get(column)

    def _read_column(self, stored: Stored, column: int) -> ColumnValues:
        found = ColumnValues()
        formulas: set[int] = set()

        if isinstance(stored, Searched):
            plain = stored.plain_column(column)
            others: list[Any] = []
            if not all(map(_ENDING, plain)):
                others = [cell[0] for cell in plain if not cell[4] and not cell[1].endswith(b"/")]
                plain = [cell for cell in plain if cell[4]]
            # As many cells as rows: then each row has one.
            numbers = stored.numbers if len(plain) == len(stored.numbers) else None
            found.update(self.book.decoder.column(plain, partial(self.where, column=column), numbers))
            cells: Any = (stored.cell(int(row), column) for row in others)
        else:
            cells = stored.column(column)
        for cell in cells:
            if cell is not None:
                self._take(found, formulas, cell)
        self._formula_rows[column] = formulas
        return self._with_changes(found, column)

    def _take(self, found: ColumnValues, formulas: set[int], cell: StoredCell) -> None:
        value = self.book.decoder.value(cell, lambda: self.where(cell.row, cell.column))
        if value is not None:
            found[cell.row] = value
        if cell.formula is not None:
            formulas.add(cell.row)

    def _read_all(self, loaded: Loaded) -> None:
        """All columns in one pass: a sheet that is read cell by cell would otherwise be searched once a column."""
        fresh: dict[int, ColumnValues] = {}
        formulas: dict[int, set[int]] = {}
        stored = loaded.stored
        if isinstance(stored, Searched):
            plain: dict[int, list[Any]] = {}
            for row, column, attributes, raw, text in stored.plain_cells():
                if attributes is not None:
                    plain.setdefault(column, []).append((row, attributes, raw, text))
                    continue
                cell = stored.cell(row, column)
                if cell is not None:
                    self._take(fresh.setdefault(column, ColumnValues()), formulas.setdefault(column, set()), cell)
            for column, cells in plain.items():
                fresh.setdefault(column, ColumnValues()).update(
                    self.book.decoder.column(cells, partial(self.where, column=column))
                )
                formulas.setdefault(column, set())
        else:
            for cell in stored.all_cells():
                self._take(fresh.setdefault(cell.column, ColumnValues()), formulas.setdefault(cell.column, set()), cell)
        for column, found in fresh.items():
            if column not in loaded.columns and column not in self._live:
                self._formula_rows[column] = formulas[column]
                loaded.columns[column] = self._live[column] = self._with_changes(found, column)

    def _with_changes(self, found: ColumnValues, column: int) -> ColumnValues:
        if self.values:
            for key, value in self.values.items():
                if (key & 0x3FFF) + 1 == column:
                    _keep(found, key >> 14, value)
        return found

    def raw_value(self, row: int, column: int) -> Value:
        """The value of a cell, or a `Trouble`."""
        loaded = self.load()
        known = loaded.columns.get(column)
        if known is not None:
            return known.get(row)
        key = self.key(row, column)
        if key in self.values:
            return self.values[key]
        loaded.singles += 1
        if loaded.singles > _SINGLE or column in self._live:
            return self.column_values(column).get(row)
        cell = loaded.stored.cell(row, column)
        return self.book.decoder.value(cell, lambda: self.where(row, column)) if cell is not None else None

    def used(self) -> Area | None:
        """The smallest range with all that holds something."""
        loaded = self.load()
        if loaded.used is None:
            stored = loaded.stored
            filled = [index for index in _ends(stored) if index >= 0]
            columns = stored.columns() if filled else ()
            rows = [stored.numbers[index] for index in filled] if columns else []
            loaded.used = Area(rows[0], columns[0], rows[-1], columns[-1]) if rows else Area(0, 0, 0, 0)
        top, left, bottom, right = loaded.used
        for key, value in self.values.items():
            if value is not None:
                row, column = self.place(key)
                if not bottom:
                    top, left, bottom, right = row, column, row, column
                top, left, bottom, right = min(top, row), min(left, column), max(bottom, row), max(right, column)
        return Area(top, left, bottom, right) if bottom else None

    def stored_rows(self) -> Sequence[int]:
        """The rows that are stored or were written."""
        return sorted({*self.load().stored.numbers, *(key >> 14 for key in (*self.values, *self.styles))})

    def stored_columns(self, row: int) -> Sequence[int]:
        """The columns of the cells that are stored or were written in a row."""
        stored = self.load().stored
        index = stored.index(row)
        there = {cell.column for cell in stored.cells(index)} if index >= 0 else set()
        there |= {(key & 0x3FFF) + 1 for key in (*self.values, *self.styles) if key >> 14 == row}
        return sorted(there)

    def filled_rows(self, area: Area, known: Iterable[ColumnValues] = ()) -> list[int]:
        """The rows that hold a value in a range."""
        used = self.used()
        if used is None:
            return []
        area = area.within(used)
        stored = self.load().stored
        first, last = bisect_left(stored.numbers, area.top), bisect_left(stored.numbers, area.bottom + 1)
        rows = stored.numbers[first:last]
        if any(each.keys() >= set(rows) for each in known) and not self.values:
            return rows
        changed = {key >> 14 for key in self.values}
        whole = area.left == used.left and area.right == used.right
        if whole and not changed:
            return stored.holding(first, last)
        found = stored.holding(first, last) if whole else rows
        found = [row for row in found if (whole and row not in changed) or self._row_holds(row, area)]
        changed -= set(found)
        fresh = [row for row in changed if area.top <= row <= area.bottom and self._row_holds(row, area)]
        return sorted([*found, *fresh]) if fresh else found

    def _row_holds(self, row: int, area: Area) -> bool:
        return any(self.raw_value(row, column) is not None for column in range(area.left, area.right + 1))

    def text(self, row: int, column: int) -> str:
        """What is seen in a cell."""
        value = self.value(row, column)
        if value is None or isinstance(value, str):
            return value or ""
        form = self.book.styles.form(self.style(row, column))
        try:
            return shown_as(value, form, self.book.decoder)
        except Failure as failure:
            raise failure.at(self.where(row, column)) from None

    # -- what may be changed

    def ensure_open(self, row: int, column: int) -> None:
        """Raises `Failure` when a cell cannot be changed: it is locked, merged away, part of an array, or a heading."""
        if not 1 <= row <= MOST_ROWS or not 1 <= column <= MOST_COLUMNS:
            raise Failure(f"row {row}, column {column} lies outside the sheet")
        if self.protected and self.book.styles.locked(self.style(row, column)):
            raise _placed(
                f"{self.where(row, column)} is locked, and the sheet is protected. "
                "Take the protection off first: unprotect"
            )
        area = self._merged_over(row, column)
        if area is not None:
            raise _placed(f"{self.where(row, column)} lies under the merged range {area}; write into its first cell")
        for area in self.arrays():
            if area.holds(row, column):
                raise _placed(
                    f"{self.where(row, column)} is part of the array formula in {area}; change that in its own program"
                )

    def is_free(self) -> bool:
        """Whether nothing on the sheet keeps a cell from being changed: asked once for many cells."""
        if self._free is None:
            self._free = not (self.protected or self.merged() or self.arrays() or any(self.tables()))
        return self._free

    def _merged_over(self, row: int, column: int) -> Area | None:
        merged = self.merged()
        if not merged:
            return None
        if self._covered[0] != len(merged):
            covered = (
                {
                    self.key(each_row, each_column): area
                    for area in merged
                    for each_row in range(area.top, area.bottom + 1)
                    for each_column in range(area.left, area.right + 1)
                    if (each_row, each_column) != (area.top, area.left)
                }
                if sum((a.bottom - a.top + 1) * (a.right - a.left + 1) for a in merged) < 500_000
                else {}
            )
            self._covered = (len(merged), covered)
        if self._covered[1]:
            return self._covered[1].get(self.key(row, column))
        return next((a for a in merged if a.holds(row, column) and (row, column) != (a.top, a.left)), None)

    def arrays(self) -> list[Area]:
        """The ranges of array formulas and data tables, spills included (18.3.1.40)."""
        if self._arrays is None:
            data = self.load().stored.data
            self._arrays = []
            if b'"array"' in data or b"'array'" in data or b"dataTable" in data:
                for cell in self.load().stored.all_cells():
                    if cell.formula is not None and cell.formula.type in ("array", "dataTable"):
                        ref = cell.formula.ref or address_of(cell.row, cell.column)
                        self._arrays.append(area_of(ref))
        return self._arrays

    def has_formula(self, row: int, column: int) -> bool:
        """Whether a cell is calculated."""
        key = self.key(row, column)
        if key in self.formulas:
            return self.formulas[key] is not None
        if column not in self._formula_rows:
            self.column_values(column)
        return row in self._formula_rows.get(column, ())

    # -- changing values

    def put(self, row: int, column: int, value: Value) -> None:
        """Gives a cell a value."""
        column_values = self._live.get(column)
        if column_values is None:
            column_values = self.column_values(column)
        before = column_values.get(row)
        if before is None and value is None:
            return
        if not self._free and not self.is_free():
            self.ensure_open(row, column)
            self._ensure_no_heading(row, column)
        elif not 1 <= row <= MOST_ROWS or not 1 <= column <= MOST_COLUMNS:
            raise Failure(f"row {row}, column {column} lies outside the sheet")
        if (row in self._formula_rows[column] or self.formulas) and self.has_formula(row, column):
            raise _placed(
                f"{self.where(row, column)} holds a formula. To put a value in its place, first take that away: "
                "cell.formula = nothing"
            )
        if type(value) is not Decimal:
            value = self._storable(row, column, value)
        if type(before) is type(value) and (before == value or same(before, value, True)):
            return
        self._put_quietly(row, column, value, before, column_values)

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
        key = self.key(row, column)
        values, all_runs = self.values, self.runs
        former, former_runs = values.get(key, _NONE), all_runs.get(key)
        values[key] = value
        if runs is not None:
            all_runs[key] = runs
        elif former_runs is not None:
            del all_runs[key]
        _keep(column_values, row, value)
        self.row_changed(row)
        restyled = self._show_as_moment(row, column, value) if isinstance(value, date | Duration) else None
        told = before.error or "damaged" if isinstance(before, Trouble) else before
        revert = _Revert(self, key, former, former_runs, before, restyled)
        self.note(address_of(row, column), _told(told), _told(value), revert)

    def _storable(self, row: int, column: int, value: Value) -> Value:
        if isinstance(value, bool | Decimal | date) or value is None:
            if isinstance(value, date):
                self.book.decoder.serial(value)
            return value
        if isinstance(value, str):
            if len(value) > 32_767:
                raise _placed(f"{self.where(row, column)}: a cell holds at most 32,767 characters")
            return str(value) or None
        if isinstance(value, Duration) and not value.on_calendar:
            return value
        raise _placed(f"{self.where(row, column)}: a cell cannot hold {type_name(value)}")

    def _show_as_moment(self, row: int, column: int, value: Value) -> Callable[[], None] | None:
        wanted = DURATION if isinstance(value, Duration) else TIME if isinstance(value, datetime) else DATE
        style = self.style(row, column)
        sort = self.book.styles.sort(style)
        if sort != wanted and not (wanted == DATE and sort == TIME):
            return self.put_style(row, column, self.book.styles.derived(style, "number-form", _FORMS[wanted]))
        return None

    def _ensure_no_heading(self, row: int, column: int) -> None:
        for table in self.tables():
            if row == table.area.top and table.area.left <= column <= table.area.right:
                raise _placed(
                    f'{self.where(row, column)} is a heading of the table "{table.label}", which formulas know by it; '
                    "change it in its own program"
                )

    # -- formulas

    def formula(self, row: int, column: int) -> str | None:
        """The formula of a cell; one that is shared is written out."""
        key = self.key(row, column)
        if key in self.formulas:
            found = self.formulas[key]
            return None if found is None else f"={found}"
        if not self.has_formula(row, column):
            return None
        cell = self.stored(row, column)
        assert cell is not None
        return f"={self._written_out(cell)}"

    def _written_out(self, cell: StoredCell) -> str:
        of = cell.formula
        assert of is not None
        if of.type != "shared" or of.text:
            return of.text
        for other in self._sharing(of.si):
            if other.formula is not None and other.formula.text:
                return translated(other.formula.text, cell.row - other.row, cell.column - other.column)
        raise _placed(f"{self.where(cell.row, cell.column)}: its formula is shared with a cell that is missing")

    def _sharing(self, number: str) -> list[StoredCell]:
        """The cells that share a formula, from above."""
        every = self.load().stored.all_cells()
        return [c for c in every if c.formula is not None and c.formula.type == "shared" and c.formula.si == number]

    def put_formula(self, row: int, column: int, formula: str | None) -> None:
        """Gives a cell a formula, or takes it away."""
        before = self.formula(row, column)
        if formula is not None:
            formula = "=" + formula.strip().removeprefix("=")
            if formula == "=":
                raise Failure("an empty formula; to take it away write: cell.formula = nothing")
        if formula == before:
            return
        self.ensure_open(row, column)
        self._ensure_no_heading(row, column)
        self._unshare(row, column)
        key = self.key(row, column)
        formulas, values = self.formulas, self.values
        former, former_value = formulas.get(key, _NONE), values.get(key, _NONE)
        result = self.raw_value(row, column)
        formulas[key] = formula[1:] if formula else None
        if formula is None and not isinstance(result, Trouble):
            values[key] = result
        elif formula is None:
            values[key] = None
            _keep(self.column_values(column), row, None)

        def revert() -> None:
            _restore(formulas, key, former)
            _restore(values, key, former_value)
            live = self._live.get(column)
            if live is not None:
                _keep(live, row, result)

        self.note(f"{address_of(row, column)} formula", before, formula, revert)

    def _unshare(self, row: int, column: int) -> None:
        """Where the first of the cells that share a formula changes, the others get it written out."""
        cell = self.stored(row, column)
        if cell is None or cell.formula is None or cell.formula.type != "shared" or not cell.formula.text:
            return
        for other in self._sharing(cell.formula.si):
            key = self.key(other.row, other.column)
            if key not in self.formulas and (other.row, other.column) != (row, column):
                self.formulas[key] = translated(cell.formula.text, other.row - row, other.column - column)

    # -- texts

    def edit_area(self, area: Area, editing: Editing) -> None:
        """Edits every text in a range; formulas, numbers and headings of tables are passed by."""
        used = self.used()
        if used is None:
            return
        area = area.within(used)
        known: dict[str, Any] = {}
        headings = [Area(t.area.top, t.area.left, t.area.top, t.area.right) for t in self.tables()]
        for column in range(area.left, area.right + 1):
            texts = self._texts(column)
            for text in set(texts.values()).difference(known):
                known[text] = tuple(editing(text))
            wanted = [
                (row, text, edits)
                for row, text in texts.items()
                if (edits := known[text]) and area.top <= row <= area.bottom
            ]
            values = self._live.get(column, _NOBODYS)
            for row, text, edits in wanted:
                if not self.has_formula(row, column) and not any(each.holds(row, column) for each in headings):
                    self._edit(row, column, text, edits, values)

    def _texts(self, column: int) -> dict[int, str]:
        """The texts of a column by row; those of formulas can be among them."""
        loaded = self.load()
        if column not in self._live and not self.values and isinstance(loaded.stored, Searched):
            plain = loaded.stored.plain_column(column)
            if all(map(_ENDING, plain)):  # so that there is no formula among them
                self._formula_rows.setdefault(column, set())
                return self.book.decoder.column(plain, partial(self.where, column=column), texts_only=True)
        return {row: text for row, text in self.column_values(column).items() if type(text) is str}

    def _edit(self, row: int, column: int, text: str, edits: Sequence[Any], values: ColumnValues) -> None:
        if not self.is_free():
            self.ensure_open(row, column)
        fresh = edited(text, edits)
        runs = self._runs(row, column)
        rich = edited_runs(runs, edits) if runs and (len(runs) > 1 or runs[0].look) else None
        self._put_quietly(row, column, fresh or None, text, values, rich)

    def _runs(self, row: int, column: int) -> list[Run] | None:
        """The runs of a text with several looks; None for a plain one."""
        key = self.key(row, column)
        if key in self.values:
            return self.runs.get(key)
        loaded = self.load()
        if loaded.rich is None:
            data = loaded.stored.data
            loaded.rich = not self.book.strings().plain or b"<r>" in data or b":r>" in data
        if not loaded.rich:
            return None
        cell = self.stored(row, column)
        if cell is None:
            return None
        if cell.inline is not None:
            return runs_of(cell.inline)
        if cell.type == "s" and cell.value:
            return self.book.strings().runs(int(cell.value))
        return None

    # -- looks

    def style(self, row: int, column: int) -> int:
        """The number of a cell's format; a cell that is not stored has its row's or its column's."""
        found = self.styles.get(self.key(row, column))
        if found is not None:
            return found
        cell = self.stored(row, column)
        return cell.style if cell is not None else self.inherited_style(row, column)

    def inherited_style(self, row: int, column: int) -> int:
        """The format that a new cell gets from its row or column."""
        raise NotImplementedError

    def look(self, row: int, column: int, word: str) -> Any:
        """How a cell looks."""
        return self.book.styles.look(self.style(row, column), word)

    def put_look(self, row: int, column: int, word: str, value: Any) -> None:
        """Changes how a cell looks."""
        style = self.style(row, column)
        before = self.book.styles.look(style, word)
        if word in ("fill", "colour"):
            value = same_colour(value)
        if before == value:
            return
        if self.protected:
            raise _placed(
                f"{self.where(row, column)}: the sheet is protected. Take the protection off first: unprotect"
            )
        fresh = self.book.styles.derived(style, word, value)
        revert = self.put_style(row, column, fresh)
        self.note(f"{address_of(row, column)} {word}", before, value, revert)

    def put_style(self, row: int, column: int, style: int) -> Callable[[], None]:
        """Gives a cell another format; gives what takes that back."""
        key, styles = self.key(row, column), self.styles
        former = styles.get(key)
        styles[key] = style

        def revert() -> None:
            if former is None:
                styles.pop(key, None)
            else:
                styles[key] = former

        return revert

    def note(self, what: str, before: Any, after: Any, revert: Callable[[], None], said: str = "") -> None:
        """Notes a change of something on this sheet."""
        self.changed(what, before, after, revert, said)

    @property
    def cells_touched(self) -> bool:
        """Whether the stored cells must change."""
        return bool(self.values or self.formulas or self.styles)


_NONE = object()
_NOBODYS = ColumnValues()  # takes what nobody has read yet
_ENDING = itemgetter(4)


def _restore(kept: dict[int, Any], key: int, was: Any) -> None:
    if was is _NONE:
        kept.pop(key, None)
    else:
        kept[key] = was


class _Revert:
    """Takes back one value. A class of its own: a run can make a hundred thousand of them, and closures are big."""

    __slots__ = ("before", "former", "key", "restyled", "runs", "sheet")

    def __init__(
        self,
        sheet: SheetCells,
        key: int,
        former: Value,
        runs: list[Run] | None,
        before: Value,
        restyled: Callable[[], None] | None,
    ) -> None:
        self.sheet = sheet
        self.key = key
        self.former = former
        self.runs = runs
        self.before = before
        self.restyled = restyled

    def __call__(self) -> None:
        sheet, key = self.sheet, self.key
        row, column = sheet.place(key)
        if self.restyled is not None:
            self.restyled()
        _restore(sheet.values, key, self.former)
        _restore(sheet.runs, key, _NONE if self.runs is None else self.runs)
        live = sheet.live_column(column)
        if live is not None:
            _keep(live, row, self.before)
        sheet.row_changed(row)


def _keep(values: ColumnValues, row: int, value: Value) -> None:
    if values is _NOBODYS:
        return
    values.version += 1
    if value is None:
        values.pop(row, None)
    else:
        values[row] = value


@lru_cache(maxsize=512)
def _quoted(text: str) -> str:
    return f'"{text}"'


def _told(value: Value) -> Any:
    """A value as the list of changes shows it; texts between quotes."""
    if type(value) is str:
        return _quoted(value)
    return value if value is None else shown(value)


def _placed(what: str) -> Failure:
    found = Failure(what)
    found.placed = True
    return found


def _ends(stored: Stored) -> Iterable[int]:
    """The first and the last stored row that holds something."""
    last = len(stored.numbers)
    first = next((index for index in range(last) if stored.holds(index)), -1)
    return first, next((index for index in range(last - 1, -1, -1) if stored.holds(index)), -1)
