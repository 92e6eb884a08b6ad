"""PDFs: files of pages."""

from __future__ import annotations

import re
from collections.abc import Iterator
from datetime import datetime
from decimal import Decimal

from scrub.model.core.amounts import Length
from scrub.model.core.choice import Choice
from scrub.model.core.declare import FileItem, Item, Reach, action, field, finds, holds, may_lack, selects
from scrub.model.core.files import FilePath, MovableFile, ReadPath
from scrub.model.core.outline import Contents
from scrub.model.core.printing import Orientation
from scrub.model.core.problem import Failure
from scrub.model.core.required import required
from scrub.model.core.values import NewSecret, Secret
from scrub.model.pages.stamping import Placing, Stamped
from scrub.model.texts.described import Described


class SplitAt(Choice):
    """Where a PDF is split."""

    OUTLINE = "outline"


class OnPaper(Choice):
    """The paper on which pictures become pages."""

    A4 = "a4"
    A3 = "a3"
    A5 = "a5"
    LETTER = "letter"
    AS_IT_IS = "as-it-is"


class Page(Stamped):
    """One page of a PDF."""

    kind_word = "page"

    @property
    @field
    @required
    def number(self) -> int:
        """The position among the pages, from 1; pages keep their numbers until the file is saved.

        Example: if page.number > 1
        Also: index, position
        """
        raise NotImplementedError

    @property
    @field
    @required
    def page_label(self) -> str:
        """The page label, such as "iv" or "A-3", if the file has page labels.

        Example: log page.page-label
        Also: roman numbers, numbering
        """
        raise NotImplementedError

    @property
    @field
    @required
    def text(self) -> str:
        """The text of the page; pictures of text do not count.

        Example: if page.text contains "draft"
        Also: content, words, search, find
        """
        raise NotImplementedError

    @property
    @field
    @required
    def blank(self) -> bool:
        """Whether the page is blank: no text, no pictures, nothing drawn. A scanned page is not blank.

        Example: if page.blank
        Also: empty page, white page, nothing on it
        """
        raise NotImplementedError

    @property
    @field
    @required
    def rotation(self) -> int:
        """The rotation to the right in degrees: 0, 90, 180 or 270.

        Example: page.rotation = 90
        Also: rotate, turn, upright, landscape
        """
        raise NotImplementedError

    @rotation.setter
    @may_lack
    def rotation(self, value: int) -> None:
        raise NotImplementedError

    @property
    @field
    def orientation(self) -> Orientation:
        """The orientation as displayed.

        Example: if page.orientation is landscape
        Also: portrait, format
        """
        return Orientation.LANDSCAPE if self.width > self.height else Orientation.PORTRAIT

    @property
    @field
    @required
    def width(self) -> Length:
        """The width as displayed.

        Example: if page.width > 30 cm
        Also: size, paper
        """
        raise NotImplementedError

    @property
    @field
    @required
    def height(self) -> Length:
        """The height as displayed.

        Example: if page.height > 30 cm
        Also: size, paper
        """
        raise NotImplementedError

    @action(Reach.CHANGE)
    @may_lack
    def delete(self) -> None:
        """Deletes the page with its contents, also from the bytes of the file.

        Example: delete
        Also: remove page, extract
        """
        raise NotImplementedError

    @action(Reach.CHANGE)
    @may_lack
    def move_to(self, place: int) -> None:
        """Moves the page to another position.

        place: the new position, from 1.
        Example: move-to 1
        Also: reorder pages, sort pages
        """
        raise NotImplementedError


class Pages(Stamped):
    """The selected pages of a PDF."""

    kind_word = "pages"
    called = "some pages"

    def __init__(self, file: Pdf, pages: list[Page], picked: bool) -> None:
        self._file = file
        self._pages = pages
        self._picked = picked

    @property
    def file(self) -> FileItem:
        """The PDF."""
        return self._file

    @property
    def label(self) -> str:
        """Their numbers."""
        return "pages " + ", ".join(str(page.number) for page in self._pages)

    @property
    @field
    def count(self) -> int:
        """The number of pages.

        Example: log "{selection.count} pages"
        Also: number of pages
        """
        return len(self._pages)

    @property
    @field
    def picked(self) -> bool:
        """Whether they were selected with `--at`.

        Example: if not selection.picked
        Also: selected, chosen
        """
        return self._picked

    @holds
    def pages(self) -> Iterator[Page]:
        """The pages."""
        return iter(self._pages)

    def put_picture(self, path: FilePath, width: Decimal | None, at: Placing) -> None:
        """Puts a picture on each."""
        for page in self._pages:
            page.put_picture(path, width, at)

    def put_text(self, text: str, size: Decimal, colour: str, at: Placing) -> None:
        """Puts a text on each."""
        for page in self._pages:
            page.put_text(text, size, colour, at)

    def take_stamp(self, called: str) -> None:
        """Takes a stamp off each."""
        for page in self._pages:
            page.take_stamp(called)

    @action(Reach.CHANGE)
    def delete(self) -> None:
        """Deletes the pages with their contents, also from the bytes of the file.

        Example: delete
        Also: remove pages
        """
        for page in self._pages:
            page.delete()

    @action(Reach.FILES, "saves pages as files")
    def save_pages(self, name: FilePath, to: FilePath | None = None) -> None:
        """Saves the pages as a PDF of their own, as they are at the end of the macro.

        name: the name of the new file.
        to: the folder; a relative path starts from the file's own folder.
        Example: save-pages name: "Route cards 2 to 5"
        Also: extract pages, export
        """
        self._file.save_some(self._pages, str(name), to)


