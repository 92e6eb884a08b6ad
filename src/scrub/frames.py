"""Tables as data frames, and back: what pandas is for, with previews and undo."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from datetime import date, datetime
from decimal import Decimal
from typing import TYPE_CHECKING, Any, Literal

from scrub.api.values import into, out
from scrub.model.cells.grid import CellError
from scrub.model.cells.records import Table
from scrub.model.core.problem import BadCall, Failure, did_you_mean
from scrub.model.core.values import Pairs, heading_key, shown

if TYPE_CHECKING:
    import numpy
    import pandas

#: The largest whole number that a float has exactly, and so every one below.
_MOST_EXACT = 2**53


def to_frame(
    table: Table, decimals: Literal["float", "exact"] = "float", errors: Literal["raise", "empty"] = "raise"
) -> pandas.DataFrame:
    """The records of a table as a data frame, a column for each heading.

    Numbers are `Int64` where all are whole and below 2⁵³, else `Float64`; with `decimals="exact"` they stay `Decimal`.
    Yes and no are `boolean`, text is `string`, dates and times `datetime64`; columns of several types are objects. An
    error value raises `Failure`, or is missing with `errors="empty"`.
    """
    _pandas()
    rows = list(table.rows.filled())
    columns = {}
    for key, heading in table.rows.headings.items():
        values = _values(table, rows, key, errors)
        columns[heading] = _column(values, decimals)
    frame: pandas.DataFrame = _pandas().DataFrame(columns)
    return frame


def _pandas() -> Any:
    """The package. Raises `BadCall` with what installs it."""
    try:
        import pandas
    except ImportError:
        raise BadCall("data frames need: pip install 'scrub-macros[frames]'") from None
    return pandas


def _values(table: Table, rows: Sequence[object], key: str, errors: str) -> list[Any]:
    """The values under one heading. Raises `Failure` for an error value, unless those are missing."""
    values = list(map(table.reader(key), rows))
    if CellError in set(map(type, values)):
        values = [_resolved(value, errors) if type(value) is CellError else value for value in values]
    return values


def _resolved(value: CellError, errors: str) -> Any:
    try:
        return value.resolved()
    except Failure:
        if errors == "empty":
            return None
        raise


def _column(values: list[Any], decimals: str) -> Any:
    """The values in the type that fits all of them."""
    pandas = _pandas()
    kinds = set(map(type, values)) - {type(None)}
    if kinds == {Decimal} and decimals == "float":
        return _numbers(values)
    if kinds == {bool}:
        return pandas.array(values, dtype="boolean")
    if kinds and all(issubclass(kind, str) for kind in kinds):
        return pandas.array(values, dtype="string")
    if kinds and kinds <= {date, datetime}:
        return pandas.to_datetime(pandas.Series(values, dtype="object"), errors="coerce")
    return pandas.Series([out(value) for value in values], dtype="object")


def _numbers(values: list[Any]) -> Any:
    """Numbers as a column that can have missing ones."""
    import numpy
    import pandas

    missing = None in values
    mask: numpy.ndarray[Any, Any] = numpy.zeros(len(values), dtype=bool)
    if missing:
        mask = numpy.fromiter((value is None for value in values), dtype=bool, count=len(values))
        values = [0 if value is None else value for value in values]
    found = numpy.fromiter(map(float, values), dtype="float64", count=len(values))
    if (found == numpy.floor(found)).all() and (numpy.abs(found) < _MOST_EXACT).all():
        return pandas.arrays.IntegerArray(found.astype("int64"), mask)
    return pandas.arrays.FloatingArray(found, mask)


def update_from(table: Table, frame: pandas.DataFrame, key: str, add: bool = False) -> int:
    """Writes into the records what differs in a data frame, and gives how many values that are.

    key: the heading by which a row of the frame is found in the table. A key that is there twice is refused.
    add: whether rows without a record are added as records; without it they are a `Failure`.

    Numbers are compared as floats, so that values that were only read do not count as changed. Missing values empty
    a cell.
    """
    headings = _headings(table, frame, key)
    found = _by_key(table, key)
    wanted = _rows(frame, [key, *headings])
    seen, changed = Pairs(), 0
    for of, *values in wanted:
        if seen.has(of):
            raise Failure(f'"{shown(of)}" appears twice under "{key}" in the frame. Remove the duplicates first')
        seen.put(of, True)
        row = found.get(of) if found.has(of) else None
        if row is None:
            if not add:
                raise Failure(f'no record has "{shown(of)}" under "{key}". To add new records: add=True')
            table.add_record(**dict(zip([key, *headings], [of, *values], strict=True)))
            changed += 1 + len(values)
            continue
        for heading, value in zip(headings, values, strict=True):
            changed += _put(table, row, heading, value)
    return changed


def _headings(table: Table, frame: pandas.DataFrame, key: str) -> list[str]:
    """The columns of a frame that the table has, but for the key. Raises `Failure` for others."""
    columns = [str(column) for column in frame.columns]
    if key not in columns:
        raise Failure(f'the frame has no column "{key}".{did_you_mean(key, columns)}')
    table.rows.key(key)  # fails where the table has no such heading
    for column in columns:
        if not table.rows.has(column):
            raise Failure(
                f'{table.label} has no heading "{column}".{did_you_mean(column, table.rows.headings.values())} '
                "Drop the column, or add it to the table first"
            )
    return [column for column in columns if column != key]


def _by_key(table: Table, key: str) -> Pairs:
    """The rows of a table by what is under a heading. Raises `Failure` for a key that is there twice."""
    found, read = Pairs(), table.reader(table.rows.key(key))
    for row in table.rows.filled():
        value = read(row)
        value = value.resolved() if type(value) is CellError else value
        if value is None:
            continue
        if found.has(value):
            raise Failure(f'"{shown(value)}" appears twice under "{key}" in {table.label}')
        found.put(value, row)
    return found


def _rows(frame: pandas.DataFrame, columns: Sequence[str]) -> Iterator[list[Any]]:
    """The rows of a frame as values that a file can contain."""
    lists = [_plain(frame[column]) for column in columns]
    return (list(row) for row in zip(*lists, strict=True))


def _plain(column: pandas.Series[Any]) -> list[Any]:
    """The values of a column: missing ones are None, times at midnight of a column without others are dates."""
    pandas = _pandas()
    missing = column.isna().tolist()
    values = [None if gone else value for value, gone in zip(column.tolist(), missing, strict=True)]
    if pandas.api.types.is_datetime64_any_dtype(column.dtype):
        times = [None if value is None else value.to_pydatetime() for value in values]
        if all(time is None or time.time() == datetime.min.time() for time in times):
            return [None if time is None else time.date() for time in times]
        return times
    return [into(value) for value in values]


def _put(table: Table, row: Any, heading: str, value: Any) -> int:
    """Writes one value where it differs; gives how many were written."""
    key = heading_key(heading)
    now = table.reader(key)(row)
    if type(now) is CellError:
        now = None if value is None else now.resolved()
    if _alike(now, value):
        return 0
    table.rows.put(row, key, value)
    return 1


def _alike(now: Any, value: Any) -> bool:
    """Whether a value is the one that is there already, as a frame has it."""
    if type(now) is Decimal and type(value) is Decimal:
        return float(now) == float(value)
    if isinstance(now, date) and isinstance(value, date):
        return _time(now) == _time(value)
    if isinstance(now, bool) or isinstance(value, bool):
        return now is value
    return bool(now == value) or (now in (None, "") and value in (None, ""))


def _time(value: date) -> datetime:
    return value if isinstance(value, datetime) else datetime(value.year, value.month, value.day)


def add_sheet_from(book: Any, frame: pandas.DataFrame, name: str) -> Any:
    """A new sheet with the columns of a data frame as headings and a row for each of its rows."""
    sheet = book.new_sheet(name)
    sheet.add_row([str(column) for column in frame.columns])
    for row in _rows(frame, list(frame.columns)):
        sheet.add_row(row)
    return sheet


#: The methods that classes of the Python API have besides those of the vocabulary, by the words of their kinds.
METHODS: dict[str, dict[str, Callable[..., Any]]] = {
    "table": {
        "to_frame": lambda self, **options: to_frame(self._it, **options),
        "update_from": lambda self, frame, key, *, add=False: update_from(self._it, frame, key, add),
    },
    "workbook": {"add_sheet_from": lambda self, frame, name: out(add_sheet_from(self._it, frame, name))},
}

__all__ = ["METHODS", "to_frame", "update_from"]
