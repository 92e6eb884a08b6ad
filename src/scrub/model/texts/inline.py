"""What is among the words of a document: links, pictures, bookmarks; and the sections it is printed in."""

from __future__ import annotations

import re
from collections.abc import Iterable
from decimal import Decimal

from scrub.model.core.amounts import Length
from scrub.model.core.declare import Item, Reach, action, field, may_lack, needs
from scrub.model.core.files import FilePath, ReadPath
from scrub.model.core.printing import Orientation
from scrub.model.core.problem import Failure
from scrub.model.core.required import required
from scrub.model.texts.paragraphs import Paragraph


class Link(Item):
    """Words that lead somewhere: to an address, or to a place in the document."""

    kind_word = "link"

    @property
    @field
    @required
    def address(self) -> str:
        """The address; "#Water" is the bookmark of that name in the document.

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
    @required
    def text(self) -> str:
        """The text of the link.

        Example: log link.text
        Also: content, words
        """
        raise NotImplementedError

    @action(Reach.CHANGE)
    @may_lack
    def delete(self) -> None:
        """Deletes the link; its text remains.

        Example: delete
        Also: remove, unlink, hyperlink
        """
        raise NotImplementedError


def ensure_address(value: str) -> None:
    """Raises `Failure` for what a link cannot lead to."""
    if not value.strip() or re.search(r'[\s"<>]', value.strip()):
        raise Failure(f'"{value}" is not an address: it is empty, or contains a space or a quotation mark')


class Picture(Item):
    """A picture among the words.

    Also: image, photo, logo, drawing
    """

    kind_word = "picture"

    @property
    @field
    @required
    def name(self) -> str:
        """The name in the document.

        Example: log picture.name
        Also: title
        """
        raise NotImplementedError

    @property
    @field
    @required
    def alternative_text(self) -> str | None:
        """The alternative text, for people who cannot see the picture; nothing if it is missing.

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
    def width(self) -> Length | None:
        """The width, such as 6 cm; nothing if the document has none. Setting it adjusts the height.

        Example: picture.width = 12 cm
        Also: size, cm, resize, scale, smaller
        """
        return self.measure("width")

    @width.setter
    @needs("put_size")
    def width(self, value: Length) -> None:
        self._set_size("width", value)

    @property
    @field
    def height(self) -> Length | None:
        """The height, such as 4 cm; nothing if the document has none. Setting it adjusts the width.

        Example: if picture.height > 20 cm
        Also: size, cm, resize, scale, smaller
        """
        return self.measure("height")

    @height.setter
    @needs("put_size")
    def height(self, value: Length) -> None:
        self._set_size("height", value)

    @required
    def measure(self, side: str) -> Length | None:
        """How wide or high it is; None where the document does not say."""
        raise NotImplementedError

    def _set_size(self, side: str, value: Length) -> None:
        wide, high = self.width, self.height
        before = wide if side == "width" else high
        if not wide or not high or before is None:
            raise Failure(f"{self.label}: the size of {self.name or 'the picture'} is missing in the document")
        new = value.in_unit("cm")
        if not Decimal("0.1") <= new <= 55:
            raise Failure(f"{self.label}: a picture can be 0.1 to 55 cm {'wide' if side == 'width' else 'high'}")
        if value != before:
            factor = new / before.in_unit("cm")
            other = (high if side == "width" else wide).in_unit("cm") * factor
            self.put_size(*((new, other) if side == "width" else (other, new)))

    @may_lack
    def put_size(self, wide: Decimal, high: Decimal) -> None:
        """Sets how large it is, in centimetres."""
        raise NotImplementedError

    @action(Reach.CHANGE)
    @required
    def replace_with(self, picture: ReadPath) -> None:
        """Replaces the picture with another one of the same width; the height is adjusted.

        picture: a .png or .jpg file.
        Example: replace-with "seal.png"
        Also: exchange picture, change picture, swap image, new logo
        """
        raise NotImplementedError

    @action(Reach.FILES, "saves pictures as files")
    @required
    def save(self, to: FilePath | None = None, name: str | None = None) -> None:
        """Saves it as a file. An existing file is never overwritten: the new one gets a number.

        to: the folder, created if necessary; a relative path starts from the selected file.
        name: the file name, made safe; default: its name in the document.
        Example: save to: "pictures"
        Also: extract, export, images
        """
        raise NotImplementedError

    @action(Reach.CHANGE)
    @required
    def delete(self) -> None:
        """Deletes it from the document, with its data unless it is used elsewhere.

        Example: delete
        Also: remove picture, image
        """
        raise NotImplementedError


