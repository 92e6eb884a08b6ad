"""Rows and columns."""

from __future__ import annotations

from bisect import bisect_right
from collections.abc import Iterable, Iterator
from decimal import Decimal
from itertools import accumulate
from types import MappingProxyType
from typing import Any
from unicodedata import east_asian_width

from scrub.model.cells.cell import Cell
from scrub.model.cells.cell_fields import CellFields, Place
from scrub.model.cells.grid import CellError, Grid, HoldsColumns
from scrub.model.cells.grid_rows import sheet_rows
from scrub.model.core.amounts import Length
from scrub.model.core.area import MOST_COLUMNS, MOST_ROWS, Area, area_of, column_of, letters_of, new_line
from scrub.model.core.declare import FileItem, Reach, action, field, finds, holds, needs
from scrub.model.core.problem import Failure, Missing
from scrub.model.core.required import required
from scrub.model.core.setting import measure_field
from scrub.model.core.values import is_empty, shown


class _Line(CellFields):
    """What a row and a column have in common."""

    _is_row: bool
    implied = MappingProxyType({"sheet": "sheet_item"})

    def __init__(self, sheet: Grid, number: int) -> None:
        self.sheet = sheet
        self._number = number

    def __eq__(self, other: object) -> bool:
        return type(other) is type(self) and (self.sheet, self._number) == (other.sheet, other._number)

    def __hash__(self) -> int:
        return hash(self._number)

    @property
    def file(self) -> FileItem:
        """The workbook."""
        return self.sheet.file

    def sheet_item(self) -> Grid:
        """Its sheet."""
        return self.sheet

    @property
    @required
    def _area(self) -> Area:
        raise NotImplementedError

    @property
    def label(self) -> str:
        """Its sheet and place."""
        return f"{self.sheet.name} {self.kind_word} {str(self._area).partition(':')[0]}"

    def areas(self) -> Iterable[tuple[Grid, Area]]:
        """The cells of it."""
        return ((self.sheet, self._area),)

    def places(self) -> Iterator[Place]:
        """Its cells in the used part of the sheet."""
        used = self.sheet.used() or Area(1, 1, 0, 0)
        if self.is_new:  # it has no place yet, and is beside what is used
            area = self._area.within(
                used._replace(bottom=self._number) if self._is_row else used._replace(right=self._number)
            )
        else:
            area = self._area.within(used)
        for row in range(area.top, area.bottom + 1):
            for column in range(area.left, area.right + 1):
                yield self.sheet, row, column

    @property
    def is_new(self) -> bool:
        """Whether it was made in this run, so that it has no number yet."""
        return self._number > (MOST_ROWS if self._is_row else MOST_COLUMNS)

    def _ensure_numbered(self) -> int:
        """Its number. Raises `Failure` for one that has none yet."""
        if self.is_new:
            raise Failure(f"{self.label} gets its number when the file is saved")
        return self._number

    def _measure(self, word: str) -> Any:
        return self.sheet.measure(self._number, self._is_row, word)

    def _set_measure(self, word: str, value: Any) -> None:
        self.sheet.put_measure(self._number, self._is_row, word, value)

    @property
    @field
    def number(self) -> int:
        """The row number, from 1.

        Example: if KIND.number > 3
        Also: position, index
        """
        return self._ensure_numbered()

    hidden = measure_field(
        bool,
        """Whether it is hidden.

        Example: KIND.hidden = yes
        Also: hide, show, unhide, visible
        """,
    )

    @property
    @field
    def level(self) -> int:
        """The outline level, from 1 to 7: levels can be collapsed and expanded; 0 for none.

        Example: KIND.level = 1
        Also: group, ungroup, outline, collapse, expand, subtotal
        """
        return int(self._measure("level") or 0)

    @level.setter
    @needs("put_measure")
    def level(self, value: int) -> None:
        self._set_measure("level", value)

    page_break = measure_field(
        bool,
        """Whether a manual page break follows.

        Example: KIND.page-break = yes
        Also: new page, insert page break, print
        """,
    )

    @holds
    def cells(self) -> Iterator[Cell]:
        """Its cells in the used part of the sheet."""
        return (Cell(sheet, row, column) for sheet, row, column in self.places())


