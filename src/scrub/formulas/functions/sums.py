"""Sums, counts and what is calculated from all values (OpenDocument 1.3, part 4, 6.16 and 6.18)."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator, Sequence

from scrub.formulas.context import Context, Result
from scrub.formulas.contract import Range
from scrub.formulas.functions import statistics as stats
from scrub.formulas.functions.arguments import (
    is_many,
    matrix_of,
    numbers_of,
    numbers_with_truth,
    range_of,
    ranges_of,
    values_of,
    whole,
)
from scrub.formulas.functions.registry import function
from scrub.formulas.values import NA, NUM, VALUE, Array, ErrorValue, Raised, Value, number_of, number_of_text


@function("SUM", "x*x", "6.16")
def sum_(on: Context, *given: Result) -> Value:
    """The sum, exact but for one rounding at the end."""
    parts: list[float] = []
    for argument in given:
        if isinstance(argument, Range) and argument.left == argument.right:
            parts.append(on.indexes.sum_of(argument))
        else:
            parts += numbers_of(on, [argument])
    return parts[0] if len(parts) == 1 else math.fsum(parts)


@function("COUNT", "x*x", "6.13")
def count_(on: Context, *given: Result) -> Value:
    """How many numbers there are; texts that are numbers count where they are arguments themselves."""
    total = 0
    for argument in given:
        if is_many(argument):
            total += sum(1 for value in values_of(argument) if type(value) is float)
        elif isinstance(argument, str):
            total += number_of_text(argument, on.from_1904) is not None
        else:
            total += not isinstance(argument, ErrorValue)
    return float(total)


@function("COUNTA", "x*x", "6.13")
def counta(on: Context, *given: Result) -> Value:
    """How many values there are, errors and empty texts too."""
    return float(sum(sum(value is not None for value in values_of(one)) if is_many(one) else 1 for one in given))


@function("COUNTBLANK", "x", "6.13")
def countblank(on: Context, given: Result) -> Value:
    """How many cells are empty or hold an empty text."""
    every = ranges_of(given)
    if not every:
        raise Raised(VALUE)
    filled = sum(value is not None and value != "" for one in every for value in one)
    return float(sum(one.height * one.width for one in every) - filled)


@function("PRODUCT", "x*x", "6.16")
def product_(on: Context, *given: Result) -> Value:
    """The product; 0 of no numbers."""
    numbers = [number for argument in given for number in (() if argument is None else numbers_of(on, [argument]))]
    return stats.product(numbers)


@function("SUMSQ", "x*x", "6.16")
def sumsq(on: Context, *given: Result) -> Value:
    """The sum of the squares."""
    return math.fsum(number * number for number in numbers_of(on, given))


def _in_order(on: Context, given: Sequence[Result]) -> Iterator[float]:
    return numbers_of(on, given, True)


def _statistic(
    name: str,
    calculate: Callable[[list[float]], Value],
    read: Callable[[Context, Sequence[Result]], Iterator[float]] = _in_order,
) -> None:
    @function(name, "x*x", "6.18")
    def statistic(on: Context, *given: Result) -> Value:
        return calculate(list(read(on, given)))


for _name, _calculate in (("AVERAGE", stats.average), ("MAX", stats.greatest), ("MIN", stats.least)):
    _statistic(_name, _calculate, numbers_of)
for _name, _calculate in (
    ("AVERAGEA", stats.average),
    ("MAXA", stats.greatest),
    ("MINA", stats.least),
    ("STDEVA", stats.stdev),
    ("STDEVPA", stats.stdevp),
    ("VARA", stats.var),
    ("VARPA", stats.varp),
):
    _statistic(_name, _calculate, numbers_with_truth)
for _name, _calculate in (
    ("MEDIAN", stats.median),
    ("MODE MODE.SNGL", stats.mode),
    ("STDEV STDEV.S", stats.stdev),
    ("STDEVP STDEV.P", stats.stdevp),
    ("VAR VAR.S", stats.var),
    ("VARP VAR.P", stats.varp),
    ("DEVSQ", stats.devsq),
    ("AVEDEV", stats.avedev),
    ("GEOMEAN", stats.geomean),
    ("HARMEAN", stats.harmean),
    ("SKEW", stats.skew),
    ("KURT", stats.kurt),
):
    _statistic(_name, _calculate)


def _placed(name: str, calculate: Callable[[list[float], float], Value]) -> None:
    @function(name, "xn", "6.18")
    def placed(on: Context, given: Result, place: float) -> Value:
        return calculate(list(numbers_of(on, [given])), place)


for _name, _at in (
    ("LARGE", stats.large),
    ("SMALL", stats.small),
    ("PERCENTILE PERCENTILE.INC", stats.percentile),
    ("PERCENTILE.EXC", stats.percentile_exc),
    ("QUARTILE QUARTILE.INC", stats.quartile),
    ("QUARTILE.EXC", stats.quartile_exc),
    ("TRIMMEAN", stats.trimmean),
):
    _placed(_name, _at)


@function("RANK RANK.EQ", "nx?n", "6.18")
def rank(on: Context, number: float, given: Result, ascending: float = 0.0) -> Value:
    """The place of a number among others."""
    return stats.rank(number, list(numbers_of(on, [given])), ascending != 0)


@function("RANK.AVG", "nx?n", "6.18")
def rank_avg(on: Context, number: float, given: Result, ascending: float = 0.0) -> Value:
    """The place of a number among others; the middle of those that are equal."""
    numbers = list(numbers_of(on, [given]))
    first = stats.rank(number, numbers, ascending != 0)
    return first + (numbers.count(number) - 1) / 2 if isinstance(first, float) else first


@function("PERCENTRANK PERCENTRANK.INC", "xn?n", "6.18")
def percentrank(on: Context, given: Result, number: float, digits: float = 3.0) -> Value:
    """The place of a number among others, from 0 to 1."""
    return stats.percentrank(sorted(numbers_of(on, [given])), number, whole(digits))


@function("FREQUENCY", "xx", "6.18")
def frequency(on: Context, given: Result, limits: Result) -> Result:
    """How many numbers are in each class; a column with one row more than there are limits."""
    numbers = sorted(numbers_of(on, [given]))
    bounds = [value for value in values_of(limits) if type(value) is float]
    order = sorted(range(len(bounds)), key=bounds.__getitem__)
    counts = [0.0] * (len(bounds) + 1)
    at = 0
    for place in order:
        while at < len(numbers) and numbers[at] <= bounds[place]:
            counts[place] += 1
            at += 1
    counts[-1] = float(len(numbers) - at)
    return Array([[count] for count in counts])


# -- products of arrays


@function("SUMPRODUCT", "a*a", "6.16")
def sumproduct(on: Context, *given: Result) -> Value:
    """The sum of the products of values at the same place; other values than numbers count as 0."""
    arrays = [matrix_of(one) for one in given]
    first = arrays[0]
    if any((one.height, one.width) != (first.height, first.width) for one in arrays):
        raise Raised(VALUE)
    total = []
    for row in range(first.height):
        lines = [one.rows[row] for one in arrays]
        for column in range(first.width):
            product = 1.0
            for line in lines:
                value = line[column]
                if isinstance(value, ErrorValue):
                    raise Raised(value)
                product *= value if type(value) is float else 0.0
            total.append(product)
    return math.fsum(total)


def _pairs(on: Context, one: Result, other: Result) -> Iterator[tuple[float, float]]:
    """The numbers at one place of two arrays of one size; where one is not a number, both are skipped."""
    first, second = matrix_of(one), matrix_of(other)
    if first.height * first.width != second.height * second.width:
        raise Raised(NA)
    for left, right in zip(first, second, strict=True):
        for value in (left, right):
            if isinstance(value, ErrorValue):
                raise Raised(value)
        if type(left) is float and type(right) is float:
            yield left, right


def _of_pairs(name: str, clause: str, calculate: Callable[[list[tuple[float, float]]], Value]) -> None:
    @function(name, "aa", clause)
    def of_pairs(on: Context, one: Result, other: Result) -> Value:
        return calculate(list(_pairs(on, one, other)))


for _name, _clause, _of in (
    ("SUMX2MY2", "6.16", lambda pairs: math.fsum(x * x - y * y for x, y in pairs)),
    ("SUMX2PY2", "6.16", lambda pairs: math.fsum(x * x + y * y for x, y in pairs)),
    ("SUMXMY2", "6.16", lambda pairs: math.fsum((x - y) ** 2 for x, y in pairs)),
    ("CORREL PEARSON", "6.18", stats.correl),
    ("COVAR COVARIANCE.P", "6.18", stats.covar),
    ("COVARIANCE.S", "6.18", stats.covar_s),
    ("SLOPE", "6.18", stats.slope),
    ("INTERCEPT", "6.18", stats.intercept),
    ("RSQ", "6.18", stats.rsq),
    ("STEYX", "6.18", stats.steyx),
):
    _of_pairs(_name, _clause, _of)


@function("FORECAST FORECAST.LINEAR", "naa", "6.18")
def forecast(on: Context, at: float, known_y: Result, known_x: Result) -> Value:
    """The value at a place of the line through points."""
    pairs = list(_pairs(on, known_y, known_x))
    slope, intercept = stats.slope(pairs), stats.intercept(pairs)
    if not isinstance(slope, float) or not isinstance(intercept, float):
        return slope
    return intercept + slope * at


@function("MMULT", "aa", "6.5")
def mmult(on: Context, one: Result, other: Result) -> Result:
    """The product of two matrices."""
    first, second = _numbers_only(matrix_of(one)), _numbers_only(matrix_of(other))
    if len(first[0]) != len(second):
        raise Raised(VALUE)
    columns = list(zip(*second, strict=True))
    return Array([[math.fsum(x * y for x, y in zip(row, column, strict=True)) for column in columns] for row in first])


@function("TRANSPOSE", "a", "6.5")
def transpose(on: Context, given: Result) -> Result:
    """Rows as columns."""
    return Array([list(row) for row in zip(*matrix_of(given).rows, strict=True)])


@function("MDETERM", "a", "6.5")
def mdeterm(on: Context, given: Result) -> Value:
    """The determinant of a matrix."""
    rows = _square(given)
    result = 1.0
    for at in range(len(rows)):
        best = max(range(at, len(rows)), key=lambda row: abs(rows[row][at]))
        if rows[best][at] == 0:
            return 0.0
        if best != at:
            rows[at], rows[best] = rows[best], rows[at]
            result = -result
        result *= rows[at][at]
        for row in range(at + 1, len(rows)):
            factor = rows[row][at] / rows[at][at]
            rows[row] = [x - factor * y for x, y in zip(rows[row], rows[at], strict=True)]
    return result


@function("MINVERSE", "a", "6.5")
def minverse(on: Context, given: Result) -> Result:
    """The inverse of a matrix; #NUM! of one that has none."""
    rows = _square(given)
    size = len(rows)
    work = [[*row, *(1.0 if place == at else 0.0 for place in range(size))] for at, row in enumerate(rows)]
    for at in range(size):
        best = max(range(at, size), key=lambda row: abs(work[row][at]))
        if work[best][at] == 0:
            raise Raised(NUM)
        work[at], work[best] = work[best], work[at]
        pivot = work[at][at]
        work[at] = [value / pivot for value in work[at]]
        for row in range(size):
            if row != at and work[row][at]:
                factor = work[row][at]
                work[row] = [x - factor * y for x, y in zip(work[row], work[at], strict=True)]
    return Array([row[size:] for row in work])


