"""The values of formulas and how one becomes another (ISO/IEC 29500-1, 18.17.5; OpenDocument 1.3, part 4, 4 and 6.3).

A number is a float, a text a str, a truth value a bool, an empty cell None, an error an `ErrorValue`. What is raised on
the way is `Raised`, which becomes the error it holds.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator, Sequence
from functools import lru_cache

from scrub.formulas.dates import serial_of_text
from scrub.model.core.lazy_pattern import lazy_pattern


class ErrorValue:
    """An error as a value (18.17.3). There is one object of each."""

    __slots__ = ("code",)

    def __init__(self, code: str) -> None:
        self.code = code

    def __repr__(self) -> str:
        return self.code


NULL = ErrorValue("#NULL!")
DIV0 = ErrorValue("#DIV/0!")
VALUE = ErrorValue("#VALUE!")
REF = ErrorValue("#REF!")
NAME = ErrorValue("#NAME?")
NUM = ErrorValue("#NUM!")
NA = ErrorValue("#N/A")
ERRORS = {error.code: error for error in (NULL, DIV0, VALUE, REF, NAME, NUM, NA)}

Value = float | str | bool | ErrorValue | None


class Raised(Exception):
    """An error value on its way out of a function."""

    def __init__(self, error: ErrorValue) -> None:
        super().__init__(error.code)
        self.error = error


class Unsupported(Exception):
    """What cannot be calculated here; `reason` says why, as a person reads it."""

    def __init__(self, reason: str) -> None:
        super().__init__(reason)
        self.reason = reason


#: The most cells of one array, and the longest text (18.17.2.2: 32,767 characters).
MOST_CELLS = 4_000_000
LONGEST = 32_767


class Array:
    """A rectangle of values that is not in cells. It has one row and one column at least."""

    __slots__ = ("rows",)

    def __init__(self, rows: Sequence[Sequence[Value]]) -> None:
        self.rows = rows

    @property
    def height(self) -> int:
        """Its number of rows."""
        return len(self.rows)

    @property
    def width(self) -> int:
        """Its number of columns."""
        return len(self.rows[0])

    def at(self, row: int, column: int) -> Value:
        """The value at a place from 0. What has one row or column repeats it; outside is #N/A."""
        rows = self.rows
        if len(rows) == 1:
            row = 0
        elif row >= len(rows):
            return NA
        line = rows[row]
        if len(line) == 1:
            column = 0
        elif column >= len(line):
            return NA
        return line[column]

    def __iter__(self) -> Iterator[Value]:
        for row in self.rows:
            yield from row


def ensure_size(cells: int) -> None:
    """Raises `Unsupported` for an array that is too big."""
    if cells > MOST_CELLS:
        raise Unsupported("too big")


def checked(number: float) -> Value:
    """A number, or #NUM! for one that is none."""
    return number if math.isfinite(number) else NUM


# -- one value as another

_NUMBER = lazy_pattern(r"[+-]?(?:\d+(?:\.\d*)?|\.\d+)(?:[eE][+-]?\d{1,3})?")
_PERCENT = lazy_pattern(r"([+-]?(?:\d+(?:\.\d*)?|\.\d+))\s*%")
#: Texts that some countries read as numbers and others do not, or otherwise.
_DEPENDS = lazy_pattern(
    r"[+-]?\s*[^\d\s.,+%()-]{0,4}\s*\(?\d{1,3}(?:[., ]\d{3})+(?:[.,]\d*)?\)?\s*[^\d\s]{0,4}"
    r"|\(?\s*[$€£¥]\s*[\d.,]+\)?|[\d.,]+\s*[$€£¥]|\d+,\d+%?|\(\d[\d.,]*\)"
    r"|\d{1,4}[/.-]\d{1,2}(?:[/.-]\d{1,4})?(?: .*)?|\d{1,2}[ -]?[^\W\d]{3,9}\.?(?:[ -]?\d{2,4})?(?: .*)?"
    r"|[^\W\d]{3,9}\.?[ -]\d{1,4}(?:,? \d{2,4})?(?: .*)?|\d+ \d+/\d+"
)


@lru_cache(4096)
def number_of_text(text: str, from_1904: bool = False) -> float | None:
    """The number that a text means everywhere (6.3.5); None for none.

    Raises `Unsupported` for a text that is a number or a date in some countries only.
    """
    stripped = text.strip(" \t\n\r\xa0")
    if _NUMBER.fullmatch(stripped):
        number = float(stripped)
        return number if math.isfinite(number) else None
    percent = _PERCENT.fullmatch(stripped)
    if percent:
        return float(percent[1]) / 100
    serial = serial_of_text(stripped, from_1904)
    if serial is not None:
        return serial
    if _DEPENDS.fullmatch(stripped):
        raise Unsupported("reading a text as a number or date depends on the country")
    return None


def number_of(value: Value, from_1904: bool = False) -> float:
    """A value as a number (6.3.5). Raises `Raised`."""
    if type(value) is float:
        return value
    if value is None:
        return 0.0
    if isinstance(value, bool):
        return 1.0 if value else 0.0
    if isinstance(value, ErrorValue):
        raise Raised(value)
    if isinstance(value, str):
        number = number_of_text(value, from_1904)
        if number is None:
            raise Raised(VALUE)
        return number
    return float(value)


