"""What closures and functions are given, and what they give."""

from __future__ import annotations

from collections.abc import Callable

from scrub.formulas.contract import Cells, Range, Ranges
from scrub.formulas.indexes import Indexes
from scrub.formulas.tree import Node
from scrub.formulas.values import VALUE, Array, Value

Result = Value | Array | Range | Ranges


class Context:
    """The cell whose formula is calculated, and its workbook."""

    __slots__ = ("cells", "column", "compile", "from_1904", "indexes", "row", "sheet")

    def __init__(
        self, cells: Cells, indexes: Indexes, compile_: Callable[[Node], Closure], sheet: int, row: int, column: int
    ) -> None:
        """`compile_` makes closures of what functions such as INDIRECT read."""
        self.cells = cells
        self.compile = compile_
        self.indexes = indexes
        self.from_1904 = cells.from_1904
        self.sheet, self.row, self.column = sheet, row, column


Closure = Callable[[Context], Result]


def intersected(on: Context, given: Range | Ranges) -> Value:
    """A range as one value: its only cell, or that in the row or column of the formula (4.11.2)."""
    if isinstance(given, Ranges):
        if len(given.each) != 1:
            return VALUE
        given = given.each[0]
    row = given.top if given.top == given.bottom else on.row
    column = given.left if given.left == given.right else on.column
    if given.top <= row <= given.bottom and given.left <= column <= given.right:
        return given.cells.value(given.sheet, row, column)
    return VALUE


def as_array(given: Range | Ranges) -> Value | Array:
    """A range as an array; of several ranges there is none."""
    if isinstance(given, Ranges):
        if len(given.each) != 1:
            return VALUE
        given = given.each[0]
    if given.top == given.bottom and given.left == given.right:
        return given.cells.value(given.sheet, given.top, given.left)
    return given.array()