def _numbers_only(matrix: Array) -> list[list[float]]:
    rows = []
    for row in matrix.rows:
        for value in row:
            if isinstance(value, ErrorValue):
                raise Raised(value)
            if type(value) is not float:
                raise Raised(VALUE)
        rows.append([float(value) for value in row])  # type: ignore[arg-type]
    return rows


def _square(given: Result) -> list[list[float]]:
    rows = _numbers_only(matrix_of(given))
    if len(rows) != len(rows[0]) or len(rows) > 200:
        raise Raised(VALUE)
    return rows


# -- subtotals

_OF_NUMBERS: dict[int, Callable[[list[float]], Value]] = {
    1: stats.average,
    4: stats.greatest,
    5: stats.least,
    6: stats.product,
    7: stats.stdev,
    8: stats.stdevp,
    9: math.fsum,
    10: stats.var,
    11: stats.varp,
    12: stats.median,
    13: stats.mode,
}
_PLACED: dict[int, Callable[[list[float], float], Value]] = {
    14: stats.large,
    15: stats.small,
    16: stats.percentile,
    17: stats.quartile,
    18: stats.percentile_exc,
    19: stats.quartile_exc,
}


def _numbers_among(values: Sequence[Value]) -> list[float]:
    for value in values:
        if isinstance(value, ErrorValue):
            raise Raised(value)
    return [value for value in values if type(value) is float]


