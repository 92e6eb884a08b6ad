"""Trees of formulas to closures (ISO/IEC 29500-1, 18.17.2; OpenDocument 1.3, part 4, 3.3 and 6.4).

A closure never raises an error value: it gives it. It raises `Needed` where cells have to be calculated first, and
`Unsupported` for what cannot be calculated.
"""

from __future__ import annotations

import math
import operator
from collections.abc import Callable, Sequence

from scrub.formulas import tree
from scrub.formulas.context import Closure, Context, Result, as_array, intersected
from scrub.formulas.contract import Range, Ranges
from scrub.formulas.functions import FUNCTIONS, Function
from scrub.formulas.functions.arguments import ranges_of
from scrub.formulas.tokens import DEEPEST_NAMES
from scrub.formulas.values import (
    DIV0,
    FAILURES,
    FITS,
    NAME,
    NULL,
    NUM,
    REF,
    VALUE,
    Array,
    ErrorValue,
    Unsupported,
    Value,
    compared,
    error_of,
    guarded,
    long_enough,
    mapped,
    number_of,
    plus,
    power_of,
    text_of,
    truth_of,
)
from scrub.model.core.area import MOST_COLUMNS, MOST_ROWS

Single = Callable[[Context], Value | Array]


def compiled(node: tree.Node, array: bool = False) -> Single:
    """The closure of a node where single values are wanted: a range is cut to one cell, or read as an `array`."""
    if isinstance(node, tree.Constant):
        value = node.value
        return lambda on: value
    if isinstance(node, tree.Missing):
        return lambda on: None
    if isinstance(node, tree.Beyond):
        return _refusing(node.reason)
    if isinstance(node, tree.Reference):
        cell = _one_cell(node)
        if cell is not None:
            return cell
    if isinstance(node, tree.Chain) and node.operators[0] not in ":~ ":
        return _chain(node, array)
    if isinstance(node, tree.Sign):
        return _sign(node, array)
    closure = closure_of(node, array)

    def single(on: Context) -> Value | Array:
        result = closure(on)
        if isinstance(result, Range | Ranges):
            return as_array(result) if array else intersected(on, result)
        return result

    return single


def closure_of(node: tree.Node, array: bool = False) -> Closure:
    """The closure of a node that may give ranges, such as those that INDIRECT reads."""
    if isinstance(node, tree.Reference):
        return _reference(node)
    if isinstance(node, tree.Name):
        return _name(node, array)
    if isinstance(node, tree.TableReference):
        return _table(node)
    if isinstance(node, tree.Chain) and node.operators[0] in ":~ ":
        return _ranges(node, array)
    if isinstance(node, tree.Call):
        return _call(node, array)
    return compiled(node, array)


def _refusing(reason: str) -> Single:
    """A closure of what cannot be calculated: it says so if it is needed."""

    def refuse(on: Context) -> Value:
        raise Unsupported(reason)

    return refuse


# -- references


def _one_cell(node: tree.Reference) -> Single | None:
    """The closure of a reference to one cell; None for one to more, or to several sheets."""
    if node.top != node.bottom or node.left != node.right or node.last_sheet:
        return None
    top, left, name = node.top, node.left, node.sheet
    row_at, row_fixed, column_at, column_fixed = top.at, top.fixed, left.at, left.fixed
    if name:

        def elsewhere(on: Context) -> Value:
            sheet = on.cells.sheet(name)
            if sheet is None:
                return REF
            return on.cells.value(sheet, top.of(on.row, MOST_ROWS), left.of(on.column, MOST_COLUMNS))

        return elsewhere

    def cell(on: Context) -> Value:
        row = row_at if row_fixed else on.row + row_at
        column = column_at if column_fixed else on.column + column_at
        if not 1 <= row <= MOST_ROWS or not 1 <= column <= MOST_COLUMNS:
            row, column = top.of(on.row, MOST_ROWS), left.of(on.column, MOST_COLUMNS)
        return on.cells.value(on.sheet, row, column)

    return cell


def _reference(node: tree.Reference) -> Closure:
    def reference(on: Context) -> Result:
        area = node.area(on.row, on.column)
        if not node.sheet:
            return Range(on.cells, on.sheet, *area)
        first = on.cells.sheet(node.sheet)
        if first is None:
            return REF
        if not node.last_sheet:
            return Range(on.cells, first, *area)
        last = on.cells.sheet(node.last_sheet)
        if last is None:
            return REF
        return Ranges([Range(on.cells, sheet, *area) for sheet in range(min(first, last), max(first, last) + 1)])

    return reference


