"""An open PDF: what was done to it is appended, or rewritten where something must be gone (7.5.6)."""

from __future__ import annotations

import io
import os
import re
from collections.abc import Iterator
from contextlib import suppress
from datetime import datetime, timedelta, timezone
from typing import Any

from scrub.formats.described import DescribedFile
from scrub.formats.file import PickedFile
from scrub.formats.images.needed import needed, told_as_damage
from scrub.formats.kept import put_in
from scrub.formats.pdf.appended import Appended, pages_like
from scrub.formats.pdf.bounded import ensure_bounded, unpacked
from scrub.formats.pdf.boxes import pages_of
from scrub.formats.pdf.foreign import drawn_page
from scrub.formats.pdf.images import drawn
from scrub.formats.pdf.objects import fields_of, held, is_signature
from scrub.formats.pdf.outline import Outline, OutlineEntry
from scrub.formats.pdf.outline_item import OpenOutlineItem
from scrub.formats.pdf.page import OpenPage
from scrub.formats.pdf.rewrite import Rewriting, new_with
from scrub.formats.pdf.stamps import Drawing, Stamping, TextStamp
from scrub.formats.pdf.text import Words
from scrub.formats.pdf.update import Section, dictionary
from scrub.formats.source import FreshSource, Source, data_of, opened
from scrub.model.core.change import Undo
from scrub.model.core.declare import FileItem
from scrub.model.core.files import FilePath, ensure_file_name, placed
from scrub.model.core.problem import Failure, WrongPassword
from scrub.model.core.values import Secret
from scrub.model.pages.pdf import OnPaper, Page, Pdf
from scrub.store.patch import Copy, Effect, Patch, Piece, free_path, release, whole

#: The entries of the document's information (14.3.3), by the word of the field.
_INFO = {"title": "/Title", "author": "/Author", "subject": "/Subject", "keywords": "/Keywords"}
_DATE = re.compile(r"D:(\d{4})(\d\d)?(\d\d)?(\d\d)?(\d\d)?(\d\d)?(?:([-+Z])(\d\d)?'?(\d\d)?)?")
#: The most bytes of a file that are read: all of it is held in memory.
_MOST = 2_000_000_000


