"""Decisions (OpenDocument 1.3, part 4, 6.15). What is not needed is not calculated."""

from __future__ import annotations

from scrub.formulas.context import Closure, Context, Result
from scrub.formulas.contract import Range, Ranges
from scrub.formulas.functions.arguments import asked, single_of, truths_of
from scrub.formulas.functions.registry import function
from scrub.formulas.values import NA, VALUE, Array, ErrorValue, Raised, Value, compared, guarded, truth_of


def _at(given: Result, row: int, column: int) -> Value:
    if isinstance(given, Array | Range):
        one = given if isinstance(given, Array) else given.array()
        return one.at(row, column)
    return VALUE if isinstance(given, Ranges) else given


@function("IF", "l?ll", "6.15")
def if_(on: Context, condition: Closure, then: Closure | None = None, otherwise: Closure | None = None) -> Result:
    """One of two values."""
    test = single_of(on, condition(on))
    if isinstance(test, Array):
        yes = then(on) if then is not None else True
        no = otherwise(on) if otherwise is not None else False

        def choose(row: int, column: int) -> Value:
            value = guarded(truth_of, test.at(row, column))
            if isinstance(value, ErrorValue):
                return value
            return _at(yes if value else no, row, column)

        return Array([[choose(row, column) for column in range(test.width)] for row in range(test.height)])
    chosen = then if truth_of(test) else otherwise
    if chosen is None:
        return truth_of(test)
    return chosen(on)


@function("IFS", "ll*ll", "6.15")
def ifs(on: Context, *given: Closure) -> Result:
    """The value after the first condition that is true."""
    for place in range(0, len(given) - 1, 2):
        if truth_of(asked(on, given[place])):
            return given[place + 1](on)
    return NA


@function("SWITCH", "lll*l", "18.17.7")
def switch(on: Context, *given: Closure) -> Result:
    """The value after the first one that is equal."""
    wanted = asked(on, given[0])
    if isinstance(wanted, ErrorValue):
        return wanted
    rest = given[1:]
    for place in range(0, len(rest) - 1, 2):
        if compared(asked(on, rest[place]), wanted) == 0:
            return rest[place + 1](on)
    return rest[-1](on) if len(rest) % 2 else NA


@function("CHOOSE", "nl*l", "6.14")
def choose(on: Context, which: float, *given: Closure) -> Result:
    """The value at a place, from 1."""
    at = int(which)
    if not 1 <= at <= len(given):
        raise Raised(VALUE)
    return given[at - 1](on)


@function("IFERROR", "vl", "6.15")
def iferror(on: Context, value: Value, otherwise: Closure) -> Result:
    """A value, or another one instead of an error."""
    if isinstance(value, ErrorValue):
        return otherwise(on)
    return value if value is not None else 0.0


@function("IFNA", "vl", "6.15")
def ifna(on: Context, value: Value, otherwise: Closure) -> Result:
    """A value, or another one instead of #N/A."""
    if value is NA:
        return otherwise(on)
    return value if value is not None else 0.0


@function("AND", "x*x", "6.15")
def and_(on: Context, *given: Result) -> Value:
    """Whether all are true."""
    values = list(truths_of(given))
    return all(values) if values else VALUE


@function("OR", "x*x", "6.15")
def or_(on: Context, *given: Result) -> Value:
    """Whether one is true."""
    values = list(truths_of(given))
    return any(values) if values else VALUE


@function("XOR", "x*x", "6.15")
def xor(on: Context, *given: Result) -> Value:
    """Whether an odd number is true."""
    values = list(truths_of(given))
    return sum(values) % 2 == 1 if values else VALUE


@function("NOT", "b", "6.15")
def not_(on: Context, value: bool) -> Value:
    """The opposite."""
    return not value


@function("TRUE", "", "6.15")
def true(on: Context) -> Value:
    """True."""
    return True


@function("FALSE", "", "6.15")
def false(on: Context) -> Value:
    """False."""
    return False
