"""What a column contains: how a value of the database is read, and what of a macro's values it takes."""

from __future__ import annotations

import math
import re
from collections.abc import Callable
from datetime import date, datetime, time, timedelta
from decimal import ROUND_HALF_UP, Decimal
from enum import Enum
from typing import Any
from uuid import UUID

from scrub.model.cells.grid import CellError
from scrub.model.core.amounts import Duration
from scrub.model.core.named import NamedTuple
from scrub.model.core.problem import Failure
from scrub.model.core.values import Value, shown, type_name


class Sort(Enum):
    """What a column is declared to hold."""

    TEXT = "texts"
    WHOLE = "whole numbers"
    NUMBER = "numbers"
    REAL = "numbers with up to 15 digits"
    YES_NO = "yes or no"
    DATE = "dates"
    MOMENT = "dates with a time"
    TIME = "times of day"
    ANY = "values of any type"
    CLOSED = "values that Scrub cannot read"


class Column(NamedTuple):
    """A column of a table."""

    name: str
    sort: Sort
    #: Whether something must be in it.
    needed: bool = False
    #: Whether the database writes it on its own.
    own: bool = False
    #: Digits in all and after the point, where it is declared how many.
    digits: tuple[int, int] | None = None
    #: Characters at most, where that is declared.
    letters: int | None = None
    #: Whether days and times are kept as texts, as SQLite does.
    as_text: bool = True
    #: Whether the database compares otherwise than by what it gives: spaces after a text, numbers of few digits.
    loose: bool = False
    #: Whether the database numbers it, and takes another number only where it is told to (`GENERATED ALWAYS`).
    numbered: bool = False
    #: Whether a moment in it is one in time, whatever the zone in which it is written.
    zoned: bool = False


_DATE = re.compile(r"\d{4}-\d\d-\d\d")
_MOMENT = re.compile(r"(\d{4}-\d\d-\d\d)[ T](\d\d:\d\d(?::\d\d(?:\.\d{1,6})?)?)")
_TIME = re.compile(r"\d\d:\d\d(?::\d\d)?")
_MOST = 1 << 63


def reader(column: Column) -> Callable[[object], Value]:
    """What makes a macro's value of one of the database. One that a macro cannot use becomes a `CellError`."""
    sort = column.sort
    words, closed = sort in (Sort.DATE, Sort.MOMENT, Sort.TIME), sort is Sort.CLOSED

    def read(raw: Any) -> Value:
        kind = type(raw)
        if raw is None or kind is bool:
            return raw
        if kind is str:
            return _moment(raw, sort) if words else _closed(column, "values of another type") if closed else raw
        if kind is int:
            return bool(raw) if sort is Sort.YES_NO and raw in (0, 1) else Decimal(raw)
        if kind is float:
            return Decimal(repr(raw)) if math.isfinite(raw) else _closed(column, "not a number")
        return _other(raw, column)

    return read


def _moment(text: str, sort: Sort) -> Value:
    """A day or a time that is kept as a text; one that is none stays a text."""
    try:
        if sort is Sort.TIME:
            return _span(time.fromisoformat(text)) if _TIME.fullmatch(text) else text
        if _DATE.fullmatch(text):
            return date.fromisoformat(text)
        match = _MOMENT.fullmatch(text)
        return datetime.fromisoformat(f"{match[1]} {match[2]}") if match else text
    except ValueError:
        return text


def _span(clock: time) -> Duration:
    seconds = clock.hour * 3600 + clock.minute * 60 + clock.second
    return _lasting(Decimal(seconds) + Decimal(clock.microsecond) / 1_000_000)


def _lasting(seconds: Decimal) -> Duration:
    """A span in the largest unit of which it is a whole number."""
    unit, many = ("hours", 3600) if not seconds % 3600 else ("minutes", 60) if not seconds % 60 else ("seconds", 1)
    return Duration(seconds / many, unit)


def _other(raw: object, column: Column) -> Value:
    """What only servers give, and bytes."""
    if isinstance(raw, Decimal):
        return raw if raw.is_finite() else _closed(column, "not a number")
    if isinstance(raw, datetime):
        return raw if raw.tzinfo is None else _here(raw)
    if isinstance(raw, date):
        return raw
    if isinstance(raw, time):
        return _span(raw)
    if isinstance(raw, timedelta):
        return _lasting(Decimal(str(raw.total_seconds())))
    if isinstance(raw, UUID):
        return str(raw)
    return _closed(column, "bytes" if isinstance(raw, bytes | memoryview) else f"a {type(raw).__name__}")


