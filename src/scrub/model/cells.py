"""Cells, and what is made of them: ranges, rows, columns, merged ranges, comments. Written once, for every format.

In an example, KIND stands for the word of the kind that shows it.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from typing import TYPE_CHECKING, Any

from scrub.model.area import MOST_COLUMNS, Area, address_of, area_of, column_of, letters_of
from scrub.model.declare import Item, Reach, action, field, finds, holds
from scrub.model.grid import Alignment, Editing, Holds, Trouble
from scrub.model.problem import Failure
from scrub.model.values import Value, same, type_name

if TYPE_CHECKING:
    from scrub.model.declare import FileItem
    from scrub.model.workbook import Sheet

_Place = tuple["Sheet", int, int]


class CellFields(Item):
    """What one cell and a range of cells have in common. Set on a range, a field is set on each of its cells."""

    __slots__ = ()

    def places(self) -> Iterable[_Place]:
        """Its cells: sheet, row and column."""
        raise NotImplementedError

    def areas(self) -> Iterable[tuple[Sheet, Area]]:
        """The ranges it is made of."""
        raise NotImplementedError

    def edit_texts(self, editing: Editing) -> None:
        """Edits every text in it; formulas are passed by."""
        for sheet, area in self.areas():
            sheet.edit_area(area, editing)

    def _one(self, word: str, values: Iterator[Any]) -> Any:
        """What all cells have in common. Raises `Failure` where they differ."""
        first = next(values, None)
        if any(not same(first, other, True) for other in values):
            raise Failure(f'"{word}" is not the same in all cells of {self.label}. Ask each cell: each cell')
        return first

    def _look(self, word: str) -> Any:
        return self._one(word, (sheet.look(row, column, word) for sheet, row, column in self.places()))

    def _set_look(self, word: str, value: Any) -> None:
        for sheet, row, column in self.places():
            sheet.put_look(row, column, word, value)

    @property
    @field
    def value(self) -> object | None:
        """What stands in it: a number, a text, a date, yes or no, or nothing; of a formula its last result.

        Example: KIND.value = 12
        Also: content, contents, fill in, enter, write
        """
        found: object | None = self._one("value", (sheet.value(row, column) for sheet, row, column in self.places()))
        return found

    @value.setter
    def value(self, value: object | None) -> None:
        for sheet, row, column in self.places():
            sheet.put(row, column, value)

    @property
    @field
    def formula(self) -> str | None:
        """Its formula with the equals sign, as the file has it; nothing for a plain value. Set to nothing, the last
        result stays as a plain value.

        Example: KIND.formula = nothing
        Also: calculation, freeze values, paste values
        """
        found = self._one("formula", (sheet.formula(row, column) for sheet, row, column in self.places()))
        return None if found is None else str(found)

    @formula.setter
    def formula(self, formula: str | None) -> None:
        for sheet, row, column in self.places():
            sheet.put_formula(row, column, formula)

    @property
    @field
    def locked(self) -> bool:
        """yes when it cannot be changed while its sheet is protected. Input cells are set to no.

        Example: KIND.locked = no
        Also: open, input cell, editable, unlock, protect
        """
        return bool(self._look("locked"))

    @locked.setter
    def locked(self, value: bool) -> None:
        self._set_look("locked", value)

    @property
    @field
    def fill(self) -> str | None:
        """The colour behind it, as "#fff8e1" or a plain word such as "yellow"; nothing without one.

        Example: KIND.fill = "#fff8e1"
        Also: background, highlight, shade, color
        """
        found = self._look("fill")
        return None if found is None else str(found)

    @fill.setter
    def fill(self, value: str | None) -> None:
        self._set_look("fill", value)

    @property
    @field
    def colour(self) -> str | None:
        """The colour of its text, as "#b03a2e" or a plain word such as "red"; nothing for the usual one.

        Example: KIND.colour = "red"
        Also: font color, text color
        """
        found = self._look("colour")
        return None if found is None else str(found)

    @colour.setter
    def colour(self, value: str | None) -> None:
        self._set_look("colour", value)

    @property
    @field
    def bold(self) -> bool:
        """yes when its text is bold.

        Example: KIND.bold = yes
        Also: strong, font weight
        """
        return bool(self._look("bold"))

    @bold.setter
    def bold(self, value: bool) -> None:
        self._set_look("bold", value)

    @property
    @field
    def italic(self) -> bool:
        """yes when its text is italic.

        Example: KIND.italic = yes
        Also: slanted, font style
        """
        return bool(self._look("italic"))

    @italic.setter
    def italic(self, value: bool) -> None:
        self._set_look("italic", value)

    @property
    @field
    def number_form(self) -> str:
        """How its number or date is shown, in the codes of the file: "0.00", "d mmm yyyy", "General".

        Example: KIND.number-form = "0.00"
        Also: number format, decimals, currency, date format, percent
        """
        return str(self._look("number-form"))

    @number_form.setter
    def number_form(self, value: str) -> None:
        self._set_look("number-form", value)

    @property
    @field
    def alignment(self) -> Alignment:
        """Where its text stands from left to right; centre-across centres it over the empty cells beside it.

        Example: KIND.alignment = right
        Also: align, center, centre, left, right, justify
        """
        return Alignment(self._look("alignment"))

    @alignment.setter
    def alignment(self, value: Alignment) -> None:
        self._set_look("alignment", value)

    @property
    @field
    def wrapped(self) -> bool:
        """yes when a long text goes on in further lines of the cell.

        Example: KIND.wrapped = yes
        Also: wrap text, line break
        """
        return bool(self._look("wrapped"))

    @wrapped.setter
    def wrapped(self, value: bool) -> None:
        self._set_look("wrapped", value)

    @property
    @field
    def link(self) -> str | None:
        """Where a click on it leads: an address, or a place in the workbook such as "#Totals!A1"; nothing for none.

        Example: KIND.link = "https://huts.example/larch"
        Also: hyperlink, url, web address
        """
        found = self._one("link", (sheet.link(row, column) for sheet, row, column in self.places()))
        return None if found is None else str(found)

    @link.setter
    def link(self, value: str | None) -> None:
        for sheet, row, column in self.places():
            sheet.put_link(row, column, value)

    @property
    @field
    def address(self) -> str:
        """Where it is on its sheet.

        Example: log KIND.address
        Also: position, place, reference
        """
        return ", ".join(str(area) for _, area in self.areas())

    @action(Reach.CHANGE)
    def clear(self) -> None:
        """Empties it; how it looks stays. A formula goes too.

        Example: clear
        Also: delete contents, empty, remove values
        """
        for sheet, row, column in self.places():
            if sheet.formula(row, column) is not None:
                sheet.put_formula(row, column, None)
            sheet.put(row, column, None)


class Cell(CellFields):
    """One cell."""

    kind_word = "cell"

    __slots__ = ("number", "row_number", "sheet")

    def __init__(self, sheet: Sheet, row: int, column: int) -> None:
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
    def label(self) -> str:
        """Its sheet and address."""
        return self.sheet.where(self.row_number, self.number)

    def places(self) -> Iterable[_Place]:
        """Itself."""
        return ((self.sheet, self.row_number, self.number),)

    def areas(self) -> Iterable[tuple[Sheet, Area]]:
        """Itself."""
        return ((self.sheet, Area(self.row_number, self.number, self.row_number, self.number)),)

    @property
    @field
    def text(self) -> str:
        """What is seen in the cell, number form and all; a failure for number forms that Scrub does not know.

        Example: if cell.text ends with "%"
        Also: displayed, formatted, shown
        """
        return self.sheet.text(self.row_number, self.number)

    @property
    @field
    def error(self) -> str | None:
        """The error that stands in it, such as "#DIV/0!"; nothing when there is none.

        Example: if cell.error is not empty
        Also: n/a, div/0, ref
        """
        found = self.sheet.raw_value(self.row_number, self.number)
        return (found.error or None) if isinstance(found, Trouble) else None

    @property
    @field
    def holds(self) -> Holds:
        """What sort of value stands in it.

        Example: if cell.holds is number
        Also: type, kind of value
        """
        return holds_of(self.sheet.raw_value(self.row_number, self.number))

    @property
    @field
    def row(self) -> int:
        """The number of its row.

        Example: if cell.row > 3
        Also: line
        """
        return self.row_number

    @property
    @field
    def column(self) -> str:
        """The letters of its column.

        Example: if cell.column is "C"
        Also: letter
        """
        return letters_of(self.number)

    @property
    @field
    def comment(self) -> str | None:
        """The text of its comment; nothing for none. Set to nothing, the comment goes.

        Example: cell.comment = "Counted on site."
        Also: note, annotation, remark
        """
        place = self.row_number, self.number
        return next((each.text for each in self.sheet.comments() if each.place == place), None)

    @comment.setter
    def comment(self, value: str | None) -> None:
        self.sheet.put_comment(self.row_number, self.number, value or None)


def holds_of(value: Value) -> Holds:
    """What sort of value it is."""
    if value is None or isinstance(value, Trouble):
        return Holds.NOTHING if value is None or not value.error else Holds.ERROR
    word = type_name(value).removeprefix("a ")
    return Holds("yes-no" if word == "yes or no" else word)


class Cells(CellFields):
    """A range of cells."""

    kind_word = "cells"

    def __init__(self, areas: Iterable[tuple[Sheet, Area]]) -> None:
        self._areas = list(areas)

    def __eq__(self, other: object) -> bool:
        return isinstance(other, Cells) and self._areas == other._areas

    def __hash__(self) -> int:
        return hash(tuple(area for _, area in self._areas))

    @property
    def file(self) -> FileItem:
        """The workbook."""
        return self._areas[0][0].file

    @property
    def label(self) -> str:
        """Its sheet and address."""
        return ", ".join(f"{sheet.name} {area}" for sheet, area in self._areas)

    def areas(self) -> Iterable[tuple[Sheet, Area]]:
        """The ranges it is made of."""
        return self._areas

    def places(self) -> Iterator[_Place]:
        """Its cells, row by row; of whole rows and columns those in the used part of the sheet."""
        for sheet, area in self._areas:
            if area.bottom - area.top > 100_000 or area.right - area.left > 1_000:
                used = sheet.used()
                if used is None:
                    continue
                area = area.within(used)
            for row in range(area.top, area.bottom + 1):
                for column in range(area.left, area.right + 1):
                    yield sheet, row, column

    @property
    @field
    def name(self) -> str | None:
        """The name by which formulas know just this range; nothing for none. Set to nothing, the name goes.

        Example: KIND.name = "Night_price"
        Also: defined name, named range
        """
        sheet, area = self._single()
        return sheet.range_name(area)

    @name.setter
    def name(self, value: str | None) -> None:
        sheet, area = self._single()
        sheet.put_range_name(area, value or None)

    @action(Reach.CHANGE)
    def centre_across(self) -> None:
        """Centres the text of the first cell over all of them, without merging; a merge over just them is taken apart.

        Example: centre-across
        Also: merge and center, centred title, heading, unmerge
        """
        sheet, area = self._single()
        centre_across(sheet, area)

    @action(Reach.CHANGE)
    def merge(self) -> None:
        """Makes one cell of them. All but the first must be empty.

        Example: merge
        Also: join cells, combine
        """
        sheet, area = self._single()
        if area.single:
            raise Failure(f"{self.label} is one cell; merging takes a range such as B1:F1")
        for row, column in ((row, column) for _, row, column in self.places()):
            if (row, column) != (area.top, area.left) and sheet.raw_value(row, column) is not None:
                raise Failure(f"{sheet.where(row, column)} holds a value, which merging would lose")
        sheet.merge(area)

    def _single(self) -> tuple[Sheet, Area]:
        if len(self._areas) != 1:
            raise Failure("this goes with one range; several are picked")
        return self._areas[0]

    @holds
    def cells(self) -> Iterator[Cell]:
        """Its cells, the empty ones too."""
        return (Cell(sheet, row, column) for sheet, row, column in self.places())

    @holds
    def merged_ranges(self) -> Iterator[MergedRange]:
        """The merged ranges that begin in it."""
        for sheet, area in self._areas:
            yield from (each for each in merged_in(sheet) if area.holds(each.area.top, each.area.left))

    @holds
    def rows(self) -> Iterator[Row]:
        """The rows it lies in, down to the last used one."""
        for sheet, area in self._areas:
            yield from rows_of(sheet, area)

    @holds
    def columns(self) -> Iterator[Column]:
        """The columns it lies in, as far as they are used."""
        for sheet, area in self._areas:
            yield from columns_of(sheet, area)


class Selection(Cells):
    """What the person picked with `--at`, or the whole when they picked nothing."""

    kind_word = "selection"

    def __init__(self, areas: Iterable[tuple[Sheet, Area]], picked: bool, file: FileItem) -> None:
        super().__init__(areas)
        self._picked = picked
        self._file = file

    @property
    def file(self) -> FileItem:
        """The workbook."""
        return self._file

    @property
    @field
    def picked(self) -> bool:
        """yes when a place was picked with `--at`.

        Example: if not selection.picked
        Also: selected, chosen
        """
        return self._picked


def centre_across(sheet: Sheet, area: Area) -> None:
    """Centres the first cell's text over a range, without a merge."""
    if area.left == area.right:
        raise Failure(
            f"{sheet.name} {area} is one {'cell' if area.single else 'column'}; there is nothing to centre across. "
            "Pick the cells beside it too, such as B1:F1"
        )
    for column in range(area.left + 1, area.right + 1):
        for row in range(area.top, area.bottom + 1):
            if sheet.raw_value(row, column) is not None:
                raise Failure(f"{sheet.where(row, column)} holds a value, so nothing can be centred across it")
    if area in sheet.merged():
        sheet.unmerge(area)
    for row in range(area.top, area.bottom + 1):
        for column in range(area.left, area.right + 1):
            sheet.put_look(row, column, "alignment", Alignment.CENTRE_ACROSS)