def truth_of(value: Value) -> bool:
    """A value as a truth value (6.3.6). Raises `Raised`."""
    if isinstance(value, bool):
        return value
    if isinstance(value, ErrorValue):
        raise Raised(value)
    if value is None:
        return False
    if isinstance(value, str):
        word = value.upper()
        if word in ("TRUE", "FALSE"):
            return word == "TRUE"
        raise Raised(VALUE)
    return value != 0


def text_of(value: Value) -> str:
    """A value as a text (6.3.7). Raises `Raised`."""
    if isinstance(value, str):
        return value
    if value is None:
        return ""
    if isinstance(value, bool):
        return "TRUE" if value else "FALSE"
    if isinstance(value, ErrorValue):
        raise Raised(value)
    return text_of_number(value)


@lru_cache(4096)
def text_of_number(number: float) -> str:
    """A number with 15 digits at the most, in powers of ten where it is very big or small."""
    if number == 0:
        return "0"
    digits, exponent = f"{number:.14E}".split("E")
    power = int(exponent)
    sign, figures = ("-" if digits[0] == "-" else ""), digits.lstrip("-").replace(".", "").rstrip("0")
    if power >= 20 or power < -9 or (power < -4 and len(figures) - power > 20):
        mantissa = figures[0] + ("." + figures[1:] if len(figures) > 1 else "")
        return f"{sign}{mantissa}E{'-' if power < 0 else '+'}{abs(power):02d}"
    if power < 0:
        return f"{sign}0.{'0' * (-power - 1)}{figures}"
    if len(figures) <= power + 1:
        return sign + figures + "0" * (power + 1 - len(figures))
    return f"{sign}{figures[: power + 1]}.{figures[power + 1 :]}"


def number_text(number: float) -> str:
    """The shortest text of a number that reads back as the same."""
    if number == int(number) and abs(number) < 1e15:
        return str(int(number))
    return repr(number).replace("e", "E")


def long_enough(text: str) -> str:
    """A text that a cell can hold. Raises `Raised` with #VALUE! for a longer one."""
    if len(text) > LONGEST:
        raise Raised(VALUE)
    return text


# -- two values compared

_RANK: dict[type, int] = {float: 0, str: 1, bool: 2}


def same_number(one: float, other: float) -> bool:
    """Whether two numbers are equal but for the last bits, which no 15 digits show."""
    return one == other or (one != 0 and other != 0 and abs(one - other) < 3.5e-15 * max(abs(one), abs(other)))


def compared(one: Value, other: Value) -> int:
    """Less than 0, 0 or more as the first is before, like or after the second (6.4.9): numbers, texts, truth values.

    An empty cell is like 0, an empty text or FALSE. Texts are compared without regard to case. Raises `Raised`.
    """
    if type(one) is float and type(other) is float:
        return 0 if same_number(one, other) else -1 if one < other else 1
    for value in (one, other):
        if isinstance(value, ErrorValue):
            raise Raised(value)
    if one is None:
        one = _like_empty(other)
    if other is None:
        other = _like_empty(one)
    if one is None or other is None:
        return 0
    rank = _RANK[type(one)] - _RANK[type(other)]
    if rank:
        return rank
    if isinstance(one, str) and isinstance(other, str):
        first, second = one.casefold(), other.casefold()
        return (first > second) - (first < second)
    if isinstance(one, float) and isinstance(other, float):
        return 0 if same_number(one, other) else -1 if one < other else 1
    return int(one is True) - int(other is True)


#: Whether the result of `compared` fits an operator.
FITS: dict[str, Callable[[int], bool]] = {
    "=": lambda order: order == 0,
    "<>": lambda order: order != 0,
    "<": lambda order: order < 0,
    ">": lambda order: order > 0,
    "<=": lambda order: order <= 0,
    ">=": lambda order: order >= 0,
}


def _like_empty(other: Value) -> Value:
    return "" if isinstance(other, str) else False if isinstance(other, bool) else 0.0 if other is not None else None


def plus(one: float, other: float) -> float:
    """A sum; 0 where only the last bits of two numbers that cancel each other are left."""
    total = one + other
    return 0.0 if total != 0 and abs(total) < 3e-15 * abs(one) else total


def power_of(base: float, exponent: float) -> Value:
    """A power (OpenDocument 1.3, part 4, 6.4.6). Raises one of `FAILURES`."""
    if base == 0 and exponent <= 0:
        return NUM if exponent == 0 else DIV0
    return math.pow(base, exponent)


def mapped(function: Callable[..., Value], *arguments: Array | Value) -> Array:
    """What a function gives for each place of arrays; what is single stays the same everywhere."""
    height = max(argument.height for argument in arguments if isinstance(argument, Array))
    width = max(argument.width for argument in arguments if isinstance(argument, Array))
    ensure_size(height * width)
    arrays = [argument if isinstance(argument, Array) else Array([[argument]]) for argument in arguments]
    return Array(
        [
            [guarded(function, *(array.at(row, column) for array in arrays)) for column in range(width)]
            for row in range(height)
        ]
    )


#: What a calculation may raise instead of giving an error value.
FAILURES = (Raised, ZeroDivisionError, OverflowError, ValueError)


def error_of(failure: Exception) -> ErrorValue:
    """The error value that a failed calculation gives."""
    if isinstance(failure, Raised):
        return failure.error
    return DIV0 if isinstance(failure, ZeroDivisionError) else NUM


def guarded(function: Callable[..., Value], *arguments: Value) -> Value:
    """What a function gives; an error that it raises is its value."""
    try:
        return function(*arguments)
    except FAILURES as failure:
        return error_of(failure)
