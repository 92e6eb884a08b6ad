"""What cells and everything made of cells have in common. In an example, KIND means the word of the kind."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from decimal import Decimal
from typing import Any

from scrub.model.cells.cell_rules import CellRules
from scrub.model.cells.grid import SEVERAL, Alignment, Grid, HoldsCells, Line, UpDown
from scrub.model.core.area import MOST_ROWS
from scrub.model.core.colours import Colour
from scrub.model.core.declare import Reach, action, field, needs
from scrub.model.core.looks import LetterLooks
from scrub.model.core.problem import Failure
from scrub.model.core.required import required
from scrub.model.core.setting import look_field
from scrub.model.core.values import same

Place = tuple[Grid, int, int]

#: So many whole columns get looks of their own; of more, their cells do.
_MOST_COLUMNS_WHOLE = 100


class CellFields(CellRules, LetterLooks, HoldsCells):
    """What one cell and a range of cells have in common. Set on a range, a field is set on each of its cells."""

    __slots__ = ()

    @required
    def places(self) -> Iterable[Place]:
        """Its cells: sheet, row and column."""
        raise NotImplementedError

    def _one(self, word: str, values: Iterator[object]) -> object:
        """What all cells have in common. Raises `Failure` where they differ."""
        first = next(values, None)
        if any(not same(first, other, True) for other in values):
            raise Failure(f'"{word}" differs between the cells of {self.label}. Read it cell by cell: each cell')
        return first

    def _look(self, word: str) -> Any:
        return self._one(word, (sheet.look(row, column, word) for sheet, row, column in self.places()))

    def _set_look(self, word: str, value: object) -> None:
        for sheet, area in self.areas():
            if area.top == 1 and area.bottom == MOST_ROWS and area.right - area.left < _MOST_COLUMNS_WHOLE:
                for column in range(area.left, area.right + 1):
                    sheet.put_column_look(column, word, value)
        for sheet, row, column in self.places():
            sheet.put_look(row, column, word, value)

    @property
    @field
    def value(self) -> object | None:
        """The value: a number, text, a date, yes or no, or nothing; for a formula, its last result.

        Example: KIND.value = 12
        Also: content, contents, fill in, enter, write
        """
        result: object | None = self._one("value", (sheet.value(row, column) for sheet, row, column in self.places()))
        return result

    @value.setter
    def value(self, value: object | None) -> None:
        for sheet, row, column in self.places():
            sheet.put(row, column, value)

    @property
    @field
    def formula(self) -> str | None:
        """The formula with its equals sign; nothing for a plain value. Set to nothing, the last result remains. Set on
        a range, references move along from the first cell.

        Example: KIND.formula = nothing
        Also: calculation, freeze values, paste values
        """
        found = self._one("formula", (sheet.formula(row, column) for sheet, row, column in self.places()))
        return None if found is None else str(found)

    @formula.setter
    @needs("put_formula")
    def formula(self, formula: str | None) -> None:
        first: tuple[int, int] | None = None
        for sheet, row, column in self.places():
            first = first or (row, column)
            sheet.put_formula(row, column, formula, row - first[0], column - first[1])

    locked = look_field(
        bool,
        """Whether the cell is locked while its sheet is protected. Input cells are set to no.

        Example: KIND.locked = no
        Also: open, input cell, editable, unlock, protect
        """,
        otherwise=True,
    )

    fill = look_field(
        Colour,
        """The fill colour, as "#fff8e1" or a word such as "yellow"; nothing for none.

        Example: KIND.fill = "#fff8e1"
        Also: background, highlight, shade, color
        """,
        optional=True,
    )

    number_format = look_field(
        str,
        """The number format, in the codes of the file: "0.00", "d mmm yyyy", "General".

        Example: KIND.number-format = "0.00"
        Also: number form, decimals, currency, date format, percent
        """,
        otherwise="General",
    )

    alignment = look_field(
        Alignment,
        """The horizontal alignment; centre-over centres the text across the empty cells beside it.

        Example: KIND.alignment = right
        Also: align, center, centre, left, right, justify
        """,
        otherwise=Alignment.GENERAL,
    )

    wrapped = look_field(
        bool,
        """Whether long text wraps to further lines in the cell.

        Example: KIND.wrapped = yes
        Also: wrap text, line break
        """,
        otherwise=False,
    )

    underlined = look_field(
        bool,
        """Whether the text is underlined.

        Example: KIND.underlined = yes
        Also: underline
        """,
        otherwise=False,
    )

    strikethrough = look_field(
        bool,
        """Whether the text is struck through.

        Example: KIND.strikethrough = yes
        Also: struck, strike, crossed out, cancelled
        """,
        otherwise=False,
    )

    font = look_field(
        str,
        """The font name.

        Example: KIND.font = "Lora"
        Also: typeface, font name
        """,
        otherwise="",
    )

    size = look_field(
        Decimal,
        """The font size in points.

        Example: KIND.size = 12
        Also: font size, points, bigger, smaller
        """,
        otherwise=0,
    )

    vertical_alignment = look_field(
        UpDown,
        """The vertical alignment.

        Example: KIND.vertical-alignment = middle
        Also: align top, align middle, vertical centre
        """,
        otherwise=UpDown.BOTTOM,
    )

    indent = look_field(
        int,
        """The indent, in steps of about three spaces.

        Example: KIND.indent = 1
        Also: increase indent, decrease indent, hanging
        """,
        otherwise=0,
    )

    rotation = look_field(
        int,
        """The text rotation in degrees, from -90 to 90, upwards if positive; nothing for letters below each other.

        Example: KIND.rotation = 90
        Also: rotate, angle, vertical text, orientation
        """,
        otherwise=0,
        optional=True,
    )

    border_left = look_field(
        Line,
        """The left border; nothing for none.

        Example: KIND.border-left = thin
        Also: left border, edge, line
        """,
        optional=True,
    )

    border_right = look_field(
        Line,
        """The right border; nothing for none.

        Example: KIND.border-right = thin
        Also: right border, edge, line
        """,
        optional=True,
    )

    border_top = look_field(
        Line,
        """The top border; nothing for none.

        Example: KIND.border-top = thin
        Also: top border, edge, line
        """,
        optional=True,
    )

    border_bottom = look_field(
        Line,
        """The bottom border; nothing for none.

        Example: KIND.border-bottom = thin
        Also: bottom border, edge, line
        """,
        optional=True,
    )

    @property
    @field
    def borders(self) -> Line | None:
        """The borders on all four sides; nothing for none.

        Example: KIND.borders = thin
        Also: border, box, frame, grid, outline, all borders
        """
        line: Line | None = self._look("borders")
        if line == SEVERAL:
            raise Failure(f"the edges of {self.label} differ. Read one side: border-top")
        return line

    @borders.setter
    @needs("put_look")
    def borders(self, value: Line | None) -> None:
        self._set_look("borders", value)

    @property
    @field
    def link(self) -> str | None:
        """The link: an address, or a place in the workbook such as "#Totals!A1"; nothing for none.

        Example: KIND.link = "https://huts.example/larch"
        Also: hyperlink, url, web address
        """
        found = self._one("link", (sheet.link(row, column) for sheet, row, column in self.places()))
        return None if found is None else str(found)

    @link.setter
    @needs("put_link")
    def link(self, value: str | None) -> None:
        for sheet, area in self.areas():
            used = sheet.used()
            many = area.bottom - area.top > 100_000 or area.right - area.left > 1_000
            sheet.put_link(area.within(used) if many and used is not None else area, value)

    @property
    @field
    def address(self) -> str:
        """The address on the sheet.

        Example: log KIND.address
        Also: position, place, reference
        """
        return ", ".join(str(area) for _, area in self.areas())

    @action(Reach.CHANGE)
    def clear(self) -> None:
        """Deletes the value or formula; the formatting remains.

        Example: clear
        Also: delete contents, empty, remove values, empty a row
        """
        for sheet, row, column in self.places():
            sheet.empty(row, column)
