"""Operations of dates and times, and reading a date as a person types it."""

from __future__ import annotations

import re
from datetime import date, datetime

from scrub.model.core.preferences import CURRENT, DateOrder
from scrub.model.core.problem import Failure
from scrub.model.operations.declare import operation

MONTHS = tuple("January February March April May June July August September October November December".split())
WEEKDAYS = tuple("Monday Tuesday Wednesday Thursday Friday Saturday Sunday".split())


@operation("date", "time")
def year(day: date) -> int:
    """The year.

    Example: today.year
    Also: part of a date
    """
    return day.year


@operation("date", "time")
def month(day: date) -> int:
    """The month, 1 to 12.

    Example: today.month
    Also: part of a date
    """
    return day.month


@operation("date", "time")
def day(day: date) -> int:
    """The day of the month.

    Example: today.day
    Also: part of a date
    """
    return day.day


@operation("date", "time")
def weekday(day: date) -> str:
    """The day of the week, in English.

    Example: if today.weekday is "Friday"
    Also: day of the week
    """
    return WEEKDAYS[day.weekday()]


@operation("date", "time")
def week(day: date) -> int:
    """The week number (ISO 8601: weeks start on Monday, week 1 contains the first Thursday).

    Example: today.week
    Also: calendar week, week number
    """
    return day.isocalendar().week


@operation("time")
def hour(moment: datetime) -> int:
    """The hour, 0 to 23.

    Example: now.hour
    Also: part of a time
    """
    return moment.hour


@operation("time")
def minute(moment: datetime) -> int:
    """The minute, 0 to 59.

    Example: now.minute
    Also: part of a time
    """
    return moment.minute


@operation("date", "time")
def date_(moment: date) -> date:
    """The date of a time; a date remains the same.

    Example: now.date
    Also: without time of day
    """
    return moment.date() if isinstance(moment, datetime) else moment


