"""What a formula says, as a tree (ISO/IEC 29500-1, 18.17.2). References are kept as offsets from the cell of the
formula, so that formulas filled down share one tree.
"""

from __future__ import annotations

import re
from collections.abc import Iterator, Sequence

from scrub.formulas.tokens import FormulaPiece, pieces_of
from scrub.formulas.values import ERRORS, Array, Unsupported, Value
from scrub.model.core.area import MOST_COLUMNS, MOST_ROWS, column_of
from scrub.model.core.lazy_pattern import lazy_pattern
from scrub.model.core.named import NamedTuple

_ELSEWHERE = "it refers to another workbook"
#: How deep brackets and calls may be in each other.
_DEEPEST = 100
#: The longest formula (18.17.2).
_LONGEST = 8_192


class Constant(NamedTuple):
    """A number, a text, a truth value, an error or a constant array."""

    value: Value | Array


class Missing(NamedTuple):
    """An argument that is left out: `IF(A1,,2)`."""


class Edge(NamedTuple):
    """One row or column of a reference: a number from 1, or how far from the cell of the formula."""

    at: int
    fixed: bool

    def of(self, own: int, most: int) -> int:
        """The row or column for a formula in row or column `own`; beyond the end it continues at the other one."""
        return self.at if self.fixed else (own + self.at - 1) % most + 1


class Reference(NamedTuple):
    """A range of cells; `sheet` is empty on the formula's own, `last_sheet` the end of a row of sheets."""

    top: Edge
    left: Edge
    bottom: Edge
    right: Edge
    sheet: str = ""
    last_sheet: str = ""

    def area(self, row: int, column: int) -> tuple[int, int, int, int]:
        """Top, left, bottom and right for the formula of a cell."""
        top, bottom = self.top.of(row, MOST_ROWS), self.bottom.of(row, MOST_ROWS)
        left, right = self.left.of(column, MOST_COLUMNS), self.right.of(column, MOST_COLUMNS)
        return min(top, bottom), min(left, right), max(top, bottom), max(left, right)


class Name(NamedTuple):
    """A defined name, or that of a table; `sheet` is empty where none is said."""

    word: str
    sheet: str = ""


class TableReference(NamedTuple):
    """A structured reference (18.17.6.6): parts of a table, and the first and last of its columns."""

    table: str
    parts: tuple[str, ...]
    columns: tuple[str, ...]


class Chain(NamedTuple):
    """Operands with operators of one level between, from left to right."""

    operands: tuple[Node, ...]
    operators: tuple[str, ...]


class Sign(NamedTuple):
    """`-` before a value, `%` after it, `@` before what is cut to one cell, `#` after the first cell of an array."""

    operator: str
    operand: Node


class Call(NamedTuple):
    """A function with its arguments."""

    name: str
    arguments: tuple[Node, ...]


class Beyond(NamedTuple):
    """What cannot be calculated here, such as a cell of another workbook; `reason` says why."""

    reason: str


Node = Constant | Missing | Beyond | Reference | Name | TableReference | Chain | Sign | Call


def every_node(node: Node) -> Iterator[Node]:
    """A node and all that are inside it."""
    waiting = [node]
    while waiting:
        each = waiting.pop()
        yield each
        if isinstance(each, Chain):
            waiting += each.operands
        elif isinstance(each, Sign):
            waiting.append(each.operand)
        elif isinstance(each, Call):
            waiting += each.arguments


#: The operators between two values, from the tightest level down (18.17.2.2).
_LEVELS = ((":",), (" ",), ("~",), ("^",), ("*", "/"), ("+", "-"), ("&",), ("=", "<>", "<", ">", "<=", ">="))


def parse(formula: str, row: int = 1, column: int = 1) -> Node:
    """The tree of a formula without its equals sign, which is in a cell.

    Raises `Unsupported` for what cannot be read.
    """
    if len(formula) > _LONGEST:
        raise Unsupported("too long")
    return _Reader(formula, row, column).whole()