class OutlineItem(Item):
    """An entry of the outline that viewers show beside the pages."""

    kind_word = "outline-item"

    @property
    @field
    @required
    def title(self) -> str:
        """The text.

        Example: outline-item.title = outline-item.title.lower.sentence-case
        Also: bookmark, table of contents, chapter
        """
        raise NotImplementedError

    @title.setter
    @required
    def title(self, value: str) -> None:
        raise NotImplementedError

    @property
    @field
    @required
    def level(self) -> int:
        """The level, from 1.

        Example: if outline-item.level is 1
        Also: bookmark, depth
        """
        raise NotImplementedError

    @property
    @field
    @required
    def page_number(self) -> int | None:
        """The page it points to; nothing if it points elsewhere.

        Example: log outline-item.page-number
        Also: bookmark, target
        """
        raise NotImplementedError

    @action(Reach.CHANGE)
    @required
    def delete(self) -> None:
        """Deletes the entry and those below it; the pages remain.

        Example: delete
        Also: remove bookmark
        """
        raise NotImplementedError

    @action(Reach.FILES, "saves pages as files")
    @required
    def save_pages(self, name: FilePath | None = None, to: FilePath | None = None) -> None:
        """Saves the pages of this entry as a PDF of their own, as they are at the end of the macro.

        name: the name of the new file; default: the text of the entry.
        to: the folder; a relative path starts from the file's own folder.
        Example: save-pages to: "parts"
        Also: extract chapter, split, export
        """
        raise NotImplementedError


