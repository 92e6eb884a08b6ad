"""What functions do with the values of ranges, arrays and single arguments (OpenDocument 1.3, part 4, 6.3)."""

from __future__ import annotations

from collections.abc import Iterable, Iterator

from scrub.formulas.context import Closure, Context, Result, intersected
from scrub.formulas.contract import Range, Ranges
from scrub.formulas.values import VALUE, Array, ErrorValue, Raised, Value, number_of, truth_of


def ranges_of(given: Result) -> list[Range]:
    """The single ranges of what is given; none of a value."""
    if isinstance(given, Range):
        return [given]
    return list(given.each) if isinstance(given, Ranges) else []


def range_of(given: Result) -> Range:
    """The one range that is given. Raises `Raised` where it is none."""
    every = ranges_of(given)
    if len(every) == 1:
        return every[0]
    raise Raised(given if isinstance(given, ErrorValue) else VALUE)


def is_many(given: Result) -> bool:
    """Whether values are of a range or an array, where texts and truth values do not count as numbers."""
    return isinstance(given, Range | Ranges | Array)


def values_of(given: Result) -> Iterator[Value]:
    """All values, row by row in each range, as far as anything is filled."""
    if isinstance(given, Range):
        if given.left == given.right or given.top == given.bottom:
            yield from given
        else:
            yield from given.by_rows()
    elif isinstance(given, Ranges):
        for one in given.each:
            yield from values_of(one)
    elif isinstance(given, Array):
        yield from given
    else:
        yield given


def numbers_of(on: Context, arguments: Iterable[Result], in_order: bool = False) -> Iterator[float]:
    """The numbers of arguments: in ranges and arrays those that are numbers, single values as numbers; row by row
    where the order matters.

    Raises `Raised` for an error among them.
    """
    for given in arguments:
        if isinstance(given, Range | Ranges | Array):
            for value in given if isinstance(given, Range) and not in_order else values_of(given):
                if type(value) is float:
                    yield value
                elif isinstance(value, ErrorValue):
                    raise Raised(value)
        else:
            yield number_of(given, on.from_1904)


def numbers_with_truth(on: Context, arguments: Iterable[Result]) -> Iterator[float]:
    """As AVERAGEA counts: texts are 0, truth values 1 and 0, also in ranges."""
    for given in arguments:
        if not is_many(given):
            yield number_of(given, on.from_1904)  # type: ignore[arg-type]
            continue
        for value in values_of(given):
            if isinstance(value, ErrorValue):
                raise Raised(value)
            if value is not None:
                yield 0.0 if isinstance(value, str) else float(value)


def truths_of(arguments: Iterable[Result]) -> Iterator[bool]:
    """The truth values of arguments; texts and empty cells of ranges are passed by. Raises `Raised`."""
    for given in arguments:
        if not is_many(given):
            if given is not None:
                yield truth_of(given)  # type: ignore[arg-type]
            continue
        for value in values_of(given):
            if isinstance(value, ErrorValue):
                raise Raised(value)
            if value is not None and not isinstance(value, str):
                yield bool(value)


def matrix_of(given: Result) -> Array:
    """What is given as an array. Raises `Raised`."""
    if isinstance(given, ErrorValue):
        raise Raised(given)
    if isinstance(given, Array):
        return given
    if isinstance(given, Range | Ranges):
        return range_of(given).array()
    return Array([[given]])


def single_of(on: Context, given: Result) -> Value | Array:
    """What is given, a range as the one value that it has for the cell of the formula."""
    return intersected(on, given) if isinstance(given, Range | Ranges) else given


def asked(on: Context, closure: Closure) -> Value:
    """The single value that a closure gives; the first one of an array."""
    value = single_of(on, closure(on))
    return value.at(0, 0) if isinstance(value, Array) else value


def whole(number: float) -> int:
    """A number without its fraction, cut towards zero."""
    return int(number)