def _name(node: tree.Name, array: bool) -> Closure:
    known: dict[int, Closure] = {}  # by the number of the sheet
    depth = 0

    def name(on: Context) -> Result:
        nonlocal depth
        sheet = on.cells.sheet(node.sheet) if node.sheet else on.sheet
        if sheet is None:
            return REF
        closure = known.get(sheet)
        if closure is None:
            target = on.cells.name(node.word, sheet)
            if target is None:
                table = on.cells.table(node.word, sheet, on.row, on.column)
                if table is None:
                    return NAME
                target = tree.TableReference(node.word, (), ())
            closure = known[sheet] = closure_of(target, array)
        depth += 1
        try:
            if depth > DEEPEST_NAMES:
                raise Unsupported("its names refer to themselves")
            return closure(on)
        finally:
            depth -= 1

    return name


def _table(node: tree.TableReference) -> Closure:
    parts = set(node.parts) or {"#data"}
    words = [word.casefold() for word in node.columns]

    def table(on: Context) -> Result:
        place = on.cells.table(node.table, on.sheet, on.row, on.column)
        if place is None:
            return REF
        left, right = place.left, place.right
        if words:
            folded = [word.casefold() for word in place.columns]
            if not all(word in folded for word in words):
                return REF
            ends = sorted(folded.index(word) for word in words)
            left, right = place.left + ends[0], place.left + ends[-1]
        first, last = place.top + place.headings, place.bottom - place.totals
        if "#this row" in parts:
            if not first <= on.row <= last or on.sheet != place.sheet:
                return VALUE
            return Range(on.cells, place.sheet, on.row, left, on.row, right)
        wanted = {"#headers", "#data", "#totals"} if "#all" in parts else parts
        if ("#headers" in wanted and not place.headings) or (wanted == {"#totals"} and not place.totals):
            if wanted in ({"#headers"}, {"#totals"}):
                return REF
            wanted = wanted - {"#headers"}
        top = place.top if "#headers" in wanted else first if "#data" in wanted else last + 1
        bottom = place.bottom if "#totals" in wanted else last if "#data" in wanted else first - 1
        return Range(on.cells, place.sheet, top, left, bottom, right)

    return table


def _ranges(node: tree.Chain, array: bool) -> Closure:
    """The closure of ranges that are joined (`:`), united (`~`) or cut to what they have in common (a blank)."""
    closures = [closure_of(operand, array) for operand in node.operands]
    combine: Callable[[Sequence[Range]], Result] = {":": _spanned, "~": Ranges, " ": _common}[node.operators[0]]

    def ranges(on: Context) -> Result:
        every: list[Range] = []
        for closure in closures:
            result = closure(on)
            if isinstance(result, ErrorValue):
                return result
            if not isinstance(result, Range | Ranges):
                return VALUE
            every += ranges_of(result)
        return combine(every)

    return ranges


def _spanned(every: Sequence[Range]) -> Result:
    first = every[0]
    if any(one.sheet != first.sheet for one in every):
        return VALUE
    top, left = min(one.top for one in every), min(one.left for one in every)
    bottom, right = max(one.bottom for one in every), max(one.right for one in every)
    return Range(first.cells, first.sheet, top, left, bottom, right)


def _common(every: Sequence[Range]) -> Result:
    first = every[0]
    top, left = max(one.top for one in every), max(one.left for one in every)
    bottom, right = min(one.bottom for one in every), min(one.right for one in every)
    if top > bottom or left > right or any(one.sheet != first.sheet for one in every):
        return NULL
    return Range(first.cells, first.sheet, top, left, bottom, right)


# -- operators


def _over(one: float, other: float) -> Value:
    return one / other if other else DIV0


_ARITHMETIC: dict[str, Callable[[float, float], Value]] = {
    "+": plus,
    "-": lambda one, other: plus(one, -other),
    "*": operator.mul,
    "/": _over,
    "^": power_of,
}


def _binary(sign: str) -> Callable[[Value, Value, bool], Value]:
    """An operator between two values; the last argument tells whether days are counted from 1904."""
    if sign in _ARITHMETIC:
        calculate = _ARITHMETIC[sign]

        def arithmetic(one: Value, other: Value, from_1904: bool) -> Value:
            result = calculate(number_of(one, from_1904), number_of(other, from_1904))
            return result if type(result) is not float or math.isfinite(result) else NUM

        return arithmetic
    if sign == "&":
        return lambda one, other, from_1904: long_enough(text_of(one) + text_of(other))
    fits = FITS[sign]
    return lambda one, other, from_1904: fits(compared(one, other))


#: Operators that give a number for all numbers but the biggest.
_PLAIN = {sign: _ARITHMETIC[sign] for sign in "+-*"}


