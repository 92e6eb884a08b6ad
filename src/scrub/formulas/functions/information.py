"""What a value is (OpenDocument 1.3, part 4, 6.13)."""

from __future__ import annotations

from collections.abc import Callable

from scrub.formulas.context import Context, Result
from scrub.formulas.contract import Range, Ranges
from scrub.formulas.functions.arguments import ranges_of, single_of, whole
from scrub.formulas.functions.registry import function
from scrub.formulas.values import (
    DIV0,
    NA,
    NAME,
    NULL,
    NUM,
    REF,
    VALUE,
    Array,
    ErrorValue,
    Raised,
    Value,
    number_of,
)


def _is(name: str, test: Callable[[Value], bool]) -> None:
    @function(name, "v", "6.13")
    def is_(on: object, value: Value) -> Value:
        return test(value)


for _name, _test in (
    ("ISBLANK", lambda value: value is None),
    ("ISERROR", lambda value: isinstance(value, ErrorValue)),
    ("ISERR", lambda value: isinstance(value, ErrorValue) and value is not NA),
    ("ISNA", lambda value: value is NA),
    ("ISNUMBER", lambda value: type(value) is float),
    ("ISTEXT", lambda value: isinstance(value, str)),
    ("ISNONTEXT", lambda value: not isinstance(value, str)),
    ("ISLOGICAL", lambda value: isinstance(value, bool)),
):
    _is(_name, _test)


@function("ISEVEN", "n", "6.13")
def iseven(on: object, number: float) -> Value:
    """Whether a number is even, without its fraction."""
    return whole(number) % 2 == 0


@function("ISODD", "n", "6.13")
def isodd(on: object, number: float) -> Value:
    """Whether a number is odd, without its fraction."""
    return whole(number) % 2 == 1


@function("ISREF", "x", "6.13")
def isref(on: object, given: Result) -> Value:
    """Whether it is a range."""
    return isinstance(given, Range | Ranges)


@function("ISFORMULA", "x", "6.13")
def isformula(on: Context, given: Result) -> Value:
    """Whether a cell is calculated."""
    return _formula(on, given) is not None


@function("FORMULATEXT", "x", "18.17.7")
def formulatext(on: Context, given: Result) -> Value:
    """The formula of a cell."""
    return _formula(on, given) or NA


def _formula(on: Context, given: Result) -> str | None:
    every = ranges_of(given)
    if not every:
        raise Raised(given if isinstance(given, ErrorValue) else VALUE)
    return on.cells.formula(every[0].sheet, every[0].top, every[0].left)


@function("N", "v", "6.13")
def n(on: Context, value: Value) -> Value:
    """A value as a number; 0 for a text."""
    return 0.0 if isinstance(value, str) else number_of(value, on.from_1904)


@function("NA", "", "6.13")
def na(on: object) -> Value:
    """#N/A."""
    return NA


@function("TYPE", "x", "6.13")
def type_(on: Context, given: Result) -> Value:
    """The number of a kind of value."""
    value = single_of(on, given)
    if isinstance(value, Array):
        return 64.0
    if isinstance(value, bool):
        return 4.0
    return 2.0 if isinstance(value, str) else 16.0 if isinstance(value, ErrorValue) else 1.0


@function("ERROR.TYPE", "v", "6.13")
def error_type(on: object, value: Value) -> Value:
    """The number of an error."""
    errors = (NULL, DIV0, VALUE, REF, NAME, NUM, NA)
    return float(errors.index(value) + 1) if isinstance(value, ErrorValue) else NA


@function("SHEET", "?x", "6.13")
def sheet(on: Context, given: Result = None) -> Value:
    """The number of a sheet."""
    if given is None:
        return float(on.sheet + 1)
    if isinstance(given, str):
        number = on.cells.sheet(given)
        return NA if number is None else float(number + 1)
    every = ranges_of(given)
    if not every:
        raise Raised(VALUE)
    return float(every[0].sheet + 1)


@function("SHEETS", "?x", "6.13")
def sheets(on: Context, given: Result = None) -> Value:
    """How many sheets there are, or a reference goes over."""
    return float(on.cells.sheet_count if given is None else len({one.sheet for one in ranges_of(given)}))
