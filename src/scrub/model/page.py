"""How a sheet is shown: fields of the sheet as a whole."""

from __future__ import annotations

from scrub.model.declare import field, needs, otherwise
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
    @otherwise(View.NORMAL)
    def view(self) -> View:
        """The view: normal, with movable page breaks, or as pages.

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
    @otherwise(False)
    def page_break_lines(self) -> bool:
        """Whether page breaks are shown as dashed lines.

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
    @otherwise(True)
    def gridlines(self) -> bool:
        """Whether gridlines are shown.

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
    @otherwise(100)
    def zoom(self) -> int:
        """The zoom in percent, 10 to 400.

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
        """The tab colour; nothing for the default.

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
    @otherwise(0)
    def frozen_rows(self) -> int:
        """The number of rows at the top that remain visible when scrolling down.

        Example: sheet.frozen-rows = 3
        Also: rows-in-sight, freeze panes, freeze rows, fix, lock rows, split
        """
        return int(self.setting("frozen-rows"))

    @frozen_rows.setter
    @needs("put_setting")
    def frozen_rows(self, value: int) -> None:
        self.put_setting("frozen-rows", value)

    @property
    @field
    @otherwise(0)
    def frozen_columns(self) -> int:
        """The number of columns at the left that remain visible when scrolling right.

        Example: sheet.frozen-columns = 1
        Also: columns-in-sight, freeze panes, freeze columns, fix, lock columns, split
        """
        return int(self.setting("frozen-columns"))

    @frozen_columns.setter
    @needs("put_setting")
    def frozen_columns(self, value: int) -> None:
        self.put_setting("frozen-columns", value)

    @property
    @field
    def filter(self) -> str | None:
        """The range of the filter, such as "A3:H15"; nothing for none. Deleting the filter shows all its rows.

        Example: sheet.filter = "A3:H15"
        Also: autofilter, filter buttons, clear filter
        """
        found = self.setting("filter")
        return None if found is None else str(found)

    @filter.setter
    @needs("put_setting")
    def filter(self, value: str | None) -> None:
        self.put_setting("filter", value)
