"""A sheet of an Open Document as the model of sheets reads it: its elements made, its cells where they are."""

from __future__ import annotations

import re
from bisect import bisect_right
from collections.abc import Callable, Collection, Mapping, Sequence
from datetime import date, datetime, timedelta
from decimal import Decimal, InvalidOperation
from typing import Any
from weakref import ref

from scrub.formats.opensheets.cell_text import blanks_text, paragraph_text, runs_in
from scrub.formats.opensheets.lazy_elements import GrownBytes, LazyRoot
from scrub.formats.opensheets.projected_sheet import ProjectedSheet
from scrub.formats.opensheets.projection import Projection
from scrub.formats.opensheets.rows import ParsedRows, RowIndex, SearchedRows, TableRows
from scrub.formats.spans import NotReadable
from scrub.formats.workbook.cells.decode import Decoder, Where, duration, number_of
from scrub.formats.workbook.cells.sheet_data import Stored
from scrub.formats.workbook.cells.stored_cell import StoredCell
from scrub.formats.workbook.cells.stored_cells import StoredCells
from scrub.formats.workbook.cells.strings import Run
from scrub.formats.workbook.part import SheetPart, Skeleton
from scrub.model.cells.grid import CellError, ColumnValues
from scrub.model.core.area import Area, area_of, letters_of
from scrub.model.core.lazy_pattern import lazy_pattern
from scrub.model.core.values import Value

EMPTY_TABLE = b"<table:table><table:table-column/><table:table-row><table:table-cell/></table:table-row></table:table>"
_DURATION = lazy_pattern(r"(-?)P(?:(\d{1,9})D)?(?:T(?:(\d{1,9})H)?(?:(\d{1,9})M)?(?:(\d{1,9}(?:[.,]\d+)?)S)?)?")
_DAY = Decimal(86_400)


class TablePart(SheetPart):
    """One sheet: its element, by its place in the file."""

    package: Projection  # type: ignore[assignment]

    def __init__(self, package: Projection, name: str | None, sheet: str, number: int) -> None:
        super().__init__(package, name, sheet, number)  # type: ignore[arg-type]
        self.base = EMPTY_TABLE
        self._projected: ProjectedSheet | None = None
        self._columns: tuple[list[int], list[int]] | None = None
        self._rows_read: ref[TableRows] | None = None  # not held here: others let go of what was read longest ago
        self._index: RowIndex | None = None  # where the rows of the file are
        self.like: TablePart | None = None  # the one that it is a copy of

    @property
    def is_of_file(self) -> bool:
        """Whether the file has it, or the one that it is a copy of."""
        return self.like is not None or (self.name is not None and not self.is_new)

    @property
    def is_in_file(self) -> bool:
        """Whether the file has it itself."""
        return self.name is not None and not self.is_new

    @property
    def place(self) -> int:
        """The place in the file of its element, or of the one that it is a copy of, from 0."""
        return (self.like if self.like is not None else self).number - 1

    @property
    def projected(self) -> ProjectedSheet:
        """Its elements as the model reads them."""
        if self._projected is None:
            self._projected = ProjectedSheet(self.package, self.place, self._rows_now)
            rels = f"xl/worksheets/_rels/sheet{self.number}.xml.rels"
            self.package.add(rels, self._projected.relationships)
        return self._projected

    def _rows_now(self) -> TableRows:
        rows = self.stored()
        assert isinstance(rows, TableRows)
        return rows

    def related(self) -> Mapping[str, object]:  # type: ignore[override]
        """The relationships of the part that it would be."""
        if not self.is_of_file:
            return {}
        assert self.projected is not None
        return super().related()

    def data(self) -> bytes:
        """The bytes of its element."""
        return self.package.content.table(self.place) if self.is_of_file else self.base

    def skeleton(self) -> Skeleton:
        """Its elements, each made when somebody asks for it."""
        if self._skeleton is None:
            made: Mapping[str, Callable[[], bytes]] = self.projected.makers if self.is_of_file else {}
            data = GrownBytes(b"")
            self._skeleton = Skeleton(data, LazyRoot("worksheet", data, made))  # type: ignore[arg-type]
        return self._skeleton

    def stored(self, data: bytes | None = None, wanted: Collection[bytes] = ()) -> Stored:
        """The stored cells. Those of the file are kept as long as its bytes are."""
        now = self.data() if data is None else data
        known = self._rows_read() if self._rows_read is not None else None
        if known is not None and known.data is now:
            return known
        rows = self._read(now, data is None or (self.is_in_file and now is self.data()))
        if isinstance(rows, SearchedRows):
            rows.wanted = wanted
            if data is None and self._index is None:
                self._index = rows.index_of_rows
        if data is None:
            self._rows_read = ref(rows)
            if self.has_formulas is None:
                self.has_formulas = b"formula" in now
        return rows

    def found(self, data: bytes, fits: Callable[..., bool] = lambda found: True) -> Stored:
        """The cells of its element as it is to be."""
        return self._read(data)

    def still_exact(self, data: bytes) -> None:
        """What is written is read like any other."""
        return

    def _read(self, data: bytes, is_own: bool = False) -> TableRows:
        """The rows in some bytes; `is_own` tells that they are those of the file."""
        content = self.package.content
        namespaces = content.namespaces
        rows: TableRows | None = None
        if content.is_plain and not self.parse_slowly:
            try:
                rows = SearchedRows(data, namespaces, self._numbered, self._index if is_own else None)
            except NotReadable:
                rows = None
        if rows is None:
            try:
                rows = ParsedRows(data, content.element(data), namespaces, self._numbered)
            except NotReadable as problem:
                raise self.problem(problem) from None
        rows.attributes_of_row = self._row_attributes
        rows.problem = self.problem
        return rows

    def _row_attributes(self, rows: TableRows, row: int) -> Mapping[str, str]:
        return self.projected.attributes_in(rows, row) if self.is_of_file else {}

    def _numbered(self, name: str | None, row: int, column: int) -> int:
        """The number of a cell's format: its own, or what its column says."""
        styles = self.package.styles
        if name is not None:
            return styles.number(name)
        return self.default_number(column)

    def default_number(self, column: int) -> int:
        """The number of the format that the cells of a column have."""
        if not self.is_of_file:
            return 0
        if self._columns is None:
            every = [(first, int(said.get("style", "0"))) for first, _, said in self.projected.column_entries()]
            self._columns = [first for first, _ in every], [number for _, number in every]
        at = bisect_right(self._columns[0], column) - 1
        return self._columns[1][at] if at >= 0 else 0

    def filtered_areas(self, data: bytes | None = None) -> list[Area]:
        """The ranges whose filters hide anything (9.5.1)."""
        book, name = self.package, self.sheet
        return [
            area for _, sheet, area, span in book.ranges
            if sheet == name and any(child.name == "filter" for child in span.children)
        ]  # fmt: skip


