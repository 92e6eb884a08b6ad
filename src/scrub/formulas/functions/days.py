"""Days and times (OpenDocument 1.3, part 4, 6.10)."""

from __future__ import annotations

from calendar import isleap
from datetime import date

from scrub.formulas import dates
from scrub.formulas.context import Context, Result
from scrub.formulas.functions.arguments import values_of, whole
from scrub.formulas.functions.registry import function
from scrub.formulas.values import NUM, VALUE, ErrorValue, Raised, Unsupported, Value, number_of, number_of_text


def _day(number: float, on: Context) -> tuple[int, int, int]:
    try:
        return dates.parts(number, on.from_1904)
    except ValueError:
        raise Raised(NUM) from None


@function("DATE", "nnn", "6.10")
def date_(on: Context, year: float, month: float, day: float) -> Value:
    """The number of a day."""
    at = whole(year)
    if not 0 <= at <= 9999 or abs(month) > 120_000 or abs(day) > 4_000_000:
        raise Raised(NUM)
    if at < (1904 if on.from_1904 else 1900):
        at += 1900
    return dates.serial(at, whole(month), whole(day), on.from_1904)


@function("TIME", "nnn", "6.10")
def time(on: object, hour: float, minute: float, second: float) -> Value:
    """The part of a day that a time is."""
    if max(hour, minute, second) > 32_767:
        raise Raised(NUM)
    total = whole(hour) * 3600 + whole(minute) * 60 + whole(second)
    if total < 0:
        raise Raised(NUM)
    return total % 86_400 / 86_400


@function("YEAR", "n", "6.10")
def year(on: Context, number: float) -> Value:
    """The year of a day."""
    return float(_day(number, on)[0])


@function("MONTH", "n", "6.10")
def month(on: Context, number: float) -> Value:
    """The month of a day."""
    return float(_day(number, on)[1])


@function("DAY", "n", "6.10")
def day(on: Context, number: float) -> Value:
    """The day of its month."""
    return float(_day(number, on)[2])


def _clock(number: float) -> tuple[int, int, float]:
    if number < 0:
        raise Raised(NUM)
    seconds = round((number % 1) * 86_400) % 86_400
    return seconds // 3600, seconds // 60 % 60, float(seconds % 60)


@function("HOUR", "n", "6.10")
def hour(on: object, number: float) -> Value:
    """The hour of a time."""
    return float(_clock(number)[0])


@function("MINUTE", "n", "6.10")
def minute(on: object, number: float) -> Value:
    """The minute of a time."""
    return float(_clock(number)[1])


@function("SECOND", "n", "6.10")
def second(on: object, number: float) -> Value:
    """The second of a time."""
    return _clock(number)[2]


@function("TODAY", "", "6.10", volatile=True)
def today(on: Context) -> Value:
    """The day of the run."""
    return dates.of_day(on.cells.moment.date(), on.from_1904)


@function("NOW", "", "6.10", volatile=True)
def now(on: Context) -> Value:
    """The moment of the run."""
    moment = on.cells.moment
    seconds = moment.hour * 3600 + moment.minute * 60 + moment.second
    return dates.of_day(moment.date(), on.from_1904) + seconds / 86_400


@function("DATEVALUE", "t", "6.10")
def datevalue(on: Context, text: str) -> Value:
    """The day that a text means."""
    number = dates.serial_of_text(text.strip(), on.from_1904)
    if number is None or number < 1:
        number_of_text(text, on.from_1904)
        if any(letter.isdigit() for letter in text):
            raise Unsupported("reading a text as a date depends on the country")
        raise Raised(VALUE)
    return float(whole(number))


@function("TIMEVALUE", "t", "6.10")
def timevalue(on: Context, text: str) -> Value:
    """The time that a text means."""
    number = dates.serial_of_text(text.strip(), on.from_1904)
    if number is None:
        number_of_text(text, on.from_1904)
        raise Raised(VALUE)
    return number % 1


@function("EDATE", "nn", "6.10")
def edate(on: Context, number: float, months: float) -> Value:
    """The same day of a later month."""
    return dates.moved_months(float(whole(number)), _months(months), on.from_1904)


@function("EOMONTH", "nn", "6.10")
def eomonth(on: Context, number: float, months: float) -> Value:
    """The last day of a later month."""
    year_, month_, _ = _day(number, on)
    total = year_ * 12 + month_ - 1 + _months(months)
    year_, month_ = divmod(total, 12)
    return dates.serial(year_, month_ + 1, dates.days_in(max(1, year_), month_ + 1, on.from_1904), on.from_1904)


def _months(number: float) -> int:
    if abs(number) > 120_000:
        raise Raised(NUM)
    return whole(number)