class Field(Item):
    """A place whose words a program works out: a page number, a date, a reference."""

    kind_word = "field"

    @property
    @field
    @required
    def code(self) -> str:
        """The field code: "PAGE", "DATE".

        Example: if field.code starts with "DATE"
        Also: instruction, type
        """
        raise NotImplementedError

    @property
    @field
    @required
    def result(self) -> str:
        """The text that the field shows.

        Example: log field.result
        Also: text, value
        """
        raise NotImplementedError

    @action(Reach.CHANGE)
    @may_lack
    def fix(self) -> None:
        """Turns the field into plain text, which updates no longer change.

        Example: fix
        Also: unlink, freeze, plain text
        """
        raise NotImplementedError


class Bookmark(Item):
    """A place with a name."""

    kind_word = "bookmark"

    @property
    @field
    @required
    def name(self) -> str:
        """The name. References to the bookmark are updated.

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
    def delete(self) -> None:
        """Deletes the bookmark; its text remains.

        Example: delete
        Also: remove, anchor
        """
        raise NotImplementedError

    @required
    def covers(self) -> Iterable[tuple[Paragraph, int, int]]:
        """The paragraphs that it is over, each with the characters."""
        raise NotImplementedError


#: As many columns as letters can name.
MOST_TEXT_COLUMNS = 20


class Section(Item):
    """A part of a document that is printed on paper of its own."""

    kind_word = "section"

    def ensure_length(self, word: str, value: Length) -> None:
        """Raises `Failure` for a length that no paper has."""
        least = 1 if "page" in word else 0
        if not least <= value.in_unit("cm") <= 55:
            raise Failure(f"{self.label}: a length on paper can be {least} to 55 cm, not {value}")

    @required
    def measure(self, word: str) -> Length | None:
        """A length; None where the document does not say."""
        raise NotImplementedError

    @may_lack
    def put_measure(self, word: str, value: Length) -> None:
        """Sets a length."""
        raise NotImplementedError

    @property
    @field
    @required
    def orientation(self) -> Orientation:
        """The paper orientation.

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
    def page_width(self) -> Length | None:
        """The paper width, such as 21 cm.

        Example: section.page-width = 21 cm
        Also: paper size, page setup, a4
        """
        return self.measure("page_width")

    @page_width.setter
    @needs("put_measure")
    def page_width(self, value: Length) -> None:
        self.put_measure("page_width", value)

    @property
    @field
    def page_height(self) -> Length | None:
        """The paper height, such as 29.7 cm.

        Example: section.page-height = 29.7 cm
        Also: paper size, page setup, a4
        """
        return self.measure("page_height")

    @page_height.setter
    @needs("put_measure")
    def page_height(self, value: Length) -> None:
        self.put_measure("page_height", value)

    @property
    @field
    def left_margin(self) -> Length | None:
        """The left margin, such as 2 cm.

        Example: section.left-margin = 2.5 cm
        Also: margins, page setup
        """
        return self.measure("left_margin")

    @left_margin.setter
    @needs("put_measure")
    def left_margin(self, value: Length) -> None:
        self.put_measure("left_margin", value)

    @property
    @field
    def right_margin(self) -> Length | None:
        """The right margin, such as 2 cm.

        Example: section.right-margin = 2.5 cm
        Also: margins, page setup
        """
        return self.measure("right_margin")

    @right_margin.setter
    @needs("put_measure")
    def right_margin(self, value: Length) -> None:
        self.put_measure("right_margin", value)

    @property
    @field
    def top_margin(self) -> Length | None:
        """The top margin, such as 2 cm.

        Example: section.top-margin = 2.5 cm
        Also: margins, page setup
        """
        return self.measure("top_margin")

    @top_margin.setter
    @needs("put_measure")
    def top_margin(self, value: Length) -> None:
        self.put_measure("top_margin", value)

    @property
    @field
    def bottom_margin(self) -> Length | None:
        """The bottom margin, such as 2 cm.

        Example: section.bottom-margin = 2.5 cm
        Also: margins, page setup
        """
        return self.measure("bottom_margin")

    @bottom_margin.setter
    @needs("put_measure")
    def bottom_margin(self, value: Length) -> None:
        self.put_measure("bottom_margin", value)

    @property
    @field
    @required
    def columns(self) -> int:
        """The number of text columns of equal width.

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
