"""Calculates the formulas of a workbook, each once, whatever order they need each other in.

A cell that has yet to be calculated is `DIRTY`. The closure of a formula that meets one raises `Needed`, and a stack
calculates these first and asks again. So a branch that is not taken neither costs nor makes a circle, and chains of any
length need no recursion.
"""

from __future__ import annotations

import gc
from collections.abc import Callable, Iterable, Iterator, Sequence
from contextlib import contextmanager

from scrub.formulas.compiled import Single, closure_of, compiled
from scrub.formulas.context import Context
from scrub.formulas.contract import Cells, Needed
from scrub.formulas.functions import FUNCTIONS, Function
from scrub.formulas.indexes import Indexes
from scrub.formulas.tree import Call, Node, every_node
from scrub.formulas.values import Array, Unsupported, Value
from scrub.formulas.vectors import MANY, numbers
from scrub.model.core.area import Area

Cell = tuple[int, int, int]
#: The most cells that one pass reads before the rest is given up: the same file gives the same results everywhere.
MOST_READ = 100_000_000


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


class Skipped(Exception):
    """A cell got its value in another way."""


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
            self._unsure[key] = _unsure_in(values)
        return values

    def value(self, sheet: int, row: int, column: int) -> Value:
        """The value of a cell. Raises `Needed`, or `Unsupported` where it could not be calculated."""
        values = self._columns.get((sheet, column))
        if values is None:
            values = self._of(sheet, column)
        if row > len(values):
            return None
        value = values[row - 1]
        if type(value) is _Dirty or type(value) is Lost:
            return self.given_value((sheet, row, column), value)
        return value  # type: ignore[return-value]

    @staticmethod
    def given_value(cell: Cell, value: Held) -> Value:
        """The value that a cell holds. Raises `Needed`, or `Unsupported` where it could not be calculated."""
        if type(value) is _Dirty:
            raise Needed([cell])
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

    def mark_rows(self, sheet: int, column: int, rows: Sequence[int]) -> list[Held]:
        """Notes that cells of a column have to be calculated; gives what they held."""
        values = self._of(sheet, column)
        if rows and rows[-1] > len(values):
            values += [None] * (rows[-1] - len(values))
        before = [values[row - 1] for row in rows]
        for row in rows:
            values[row - 1] = DIRTY
        self._unsure[sheet, column] += len(rows) - (_unsure_in(before) if self._unsure[sheet, column] else 0)
        return before

    def all(self, sheet: int, column: int) -> list[Held]:
        """The values of a column, not to be changed."""
        return self._of(sheet, column)

    def put_rows(self, sheet: int, column: int, rows: Sequence[int], results: Sequence[float]) -> None:
        """Gives cells of a column that are dirty, and follow each other, their results."""
        self._of(sheet, column)[rows[0] - 1 : rows[-1]] = results
        self._unsure[sheet, column] -= len(rows)

    def held_rows(self, sheet: int, column: int, rows: Sequence[int]) -> list[Held]:
        """What cells of a column hold now."""
        values = self._of(sheet, column)
        return [values[row - 1] for row in rows]

    def fill(self, sheet: int, column: int, rows: Sequence[int], make: Callable[[int], Value]) -> None:
        """Gives cells of a column that are dirty, one after another, what a row makes."""
        key, values = (sheet, column), self._of(sheet, column)
        unsure = self._unsure
        for row in rows:
            if type(values[row - 1]) is _Dirty:
                try:
                    value = make(row)
                except Skipped:
                    continue
                values[row - 1] = value
                unsure[key] -= 1

    def given(self) -> Iterable[Cell]:
        """The cells that got a result one by one, in that order."""
        return self._given

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


def _unsure_in(values: Sequence[Held]) -> int:
    """How many of some values are dirty or lost; most columns hold numbers and texts alone."""
    kinds = set(map(type, values))
    if _Dirty not in kinds and Lost not in kinds:
        return 0
    return sum(type(value) is _Dirty or type(value) is Lost for value in values)


class Form:
    """A formula in the way that all cells share which were filled from one."""

    __slots__ = ("_array", "_closure", "node", "reason")

    def __init__(self, node: Node | None, array: bool = False, reason: str = "") -> None:
        """`reason` says why it has no tree."""
        self.node = node
        self.reason = reason
        self._array = array
        self._closure: Single | None = None

    def refuse(self, reason: str) -> None:
        """Lets none of its cells be calculated."""
        self.node, self.reason, self._closure = None, reason, None

    def nodes(self) -> Iterator[Node]:
        """What it consists of; nothing where it has no tree."""
        return every_node(self.node) if self.node is not None else iter(())

    def functions(self) -> Iterator[Function]:
        """The known functions that it calls."""
        return (FUNCTIONS[node.name] for node in self.nodes() if isinstance(node, Call) and node.name in FUNCTIONS)

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
                waiting = [other for other in needed.cells if type(columns.held(other)) is _Dirty]
                if not waiting:  # what was needed is there already: asking again would not end
                    columns.put(cell, Lost("its cells cannot be read"))
                stack += reversed(waiting)
            except Unsupported as problem:
                self._lose(cell, Lost(problem.reason, isinstance(problem, _NeedsLost)))
            except RecursionError:
                self._lose(cell, Lost("too deep"))

    def calculate_rows(self, sheet: int, column: int, form: Form, rows: Sequence[int]) -> None:
        """Calculates the cells of a column that have one form, as far as they are dirty."""
        on = Context(self._cells, self._indexes, closure_of, sheet, rows[0], column)

        def make(row: int) -> Value:
            on.row = row
            try:
                value = form.calculate(on)
            except (Needed, Unsupported, RecursionError):
                self._through((sheet, row, column))  # the way that can wait for others
                raise Skipped from None
            return value if type(value) is float else plain(value.at(0, 0) if isinstance(value, Array) else value)

        with _collector_off():
            if len(rows) >= MANY and form.node is not None and self._at_once(sheet, column, form.node, rows):
                return
            self._columns.fill(sheet, column, rows, make)

    def _at_once(self, sheet: int, column: int, node: Node, rows: Sequence[int]) -> bool:
        """Calculates plain arithmetic in all rows together, where nothing of it has to wait."""
        if any(type(value) is not _Dirty for value in self._columns.held_rows(sheet, column, rows)):
            return False
        try:
            results = numbers(node, self._cells, sheet, column, rows)
        except (Needed, Unsupported):
            return False
        if results is None:
            return False
        self._columns.put_rows(sheet, column, rows, results)
        return True

    def result(self, cell: Cell, form: Form | None = None) -> Value | Array:
        """What a form gives in a cell, or the formula that is there, whatever the cell holds. Raises `Needed` and
        `Unsupported`.
        """
        form = form if form is not None else self._calculated(cell).form
        return form.calculate(Context(self._cells, self._indexes, closure_of, *cell))

    def _calculated(self, cell: Cell) -> Calculated:
        calculated = self._formula(cell)
        if calculated is None:
            raise Unsupported("its formula cannot be read")
        return calculated

    def _put(self, cell: Cell) -> None:
        calculated = self._calculated(cell)
        area = calculated.area
        sheet, row, column = cell
        if area is not None:
            row, column = area.top, area.left
        value = calculated.form.calculate(Context(self._cells, self._indexes, closure_of, sheet, row, column))
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
