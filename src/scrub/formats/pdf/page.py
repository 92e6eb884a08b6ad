"""A page of an open PDF, with what was done to it."""

from __future__ import annotations

import os
from decimal import Decimal
from typing import TYPE_CHECKING, Protocol

from scrub.formats.kept import put_in
from scrub.formats.pdf.boxes import FoundPage, own_turn, seen
from scrub.formats.pdf.fonts import line
from scrub.formats.pdf.stamps import Drawing, PictureStamp, Stamp, TextStamp, stamps_on
from scrub.model.core.amounts import Length
from scrub.model.core.change import Undo
from scrub.model.core.colours import colour_of
from scrub.model.core.declare import FileItem
from scrub.model.core.files import FilePath, placed
from scrub.model.core.problem import Failure
from scrub.model.pages.pdf import Page
from scrub.model.pages.stamping import Placing

if TYPE_CHECKING:
    pass


class Holder(Protocol):
    """What a page asks of its PDF."""

    @property
    def item_file(self) -> FileItem:
        """The PDF as an item."""

    def ensure_open(self) -> None:
        """Raises `Failure` where the PDF cannot be changed."""

    def number_of(self, page: OpenPage) -> int:
        """The place of a page among the others."""

    def words_of(self, page: OpenPage) -> str:
        """The words on a page."""

    def is_blank(self, page: OpenPage) -> bool:
        """Whether nothing is seen on a page as it is in the file."""

    def label_of(self, page: OpenPage) -> str:
        """The number that is shown for a page."""

    def picture(self, path: str) -> tuple[str, Drawing]:
        """A picture from a file, with what tells it from others."""

    def take_out(self, page: OpenPage) -> Undo:
        """Takes a page out; returns how to undo it."""

    def put_at(self, page: OpenPage, place: int) -> Undo:
        """Gives a page another place; returns how to undo it."""


class OpenPage(Page):
    """One page. Those that came from other files can be moved and removed, and no more before the file is saved."""

    def __init__(self, holder: Holder, index: int, found: FoundPage | None, first: int) -> None:
        """`index` is its place in the file it is of; `first` its number when the macro began, 0 for one that came."""
        self.holder = holder
        self.index = index
        self.found = found
        self.first = first
        self.source: int | None = None  # the file it came from, where that is another one
        self.stamps: dict[str, Stamp | None] = {}
        self.turn: int | None = None
        self.gone = False

    @property
    def file(self) -> FileItem:
        """The PDF."""
        return self.holder.item_file

    @property
    def label(self) -> str:
        """Its number when the macro began."""
        return f"page {self.first}" if self.first else f"new page {self.number}"

    @property
    def removed(self) -> bool:
        """Whether it was removed."""
        return self.gone

    @property
    def number(self) -> int:
        """Its number when the macro began; of one that came, its place."""
        return self.first or self.holder.number_of(self)

    @property
    def page_label(self) -> str:
        """The number that is shown for it."""
        return self.holder.label_of(self)

    @property
    def text(self) -> str:
        """The words on it."""
        return self.holder.words_of(self)

    @property
    def blank(self) -> bool:
        """Whether nothing is seen on it."""
        return not any(self.stamps.values()) and self.holder.is_blank(self)

    def _own(self) -> FoundPage:
        if self.found is None:
            raise Failure(f"{self.label} comes from another file. Save this file first, then change the page")
        return self.found

    @property
    def rotation(self) -> int:
        """By how many degrees it is turned to the right."""
        return own_turn(self._own()) if self.turn is None else self.turn

    @rotation.setter
    def rotation(self, value: int) -> None:
        before = self.rotation
        if value % 90:
            raise Failure(f"a page can be rotated by 0, 90, 180 or 270 degrees, not {value}")
        if value % 360 == before:
            return
        self.holder.ensure_open()
        former, self.turn = self.turn, value % 360

        def revert() -> None:
            self.turn = former

        self.changed("rotation", before, value % 360, revert)

    @property
    def width(self) -> Length:
        """How wide it is as it is seen."""
        return _length(seen(self._own(), self.turn).size[0])

    @property
    def height(self) -> Length:
        """How high it is as it is seen."""
        return _length(seen(self._own(), self.turn).size[1])

    # -- stamps

    def put_picture(self, path: FilePath, width: Decimal | None, at: Placing) -> None:
        """Draws it as content of its own (ISO 32000-2, 8.9)."""
        address = self.file.address if hasattr(self.file, "address") else ""
        whole = placed(os.path.dirname(address), path)
        key, picture = self.holder.picture(whole)
        wide, high = picture.size
        if width is not None:
            wide, high = float(width), high * float(width) / wide
        said = f"{os.path.basename(whole)}, {wide / 72 * 2.54:.1f} cm"
        self._stamp(Stamp(PictureStamp(picture, key, (wide, high)), at), said)

    def put_text(self, text: str, size: Decimal, colour: str, at: Placing) -> None:
        """Draws it as content of its own (ISO 32000-2, 9.4)."""
        line(text)  # fails where a letter cannot be written
        self._stamp(Stamp(TextStamp(text, size, colour_of(colour)), at), f'"{text}"')

    def _stamp(self, stamp: Stamp, said: str) -> None:
        self._own()
        self.holder.ensure_open()
        name = stamp.at.called
        before = self._said_of(name)
        back = put_in(self.stamps, name, stamp)
        self.changed(name, before, f"{said}, {stamp.at.words()}", back)

    def _said_of(self, name: str) -> str | None:
        if name in self.stamps:
            return "another one" if self.stamps[name] is not None else None
        return "the earlier one" if name in stamps_on(self._own()) else None

    def take_stamp(self, called: str) -> None:
        """Takes a stamp off."""
        if self.found is None or self._said_of(called) is None:
            return
        self.holder.ensure_open()
        back = put_in(self.stamps, called, None)
        self.changed(called, "the stamp", None, back)

    # -- the pages as a list

    def delete(self) -> None:
        """Takes it out."""
        self.holder.ensure_open()
        label, back = self.label, self.holder.take_out(self)
        self.changed("deleted", False, True, back, f"{label} deleted")

    def move_to(self, place: int) -> None:
        """Gives it another place."""
        before = self.holder.number_of(self)
        if place != before:
            self.holder.ensure_open()
            self.changed("place", before, place, self.holder.put_at(self, place))

    @property
    def touched(self) -> bool:
        """Whether what is on it changed."""
        return bool(self.stamps) or self.turn is not None


def _length(points: float) -> Length:
    return Length((Decimal(str(round(points, 3))) / 72 * Decimal("2.54")).quantize(Decimal("0.01")), "cm")