class _Reader:
    """Reads one formula from left to right."""

    def __init__(self, formula: str, row: int, column: int) -> None:
        self._formula, self._row, self._column = formula, row, column
        self._pieces = list(pieces_of(formula))
        self._at = 0
        self._depth = 0

    def whole(self) -> Node:
        node = self._expression(union=True)
        if self._at < len(self._pieces):
            raise self._unread()
        return node

    def _unread(self) -> Unsupported:
        return Unsupported("it cannot be read")

    def _next(self) -> FormulaPiece | None:
        return self._pieces[self._at] if self._at < len(self._pieces) else None

    def _is_mark(self, text: str) -> bool:
        piece = self._next()
        return piece is not None and piece.sort == "mark" and piece.text == text

    def _expression(self, union: bool = False) -> Node:
        """Operands and operators of a stretch, gathered flat, then folded level by level."""
        operands, operators = [self._operand()], []
        while True:
            piece = self._next()
            if piece is None:
                break
            if piece.sort == "operator" and piece.text not in "@#%":
                operators.append(piece.text)
                self._at += 1
            elif union and piece.sort == "mark" and piece.text == ",":
                operators.append("~")
                self._at += 1
            elif piece.sort in ("range", "name", "table", "function") or (piece.sort == "mark" and piece.text == "("):
                if self._pieces[self._at - 1].end == piece.start:
                    raise self._unread()
                operators.append(" ")  # what two ranges have in common
            else:
                break
            operands.append(self._operand())
        for level in _LEVELS:
            operands, operators = _folded(operands, operators, level)
        return operands[0]

    def _operand(self) -> Node:
        signs: list[str] = []
        while True:
            piece = self._next()
            if piece is None or piece.sort != "operator" or piece.text not in "+-@":
                break
            if signs[-2:] == ["-", "-"] and piece.text == "-":
                signs.pop()  # three are one: only the first makes a number of a text
            elif piece.text != "+":
                signs.append(piece.text)
            self._at += 1
        # A sign binds tighter than `^`, but not tighter than what makes a range.
        node = self._ranged() if signs else self._primary()
        node = self._with_percent(node)
        for sign in reversed(signs):
            node = Sign(sign, node)
        return node

    def _ranged(self) -> Node:
        node = self._primary()
        while (piece := self._next()) is not None and piece.sort == "operator" and piece.text == ":":
            self._at += 1
            node = Chain((node, self._primary()), (":",))
        return node

    def _with_percent(self, node: Node) -> Node:
        while (piece := self._next()) is not None and piece.sort == "operator" and piece.text in "%#":
            self._at += 1
            node = Sign(piece.text, node)
        return node

    def _primary(self) -> Node:
        piece = self._next()
        if piece is None:
            raise self._unread()
        self._at += 1
        if piece.sort == "mark":
            return self._bracketed(piece)
        if piece.sort == "number":
            return Constant(float(piece.text))
        if piece.sort == "text":
            return Constant(piece.text[1:-1].replace('""', '"'))
        if piece.sort == "error":
            known = ERRORS.get(piece.text.upper())
            return Constant(known) if known is not None else Beyond(f"it contains {piece.text}")
        if piece.sort == "range":
            return self._reference(piece)
        if piece.sort == "function":
            return self._call(piece)
        if piece.sort == "table":
            return _table_reference(self._formula[piece.start : piece.end])
        if piece.sort == "name":
            word = piece.text.upper()
            if word in ("TRUE", "FALSE") and not piece.sheet:
                return Constant(word == "TRUE")
            return Beyond(_ELSEWHERE) if piece.sheet.startswith("[") else Name(piece.text, piece.sheet)
        raise self._unread()

    def _bracketed(self, piece: FormulaPiece) -> Node:
        if piece.text == "{":
            return Constant(self._array())
        if piece.text != "(":
            raise self._unread()
        self._deeper()
        node = self._expression(union=True)
        self._close(")")
        return node

    def _deeper(self) -> None:
        self._depth += 1
        if self._depth > _DEEPEST:
            raise Unsupported("too deep")

    def _close(self, mark: str) -> None:
        if not self._is_mark(mark):
            raise self._unread()
        self._at += 1
        self._depth -= 1

    def _call(self, piece: FormulaPiece) -> Node:
        name = piece.text.upper().removeprefix("_XLFN.").removeprefix("_XLWS.")
        if piece.sheet:
            name = f"{piece.sheet}!{name}"  # a function of another workbook
        self._deeper()
        self._at += 1  # its bracket
        arguments: list[Node] = []
        if self._is_mark(")"):
            self._close(")")
            return Call(name, ())
        while True:
            if self._is_mark(",") or self._is_mark(")"):
                arguments.append(Missing())
            else:
                arguments.append(self._expression())
            if self._is_mark(")"):
                self._close(")")
                return Call(name, tuple(arguments))
            if not self._is_mark(","):
                raise self._unread()
            self._at += 1

    def _array(self) -> Array:
        rows: list[list[Value]] = [[]]
        while True:
            rows[-1].append(self._constant())
            piece = self._next()
            if piece is None or piece.sort != "mark" or piece.text not in ",;}":
                raise self._unread()
            self._at += 1
            if piece.text == "}":
                break
            if piece.text == ";":
                rows.append([])
        if len({len(row) for row in rows}) != 1:
            raise self._unread()
        return Array(rows)

    def _constant(self) -> Value:
        sign = 1.0
        piece = self._next()
        while piece is not None and piece.sort == "operator" and piece.text in "+-":
            sign = -sign if piece.text == "-" else sign
            self._at += 1
            piece = self._next()
        node = self._primary()
        if not isinstance(node, Constant) or isinstance(node.value, Array):
            raise self._unread()
        if type(node.value) is float:
            return node.value * sign
        return node.value

    def _reference(self, piece: FormulaPiece) -> Node:
        if piece.sheet.startswith("["):
            return Beyond(_ELSEWHERE)
        first, _, last = piece.text.partition(":")
        top, left = self._corner(first)
        bottom, right = self._corner(last) if last else (top, left)
        if top is None and left is None:
            return Name(piece.text, piece.sheet)  # a name such as ZZZ1
        if top is None:
            top, bottom = Edge(1, True), Edge(MOST_ROWS, True)
        if left is None:
            left, right = Edge(1, True), Edge(MOST_COLUMNS, True)
        if bottom is None or right is None:
            raise self._unread()
        quoted = self._formula[piece.start] == "'"
        sheet, _, last_sheet = piece.sheet.partition(":") if not quoted or ":" in piece.sheet else (piece.sheet, "", "")
        return Reference(top, left, bottom, right, sheet, last_sheet)

    def _corner(self, text: str) -> tuple[Edge | None, Edge | None]:
        match = _CORNER.fullmatch(text)
        if match is None:
            return None, None
        row = column = None
        if match[2]:
            number = column_of(match[2])
            if number > MOST_COLUMNS:
                return None, None
            column = Edge(number, True) if match[1] else Edge(number - self._column, False)
        if match[4]:
            number = int(match[4])
            if not 1 <= number <= MOST_ROWS:
                return None, None
            row = Edge(number, True) if match[3] else Edge(number - self._row, False)
        return row, column


