"""One cell. Written once, over what each format offers."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from types import MappingProxyType

from scrub.model.cells.cell_fields import CellFields, Place
from scrub.model.cells.grid import CellError, Grid, Holds
from scrub.model.core.area import MOST_COLUMNS, MOST_ROWS, Area, letters_of
from scrub.model.core.declare import FileItem, Item, field, needs, part
from scrub.model.core.problem import Failure
from scrub.model.core.values import Value, value_type


class Cell(CellFields):
    """One cell."""

    kind_word = "cell"
    implied = MappingProxyType({"sheet": "sheet_item", "row": "row_item", "column": "column_item"})

    __slots__ = ("number", "row_number", "sheet")

    def __init__(self, sheet: Grid, row: int, column: int) -> None:
        self.sheet = sheet
        self.row_number = row
        self.number = column

    def __eq__(self, other: object) -> bool:
        return isinstance(other, Cell) and self._key == other._key

    def __hash__(self) -> int:
        return hash(self._key)

    @property
    def _key(self) -> tuple[int, int, int]:
        return id(self.sheet), self.row_number, self.number

    @property
    def file(self) -> FileItem:
        """The workbook."""
        return self.sheet.file

    @property
    def removed(self) -> bool:
        """Whether its row or its column was deleted in this run."""
        return self.sheet.is_cell_gone(self.row_number, self.number)

    def _look(self, word: str) -> object:
        """How it looks: of one cell, without the way of many."""
        return self.sheet.look(self.row_number, self.number, word)

    def sheet_item(self) -> Grid:
        """Its sheet."""
        return self.sheet

    def row_item(self) -> Item:
        """Its row."""
        return self.sheet.row_item(self.row_number)

    def column_item(self) -> Item:
        """Its column."""
        return self.sheet.column_item(self.number)

    @property
    def label(self) -> str:
        """Its sheet and address."""
        return self.sheet.where(self.row_number, self.number)

    def places(self) -> Iterable[Place]:
        """Itself."""
        return ((self.sheet, self.row_number, self.number),)

    def areas(self) -> Iterable[tuple[Grid, Area]]:
        """Itself."""
        return ((self.sheet, Area(self.row_number, self.number, self.row_number, self.number)),)

    @property
    @field
    def shown(self) -> str:
        """The displayed text, with number format; an error for number formats unknown to Scrub.

        Example: if cell.shown ends with "%"
        Also: displayed, formatted, text, as seen
        """
        return self.sheet.text(self.row_number, self.number)

    @property
    @field
    def error(self) -> str | None:
        """The error in the cell, such as "#DIV/0!"; nothing if there is none.

        Example: if cell.error is not empty
        Also: n/a, div/0, ref
        """
        found = self.sheet.raw_value(self.row_number, self.number)
        return (found.error or None) if isinstance(found, CellError) else None

    @property
    @field
    def formula_problem(self) -> str | None:
        """The problem with the formula in the opened file: another result is saved than it gives, it gives an
        error, those above and below are others, or a value was typed over it. Nothing if all is well.

        Example: if cell.formula-problem is not empty
        Also: check formulas, audit, inconsistent formula, hardcoded number, wrong total, old result
        """
        return self.sheet.formula_problem(self.row_number, self.number) or None

    @property
    @field
    def holds(self) -> Holds:
        """The type of the value.

        Example: if cell.holds is number
        Also: type, kind of value
        """
        return holds_of(self.sheet.raw_value(self.row_number, self.number))

    @property
    @field
    def row(self) -> int:
        """The row number.

        Example: if cell.row > 3
        Also: line
        """
        return self.row_number

    @property
    @field
    def column(self) -> str:
        """The column letters.

        Example: if cell.column is "C"
        Also: letter
        """
        return letters_of(self.number)

    @part
    def right(self, by: int = 1) -> Cell:
        """The cell to the right, or further to the right.

        by: the number of columns.
        Example: cell.right.value = 3
        Also: next cell, offset, neighbour
        """
        return self._beside(0, by)

    @part
    def left(self, by: int = 1) -> Cell:
        """The cell to the left, or further to the left.

        by: the number of columns.
        Example: log "{cell("B4").left.value}"
        Also: previous cell, offset, neighbour
        """
        return self._beside(0, -by)

    @part
    def below(self, by: int = 1) -> Cell:
        """The cell below, or further below.

        by: the number of rows.
        Example: cell.below(2).value = "checked"
        Also: next row, under, offset, neighbour
        """
        return self._beside(by, 0)

    @part
    def above(self, by: int = 1) -> Cell:
        """The cell above, or further above.

        by: the number of rows.
        Example: log "{cell("B4").above(3).value}"
        Also: previous row, over, offset, neighbour
        """
        return self._beside(-by, 0)

    def _beside(self, down: int, right: int) -> Cell:
        """A cell that many rows and columns away; lines that were deleted do not count."""
        row = _stepped(self.row_number, down, MOST_ROWS, self.sheet.is_gone)
        column = _stepped(self.number, right, MOST_COLUMNS, self.sheet.is_column_gone)
        if not row or not column:
            side = ("below" if down > 0 else "above") if down else "right of" if right > 0 else "left of"
            raise Failure(f"no cell {abs(down or right)} {side} {self.label}")
        return Cell(self.sheet, row, column)

    @property
    @field
    def comment(self) -> str | None:
        """The text of the comment; nothing for none. Set to nothing, the comment is deleted.

        Example: cell.comment = "Counted on site."
        Also: note, annotation, remark
        """
        return self.sheet.comment_text(self.row_number, self.number)

    @comment.setter
    @needs("put_comment")
    def comment(self, value: str | None) -> None:
        self.sheet.put_comment(self.row_number, self.number, value or None)


def _stepped(line: int, by: int, most: int, gone: Callable[[int], bool]) -> int:
    """The line that many steps away; 0 where there is none."""
    step = 1 if by > 0 else -1
    for _ in range(abs(by)):
        line += step
        while 1 <= line <= most and gone(line):
            line += step
        if not 1 <= line <= most:
            return 0
    return line


def holds_of(value: Value) -> Holds:
    """What kind of value it is."""
    if value is None or isinstance(value, CellError):
        return Holds.NOTHING if value is None or not value.error else Holds.ERROR
    found = value_type(value)
    assert found is not None
    return Holds("yes-no" if found.cls is bool else found.word)