def _chain(node: tree.Chain, array: bool) -> Single:
    """Operators of one level, from left to right."""
    first = compiled(node.operands[0], array)
    rest = [
        (_PLAIN.get(sign), _binary(sign), compiled(operand, array))
        for sign, operand in zip(node.operators, node.operands[1:], strict=True)
    ]

    def chain(on: Context) -> Value | Array:
        one = first(on)
        for fast, binary, closure in rest:
            other = closure(on)
            if fast is not None and type(one) is float and type(other) is float:
                one = fast(one, other)
                if one - one != 0:  # type: ignore[operator]  # it is infinite
                    one = NUM
            elif isinstance(one, Array) or isinstance(other, Array):
                one = mapped(lambda a, b, binary=binary: binary(a, b, on.from_1904), one, other)
            else:
                one = guarded(binary, one, other, on.from_1904)
        return one

    return chain


def _sign(node: tree.Sign, array: bool) -> Single:
    if node.operator == "@":
        inner = closure_of(node.operand, False)

        def cut(on: Context) -> Value | Array:
            result = inner(on)
            if isinstance(result, Range | Ranges):
                return intersected(on, result)
            return result.at(0, 0) if isinstance(result, Array) else result

        return cut
    if node.operator == "#":
        return _refusing("it refers to all results of an array formula (#)")
    closure = compiled(node.operand, array)
    if node.operator == "%":
        return _each(closure, lambda number: number / 100)
    return _each(closure, operator.neg)


def _each(closure: Single, calculate: Callable[[float], float]) -> Single:
    def each(on: Context) -> Value | Array:
        value = closure(on)
        if type(value) is float:
            return calculate(value)
        from_1904 = on.from_1904
        if isinstance(value, Array):
            return mapped(lambda one: calculate(number_of(one, from_1904)), value)
        return guarded(lambda one: calculate(number_of(one, from_1904)), value)

    return each


# -- functions


def _call(node: tree.Call, array: bool) -> Closure:
    function = FUNCTIONS.get(node.name)
    if function is None:
        return _refusing(node.name)
    if not function.takes(len(node.arguments)):
        return _refusing(f"{node.name} with {len(node.arguments)} arguments")
    kinds = [function.kind(place) for place in range(len(node.arguments))]
    closures = [_argument(argument, kind, array) for argument, kind in zip(node.arguments, kinds, strict=True)]
    if not any(kind in "ntbv" for kind in kinds):
        return _called_once(function, closures, kinds)
    return _called(function, closures, kinds)


def _argument(node: tree.Node, kind: str, array: bool) -> Closure:
    if kind in "xl":  # what IF gives may be a range too
        return closure_of(node, array)
    return compiled(node, array or kind == "a")


def _called_once(function: Function, closures: Sequence[Closure], kinds: Sequence[str]) -> Closure:
    call = function.call

    def called(on: Context) -> Result:
        try:
            return call(
                on, *(closure if kind == "l" else closure(on) for closure, kind in zip(closures, kinds, strict=True))
            )  # type: ignore[return-value]
        except FAILURES as failure:
            return error_of(failure)

    return called


def _called(function: Function, closures: Sequence[Closure], kinds: Sequence[str]) -> Closure:
    """A function of single values, calculated for each value where arrays are given."""
    call = function.call

    def called(on: Context) -> Result:
        given: list[object] = []
        arrays: list[Array] = []
        for closure, kind in zip(closures, kinds, strict=True):
            value = closure if kind == "l" else closure(on)
            if isinstance(value, Array) and kind in "ntbv":
                arrays.append(value)
            given.append(value)
        if not arrays:
            return _calculated(on, call, given, kinds)
        height, width = max(one.height for one in arrays), max(one.width for one in arrays)

        def place(row: int, column: int) -> Value:
            here = [
                value.at(row, column) if isinstance(value, Array) and kind in "ntbv" else value
                for value, kind in zip(given, kinds, strict=True)
            ]
            result = _calculated(on, call, here, kinds)
            if isinstance(result, Array):
                return result.at(0, 0)
            return intersected(on, result) if isinstance(result, Range | Ranges) else result

        return Array([[place(row, column) for column in range(width)] for row in range(height)])

    return called


def _calculated(on: Context, call: Callable[..., object], given: Sequence[object], kinds: Sequence[str]) -> Result:
    try:
        values = [
            value
            if kind in "vxal"
            else value
            if kind == "n" and type(value) is float
            else _as(value, kind, on.from_1904)  # type: ignore[arg-type]
            for value, kind in zip(given, kinds, strict=True)
        ]
        result = call(on, *values)
    except FAILURES as failure:
        return error_of(failure)
    if type(result) is float and not math.isfinite(result):
        return NUM
    return result  # type: ignore[return-value]


def _as(value: Value, kind: str, from_1904: bool) -> Value:
    if kind == "n":
        return number_of(value, from_1904)
    return text_of(value) if kind == "t" else truth_of(value)
