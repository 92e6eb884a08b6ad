"""Looking values up, and ranges that are reckoned (OpenDocument 1.3, part 4, 6.14)."""

from __future__ import annotations

import re
from collections.abc import Sequence

from scrub.formulas.context import Context, Result
from scrub.formulas.contract import Range, Ranges
from scrub.formulas.functions.arguments import matrix_of, range_of, ranges_of, single_of, whole
from scrub.formulas.functions.conditions import Wildcards
from scrub.formulas.functions.registry import function
from scrub.formulas.indexes import FEW, position_sorted
from scrub.formulas.tree import parse
from scrub.formulas.values import (
    NA,
    REF,
    VALUE,
    Array,
    ErrorValue,
    Raised,
    Unsupported,
    Value,
    compared,
    same_number,
)
from scrub.model.core.area import MOST_COLUMNS, MOST_ROWS, letters_of
from scrub.model.core.lazy_pattern import lazy_pattern

Row = Sequence[Value]


def _equal(value: Value, wanted: Value) -> bool:
    if type(value) is float and type(wanted) is float:
        return same_number(value, wanted)
    if isinstance(value, str) and isinstance(wanted, str):
        return value.casefold() == wanted.casefold()
    return type(value) is type(wanted) and value == wanted


def _exact(on: Context, given: Result, line: Row, wanted: Value, wild: bool = True, backwards: bool = False) -> int:
    """The place, from 0, of a value that is equal; -1 for none."""
    if wild and isinstance(wanted, str) and any(letter in wanted for letter in "*?~"):
        pattern = Wildcards(wanted)
        places = [at for at, value in enumerate(line) if isinstance(value, str) and pattern.is_all_of(value)]
        return (places[-1] if backwards else places[0]) if places else -1
    if isinstance(given, Range) and given.left == given.right and given.height >= FEW:
        rows = on.indexes.rows_with(given, wanted)
        return (rows[-1] if backwards else rows[0]) - given.top if rows else -1
    order = range(len(line) - 1, -1, -1) if backwards else range(len(line))
    return next((at for at in order if _equal(line[at], wanted)), -1)


def _line(given: Result) -> Row:
    """The values of one row or column, as far as anything is filled. Raises `Raised` for a rectangle."""
    if isinstance(given, Range):
        if given.left == given.right:
            return given.cells.column(given.sheet, given.left, given.top, given.bottom)
        if given.top != given.bottom:
            raise Raised(NA)
        return list(given)
    matrix = matrix_of(given)
    if matrix.width == 1:
        return [row[0] for row in matrix.rows]
    if matrix.height != 1:
        raise Raised(NA)
    return matrix.rows[0]


def _wanted(value: Value) -> Value:
    if isinstance(value, ErrorValue):
        raise Raised(value)
    return 0.0 if value is None else value


@function("MATCH", "vx?n", "6.14")
def match_(on: Context, value: Value, given: Result, how: float = 1.0) -> Value:
    """The place of a value in a row or column: equal (0), or the last that is not greater (1) or less (-1)."""
    wanted, line = _wanted(value), _line(given)
    at = _exact(on, given, line, wanted) if how == 0 else position_sorted(line, wanted, how < 0)
    return float(at + 1) if at >= 0 else NA


def _in_table(on: Context, value: Value, given: Result, at: float, sorted_: bool, by_rows: bool) -> Value:
    wanted = _wanted(value)
    place = whole(at) - 1
    if place < 0:
        raise Raised(VALUE)
    if isinstance(given, Range):
        size = given.height if by_rows else given.width
        first = given.resized(1, given.width) if by_rows else given.resized(given.height, 1)
        line = _line(first)
    else:
        matrix = matrix_of(given)
        size = matrix.height if by_rows else matrix.width
        first = Array([matrix.rows[0]]) if by_rows else Array([[row[0]] for row in matrix.rows])  # type: ignore[assignment]
        line = _line(first)
    if place >= size:
        raise Raised(REF)
    found = position_sorted(line, wanted) if sorted_ else _exact(on, first, line, wanted)
    if found < 0:
        return NA
    row, column = (place, found) if by_rows else (found, place)
    return given.at(row, column) if isinstance(given, Range) else matrix.at(row, column)


@function("VLOOKUP", "vxn?b", "6.14")
def vlookup(on: Context, value: Value, given: Result, at: float, sorted_: bool = True) -> Value:
    """What is in the row of a value in the first column."""
    return _in_table(on, value, given, at, sorted_, False)


@function("HLOOKUP", "vxn?b", "6.14")
def hlookup(on: Context, value: Value, given: Result, at: float, sorted_: bool = True) -> Value:
    """What is in the column of a value in the first row."""
    return _in_table(on, value, given, at, sorted_, True)


@function("LOOKUP", "va?a", "6.14")
def lookup(on: Context, value: Value, given: Result, results: Result = None) -> Value:
    """What is at the place of the last value that is not greater."""
    wanted, matrix = _wanted(value), matrix_of(given)
    across = matrix.width > matrix.height
    line: Row = matrix.rows[0] if across else [row[0] for row in matrix.rows]
    at = position_sorted(line, wanted)
    if at < 0:
        return NA
    if results is None:
        return matrix.at(matrix.height - 1, at) if across else matrix.at(at, matrix.width - 1)
    line = _line(results)
    return line[at] if at < len(line) else NA


