"""What stands among the words of a document: links, pictures, bookmarks; and the sections it is printed in."""

from __future__ import annotations

import re
from collections.abc import Iterable
from decimal import Decimal

from scrub.model.declare import Item, Reach, action, field, may_lack, needs
from scrub.model.files import FilePath
from scrub.model.paragraphs import Paragraph
from scrub.model.printing import Orientation
from scrub.model.problem import Failure


class Link(Item):
    """Words that lead somewhere: to an address, or to a place in the document."""

    kind_word = "link"

    @property
    @field
    def address(self) -> str:
        """Where it leads; "#Water" is the bookmark called so in the document itself.

        Example: link.address = link.address.replaced("http:", by: "https:")
        Also: url, hyperlink, target, web
        """
        raise NotImplementedError

    @address.setter
    @may_lack
    def address(self, value: str) -> None:
        raise NotImplementedError

    @property
    @field
    def text(self) -> str:
        """The words that are the link.

        Example: log link.text
        Also: content, words
        """
        raise NotImplementedError

    @action(Reach.CHANGE)
    @may_lack
    def remove(self) -> None:
        """Takes the link away; its words stay.

        Example: remove
        Also: delete, unlink, hyperlink
        """
        raise NotImplementedError


def ensure_address(value: str) -> None:
    """Raises `Failure` for what a link cannot lead to."""
    if not value.strip() or re.search(r'[\s"<>]', value.strip()):
        raise Failure(f'"{value}" is no address: it is empty, or has a blank or a quotation mark in it')


class Picture(Item):
    """A picture among the words.

    Also: image, photo, logo, drawing
    """

    kind_word = "picture"

    @property
    @field
    def name(self) -> str:
        """Its name in the document.

        Example: log picture.name
        Also: title
        """
        raise NotImplementedError

    @property
    @field
    def alternative_text(self) -> str | None:
        """What it shows, in words, for those who do not see it; nothing where that is missing.

        Example: if picture.alternative-text is nothing
        Also: alt text, description, accessibility
        """
        raise NotImplementedError

    @alternative_text.setter
    @may_lack
    def alternative_text(self, value: str | None) -> None:
        raise NotImplementedError

    @property
    @field
    def width(self) -> Decimal | None:
        """How wide it is, in centimetres; nothing where the document does not say. Set, its height follows.

        Example: picture.width = 12
        Also: size, cm, resize, scale, smaller
        """
        return self.measure("width")

    @width.setter
    @needs("put_size")
    def width(self, value: Decimal) -> None:
        self._set_size("width", value)

    @property
    @field
    def height(self) -> Decimal | None:
        """How high it is, in centimetres; nothing where the document does not say. Set, its width follows.

        Example: if picture.height > 20
        Also: size, cm, resize, scale, smaller
        """
        return self.measure("height")

    @height.setter
    @needs("put_size")
    def height(self, value: Decimal) -> None:
        self._set_size("height", value)

    def measure(self, side: str) -> Decimal | None:
        """How wide or high it is, in centimetres."""
        raise NotImplementedError

    def _set_size(self, side: str, value: Decimal) -> None:
        wide, high = self.width, self.height
        before = wide if side == "width" else high
        if not wide or not high or before is None:
            raise Failure(f"{self.label}: the document does not say how large {self.name or 'the picture'} is")
        if not Decimal("0.1") <= value <= 55:
            raise Failure(f"{self.label}: a picture is from 0.1 to 55 cm {'wide' if side == 'width' else 'high'}")
        if value != before:
            factor = value / before
            self.put_size(*((value, high * factor) if side == "width" else (wide * factor, value)))

    @may_lack
    def put_size(self, wide: Decimal, high: Decimal) -> None:
        """Sets how large it is, in centimetres."""
        raise NotImplementedError

    @action(Reach.CHANGE)
    def replace_with(self, picture: FilePath) -> None:
        """Shows another picture in its place, as wide as this one; its height follows.

        picture: the file, a .png or a .jpg.
        Example: replace-with "seal.png"
        Also: exchange picture, change picture, swap image, new logo
        """
        raise NotImplementedError

    @action(Reach.FILES, "saves pictures as files")
    def save(self, to: FilePath | None = None, name: str | None = None) -> None:
        """Saves it as a file. A file that is there already is never overwritten: the new one gets a number.

        to: the folder, which is made if it is not there; a relative one counts from the picked file.
        name: its name, made safe; left out, its name in the document.
        Example: save to: "pictures"
        Also: extract, export, images
        """
        raise NotImplementedError

    @action(Reach.CHANGE)
    def delete(self) -> None:
        """Takes it out of the document, the file inside it too where nothing else shows it.

        Example: delete
        Also: remove picture, image
        """
        raise NotImplementedError


