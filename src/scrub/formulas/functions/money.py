"""Payments, interest and worth (OpenDocument 1.3, part 4, 6.12)."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence

from scrub.formulas.context import Context, Result
from scrub.formulas.functions.arguments import numbers_of, values_of, whole
from scrub.formulas.functions.registry import function
from scrub.formulas.values import DIV0, NUM, Raised, Value, number_of

#: The most periods that are gone through one by one.
_MOST_PERIODS = 100_000


def _due(when: float) -> int:
    """1 for payments at the beginning of each period."""
    return 1 if when else 0


def _future(rate: float, periods: float, payment: float, present: float, due: int) -> float:
    if rate == 0:
        return -(present + payment * periods)
    growth = math.pow(1 + rate, periods)
    return -(present * growth + payment * (1 + rate * due) * (growth - 1) / rate)


@function("FV", "nnn?nn", "6.12")
def fv(on: object, rate: float, periods: float, payment: float, present: float = 0.0, due: float = 0.0) -> Value:
    """What payments are worth in the end."""
    return _future(rate, periods, payment, present, _due(due))


@function("PV", "nnn?nn", "6.12")
def pv(on: object, rate: float, periods: float, payment: float, future: float = 0.0, due: float = 0.0) -> Value:
    """What payments are worth now."""
    if rate == 0:
        return -(future + payment * periods)
    growth = math.pow(1 + rate, periods)
    return -(future + payment * (1 + rate * _due(due)) * (growth - 1) / rate) / growth


def _payment(rate: float, periods: float, present: float, future: float, due: int) -> float:
    if periods == 0:
        raise Raised(NUM)
    if rate == 0:
        return -(present + future) / periods
    growth = math.pow(1 + rate, periods)
    return -(present * growth + future) * rate / ((1 + rate * due) * (growth - 1))


@function("PMT", "nnn?nn", "6.12")
def pmt(on: object, rate: float, periods: float, present: float, future: float = 0.0, due: float = 0.0) -> Value:
    """The payment of each period."""
    return _payment(rate, periods, present, future, _due(due))


@function("NPER", "nnn?nn", "6.12")
def nper(on: object, rate: float, payment: float, present: float, future: float = 0.0, due: float = 0.0) -> Value:
    """How many periods it takes."""
    if rate == 0:
        return DIV0 if payment == 0 else -(present + future) / payment
    level = payment * (1 + rate * _due(due))
    ratio = (level - future * rate) / (present * rate + level)
    if ratio <= 0 or rate <= -1:
        raise Raised(NUM)
    return math.log(ratio) / math.log1p(rate)


def _interest(rate: float, period: float, periods: float, present: float, future: float, due: int) -> float:
    payment = _payment(rate, periods, present, future, due)
    if due and period == 1:
        return 0.0
    owed = _future(rate, period - 1 - due, payment, present, due)
    if due:
        owed -= payment
    return owed * rate


def _ensure_period(period: float, periods: float) -> None:
    if not 1 <= period < periods + 1:
        raise Raised(NUM)


@function("IPMT", "nnnn?nn", "6.12")
def ipmt(
    on: object, rate: float, period: float, periods: float, present: float, future: float = 0.0, due: float = 0.0
) -> Value:
    """The interest in the payment of a period."""
    _ensure_period(period, periods)
    return _interest(rate, period, periods, present, future, _due(due))


@function("PPMT", "nnnn?nn", "6.12")
def ppmt(
    on: object, rate: float, period: float, periods: float, present: float, future: float = 0.0, due: float = 0.0
) -> Value:
    """What a payment of a period pays back."""
    _ensure_period(period, periods)
    interest = _interest(rate, period, periods, present, future, _due(due))
    return _payment(rate, periods, present, future, _due(due)) - interest


def _cumulated(
    rate: float, periods: float, present: float, first: float, last: float, due: float, part: Callable[[float], float]
) -> Value:
    start, end = math.ceil(first), whole(last)
    if rate <= 0 or periods < 1 or present <= 0 or not 1 <= start <= end or end > periods or due not in (0, 1):
        raise Raised(NUM)
    if end - start > _MOST_PERIODS:
        raise Raised(NUM)
    return math.fsum(part(float(period)) for period in range(start, end + 1))


@function("CUMIPMT", "nnnnnn", "6.12")
def cumipmt(on: object, rate: float, periods: float, present: float, first: float, last: float, due: float) -> Value:
    """The interest of several periods."""
    count = float(whole(periods))
    return _cumulated(
        rate, count, present, first, last, due, lambda at: _interest(rate, at, count, present, 0.0, _due(due))
    )


@function("CUMPRINC", "nnnnnn", "6.12")
def cumprinc(on: object, rate: float, periods: float, present: float, first: float, last: float, due: float) -> Value:
    """What several periods pay back."""
    count = float(whole(periods))
    if rate <= 0 or count < 1:
        raise Raised(NUM)
    payment = _payment(rate, count, present, 0.0, _due(due))
    return _cumulated(
        rate, count, present, first, last, due, lambda at: payment - _interest(rate, at, count, present, 0.0, _due(due))
    )


@function("ISPMT", "nnnn", "6.12")
def ispmt(on: object, rate: float, period: float, periods: float, present: float) -> Value:
    """The interest of a period where the same part is paid back each time."""
    return DIV0 if periods == 0 else -present * rate * (1 - period / periods)


def _root(of: Callable[[float], float], guess: float) -> float:
    """Where a function is 0, near a guess. Raises `Raised` where that is not found."""
    rate, step = guess, 1e-5
    for _ in range(100):
        try:
            value = of(rate)
            slope = (of(rate + step) - of(rate - step)) / (2 * step)
        except (OverflowError, ZeroDivisionError, ValueError):
            break
        if abs(value) < 1e-11 or slope == 0:
            break
        following = rate - value / slope
        if following <= -1:
            following = (rate - 1) / 2
        if abs(following - rate) < 1e-14 * max(1.0, abs(following)):
            rate = following
            break
        rate = following
    try:
        scale = max(1e-7, abs(of(rate + 0.01)) * 1e-6)
        if math.isfinite(rate) and rate > -1 and abs(of(rate)) <= scale:
            return rate
    except (OverflowError, ZeroDivisionError, ValueError):
        pass
    return _bisected(of)


def _bisected(of: Callable[[float], float]) -> float:
    """The same, between rates of -99.9 % and a million percent."""
    edges = [
        -0.999,
        -0.9,
        -0.7,
        -0.5,
        -0.3,
        -0.1,
        -0.01,
        0.0,
        0.01,
        0.1,
        0.3,
        0.6,
        1.0,
        2.0,
        5.0,
        10.0,
        100.0,
        10_000.0,
    ]
    try:
        values = [of(edge) for edge in edges]
    except (OverflowError, ZeroDivisionError, ValueError):
        raise Raised(NUM) from None
    for at in range(len(edges) - 1):
        if values[at] == 0:
            return edges[at]
        if values[at] * values[at + 1] < 0:
            low, high, sign = edges[at], edges[at + 1], values[at]
            for _ in range(200):
                middle = (low + high) / 2
                if of(middle) * sign > 0:
                    low = middle
                else:
                    high = middle
            return (low + high) / 2
    raise Raised(NUM)


@function("RATE", "nnn?nnn", "6.12")
def rate_(
    on: object,
    periods: float,
    payment: float,
    present: float,
    future: float = 0.0,
    due: float = 0.0,
    guess: float = 0.1,
) -> Value:
    """The interest of a period."""
    if periods <= 0:
        raise Raised(NUM)

    def of(rate: float) -> float:
        if abs(rate) < 1e-12:
            return present + payment * periods + future
        growth = math.pow(1 + rate, periods)
        return present * growth + payment * (1 + rate * _due(due)) * (growth - 1) / rate + future

    return _root(of, guess)


@function("NPV", "nx*x", "6.12")
def npv(on: Context, rate: float, *given: Result) -> Value:
    """What payments at the end of each period are worth now."""
    if rate == -1:
        return DIV0
    return math.fsum(
        number / math.pow(1 + rate, period) for period, number in enumerate(numbers_of(on, given, True), 1)
    )


@function("IRR", "x?n", "6.12")
def irr(on: Context, given: Result, guess: float = 0.1) -> Value:
    """The rate at which payments are worth nothing."""
    flow = list(numbers_of(on, [given], True))
    if not flow or min(flow) >= 0 or max(flow) <= 0:
        raise Raised(NUM)
    return _root(lambda rate: math.fsum(each / math.pow(1 + rate, at) for at, each in enumerate(flow)), guess)


@function("MIRR", "xnn", "6.12")
def mirr(on: Context, given: Result, finance: float, reinvest: float) -> Value:
    """The rate of payments that are financed at one rate and reinvested at another."""
    flow = list(numbers_of(on, [given], True))
    last = len(flow) - 1
    paid = math.fsum(each / math.pow(1 + finance, at) for at, each in enumerate(flow) if each < 0)
    earned = math.fsum(each * math.pow(1 + reinvest, last - at) for at, each in enumerate(flow) if each > 0)
    if not paid or not earned or last < 1:
        return DIV0
    return math.pow(-earned / paid, 1 / last) - 1


def _dated(on: Context, flow: Result, days: Result) -> list[tuple[float, float]]:
    amounts, dates = list(values_of(flow)), list(values_of(days))
    if len(amounts) != len(dates) or not amounts:
        raise Raised(NUM)
    pairs = [
        (number_of(amount, on.from_1904), float(whole(number_of(day, on.from_1904))))
        for amount, day in zip(amounts, dates, strict=True)
    ]
    if any(day < pairs[0][1] for _, day in pairs):
        raise Raised(NUM)
    return pairs


def _worth(pairs: Sequence[tuple[float, float]], rate: float) -> float:
    return math.fsum(amount / math.pow(1 + rate, (day - pairs[0][1]) / 365) for amount, day in pairs)


@function("XNPV", "nxx", "6.12")
def xnpv(on: Context, rate: float, flow: Result, days: Result) -> Value:
    """What payments on given days are worth on the first of them."""
    if rate <= -1:
        raise Raised(NUM)
    return _worth(_dated(on, flow, days), rate)


@function("XIRR", "xx?n", "6.12")
def xirr(on: Context, flow: Result, days: Result, guess: float = 0.1) -> Value:
    """The rate at which payments on given days are worth nothing."""
    pairs = _dated(on, flow, days)
    if not any(amount > 0 for amount, _ in pairs) or not any(amount < 0 for amount, _ in pairs):
        raise Raised(NUM)
    return _root(lambda rate: _worth(pairs, rate), guess)


# -- what is written off


@function("SLN", "nnn", "6.12")
def sln(on: object, cost: float, rest: float, life: float) -> Value:
    """The same part each period."""
    return DIV0 if life == 0 else (cost - rest) / life


@function("SYD", "nnnn", "6.12")
def syd(on: object, cost: float, rest: float, life: float, period: float) -> Value:
    """Less and less, by the sum of the years."""
    if life <= 0 or not 1 <= period <= life:
        raise Raised(NUM)
    return (cost - rest) * (life - period + 1) * 2 / (life * (life + 1))


@function("DDB", "nnnn?n", "6.12")
def ddb(on: object, cost: float, rest: float, life: float, period: float, factor: float = 2.0) -> Value:
    """A part of what is left each period."""
    if cost < 0 or rest < 0 or life <= 0 or not 0 < period <= life or factor <= 0:
        raise Raised(NUM)
    rate = min(1.0, factor / life)
    before = cost * math.pow(1 - rate, period - 1) if rate < 1 else (cost if period == 1 else 0.0)
    after = cost * math.pow(1 - rate, period) if rate < 1 else 0.0
    return max(0.0, before - max(after, rest)) if before > rest else 0.0


@function("DB", "nnnn?n", "6.12")
def db(on: object, cost: float, rest: float, life: float, period: float, months: float = 12.0) -> Value:
    """A fixed part of what is left each period, with a first year of some months."""
    count, at, first = whole(life), whole(period), whole(months)
    if cost < 0 or rest < 0 or count <= 0 or at < 1 or not 1 <= first <= 12 or at > count + (first < 12):
        raise Raised(NUM)
    if count > _MOST_PERIODS:
        raise Raised(NUM)
    if cost == 0:
        return 0.0
    rate = round(1 - math.pow(rest / cost, 1 / life), 3)
    total = part = cost * rate * first / 12
    for number in range(2, at + 1):
        months_left = 12 - first if number == count + 1 else 12
        part = (cost - total) * rate * months_left / 12
        total += part
    return part


@function("VDB", "nnnnn?nb", "6.12")
def vdb(
    on: object,
    cost: float,
    rest: float,
    life: float,
    start: float,
    end: float,
    factor: float = 2.0,
    stays: bool = False,
) -> Value:
    """A part of what is left, and the same part each period as soon as that is more."""
    if cost < 0 or rest < 0 or life <= 0 or not 0 <= start <= end <= life or factor < 0 or life > _MOST_PERIODS:
        raise Raised(NUM)
    total, left = 0.0, cost
    straight = False
    for period in range(math.ceil(end)):
        declining = min(left * min(1.0, factor / life), max(0.0, left - rest))
        level = (left - rest) / (life - period) if life > period else 0.0
        if not stays and (straight or level > declining):
            straight, part = True, max(0.0, level)
        else:
            part = declining
        total += part * max(0.0, min(end, period + 1) - max(start, period))
        left -= part
    return total


# -- rates


@function("EFFECT", "nn", "6.12")
def effect(on: object, nominal: float, periods: float) -> Value:
    """The rate of a year from that of its periods."""
    count = whole(periods)
    if nominal <= 0 or count < 1:
        raise Raised(NUM)
    return math.pow(1 + nominal / count, count) - 1


@function("NOMINAL", "nn", "6.12")
def nominal(on: object, effective: float, periods: float) -> Value:
    """The nominal rate of a year from its effective one."""
    count = whole(periods)
    if effective <= 0 or count < 1:
        raise Raised(NUM)
    return (math.pow(1 + effective, 1 / count) - 1) * count


@function("RRI", "nnn", "6.12")
def rri(on: object, periods: float, present: float, future: float) -> Value:
    """The rate at which an amount grows to another one."""
    if periods <= 0 or present == 0:
        raise Raised(NUM)
    return math.pow(future / present, 1 / periods) - 1


@function("PDURATION", "nnn", "6.12")
def pduration(on: object, rate: float, present: float, future: float) -> Value:
    """How many periods an amount takes to grow to another one."""
    if rate <= 0 or present <= 0 or future <= 0:
        raise Raised(NUM)
    return (math.log(future) - math.log(present)) / math.log1p(rate)


@function("DOLLARDE", "nn", "6.12")
def dollarde(on: object, price: float, fraction: float) -> Value:
    """A price in fractions as a decimal number."""
    parts = whole(fraction)
    if parts < 0:
        raise Raised(NUM)
    if not parts:
        return DIV0
    units = math.trunc(price)
    return units + (price - units) * math.pow(10, math.ceil(math.log10(parts))) / parts


@function("DOLLARFR", "nn", "6.12")
def dollarfr(on: object, price: float, fraction: float) -> Value:
    """A decimal number as a price in fractions."""
    parts = whole(fraction)
    if parts < 0:
        raise Raised(NUM)
    if not parts:
        return DIV0
    units = math.trunc(price)
    return units + (price - units) * parts / math.pow(10, math.ceil(math.log10(parts)))