@function("DAYS", "nn", "6.10")
def days(on: object, end: float, start: float) -> Value:
    """The days between two days."""
    return float(whole(end) - whole(start))


#: The day on which a week begins, Monday 0, by the number of a way to count.
_FIRST_DAYS = {1: 6, 2: 0, 11: 0, 12: 1, 13: 2, 14: 3, 15: 4, 16: 5, 17: 6}


@function("WEEKDAY", "n?n", "6.10")
def weekday(on: Context, number: float, form: float = 1.0) -> Value:
    """The day of the week, by one of the ways to count."""
    _day(number, on)
    at = dates.weekday(number, on.from_1904)
    how = whole(form)
    if how == 3:
        return float(at)
    first = _FIRST_DAYS.get(how)
    if first is None:
        raise Raised(NUM)
    return float((at - first) % 7 + 1)


@function("ISOWEEKNUM", "n", "6.10")
def isoweeknum(on: Context, number: float) -> Value:
    """The number of a week by ISO 8601."""
    _day(number, on)
    return float(dates.day_of(number, on.from_1904).isocalendar()[1])


@function("WEEKNUM", "n?n", "6.10")
def weeknum(on: Context, number: float, form: float = 1.0) -> Value:
    """The number of a week, by one of the ways to count."""
    how = whole(form)
    if how == 21:
        return isoweeknum(on, number)
    first = _FIRST_DAYS.get(how)
    if first is None:
        raise Raised(NUM)
    year_, _, _ = _day(number, on)
    new_year = dates.serial(year_, 1, 1, on.from_1904)
    offset = (dates.weekday(new_year, on.from_1904) - first) % 7
    return float((whole(number) - whole(new_year) + offset) // 7 + 1)


@function("DATEDIF", "nnt", "18.17.7")
def datedif(on: Context, start: float, end: float, unit: str) -> Value:
    """The whole years, months or days between two days."""
    first, last = whole(start), whole(end)
    if first > last:
        raise Raised(NUM)
    (y1, m1, d1), (y2, m2, d2) = _day(first, on), _day(last, on)
    months = (y2 - y1) * 12 + m2 - m1 - (d2 < d1)
    word = unit.upper()
    if word == "D":
        return float(last - first)
    if word == "M":
        return float(months)
    if word == "Y":
        return float(months // 12)
    if word == "YM":
        return float(months % 12)
    if word == "YD":
        year_ = y2 - ((m2, d2) < (m1, d1))
        return float(last - whole(dates.serial(year_, m1, d1, on.from_1904)))
    if word == "MD":
        if d2 >= d1:
            return float(d2 - d1)
        before = dates.serial(y2, m2 - 1, d1, on.from_1904)
        return float(last - whole(before))
    raise Raised(NUM)


# -- working days


def _days_off(on: Context, given: Result) -> set[int]:
    found = set()
    for value in values_of(given):
        if isinstance(value, ErrorValue):
            raise Raised(value)
        if value is not None and value != "":
            found.add(whole(number_of(value, on.from_1904)))
    return found


_WEEKENDS = {1: (5, 6), 2: (6, 0), 3: (0, 1), 4: (1, 2), 5: (2, 3), 6: (3, 4), 7: (4, 5)}


def _weekend(given: Value) -> frozenset[int]:
    """The days of the week that are free, Monday 0."""
    if given is None:
        return frozenset((5, 6))
    if isinstance(given, str):
        if len(given) != 7 or set(given) - {"0", "1"} or given == "1111111":
            raise Raised(VALUE)
        return frozenset(at for at, letter in enumerate(given) if letter == "1")
    number = whole(number_of(given))
    if number in _WEEKENDS:
        return frozenset(_WEEKENDS[number])
    if 11 <= number <= 17:
        return frozenset(((number - 12) % 7,))
    raise Raised(NUM)


def _workdays(on: Context, start: float, end: float, weekend: frozenset[int], off: set[int]) -> float:
    first, last = whole(start), whole(end)
    _day(first, on)
    _day(last, on)
    sign = 1 if first <= last else -1
    first, last = min(first, last), max(first, last)
    weeks, rest = divmod(last - first + 1, 7)
    begin = dates.weekday(first, on.from_1904)
    total = weeks * (7 - len(weekend)) + sum((begin + at) % 7 not in weekend for at in range(rest))
    total -= sum(first <= each <= last and dates.weekday(each, on.from_1904) not in weekend for each in off)
    return float(sign * total)


@function("NETWORKDAYS", "nn?x", "6.10")
def networkdays(on: Context, start: float, end: float, off: Result = None) -> Value:
    """The working days from one day to another, both counted."""
    return _workdays(on, start, end, frozenset((5, 6)), _days_off(on, off))


@function("NETWORKDAYS.INTL", "nn?vx", "6.10")
def networkdays_intl(on: Context, start: float, end: float, weekend: Value = None, off: Result = None) -> Value:
    """The working days with other days of the week free."""
    return _workdays(on, start, end, _weekend(weekend), _days_off(on, off))


def _moved(on: Context, start: float, count: float, weekend: frozenset[int], off: set[int]) -> float:
    at, left = whole(start), whole(count)
    _day(at, on)
    step = 1 if left > 0 else -1
    if abs(left) > 3_000_000:
        raise Raised(NUM)
    if abs(left) > 1000 and not off:
        weeks = abs(left) // (7 - len(weekend)) - 1
        at += step * weeks * 7
        left -= step * weeks * (7 - len(weekend))
    while left:
        at += step
        if at < 0 or at > dates.LAST_DAY:
            raise Raised(NUM)
        if dates.weekday(at, on.from_1904) not in weekend and at not in off:
            left -= step
    return float(at)


@function("WORKDAY", "nn?x", "6.10")
def workday(on: Context, start: float, count: float, off: Result = None) -> Value:
    """The day N working days later."""
    return _moved(on, start, count, frozenset((5, 6)), _days_off(on, off))


@function("WORKDAY.INTL", "nn?vx", "6.10")
def workday_intl(on: Context, start: float, count: float, weekend: Value = None, off: Result = None) -> Value:
    """The day N working days later, with other days of the week free."""
    return _moved(on, start, count, _weekend(weekend), _days_off(on, off))


# -- parts of years


def days_360(one: tuple[int, int, int], other: tuple[int, int, int], european: bool) -> int:
    """The days between two days in a year of twelve months of 30 days."""
    (y1, m1, d1), (y2, m2, d2) = one, other
    if european:
        d1, d2 = min(d1, 30), min(d2, 30)
    else:
        if _ends_february(one):
            d1 = 30
        if d2 == 31 and d1 >= 30:
            d2 = 30
        d1 = min(d1, 30)
    return (y2 - y1) * 360 + (m2 - m1) * 30 + d2 - d1


def _ends_february(day_: tuple[int, int, int]) -> bool:
    return day_[1] == 2 and day_[2] == (29 if isleap(day_[0]) else 28)


@function("DAYS360", "nn?b", "6.10")
def days360(on: Context, start: float, end: float, european: bool = False) -> Value:
    """The days between two days in a year of twelve months of 30 days."""
    return float(days_360(_day(start, on), _day(end, on), european))


@function("YEARFRAC", "nn?n", "6.10")
def yearfrac(on: Context, start: float, end: float, basis: float = 0.0) -> Value:
    """The part of a year between two days, by one of the ways to count."""
    how = whole(basis)
    if not 0 <= how <= 4:
        raise Raised(NUM)
    first, last = sorted((whole(start), whole(end)))
    return year_fraction(_day(first, on), _day(last, on), last - first, how)


def year_fraction(one: tuple[int, int, int], other: tuple[int, int, int], apart: int, how: int) -> float:
    """The part of a year between two days; `apart` is the number of days between them."""
    if how == 2:
        return apart / 360
    if how == 3:
        return apart / 365
    if how == 4:
        return days_360(one, other, True) / 360
    if how == 0:
        (_, _, d1), (y2, m2, d2) = one, other
        if _ends_february(one) and _ends_february(other):
            d2 = 30
        return days_360(one, (y2, m2, d2), False) / 360
    if one == other:
        return 0.0
    (y1, m1, d1), (y2, m2, d2) = one, other
    if y1 == y2 or (y1 + 1 == y2 and (m1, d1) >= (m2, d2)):
        leap = isleap(y1) if y1 == y2 else (isleap(y1) and (m1, d1) <= (2, 29)) or (isleap(y2) and (m2, d2) >= (2, 29))
        return apart / (366 if leap else 365)
    years = y2 - y1 + 1
    total = sum(366 if isleap(each) else 365 for each in range(y1, y2 + 1))
    return apart / (total / years)


@function("EASTERSUNDAY", "n", "6.10")
def eastersunday(on: Context, number: float) -> Value:
    """The day of Easter in a year."""
    at = whole(number)
    if not 1900 <= at <= 9999:
        raise Raised(NUM)
    century, golden = at // 100, at % 19
    epact = (19 * golden + century - century // 4 - (century - (century + 8) // 25 + 1) // 3 + 15) % 30
    week = (32 + 2 * (century % 4) + 2 * (at % 100 // 4) - epact - at % 100 % 4) % 7
    late = (golden + 11 * epact + 22 * week) // 451
    month_, day_ = divmod(epact + week - 7 * late + 114, 31)
    return dates.of_day(date(at, month_, day_ + 1), on.from_1904)