class Row(_Line):
    """A line of cells."""

    kind_word = "row"
    _is_row = True

    @property
    def _area(self) -> Area:
        return Area(self._number, 1, self._number, MOST_COLUMNS)

    @property
    def label(self) -> str:
        """Its sheet and number."""
        return f"{self.sheet.name} {new_line(self._number, MOST_ROWS) or f'row {self._number}'}"

    height = measure_field(
        Length,
        """The row height, such as 15 pt; nothing if the program decides.

        Example: row.height = 30 pt
        Also: size, tall
        """,
        optional=True,
    )

    @property
    @field
    def values(self) -> list[object]:
        """The values from the left, within the used range; nothing for an empty cell.

        Example: log row.values.count
        Also: list, contents, whole row
        """
        return [self.sheet.value(row, column) for _, row, column in self.places()]

    @property
    def removed(self) -> bool:
        """Whether it was deleted in this run."""
        return self.sheet.is_gone(self._number)

    @property
    def is_blank(self) -> bool:
        """Whether nothing is in it."""
        return all(is_empty(self.sheet.raw_value(row, column)) for _, row, column in self.places())

    @action(Reach.CHANGE)
    @needs("delete_row")
    def delete(self) -> None:
        """Deletes the whole row; formulas, names, rules and charts are updated. Rows keep their numbers until the file
        is saved.

        Example: delete
        Also: remove row, delete empty rows, remove line
        """
        self.sheet.delete_row(self._number)

    @action(Reach.CHANGE)
    @needs("insert_line")
    def insert_above(self) -> Row:
        """Inserts an empty row above, with the same formatting, and returns it: fresh = insert-above(). References are
        updated; the new row gets its number when the file is saved.

        Example: insert-above
        Also: insert row, add row, new row, blank row, shift down
        """
        return Row(self.sheet, self.sheet.insert_line(self._number, True, behind=False))

    @action(Reach.CHANGE)
    @needs("insert_line")
    def insert_below(self) -> Row:
        """Inserts an empty row below, with the same formatting, and returns it: fresh = insert-below(). References are
        updated; the new row gets its number when the file is saved.

        Example: insert-below
        Also: insert row, add row, new row, blank row, gap
        """
        return Row(self.sheet, self.sheet.insert_line(self._number, True, behind=True))

    @action(Reach.CHANGE)
    @needs("move_line")
    def move_above(self, row: int) -> None:
        """Moves the whole row; references to its cells are updated. Rows keep their numbers until the file is saved.

        row: the number of the row to move it above.
        Example: move-above 3
        Also: move row, reorder, cut and paste row, up, down
        """
        self.sheet.move_line(self._number, area_of(f"{row}:{row}").top, True, behind=False)

    @action(Reach.CHANGE)
    @needs("move_line")
    def move_below(self, row: int) -> None:
        """Moves the whole row; references to its cells are updated. Rows keep their numbers until the file is saved.

        row: the number of the row to move it below.
        Example: move-below 3
        Also: move row, reorder, cut and paste row, up, down, to the end
        """
        self.sheet.move_line(self._number, area_of(f"{row}:{row}").top, True, behind=True)

    @finds
    def find_cell(self, column: str) -> Cell:
        """Its cell in a column: `row.cell("C")`."""
        return Cell(self.sheet, self._number, column_in(self.sheet, column))