def _here(moment: datetime) -> datetime:
    """A moment by the clock of this computer; of the hour that comes twice in autumn, it stays the one that it is."""
    found = moment.astimezone().replace(tzinfo=None)
    return found if found.astimezone() == moment else found.replace(fold=1)


def _closed(column: Column, what: str) -> object:
    return CellError(f'"{column.name}" contains {what}, which a macro cannot use', filled=True)


def fitted(column: Column, value: Value) -> object:
    """A macro's value as the column keeps it. Raises `Failure` for one that it does not hold."""
    if value is None:
        if column.needed:
            raise Failure("this column cannot be empty")
        return None
    fit = _FITTING.get(column.sort)
    result = None if fit is None else fit(column, value)
    if result is None:
        raise Failure(f"this column takes {column.sort.value}, not {type_name(value)}{_said(value)}")
    if type(result) is str:
        if column.letters is not None and len(result) > column.letters:
            raise Failure(
                f"this column takes up to {column.letters:,} characters; the text has {len(result):,}{_said(value)}"
            )
        if "\0" in result or (not result.isascii() and any(0xD800 <= ord(letter) < 0xE000 for letter in result)):
            raise Failure("the text contains a NUL character, which a database cannot store")
    return result


def _said(value: Value) -> str:
    return f' "{shown(value)[:40]}"' if isinstance(value, str | Decimal) else ""


def _text(column: Column, value: Value) -> str | None:
    return None if isinstance(value, bool | list | CellError) else value if isinstance(value, str) else shown(value)


def _whole(column: Column, value: Value) -> int | None:
    if not isinstance(value, Decimal) or value != value.to_integral_value() or not -_MOST <= value < _MOST:
        return None
    return int(value)


def _number(column: Column, value: Value) -> object:
    if not isinstance(value, Decimal):
        return None
    if column.digits is not None and not column.as_text:
        whole, behind = column.digits
        kept = value.quantize(Decimal(1).scaleb(-behind), ROUND_HALF_UP)
        return kept if abs(kept) < Decimal(10) ** (whole - behind) else None
    if column.as_text:
        return _whole(column, value) if value == value.to_integral_value() else float(value)
    return value


def _real(column: Column, value: Value) -> float | None:
    return float(value) if isinstance(value, Decimal) else None


def _yes_no(column: Column, value: Value) -> object:
    return None if not isinstance(value, bool) else int(value) if column.as_text else value


def _date(column: Column, value: Value) -> object:
    if isinstance(value, datetime):
        value = value.date() if value.time() == time(0) else None
    return None if not isinstance(value, date) else value.isoformat() if column.as_text else value


def _moment_of(column: Column, value: Value) -> object:
    if not isinstance(value, date):
        return None
    found = value if isinstance(value, datetime) else datetime(value.year, value.month, value.day)
    if column.zoned and found.tzinfo is None:
        found = found.astimezone()  # as it is read: in the zone of this computer
    return found.isoformat(" ") if column.as_text else found


def _time(column: Column, value: Value) -> object:
    if not isinstance(value, Duration) or value.on_calendar or not 0 <= value.total < 86_400:
        return None
    found = (datetime.min + timedelta(seconds=float(value.total))).time()
    return found.isoformat() if column.as_text else found


def _any(column: Column, value: Value) -> object:
    """As SQLite keeps a value in a column of which nothing is said."""
    if isinstance(value, bool):
        return int(value)
    if isinstance(value, Decimal):
        return _number(column, value)
    return value if isinstance(value, str) else value.isoformat() if isinstance(value, date) else None


_FITTING: dict[Sort, Callable[[Column, Value], object]] = {
    Sort.TEXT: _text, Sort.WHOLE: _whole, Sort.NUMBER: _number, Sort.REAL: _real, Sort.YES_NO: _yes_no,
    Sort.DATE: _date, Sort.MOMENT: _moment_of, Sort.TIME: _time, Sort.ANY: _any,
}  # fmt: skip
