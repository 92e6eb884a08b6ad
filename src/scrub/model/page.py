"""How a sheet is shown and printed: fields of the sheet as a whole."""

from __future__ import annotations

from typing import Any

from scrub.model.declare import Item, field, may_lack, needs
from scrub.model.grid import Grid
from scrub.model.values import Choice


class PrintedText(str):
    """A text that is filled in when a page is printed: it can hold page numbers."""

    __slots__ = ()


class View(Choice):
    """How a sheet is shown."""

    NORMAL = "normal"
    PAGE_BREAKS = "page-breaks"
    PAGE_LAYOUT = "page-layout"


class Orientation(Choice):
    """How the paper lies."""

    PORTRAIT = "portrait"
    LANDSCAPE = "landscape"


class PageFields(Grid, Item):
    """The settings of one sheet."""

    def setting(self, word: str) -> Any:
        """What is set for the sheet as a whole, by the word of the field."""
        raise NotImplementedError

    @may_lack
    def put_setting(self, word: str, value: Any) -> None:
        """Sets it."""
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
    @needs("put_setting")
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
    @needs("put_setting")
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
    @needs("put_setting")
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
    @needs("put_setting")
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
    @needs("put_setting")
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
    @needs("put_setting")
    def orientation(self, value: Orientation) -> None:
        self.put_setting("orientation", value)

    @property
    @field
    def width_in_pages(self) -> int | None:
        """On how many pages side by side it is made to fit; nothing for as many as it takes. It is then fitted.

        Example: sheet.width-in-pages = 1
        Also: fit to page, print, scale, width
        """
        found = self.setting("width-in-pages")
        return None if found is None else int(found)

    @width_in_pages.setter
    @needs("put_setting")
    def width_in_pages(self, value: int | None) -> None:
        self.put_setting("width-in-pages", value)

    @property
    @field
    def height_in_pages(self) -> int | None:
        """On how many pages below each other it is made to fit; nothing for as many as it takes.

        Example: sheet.height-in-pages = nothing
        Also: fit to page, print, scale, height
        """
        found = self.setting("height-in-pages")
        return None if found is None else int(found)

    @height_in_pages.setter
    @needs("put_setting")
    def height_in_pages(self, value: int | None) -> None:
        self.put_setting("height-in-pages", value)

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
    @needs("put_setting")
    def heading_rows(self, value: str | None) -> None:
        self.put_setting("heading-rows", value)

    @property
    @field
    def header(self) -> PrintedText | None:
        """What is printed on top in the middle. {page-number}, {page-count}, {sheet-name}, {file-name}, {print-date}
        and {print-time} are filled in when it is printed.

        Example: sheet.header = "{sheet-name}"
        Also: print, page header
        """
        found = self.setting("header")
        return None if found is None else PrintedText(found)

    @header.setter
    @needs("put_setting")
    def header(self, value: PrintedText | None) -> None:
        self.put_setting("header", value)

    @property
    @field
    def footer(self) -> PrintedText | None:
        """What is printed below in the middle. {page-number}, {page-count}, {sheet-name}, {file-name}, {print-date} and
        {print-time} are filled in when it is printed.

        Example: sheet.footer = "Page {page-number} of {page-count}"
        Also: print, page number, page footer
        """
        found = self.setting("footer")
        return None if found is None else PrintedText(found)

    @footer.setter
    @needs("put_setting")
    def footer(self, value: PrintedText | None) -> None:
        self.put_setting("footer", value)

    @property
    @field
    def rows_in_sight(self) -> int:
        """How many rows stay in sight when one scrolls down.

        Example: sheet.rows-in-sight = 3
        Also: freeze panes, freeze rows, fix, lock rows, split
        """
        return int(self.setting("rows-in-sight"))

    @rows_in_sight.setter
    @needs("put_setting")
    def rows_in_sight(self, value: int) -> None:
        self.put_setting("rows-in-sight", value)

    @property
    @field
    def columns_in_sight(self) -> int:
        """How many columns stay in sight when one scrolls to the right.

        Example: sheet.columns-in-sight = 1
        Also: freeze panes, freeze columns, fix, lock columns, split
        """
        return int(self.setting("columns-in-sight"))

    @columns_in_sight.setter
    @needs("put_setting")
    def columns_in_sight(self, value: int) -> None:
        self.put_setting("columns-in-sight", value)

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
    @needs("put_setting")
    def filter(self, value: str | None) -> None:
        self.put_setting("filter", value)