class MergedRange(CellFields):
    """Cells that are merged into one."""

    kind_word = "merged-range"

    def __init__(self, sheet: Sheet, area: Area) -> None:
        self.sheet = sheet
        self.area = area

    def __eq__(self, other: object) -> bool:
        return isinstance(other, MergedRange) and (self.sheet, self.area) == (other.sheet, other.area)

    def __hash__(self) -> int:
        return hash(self.area)

    @property
    def file(self) -> FileItem:
        """The workbook."""
        return self.sheet.file

    @property
    def label(self) -> str:
        """Its sheet and address."""
        return f"{self.sheet.name} {self.area}"

    @property
    def removed(self) -> bool:
        """Whether it was taken apart."""
        return self.area not in self.sheet.merged()

    def places(self) -> Iterable[_Place]:
        """Its first cell, which stands for all."""
        return ((self.sheet, self.area.top, self.area.left),)

    def areas(self) -> Iterable[tuple[Sheet, Area]]:
        """The cells it covers."""
        return ((self.sheet, self.area),)

    @property
    @field
    def wide(self) -> int:
        """How many columns it covers.

        Example: if merged-range.wide > 1
        Also: columns, width
        """
        return self.area.right - self.area.left + 1

    @property
    @field
    def tall(self) -> int:
        """How many rows it covers.

        Example: if merged-range.tall is 1
        Also: rows, height
        """
        return self.area.bottom - self.area.top + 1

    @action(Reach.CHANGE)
    def unmerge(self) -> None:
        """Takes it apart; its value stays in the first cell.

        Example: unmerge
        Also: split cells
        """
        self.sheet.unmerge(self.area)

    @action(Reach.CHANGE)
    def centre_across(self) -> None:
        """Takes it apart and centres its text over the same cells, which looks the same and can be sorted and filtered.

        Example: centre-across
        Also: center across selection, title, unmerge
        """
        centre_across(self.sheet, self.area)