_CORNER = lazy_pattern(r"(\$?)([A-Za-z]{1,3})?(\$?)(\d{1,7})?")


def _folded(operands: list[Node], operators: list[str], level: Sequence[str]) -> tuple[list[Node], list[str]]:
    """Operands with what is between them on one level made one of each."""
    if not any(operator in level for operator in operators):
        return operands, operators
    left: list[Node] = []
    kept: list[str] = []
    run, between = [operands[0]], []
    for operator, operand in zip(operators, operands[1:], strict=True):
        if operator in level:
            run.append(operand)
            between.append(operator)
            continue
        left.append(Chain(tuple(run), tuple(between)) if between else run[0])
        kept.append(operator)
        run, between = [operand], []
    left.append(Chain(tuple(run), tuple(between)) if between else run[0])
    return left, kept


_PARTS = ("#all", "#data", "#headers", "#totals", "#this row")


def _table_reference(text: str) -> TableReference:
    """`Stays[Nights]`, `Stays[[#Totals],[Nights]:[Guests]]`, `[@Nights]` (18.17.6.6)."""
    bracket = text.index("[")
    table, inside = text[:bracket], text[bracket + 1 : -1].strip()
    if not inside:
        return TableReference(table, (), ())
    this_row = inside.startswith("@")
    if this_row:
        inside = inside[1:].strip()
    parts = ["#this row"] if this_row else []
    columns: list[str] = []
    if not inside:
        return TableReference(table, tuple(parts), ())
    if not inside.startswith("["):
        inside = f"[{inside}]"
    at = 0
    while at < len(inside):
        match = _PIECE.match(inside, at)
        if match is None:
            raise Unsupported("its table reference cannot be read")
        word = re.sub(r"'(.)", r"\1", match[1])
        if match[1].startswith("#"):
            parts.append(match[1].lower())
        else:
            columns.append(word)
        at = match.end()
    if len(columns) > 2 or any(part not in _PARTS for part in parts):
        raise Unsupported("its table reference cannot be read")
    return TableReference(table, tuple(parts), tuple(columns))


#: What is in one pair of brackets, and what leads to the next.
_PIECE = lazy_pattern(r"\s*\[((?:'.|[^'\[\]])*)\]\s*[,:]?\s*")
