"""Plain arithmetic for all rows of a form at once: the short way beside the closures, which stay the judges.

Each number is made by the same operations in the same order, so that both give the same bits. What is anything but
numbers, or near zero or infinity, is left to the closures.
"""

from __future__ import annotations

import operator
from collections.abc import Callable, Sequence
from itertools import starmap

from scrub.formulas import tree
from scrub.formulas.contract import Cells
from scrub.model.core.area import MOST_COLUMNS, MOST_ROWS

#: The fewest rows for which it is faster.
MANY = 64

_OPERATORS: dict[str, Callable[[float, float], float]] = {
    "+": operator.add,
    "-": operator.sub,
    "*": operator.mul,
    "/": operator.truediv,
}

#: A number for each row, or one for all.
Vector = list[float] | float


class NotPlain(Exception):
    """The closures have to calculate it."""


def numbers(node: tree.Node, cells: Cells, sheet: int, column: int, rows: Sequence[int]) -> list[float] | None:
    """The results of a form in rows of a column, which follow each other; None where the closures have to calculate."""
    if rows[-1] - rows[0] + 1 != len(rows):
        return None
    try:
        result = _vector(node, cells, sheet, column, rows)
    except (NotPlain, ZeroDivisionError, OverflowError):
        return None
    return result if isinstance(result, list) else [result] * len(rows)


def _vector(node: tree.Node, cells: Cells, sheet: int, column: int, rows: Sequence[int]) -> Vector:
    if isinstance(node, tree.Constant):
        if type(node.value) is not float:
            raise NotPlain
        return node.value
    if isinstance(node, tree.Reference):
        return _cells(node, cells, sheet, column, rows)
    if isinstance(node, tree.Chain):
        result = _vector(node.operands[0], cells, sheet, column, rows)
        for sign, operand in zip(node.operators, node.operands[1:], strict=True):
            result = _combined(sign, result, _vector(operand, cells, sheet, column, rows))
        return result
    raise NotPlain


def _cells(node: tree.Reference, cells: Cells, sheet: int, column: int, rows: Sequence[int]) -> Vector:
    """The numbers of one cell for each row."""
    if node.top != node.bottom or node.left != node.right or node.last_sheet:
        raise NotPlain
    on = cells.sheet(node.sheet) if node.sheet else sheet
    across = node.left.of(column, MOST_COLUMNS)
    first, last = node.top.of(rows[0], MOST_ROWS), node.top.of(rows[-1], MOST_ROWS)
    if on is None or last < first:
        raise NotPlain
    values = cells.column(on, across, first, last)
    if set(map(type, values)) != {float}:
        raise NotPlain
    if node.top.fixed:
        return values[0]  # type: ignore[return-value]
    if len(values) != len(rows):
        raise NotPlain
    return list(values)  # type: ignore[arg-type]


def _combined(sign: str, one: Vector, other: Vector) -> Vector:
    calculate = _OPERATORS.get(sign)
    if calculate is None:
        raise NotPlain
    if isinstance(one, float) and isinstance(other, float):
        result: list[float] = [calculate(one, other)]
        one = [one]
    elif isinstance(one, float):
        assert isinstance(other, list)
        one = [one] * len(other)
        result = list(map(calculate, one, other))
    elif isinstance(other, float):
        result = list(starmap(calculate, zip(one, [other] * len(one), strict=True)))
    else:
        result = list(map(calculate, one, other))
    if sign in "+-":  # where nearly nothing is left of two numbers, nothing is
        if any(total != 0 and abs(total) < 3e-15 * abs(first) for total, first in zip(result, one, strict=True)):
            raise NotPlain
    if max(result) - max(result) != 0 or min(result) - min(result) != 0:
        raise NotPlain
    return result if len(result) > 1 or isinstance(other, list) or len(one) > 1 else result[0]