class OpenDecoder(Decoder):
    """Reads the cells of an Open Document, in which types are written out (part 3, 19.384)."""

    first_day = date(1899, 12, 30)

    def typed(self, type_: str, style: int, text: str, where: Where) -> Value:
        """The value that a stored text means."""
        if type_ == "float":
            try:
                return number_of(text)
            except (InvalidOperation, ValueError):
                return CellError(f'{where()} is damaged: "{text[:40]}" is not a number')
        if type_ == "time":
            match = _DURATION.fullmatch(text.strip())
            if match is None:
                return CellError(f'{where()} is damaged: "{text[:40]}" is not a time')
            return duration(seconds_of(text) or Decimal(0))
        if type_ == "d" and text.startswith("0000"):
            return CellError(f"{where()} contains a date without a year")
        return super().typed(type_, style, text, where)

    def value(self, cell: StoredCell, where: Where) -> Value:
        """The value of a stored cell; of a formula its last result."""
        if cell.formula is not None and cell.value is None and not cell.tail:
            return super().value(cell._replace(type="n"), where)
        return super().value(cell, where)

    def serial(self, day: date) -> Decimal:
        """The number of a date or time, by the first day of the workbook (9.4.3)."""
        plain = day.date() if isinstance(day, datetime) else day
        number = Decimal((plain - self.first_day).days)
        if isinstance(day, datetime):
            number += Decimal(day.hour * 3600 + day.minute * 60 + day.second) / _DAY
        return number

    def _moment(self, text: str, sort: str, where: Where) -> Value:
        number = number_of(text)
        if sort == "duration" or (sort == "time" and 0 <= number < 1):
            return duration(number * _DAY)
        days = int(number // 1)
        try:
            day = self.first_day + timedelta(days)
        except OverflowError:
            return CellError(f"{where()} is formatted as a date, but contains {text}")
        if sort == "date" and number == days:
            return day
        seconds = int((number - days) * _DAY + Decimal("0.5"))
        return datetime(day.year, day.month, day.day) + timedelta(seconds=seconds)


def seconds_of(text: str) -> Decimal | None:
    """The seconds of a duration (XML Schema Part 2, 3.2.6); None for another text."""
    match = _DURATION.fullmatch(text.strip())
    if match is None:
        return None
    sign, days, hours, minutes, seconds = match.groups()
    total = int(days or 0) * _DAY + int(hours or 0) * 3600 + int(minutes or 0) * 60
    total += Decimal((seconds or "0").replace(",", "."))
    return -total if sign else total


#: A number and the text of an element; the characters from which on a number is read with care.
_NUMBERS = lazy_pattern(rb' office:value="([^"]*)"')
_TEXTS = lazy_pattern(rb"<text:p>(.*?)</text:p>", re.DOTALL)
_LONG = 16


class OpenStoredCells(StoredCells):
    """The stored cells of one sheet."""

    part: TablePart

    def read_column(self, column: int) -> ColumnValues:
        """The values of a column; notes the rows of its formulas. Rows that are written alike are read together, with
        the columns that were asked for in other sheets.
        """
        loaded = self.loaded()
        stored = loaded.stored
        if loaded.filled is not None or not isinstance(stored, SearchedRows):
            return super().read_column(column)
        form = stored.form
        if form is None or not form.has(column):
            return super().read_column(column)
        self._loads.asked.add(letters_of(column).encode())
        columns, alike = stored.with_column(column)
        at = columns.index(column)
        elements = alike.found if len(columns) == 1 else [each[at] for each in alike.found]
        values, formulas = ColumnValues(), set[int]()
        self._take_alike(values, formulas, column, stored.numbered_rows(alike.places), elements)
        for cell in stored.column(column, alike.others):
            self._take(values, formulas, cell)
        if alike.others and alike.places and alike.others[0] < alike.places[-1]:
            values = ColumnValues(sorted(values.items()))
        self.formula_rows[column] = formulas
        return values

    def _take_alike(
        self, values: ColumnValues, formulas: set[int], column: int, rows: list[int], elements: Sequence[bytes]
    ) -> None:
        """Takes the values of elements that are written in few ways."""
        joined = b"\n".join(elements)
        if b"table:formula=" not in joined:
            whole = self._all_alike(joined, len(elements))
            if whole is not None:
                values.update(zip(rows, whole, strict=True))
                return
        stored = self.loaded().stored
        assert isinstance(stored, SearchedRows)
        known: dict[bytes, Value] = {}
        for row, raw in zip(rows, elements, strict=True):
            value = known.get(raw, known)
            if value is known:
                cell = stored.cell_of(raw, row, column)
                if cell.formula is not None:
                    formulas.add(row)
                value = self._shared.decoder.value(cell, lambda row=row: self._where(row, column))  # type: ignore[misc]
                if cell.formula is None and not isinstance(value, CellError):
                    known[raw] = value
            if value is not None:
                values[row] = value

    @staticmethod
    def _all_alike(joined: bytes, count: int) -> list[Any] | None:
        """The values of elements that are all numbers, or all texts; None for others."""
        if b"table:covered" in joined or b'value-type="error"' in joined:
            return None
        if joined.count(b'office:value-type="float"') == count:
            raw = _NUMBERS.findall(joined)
            different = set(raw)
            if len(raw) != count or max(map(len, different), default=0) >= _LONG:
                return None
            try:
                read = {text: number_of(text.decode()) for text in different}
            except (InvalidOperation, ValueError):
                return None
            return list(map(read.__getitem__, raw))
        if joined.count(b'office:value-type="string"') == count and b"string-value" not in joined:
            raw = _TEXTS.findall(joined)
            if len(raw) != count or b"" in raw:
                return None
            texts = {text: blanks_text(text) if b"<" in text else paragraph_text(text) for text in set(raw)}
            if "" in texts.values():
                return None
            return list(map(texts.__getitem__, raw))
        return None

    def may_have_runs(self) -> bool:
        """Whether some text of the sheet may have several looks."""
        loaded = self.loaded()
        if loaded.rich is None:
            stored = loaded.stored
            is_searched = isinstance(stored, SearchedRows)
            loaded.rich = not is_searched or b"text:span" in stored.data or b":a " in stored.data
        return loaded.rich

    def runs_in(self, row: int, column: int) -> list[Run] | None:
        """The runs of a text with several looks; None for a plain one."""
        stored = self.loaded().stored
        assert isinstance(stored, TableRows)
        element = stored.element_at(row, column)
        return runs_in(element.content, stored.namespaces) if element is not None else None

    def arrays(self) -> list[Area]:
        """The ranges of array formulas (8.7.1)."""
        if self._arrays is None:
            self._arrays = []
            stored = self.loaded().stored
            if b"number-matrix-" in stored.data:
                for cell in stored.all_cells():
                    if cell.formula is not None and cell.formula.type == "array":
                        self._arrays.append(area_of(cell.formula.ref))
        return self._arrays