class Column(_Line, HoldsColumns):
    """A column of cells, from the first row to the last used one; of a table, from below its heading."""

    kind_word = "column"
    _is_row = False

    def __init__(self, sheet: Grid, number: int, body: tuple[int, int] | None = None) -> None:
        """`body` are the first and the last row of a table's column, which has no part in its headings."""
        super().__init__(sheet, number)
        self._body = body

    @property
    def _area(self) -> Area:
        area = Area(1, self._number, MOST_ROWS, self._number)
        return area._replace(top=self._body[0], bottom=self._body[1]) if self._body else area

    @property
    def label(self) -> str:
        """Its sheet and characters."""
        return f"{self.sheet.name} {new_line(self._number, MOST_COLUMNS) or f'column {letters_of(self._number)}'}"

    @property
    def removed(self) -> bool:
        """Whether it was deleted in this run."""
        return self.sheet.is_column_gone(self._number)

    @action(Reach.CHANGE)
    @needs("delete_column")
    def delete(self) -> None:
        """Deletes the whole column; formulas, names, rules and charts are updated. Columns keep their letters until
        the file is saved.

        Example: delete
        Also: remove column, drop column
        """
        self.sheet.delete_column(self._number)

    @action(Reach.CHANGE)
    @needs("insert_line")
    def insert_left(self) -> Column:
        """Inserts an empty column to the left, with the same formatting, and returns it: fresh = insert-left().
        References are updated; the new column gets its letters when the file is saved.

        Example: insert-left
        Also: insert column, add column, new column, blank column, before
        """
        return Column(self.sheet, self.sheet.insert_line(self._number, False, behind=False))

    @action(Reach.CHANGE)
    @needs("insert_line")
    def insert_right(self) -> Column:
        """Inserts an empty column to the right, with the same formatting, and returns it: fresh = insert-right().
        References are updated; the new column gets its letters when the file is saved.

        Example: insert-right
        Also: insert column, add column, new column, blank column, after
        """
        return Column(self.sheet, self.sheet.insert_line(self._number, False, behind=True))

    @action(Reach.CHANGE)
    @needs("move_line")
    def move_left_of(self, column: str) -> None:
        """Moves the whole column; references to its cells are updated. Columns keep their letters until the file is
        saved.

        column: the letters or heading of the column to move it left of.
        Example: move-left-of "B"
        Also: move column, reorder columns, cut and paste column, before
        """
        self.sheet.move_line(self._number, column_in(self.sheet, column), False, behind=False)

    @action(Reach.CHANGE)
    @needs("move_line")
    def move_right_of(self, column: str) -> None:
        """Moves the whole column; references to its cells are updated. Columns keep their letters until the file is
        saved.

        column: the letters or heading of the column to move it right of.
        Example: move-right-of "H"
        Also: move column, reorder columns, cut and paste column, after, to the end
        """
        self.sheet.move_line(self._number, column_in(self.sheet, column), False, behind=True)

    @property
    @field
    def letter(self) -> str:
        """The column's letters.

        Example: if column.letter is "C"
        Also: name
        """
        return letters_of(self._ensure_numbered())

    width = measure_field(
        Decimal,
        """The column width in characters of the default font; nothing for the sheet's default width.

        Example: column.width = 18
        Also: size, wide
        """,
        optional=True,
    )

    @action(Reach.CHANGE)
    @needs("put_measure")
    def fit_width(self) -> None:
        """Fits the width to the longest text, estimated without drawing; merged cells and wrapped text do not count.

        Example: fit-width
        Also: autofit, auto width, column width, best fit
        """
        sheet, column = self.sheet, self._number
        merged = sorted((area.top, area.bottom) for area in sheet.merged() if area.left <= column <= area.right)
        tops, reach = [top for top, _ in merged], [0, *accumulate((bottom for _, bottom in merged), max)]
        longest = Decimal(0)
        for row in list(sheet.column_values(column)):
            if row <= reach[bisect_right(tops, row)] or sheet.look(row, column, "wrapped"):
                continue
            longest = max(longest, text_width(sheet, row, column))
        if longest:
            self._set_measure("width", min(Decimal(255), (longest + 2).normalize() + 0))

    @property
    @field
    def values(self) -> list[object]:
        """The values from the top, without empty cells.

        Example: log column.values.count
        Also: list, contents, sum
        """
        found = self.sheet.column_values(self._number)
        rows = [row for row in sorted(found) if self._area.top <= row <= self._area.bottom]
        return [found[row].resolved() if isinstance(found[row], CellError) else found[row] for row in rows]

    @finds
    def find_cell(self, row: int) -> Cell:
        """Its cell in a row: `column("C").cell(4)`."""
        return Cell(self.sheet, row, self._number)


def text_width(sheet: Grid, row: int, column: int) -> Decimal:
    """About how wide what is seen in a cell is, in digits of the usual font."""
    try:
        text = sheet.text(row, column)
    except Failure:  # a number format that is not known, or an error
        found = sheet.raw_value(row, column)
        text = found.error if isinstance(found, CellError) else shown(found)
    wide = sum(2 if east_asian_width(each) in "WF" else 1 for each in text)
    size, bold = sheet.look(row, column, "size"), sheet.look(row, column, "bold")
    share = Decimal(size or 11) / 11
    return (Decimal(wide) * share * (Decimal("1.1") if bold else 1)).quantize(Decimal("0.01"))


def rows_of(sheet: Grid, area: Area | None = None) -> Iterator[Row]:
    """The rows of a sheet (in a range), from the first to the last used one."""
    used = sheet.used()
    if used is not None:
        first, last = (area.top, min(area.bottom, used.bottom)) if area else (1, used.bottom)
        for number in range(first, last + 1):
            if not sheet.is_gone(number):
                yield Row(sheet, number)


def columns_of(sheet: Grid, area: Area | None = None) -> Iterator[Column]:
    """The columns of a sheet (in a range), from the first to the last used one."""
    used = sheet.used()
    if used is not None:
        first, last = (area.left, min(area.right, used.right)) if area else (1, used.right)
        for number in range(first, last + 1):
            if not sheet.is_column_gone(number):
                yield Column(sheet, number)


def column_in(sheet: Grid, word: str) -> int:
    """A column by its letters, or by the heading over it. Raises `Failure` for one that is neither."""
    rows = sheet_rows(sheet)
    if rows is not None and rows.has(word):
        return rows.column(word)
    if word.isalpha() and word.isascii() and len(word) <= 3 and column_of(word) <= MOST_COLUMNS:
        return column_of(word)
    raise Missing(
        f'"{word}" is neither a column of {sheet.name} nor a heading in its first filled row. If the headings '
        "are in another row: sheet.records(headings: 3)"
    )
