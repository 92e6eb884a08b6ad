"""Calculates the formulas of a workbook, each once, whatever order they need each other in.

A cell that has yet to be calculated is `DIRTY`. The closure of a formula that meets one raises `Needed`, and a stack
calculates these first and asks again. So a branch that is not taken neither costs nor makes a circle, and chains of any
length need no recursion.
"""

from __future__ import annotations

import gc
from collections.abc import Callable, Iterable, Iterator, Sequence
from contextlib import contextmanager

from scrub.formulas.compiled import Single, compiled, given
from scrub.formulas.context import Context
from scrub.formulas.contract import Cells, Needed
from scrub.formulas.indexes import Indexes
from scrub.formulas.tree import Call, Node
from scrub.formulas.values import Array, Unsupported, Value
from scrub.model.core.area import Area

Cell = tuple[int, int, int]
#: The most cells that one pass reads before the rest is given up: the same file gives the same results everywhere.
MOST_READ = 400_000_000


class Lost:
    """What a cell holds whose formula cannot be calculated; `inherited` tells that another one is the reason."""

    __slots__ = ("inherited", "reason")

    def __init__(self, reason: str, inherited: bool = False) -> None:
        self.reason = reason
        self.inherited = inherited


class _Dirty:
    __slots__ = ()

    def __repr__(self) -> str:
        return "DIRTY"


DIRTY = _Dirty()
Held = Value | Lost | _Dirty


class _NeedsLost(Unsupported):
    """A cell that could not be calculated is needed."""


class Columns:
    """The values of a workbook's cells by columns, read when they are asked for; some of them are to be calculated."""

    def __init__(self, read: Callable[[int, int], list[Held]]) -> None:
        """`read` gives the values of a column of a sheet from row 1 on; it may hold `DIRTY` and `Lost`."""
        self._read = read
        self._columns: dict[tuple[int, int], list[Held]] = {}
        self._unsure: dict[tuple[int, int], int] = {}  # how many of a column are dirty or lost
        self._given: dict[Cell, None] = {}  # the cells that were calculated
        self.left = MOST_READ

    def _of(self, sheet: int, column: int) -> list[Held]:
        key = (sheet, column)
        values = self._columns.get(key)
        if values is None:
            values = self._columns[key] = self._read(sheet, column)
            self._unsure[key] = sum(type(value) is _Dirty or type(value) is Lost for value in values)
        return values

    def value(self, sheet: int, row: int, column: int) -> Value:
        """The value of a cell. Raises `Needed`, or `Unsupported` where it could not be calculated."""
        values = self._columns.get((sheet, column))
        if values is None:
            values = self._of(sheet, column)
        if row > len(values):
            return None
        value = values[row - 1]
        if type(value) is _Dirty:
            raise Needed([(sheet, row, column)])
        if type(value) is Lost:
            raise _NeedsLost(value.reason)
        return value  # type: ignore[return-value]

    def column(self, sheet: int, column: int, top: int, bottom: int) -> Sequence[Value]:
        """The values of a column from one row to another; what is missing at the end is empty. Raises likewise."""
        values = self._of(sheet, column)
        part = values[top - 1 : bottom]
        self.left -= len(part)
        if self.left < 0:
            raise Unsupported("too many cells to read")
        if self._unsure[sheet, column]:
            dirty = [row for row, value in enumerate(part, top) if type(value) is _Dirty]
            if dirty:
                raise Needed([(sheet, row, column) for row in dirty])
            lost = next((value for value in part if type(value) is Lost), None)
            if isinstance(lost, Lost):
                raise _NeedsLost(lost.reason)
        return part  # type: ignore[return-value]

    def mark(self, cell: Cell) -> None:
        """Notes that a cell has to be calculated."""
        sheet, row, column = cell
        values = self._of(sheet, column)
        if row > len(values):
            values += [None] * (row - len(values))
        before = values[row - 1]
        if type(before) is not _Dirty:
            self._unsure[sheet, column] += type(before) is not Lost
            values[row - 1] = DIRTY

    def calculated(self) -> Iterator[tuple[Cell, Value | Lost]]:
        """The cells that got a result, in the order in which they got it."""
        for cell in self._given:
            value = self.held(cell)
            assert type(value) is not _Dirty
            yield cell, value  # type: ignore[misc]

    def held(self, cell: Cell) -> Held:
        """What a cell holds now."""
        sheet, row, column = cell
        values = self._of(sheet, column)
        return values[row - 1] if row <= len(values) else None

    def put(self, cell: Cell, value: Value | Lost) -> None:
        """Gives a cell its result."""
        sheet, row, column = cell
        values = self._of(sheet, column)
        if row > len(values):
            values += [None] * (row - len(values))
        before = values[row - 1]
        self._given[cell] = None
        was_unsure = type(before) is _Dirty or type(before) is Lost
        self._unsure[sheet, column] += (type(value) is Lost) - was_unsure
        values[row - 1] = value


