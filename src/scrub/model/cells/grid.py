"""What a format offers for the cells of one sheet; the kinds of cells are written once, over this."""

from __future__ import annotations

from collections.abc import Callable, Collection, Iterable, Iterator, Mapping, Sequence
from types import MappingProxyType
from typing import Any

from scrub.model.cells.validation import Emphasis, Restriction, When
from scrub.model.core.area import Area, address_of, area_of
from scrub.model.core.change import Undo
from scrub.model.core.choice import Choice
from scrub.model.core.declare import FileItem, Item, may_lack
from scrub.model.core.named import NamedTuple
from scrub.model.core.problem import Failure, Missing
from scrub.model.core.progress import over
from scrub.model.core.required import required
from scrub.model.core.text import Edit, Editing, HoldsTexts
from scrub.model.core.values import Value, is_empty, shown


class Holds(Choice):
    """What is in a cell, by what its value is."""

    NOTHING = "nothing"
    TEXT = "text"
    NUMBER = "number"
    DATE = "date"
    TIME = "time"
    DURATION = "duration"
    YES_NO = "yes-no"
    ERROR = "error"


class Alignment(Choice):
    """Where the text of a cell is from left to right."""

    GENERAL = "general"
    LEFT = "left"
    CENTRE = "centre"
    RIGHT = "right"
    JUSTIFIED = "justified"
    FILL = "fill"
    CENTRED_OVER = "centred-over"
    DISTRIBUTED = "distributed"


class UpDown(Choice):
    """Where the text of a cell is from top to bottom (ISO/IEC 29500-1, 18.18.88)."""

    TOP = "top"
    MIDDLE = "middle"
    BOTTOM = "bottom"
    JUSTIFIED = "justified"
    DISTRIBUTED = "distributed"


class Line(Choice):
    """A line at the edge of a cell (ISO/IEC 29500-1, 18.18.3)."""

    HAIR = "hair"
    DOTTED = "dotted"
    DASHED = "dashed"
    THIN = "thin"
    MEDIUM = "medium"
    THICK = "thick"
    DOUBLE = "double"
    DASH_DOT = "dash-dot"
    DASH_DOT_DOT = "dash-dot-dot"
    MEDIUM_DASHED = "medium-dashed"
    MEDIUM_DASH_DOT = "medium-dash-dot"
    MEDIUM_DASH_DOT_DOT = "medium-dash-dot-dot"
    SLANT_DASH_DOT = "slant-dash-dot"


#: What lines are that differ from edge to edge.
SEVERAL = "of several types"
#: The edges of a cell, by the field of each.
EDGES = ("border-left", "border-right", "border-top", "border-bottom")


class CellError:
    """A cell without a value that can be used: an error, or a day that does not exist. `what` names the cell.

    With `stale` it means the last result of a formula, which contains only as long as nothing changed that it depends
    on: `stale` gives that value, or the trouble with it. `lost` tells that there is not a such result.
    """

    __slots__ = ("error", "filled", "lost", "stale", "what")

    def __init__(
        self,
        what: str,
        error: str = "",
        stale: Callable[[], object] | None = None,
        lost: bool = False,
        filled: bool = False,
    ) -> None:
        """`filled` tells that something is there for sure, whatever it is: whether it is empty can be asked."""
        self.what = what
        self.filled = filled
        self.error = error
        self.stale = stale
        self.lost = lost

    def resolved(self) -> Value:
        """The value, where there is one after all. Raises `Failure` where there is none."""
        result = resolve(self)
        if isinstance(result, CellError):
            raise result.failure()
        return result

    def failure(self) -> Failure:
        """The failure that using it is."""
        result = Failure(self.what)
        result.placed, result.filled = True, self.filled
        return result


def resolve(value: Value) -> Value:
    """A value of a cell, with a doubt about it resolved: itself, the result of a formula, or a `CellError`."""
    return value.stale() if type(value) is CellError and value.stale is not None else value


class ColumnValues(dict[int, Any]):
    """The values of one column by row: what is changed later shows here at once. A `CellError` means an error."""

    __slots__ = ("__weakref__", "version")

    def __init__(self, values: Iterable[tuple[int, object]] = ()) -> None:
        super().__init__(values)
        self.version = 0  # grows with every change, so that an index over it knows when it is old