def _subtotal(number: int, values: Sequence[Value]) -> Value:
    """What SUBTOTAL and AGGREGATE give by a number from 1 to 13."""
    if number == 2:
        return float(sum(type(value) is float for value in values))
    if number == 3:
        return float(sum(value is not None for value in values))
    return _OF_NUMBERS[number](_numbers_among(values))


def _seen(given: Result, hidden: bool, filtered: bool, nested: bool) -> list[Value]:
    """The values of ranges, without hidden rows, those of filters, or other subtotals, as is asked."""
    result: list[Value] = []
    for one in ranges_of(given) or [range_of(given)]:
        cells = one.cells
        for column in range(one.left, min(one.right, cells.last_column) + 1):
            for row in range(one.top, min(one.bottom, cells.last_row) + 1):
                if (hidden or filtered) and cells.is_hidden(one.sheet, row, not hidden):
                    continue
                if nested and cells.has_subtotal(one.sheet, row, column):
                    continue
                result.append(cells.value(one.sheet, row, column))
    return result


@function("SUBTOTAL", "nx*x", "6.16")
def subtotal(on: Context, number: float, *given: Result) -> Value:
    """A sum, count or other result without rows that a filter hides, and from 101 on without any hidden ones."""
    which = whole(number)
    hidden = which > 100
    which -= 100 if hidden else 0
    if not 1 <= which <= 11:
        raise Raised(VALUE)
    values = [value for one in given for value in _seen(one, hidden, True, True)]
    return _subtotal(which, values)


@function("AGGREGATE", "nnx*x", "18.17.7")
def aggregate(on: Context, number: float, options: float, *given: Result) -> Value:
    """As SUBTOTAL, with errors passed by if that is asked."""
    which, option = whole(number), whole(options)
    if not 1 <= which <= 19 or not 0 <= option <= 7:
        raise Raised(VALUE)
    nested, hidden, errors = option < 4, option in (1, 3, 5, 7), option in (2, 3, 6, 7)
    if which >= 14:
        if len(given) != 2:
            raise Raised(VALUE)
        place = next(iter(values_of(given[1])), None)
    values: list[Value] = []
    for one in given if which < 14 else given[:1]:
        if isinstance(one, Array) and which >= 14:
            values += one
        else:
            values += _seen(one, hidden, False, nested)
    if errors:
        values = [value for value in values if not isinstance(value, ErrorValue)]
    if which >= 14:
        return _PLACED[which](_numbers_among(values), number_of(place, on.from_1904))
    return _subtotal(which, values)
