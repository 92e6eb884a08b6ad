"""Sheets: what every format with sheets offers to a macro."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from typing import Any, NamedTuple

from scrub.model.area import Area, area_of, cell_of
from scrub.model.cell import Cell
from scrub.model.cells import Cells, MergedRange, merged_in
from scrub.model.comments import Comment
from scrub.model.declare import Item, Reach, action, field, finds, holds, part
from scrub.model.grid import Grid
from scrub.model.lines import Column, Row, column_in, columns_of, rows_of
from scrub.model.problem import Failure, Missing
from scrub.model.records import Record, Table, sheet_table
from scrub.model.values import Choice, Secret


class SheetPermission(Choice):
    """What stays possible on a protected sheet (ISO/IEC 29500-1, 18.3.1.85), in plain words."""

    FORMAT_CELLS = "format-cells"
    FORMAT_COLUMNS = "format-columns"
    FORMAT_ROWS = "format-rows"
    INSERT_COLUMNS = "insert-columns"
    INSERT_ROWS = "insert-rows"
    INSERT_LINKS = "insert-links"
    DELETE_COLUMNS = "delete-columns"
    DELETE_ROWS = "delete-rows"
    SORT = "sort"
    FILTER = "filter"
    PIVOT_TABLES = "pivot-tables"
    EDIT_OBJECTS = "edit-objects"
    EDIT_SCENARIOS = "edit-scenarios"


class Selecting(Choice):
    """Which cells can be selected on a protected sheet."""

    ANY_CELL = "any-cell"
    OPEN_CELLS = "open-cells"
    NO_CELL = "no-cell"


class View(Choice):
    """How a sheet is shown."""

    NORMAL = "normal"
    PAGE_BREAKS = "page-breaks"
    PAGE_LAYOUT = "page-layout"


class Orientation(Choice):
    """How the paper lies."""

    PORTRAIT = "portrait"
    LANDSCAPE = "landscape"


class Outline(NamedTuple):
    """How a macro opens a loop over records, and each heading as it writes it, with a value that stands there."""

    opening: str
    fields: dict[str, str]


class Sheet(Grid, Item):
    """One sheet of a workbook."""

    kind_word = "sheet"

    def setting(self, word: str) -> Any:
        """What is set for the sheet as a whole, by the word of the field."""
        raise NotImplementedError

    def put_setting(self, word: str, value: Any) -> None:
        """Sets it."""
        raise NotImplementedError

    @property
    @field
    def name(self) -> str:
        """The name on its tab.

        Example: if sheet.name starts with "Draft"
        Also: tab, title
        """
        raise NotImplementedError

    @property
    @field
    def number(self) -> int:
        """Its place among the sheets, from 1, hidden ones counted.

        Example: if sheet.number > 1
        Also: position, index, order
        """
        raise NotImplementedError

    @property
    @field
    def hidden(self) -> bool:
        """yes when its tab is not shown. Set to no, it also shows a sheet hidden the stronger way.

        Example: sheet.hidden = no
        Also: show, unhide, hide, visible, invisible, very hidden
        """
        raise NotImplementedError

    @hidden.setter
    def hidden(self, value: bool) -> None:
        raise NotImplementedError

    @property
    @field
    def view(self) -> View:
        """How it is shown: normal, with page breaks to be moved, or as pages.

        Example: sheet.view = normal
        Also: page break view, preview, layout
        """
        return View(self.setting("view"))

    @view.setter
    def view(self, value: View) -> None:
        self.put_setting("view", value)

    @property
    @field
    def page_break_lines(self) -> bool:
        """yes when dashed lines show where pages will end.

        Example: sheet.page-break-lines = no
        Also: page breaks, dotted lines
        """
        return bool(self.setting("page-break-lines"))

    @page_break_lines.setter
    def page_break_lines(self, value: bool) -> None:
        self.put_setting("page-break-lines", value)

    @property
    @field
    def gridlines(self) -> bool:
        """yes when thin lines stand between the cells on the screen.

        Example: sheet.gridlines = no
        Also: lines, grid
        """
        return bool(self.setting("gridlines"))

    @gridlines.setter
    def gridlines(self, value: bool) -> None:
        self.put_setting("gridlines", value)

    @property
    @field
    def zoom(self) -> int:
        """How big it is shown, in percent from 10 to 400.

        Example: sheet.zoom = 100
        Also: scale, magnify
        """
        return int(self.setting("zoom"))

    @zoom.setter
    def zoom(self, value: int) -> None:
        self.put_setting("zoom", value)

    @property
    @field
    def tab_colour(self) -> str | None:
        """The colour of its tab; nothing for the usual one.

        Example: sheet.tab-colour = "#46605a"
        Also: tab color
        """
        found = self.setting("tab-colour")
        return None if found is None else str(found)

    @tab_colour.setter
    def tab_colour(self, value: str | None) -> None:
        self.put_setting("tab-colour", value)

    @property
    @field
    def orientation(self) -> Orientation:
        """How the paper lies when it is printed.

        Example: sheet.orientation = landscape
        Also: portrait, print, page setup
        """
        return Orientation(self.setting("orientation"))

    @orientation.setter
    def orientation(self, value: Orientation) -> None:
        self.put_setting("orientation", value)

    @property
    @field
    def pages_wide(self) -> int | None:
        """On how many pages side by side it is made to fit; nothing for as many as it takes. It is then fitted.

        Example: sheet.pages-wide = 1
        Also: fit to page, print, scale, width
        """
        found = self.setting("pages-wide")
        return None if found is None else int(found)

    @pages_wide.setter
    def pages_wide(self, value: int | None) -> None:
        self.put_setting("pages-wide", value)

    @property
    @field
    def pages_tall(self) -> int | None:
        """On how many pages below each other it is made to fit; nothing for as many as it takes.

        Example: sheet.pages-tall = nothing
        Also: fit to page, print, scale, height
        """
        found = self.setting("pages-tall")
        return None if found is None else int(found)

    @pages_tall.setter
    def pages_tall(self, value: int | None) -> None:
        self.put_setting("pages-tall", value)

    @property
    @field
    def heading_rows(self) -> str | None:
        """The rows that are printed again on top of each page: "3", or "1:3"; nothing for none.

        Example: sheet.heading-rows = "3"
        Also: repeat rows, print titles, header row
        """
        found = self.setting("heading-rows")
        return None if found is None else str(found)

    @heading_rows.setter
    def heading_rows(self, value: str | None) -> None:
        self.put_setting("heading-rows", value)

    @property
    @field
    def header(self) -> str | None:
        """What is printed on top in the middle; [page], [pages], [sheet], [file], [date] and [time] stand for those.

        Example: sheet.header = "[sheet]"
        Also: print, page header
        """
        found = self.setting("header")
        return None if found is None else str(found)

    @header.setter
    def header(self, value: str | None) -> None:
        self.put_setting("header", value)

    @property
    @field
    def footer(self) -> str | None:
        """What is printed below in the middle; [page], [pages], [sheet], [file], [date] and [time] stand for those.

        Example: sheet.footer = "Page [page] of [pages]"
        Also: print, page number, page footer
        """
        found = self.setting("footer")
        return None if found is None else str(found)

    @footer.setter
    def footer(self, value: str | None) -> None:
        self.put_setting("footer", value)

    @property
    @field
    def frozen_rows(self) -> int:
        """How many rows stay in sight when one scrolls down.

        Example: sheet.frozen-rows = 3
        Also: freeze panes, fix, lock rows
        """
        return int(self.setting("frozen-rows"))

    @frozen_rows.setter
    def frozen_rows(self, value: int) -> None:
        self.put_setting("frozen-rows", value)

    @property
    @field
    def frozen_columns(self) -> int:
        """How many columns stay in sight when one scrolls to the right.

        Example: sheet.frozen-columns = 1
        Also: freeze panes, fix, lock columns
        """
        return int(self.setting("frozen-columns"))

    @frozen_columns.setter
    def frozen_columns(self, value: int) -> None:
        self.put_setting("frozen-columns", value)

    @property
    @field
    def filter(self) -> str | None:
        """The range with a filter in its first row, such as "A3:H15"; nothing for none. Taken away, hidden rows show
        again.

        Example: sheet.filter = "A3:H15"
        Also: autofilter, filter buttons, clear filter
        """
        found = self.setting("filter")
        return None if found is None else str(found)

    @filter.setter
    def filter(self, value: str | None) -> None:
        self.put_setting("filter", value)

    @property
    @field
    def range(self) -> str | None:
        """The range that is used, such as "A1:H15"; nothing for an empty sheet.

        Example: log sheet.range
        Also: used range, last row, last cell, size
        """
        found = self.used()
        return str(found) if found else None

    @action(Reach.CHANGE)
    def add_row(self, values: list[Any]) -> None:
        """Writes values into the first row below all that is used, from the first used column on.

        values: what to write, from the left; nothing leaves a cell empty.
        Example: add-row ["Larch Hut", 12]
        Also: append, new row, new record, gather, collect
        """
        used = self.used()
        row, left = (used.bottom + 1, used.left) if used else (1, 1)
        for place, value in enumerate(values):
            if value is not None:
                self.put(row, left + place, value)

    @part
    def records(self, headings: int | None = None) -> Table:
        """The sheet as a table.

        headings: the row with the headings; left out, the first filled one.
        Example: log sheet.records(headings: 3).headings.joined(", ")
        Also: table, header row
        """
        found = sheet_table(self, headings)
        if found is None:
            raise Failure(f"{self.name} is empty, so it has no records")
        return found

    @holds
    def each_record(self, headings: Iterable[str] = ()) -> Iterator[Record]:
        """Its records, under the headings in its first filled row."""
        table = sheet_table(self)
        return table.each_record(headings) if table is not None else iter(())

    @holds
    def each_table(self) -> Iterator[Table]:
        """Its tables."""
        return self.tables()

    @holds
    def each_row(self) -> Iterator[Row]:
        """Its rows, down to the last used one."""
        return rows_of(self)

    @holds
    def each_column(self) -> Iterator[Column]:
        """Its columns, to the last used one."""
        return columns_of(self)

    @holds
    def each_cell(self) -> Iterator[Cell]:
        """Its cells, as far as they are stored: all that hold a value, a formula or a look of their own."""
        for row in list(self.stored_rows()):
            for column in self.stored_columns(row):
                yield Cell(self, row, column)

    @holds
    def each_merged_range(self) -> Iterator[MergedRange]:
        """Its merged ranges."""
        return merged_in(self)

    @holds
    def each_comment(self) -> Iterator[Comment]:
        """Its comments."""
        return self.comments()

    @finds
    def find_cell(self, address: str) -> Cell:
        """A cell by its address: `cell("C4")`."""
        return Cell(self, *cell_of(address))

    @finds
    def find_cells(self, address: str) -> Cells:
        """A range by its address: `cells("B2:B40")`."""
        return Cells([(self, area_of(address))])

    @finds
    def find_row(self, number: int) -> Row:
        """A row by its number: `row(3)`."""
        return Row(self, area_of(f"{number}:{number}").top)

    @finds
    def find_column(self, column: str) -> Column:
        """A column by its letters or its heading: `column("C")`, `column("Nights")`."""
        return Column(self, column_in(self, column))

    @finds
    def find_record(self, **wanted: Any) -> Record:
        """The first record with these values under these headings: `record(item: "flour")`."""
        table = self._table()
        if table is None:
            raise Missing(f"{self.name} is empty, so it has no records")
        return table.find_record(**wanted)

    def _table(self) -> Table | None:
        """The sheet as a table, kept for further look-ups."""
        if self._known_table is None:
            self._known_table = sheet_table(self)
        return self._known_table

    def outline(self) -> list[Outline]:
        """What a macro can call by headings here: the sheet as a table, and its own tables."""
        found = []
        table = sheet_table(self, self._heading_row())
        own = list(self.tables())
        if table is not None and self._is_list(table):
            table = None  # one column of texts is a list; whether it has a heading nobody can tell
        if table is not None and not any(each.area.top == table.area.top for each in own):
            first = table.area.top == getattr(self.used(), "top", 0)
            rows = "" if first else f".records(headings: {table.area.top})"
            found.append(Outline(f"each record in sheet{rows}", table.sample()))
        found += [Outline(f'each record in table("{each.label}")', each.sample()) for each in own]
        return [each for each in found if each.fields]

    def _is_list(self, table: Table) -> bool:
        below = self.raw_value(table.area.top + 1, table.area.left)
        return table.area.left == table.area.right and isinstance(below, str)

    def _heading_row(self) -> int | None:
        """The row that looks like headings: the first of the top ones with several texts and nothing else."""
        used = self.used()
        if used is None or used.left == used.right:
            return None
        for row in range(used.top, min(used.bottom, used.top + 10) + 1):
            values = [self.raw_value(row, column) for column in range(used.left, min(used.right, used.left + 200) + 1)]
            texts = [value for value in values if isinstance(value, str)]
            if len(texts) > 1 and len(texts) == sum(value is not None for value in values):
                return row
        return None

    def row_changed(self, row: int) -> None:
        """Is told of each changed row: the headings may have changed."""
        if self._known_table is not None and row <= self._known_table.area.top:
            self._known_table = None

    _known_table: Table | None = None

    def areas(self) -> Iterable[tuple[Sheet, Area]]:
        """All that is used."""
        used = self.used()
        return ((self, used),) if used else ()

    @property
    @field
    def protected(self) -> bool:
        """yes when its locked cells cannot be changed; `protect` and `unprotect` change it.

        Example: if not sheet.protected
        Also: locked, sealed
        """
        raise NotImplementedError

    @action(Reach.CHANGE)
    def protect(
        self,
        password: Secret | None = None,
        allow: Sequence[SheetPermission] = (),
        select: Selecting = Selecting.ANY_CELL,
    ) -> None:
        """Stops changes to the locked cells of the sheet; open cells can still be filled in.

        A sheet that is protected already gets the new settings only if the password opens it.

        password: needed to lift the protection again; left out, anyone can lift it.
        allow: what stays possible on the protected sheet.
        select: which cells can still be selected.
        Example: protect password: code, allow: [sort, filter]
        Also: lock cells, seal, read only, close, secure
        """
        raise NotImplementedError

    @action(Reach.CHANGE)
    def unprotect(self, password: Secret | None = None) -> None:
        """Lifts the protection of the sheet. A wrong password is refused.

        password: the one it was protected with; left out when it was protected without one.
        Example: unprotect password: code
        Also: unlock cells, unseal, open, editable
        """
        raise NotImplementedError

    @property
    def label(self) -> str:
        """The sheet's name."""
        return self.name