def texts_to_edit(
    texts: Mapping[int, str], area: Area, editing: Editing, known: dict[str, Sequence[Edit]]
) -> list[tuple[int, str, Sequence[Edit]]]:
    """The texts of a column that change, with their rows and edits; a text that is there often is computed once."""
    for text in set(texts.values()).difference(known):
        known[text] = tuple(editing(text))
    return [
        (row, text, edits) for row, text in texts.items() if (edits := known[text]) and area.top <= row <= area.bottom
    ]


class TablePlace(NamedTuple):
    """A table of the workbook: its name, its range from its headings on, and the last row of its records."""

    name: str
    area: Area
    bottom: int


class Noted(NamedTuple):
    """A comment that depends on a cell."""

    row: int
    column: int
    text: str
    author: str


class Grid:
    """The cells of a sheet. Rows and columns count from 1; every method may raise `Failure`, which names the cell."""

    @property
    @required
    def name(self) -> str:
        """The sheet's name."""
        raise NotImplementedError

    @property
    @required
    def file(self) -> FileItem:
        """What is saved as a whole."""
        raise NotImplementedError

    def where(self, row: int, column: int) -> str:
        """How a person names a cell of it."""
        return f"{self.name} {address_of(row, column)}"

    #: What is over its columns, by their letters, as far as somebody looked.
    heads: Mapping[str, str] = MappingProxyType({})

    def values_at(self, column: int, rows: Sequence[int]) -> Sequence[Value]:
        """What is in a column in many rows."""
        return list(map(self.column_values(column).get, rows))

    def put_many(self, rows: Sequence[int], puts: Sequence[tuple[int, Sequence[Value]]]) -> None:
        """Gives cells of many rows values, given by column."""
        for number, row in enumerate(rows):
            for column, values in puts:
                self.put(row, column, values[number])

    # -- what is there

    def placed(self, address: str) -> tuple[Grid, Area]:
        """The range of an address on this sheet, or of a defined name. Raises `Failure` for what is neither."""
        try:
            return self, area_of(address)
        except Failure as failure:
            named = self.named_range(address)
            if named is None:
                raise Missing(failure.what) from None
            return named

    def named_range(self, name: str) -> tuple[Grid, Area] | None:
        """The range that has a defined name in the file of this sheet."""
        return None

    @required
    def used(self) -> Area | None:
        """The smallest range with all that is stored; None for an empty sheet."""
        raise NotImplementedError

    def stored_rows(self) -> Sequence[int]:
        """The rows that are stored, from above."""
        return sorted({row for row, _ in self.stored_places()})

    @required
    def stored_places(self) -> Sequence[tuple[int, int]]:
        """Row and column of every cell that is stored, row by row."""
        raise NotImplementedError

    def heading_row(self) -> int | None:
        """The row that looks like headings, as far as one does."""
        return None

    @required
    def filled_rows(self, area: Area, known: Iterable[ColumnValues] = ()) -> Sequence[int]:
        """The rows that hold a value in this range; `known` are columns of it that were read already."""
        raise NotImplementedError

    # -- values

    @required
    def column_values(self, column: int) -> ColumnValues:
        """The values of a column, kept up to date while somebody contains them."""
        raise NotImplementedError

    def value(self, row: int, column: int) -> Value:
        """The value of a cell. Raises `Failure` for an error value."""
        result = self.raw_value(row, column)
        if isinstance(result, CellError):
            raise result.failure()
        return result

    @required
    def raw_value(self, row: int, column: int) -> Value:
        """The value of a cell, or a `CellError`."""
        raise NotImplementedError

    @required
    def put(self, row: int, column: int, value: Value) -> None:
        """Gives a cell a value; nothing empties it."""
        raise NotImplementedError

    def put_row(self, row: int, left: int, values: Sequence[Value]) -> None:
        """Gives the cells of a row below all others their values, from a column on; nothing leaves one empty."""
        for place, value in enumerate(values):
            if value is not None:
                self.put(row, left + place, value)

    def text(self, row: int, column: int) -> str:
        """What is seen in the cell; in a format without number formats, its value as it is."""
        value = resolve(self.raw_value(row, column))
        return "" if value is None or isinstance(value, CellError) else shown(value)

    def formula_problem(self, row: int, column: int) -> str:
        """What is wrong with the formula of a cell; an empty text for nothing."""
        return ""

    def formula_problems(self) -> Mapping[tuple[int, int], str]:
        """What is wrong with formulas of the sheet, by row and column."""
        return {}

    @required
    def formula(self, row: int, column: int) -> str | None:
        """The formula, with its equals sign."""
        raise NotImplementedError

    def formulas_of(self, column: int) -> Mapping[int, str]:
        """The formulas of a column by row."""
        used = self.used()
        rows = range(used.top, used.bottom + 1) if used else ()
        return {row: formula for row in rows if (formula := self.formula(row, column)) is not None}

    def styles_of(self, column: int) -> Callable[[int], object] | None:
        """What gives a number or name by row that is the same for cells of a column that look the same; None where
        cells have looks of their own.
        """
        return None

    @may_lack
    def put_formula(self, row: int, column: int, formula: str | None, down: int = 0, right: int = 0) -> None:
        """Gives a cell a formula, or takes it away and keeps its last value.

        `down` and `right` tell how far the cell is from the one that the formula was written for.
        """
        raise NotImplementedError

    def empty(self, row: int, column: int) -> None:
        """Takes away what is in a cell, a formula too."""
        self.put(row, column, None)

    @required
    def edit_area(self, area: Area, editing: Editing) -> None:
        """Edits every text in a range; formulas are passed by."""
        raise NotImplementedError

    # -- looks and what depends on cells

    @required
    def look(self, row: int, column: int, word: str) -> Any:
        """How a cell looks, by the word of the field."""
        raise NotImplementedError

    @may_lack
    def put_look(self, row: int, column: int, word: str, value: object) -> None:
        """Changes how a cell looks."""
        raise NotImplementedError

    def put_column_look(self, column: int, word: str, value: object) -> None:
        """Changes how cells of a column look that are not filled yet, where a column has a look of its own."""

    def merged(self) -> Collection[Area]:
        """The ranges that are merged into one cell."""
        return ()

    @may_lack
    def merge(self, area: Area) -> None:
        """Merges a range."""
        raise NotImplementedError

    @may_lack
    def unmerge(self, area: Area) -> None:
        """Takes a merge apart."""
        raise NotImplementedError

    def link(self, row: int, column: int) -> str | None:
        """Where a click on the cell leads."""
        return None

    @may_lack
    def put_link(self, area: Area, target: str | None) -> None:
        """Sets where a click on the cells of a range leads."""
        raise NotImplementedError

    def comments(self) -> Iterator[Noted]:
        """Its comments."""
        return iter(())

    def comment_text(self, row: int, column: int) -> str | None:
        """What the comment of a cell says; None for none."""
        return None

    @may_lack
    def put_comment(self, row: int, column: int, text: str | None) -> None:
        """Writes a comment, or removes it."""
        raise NotImplementedError

    def restriction(self, row: int, column: int) -> Restriction | None:
        """What may be entered into a cell; None for anything."""
        return None

    @may_lack
    def put_restriction(self, area: Area, restriction: Restriction | None) -> None:
        """Sets what may be entered into the cells of a range."""
        raise NotImplementedError

    @may_lack
    def add_conditional_format(self, area: Area, when: When, emphasis: Emphasis) -> None:
        """Highlights those cells of a range that fulfil a condition."""
        raise NotImplementedError

    @may_lack
    def add_colour_scale(self, area: Area, colours: Sequence[str]) -> None:
        """Gives the cells of a range colours by their numbers."""
        raise NotImplementedError

    @may_lack
    def clear_conditional_formats(self, area: Area) -> None:
        """Takes all conditional formats away from the cells of a range."""
        raise NotImplementedError

    def is_gone(self, row: int) -> bool:
        """Whether a row was deleted in this run; the others keep their numbers until the file is saved."""
        return False

    def deletion_test(self) -> Callable[[int], bool]:
        """What says of each row that is there now whether it was deleted, for loops over many."""
        return self.is_gone

    def is_column_gone(self, column: int) -> bool:
        """Whether a column was deleted in this run."""
        return False

    def is_cell_gone(self, row: int, column: int) -> bool:
        """Whether the row or the column of a cell was deleted in this run."""
        return self.is_gone(row) or self.is_column_gone(column)

    @may_lack
    def delete_row(self, row: int) -> None:
        """Deletes a row."""
        raise NotImplementedError

    @may_lack
    def delete_column(self, column: int) -> None:
        """Deletes a column."""
        raise NotImplementedError

    @may_lack
    def insert_line(self, line: int, is_row: bool, behind: bool) -> int:
        """Makes a row or a column before another one, or after it; gives its number for the time being."""
        raise NotImplementedError

    @may_lack
    def move_line(self, line: int, to: int, is_row: bool, behind: bool) -> None:
        """Puts a row or a column before another one, or after it."""
        raise NotImplementedError

    @may_lack
    def order_rows(self, rows: Sequence[int], left: int, right: int) -> Undo:
        """Puts what is in some rows, from one column to another, into an order; returns how to undo it."""
        raise NotImplementedError

    def keep_row(self, row: int) -> Undo:
        """Lets a row be there though nothing is in it, where rows are records of a file; returns how to undo it."""
        return lambda: None

    def totals_below(self, rows: Sequence[int], left: int, right: int) -> Collection[int]:
        """The last of some rows, as far as they add up the ones above; none where nothing is calculated."""
        return ()

    def measure(self, line: int, is_row: bool, word: str) -> object:
        """The size of a row or column in its own unit, or whether it is hidden. In a format without sizes they have
        none.
        """
        return False if word == "hidden" else None

    @may_lack
    def put_measure(self, line: int, is_row: bool, word: str, value: object) -> None:
        """Changes it."""
        raise NotImplementedError

    def range_name(self, area: Area) -> str | None:
        """The defined name of just this range."""
        return None

    @may_lack
    def put_range_name(self, area: Area, name: str | None) -> None:
        """Gives a range a name."""
        raise NotImplementedError

    @may_lack
    def grow_table(self, name: str, heading: str | None, back: Undo) -> None:
        """Makes a table a row longer, or a column with a heading wider; `back` is called when that is undone."""
        raise NotImplementedError

    @required
    def row_item(self, number: int) -> Item:
        """Row 1 is the first."""
        raise NotImplementedError

    @required
    def column_item(self, number: int) -> Item:
        """Column 1 is A."""
        raise NotImplementedError

    def table_style(self, name: str) -> str | None:
        """The style of a table, by its name; None where it has none."""
        return None

    @may_lack
    def put_table_style(self, name: str, style: str | None) -> Undo:
        """Gives a table another style; returns how to undo it. Raises `Failure`."""
        raise NotImplementedError

    def look_like(self, row: int, column: int, other_row: int) -> None:
        """Gives a cell the look of another one of its column."""

    def tables(self) -> Iterator[TablePlace]:
        """Its tables, where the format has such."""
        return iter(())


class HoldsCells(HoldsTexts):
    """An item that is made of cells, or contains some."""

    __slots__ = ()

    @required
    def areas(self) -> Iterable[tuple[Grid, Area]]:
        """Its ranges, with the sheet of each."""
        raise NotImplementedError

    @property
    def is_blank(self) -> bool:
        """Whether none of its cells contains anything but spaces."""
        return not any(
            not is_empty(resolve(sheet.raw_value(row, column)))
            for sheet, area in self.areas()
            for row in sheet.filled_rows(area)
            for column in range(area.left, area.right + 1)
        )

    def edit_texts(self, editing: Editing, between: str = "") -> None:
        """Edits the text of each cell. Nothing parts a text in a cell: a tab there is a space like others."""
        for sheet, area in over(list(self.areas()), lambda each: each[0].name):
            sheet.edit_area(area, editing)


class HoldsColumns(HoldsCells):
    """Cells of which a person means each column as a list, from above."""

    __slots__ = ()