class Field(Item):
    """A place whose words a program works out: a page number, a date, a reference."""

    kind_word = "field"

    @property
    @field
    def code(self) -> str:
        """What it works out, as the file says it: "PAGE", "DATE".

        Example: if field.code starts with "DATE"
        Also: instruction, type
        """
        raise NotImplementedError

    @property
    @field
    def result(self) -> str:
        """What it shows.

        Example: log field.result
        Also: text, value
        """
        raise NotImplementedError

    @action(Reach.CHANGE)
    @may_lack
    def fix(self) -> None:
        """Makes what it shows plain text, which no update changes any more.

        Example: fix
        Also: unlink, freeze, plain text
        """
        raise NotImplementedError


class Bookmark(Item):
    """A place with a name."""

    kind_word = "bookmark"

    @property
    @field
    def name(self) -> str:
        """Its name. What leads to it is changed with it.

        Example: bookmark.name = "Water"
        Also: rename, anchor
        """
        raise NotImplementedError

    @name.setter
    @may_lack
    def name(self, value: str) -> None:
        raise NotImplementedError

    @action(Reach.CHANGE)
    @may_lack
    def remove(self) -> None:
        """Takes the bookmark away; its words stay.

        Example: remove
        Also: delete, anchor
        """
        raise NotImplementedError

    def covers(self) -> Iterable[tuple[Paragraph, int, int]]:
        """The paragraphs that it lies over, each with the letters."""
        raise NotImplementedError


#: As many columns as letters find room in.
MOST_TEXT_COLUMNS = 20


class Section(Item):
    """A part of a document that is printed on paper of its own."""

    kind_word = "section"

    def ensure_length(self, word: str, value: Decimal) -> None:
        """Raises `Failure` for a length that no paper has."""
        if not 0 <= value <= 55 or ("page" in word and value < 1):
            raise Failure(f"{self.label}: a length on paper is from 0 to 55 cm, not {value}")

    def measure(self, word: str) -> Decimal | None:
        """A length, in centimetres; None where the document does not say."""
        raise NotImplementedError

    @may_lack
    def put_measure(self, word: str, value: Decimal) -> None:
        """Sets a length."""
        raise NotImplementedError

    @property
    @field
    def orientation(self) -> Orientation:
        """How its paper lies.

        Example: section.orientation = landscape
        Also: page setup, page layout, paper
        """
        raise NotImplementedError

    @orientation.setter
    @may_lack
    def orientation(self, value: Orientation) -> None:
        raise NotImplementedError

    @property
    @field
    def page_width(self) -> Decimal | None:
        """How wide its paper is, in centimetres.

        Example: section.page-width = 21
        Also: paper size, page setup, a4
        """
        return self.measure("page_width")

    @page_width.setter
    @needs("put_measure")
    def page_width(self, value: Decimal) -> None:
        self.put_measure("page_width", value)

    @property
    @field
    def page_height(self) -> Decimal | None:
        """How high its paper is, in centimetres.

        Example: section.page-height = 29.7
        Also: paper size, page setup, a4
        """
        return self.measure("page_height")

    @page_height.setter
    @needs("put_measure")
    def page_height(self, value: Decimal) -> None:
        self.put_measure("page_height", value)

    @property
    @field
    def left_margin(self) -> Decimal | None:
        """The blank space at the left of its text, in centimetres.

        Example: section.left-margin = 2.5
        Also: margins, page setup
        """
        return self.measure("left_margin")

    @left_margin.setter
    @needs("put_measure")
    def left_margin(self, value: Decimal) -> None:
        self.put_measure("left_margin", value)

    @property
    @field
    def right_margin(self) -> Decimal | None:
        """The blank space at the right of its text, in centimetres.

        Example: section.right-margin = 2.5
        Also: margins, page setup
        """
        return self.measure("right_margin")

    @right_margin.setter
    @needs("put_measure")
    def right_margin(self, value: Decimal) -> None:
        self.put_measure("right_margin", value)

    @property
    @field
    def top_margin(self) -> Decimal | None:
        """The blank space above its text, in centimetres.

        Example: section.top-margin = 2.5
        Also: margins, page setup
        """
        return self.measure("top_margin")

    @top_margin.setter
    @needs("put_measure")
    def top_margin(self, value: Decimal) -> None:
        self.put_measure("top_margin", value)

    @property
    @field
    def bottom_margin(self) -> Decimal | None:
        """The blank space below its text, in centimetres.

        Example: section.bottom-margin = 2.5
        Also: margins, page setup
        """
        return self.measure("bottom_margin")

    @bottom_margin.setter
    @needs("put_measure")
    def bottom_margin(self, value: Decimal) -> None:
        self.put_measure("bottom_margin", value)

    @property
    @field
    def columns(self) -> int:
        """In how many columns its text runs, of one width each.

        Example: section.columns = 2
        Also: newspaper columns, two columns, page layout
        """
        raise NotImplementedError

    @columns.setter
    @may_lack
    def columns(self, value: int) -> None:
        raise NotImplementedError

    def ensure_columns(self, count: int) -> None:
        """Raises `Failure` for as many columns as no page has."""
        if not 1 <= count <= MOST_TEXT_COLUMNS:
            raise Failure(f"{self.label}: a page has 1 to {MOST_TEXT_COLUMNS} columns, not {count}")
