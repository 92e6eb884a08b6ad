"""Tables and their records: what is under headings."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterable, Iterator, Sequence
from functools import partial
from types import MappingProxyType
from typing import Any

from scrub.model.cells.alike import OneRow
from scrub.model.cells.cell import Cell
from scrub.model.cells.grid import CellError, Grid, HoldsCells, HoldsColumns, resolve
from scrub.model.cells.grid_rows import GridRows, sheet_rows
from scrub.model.cells.lines import Column, Row
from scrub.model.cells.rows import Reader, Rows
from scrub.model.core.area import Area, only_cell
from scrub.model.core.declare import FileItem, Reach, action, field, finds, holds, needs, part
from scrub.model.core.predicate import Predicate, Setting, Sieve, Tally
from scrub.model.core.problem import Failure, Missing, counted
from scrub.model.core.series import Series, Through
from scrub.model.core.text import Editing
from scrub.model.core.values import Pairs, Value, heading_key, is_empty, shown
from scrub.model.operations.lists import NoOrder, in_order
from scrub.model.operations.mistaken import NOTED, twins
from scrub.model.texts.paragraphs import Passages, words_of


class Table(HoldsColumns):
    """What is under headings: a table of a workbook, or a sheet as one."""

    kind_word = "table"

    def __init__(self, rows: Rows) -> None:
        self.rows = rows
        #: What gives the values under the headings that were asked for so far, by what macros compare.
        self.readers: dict[str, Reader] = {}

    def __eq__(self, other: object) -> bool:
        return isinstance(other, Table) and self.rows == other.rows

    def __hash__(self) -> int:
        return hash(self.rows)

    @property
    def file(self) -> FileItem:
        """What is saved as a whole."""
        return self.rows.file

    @property
    def label(self) -> str:
        """Its name, or its sheet's."""
        return self.rows.label

    @property
    @field
    def name(self) -> str:
        """The table's name; for a sheet as a table, the sheet's name.

        Example: log table.name
        Also: title
        """
        return self.label

    @property
    @field
    def headings(self) -> list[str]:
        """The headings, from the left.

        Example: log table.headings.joined(", ")
        Also: columns, header, fields
        """
        return list(self.rows.headings.values())

    @property
    @field
    def address(self) -> str:
        """The address on the sheet, including the headings.

        Example: log table.address
        Also: range, position
        """
        return self.rows.address()

    @property
    @field
    def style(self) -> str | None:
        """The name of the table style; nothing for none.

        Example: table.style = "Table Grid"
        Also: table design, borders, banded rows, look
        """
        return self.rows.style

    @style.setter
    @needs("style_tables")
    def style(self, value: str | None) -> None:
        before = self.style
        if value != before:
            self.file.style_tables()
            back = self.rows.put_style(value)
            if self.style != before:
                self.changed("style", before, self.style, back)

    @part
    def paragraphs(self) -> Passages:
        """The paragraphs of the table and its headings, in documents only.

        Example: log "{count(paragraph in table.paragraphs)}"
        Also: cells, words, text of a table
        """
        return words_of(self.rows.paragraphs(), self.file)

    def reader(self, key: str) -> Reader:
        """What gives the values under a heading. Raises `Failure` when it is not there, or there twice."""
        result = self.readers.get(key)
        if result is None:
            result = self.readers[key] = self.rows.reader(key)
        return result

    @holds
    def each_record(self, headings: Iterable[str] = ()) -> Iterable[Record]:
        """Its records; empty rows are skipped. Raises `Failure` when one of the headings is not there."""
        for key in headings:
            self.reader(key)
        rows = self.rows.filled()
        return Records(self, rows if isinstance(rows, Series) else self.rows.series(rows))

    def sample(self) -> dict[str, str]:
        """Each heading as a macro writes it, with the first value under it."""
        rows = self.rows.filled()[:20]
        result = {}
        for key, heading in self.rows.headings.items():
            values = (resolve(self.rows.value(row, key)) for row in rows)
            first = next((value for value in values if value is not None and not isinstance(value, CellError)), None)
            result[written_heading(heading)] = "" if first is None else shown(first)
        return result

    @holds
    def each_cell(self) -> Iterator[Cell]:
        """Its cells below the headings, in reading order."""
        sheet, body = self.rows.grid()
        rows = range(body.top, body.bottom + 1)
        return (Cell(sheet, row, column) for row in rows for column in range(body.left, body.right + 1))

    @holds
    def each_column(self) -> Iterator[Column]:
        """Its columns."""
        sheet, body = self.rows.grid()
        return (Column(sheet, column, (body.top, body.bottom)) for column in range(body.left, body.right + 1))

    @finds
    def find_column(self, heading: str) -> Column:
        """A column by its heading."""
        sheet, body = self.rows.grid()
        return Column(sheet, sheet_column(self.rows, heading), (body.top, body.bottom))

    @finds
    def find_record(self, **wanted: object) -> Record:
        """The first record with these values under these headings."""
        if not wanted:
            raise Failure('the value to look for is missing: record(item: "flour")')
        return Record(self, self.rows.find(wanted))

    def _repr_html_(self) -> str:
        """The first records, for notebooks."""
        from scrub.model.core import html

        rows, keys = self.rows.filled(), list(self.rows.headings)
        shown_rows = ([_as_shown(self.reader(key), row) for key in keys] for row in rows)
        return html.heading(self.label, counted(len(rows), "record")) + html.table(self.headings, shown_rows, len(rows))

    @property
    def is_blank(self) -> bool:
        """Whether no row contains anything."""
        return not any(True for _ in self.rows.filled())

    def areas(self) -> Iterable[tuple[Grid, Area]]:
        """What is under its headings."""
        return (self.rows.grid(),)

    def edit_texts(self, editing: Editing, between: str = "") -> None:
        """Edits the cells of a record that hold texts."""
        self.rows.edit(None, editing, between)

    @action(Reach.CHANGE)
    def add_column(self, heading: str) -> None:
        """Adds a column with this heading at the right. An existing column is left unchanged.

        heading: the heading.
        Example: add-column "First name"
        Also: new column, insert, append
        """
        if not self.rows.has(heading):
            self.rows.add_column(heading)

    @action(Reach.CHANGE)
    @needs("arrange_rows")
    def add_row(self, values: Sequence[object]) -> None:
        """Adds a row after the last one, with the same formatting.

        values: the values, in the order of the headings.
        Example: add-row ["Rice", 12]
        Also: new row, insert, append, record
        """
        count = len(self.rows.headings) + len(self.rows.twice)
        if len(values) > count:
            raise Failure(f"{self.label} has {counted(count, 'heading')}, but the new row has {len(values)} values")
        self.file.arrange_rows()
        self.rows.add(self.rows.under(values), self)

    @action(Reach.CHANGE)
    @needs("arrange_rows")
    def add_record(self, **values: object) -> Record:
        """Adds a record after the last one and returns it. Values under other headings are left to the file.

        Example: add-record item: "Rice", kg: 12
        Also: new record, insert, append, row
        """
        given = {self.rows.key(word): value for word, value in values.items()}
        self.file.arrange_rows()
        return Record(self, self.rows.add(given, self))

    @action(Reach.CHANGE)
    @needs("arrange_rows")
    def delete_duplicates(self, under: Sequence[str] = ()) -> None:
        """Deletes records that repeat one above. Upper and lower case count as equal.

        under: the headings to compare; default: all.
        Example: delete-duplicates under: ["Guest", "Arrival"]
        Also: remove duplicates, double rows, unique, repeated
        """
        keys = [self.rows.key(heading) for heading in under] or list(self.rows.headings)
        seen = Pairs()
        types: list[set[type]] = [set() for _ in keys]
        for record in list(self.each_record(keys)):
            values = [resolve(self.reader(key)(record.row)) for key in keys]
            if any(isinstance(each, CellError) for each in values):
                continue
            if seen.has(values):
                record.delete()
                continue
            for place, (value, known) in enumerate(zip(values, types, strict=True)):
                known.add(type(value))
                for what, other in twins(value) if len(known) > 1 else ():
                    if seen.has([*values[:place], other, *values[place + 1 :]]):
                        key = keys[place]
                        NOTED.get()(what, self.rows.place(record.row, key), self.rows.headings.get(key, key))
            seen.put(values, True)

    @action(Reach.CHANGE)
    @needs("arrange_rows")
    def sort(self, by: str, then: str | None = None, descending: bool = False, then_descending: bool = False) -> None:
        """Sorts the rows by the values under a heading. Rows with equal values keep their order; empty values come
        last.

        by: the heading.
        then: a second heading, for rows with equal values under the first.
        descending: whether the largest value comes first.
        then_descending: the same for the second heading.
        Example: sort by: "Kg", descending: yes
        Also: order, arrange, ascending, alphabetical
        """
        headings = [(by, descending), *([] if then is None else [(then, then_descending)])]
        rows = list(self.rows.sortable())  # columns that were read tell which rows are filled
        keys = [(self._sort_values(rows, heading), downwards) for heading, downwards in headings]
        try:
            ordered = [rows[place] for place in in_order(len(rows), keys)]
        except NoOrder as failure:
            raise failure.at(self.rows.row_label(rows[failure.place])) from None
        if ordered != rows:
            self.file.arrange_rows()
            back = self.rows.put_in_order(ordered)
            said = f"sorted by {by}" + (f", then {then}" if then else "")
            places = [self.rows.row_label(row) for row in ordered]
            self.changed("order", "the earlier order", f"by {by}", back, said, proof=places)

    def _sort_values(self, rows: Sequence[object], heading: str) -> list[Value]:
        """What rows are sorted by. Raises `Failure` for an error value, or a result that is old."""
        read = self.rows.reader(self.rows.key(heading))
        result = [resolve(value) for value in map(read, rows)]
        trouble = next((each for each in result if isinstance(each, CellError)), None)
        if trouble is not None:
            raise trouble.failure()
        return result