@function("XMATCH", "vx?nn", "18.17.7")
def xmatch(on: Context, value: Value, given: Result, how: float = 0.0, way: float = 1.0) -> Value:
    """The place of a value: equal (0), the next less (-1) or greater (1), or with wildcards (2)."""
    at = _xplace(on, value, given, whole(how), whole(way))
    return float(at + 1) if at >= 0 else NA


def _xplace(on: Context, value: Value, given: Result, how: int, way: int) -> int:
    wanted, line = _wanted(value), _line(given)
    if how not in (-1, 0, 1, 2) or way not in (-2, -1, 1, 2):
        raise Raised(VALUE)
    at = _exact(on, given, line, wanted, how == 2, way == -1)
    if at >= 0 or how in (0, 2):
        return at
    best = -1
    for place in range(len(line)) if way != -1 else range(len(line) - 1, -1, -1):
        each = line[place]
        if type(each) is not type(wanted):
            continue
        order = compared(each, wanted)
        if order * how > 0 and (best < 0 or compared(each, line[best]) * how < 0):
            best = place
    return best


@function("XLOOKUP", "vxx?lnn", "18.17.7")
def xlookup(
    on: Context,
    value: Value,
    given: Result,
    results: Result,
    otherwise: object = None,
    how: float = 0.0,
    way: float = 1.0,
) -> Result:
    """What is at the place of a value in a second range."""
    at = _xplace(on, value, given, whole(how), whole(way))
    if at < 0:
        return NA if otherwise is None else otherwise(on)  # type: ignore[operator]
    down = (isinstance(given, Range) and given.left == given.right) or (
        not isinstance(given, Range) and matrix_of(given).width == 1
    )
    if isinstance(results, Range):
        if down:
            if results.height <= at:
                raise Raised(VALUE)
            row = results.top + at
            return Range(results.cells, results.sheet, row, results.left, row, results.right)
        if results.width <= at:
            raise Raised(VALUE)
        column = results.left + at
        return Range(results.cells, results.sheet, results.top, column, results.bottom, column)
    matrix = matrix_of(results)
    if down:
        return Array([matrix.rows[at]]) if at < matrix.height else VALUE
    return Array([[row[at]] for row in matrix.rows]) if at < matrix.width else VALUE


@function("INDEX", "x?nnn", "6.14")
def index(on: Context, given: Result, row: float = 0.0, column: float | None = None, which: float = 1.0) -> Result:
    """A cell, row or column of a range."""
    if isinstance(given, ErrorValue):
        return given
    if isinstance(given, Ranges):
        if not 1 <= which <= len(given.each):
            raise Raised(REF)
        given = given.each[whole(which) - 1]
    elif which != 1:
        raise Raised(REF)
    at_row, at_column = whole(row), 0 if column is None else whole(column)
    source = given if isinstance(given, Range) else matrix_of(given)
    if column is None and source.height == 1 and source.width > 1:
        at_row, at_column = 0 if isinstance(given, Range) else 1, at_row
    if at_row < 0 or at_column < 0:
        raise Raised(VALUE)
    if at_row > source.height or at_column > source.width:
        raise Raised(REF)
    if isinstance(source, Array):
        rows = source.rows if not at_row else [source.rows[at_row - 1]]
        found = [list(line) if not at_column else [line[at_column - 1]] for line in rows]
        return found[0][0] if len(found) == len(found[0]) == 1 else Array(found)
    top, bottom = (source.top + at_row - 1,) * 2 if at_row else (source.top, source.bottom)
    left, right = (source.left + at_column - 1,) * 2 if at_column else (source.left, source.right)
    return Range(source.cells, source.sheet, top, left, bottom, right)


@function("OFFSET", "xnn?nn", "6.14", dynamic=True)
def offset(
    on: Context, given: Result, rows: float, columns: float, height: float | None = None, width: float | None = None
) -> Result:
    """A range that is moved, and of another size if that is asked."""
    one = range_of(given)
    high = one.height if height is None else whole(height)
    wide = one.width if width is None else whole(width)
    if not high or not wide:
        raise Raised(REF)
    top, left = one.top + whole(rows), one.left + whole(columns)
    top, high = (top, high) if high > 0 else (top + high + 1, -high)
    left, wide = (left, wide) if wide > 0 else (left + wide + 1, -wide)
    if top < 1 or left < 1 or top + high - 1 > MOST_ROWS or left + wide - 1 > MOST_COLUMNS:
        raise Raised(REF)
    return Range(one.cells, one.sheet, top, left, top + high - 1, left + wide - 1)


@function("INDIRECT", "t?b", "6.14", dynamic=True)
def indirect(on: Context, text: str, by_letters: bool = True) -> Result:
    """The range that a text names."""
    said = text.strip()
    if not by_letters:
        said = _from_numbers(said, on.row, on.column)
    try:
        node = parse(said, on.row, on.column)
        result = on.compile(node)(on)
    except Unsupported as problem:
        if "workbook" in problem.reason:
            raise
        return REF
    return result if isinstance(result, Range | Ranges) else REF