class _Line(CellFields):
    """What a row and a column have in common."""

    _is_row: bool

    def __init__(self, sheet: Sheet, number: int) -> None:
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

    @property
    def _area(self) -> Area:
        raise NotImplementedError

    @property
    def label(self) -> str:
        """Its sheet and place."""
        return f"{self.sheet.name} {self.kind_word} {str(self._area).partition(':')[0]}"

    def areas(self) -> Iterable[tuple[Sheet, Area]]:
        """The cells of it."""
        return ((self.sheet, self._area),)

    def places(self) -> Iterator[_Place]:
        """Its cells in the used part of the sheet."""
        used = self.sheet.used()
        area = self._area.within(used) if used else Area(1, 1, 0, 0)
        for row in range(area.top, area.bottom + 1):
            for column in range(area.left, area.right + 1):
                yield self.sheet, row, column

    def _measure(self, word: str) -> Any:
        return self.sheet.measure(self._number, self._is_row, word)

    def _set_measure(self, word: str, value: Any) -> None:
        self.sheet.put_measure(self._number, self._is_row, word, value)

    @property
    @field
    def number(self) -> int:
        """Its number, from 1.

        Example: if KIND.number > 3
        Also: position, index
        """
        return self._number

    @property
    @field
    def hidden(self) -> bool:
        """yes when it is not shown.

        Example: KIND.hidden = yes
        Also: hide, show, unhide, visible
        """
        return bool(self._measure("hidden"))

    @hidden.setter
    def hidden(self, value: bool) -> None:
        self._set_measure("hidden", value)

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
        return area_of(f"{self._number}:{self._number}")

    @property
    @field
    def height(self) -> object | None:
        """Its height in points; nothing when the program decides. 15 is a line of usual text.

        Example: row.height = 30
        Also: size, tall
        """
        found: object | None = self._measure("height")
        return found

    @height.setter
    def height(self, value: object | None) -> None:
        self._set_measure("height", value)

    @finds
    def find_cell(self, column: str) -> Cell:
        """Its cell in a column: `row.cell("C")`."""
        return Cell(self.sheet, self._number, column_in(self.sheet, column))


