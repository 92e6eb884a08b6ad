"""How a sheet is printed: fields of the sheet as a whole."""

from __future__ import annotations

from typing import Any

from scrub.model.amounts import Length
from scrub.model.declare import Item, default_of, field, may_lack, needs, otherwise
from scrub.model.grid import Grid
from scrub.model.values import Choice


class PrintedText(str):
    """A text that is filled in when a page is printed: it can contain page numbers."""

    __slots__ = ()


class Orientation(Choice):
    """How the paper is."""

    PORTRAIT = "portrait"
    LANDSCAPE = "landscape"


class Paper(Choice):
    """The size of the paper."""

    A2 = "a2"
    A3 = "a3"
    A4 = "a4"
    A5 = "a5"
    B4 = "b4"
    B5 = "b5"
    LETTER = "letter"
    LEGAL = "legal"
    TABLOID = "tabloid"
    EXECUTIVE = "executive"


class PrintFields(Grid, Item):
    """What is set for the pages of one sheet."""

    def setting(self, word: str) -> Any:
        """What is set for the sheet as a whole, by the word of the field; in a format that has no such thing, what is
        declared.
        """
        return default_of(type(self), word)

    @may_lack
    def put_setting(self, word: str, value: Any) -> None:
        """Sets it."""
        raise NotImplementedError

    @property
    @field
    @otherwise(Orientation.PORTRAIT)
    def orientation(self) -> Orientation:
        """The paper orientation for printing.

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
        """The number of pages side by side to fit the print on; nothing for no limit.

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
        """The number of pages below each other to fit the print on; nothing for no limit.

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
        """The rows repeated at the top of each printed page: "3" or "1:3"; nothing for none.

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
        """The header, centre. {page-number}, {page-count}, {sheet-name}, {file-name}, {print-date} and {print-time}
        are filled in on printing.

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
        """The footer, centre. {page-number}, {page-count}, {sheet-name}, {file-name}, {print-date} and {print-time}
        are filled in on printing.

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
    def paper(self) -> Paper | None:
        """The paper size; nothing if the file names none, or another one.

        Example: sheet.paper = a4
        Also: paper size, page setup, letter, format
        """
        found = self.setting("paper")
        return None if found is None else Paper(found)

    @paper.setter
    @needs("put_setting")
    def paper(self, value: Paper | None) -> None:
        self.put_setting("paper", value)

    def _margin(self, word: str) -> Length:
        length: Length = self.setting(word)
        return length

    @property
    @field
    @otherwise(Length.of_cm(0))
    def left_margin(self) -> Length:
        """The left page margin, such as 1.5 cm.

        Example: sheet.left-margin = 1.5 cm
        Also: margins, page setup, print
        """
        return self._margin("left-margin")

    @left_margin.setter
    @needs("put_setting")
    def left_margin(self, value: Length) -> None:
        self.put_setting("left-margin", value)

    @property
    @field
    @otherwise(Length.of_cm(0))
    def right_margin(self) -> Length:
        """The right page margin, such as 1.5 cm.

        Example: sheet.right-margin = 1.5 cm
        Also: margins, page setup, print
        """
        return self._margin("right-margin")

    @right_margin.setter
    @needs("put_setting")
    def right_margin(self, value: Length) -> None:
        self.put_setting("right-margin", value)

    @property
    @field
    @otherwise(Length.of_cm(0))
    def top_margin(self) -> Length:
        """The top page margin, such as 1.5 cm.

        Example: sheet.top-margin = 1.5 cm
        Also: margins, page setup, print
        """
        return self._margin("top-margin")

    @top_margin.setter
    @needs("put_setting")
    def top_margin(self, value: Length) -> None:
        self.put_setting("top-margin", value)

    @property
    @field
    @otherwise(Length.of_cm(0))
    def bottom_margin(self) -> Length:
        """The bottom page margin, such as 1.5 cm.

        Example: sheet.bottom-margin = 1.5 cm
        Also: margins, page setup, print
        """
        return self._margin("bottom-margin")

    @bottom_margin.setter
    @needs("put_setting")
    def bottom_margin(self, value: Length) -> None:
        self.put_setting("bottom-margin", value)

    @property
    @field
    @otherwise(Length.of_cm(0))
    def header_margin(self) -> Length:
        """The distance of the header from the edge of the paper, such as 8 mm.

        Example: sheet.header-margin = 0.8 cm
        Also: margins, page setup, print
        """
        return self._margin("header-margin")

    @header_margin.setter
    @needs("put_setting")
    def header_margin(self, value: Length) -> None:
        self.put_setting("header-margin", value)

    @property
    @field
    @otherwise(Length.of_cm(0))
    def footer_margin(self) -> Length:
        """The distance of the footer from the edge of the paper, such as 8 mm.

        Example: sheet.footer-margin = 0.8 cm
        Also: margins, page setup, print
        """
        return self._margin("footer-margin")

    @footer_margin.setter
    @needs("put_setting")
    def footer_margin(self, value: Length) -> None:
        self.put_setting("footer-margin", value)

    @property
    @field
    def print_area(self) -> str | None:
        """The print area, such as "A1:H15"; several ranges are separated by commas; nothing for the whole sheet.

        Example: sheet.print-area = "A1:H15"
        Also: print range, set print area
        """
        found = self.setting("print-area")
        return None if found is None else str(found)

    @print_area.setter
    @needs("put_setting")
    def print_area(self, value: str | None) -> None:
        self.put_setting("print-area", value)

    @property
    @field
    def heading_columns(self) -> str | None:
        """The columns repeated at the left of each printed page: "A" or "A:B"; nothing for none.

        Example: sheet.heading-columns = "A"
        Also: repeat columns, print titles
        """
        found = self.setting("heading-columns")
        return None if found is None else str(found)

    @heading_columns.setter
    @needs("put_setting")
    def heading_columns(self, value: str | None) -> None:
        self.put_setting("heading-columns", value)

    @property
    @field
    @otherwise(100)
    def print_scale(self) -> int:
        """The print scale in percent, 10 to 400. It switches off fitting to pages.

        Example: sheet.print-scale = 85
        Also: scale, zoom, print smaller
        """
        return int(self.setting("print-scale"))

    @print_scale.setter
    @needs("put_setting")
    def print_scale(self, value: int) -> None:
        self.put_setting("print-scale", value)

    @property
    @field
    @otherwise(False)
    def printed_gridlines(self) -> bool:
        """Whether gridlines are printed.

        Example: sheet.printed-gridlines = yes
        Also: print gridlines, lines
        """
        return bool(self.setting("printed-gridlines"))

    @printed_gridlines.setter
    @needs("put_setting")
    def printed_gridlines(self, value: bool) -> None:
        self.put_setting("printed-gridlines", value)

    @property
    @field
    @otherwise(False)
    def centred_across(self) -> bool:
        """Whether the print is centred horizontally on the page.

        Example: sheet.centred-across = yes
        Also: center horizontally, page setup
        """
        return bool(self.setting("centred-across"))

    @centred_across.setter
    @needs("put_setting")
    def centred_across(self, value: bool) -> None:
        self.put_setting("centred-across", value)

    @property
    @field
    @otherwise(False)
    def centred_down(self) -> bool:
        """Whether the print is centred vertically on the page.

        Example: sheet.centred-down = yes
        Also: center vertically, page setup
        """
        return bool(self.setting("centred-down"))

    @centred_down.setter
    @needs("put_setting")
    def centred_down(self, value: bool) -> None:
        self.put_setting("centred-down", value)

    @property
    @field
    def left_header(self) -> PrintedText | None:
        """The header, left; with the same fields as the header.

        Example: sheet.left-header = "{sheet-name}"
        Also: print, page header
        """
        found = self.setting("left-header")
        return None if found is None else PrintedText(found)

    @left_header.setter
    @needs("put_setting")
    def left_header(self, value: PrintedText | None) -> None:
        self.put_setting("left-header", value)

    @property
    @field
    def left_footer(self) -> PrintedText | None:
        """The footer, left; with the same fields as the footer.

        Example: sheet.left-footer = "{print-date}"
        Also: print, page footer, date
        """
        found = self.setting("left-footer")
        return None if found is None else PrintedText(found)

    @left_footer.setter
    @needs("put_setting")
    def left_footer(self, value: PrintedText | None) -> None:
        self.put_setting("left-footer", value)

    @property
    @field
    def right_header(self) -> PrintedText | None:
        """The header, right; with the same fields as the header.

        Example: sheet.right-header = "{sheet-name}"
        Also: print, page header
        """
        found = self.setting("right-header")
        return None if found is None else PrintedText(found)

    @right_header.setter
    @needs("put_setting")
    def right_header(self, value: PrintedText | None) -> None:
        self.put_setting("right-header", value)

    @property
    @field
    def right_footer(self) -> PrintedText | None:
        """The footer, right; with the same fields as the footer.

        Example: sheet.right-footer = "{print-date}"
        Also: print, page footer, date
        """
        found = self.setting("right-footer")
        return None if found is None else PrintedText(found)

    @right_footer.setter
    @needs("put_setting")
    def right_footer(self, value: PrintedText | None) -> None:
        self.put_setting("right-footer", value)