class Record(HoldsCells):
    """What is in one row under the headings of a table. Its fields are the headings."""

    kind_word = "record"
    open_fields = True
    implied = MappingProxyType({"row": "row_item", "sheet": "sheet_item"})

    __slots__ = ("row", "table")

    def __init__(self, table: Table, row: Any) -> None:
        self.table = table
        self.row = row

    def __eq__(self, other: object) -> bool:
        return isinstance(other, Record) and (self.table, self.row) == (other.table, other.row)

    def __hash__(self) -> int:
        return hash(self.row)

    @property
    def file(self) -> FileItem:
        """The file it is in."""
        return self.table.rows.file

    @property
    def removed(self) -> bool:
        """Whether its row was deleted in this run."""
        return self.table.rows.is_gone(self.row)

    @property
    def is_blank(self) -> bool:
        """Whether nothing is under its headings."""
        rows = self.table.rows
        return all(is_empty(resolve(rows.value(self.row, key))) for key in rows.headings)

    @property
    def label(self) -> str:
        """Its sheet and row."""
        return self.table.rows.row_label(self.row)

    @holds
    def each_cell(self) -> Iterator[Cell]:
        """Its cells, from the left."""
        sheet, body = self.table.rows.grid()
        return (Cell(sheet, self.row, column) for column in range(body.left, body.right + 1))

    @finds
    def find_cell(self, place: str) -> Cell:
        """Its cell under a heading, `record.cell("Nights")`, or one of its sheet by its address, `cell("A1")`."""
        sheet, _ = self.table.rows.grid()
        try:
            on, area = sheet.placed(place)
        except Failure:
            return Cell(sheet, self.row, sheet_column(self.table.rows, place))
        return Cell(on, *only_cell(area, place))

    @action(Reach.CHANGE)
    @needs("arrange_rows")
    def delete(self) -> None:
        """Deletes the record's row from the table. References to other rows are updated; rows keep their numbers until
        the file is saved.

        Example: delete
        Also: remove, row, delete rows by condition, delete old records
        """
        self.file.arrange_rows()
        self.table.rows.delete(self.row, self)

    @part
    def paragraphs(self) -> Passages:
        """The paragraphs of the record's row, in documents only.

        Example: log "{count(paragraph in record.paragraphs)}"
        Also: row, cells, words, bold row
        """
        return words_of(self.table.rows.paragraphs(self.row), self.file)

    def sheet_item(self) -> Grid:
        """Its sheet."""
        return self.table.rows.grid()[0]

    def row_item(self) -> Row:
        """Its row."""
        return Row(self.table.rows.grid()[0], self.row)

    def read(self, key: str) -> Value:
        """The value under a heading. Raises `Failure` for an error value."""
        found = self.table.reader(key)(self.row)
        return found.resolved() if type(found) is CellError else found

    def write(self, key: str, value: Value) -> None:
        """Sets the value under a heading."""
        self.table.rows.put(self.row, key, value)

    def place_of(self, key: str) -> str:
        """How a person names what is under a heading."""
        return self.table.rows.place(self.row, key)

    def areas(self) -> Iterable[tuple[Grid, Area]]:
        """Its cells."""
        sheet, body = self.table.rows.grid()
        return ((sheet, body._replace(top=self.row, bottom=self.row)),)

    def edit_texts(self, editing: Editing, between: str = "") -> None:
        """Edits the texts in it."""
        self.table.rows.edit((self.row,), editing, between)


