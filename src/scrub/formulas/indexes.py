"""What a pass over many formulas remembers of columns: which rows have a value, and sums that grow.

As each cell is calculated once, nothing here grows old within a pass. A column with cells that have yet to be
calculated raises `Needed` before anything of it is remembered.
"""

from __future__ import annotations

import math
from bisect import bisect_left, bisect_right
from collections.abc import Callable, Iterator, Sequence

from scrub.formulas.contract import Range
from scrub.formulas.values import ErrorValue, Raised, Value, compared

#: From how many rows on an index pays.
FEW = 16


def key_of(value: Value) -> object:
    """What equal values share: texts are alike whatever the case of their letters, numbers to 15 digits."""
    if type(value) is float:
        return value + 0.0 if value == int(value) and abs(value) < 1e15 else float(f"{value:.14e}")
    return value.casefold() if isinstance(value, str) else value


class Indexes:
    """The memory of one pass."""

    def __init__(self) -> None:
        self._rows: dict[tuple[int, int], dict[object, list[int]]] = {}
        self._numbers: dict[tuple[int, int], dict[object, list[int]]] = {}
        self._matching: dict[tuple[int, int, object], list[int]] = {}
        self._down: dict[tuple[int, int, int], tuple[int, list[float]]] = {}
        self._up: dict[tuple[int, int, int], tuple[int, list[float]]] = {}

    def rows_with(self, column: Range, value: Value) -> Sequence[int]:
        """The rows of a range of one column whose value is equal to another, of the same type, in order."""
        known = self._rows.get((column.sheet, column.left))
        if known is None:
            known = {}
            for row, each in enumerate(column.cells.column(column.sheet, column.left, 1, column.cells.last_row), 1):
                if each is not None:
                    known.setdefault((type(each), key_of(each)), []).append(row)
            self._rows[column.sheet, column.left] = known
        rows = known.get((type(value), key_of(value)), ())
        return rows[bisect_left(rows, column.top) : bisect_right(rows, column.bottom)]

    def rows_equal(self, column: Range, number: float, read: Callable[[str], float | None]) -> Sequence[int]:
        """The rows of a range of one column that hold a number, or a text that `read` takes for it."""
        known = self._numbers.get((column.sheet, column.left))
        if known is None:
            known = {}
            for row, each in enumerate(column.cells.column(column.sheet, column.left, 1, column.cells.last_row), 1):
                value = read(each) if isinstance(each, str) else each
                if type(value) is float:
                    known.setdefault(key_of(value), []).append(row)
            self._numbers[column.sheet, column.left] = known
        rows = known.get(key_of(number), ())
        return rows[bisect_left(rows, column.top) : bisect_right(rows, column.bottom)]

    def rows_where(self, column: Range, name: object, test: Callable[[Value], bool]) -> Sequence[int]:
        """The filled rows of a range of one column that pass a test, which `name` tells apart from others."""
        key = (column.sheet, column.left, name)
        rows = self._matching.get(key)
        if rows is None:
            every = column.cells.column(column.sheet, column.left, 1, column.cells.last_row)
            rows = self._matching[key] = [row for row, each in enumerate(every, 1) if each is not None and test(each)]
        return rows[bisect_left(rows, column.top) : bisect_right(rows, column.bottom)]

    def sum_of(self, column: Range) -> float:
        """The exact sum of the numbers of a range of one column, rounded once. Raises `Raised` for an error in it."""
        if column.height < FEW:
            return math.fsum(_numbers(column.cells.column(column.sheet, column.left, column.top, column.bottom)))
        down, up = (column.sheet, column.left, column.top), (column.sheet, column.left, column.bottom)
        known = self._down.get(down)
        if known is not None and known[0] <= column.bottom:
            at, partials = known
            _add(partials, _numbers(column.cells.column(column.sheet, column.left, at + 1, column.bottom)))
        else:
            known = self._up.get(up)
            if known is not None and known[0] >= column.top:
                at, partials = known
                _add(partials, _numbers(column.cells.column(column.sheet, column.left, column.top, at - 1)))
                self._up[up] = (column.top, partials)
                return math.fsum(partials)
            partials = []
            _add(partials, _numbers(column.cells.column(column.sheet, column.left, column.top, column.bottom)))
            self._up[up] = (column.top, list(partials))
        self._down[down] = (column.bottom, partials)
        return math.fsum(partials)


def _numbers(values: Sequence[Value]) -> Iterator[float]:
    for value in values:
        if type(value) is float:
            yield value
        elif isinstance(value, ErrorValue):
            raise Raised(value)


def _add(partials: list[float], numbers: Iterator[float]) -> None:
    """Adds numbers to a sum that is kept as parts without any rounding (Shewchuk 1997)."""
    fresh = list(numbers)
    for number in fresh:
        count = 0
        for part in partials:
            one, other = (number, part) if abs(number) >= abs(part) else (part, number)
            high = one + other
            low = other - (high - one)
            if low:
                partials[count] = low
                count += 1
            number = high
        partials[count:] = [number]


def position_sorted(values: Sequence[Value], wanted: Value, descending: bool = False) -> int:
    """The last place, from 0, of a value that is not beyond another one in values that are sorted; -1 for none.

    Values of another type than the wanted one are passed by, as an approximate match does.
    """
    low, high = 0, len(values)
    kind = type(wanted)
    best = -1
    while low < high:
        middle = at = (low + high) // 2
        while at < high and type(values[at]) is not kind:
            at += 1
        if at == high:
            high = middle
            continue
        order = compared(values[at], wanted)
        if descending:
            order = -order
        if order <= 0:
            best, low = at, at + 1
        else:
            high = middle
    return best
