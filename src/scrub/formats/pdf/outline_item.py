"""An entry of the outline of an open PDF."""

from __future__ import annotations

from typing import Protocol

from scrub.formats.pdf.outline import OutlineEntry
from scrub.model.core.declare import FileItem
from scrub.model.core.files import FilePath
from scrub.model.pages.pdf import OutlineItem, Page, as_name


class Holder(Protocol):
    """What an entry asks of its PDF."""

    @property
    def item_file(self) -> FileItem:
        """The PDF as an item."""

    def ensure_open(self) -> None:
        """Raises `Failure` where the PDF cannot be changed."""

    def pages_under(self, entry: OutlineEntry) -> list[Page]:
        """The pages of which an entry is the heading."""

    def save_some(self, pages: list[Page], name: str, to: FilePath | None) -> None:
        """Saves some pages as a file of their own."""


class OpenOutlineItem(OutlineItem):
    """An entry, to be given another title or removed."""

    def __init__(self, holder: Holder, entry: OutlineEntry) -> None:
        self._holder, self._entry = holder, entry

    @property
    def file(self) -> FileItem:
        """The PDF."""
        return self._holder.item_file

    @property
    def label(self) -> str:
        """What it says."""
        return self._entry.said

    @property
    def removed(self) -> bool:
        """Whether it was removed."""
        return self._entry.gone

    @property
    def title(self) -> str:
        """What it says."""
        return self._entry.said

    @title.setter
    def title(self, value: str) -> None:
        before, former = self._entry.said, self._entry.title
        if value == before:
            return
        self._holder.ensure_open()
        self._entry.title = value

        def revert() -> None:
            self._entry.title = former

        self.changed("title", before, value, revert)

    @property
    def level(self) -> int:
        """How deep it is."""
        return self._entry.level

    @property
    def page_number(self) -> int | None:
        """The page to which it leads."""
        return self._entry.page

    def delete(self) -> None:
        """Takes it out, with those below it."""
        self._holder.ensure_open()
        self._entry.gone = True

        def revert() -> None:
            self._entry.gone = False

        self.changed("deleted", False, True, revert, f'"{self._entry.said}" deleted from the outline')

    def save_pages(self, name: FilePath | None = None, to: FilePath | None = None) -> None:
        """Saves the pages below it as a file of their own."""
        self._holder.save_some(self._holder.pages_under(self._entry), str(name or as_name(self._entry.said)), to)
