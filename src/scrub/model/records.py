"""Tables and their records: what stands under headings."""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator, Mapping, Sequence
from functools import partial
from types import MappingProxyType
from typing import TYPE_CHECKING, Any, ClassVar

from scrub.model.area import Area, letters_of, only_cell
from scrub.model.cell import Cell
from scrub.model.declare import Item, Reach, action, field, finds, holds
from scrub.model.grid import ColumnValues, Trouble, settle
from scrub.model.lines import Column, Row
from scrub.model.problem import Failure, Missing, did_you_mean, listed
from scrub.model.values import Value, fold, heading_key, shown

if TYPE_CHECKING:
    from scrub.model.declare import FileItem
    from scrub.model.sheet import Sheet


class Table(Item):
    """What stands under headings: a table of a workbook, or a sheet as one."""

    kind_word = "table"

    def __init__(self, sheet: Sheet, area: Area, name: str = "", bottom: int | None = None) -> None:
        """`area` begins with the row of headings; `bottom` is the last row of records where it is fixed."""
        self.sheet = sheet
        self.area = area
        self._name = name
        self.bottom = bottom
        self.lists: dict[str, ColumnValues] = {}
        self.columns: dict[str, int] = {}
        self._twice: set[str] = set()
        self._indexes: dict[tuple[str, ...], tuple[int, dict[tuple[Any, ...], int]]] = {}
        self._read_headings()

    def __eq__(self, other: object) -> bool:
        return isinstance(other, Table) and (self.sheet, self.area.top) == (other.sheet, other.area.top)

    def __hash__(self) -> int:
        return hash(self.area)

    def _read_headings(self) -> None:
        heads: dict[str, str] = {}
        for column in range(self.area.left, self.area.right + 1):
            value = self.sheet.raw_value(self.area.top, column)
            if value is None or isinstance(value, Trouble):
                continue
            key = heading_key(shown(value))
            if key in self.columns or key in self._twice:
                self._twice.add(key)
                self.columns.pop(key, None)
            elif key:
                self.columns[key] = column
                heads[letters_of(column)] = shown(value)
        if not self._name:
            self.sheet.heads = heads

    @property
    def file(self) -> FileItem:
        """The workbook."""
        return self.sheet.file

    @property
    def label(self) -> str:
        """Its name, or its sheet's."""
        return self._name or self.sheet.name

    @property
    @field
    def name(self) -> str:
        """Its name; of a sheet as a table, the sheet's.

        Example: log table.name
        Also: title
        """
        return self.label

    @property
    @field
    def headings(self) -> list[str]:
        """Its headings from the left.

        Example: log table.headings.joined(", ")
        Also: columns, header, fields
        """
        raw = [self.sheet.raw_value(self.area.top, column) for column in self.columns.values()]
        return [shown(value) for value in raw]

    @property
    @field
    def address(self) -> str:
        """Where it is on its sheet, headings included.

        Example: log table.address
        Also: range, position
        """
        return str(self.area._replace(bottom=self._last()))

    def has(self, heading: str) -> bool:
        """Whether it has this heading."""
        key = heading_key(heading)
        return key in self.columns or key in self._twice

    def column(self, heading: str) -> int:
        """The column under a heading. Raises `Failure` when it is not there, or there twice."""
        key = heading_key(heading)
        if key in self._twice:
            raise Failure(
                f'{self.label} has the heading "{heading}" twice in row {self.area.top}; '
                "give one of them another name, or use the cells: row.cell(…)"
            )
        found = self.columns.get(key)
        if found is None:
            names = self.headings
            there = f"There are: {', '.join(names[:12])}" if names else "There are none"
            row = None if self._name else self.sheet.heading_row()
            hint = ""
            if row is not None and row != self.area.top:
                hint = f". Row {row} looks like headings; to use it write: sheet.records(headings: {row})"
            raise Missing(
                f'{self.label} has no heading "{heading}" in row {self.area.top}.{did_you_mean(heading, names)} '
                f"{there}{hint}"
            )
        return found

    def prepare(self, keys: Iterable[str]) -> None:
        """Gets the columns that a loop names ready. Raises `Failure` for a heading that is not there."""
        for key in keys:
            self.values(key)

    def values(self, key: str) -> ColumnValues:
        """The values under a heading."""
        found = self.lists.get(key)
        if found is None:
            found = self.lists[key] = self.sheet.column_values(self.column(key))
        return found

    def _last(self) -> int:
        if self.bottom is not None:
            return self.bottom
        used = self.sheet.used()
        return max(self.area.top, used.bottom if used else 0)

    @holds
    def each_record(self, headings: Iterable[str] = ()) -> Iterator[Record]:
        """Its records; empty rows are skipped. Raises `Failure` when one of the headings is not there."""
        self.prepare(headings)
        return map(partial(Record, self), self.sheet.filled_rows(self._body(), self.lists.values()))

    def sample(self) -> dict[str, str]:
        """Each heading as a macro writes it, with the first value under it."""
        rows = self.sheet.filled_rows(self._body())[:20]
        found = {}
        for column in self.columns.values():
            raw = shown(self.sheet.raw_value(self.area.top, column))
            values = (self.sheet.raw_value(row, column) for row in rows)
            first = next((value for value in values if value is not None and not isinstance(value, Trouble)), None)
            found[written_heading(raw)] = "" if first is None else shown(first)
        return found

    @holds
    def each_cell(self) -> Iterator[Cell]:
        """Its cells below the headings, in reading order."""
        body = self._body()
        rows = range(body.top, body.bottom + 1)
        return (Cell(self.sheet, row, column) for row in rows for column in range(body.left, body.right + 1))

    @holds
    def each_column(self) -> Iterator[Column]:
        """Its columns."""
        body = (self.area.top + 1, self._last())
        return (Column(self.sheet, column, body) for column in range(self.area.left, self.area.right + 1))

    @finds
    def find_column(self, heading: str) -> Column:
        """A column by its heading."""
        return Column(self.sheet, self.column(heading), (self.area.top + 1, self._last()))

    @finds
    def find_record(self, **wanted: Any) -> Record:
        """The first record with these values under these headings."""
        if not wanted:
            raise Failure('write what to look for: record(item: "flour")')
        keys = tuple(sorted(heading_key(word) for word in wanted))
        version = sum(self.values(key).version for key in keys)
        known = self._indexes.get(keys)
        if known is None or known[0] != version:  # a macro can change what the index was built from
            known = self._indexes[keys] = (version, self._index(keys))
        row = known[1].get(self._sought(wanted))
        if row is None:
            what = listed(f'{word} "{shown(value)}"' for word, value in wanted.items())
            raise Missing(f"{self.label} has no record with {what}")
        return Record(self, row)

    @staticmethod
    def _sought(wanted: Mapping[str, Value]) -> tuple[Any, ...]:
        by_key = {heading_key(word): value for word, value in wanted.items()}
        return tuple(_indexed(by_key[key]) for key in sorted(by_key))

    def _index(self, keys: Sequence[str]) -> dict[tuple[Any, ...], int]:
        """The first row of each combination of values; built once, so that every further look-up takes no time."""
        lists = [self.values(key) for key in keys]
        found: dict[tuple[Any, ...], int] = {}
        for row in self.sheet.filled_rows(self._body()):
            found.setdefault(tuple(_indexed(settle(values.get(row))) for values in lists), row)
        return found

    def areas(self) -> Iterable[tuple[Sheet, Area]]:
        """What stands under its headings."""
        return ((self.sheet, self._body()),)

    def _body(self) -> Area:
        return Area(self.area.top + 1, self.area.left, self._last(), self.area.right)

    @action(Reach.CHANGE)
    def add_column(self, heading: str) -> None:
        """Adds a column with this heading right of the last one. One that is there already stays as it is.

        heading: what stands over it.
        Example: add-column "First name"
        Also: new column, insert, append
        """
        if self.has(heading):
            return
        if self._name:
            raise Failure(
                f'"{self.label}" is a table of the workbook; Scrub does not widen those yet. '
                "Add the column in its own program"
            )
        column = max(self.columns.values(), default=self.area.left - 1) + 1
        rows = range(self.area.top, self._last() + 1)
        while any(self.sheet.raw_value(row, column) is not None for row in rows):
            column += 1  # what stands there has no heading, and is not ours to overwrite
        self.sheet.put(self.area.top, column, heading)
        self.columns[heading_key(heading)] = column
        self.area = self.area._replace(right=max(self.area.right, column))