class Form:
    """A formula in the way that all cells share which were filled from one."""

    __slots__ = ("_array", "_closure", "node", "reason")

    def __init__(self, node: Node | None, array: bool = False, reason: str = "") -> None:
        """`reason` says why there is no tree."""
        self.node = node
        self.reason = reason
        self._array = array
        self._closure: Single | None = None

    def refuse(self, reason: str) -> None:
        """Lets none of its cells be calculated."""
        self.node, self.reason, self._closure = None, reason, None

    @property
    def is_subtotal(self) -> bool:
        """Whether it is a subtotal, which others pass by."""
        node = self.node
        return isinstance(node, Call) and node.name in ("SUBTOTAL", "AGGREGATE")

    def calculate(self, on: Context) -> Value | Array:
        """The result for one cell. Raises `Needed` and `Unsupported`."""
        closure = self._closure
        if closure is None:
            if self.node is None:
                raise Unsupported(self.reason)
            closure = self._closure = compiled(self.node, self._array)
        return closure(on)


class Calculated:
    """A cell with a formula: its form, and the range where it is an array formula."""

    __slots__ = ("area", "form")

    def __init__(self, form: Form, area: Area | None = None) -> None:
        self.form = form
        self.area = area


class Calculation:
    """Calculates cells of one workbook and remembers what it read."""

    def __init__(self, cells: Cells, columns: Columns, formula: Callable[[Cell], Calculated | None]) -> None:
        """`formula` gives what a dirty cell is calculated by."""
        self._cells = cells
        self._columns = columns
        self._formula = formula
        self._indexes = Indexes()

    def calculate(self, wanted: Iterable[Cell]) -> None:
        """Calculates cells that are dirty, and what they need."""
        with _collector_off():
            for cell in wanted:
                if type(self._columns.held(cell)) is _Dirty:
                    self._through(cell)

    def _through(self, first: Cell) -> None:
        columns = self._columns
        stack = [first]
        begun: set[Cell] = set()  # those that wait for others
        while stack:
            cell = stack[-1]
            if type(columns.held(cell)) is not _Dirty:
                stack.pop()
                begun.discard(cell)
                continue
            try:
                self._put(cell)
            except Needed as needed:
                begun.add(cell)
                if any(other in begun for other in needed.cells):
                    columns.put(cell, Lost("it depends on itself"))
                    continue
                stack += reversed(needed.cells)
            except Unsupported as problem:
                self._lose(cell, Lost(problem.reason, isinstance(problem, _NeedsLost)))
            except RecursionError:
                self._lose(cell, Lost("too deep"))

    def result(self, cell: Cell) -> Value | Array:
        """What the formula of a cell gives, whatever the cell holds. Raises `Needed` and `Unsupported`."""
        calculated = self._formula(cell)
        if calculated is None:
            raise Unsupported("its formula cannot be read")
        return calculated.form.calculate(Context(self._cells, self._indexes, given, *cell))

    def _put(self, cell: Cell) -> None:
        calculated = self._formula(cell)
        if calculated is None:
            raise Unsupported("its formula cannot be read")
        area = calculated.area
        sheet, row, column = cell
        if area is not None:
            row, column = area.top, area.left
        value = calculated.form.calculate(Context(self._cells, self._indexes, given, sheet, row, column))
        if area is None:
            self._columns.put(cell, plain(value.at(0, 0) if isinstance(value, Array) else value))
            return
        for at in range(area.top, area.bottom + 1):
            for across in range(area.left, area.right + 1):
                one = value.at(at - area.top, across - area.left) if isinstance(value, Array) else value
                self._columns.put((sheet, at, across), plain(one))

    def _lose(self, cell: Cell, lost: Lost) -> None:
        calculated = self._formula(cell)
        area = calculated.area if calculated is not None else None
        if area is None:
            self._columns.put(cell, lost)
            return
        for row in range(area.top, area.bottom + 1):
            for column in range(area.left, area.right + 1):
                self._columns.put((cell[0], row, column), lost)


def plain(value: Value) -> Value:
    """A result as a cell holds it: an empty one is 0."""
    return 0.0 if value is None else value


@contextmanager
def _collector_off() -> Iterator[None]:
    """The collector of garbage costs two thirds of the time of a pass that makes nothing for it."""
    was_on = gc.isenabled()
    gc.disable()
    try:
        yield
    finally:
        if was_on:
            gc.enable()
