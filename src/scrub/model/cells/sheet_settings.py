"""What is set for a sheet as a whole: how it is printed, and how it is shown."""

from __future__ import annotations

from scrub.model.cells.grid import Grid
from scrub.model.core.amounts import Length
from scrub.model.core.choice import Choice
from scrub.model.core.declare import Item, default_of, may_lack
from scrub.model.core.printing import Orientation, Paper, PrintedText
from scrub.model.core.setting import setting_field


class View(Choice):
    """How a sheet is shown."""

    NORMAL = "normal"
    PAGE_BREAKS = "page-breaks"
    PAGE_LAYOUT = "page-layout"


class SheetSettings(Grid, Item):
    """What is set for one sheet as a whole: how it is printed, and how it is shown."""

    def setting(self, word: str) -> object:
        """What is set for the sheet as a whole, by the word of the field; in a format that has no such thing, what is
        declared.
        """
        return default_of(type(self), word)

    @may_lack
    def put_setting(self, word: str, value: object) -> None:
        """Sets it."""
        raise NotImplementedError

    orientation = setting_field(
        Orientation,
        """The paper orientation for printing.

        Example: sheet.orientation = landscape
        Also: portrait, print, page setup
        """,
        otherwise=Orientation.PORTRAIT,
    )

    width_in_pages = setting_field(
        int,
        """The number of pages side by side to fit the print on; nothing for no limit.

        Example: sheet.width-in-pages = 1
        Also: fit to page, print, scale, width
        """,
        optional=True,
    )

    height_in_pages = setting_field(
        int,
        """The number of pages below each other to fit the print on; nothing for no limit.

        Example: sheet.height-in-pages = nothing
        Also: fit to page, print, scale, height
        """,
        optional=True,
    )

    heading_rows = setting_field(
        str,
        """The rows repeated at the top of each printed page: "3" or "1:3"; nothing for none.

        Example: sheet.heading-rows = "3"
        Also: repeat rows, print titles, header row
        """,
        optional=True,
    )

    header = setting_field(
        PrintedText,
        """The header, centre. {page-number}, {page-count}, {sheet-name}, {file-name}, {print-date} and {print-time}
        are filled in on printing.

        Example: sheet.header = "{sheet-name}"
        Also: print, page header
        """,
        optional=True,
    )

    footer = setting_field(
        PrintedText,
        """The footer, centre. {page-number}, {page-count}, {sheet-name}, {file-name}, {print-date} and {print-time}
        are filled in on printing.

        Example: sheet.footer = "Page {page-number} of {page-count}"
        Also: print, page number, page footer
        """,
        optional=True,
    )

    paper = setting_field(
        Paper,
        """The paper size; nothing if the file names none, or another one.

        Example: sheet.paper = a4
        Also: paper size, page setup, letter, format
        """,
        optional=True,
    )

    left_margin = setting_field(
        Length,
        """The left page margin, such as 1.5 cm.

        Example: sheet.left-margin = 1.5 cm
        Also: margins, page setup, print
        """,
        otherwise=Length.of_cm(0),
    )

    right_margin = setting_field(
        Length,
        """The right page margin, such as 1.5 cm.

        Example: sheet.right-margin = 1.5 cm
        Also: margins, page setup, print
        """,
        otherwise=Length.of_cm(0),
    )

    top_margin = setting_field(
        Length,
        """The top page margin, such as 1.5 cm.

        Example: sheet.top-margin = 1.5 cm
        Also: margins, page setup, print
        """,
        otherwise=Length.of_cm(0),
    )

    bottom_margin = setting_field(
        Length,
        """The bottom page margin, such as 1.5 cm.

        Example: sheet.bottom-margin = 1.5 cm
        Also: margins, page setup, print
        """,
        otherwise=Length.of_cm(0),
    )

    header_margin = setting_field(
        Length,
        """The distance of the header from the edge of the paper, such as 8 mm.

        Example: sheet.header-margin = 0.8 cm
        Also: margins, page setup, print
        """,
        otherwise=Length.of_cm(0),
    )

    footer_margin = setting_field(
        Length,
        """The distance of the footer from the edge of the paper, such as 8 mm.

        Example: sheet.footer-margin = 0.8 cm
        Also: margins, page setup, print
        """,
        otherwise=Length.of_cm(0),
    )

    print_area = setting_field(
        str,
        """The print area, such as "A1:H15"; several ranges are separated by commas; nothing for the whole sheet.

        Example: sheet.print-area = "A1:H15"
        Also: print range, set print area
        """,
        optional=True,
    )

    heading_columns = setting_field(
        str,
        """The columns repeated at the left of each printed page: "A" or "A:B"; nothing for none.

        Example: sheet.heading-columns = "A"
        Also: repeat columns, print titles
        """,
        optional=True,
    )

    print_scale = setting_field(
        int,
        """The print scale in percent, 10 to 400. It switches off fitting to pages.

        Example: sheet.print-scale = 85
        Also: scale, zoom, print smaller
        """,
        otherwise=100,
    )

    printed_gridlines = setting_field(
        bool,
        """Whether gridlines are printed.

        Example: sheet.printed-gridlines = yes
        Also: print gridlines, lines
        """,
        otherwise=False,
    )

    centred_across = setting_field(
        bool,
        """Whether the print is centred horizontally on the page.

        Example: sheet.centred-across = yes
        Also: center horizontally, page setup
        """,
        otherwise=False,
    )

    centred_down = setting_field(
        bool,
        """Whether the print is centred vertically on the page.

        Example: sheet.centred-down = yes
        Also: center vertically, page setup
        """,
        otherwise=False,
    )

    left_header = setting_field(
        PrintedText,
        """The header, left; with the same fields as the header.

        Example: sheet.left-header = "{sheet-name}"
        Also: print, page header
        """,
        optional=True,
    )

    left_footer = setting_field(
        PrintedText,
        """The footer, left; with the same fields as the footer.

        Example: sheet.left-footer = "{print-date}"
        Also: print, page footer, date
        """,
        optional=True,
    )

    right_header = setting_field(
        PrintedText,
        """The header, right; with the same fields as the header.

        Example: sheet.right-header = "{sheet-name}"
        Also: print, page header
        """,
        optional=True,
    )

    right_footer = setting_field(
        PrintedText,
        """The footer, right; with the same fields as the footer.

        Example: sheet.right-footer = "{print-date}"
        Also: print, page footer, date
        """,
        optional=True,
    )

    view = setting_field(
        View,
        """The view: normal, with movable page breaks, or as pages.

        Example: sheet.view = normal
        Also: page break view, preview, layout
        """,
        otherwise=View.NORMAL,
    )

    page_break_lines = setting_field(
        bool,
        """Whether page breaks are shown as dashed lines.

        Example: sheet.page-break-lines = no
        Also: page breaks, dotted lines
        """,
        otherwise=False,
    )

    gridlines = setting_field(
        bool,
        """Whether gridlines are shown.

        Example: sheet.gridlines = no
        Also: lines, grid
        """,
        otherwise=True,
    )

    zoom = setting_field(
        int,
        """The zoom in percent, 10 to 400.

        Example: sheet.zoom = 100
        Also: scale, magnify
        """,
        otherwise=100,
    )

    tab_colour = setting_field(
        str,
        """The tab colour; nothing for the default.

        Example: sheet.tab-colour = "#46605a"
        Also: tab color
        """,
        optional=True,
    )

    frozen_rows = setting_field(
        int,
        """The number of rows at the top that remain visible when scrolling down.

        Example: sheet.frozen-rows = 3
        Also: rows-in-sight, freeze panes, freeze rows, fix, lock rows, split
        """,
        otherwise=0,
    )

    frozen_columns = setting_field(
        int,
        """The number of columns at the left that remain visible when scrolling right.

        Example: sheet.frozen-columns = 1
        Also: columns-in-sight, freeze panes, freeze columns, fix, lock columns, split
        """,
        otherwise=0,
    )

    filter = setting_field(
        str,
        """The range of the filter, such as "A3:H15"; nothing for none. Deleting the filter shows all its rows.

        Example: sheet.filter = "A3:H15"
        Also: autofilter, filter buttons, clear filter
        """,
        optional=True,
    )
