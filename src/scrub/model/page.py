"""How a sheet is shown: fields of the sheet as a whole."""

from __future__ import annotations

from scrub.model.declare import field, needs
from scrub.model.printing import PrintFields
from scrub.model.values import Choice


class View(Choice):
    """How a sheet is shown."""

    NORMAL = "normal"
    PAGE_BREAKS = "page-breaks"
    PAGE_LAYOUT = "page-layout"


class PageFields(PrintFields):
    """The settings of one sheet."""

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