_NUMBERED = lazy_pattern(r"((?:.*!)?)R(\[-?\d+\]|\d*)C(\[-?\d+\]|\d*)", re.IGNORECASE | re.DOTALL)


def _from_numbers(text: str, row: int, column: int) -> str:
    """A reference such as `R2C[1]` as one with letters. Raises `Raised`."""
    first, _, last = text.partition(":")
    said = []
    for one in (first, last) if last else (first,):
        match = _NUMBERED.fullmatch(one)
        if match is None:
            raise Raised(REF)
        at_row, at_column = (
            own if not word else own + int(word[1:-1]) if word[0] == "[" else int(word)
            for word, own in ((match[2], row), (match[3], column))
        )
        if not 1 <= at_row <= MOST_ROWS or not 1 <= at_column <= MOST_COLUMNS:
            raise Raised(REF)
        said.append(f"{match[1]}${letters_of(at_column)}${at_row}")
    return ":".join(said)


@function("ROW", "?x", "6.13")
def row_(on: Context, given: Result = None) -> Result:
    """The number of a row; of several an array."""
    if given is None:
        return float(on.row)
    one = range_of(given)
    if one.height == 1:
        return float(one.top)
    bottom = min(one.bottom, max(on.cells.last_row, one.top))
    return Array([[float(number)] for number in range(one.top, bottom + 1)])


@function("COLUMN", "?x", "6.13")
def column_(on: Context, given: Result = None) -> Result:
    """The number of a column; of several an array."""
    if given is None:
        return float(on.column)
    one = range_of(given)
    if one.width == 1:
        return float(one.left)
    return Array([[float(number) for number in range(one.left, one.right + 1)]])


@function("ROWS", "x", "6.13")
def rows_(on: Context, given: Result) -> Value:
    """How many rows a range has."""
    every = ranges_of(given)
    return float(every[0].height if every else matrix_of(given).height)


@function("COLUMNS", "x", "6.13")
def columns_(on: Context, given: Result) -> Value:
    """How many columns a range has."""
    every = ranges_of(given)
    return float(every[0].width if every else matrix_of(given).width)


@function("AREAS", "x", "6.13")
def areas(on: Context, given: Result) -> Value:
    """How many ranges a union has."""
    every = ranges_of(given)
    if not every:
        raise Raised(VALUE)
    return float(len(every))


@function("ADDRESS", "nn?nbt", "6.14")
def address(
    on: object, row: float, column: float, form: float = 1.0, by_letters: bool = True, sheet: str | None = None
) -> Value:
    """The text of a reference."""
    at_row, at_column, fixed = whole(row), whole(column), whole(form)
    if not 1 <= at_row <= MOST_ROWS or not 1 <= at_column <= MOST_COLUMNS or not 1 <= fixed <= 4:
        raise Raised(VALUE)
    if by_letters:
        of_column = ("$" if fixed in (1, 3) else "") + letters_of(at_column)
        said = of_column + ("$" if fixed in (1, 2) else "") + str(at_row)
    else:
        said = f"R{at_row if fixed in (1, 2) else f'[{at_row}]'}C{at_column if fixed in (1, 3) else f'[{at_column}]'}"
    if sheet is None:
        return said
    plain = re.fullmatch(r"[^\W\d][\w.]*", sheet) is not None or not sheet
    return f"{sheet if plain else chr(39) + sheet.replace(chr(39), chr(39) * 2) + chr(39)}!{said}"


@function("HYPERLINK", "v?v", "6.14")
def hyperlink(on: Context, target: Value, said: Value = None) -> Value:
    """What a link shows."""
    value = target if said is None else said
    return single_of(on, value)  # type: ignore[return-value]


# -- arrays of another shape


@function("UNIQUE", "a?bb", "18.17.7")
def unique(on: Context, given: Result, across: bool = False, once: bool = False) -> Result:
    """Rows without those that were there before."""
    matrix = matrix_of(given)
    rows = [tuple(row) for row in matrix.rows]
    lines = list(zip(*rows, strict=True)) if across else rows
    if len(lines) > 5_000:
        raise Unsupported("too big")
    keys = [tuple(value.casefold() if isinstance(value, str) else value for value in line) for line in lines]
    kept = [
        list(line)
        for at, line in enumerate(lines)
        if (keys.count(keys[at]) == 1 if once else keys.index(keys[at]) == at)
    ]
    if not kept:
        raise Raised(VALUE)
    return Array([list(row) for row in zip(*kept, strict=True)] if across else kept)


@function("SEQUENCE", "n?nnn", "18.17.7")
def sequence(on: object, rows: float, columns: float = 1.0, start: float = 1.0, step: float = 1.0) -> Result:
    """Numbers that grow by a step, row by row."""
    height, width = whole(rows), whole(columns)
    if height < 1 or width < 1:
        raise Raised(VALUE)
    if height * width > 1_000_000:
        raise Unsupported("too big")
    return Array([[start + step * (row * width + column) for column in range(width)] for row in range(height)])
