"""The records of a table of texts, as the rows of a sheet."""

from __future__ import annotations

import os
import re
from array import array
from collections.abc import Iterable, Iterator, Mapping, Sequence
from datetime import date, datetime
from decimal import Decimal
from functools import cached_property, partial
from itertools import zip_longest

from scrub.formats.delimited.layout import Layout
from scrub.formats.delimited.records import fields_of, raw_fields
from scrub.formats.overlay import NOBODYS, UNCHANGED, key_of, place_of
from scrub.formats.put import PutOver, PutPlainly, PutsPlainly
from scrub.formats.sheet import OpenSheet
from scrub.formats.shift import Shift
from scrub.model.cells.grid import ColumnValues
from scrub.model.cells.records import Table
from scrub.model.core.amounts import Duration, number_text
from scrub.model.core.area import MOST_COLUMNS, MOST_ROWS, Area
from scrub.model.core.change import Undo
from scrub.model.core.declare import FileItem
from scrub.model.core.lazy_pattern import lazy_pattern
from scrub.model.core.preferences import CURRENT, Mark
from scrub.model.core.problem import Failure
from scrub.model.core.text import Edit, edited
from scrub.model.core.values import Plain, Value, harmless, shown, type_name

_POINT_NUMBER = lazy_pattern(r"-?(?:0|[1-9]\d{0,14})(?:\.\d+)?")
_COMMA_NUMBER = lazy_pattern(r"-?(?:0|[1-9]\d{0,14})(?:,\d+)?")
_DATE = lazy_pattern(r"\d{4}-\d{2}-\d{2}")
#: Numbers whose mark can only be the decimal one: not three digits are after it.
_SURELY_COMMA, _SURELY_POINT = (re.compile(rf"-?\d+{mark}(?:\d{{1,2}}|\d{{4,}})") for mark in (",", r"\."))
#: Records that are looked at to find out how the file writes its numbers.
_SAMPLE = 500
#: Columns that are split off together, and kept when they were read; more of them are kept up to this number of values.
#: And the columns that are split off alone before.
_COLUMNS, _VALUES = 16, 2_000_000
_ALONE = 4
#: A sign with digits after it, as in a telephone number: no program runs that as a formula that does anything.
_SIGNED = lazy_pattern(r"[+-][\d\s().,/-]*")