def _indexed(value: Value) -> Any:
    """A value as an index finds it: texts without regard to case; yes and 1 are two values."""
    if isinstance(value, str):
        return "text", fold(value)
    return ("yes or no", value) if isinstance(value, bool) else value


class Record(Item):
    """What stands in one row under the headings of a table. Its fields are the headings."""

    kind_word = "record"
    open_fields = True
    implied = MappingProxyType({"row": "row_item"})
    removed: ClassVar[bool] = False

    __slots__ = ("row", "table")

    def __init__(self, table: Table, row: int) -> None:
        self.table = table
        self.row = row

    def __eq__(self, other: object) -> bool:
        return isinstance(other, Record) and (self.table, self.row) == (other.table, other.row)

    def __hash__(self) -> int:
        return self.row

    @property
    def file(self) -> FileItem:
        """The workbook."""
        return self.table.file

    @property
    def label(self) -> str:
        """Its sheet and row."""
        return f"{self.table.sheet.name} row {self.row}"

    @finds
    def find_cell(self, place: str) -> Cell:
        """Its cell under a heading, `record.cell("Nights")`, or one of its sheet by its address, `cell("A1")`."""
        try:
            sheet, area = self.table.sheet.placed(place)
        except Failure:
            return Cell(self.table.sheet, self.row, self.table.column(place))
        return Cell(sheet, *only_cell(area, place))

    def row_item(self) -> Row:
        """Its row."""
        return Row(self.table.sheet, self.row)

    def read(self, key: str) -> Value:
        """The value under a heading. Raises `Failure` for an error value."""
        found = self.table.values(key).get(self.row)
        return found.settled() if type(found) is Trouble else found

    def write(self, key: str, value: Value) -> None:
        """Sets the value under a heading."""
        table = self.table
        table.sheet.put(self.row, table.columns.get(key) or table.column(key), value)

    def place_of(self, key: str) -> str:
        """The address of what stands under a heading."""
        return self.table.sheet.where(self.row, self.table.column(key))

    def areas(self) -> Iterable[tuple[Sheet, Area]]:
        """Its cells."""
        area = self.table.area
        return ((self.table.sheet, Area(self.row, area.left, self.row, area.right)),)


def sheet_table(sheet: Sheet, row: int | None = None) -> Table | None:
    """A sheet as a table: the given row has its headings, or its first filled one; None when there is none."""
    used = sheet.used()
    if used is None:
        return None
    if row is None:
        row = used.top
    elif row > used.bottom or not sheet.filled_rows(Area(row, used.left, row, used.right)):
        raise Failure(f"{sheet.name} has nothing in row {row}, where its headings should stand")
    return Table(sheet, Area(row, used.left, used.bottom, used.right))


def written_heading(heading: str) -> str:
    """A heading as a macro writes it: `record.guest-nights`, or between quotes where it must."""
    key = heading_key(heading)
    plain = re.fullmatch(r"[a-z][a-z0-9]*(?:-[a-z0-9]+)*", key)
    return f"record.{key}" if plain else f'record."{heading}"'
