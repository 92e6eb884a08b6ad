"""Cells under headings as rows: a table of a workbook, or a whole sheet as one."""

from __future__ import annotations

from collections.abc import Callable, Collection, Iterable, Mapping, Sequence
from itertools import compress

from scrub.model.cells.alike import asked_once
from scrub.model.cells.grid import CellError, ColumnValues, Grid, TablePlace
from scrub.model.cells.rows import Reader, Rows
from scrub.model.core.area import Area, letters_of
from scrub.model.core.change import Undo
from scrub.model.core.declare import FileItem, Item
from scrub.model.core.predicate import Setting, Sieve
from scrub.model.core.problem import Failure, Missing, did_you_mean
from scrub.model.core.series import Fixed, Series
from scrub.model.core.text import Editing
from scrub.model.core.values import Value, heading_key, shown

#: What people ask of a record and mean its row by.
_OF_ROWS = frozenset(("row", "values", "number", "fill", "bold", "height", "hidden", "colour"))


class GridRows(Rows):
    """The rows of a range of cells; a row is its number."""

    def __init__(self, sheet: Grid, area: Area, name: str = "", bottom: int | None = None) -> None:
        """`area` begins with the row of headings; `bottom` is the last row of records where it is fixed."""
        super().__init__()
        self.sheet = sheet
        self.area = area
        self.name = name
        self.bottom = bottom
        self._fresh: list[int] = []  # the rows that were put above the totals
        #: Rows of a whole sheet that are totals of its tables: no records.
        self._totals: Collection[int] = ()
        if not name:
            tables = (table for table in sheet.tables() if table.area.meets(area))
            self._totals = {row for table in tables for row in range(table.bottom + 1, table.area.bottom + 1)}
        self.lists: dict[str, ColumnValues] = {}
        self.headings: dict[str, str] = {}
        self.twice: set[str] = set()
        written = [
            (shown(value), column)
            for column in range(area.left, area.right + 1)
            if (value := sheet.raw_value(area.top, column)) is not None and not isinstance(value, CellError)
        ]
        self.columns = self.by_heading(written)
        # Of a heading that is there twice, the first one says what is under it.
        first = {heading_key(heading): (letters_of(column), heading) for heading, column in reversed(written)}
        heads = dict(where for key, where in first.items() if key)
        if not name:
            sheet.heads = heads

    def __eq__(self, other: object) -> bool:
        return isinstance(other, GridRows) and (self.sheet, self.area.top) == (other.sheet, other.area.top)

    def __hash__(self) -> int:
        return hash(self.area)

    @property
    def file(self) -> FileItem:
        """The file of the sheet."""
        return self.sheet.file

    @property
    def label(self) -> str:
        """Its name, or its sheet's."""
        return self.name or self.sheet.name

    def row_label(self, row: int) -> str:
        """The sheet and the row."""
        return f"{self.sheet.name} row {row}"

    def column(self, heading: str) -> int:
        """The column under a heading. Raises `Failure` when it is not there, or there twice."""
        return self.columns[self.key(heading)]

    def twice_there(self, heading: str) -> Failure:
        """Says in which row."""
        return Failure(
            f'{self.label} has the heading "{heading}" twice in row {self.area.top}. Rename one, or use the cells: '
            "row.cell(…)"
        )

    def no_heading(self, heading: str) -> Missing:
        """Says in which row, and which other row looks like headings."""
        names = list(self.headings.values())
        there = f"There are: {', '.join(names[:12])}" if names else "There are none"
        row = None if self.name else self.sheet.heading_row()
        hint = ""
        if heading_key(heading) in _OF_ROWS:
            hint = f". For the row itself: row.{'number' if heading_key(heading) == 'row' else heading_key(heading)}"
        if row is not None and row != self.area.top:
            hint = f". Row {row} looks like headings. To use it: sheet.records(headings: {row})"
        return Missing(
            f'{self.label} has no heading "{heading}" in row {self.area.top}.{did_you_mean(heading, names)} '
            f"{there}{hint}"
        )

    @property
    def style(self) -> str | None:
        """The name of its style, where it is a table of the workbook."""
        return self.sheet.table_style(self.name) if self.name else None

    def put_style(self, name: str | None) -> Undo:
        """Gives it another style."""
        return self.sheet.put_table_style(self.name, name) if self.name else super().put_style(name)

    def values(self, key: str) -> ColumnValues:
        """The values under a heading."""
        result = self.lists.get(key)
        if result is None:
            result = self.lists[key] = self.sheet.column_values(self.column(key))
        return result

    def reader(self, key: str) -> Reader:
        """What gives the values under a heading by row."""
        return self.values(key).get

    def value(self, row: int, key: str) -> Value:
        """One value, without reading the column."""
        return self.sheet.raw_value(row, self.column(key))

    def version(self, keys: Iterable[str]) -> int:
        """Grows with every change of these columns."""
        return sum(self.values(key).version for key in keys)

    def filled(self) -> Sequence[int]:
        """The rows that hold something."""
        found = self.sheet.filled_rows(self.body(), self.lists.values())
        if self._totals:
            found = [row for row in found if row not in self._totals]
        return [*found, *self._inside()] if self._fresh else found

    def series(self, rows: Sequence[object]) -> Series[int]:
        """Rows that are there now."""
        return _GridSeries(self, rows)

    def set_all(self, rows: Sequence[int], sieve: Sieve | None, settings: Sequence[Setting]) -> int | None:
        """Sets values in all of some rows for which a condition holds; see `Series.set_all`."""
        if sieve is not None:
            wanted = asked_once([self._values_at(heading, rows) for heading in sieve.headings], sieve.holds)
            if wanted is None:
                return None
            rows = list(compress(rows, wanted))
        puts: list[tuple[int, Sequence[Value]]] = []
        for setting in settings:
            values: Sequence[Value] | None = [setting.value] * len(rows)
            if setting.make is not None:
                values = asked_once([self._values_at(heading, rows) for heading in setting.sources], setting.make)
            if values is None:
                return None
            puts.append((self.column(setting.heading), values))
        recorder = self.file.recorder
        mark = recorder.savepoint()
        try:
            self.sheet.put_many(rows, puts)
        except Failure:  # it is told where a loop comes to it
            recorder.rollback(mark)
            return None
        return len(rows)

    def _values_at(self, heading: str, rows: Sequence[int]) -> Sequence[Value]:
        return self.sheet.values_at(self.column(heading), rows)

    def sortable(self) -> Sequence[int]:
        """The rows that can change places: all that hold something, but for totals below them."""
        rows = self.filled()
        totals = self.sheet.totals_below(rows, self.area.left, self.area.right)
        return [row for row in rows if row not in totals] if totals else rows

    def put(self, row: int, key: str, value: Value) -> None:
        """Sets the value under a heading."""
        self.sheet.put(row, self.columns.get(key) or self.column(key), value)

    def place(self, row: int, key: str) -> str:
        """The address of what is under a heading."""
        return self.sheet.where(row, self.column(key))

    def is_gone(self, row: int) -> bool:
        """Whether a row was deleted in this run."""
        return self.sheet.is_gone(row)

    def deletion_test(self) -> Callable[[int], bool]:
        """The same of rows that are there now."""
        return self.sheet.deletion_test()

    def delete(self, row: int, record: Item) -> None:
        """Deletes the row of the sheet, where nothing else is in it."""
        used = self.sheet.used()
        if self.name and used is not None:
            for column in (*range(used.left, self.area.left), *range(self.area.right + 1, used.right + 1)):
                if self.sheet.raw_value(row, column) is not None:
                    raise Failure(
                        f'{self.sheet.where(row, column)} is beside the table "{self.name}" and would be deleted too. '
                        "To "
                        "delete the whole row: in record.row, below it delete, and end"
                    )
        self.sheet.delete_row(row)

    def add(self, values: Mapping[str, Value], table: Item) -> int:
        """Writes values into the row below the last one; each is a change of its own."""
        above_totals = bool(self.name) and self.bottom is not None and self.bottom != self.area.bottom
        row = self._inserted() if above_totals else self.last() + 1
        given = {self.columns[key]: value for key, value in values.items() if value is not None}
        if self.name and not above_totals:
            self._ensure_free([(row, column) for column in range(self.area.left, self.area.right + 1)], "below")
            self.sheet.grow_table(self.name, None, self._as_now())
            self.area, self.bottom = self.area._replace(bottom=row), row
        if self.name:
            self._calculate(row, given)
        for column, value in given.items():
            self.sheet.put(row, column, value)
        if not given and not self.name:
            back = self.sheet.keep_row(row)
            table.changed("new row", None, "empty", back, "new row: empty", (f"row {row}",))
        return row

    def _inserted(self) -> int:
        """A new row of the sheet above the totals of a table of the workbook, by its number for the time being."""
        assert self.bottom is not None
        self._fresh = self._inside()
        fresh = self.sheet.insert_line(self._fresh[-1] if self._fresh else self.bottom, True, behind=True)
        self._fresh.append(fresh)
        return fresh

    def _inside(self) -> list[int]:
        """The rows that were put above the totals and are still there; they have no number yet."""
        return [row for row in self._fresh if not self.sheet.is_gone(row)]

    def _calculate(self, row: int, given: Collection[int]) -> None:
        """Lets a row that a table of the workbook got look like the one above; what is not given is calculated like
        that.
        """
        assert self.bottom is not None
        above = row - 1 if row == self.bottom else self.bottom
        for column in range(self.area.left, self.area.right + 1) if above > self.area.top else ():
            self.sheet.look_like(row, column, above)
            formula = self.sheet.formula(above, column) if column not in given else None
            if formula is not None:
                self.sheet.put_formula(row, column, formula, row - above)

    def _ensure_free(self, places: Iterable[tuple[int, int]], where: str) -> None:
        """Raises `Failure` where something is where a table grows."""
        for row, column in places:
            if self.sheet.raw_value(row, column) is not None:
                raise Failure(
                    f'{self.sheet.where(row, column)} is {where} the table "{self.name}", so the table cannot grow'
                )

    def put_in_order(self, rows: Sequence[int]) -> Undo:
        """Puts what is in the rows into an order."""
        return self.sheet.order_rows(rows, self.area.left, self.area.right)

    def last(self) -> int:
        """The last row of records."""
        if self.bottom is not None:
            return self.bottom
        used = self.sheet.used()
        return max(self.area.top, used.bottom if used else 0)

    def body(self) -> Area:
        """What is under its headings."""
        return Area(self.area.top + 1, self.area.left, self.last(), self.area.right)

    def grid(self) -> tuple[Grid, Area]:
        """The sheet, and what is under its headings."""
        return self.sheet, self.body()

    def address(self) -> str:
        """Where it is on its sheet, headings included."""
        return str(self.area._replace(bottom=self.last()))

    def add_column(self, heading: str) -> None:
        """Adds a column right of the last one with a heading."""
        if self.name:
            column = self.area.right + 1
            rows = range(self.area.top, self.area.bottom + 1)
            self._ensure_free([(row, column) for row in rows], "beside")
            self.sheet.put(self.area.top, column, heading)
            self.sheet.grow_table(self.name, heading, self._as_now())
            self._take_in(column, heading)
            return
        column = max(self.columns.values(), default=self.area.left - 1) + 1
        rows = range(self.area.top, self.last() + 1)
        while any(self.sheet.raw_value(row, column) is not None for row in rows):
            column += 1  # what is there has no heading, and is not ours to overwrite
        self.sheet.put(self.area.top, column, heading)
        self._take_in(column, heading)

    def _as_now(self) -> Undo:
        """What makes it again what it is now."""
        former = self.area, self.bottom, dict(self.columns), dict(self.headings)

        def back() -> None:
            self.area, self.bottom, self.columns, self.headings = former

        return back

    def _take_in(self, column: int, heading: str) -> None:
        key = heading_key(heading)
        self.columns[key], self.headings[key] = column, heading
        self.area = self.area._replace(right=max(self.area.right, column))

    def edit(self, rows: Iterable[int] | None, editing: Editing, between: str = "") -> None:
        """Edits the cells of these rows, or of all."""
        body = self.body()
        fresh = [body._replace(top=row, bottom=row) for row in self._inside()]
        for area in [body, *fresh] if rows is None else [body._replace(top=row, bottom=row) for row in rows]:
            self.sheet.edit_area(area, editing)