class Column(_Line):
    """A column of cells, from the first row to the last used one."""

    kind_word = "column"
    _is_row = False

    @property
    def _area(self) -> Area:
        letters = letters_of(self._number)
        return area_of(f"{letters}:{letters}")

    @property
    @field
    def letter(self) -> str:
        """Its letters.

        Example: if column.letter is "C"
        Also: name
        """
        return letters_of(self._number)

    @property
    @field
    def width(self) -> object | None:
        """Its width in characters of the usual font; nothing for the sheet's usual width.

        Example: column.width = 18
        Also: size, wide
        """
        found: object | None = self._measure("width")
        return found

    @width.setter
    def width(self, value: object | None) -> None:
        self._set_measure("width", value)

    @property
    @field
    def values(self) -> list[Any]:
        """The values in it from above, empty cells left out.

        Example: log column.values.count
        Also: list, contents, sum
        """
        found = self.sheet.column_values(self._number)
        rows = [row for row in sorted(found) if found[row] is not None]
        for row in rows:
            if isinstance(found[row], Trouble):
                raise found[row].failure()
        return [found[row] for row in rows]

    @finds
    def find_cell(self, row: int) -> Cell:
        """Its cell in a row: `column("C").cell(4)`."""
        return Cell(self.sheet, row, self._number)


