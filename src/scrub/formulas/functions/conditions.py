"""Criteria, and sums and counts of what fits them (OpenDocument 1.3, part 4, 4.11.8; 6.13, 6.16, 6.18)."""

from __future__ import annotations

import math
import re
from collections.abc import Callable, Sequence
from functools import lru_cache

from scrub.formulas.context import Context, Result
from scrub.formulas.contract import Range
from scrub.formulas.functions import statistics as stats
from scrub.formulas.functions.arguments import matrix_of, range_of, ranges_of, single_of
from scrub.formulas.functions.registry import function
from scrub.formulas.indexes import FEW
from scrub.formulas.values import (
    ERRORS,
    FITS,
    VALUE,
    Array,
    ErrorValue,
    Raised,
    Unsupported,
    Value,
    compared,
    number_of_text,
    same_number,
)
from scrub.model.core.lazy_pattern import lazy_pattern
from scrub.model.core.named import NamedTuple

_OPERATORS = lazy_pattern(r"(<=|>=|<>|<|>|=)?(.*)", re.DOTALL)


class Criterion(NamedTuple):
    """What a value has to be. `name` tells it apart from others, `equal` is set where only equal values fit."""

    name: object
    test: Callable[[Value], bool]
    takes_empty: bool  # whether an empty cell fits
    equal: Value


def criterion(value: Value, from_1904: bool) -> Criterion:
    """A criterion: a value itself, or a text with an operator before another value."""
    if value is None:
        value = 0.0  # what an empty cell asks for
    if isinstance(value, str):
        return _of_text(value, from_1904)
    if isinstance(value, ErrorValue):
        return Criterion(("error", value.code), lambda other: other is value, False, None)
    return _equal(value)


def _equal(value: Value) -> Criterion:
    if type(value) is float:
        number = value

        def test(other: Value) -> bool:
            if type(other) is float:
                return same_number(other, number)
            return isinstance(other, str) and _as_number(other) == number

        return Criterion(("=", number), test, False, number)
    return Criterion(
        ("=", type(value), value), lambda other: type(other) is type(value) and other == value, False, None
    )


@lru_cache(4096)
def _as_number(text: str) -> float | None:
    try:
        return number_of_text(text)
    except Unsupported:
        return None


@lru_cache(1024)
def _of_text(text: str, from_1904: bool) -> Criterion:
    match = _OPERATORS.fullmatch(text)
    assert match is not None
    sign, rest = match[1] or "", match[2]
    if not rest:
        if sign == "=":
            return Criterion(("empty",), lambda other: other is None, True, None)
        if sign == "<>":
            return Criterion(("filled",), lambda other: other is not None, False, None)
        if not sign:
            return Criterion(("nothing",), lambda other: other == "", True, None)
        return Criterion(("never",), lambda other: False, False, None)
    number = number_of_text(rest, from_1904)
    word = rest.upper()
    wanted: Value = number if number is not None else word == "TRUE" if word in ("TRUE", "FALSE") else rest
    if word in ERRORS:
        return _of_error(word, sign)
    if sign in ("", "=", "<>"):
        equal = _equal(wanted) if not isinstance(wanted, str) else _like(wanted)
        if sign != "<>":
            return equal
        test = equal.test
        return Criterion(("<>", equal.name), lambda other: not test(other), True, None)
    return _ordered(sign, wanted)


def _of_error(code: str, sign: str) -> Criterion:
    def test(other: Value) -> bool:
        return isinstance(other, ErrorValue) and other.code == code

    if sign == "<>":
        return Criterion(("<> error", code), lambda other: not test(other), True, None)
    return Criterion(("error", code), test, False, None)


def _ordered(sign: str, wanted: Value) -> Criterion:
    kind = type(wanted)
    fits = FITS[sign]
    return Criterion(
        (sign, kind, wanted), lambda other: type(other) is kind and fits(compared(other, wanted)), False, None
    )


def _like(text: str) -> Criterion:
    """A text without regard to case, in which `*` is any text, `?` any character, and `~` takes that away."""
    if not any(letter in text for letter in "*?~"):
        low = text.casefold()
        return Criterion(("like", low), lambda other: isinstance(other, str) and other.casefold() == low, False, text)
    pattern = Wildcards(text)
    return Criterion(
        ("like", text.casefold()), lambda other: isinstance(other, str) and pattern.is_all_of(other), False, None
    )