class Pdf(Described, MovableFile, Stamped):
    """A PDF: a file of pages."""

    kind_word = "pdf"
    part_word = "page"

    @property
    @field
    @required
    def made_at(self) -> datetime | None:
        """The creation date in the properties; nothing if there is none.

        Example: if pdf.made-at < now - 365 days
        Also: created, creation date, age
        """
        raise NotImplementedError

    @property
    @field
    @required
    def signed(self) -> bool:
        """Whether the file is signed. To change it, remove the signatures first.

        Example: if pdf.signed
        Also: signature, certificate
        """
        raise NotImplementedError

    @property
    @field
    @required
    def locked(self) -> bool:
        """Whether the file still needs its password.

        Example: if pdf.locked
        Also: encrypted, password, protected
        """
        raise NotImplementedError

    @property
    @field
    def text(self) -> str:
        """The text of all pages.

        Example: if pdf.text contains "route card"
        Also: content, words, search
        """
        return "\n".join(page.text for page in self.pages())

    @property
    @field
    @required
    def attachments(self) -> list[str]:
        """The names of the attached files.

        Example: if pdf.attachments is not empty
        Also: embedded files
        """
        raise NotImplementedError

    @holds
    @required
    def pages(self) -> Iterator[Page]:
        """Its pages, in order."""
        raise NotImplementedError

    @holds
    @required
    def outline_items(self) -> Iterator[OutlineItem]:
        """The entries of its outline, from the first to the last."""
        raise NotImplementedError

    @finds
    def find_page(self, number: int) -> Page:
        """A page by its number: `page(3)`."""
        pages = list(self.pages())
        if not 1 <= number <= len(pages):
            raise Failure(f"{self.name} has {len(pages)} pages, but no page {number}")
        return pages[number - 1]

    @finds
    def find_pages(self, which: str) -> Pages:
        """Some pages by their numbers: `pages("2-5, 8")`; also odd, even, first and last."""
        return Pages(self, self._picked(which), False)

    @selects
    def selection(self, place: str | None = None) -> Pages:
        """What a person picked: `2-5, 8`, `odd`; or all of it."""
        if place is None:
            return Pages(self, list(self.pages()), False)
        return Pages(self, self._picked(place), True)

    def _picked(self, which: str) -> list[Page]:
        pages = list(self.pages())
        count, found = len(pages), dict[int, None]()
        for piece in which.replace("\u2013", "-").split(","):
            word = piece.strip().lower()
            span = re.fullmatch(r"(\d+|last)(?:\s*-\s*(\d+|last))?", word)
            if word in ("odd", "even"):
                numbers = range(1 if word == "odd" else 2, count + 1, 2)
            elif word in ("first", "all"):
                numbers = range(1, 2 if word == "first" else count + 1)
            elif span is not None:
                ends = [count if each == "last" else int(each) for each in (span[1], span[2] or span[1])]
                if not 1 <= ends[0] <= ends[1] <= count:
                    raise Failure(f'{self.name} has {count} pages, but no pages "{piece.strip()}"')
                numbers = range(ends[0], ends[1] + 1)
            else:
                raise Failure(f'"{piece.strip()}" is not a list of pages. Examples: 2-5, 8, odd, even, first, last')
            found.update(dict.fromkeys(numbers))
        return [pages[number - 1] for number in sorted(found)]

    @required
    def save_some(self, pages: list[Page], name: str, to: FilePath | None) -> None:
        """Saves some pages as a file of their own."""
        raise NotImplementedError

    def put_picture(self, path: FilePath, width: Decimal | None, at: Placing) -> None:
        """Puts a picture on each page."""
        for page in self.pages():
            page.put_picture(path, width, at)

    def put_text(self, text: str, size: Decimal, colour: str, at: Placing) -> None:
        """Puts a text on each page."""
        for page in self.pages():
            page.put_text(text, size, colour, at)

    def take_stamp(self, called: str) -> None:
        """Takes a stamp off each page."""
        for page in self.pages():
            page.take_stamp(called)

    @action(Reach.CHANGE)
    @may_lack
    def append(self, item: object | ReadPath, paper: OnPaper = OnPaper.A4) -> None:
        """Appends the pages of another PDF, or a picture as a page; all pages of a multi-page TIFF.

        item: a PDF or an image that was selected or opened, or its path from the file's own folder.
        paper: the page size for a picture; as-it-is uses the size of the picture.
        Example: append "larch-hut.jpg", paper: a4
        Also: join, merge, combine, add pages, insert pages
        """
        raise NotImplementedError

    @action(Reach.FILES, "saves pages as files")
    def split(self, every: int | None = None, at: SplitAt | None = None, to: FilePath | None = None) -> None:
        """Splits the pages into several PDFs beside the file, which is unchanged.

        every: the number of pages per file.
        at: outline for one file per entry at the first level of the outline.
        to: the folder; a relative path starts from the file's own folder.
        Example: split every: 10
        Also: separate, extract, burst, divide
        """
        pages = list(self.pages())
        if (every is None) == (at is None):
            raise Failure("the place to split is missing: every: 10, or at: outline")
        stem = self.name.rpartition(".")[0] or self.name
        if every is not None:
            if every < 1:
                raise Failure("each part needs at least one page")
            for start in range(0, len(pages), every):
                part = pages[start : start + every]
                last = f"-{start + len(part)}" if len(part) > 1 else ""
                self.save_some(part, f"{stem} {start + 1}{last}", to)
            return
        starts = [
            outline_item
            for outline_item in self.outline_items()
            if outline_item.level == 1 and outline_item.page_number is not None
        ]
        if not starts:
            raise Failure(f"{self.name} has no outline to split at")
        ends = [outline_item.page_number or 1 for outline_item in starts[1:]] + [len(pages) + 1]
        if (starts[0].page_number or 1) > 1:
            self.save_some(pages[: (starts[0].page_number or 1) - 1], f"{stem} 0", to)
        for number, (entry, end) in enumerate(zip(starts, ends, strict=True), 1):
            first = entry.page_number or 1
            name = f"{stem} {number} {as_name(entry.title)}".strip()
            self.save_some(pages[first - 1 : max(first, end - 1)], name, to)

    @action(Reach.CHANGE)
    @may_lack
    def encrypt(self, password: NewSecret) -> None:
        """Encrypts the file with a password (256-bit AES).

        password: the password.
        Example: encrypt password: code
        Also: protect, lock, password, secure
        """
        raise NotImplementedError

    @action(Reach.CHANGE)
    @may_lack
    def unlock(self, password: Secret) -> None:
        """Unlocks an encrypted file for the macro; the file remains encrypted.

        password: the password. A wrong one is rejected.
        Example: unlock password: code
        Also: decrypt, open, password
        """
        raise NotImplementedError

    @action(Reach.CHANGE)
    @may_lack
    def remove_password(self) -> None:
        """Removes the password. Unlock the file first.

        Example: remove-password
        Also: decrypt, unprotect
        """
        raise NotImplementedError

    @action(Reach.CHANGE)
    @may_lack
    def remove_metadata(self) -> None:
        """Removes the metadata about author, program and dates, also from the bytes of the file.

        Example: remove-metadata
        Also: properties, author, anonymous, inspect, clean, privacy
        """
        raise NotImplementedError

    @action(Reach.CHANGE)
    @may_lack
    def remove_signatures(self) -> None:
        """Removes the signatures, to allow changes.

        Example: remove-signatures
        Also: unsign, certificate
        """
        raise NotImplementedError

    def contents(self) -> Contents:
        """Its pages."""
        rows: list[dict[str, object]] = []
        for page in self.pages():
            words = " ".join(page.text.split())
            size = f"{page.width.in_unit('cm'):.1f} x {page.height.in_unit('cm'):.1f} cm"
            rows.append({"number": page.number, "size": size, "text": words[:60] + ("..." if len(words) > 60 else "")})
        return Contents("page", rows, hint="In a macro: each page where page.text contains … More: scrub catalog page")


def as_name(title: str) -> str:
    """A title as the name of a file."""
    return re.sub(r'[\\/:*?"<>|\x00-\x1f]', " ", title).strip()[:80]


#: The kinds in PDFs.
KINDS = (Pdf, Page, Pages, OutlineItem)