class _GridSeries(Fixed):
    """Rows of cells."""

    __slots__ = ("_rows",)

    def __init__(self, rows: GridRows, every: Sequence[object]) -> None:
        super().__init__(every)
        self._rows = rows

    def set_all(self, sieve: Sieve | None, settings: Sequence[Setting]) -> int | None:
        """Sets values in all of them for which a condition holds."""
        return self._rows.set_all(self._every, sieve, settings)


def table_rows(sheet: Grid, place: TablePlace) -> GridRows:
    """The rows of a table of the workbook."""
    return GridRows(sheet, place.area, place.name, place.bottom)


def no_rows(sheet: Grid) -> GridRows:
    """The rows of an empty sheet: no headings, and nothing below them."""
    return GridRows(sheet, Area(1, 1, 1, 1))


def sheet_rows(sheet: Grid, row: int | None = None) -> GridRows | None:
    """A sheet as a table: the given row has its headings, or its first filled one; None when there is none."""
    used = sheet.used()
    if used is None:
        return None
    if row is None:
        row = used.top
    elif row > used.bottom or not sheet.filled_rows(Area(row, used.left, row, used.right)):
        raise Failure(f"{sheet.name} has no headings in row {row}")
    return GridRows(sheet, Area(row, used.left, used.bottom, used.right))