class Wildcards:
    """A pattern of texts: pieces between stars. Each is searched once, so that none takes long."""

    def __init__(self, text: str) -> None:
        pieces: list[list[str]] = [[]]
        at = 0
        while at < len(text):
            letter = text[at]
            if letter == "~" and text[at + 1 : at + 2] in ("*", "?", "~") and at + 1 < len(text):
                pieces[-1].append(re.escape(text[at + 1].casefold()))
                at += 1
            elif letter == "*":
                pieces.append([])
            else:
                pieces[-1].append("." if letter == "?" else re.escape(letter.casefold()))
            at += 1
        self._pieces = [re.compile("".join(piece), re.DOTALL) for piece in pieces]
        self._lengths = [len(piece) for piece in pieces]

    def is_all_of(self, text: str) -> bool:
        """Whether it is the whole of a text."""
        text = text.casefold()
        first, *middle = self._pieces
        if not middle:
            return first.fullmatch(text) is not None
        match = first.match(text)
        if match is None:
            return False
        at, end = match.end(), len(text) - self._lengths[-1]
        for piece in middle[:-1]:
            found = piece.search(text, at)
            if found is None:
                return False
            at = found.end()
        return at <= end and middle[-1].fullmatch(text, end) is not None

    def find(self, text: str, start: int) -> int:
        """Where it begins in a text, from a place on; -1 for nowhere."""
        text = text.casefold()
        first, *middle = self._pieces
        match = first.search(text, start)
        if match is None:
            return -1
        at = match.end()
        for piece in middle:
            found = piece.search(text, at)
            if found is None:
                return -1
            at = found.end()
        return match.start()


# -- rows that fit


def _fitting(on: Context, tested: Sequence[tuple[Range, Criterion]]) -> list[tuple[int, int]]:
    """The places, from 0, where all criteria are true; row by row in each column."""
    first = tested[0][0]
    places: list[tuple[int, int]] = []
    for column in range(first.width):
        columns = [
            (Range(one.cells, one.sheet, one.top, one.left + column, one.bottom, one.left + column), each)
            for one, each in tested
        ]
        places += [(row, column) for row in _rows_fitting(on, columns)]
    return places


def _rows_fitting(on: Context, columns: Sequence[tuple[Range, Criterion]]) -> Sequence[int]:
    """The rows of ranges of one column, from 0, in which each fits its criterion."""
    best: Sequence[int] | None = None
    rest: list[tuple[Range, Criterion]] = []
    for column, wanted in columns:
        if wanted.takes_empty:
            rest.append((column, wanted))
            continue
        found = _found(on, column, wanted)
        if best is None or len(found) < len(best):
            best = found
        rest.append((column, wanted))
    if best is None:  # empty cells fit all of them: each row has to be looked at
        height = min(columns[0][0].height, max(0, on.cells.last_row - min(one.top for one, _ in columns) + 1))
        best = range(height)
    if len(rest) == 1 and not rest[0][1].takes_empty:
        return best
    read = [(on.cells.column(one.sheet, one.left, one.top, one.bottom), each) for one, each in rest]
    return [row for row in best if all(each.test(values[row] if row < len(values) else None) for values, each in read)]


def _found(on: Context, column: Range, wanted: Criterion) -> Sequence[int]:
    """The rows of a range of one column that fit, from 0, by an index where it has many."""
    if column.height < FEW:
        values = on.cells.column(column.sheet, column.left, column.top, column.bottom)
        return [row for row, value in enumerate(values) if wanted.test(value)]
    if type(wanted.equal) is str:
        rows = on.indexes.rows_with(column, wanted.equal)
    elif type(wanted.equal) is float:
        rows = on.indexes.rows_equal(column, wanted.equal, _as_number)
    else:
        rows = on.indexes.rows_where(column, wanted.name, wanted.test)
    return [row - column.top for row in rows]


def _tested(on: Context, given: Sequence[Result]) -> list[tuple[Range, Criterion]]:
    """Ranges with their criteria, which all have to be as large as the first one."""
    tested: list[tuple[Range, Criterion]] = []
    for place in range(0, len(given), 2):
        wanted = single_of(on, given[place + 1])
        assert not isinstance(wanted, Array)
        tested.append((range_of(given[place]), criterion(wanted, on.from_1904)))
    first = tested[0][0]
    if any((one.height, one.width) != (first.height, first.width) for one, _ in tested):
        raise Raised(VALUE)
    return tested


def _values_at(of: Range, places: Sequence[tuple[int, int]]) -> list[float]:
    """The numbers at places of a range. Raises `Raised` for an error among them."""
    read = {
        column: of.cells.column(of.sheet, of.left + column, of.top, of.bottom) for column in {at for _, at in places}
    }
    numbers: list[float] = []
    for row, column in places:
        values = read[column]
        value = values[row] if row < len(values) else None
        if type(value) is float:
            numbers.append(value)
        elif isinstance(value, ErrorValue):
            raise Raised(value)
    return numbers