class DelimitedSheet(OpenSheet):
    """The records of a file, as the rows of a sheet."""

    def __init__(self, file: FileItem, layout: Layout, records: list[str]) -> None:
        super().__init__()
        self._file = file
        self.layout = layout
        self.safe: list[str] = []  # cells whose text was made harmless
        self.records_ = records
        self._kept: dict[int, ColumnValues] = {}  # columns that were read last, the latest at the end
        self._alone = 0  # columns that were split off alone
        self._texts: dict[int, list[str]] = {}  # columns that were split off together, until they are read
        self._fields: tuple[int, list[str]] = 0, []  # the record that was split last
        self._used: Area | None = None
        self._puts: PutsPlainly[DelimitedSheet] | None = None  # the arrays that took the last value
        self._kept_empty: set[int] = set()  # rows that were added with nothing in them

    @cached_property
    def _counts(self) -> array[int]:
        """How many delimiters are in each record."""
        delimiter = self.layout.delimiter
        return array("H", [record.count(delimiter) for record in self.records_])

    @property
    def keeps_rows(self) -> bool:
        """Whether rows were added with nothing in them."""
        return bool(self._kept_empty)

    @cached_property
    def _number(self) -> re.Pattern[str]:
        """How a number is written: as the file has it where that is plain, else by the person's settings; those hold
        while a macro runs.
        """
        delimiter = self.layout.delimiter
        commas = points = False
        if delimiter != ",":
            for record in self.records_[:_SAMPLE]:
                for field in fields_of(record, delimiter):
                    commas = commas or _SURELY_COMMA.fullmatch(field) is not None
                    points = points or _SURELY_POINT.fullmatch(field) is not None
        if commas != points:
            return _COMMA_NUMBER if commas else _POINT_NUMBER
        return _COMMA_NUMBER if CURRENT.get().decimal_mark == Mark.COMMA else _POINT_NUMBER

    @property
    def file(self) -> FileItem:
        """The workbook that consists of it."""
        return self._file

    @cached_property
    def name(self) -> str:
        """The file's name without its ending."""
        return os.path.splitext(self._file.label)[0]

    def each_table(self) -> Iterator[Table]:
        """All of it, as one table."""
        table = self._table()
        return iter(() if table is None else (table,))

    @property
    def number(self) -> int:
        """The first and only."""
        return 1

    @property
    def protected(self) -> bool:
        """Never."""
        return False

    def formula(self, row: int, column: int) -> str | None:
        """There are none."""
        return None

    # -- reading

    def column_values(self, column: int) -> ColumnValues:
        """The values from row 1 to the last filled one."""
        values = self.overlay.live.get(column)
        if values is None:
            texts = self._column(column)
            known = {text: self._typed(text) for text in set(texts)}
            values = ColumnValues(zip(range(1, len(texts) + 1), map(known.__getitem__, texts), strict=True))
            if None in known.values():
                for row in [row for row, value in values.items() if value is None]:
                    del values[row]
            self.overlay.live[column] = self.with_changes(values, column)
        kept = self._kept
        if next(reversed(kept), 0) != column:
            kept.pop(column, None)
            kept[column] = values
            while len(kept) > _COLUMNS and len(kept) * len(self.records_) > _VALUES:
                del kept[next(iter(kept))]
        return values

    def values_at(self, column: int, rows: Sequence[int]) -> Sequence[Value]:
        """What is in a column in many rows; a column that nobody holds is not kept for that."""
        if column in self.overlay.live or not self._are_stored(rows, column):
            return super().values_at(column, rows)
        texts = self._texts_at(column, rows)
        known = {text: self._typed(text) for text in set(texts)}
        return list(map(known.__getitem__, texts))

    def _are_stored(self, rows: Sequence[int], column: int) -> bool:
        """Whether nothing was changed in a column, and all of these rows are records of the file."""
        if self.line_changes or self.overlay.is_changed(column):
            return False
        return not rows or (min(rows) >= 1 and max(rows) <= len(self.records_))

    def _texts_at(self, column: int, rows: Sequence[int]) -> list[str]:
        records, delimiter = self.records_, self.layout.delimiter
        if self.layout.quoted:
            split = [fields_of(records[row - 1], delimiter) for row in rows]
        elif self.layout.line_end == "\n":
            split = [records[row - 1].rstrip("\r").split(delimiter, column) for row in rows]
        else:
            split = [records[row - 1].split(delimiter, column) for row in rows]
        return [fields[column - 1] if len(fields) >= column else "" for fields in split]

    def put_many(self, rows: Sequence[int], puts: Sequence[tuple[int, Sequence[Value]]]) -> None:
        """Gives fields of many rows values; at once if these are plain texts, and nothing in the column was changed."""
        column, values = puts[0]
        texts = set(values) if set(map(type, values)) == {str} else set()
        plain = texts and all(text and text.isascii() and harmless(text) == text for text in texts)
        recorder = self._file.recorder
        if len(puts) > 1 or not plain or not self._are_stored(rows, column) or not recorder.takes_columns:
            super().put_many(rows, puts)
            return
        self._put_together(rows, column, self.values_at(column, rows), values, self._opened_puts)

    def _opened_puts(self) -> PutsPlainly[DelimitedSheet] | None:
        """The arrays that take values that are put."""
        known = self._puts if self._puts and self._puts.name == self.name else None
        self._puts = self._file.recorder.column(known, partial(PutsPlainly, self))
        return self._puts

    def _column(self, column: int) -> list[str]:
        """The fields of one column. The first ones that are asked for are split off alone, as most macros need few;
        then a record is split once for several columns beside each other.
        """
        result = self._texts.pop(column, None)
        if result is not None:
            return result
        self._alone += 1
        if self._alone <= _ALONE:
            rows = [self._split(record, column) for record in self.records_]
            return [row[column - 1] if len(row) >= column else "" for row in rows]
        used = self.used()
        together = max(_COLUMNS, used.right // 8) if used is not None else 1
        first = (column - 1) // together * together
        split = [self._split(record, first + together)[first : first + together] for record in self.records_]
        empty = [""] * len(split)
        self._texts = {number: list(texts) for number, texts in enumerate(zip_longest(*split, fillvalue=""), first + 1)}
        return self._texts.pop(column, empty)

    def _split(self, record: str, most: int) -> list[str]:
        """The fields of a record, at least the first ones."""
        delimiter = self.layout.delimiter
        if self.layout.quoted:
            return fields_of(record, delimiter)
        return (record.rstrip("\r") if self.layout.line_end == "\n" else record).split(delimiter, most)

    def _typed(self, text: str) -> Plain:
        """What a field means: a number or a date written plainly, else a text."""
        if self._number.fullmatch(text):
            return Decimal(text.replace(",", "."))
        if _DATE.fullmatch(text):
            try:
                return date.fromisoformat(text)
            except ValueError:
                return text
        if text in ("TRUE", "FALSE"):
            return text == "TRUE"
        return text or None

    def raw_value(self, row: int, column: int) -> Value:
        """The value of a cell."""
        key = key_of(row, column)
        if row in self.line_changes.gone_rows or column in self.line_changes.gone_columns:
            return None
        if key in self.overlay.values:
            return self.overlay.values[key]
        known = self.overlay.live.get(column)
        if known is not None:
            return known.get(row)
        if not 1 <= row <= len(self.records_):
            return None
        if self._fields[0] != row:
            self._fields = row, fields_of(self.records_[row - 1], self.layout.delimiter)
        fields = self._fields[1]
        return self._typed(fields[column - 1]) if column <= len(fields) else None

    def text(self, row: int, column: int) -> str:
        """What is seen in the cell: what the file has."""
        return self._written(self.raw_value(row, column))

    def used(self) -> Area | None:
        """The smallest range with all that contains something."""
        if self._used is None:
            filled = [row for row, record in enumerate(self.records_, 1) if record.strip("\r")]
            delimiter = self.layout.delimiter
            if self.layout.quoted:
                counts = zip(self._counts, self.records_, strict=True)
                wide = (len(fields_of(each, delimiter)) if '"' in each else count + 1 for count, each in counts)
                most = max(wide, default=1)
            else:
                most = max(self._counts, default=0) + 1
            self._used = Area(filled[0], 1, filled[-1], most) if filled else Area(0, 0, 0, 0)
        area = self.spanning(self._used if self._used.bottom else None)
        if self._kept_empty and area is not None:
            return area._replace(bottom=max(area.bottom, *self._kept_empty))
        return area

    def stored_rows(self) -> Sequence[int]:
        """Every record, and rows that were written below."""
        return self.line_changes.kept_rows(
            sorted({*range(1, len(self.records_) + 1), *(key >> 15 for key in self.overlay.values)})
        )

    def stored_places(self) -> Sequence[tuple[int, int]]:
        """Row and column of every field."""
        places = {
            (row, column)
            for row, record in enumerate(self.records_, 1)
            for column in range(1, len(fields_of(record, self.layout.delimiter)) + 1)
        }
        return self.line_changes.kept_places(sorted(places.union(map(place_of, self.overlay.values))))

    def filled_rows(self, area: Area, known: Iterable[ColumnValues] = ()) -> Sequence[int]:
        """The rows that hold a value. Raises `Failure` for a record that has more or fewer fields than the first."""
        used = self.used()
        if used is None:
            return []
        area = area.within(used)
        last = min(area.bottom, len(self.records_))
        delimiter, records = self.layout.delimiter, self.records_
        if area.top > 1:
            self._ensure_even(area.top - 1, last)
        changed = {key >> 15 for key in self.overlay.values}
        blank = delimiter + " \r"
        found = [row for row in range(area.top, last + 1) if records[row - 1].strip(blank) or row in changed]
        if changed:
            columns = range(area.left, area.right + 1)
            found += sorted(row for row in changed if last < row <= area.bottom)
            found = [
                row
                for row in found
                if row not in changed or any(self.raw_value(row, column) is not None for column in columns)
            ]
        return self.line_changes.kept_rows(found)

    def _ensure_even(self, heading: int, last: int) -> None:
        """Raises `Failure` where a record below the headings is ragged."""
        delimiter, records = self.layout.delimiter, self.records_[heading - 1 : last]
        counts = self._counts[heading - 1 : last]
        wanted = counts[0] if counts else 0
        if len(set(counts)) < 2 and not self.layout.quoted:
            return
        wanted = len(fields_of(records[0], delimiter))
        for at, (record, count) in enumerate(zip(records, counts, strict=True)):
            if not record.strip("\r") or (count + 1 == wanted and '"' not in record):
                continue
            there = len(fields_of(record, delimiter))
            if there != wanted:
                line = self._line_of(heading + at)
                failure = Failure(
                    f"{self._file.label}, line {line}: {there} fields, but {wanted} headings. Put quotes around a "
                    "field that contains the delimiter"
                )
                failure.placed = True
                raise failure

    def _line_of(self, row: int) -> int:
        """The line in the file where a record begins."""
        return row + sum(record.count(self.layout.line_end) for record in self.records_[: row - 1])

    # -- changing

    def put(self, row: int, column: int, value: Value) -> None:
        """Gives a field a value."""
        self.line_changes.ensure_there(row, column, self.where)
        before = self.raw_value(row, column)
        if type(before) is type(value) and before == value:
            return
        if isinstance(value, Duration) and not value.on_calendar:
            value = str(value)
        if not (value is None or isinstance(value, str | bool | Decimal | date)):
            raise Failure(f"a field cannot contain {type_name(value)}").at(self.where(row, column))
        if isinstance(value, str):
            value = self._writable(str(value), before, row, column)
        key = key_of(row, column)
        former = self.change(key, value, self.overlay.live.get(column, NOBODYS), before)
        puts, recorder = self._puts, self._file.recorder
        if former is UNCHANGED:
            known = puts if puts and puts.name == self.name else None
            puts = self._puts = recorder.column(known, partial(PutsPlainly, self))
            if puts is not None:
                puts.note(key, before, value)
                return
        plainly = former is UNCHANGED
        recorder.note(PutPlainly(self, key, before, value) if plainly else PutOver(self, key, before, value, former))

    def _writable(self, text: str, before: Value, row: int, column: int) -> str | None:
        """A text as the file can contain it."""
        if not text.isascii():
            try:
                text.encode(self.layout.encoding)
            except UnicodeEncodeError as error:
                raise Failure(
                    f'"{text[error.start]}" cannot be written in this file\'s encoding ({self.layout.encoding}). '
                    "Save it as UTF-8 first"
                ).at(self.where(row, column)) from None
        return self._safe(text, before, row, column) or None

    def _safe(self, text: str, before: Value, row: int, column: int) -> str:
        """A text that no program runs as a formula; one that began so before, or is a mere number, stays as it is."""
        safe = harmless(text)
        if safe == text or _SIGNED.fullmatch(text) or (isinstance(before, str) and harmless(before) != before):
            return text
        self.safe.append(self.where(row, column))
        return safe

    def edit_text(self, row: int, column: int, text: str, edits: Sequence[Edit]) -> None:
        """Edits one text."""
        self.put(row, column, edited(text, edits))

    # -- writing

    def written(self) -> list[str]:
        """The records as they are to be."""
        quickly = self._with_fields() if not self.line_changes and not self._kept_empty else None
        if quickly is not None:
            return quickly
        layout, found = self.layout, list(self.records_)
        stored = len(found)
        ending = "\r" if found and found[0].endswith("\r") else ""
        by_row: dict[int, list[tuple[int, Value]]] = {}
        for key, value in self.overlay.values.items():
            by_row.setdefault(key >> 15, []).append((key & 0x7FFF, value))
        width = self._width(by_row)
        empty = layout.delimiter * (width - 1) + ending
        made = dict.fromkeys(self.line_changes.rows.new, empty)  # records without a place yet
        for row in sorted({*by_row, *self._kept_empty}):
            values = by_row.get(row, [])
            if row > len(found) and row not in self._kept_empty and all(value is None for _, value in values):
                continue
            while len(found) < row <= MOST_ROWS:
                found.append(empty)
            if row <= MOST_ROWS:
                found[row - 1] = self._record(found[row - 1], values)
            elif row in made:
                made[row] = self._record(made[row], values)
        before = len(fields_of(self.records_[0], layout.delimiter)) if stored else width
        for row in range(stored) if width > before else ():  # a new heading gives a field to every record
            if found[row].strip("\r") and len(fields_of(found[row], layout.delimiter)) == before:
                tail = self._tail(found[row])
                found[row] = found[row].removesuffix(tail) + layout.delimiter * (width - before) + tail
        if not self.line_changes:
            return found
        shift = self.line_changes.shift()
        kept = [
            (place, self._rearranged(row, record, shift.columns) if shift.columns else record)
            for row, record in (*enumerate(found, 1), *made.items())
            if (place := shift.rows.place(row))
        ]
        return [record for _, record in (sorted(kept) if shift.rows.put else kept)]

    def _with_fields(self) -> list[str] | None:
        """The records with other values in some fields; None where records or columns come."""
        found, delimiter = list(self.records_), self.layout.delimiter
        known: dict[tuple[type, Value], str] = {}
        for key, value in self.overlay.values.items():
            row, column = key >> 15, key & 0x7FFF
            if row == 1 or row > len(found):
                return None
            record = found[row - 1]
            parts = record.split(delimiter, column + 1)
            if '"' in record or len(parts) <= column or (len(parts) == column + 1 and record.endswith("\r")):
                found[row - 1] = self._record(record, [(column, value)])
                continue
            kind = type(value), value
            text = known.get(kind)
            if text is None:
                text = known[kind] = self._field(value, "")
            parts[column] = text
            found[row - 1] = delimiter.join(parts) or '""'
        return found

    def _width(self, by_row: Mapping[int, Sequence[tuple[int, Value]]]) -> int:
        """How many fields a new record has: as many as the first one, which a change can make longer."""
        first = len(fields_of(self.records_[0], self.layout.delimiter)) if self.records_ else 0
        rows = by_row.items() if not self.records_ else [(1, by_row.get(1, ()))]
        columns = (
            column + 1 for _, values in rows for column, value in values if value is not None and column < MOST_COLUMNS
        )
        return max(first, 1, *columns)

    def keep_row(self, row: int) -> Undo:
        """Lets a row be there though nothing is in it; returns how to undo it."""
        self._kept_empty.add(row)
        return lambda: self._kept_empty.discard(row)

    def _tail(self, record: str) -> str:
        return "\r" if record.endswith("\r") and self.layout.line_end == "\n" else ""

    def _record(self, record: str, values: Sequence[tuple[int, Value]]) -> str:
        """A record with other values in some of its fields; those of new columns are after all others for now."""
        tail, delimiter = self._tail(record), self.layout.delimiter
        fields = raw_fields(record.removesuffix(tail) if tail else record, delimiter) or [""]
        for column, value in values:
            if column >= MOST_COLUMNS:
                continue
            while len(fields) <= column:
                fields.append("")
            fields[column] = self._field(value, fields[column])
        whole = delimiter.join(fields)
        return (whole or '""') + tail  # an empty line would be no record

    def _rearranged(self, row: int, record: str, columns: Shift) -> str:
        """A record with its fields where they come to be."""
        tail, delimiter = self._tail(record), self.layout.delimiter
        fields = raw_fields(record.removesuffix(tail) if tail else record, delimiter)
        if not record.removesuffix(tail) or fields is None:
            return record
        placed = [(columns.place(column), field) for column, field in enumerate(fields, 1)]
        for column in self.line_changes.columns.new:
            value = self.overlay.values.get(key_of(row, column))
            placed.append((columns.place(column), "" if value is None else self._field(value, "")))
        whole = delimiter.join(field for place, field in sorted(placed) if place)
        return (whole or '""') + tail

    def _field(self, value: Plain, before: str) -> str:
        """A value as a field; one that was quoted stays so."""
        text = self._written(value)
        marks = (self.layout.delimiter, '"', "\n", "\r")
        if any(mark in text for mark in marks) or (before.startswith('"') and text):
            return '"' + text.replace('"', '""') + '"'
        return text

    def _written(self, value: Plain) -> str:
        if isinstance(value, bool):
            return "TRUE" if value else "FALSE"
        if isinstance(value, Decimal):
            text = number_text(value)
            return text.replace(".", ",") if self._number is _COMMA_NUMBER else text
        if isinstance(value, datetime) and (value.second or value.microsecond):
            return value.isoformat(timespec="microseconds" if value.microsecond else "seconds")
        return "" if value is None else shown(value)