class PdfFile(PickedFile, DescribedFile, Pdf):
    """A PDF opened for changes."""

    def __init__(self, source: Source) -> None:
        super().__init__(source)
        if source.size > _MOST:
            raise self.problem("the file is larger than 2 GB")
        self._data = source.read(0, source.size)
        self._password: Secret | None = None
        self._new_password: Secret | None = None
        self._bare = False  # whether nothing is to be told of who wrote it
        self._open_to_all = self._unsigned = False
        self._changed_info: dict[str, str | None] = {}
        self._parts: list[tuple[list[OpenPage], str]] = []  # pages that are saved as files of their own
        self._words: Words | None = None
        self._outline: Outline | None = None
        self._pages: list[OpenPage] | None = None
        self._first: list[OpenPage] = []
        self._foreign: dict[int, Appended] = {}
        self._pictures: dict[str, tuple[str, Drawing]] = {}
        self._signed: bool | None = None
        self._pdf: Any = self._opened(None)

    def _opened(self, password: str | None) -> object:
        """The file as a library reads it; None where it needs a password. Raises `FileProblem`."""
        pikepdf = needed("pikepdf")
        if self.source.fresh:
            return pikepdf.Pdf.new()
        if b"%PDF-" not in self._data[:1024]:
            raise self.problem("not a PDF, despite its name")
        try:
            ensure_bounded(self._data)
            with told_as_damage(), suppress(pikepdf.PasswordError):
                return pikepdf.open(io.BytesIO(self._data), password=password or "")
        except Failure as failure:
            raise self.problem(str(failure)) from None
        return None

    @property
    def item_file(self) -> FileItem:
        """Itself."""
        return self

    def _own(self) -> Any:
        if self._pdf is None:
            raise Failure(f"{self.name} needs its password. Unlock it first: unlock password: code")
        return self._pdf

    def ensure_open(self) -> None:
        """Raises `Failure` where it cannot be changed."""
        self._own()
        if self.signed and not self._unsigned:
            raise Failure(
                f"{self.name} is signed, and a change would invalidate the signature. Remove it first: "
                "remove-signatures"
            )

    # -- pages

    def _every(self) -> list[OpenPage]:
        if self._pages is None:
            pdf = self._own()
            try:
                pages = pages_of(pdf)
            except Failure as failure:
                raise failure.at(self.name) from None
            self._pages = [OpenPage(self, number, each, number + 1) for number, each in enumerate(pages)]
            self._first = list(self._pages)
        return self._pages

    def pages(self) -> Iterator[OpenPage]:
        """Those that are still there."""
        return iter(list(self._every()))

    def number_of(self, page: OpenPage) -> int:
        """The place of a page."""
        return 0 if page.gone else self._every().index(page) + 1

    def words_of(self, page: OpenPage) -> str:
        """The words on a page."""
        return self._reader(page).page(page.index)

    def is_blank(self, page: OpenPage) -> bool:
        """Whether nothing is seen on a page as it is in the file."""
        return self._reader(page).is_blank(page.index)

    def _reader(self, page: OpenPage) -> Words:
        if page.found is None:
            raise Failure(f"{page.label} comes from another file. Read its text there")
        if self._words is None:
            password = self._password.reveal() if self._password is not None else None
            self._words = Words(self.source.path, password, len(self._first))
        return self._words

    def label_of(self, page: OpenPage) -> str:
        """The number that is shown for a page (12.4.2)."""
        if page.found is None:
            return str(page.number)
        pikepdf = needed("pikepdf")
        with told_as_damage():
            return str(pikepdf.Page(page.found.page).label)

    def picture(self, path: str) -> tuple[str, Drawing]:
        """A picture from a file, or the first page of one."""
        if path not in self._pictures:
            data = data_of(path)
            read = drawn_page if b"%PDF-" in data[:1024] else drawn
            self._pictures[path] = (path, read(data, os.path.basename(path)))
        return self._pictures[path]

    def take_out(self, page: OpenPage) -> Undo:
        """Takes a page out."""
        pages = self._every()
        if len(pages) == 1:
            raise Failure(f"{self.name} would have no pages left")
        at = pages.index(page)
        pages.remove(page)
        page.gone = True

        def back() -> None:
            page.gone = False
            pages.insert(at, page)

        return back

    def put_at(self, page: OpenPage, place: int) -> Undo:
        """Gives a page another place."""
        pages = self._every()
        if not 1 <= place <= len(pages):
            raise Failure(f"position {place} is out of range: there are {len(pages)} pages")
        before = pages.index(page)
        pages.insert(place - 1, pages.pop(before))
        return lambda: pages.insert(before, pages.pop(pages.index(page)))

    def append(self, item: object, paper: OnPaper = OnPaper.A4) -> None:
        """Puts the pages of another file after the last one."""
        self.ensure_open()
        pages = self._every()  # before the other is opened: of two that ask for much, one is in memory
        taken = placed(os.path.dirname(self.source.path), item) if isinstance(item, str) else item
        foreign, name = pages_like(taken, paper)
        count = foreign.count
        key = len(self._foreign)
        self._foreign[key] = foreign
        fresh = [OpenPage(self, index, None, 0) for index in range(count)]
        for page in fresh:
            page.source = key
        pages += fresh

        def revert() -> None:
            for page in fresh:
                pages.remove(page)

        said = f"{name} appended ({count} {'page' if count == 1 else 'pages'})"
        self.changed(f"pages of {name} {key}", None, count, revert, said)

    def outline_items(self) -> Iterator[OpenOutlineItem]:
        """The entries of its outline."""
        return iter([OpenOutlineItem(self, entry) for entry in self._entries().every()])

    def _entries(self) -> Outline:
        if self._outline is None:
            self._every()
            numbers = {page.found.page.objgen: page.first for page in self._first if page.found is not None}
            self._outline = Outline(self._own(), numbers)
        return self._outline

    def pages_under(self, entry: OutlineEntry) -> list[Page]:
        """The pages from that of an entry of the outline to the next entry that does not lie below it."""
        if entry.page is None:
            raise Failure(f'"{entry.said}" points to no page')
        every = self._entries().every()
        later = (each.page for each in every[every.index(entry) + 1 :] if each.level <= entry.level)
        last = next((page for page in later if page is not None and page >= entry.page), None)
        end = len(self._first) if last is None else max(entry.page, last - 1)
        return [page for page in self._first[entry.page - 1 : end] if not page.gone]

    def save_some(self, pages: list[Page], name: str, to: FilePath | None) -> None:
        """Saves some pages as a file of their own."""
        self._own()
        name = name if name.lower().endswith(".pdf") else f"{name}.pdf"
        ensure_file_name(name)
        folder = placed(os.path.dirname(self.source.path), to or ".")
        taken = {path for _, path in self._parts}
        path = free_path(os.path.join(folder, name), lambda each: each in taken or os.path.lexists(each))
        part = ([page for page in pages if isinstance(page, OpenPage)], path)
        self._parts.append(part)
        count = len(part[0])
        said = f"{os.path.relpath(path)}: {count} {'page' if count == 1 else 'pages'}"

        def revert() -> None:
            self._parts.remove(part)
            release(path)

        self.changed(f"part {path}", None, path, revert, said)

    # -- what it says of itself

    def read_property(self, name: str) -> str | None:
        """What an entry of the document's information says now."""
        if name in self._changed_info:
            return self._changed_info[name]
        value = held(self._own().trailer, "/Info").get(_INFO[name])
        return str(value) or None if value is not None else None

    def put_property(self, name: str, value: str | None) -> None:
        """Lets an entry of the document's information say something else."""
        before, value = self.read_property(name), value or None
        if value != before:
            self.ensure_open()
            self.changed(name, before, value, put_in(self._changed_info, name, value))

    @property
    def made_at(self) -> datetime | None:
        """When it was made (7.9.4)."""
        match = _DATE.match(str(held(self._own().trailer, "/Info").get("/CreationDate", "")))
        if match is None:
            return None
        year, month, day, hour, minute, second = (int(group) if group else 0 for group in match.groups()[:6])
        shift = timedelta(hours=int(match[8] or 0), minutes=int(match[9] or 0))
        try:
            made = datetime(year, month or 1, day or 1, hour, minute, second)
            if match[7]:
                made = (
                    made.replace(tzinfo=timezone(-shift if match[7] == "-" else shift))
                    .astimezone()
                    .replace(tzinfo=None)
                )
        except (ValueError, OverflowError):
            return None
        return made

    @property
    def signed(self) -> bool:
        """Whether somebody signed it (12.7.4.5)."""
        if self._unsigned:
            return False
        root = self._own().trailer.Root
        if self._signed is None:
            self._signed = "/Perms" in root or any(is_signature(field) and "/V" in field for field in fields_of(root))
        return self._signed

    @property
    def locked(self) -> bool:
        """Whether it needs a password to open, which was not given."""
        return self._pdf is None

    @property
    def attachments(self) -> list[str]:
        """The names of the files attached to it."""
        return sorted(self._own().attachments)

    # -- what is done to all of it

    def unlock(self, password: Secret) -> None:
        """Opens it with a password."""
        if self._pdf is not None:
            return
        self._pdf = self._opened(password.reveal())
        if self._pdf is None:
            raise WrongPassword(f"{self.name} needs a different password")
        self._password = password

    def encrypt(self, password: Secret) -> None:
        """Lets it be opened with a password only."""
        self.ensure_open()
        former, self._new_password = self._new_password, password

        def revert() -> None:
            self._new_password = former

        self.changed("password", None, True, revert, "needs a password to open")

    def remove_password(self) -> None:
        """Lets everybody open it."""
        self.ensure_open()
        if not self._own().is_encrypted or self._open_to_all:
            return
        self._open_to_all = True

        def revert() -> None:
            self._open_to_all = False

        self.changed("password", True, None, revert, "opens without a password")

    def remove_metadata(self) -> None:
        """Removes what it tells about who wrote it."""
        self.ensure_open()
        if self._bare:
            return
        self._bare = True

        def revert() -> None:
            self._bare = False

        self.changed("metadata", True, None, revert, "metadata removed")

    def remove_signatures(self) -> None:
        """Takes the signatures off."""
        if not self.signed:
            return
        self._unsigned = True

        def revert() -> None:
            self._unsigned = False

        self.changed("signed", True, False, revert, "signatures removed")

    # -- saving

    @property
    def notes(self) -> list[str]:
        """What a person should know about saving the changes."""
        result = list(super().notes)
        stamps = [stamp for page in self._first for stamp in page.stamps.values() if stamp is not None]
        if stamps and b"pdfaid:part" in self._said_by_metadata():
            clear = any(stamp.at.opacity != 1 for stamp in stamps)
            what = "a transparent stamp" if clear else "a stamp"
            result.append(f"The file claims to be an archive file (PDF/A), which {what} may break. Validate it.")
        if stamps and "/XFA" in held(self._own().trailer.Root, "/AcroForm"):
            result.append(
                "The form of this file draws the pages itself (XFA), so some programs may not show the stamps."
            )
        if self._pdf is not None and self._rewrites:
            result += self._rewriting().notes
        return result

    def _said_by_metadata(self) -> bytes:
        """What the file says of itself (14.3.2)."""
        stream = self._own().trailer.Root.get("/Metadata")
        if not isinstance(stream, needed("pikepdf").Stream):
            return b""
        try:
            return unpacked([stream])
        except Failure:
            return b""

    @property
    def _rewrites(self) -> bool:
        """Whether something must be gone, so that all is rewritten."""
        order = self._pages is not None and self._pages != self._first
        return bool(
            order or self._bare or self._new_password or self._open_to_all or self._unsigned or self.source.fresh
        )

    def _appended(self) -> bytes:
        """What is appended for stamps, turns and properties."""
        touched = [page for page in self._first if page.touched]
        outline = self._outline if self._outline is not None and self._outline.changed else None
        if not touched and not self._changed_info and outline is None:
            return b""
        section = Section(self._own(), self._data)
        texts = [
            stamp.what.text
            for page in touched
            for stamp in page.stamps.values()
            if stamp is not None and isinstance(stamp.what, TextStamp)
        ]
        stamping = Stamping(self._own(), section, texts)
        for page in touched:
            assert page.found is not None
            stamping.page(page.found, page.stamps, page.turn)
        if self._changed_info:
            self._write_info(section)
        if outline is not None:
            outline.write(section)
        return section.finish()

    def _write_info(self, section: Section) -> None:
        info = held(self._own().trailer, "/Info")
        own = info.is_indirect
        number, generation = info.objgen if own else (section.number(), 0)
        entries = {str(key)[1:]: section.own(info[key], number, generation) for key in info}
        for name, value in self._changed_info.items():
            entries.pop(_INFO[name][1:], None)
            if value is not None:
                entries[_INFO[name][1:]] = section.text(value, number)
        section.put(dictionary(entries), number, generation)
        section.info = None if own else number

    def _rewriting(self) -> Rewriting:
        password = self._password.reveal() if self._password is not None else None
        return Rewriting(self._data + self._appended(), password, self._bare, self._unsigned)

    def _order(self, pages: list[OpenPage]) -> list[tuple[int | None, int]]:
        """Pages by the file they are of, None for their own, and their place there."""
        return [(getattr(page, "source", None), page.index) for page in pages]

    def _saved(self) -> bytes:
        """The whole file as it is to be."""
        if not self._rewrites:
            return self._data + self._appended()
        new = self._new_password.reveal() if self._new_password is not None else None
        kept = None
        if new is None and self._password is not None and not self._open_to_all:
            kept = self._password.reveal()
        if self.source.fresh:
            return new_with(self._foreign, self._order(self._every()), new, self._changed_info, _INFO)
        order = self._order(self._every()) if self._every() != self._first else None
        return self._rewriting().made(
            order, self._foreign, new or kept, self._own().is_encrypted and not self._open_to_all
        )

    def patch(self) -> Patch | None:
        """What makes the changed file of the old one."""
        if not self.recorder:
            return None
        if self._rewrites:
            self.ensure_pages()
            return self.rewritten(self._saved())
        appended = self._appended()
        pieces: list[Piece] = [Copy(0, self.source.size), appended]
        return Patch(self.source.digest, self.source.size, pieces) if appended else None

    def ensure_pages(self) -> None:
        """Raises `Failure` for a file without pages."""
        if not self._every():
            raise Failure(f"{self.name} has no pages")

    def effects(self, into: str | None = None) -> list[Effect]:
        """What saving it comes to, with the files made of some of its pages."""
        result = super().effects(into)
        if self._parts:
            rewriting = self._rewriting()
            password = self._password.reveal() if self._password is not None else None
            for pages, path in self._parts:
                left = [page for page in pages if not page.gone]
                if not left:
                    raise Failure(f"{os.path.basename(path)} would have no page")
                data = rewriting.made(self._order(left), self._foreign, password, self._own().is_encrypted)
                result.append(Effect(path, whole(data), None))
        return result

    def close(self) -> None:
        """Lets the file go."""
        if self._words is not None:
            self._words.close()
            self._words = None
        if self._pdf is not None:
            self._pdf.close()
        super().close()

    def bytes_now(self) -> tuple[bytes, str | None]:
        """The file as it is now, and its password."""
        self._own()
        return self._saved(), self._password.reveal() if self._password is not None else None


def open_pdf(path: str) -> PdfFile:
    """Opens one. Raises `FileProblem`."""
    return opened(path, PdfFile)


def new_pdf(path: str) -> PdfFile:
    """One without pages."""
    return PdfFile(FreshSource(path, b""))
