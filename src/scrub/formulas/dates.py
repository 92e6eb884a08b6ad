"""Days as numbers (ISO/IEC 29500-1, 18.17.4): counted from 1900, with a 29 February that never was, or from 1904."""

from __future__ import annotations

from calendar import monthrange
from datetime import date

from scrub.model.core.lazy_pattern import lazy_pattern

_FIRST = date(1899, 12, 31).toordinal()
_FIRST_1904 = date(1904, 1, 1).toordinal()
#: The day that is counted but never was.
_NO_DAY = 60
LAST_DAY = 2_958_465  # 31 December 9999, counted from 1900
_OFFSET = 1_462  # days between the two ways of counting

_DATE = lazy_pattern(r"(\d{4})-(\d{2})-(\d{2})(?:[T ](\d{1,2}:\d{2}(?::\d{2}(?:\.\d+)?)?))?")
_TIME = lazy_pattern(r"(\d{1,4}):(\d{2})(?::(\d{2}(?:\.\d+)?))?(?:\s*([AaPp])[Mm])?")


def serial(year: int, month: int, day: int, from_1904: bool = False) -> float:
    """The number of a day, whatever the month and day: month 13 is the next year's first. Raises `ValueError`."""
    months = year * 12 + month - 1
    year, month = divmod(months, 12)
    if not 1 <= year <= 9999:
        raise ValueError("no such year")
    if (year, month + 1) == (1900, 2) and not from_1904 and day == 29:
        return float(_NO_DAY)
    ordinal = date(year, month + 1, 1).toordinal() + day - 1
    return float(_counted(ordinal, from_1904))


def _counted(ordinal: int, from_1904: bool) -> int:
    if from_1904:
        number = ordinal - _FIRST_1904
        last = LAST_DAY - _OFFSET
    else:
        number = ordinal - _FIRST
        number += number >= _NO_DAY
        last = LAST_DAY
    if not 0 <= number <= last:
        raise ValueError("no such day")
    return number


def parts(number: float, from_1904: bool = False) -> tuple[int, int, int]:
    """Year, month and day of a number. Raises `ValueError` for one outside the calendar."""
    whole = int(number // 1)
    last = LAST_DAY - _OFFSET if from_1904 else LAST_DAY
    if not 0 <= whole <= last:
        raise ValueError("no such day")
    if from_1904:
        day = date.fromordinal(_FIRST_1904 + whole)
    elif whole == 0:
        return 1900, 1, 0
    elif whole == _NO_DAY:
        return 1900, 2, 29
    else:
        day = date.fromordinal(_FIRST + whole - (whole > _NO_DAY))
    return day.year, day.month, day.day


def day_of(number: float, from_1904: bool = False) -> date:
    """A number as a day of the calendar; the one that never was is the last of February. Raises `ValueError`."""
    year, month, day = parts(number, from_1904)
    if day == 0:
        return date(1899, 12, 31)
    return date(year, month, min(day, monthrange(year, month)[1]))


def of_day(day: date, from_1904: bool = False) -> float:
    """The number of a day of the calendar. Raises `ValueError` for one before the first."""
    return float(_counted(day.toordinal(), from_1904))


def weekday(number: float, from_1904: bool = False) -> int:
    """The day of the week, Monday 0; before March 1900 as the count has it, with the day that never was."""
    whole = int(number // 1)
    if from_1904:
        return (date.fromordinal(_FIRST_1904 + whole)).weekday()
    return (whole + 5) % 7


def clock(number: float) -> tuple[int, int, float]:
    """Hour, minute and second of the part of a day, rounded to a millisecond."""
    milliseconds = round((number % 1) * 86_400_000) % 86_400_000
    minutes, rest = divmod(milliseconds, 60_000)
    return minutes // 60, minutes % 60, rest / 1000


def moved_months(number: float, months: int, from_1904: bool = False) -> float:
    """The same day of a later month, or its last where that has none."""
    year, month, day = parts(number, from_1904)
    total = year * 12 + month - 1 + months
    year, month = divmod(total, 12)
    if not 1 <= year <= 9999:
        raise ValueError("no such year")
    return serial(year, month + 1, min(day, days_in(year, month + 1, from_1904)), from_1904)


def days_in(year: int, month: int, from_1904: bool = False) -> int:
    """How many days a month has; February 1900 is counted with 29."""
    return 29 if (year, month) == (1900, 2) and not from_1904 else monthrange(year, month)[1]


def serial_of_text(text: str, from_1904: bool = False) -> float | None:
    """The number of a text that is a date or a time of ISO 8601, or a time as clocks show it; None for another."""
    match = _DATE.fullmatch(text)
    if match:
        try:
            days = of_day(date(int(match[1]), int(match[2]), int(match[3])), from_1904)
        except ValueError:
            return None
        time = serial_of_text(match[4]) if match[4] else 0.0
        return None if time is None or time >= 1 else days + time
    match = _TIME.fullmatch(text)
    if not match:
        return None
    hour, minute, second = int(match[1]), int(match[2]), float(match[3] or 0)
    if minute > 59 or second >= 60 or (match[4] and not 0 <= hour <= 12):
        return None
    if match[4]:
        hour = hour % 12 + (12 if match[4] in "Pp" else 0)
    return (hour * 3600 + minute * 60 + second) / 86400