class Comment(Item):
    """A comment that hangs on a cell."""

    kind_word = "comment"

    def __init__(self, sheet: Sheet, row: int, column: int, text: str, author: str) -> None:
        self.sheet = sheet
        self.place = (row, column)
        self._text = text
        self._author = author

    def __eq__(self, other: object) -> bool:
        return isinstance(other, Comment) and (self.sheet, self.place) == (other.sheet, other.place)

    def __hash__(self) -> int:
        return hash(self.place)

    @property
    def file(self) -> FileItem:
        """The workbook."""
        return self.sheet.file

    @property
    def label(self) -> str:
        """The address of its cell."""
        return address_of(*self.place)

    @property
    def removed(self) -> bool:
        """Whether it was deleted."""
        return all(each.place != self.place for each in self.sheet.comments())

    @property
    @field
    def text(self) -> str:
        """What it says.

        Example: if comment.text contains "booked"
        Also: note, content
        """
        return next((each._text for each in self.sheet.comments() if each.place == self.place), self._text)

    @text.setter
    def text(self, value: str) -> None:
        self.sheet.put_comment(*self.place, value)

    @property
    @field
    def author(self) -> str:
        """Who wrote it.

        Example: if comment.author is "Office"
        Also: name, writer
        """
        return self._author

    @property
    @field
    def address(self) -> str:
        """The address of its cell.

        Example: log comment.address
        Also: position, cell
        """
        return address_of(*self.place)

    @action(Reach.CHANGE)
    def delete(self) -> None:
        """Removes the comment.

        Example: delete
        Also: remove, clear
        """
        self.sheet.put_comment(*self.place, None)


def merged_in(sheet: Sheet) -> Iterator[MergedRange]:
    """The merged ranges of a sheet, in reading order."""
    return (MergedRange(sheet, area) for area in sorted(sheet.merged()))


def rows_of(sheet: Sheet, area: Area | None = None) -> Iterator[Row]:
    """The rows of a sheet (in a range), from the first to the last used one."""
    used = sheet.used()
    if used is not None:
        first, last = (area.top, min(area.bottom, used.bottom)) if area else (1, used.bottom)
        for number in range(first, last + 1):
            yield Row(sheet, number)


def columns_of(sheet: Sheet, area: Area | None = None) -> Iterator[Column]:
    """The columns of a sheet (in a range), from the first to the last used one."""
    used = sheet.used()
    if used is not None:
        first, last = (area.left, min(area.right, used.right)) if area else (1, used.right)
        for number in range(first, last + 1):
            yield Column(sheet, number)


def column_in(sheet: Sheet, word: str) -> int:
    """A column by its letters, or by the heading over it. Raises `Failure` for one that is neither."""
    from scrub.model.records import sheet_table

    table = sheet_table(sheet)
    if table is not None and table.has(word):
        return table.column(word)
    if word.isalpha() and word.isascii() and len(word) <= 3 and column_of(word) <= MOST_COLUMNS:
        return column_of(word)
    raise Failure(
        f'"{word}" is neither a column of {sheet.name} by its letters nor a heading in its first filled row. '
        "Where the headings stand in another row, write: sheet.records(headings: 3)"
    )