@operation("date", "time")
def month_end(day: date) -> date:
    """The last day of the month.

    Example: today.month-end
    Also: end of month, last day
    """
    following = date(day.year + day.month // 12, day.month % 12 + 1, 1) if (day.year, day.month) < (9999, 12) else None
    return date.fromordinal(following.toordinal() - 1) if following else date(9999, 12, 31)


@operation("date", "time")
def days_to(day: date, other: date) -> int:
    """The number of days to another date; negative if it is earlier.

    other: the other date.
    Example: today.days-to(2026-12-31)
    Also: difference, between
    """
    return other.toordinal() - day.toordinal()


@operation("date", "time")
def is_working_day(day: date, holidays: list[date] | None = None) -> bool:
    """Whether it is a day from Monday to Friday and not a holiday.

    holidays: dates that are not working days.
    Example: if today.is-working-day
    Also: weekend, business day, workday, bank holiday, office day
    """
    return day.weekday() < 5 and _day(day) not in _days(holidays)


@operation("date", "time")
def plus_working_days(day: date, number: int, holidays: list[date] | None = None) -> date:
    """The date a number of working days later, or earlier if negative; Saturdays, Sundays and holidays are skipped.

    number: the number of working days.
    holidays: dates that are not working days.
    Example: today.plus-working-days(10)
    Also: business days, workday, deadline, due date, add days without weekends
    """
    off, found = {each for each in _days(holidays) if each.weekday() < 5}, _day(day).toordinal()
    step = 1 if number > 0 else -1
    left = abs(number)
    weeks = max(0, left // 5 - 1 - len(off))  # whole weeks in which no holiday can bring it past the end
    try:
        if weeks:
            start, found = found, found + step * 7 * weeks
            low, high = sorted((start, found))
            left -= 5 * weeks - sum(low + (step > 0) <= each.toordinal() <= high - (step < 0) for each in off)
        while left:
            found += step
            each = date.fromordinal(found)
            left -= each.weekday() < 5 and each not in off
        return date.fromordinal(found)
    except (ValueError, OverflowError):
        raise Failure(f"{number:,} working days from {day.isoformat()} is outside the calendar") from None


@operation("date", "time")
def working_days_to(day: date, other: date, holidays: list[date] | None = None) -> int:
    """The number of working days to another date, including that one but not this one; negative if it is earlier.

    other: the other date.
    holidays: dates that are not working days.
    Example: today.working-days-to(2026-12-31)
    Also: business days between, net work days, how many workdays
    """
    start, end = _day(day), _day(other)
    if end < start:
        return -_working_days(end.toordinal(), start.toordinal() - 1, _days(holidays))
    return _working_days(start.toordinal() + 1, end.toordinal(), _days(holidays))


def _working_days(first: int, last: int, holidays: set[date]) -> int:
    """The working days from one day to another, both counted, by their place in the calendar."""
    weeks, rest = divmod(max(0, last - first + 1), 7)
    found = weeks * 5 + sum(date.fromordinal(last - at).weekday() < 5 for at in range(rest))
    return found - sum(holiday.weekday() < 5 and first <= holiday.toordinal() <= last for holiday in holidays)


def _day(day: date) -> date:
    return day.date() if isinstance(day, datetime) else day


def _days(holidays: list[date] | None) -> set[date]:
    return {_day(holiday) for holiday in holidays or ()}


@operation("date", "time")
def years_to(day: date, other: date) -> int:
    """The number of full years to another date; negative if it is earlier.

    other: the other date.
    Example: 1990-05-01.years-to(today)
    Also: age, anniversary
    """
    if (other.year, other.month, other.day) < (day.year, day.month, day.day):
        return -years_to(other, day)
    return other.year - day.year - ((other.month, other.day) < (day.month, day.day))


_PARTS = {
    "two-digit-day": "{0.day:02}", "two-digit-month": "{0.month:02}", "month-number": "{0.month}",
    "short-month": "{1:.3}", "short-weekday": "{2:.3}", "short-year": "{3:02}", "weekday": "{2}", "month": "{1}",
    "day": "{0.day}", "year": "{0.year}", "week": "{4}", "hour": "{0.hour:02}", "minute": "{0.minute:02}",
    "second": "{0.second:02}",
}  # fmt: skip


@operation("date", "time")
def as_text(day: date, form: str = "") -> str:
    """The date as text. Build the format from day, month, year, weekday, week, hour, minute, second, two-digit-day,
    two-digit-month, month-number, short-month, short-weekday and short-year.

    form: the format; default: 2026-05-01.
    Example: today.as-text("day month year")
    Also: format, convert
    """
    if not form:
        return day.strftime("%Y-%m-%dT%H:%M") if isinstance(day, datetime) else day.isoformat()

    wrong = form_problem(form)
    if wrong:
        raise Failure(wrong)

    def part(found: re.Match[str]) -> str:
        word = found[0].lower()
        if word in ("hour", "minute", "second") and not isinstance(day, datetime):
            raise Failure(f'a date has no "{word}"; use a time')
        names = (MONTHS[day.month - 1], WEEKDAYS[day.weekday()], day.year % 100, day.isocalendar().week)
        return _PARTS[word].format(day, *names)

    return re.sub(rf"\b({'|'.join(_PARTS)})\b", part, form, flags=re.IGNORECASE)


def form_problem(form: str) -> str:
    """What is wrong with a form of a date; an empty text when it can be used."""
    if re.search(rf"\b({'|'.join(_PARTS)})\b", form, re.IGNORECASE):
        return ""
    codes = {"d": "day", "dd": "two-digit-day", "m": "month-number", "mm": "two-digit-month", "mmm": "short-month"}
    codes |= {"mmmm": "month", "yy": "short-year", "yyyy": "year", "ddd": "short-weekday", "dddd": "weekday"}
    named = re.sub(r"[A-Za-z]+", lambda found: codes.get(found[0].lower(), found[0]), form)
    guess = f'write: "{named}"' if named != form else 'for example: "day month year"'
    return f'"{form}" has no words for the parts of a date; {guess}'


@operation("text")
def as_date(text: str, order: DateOrder | None = None) -> date:
    """The text as a date: 2026-05-01, 1.5.2026, 1 May 2026, May 1, 2026 or 1/5/2026. An ambiguous date is an error,
    unless the order is given here or in the settings.

    What can be read in two ways is a failure, unless the order is given here or in the settings.

    order: which part comes first.
    Example: reply.as-date(order: day-first)
    Also: convert, parse, text to date
    """
    plain = re.sub(r"[\s\u00a0\u202f]+", " ", text).strip().rstrip(".")
    plain = re.sub(r"[\u2010-\u2015\u2212]", "-", plain)
    match = re.fullmatch(r"(\d{4})[-/. ](\d{1,2})[-/. ](\d{1,2})", plain)
    if match:
        return _date(text, *map(int, match.groups()))
    match = re.fullmatch(r"(\d{1,2})(?:st|nd|rd|th|\.)?[- ]?([A-Za-z]{3,9})\.?[, -]*(\d{4})", plain)
    if match:
        return _date(text, int(match[3]), _month(text, match[2]), int(match[1]))
    match = re.fullmatch(r"(\d{1,2})[- ]([A-Za-z]{3,9})\.?[- ](\d{2})", plain)
    if match:  # the year of a day with the name of its month, as POSIX reads it
        short = int(match[3])
        return _date(text, short + (2000 if short < 69 else 1900), _month(text, match[2]), int(match[1]))
    match = re.fullmatch(r"([A-Za-z]{3,9})\.? (\d{1,2})(?:st|nd|rd|th)?,? (\d{4})", plain)
    if match:
        return _date(text, int(match[3]), _month(text, match[1]), int(match[2]))
    match = re.fullmatch(r"(\d{1,2})([-/.]) ?(\d{1,2})\2 ?(\d{4})", plain)
    if match:
        return _by_order(text, int(match[1]), int(match[3]), int(match[4]), match[2], order or CURRENT.get().date_order)
    if re.fullmatch(r"\d{1,2}[-/.]\d{1,2}[-/.]\d{2}", plain):
        raise Failure(f'"{text}" has a two-digit year. Write four digits')
    raise Failure(f'"{text}" is not a date. Write it like this: 2026-05-01')


def _by_order(text: str, one: int, other: int, year: int, mark: str, order: DateOrder | None) -> date:
    if order is None and mark == ".":
        order = DateOrder.DAY_FIRST  # with points it is written so wherever it is written so
    if order is None and one != other and one <= 12 and other <= 12:
        raise Failure(
            f'"{text}" is ambiguous: {one} {MONTHS[other - 1]} and {MONTHS[one - 1]} {other}. Set the order: '
            ".as-date(order: day-first), or: scrub settings date-order day-first"
        )
    if order == DateOrder.MONTH_FIRST or (order is None and other > 12):
        one, other = other, one
    return _date(text, year, other, one)


def _date(text: str, year: int, month: int, day: int) -> date:
    try:
        return date(year, month, day)
    except ValueError:
        raise Failure(f'"{text}" is not a calendar date') from None


def _month(text: str, name: str) -> int:
    for number, word in enumerate(MONTHS, 1):
        if word.lower().startswith(name.lower()):
            return number
    raise Failure(f'"{text}" is not a date: unknown month "{name}"')