def _as_shown(read: Reader, row: object) -> str:
    """A value as a person sees it; an error value as what is wrong."""
    value = resolve(read(row))
    return f"({value.what})" if isinstance(value, CellError) else shown(value)


class Records(Through[Record]):
    """The records of one table, each made of a row as somebody comes to it."""

    __slots__ = ("table",)

    def __init__(self, table: Table, rows: Series[object]) -> None:
        super().__init__(rows, partial(Record, table))
        self.table = table

    def sifted(self, predicate: Predicate, tally: Tally | None = None) -> Records | None:
        """Those of the rows for which a condition may hold."""
        found = self._inner.sifted(predicate, tally)
        return None if found is None else Records(self.table, found)

    def has(self, headings: Iterable[str]) -> bool:
        """Whether each of them has a value under all these headings."""
        return all(heading_key(each) in self.table.rows.headings for each in headings)

    def set_all(self, sieve: Sieve | None, settings: Sequence[Setting]) -> int | None:
        """The same, of the rows: one record stands for all with the same values."""
        one = OneRow(self.table.rows)
        record = Record(Table(one), 0)

        def of_values(headings: Sequence[str], ask: Callable[[Record], Any]) -> Callable[[Sequence[Value]], Any]:
            def asked(values: Sequence[Value]) -> Any:
                one.values = dict(zip(headings, values, strict=True))
                return ask(record)

            return asked

        of_rows = [
            each if each.make is None else each._replace(make=of_values(each.sources, each.make)) for each in settings
        ]
        if sieve is not None:
            sieve = sieve._replace(holds=of_values(sieve.headings, sieve.holds))
        return self._inner.set_all(sieve, of_rows)

    def delete_all(self, sieve: Sieve | None) -> int | None:
        """The same, of the rows."""
        return self._inner.delete_all(sieve)


def sheet_column(rows: Rows, heading: str) -> int:
    """The column of a sheet under a heading. Raises `Failure` where the rows are not cells."""
    if not isinstance(rows, GridRows):
        rows.grid()  # says so
        raise Missing(f'{rows.label} has no column "{heading}"')
    return rows.column(heading)


def sheet_table(sheet: Grid, row: int | None = None) -> Table | None:
    """A sheet as a table: the given row has its headings, or its first filled one; None when there is none."""
    rows = sheet_rows(sheet, row)
    return None if rows is None else Table(rows)


def written_heading(heading: str) -> str:
    """A heading as a macro writes it: `record.guest-nights`, or between quotes where it must."""
    key = heading_key(heading)
    plain = re.fullmatch(r"[a-z][a-z0-9]*(?:-[a-z0-9]+)*", key)
    return f"record.{key}" if plain else f'record."{heading}"'