def each_criterion(calculate: Callable[..., Value], first: int) -> Callable[..., Result]:
    """A function of criteria that is calculated for each value where one of them is an array."""

    def called(on: Context, *given: Result) -> Result:
        wanted = [place for place in range(first, len(given), 2) if isinstance(given[place], Array)]
        if not wanted:
            return calculate(on, *given)
        arrays = {place: matrix_of(given[place]) for place in wanted}
        height = max(one.height for one in arrays.values())
        width = max(one.width for one in arrays.values())

        def here(row: int, column: int) -> Value:
            try:
                return calculate(
                    on,
                    *(arrays[place].at(row, column) if place in arrays else one for place, one in enumerate(given)),
                )
            except Raised as raised:
                return raised.error

        return Array([[here(row, column) for column in range(width)] for row in range(height)])

    called.__doc__ = calculate.__doc__
    return called


def _countif(on: Context, given: Result, wanted: Result) -> Value:
    """How many cells fit a criterion."""
    value = single_of(on, wanted)
    assert not isinstance(value, Array)
    test = criterion(value, on.from_1904)
    total = 0
    every = ranges_of(given)
    if not every:
        raise Raised(given if isinstance(given, ErrorValue) else VALUE)
    for one in every:
        for column in range(one.left, one.right + 1):
            if column > on.cells.last_column and not test.takes_empty:
                break
            place = Range(one.cells, one.sheet, one.top, column, one.bottom, column)
            if test.takes_empty:
                values = on.cells.column(one.sheet, column, one.top, one.bottom)
                fit = sum(1 for value in values if test.test(value))
                total += fit + (one.height - len(values) if test.test(None) else 0)
            else:
                total += len(_found(on, place, test))
    return float(total)


def _countifs(on: Context, *given: Result) -> Value:
    """How many rows fit all criteria."""
    tested = _tested(on, given)
    if all(each.takes_empty for _, each in tested):
        first = tested[0][0]
        filled = max(0, min(first.bottom, on.cells.last_row) - first.top + 1)
        beyond = (first.height - filled) * first.width if all(each.test(None) for _, each in tested) else 0
        if len({one.top for one, _ in tested}) > 1:
            raise Unsupported("criteria for empty cells in ranges beside each other")
        short = [
            (Range(one.cells, one.sheet, one.top, one.left, one.top + filled - 1, one.right), each)
            for one, each in tested
        ]
        return float((len(_fitting(on, short)) if filled else 0) + beyond)
    return float(len(_fitting(on, tested)))


def _summed(on: Context, given: Result, wanted: Result, summed: Result) -> list[float]:
    tested = _tested(on, [given, wanted])
    first = tested[0][0]
    of = first if summed is None else range_of(summed).resized(first.height, first.width)
    return _values_at(of, _fitting(on, tested))


def _sumif(on: Context, given: Result, wanted: Result, summed: Result = None) -> Value:
    """The sum of what is beside the cells that fit a criterion, or of these."""
    return math.fsum(_summed(on, given, wanted, summed))


def _averageif(on: Context, given: Result, wanted: Result, averaged: Result = None) -> Value:
    """The mean of what is beside the cells that fit a criterion, or of these."""
    return stats.average(_summed(on, given, wanted, averaged))


def _of_fitting(on: Context, given: Sequence[Result]) -> list[float]:
    of, tested = range_of(given[0]), _tested(on, given[1:])
    if (of.height, of.width) != (tested[0][0].height, tested[0][0].width):
        raise Raised(VALUE)
    return _values_at(of, _fitting(on, tested))


def _in_fitting(name: str, clause: str, calculate: Callable[[list[float]], Value]) -> None:
    """Marks a function of what is in rows that fit all criteria."""

    def called(on: Context, *given: Result) -> Value:
        return calculate(_of_fitting(on, given))

    function(name, "xxx*xx", clause)(each_criterion(called, 2))


function("COUNTIF", "xx", "6.13")(each_criterion(_countif, 1))
function("COUNTIFS", "xx*xx", "6.13")(each_criterion(_countifs, 1))
function("SUMIF", "xx?x", "6.16")(each_criterion(_sumif, 1))
function("AVERAGEIF", "xx?x", "6.18")(each_criterion(_averageif, 1))
_in_fitting("SUMIFS", "6.16", math.fsum)
_in_fitting("AVERAGEIFS", "6.18", stats.average)
_in_fitting("MAXIFS", "6.18", stats.greatest)
_in_fitting("MINIFS", "6.18", stats.least)
