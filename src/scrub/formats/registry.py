"""Every format in one list: the kind of item such a file is, its endings, how it is known, and what opens it."""

from __future__ import annotations

import importlib
import os
from collections.abc import Callable, Sequence
from typing import TYPE_CHECKING, Any

from scrub.formats.endings import CLOSED, LATER
from scrub.model.core.named import NamedTuple
from scrub.model.core.problem import Failure, FileProblem, listed
from scrub.store.access import note_access
from scrub.store.inuse import marks

if TYPE_CHECKING:
    from scrub.model.core.addresses import Address
    from scrub.model.core.declare import Item


class Format(NamedTuple):
    """A format. Modules are named, not imported: what a run does not need is never loaded."""

    #: The word of the kind of item that such a file is.
    kind: str
    #: The endings of its files, with the point and in lower case.
    endings: tuple[str, ...]
    #: The module whose `KINDS` are the kinds of item in such files.
    model: str
    #: What opens one, as `module:name`; it takes the path as the person wrote it.
    opener: str
    #: What tells from the bytes of a file that it is one, as `module:name`, where its ending says nothing.
    signature: str = ""
    #: What makes an empty one, as `module:name`; it takes the path at which it is to be.
    empty: str = ""
    #: Whether it is a folder.
    folder: bool = False
    #: Whether files in it are opened as parts of it: its opener takes what opens them, too.
    holds_files: bool = False
    #: The schemes of addresses at which one is, where it is on a server.
    schemes: tuple[str, ...] = ()


FORMATS = (
    Format(
        "workbook", (".xlsx", ".xlsm"), "scrub.model.workbook", "scrub.formats.workbook.book:open_workbook",
        signature="scrub.formats.opc.signature:is_workbook", empty="scrub.formats.workbook.fresh:new_workbook",
    ),
    Format(
        "workbook", (".ods", ".fods"), "scrub.model.workbook", "scrub.formats.opensheets.book:open_open_workbook",
        empty="scrub.formats.opensheets.fresh:new_open_workbook",
    ),
    Format(
        "workbook", (".csv", ".tsv"), "scrub.model.workbook", "scrub.formats.delimited.book:open_delimited",
        empty="scrub.formats.delimited.book:new_delimited",
    ),
    Format(
        "document", (".docx", ".docm"), "scrub.model.document", "scrub.formats.wordprocessing.document:open_document",
        signature="scrub.formats.opc.signature:is_document",
    ),
    Format("document", (".odt", ".fodt"), "scrub.model.document", "scrub.formats.opendocument.document:open_open_text"),
    Format(
        "document", (".txt",), "scrub.model.document", "scrub.formats.plain.text:open_text",
        empty="scrub.formats.plain.text:new_text",
    ),
    Format("document", (".md",), "scrub.model.document", "scrub.formats.plain.markdown:open_markdown"),
    Format("mailbox", (".mbox", ".mbx"), "scrub.model.mail.mailbox", "scrub.formats.mail.mbox:open_mbox"),
    Format("message", (".eml",), "scrub.model.mail.mailbox", "scrub.formats.mail.eml:open_message"),
    Format(
        "mailbox", (), "scrub.model.mail.mailbox", "scrub.formats.mail.maildir:open_maildir", folder=True,
        signature="scrub.formats.mail.out:is_maildir",
    ),
    Format(
        "mailbox", (), "scrub.model.mail.mailbox", "scrub.formats.imap.mailbox:open_server", schemes=("imaps", "imap"),
    ),
    Format(
        "pdf", (".pdf",), "scrub.model.pages.pdf", "scrub.formats.pdf.book:open_pdf",
        empty="scrub.formats.pdf.book:new_pdf",
    ),
    Format(
        "image", (".jpg", ".jpeg", ".png", ".tif", ".tiff", ".webp"), "scrub.model.pages.image",
        "scrub.formats.picture.book:open_image",
    ),
    Format(
        "database", (".sqlite", ".sqlite3", ".db"), "scrub.model.database",
        "scrub.formats.database.opening:open_sqlite", signature="scrub.formats.database.sqlite:is_sqlite",
    ),
    Format(
        "database", (), "scrub.model.database", "scrub.formats.database.opening:open_server",
        schemes=("postgresql", "mariadb", "mysql"),
    ),
    Format(
        "folder", (), "scrub.model.folder", "scrub.formats.folder:PlainFolder", folder=True, holds_files=True,
    ),
)  # fmt: skip


class Registry:
    """The formats that can be opened."""

    def __init__(self, formats: Sequence[Format] = FORMATS) -> None:
        self.formats = tuple(formats)

    @property
    def files(self) -> tuple[str, ...]:
        """The words of the kinds that can be picked."""
        return tuple(dict.fromkeys(format_.kind for format_ in self.formats))

    @property
    def endings(self) -> dict[str, str]:
        """The endings of files that can be opened, with the kind of item each is."""
        return {ending: format_.kind for format_ in self.formats for ending in format_.endings}

    def kinds(self) -> tuple[type[Item], ...]:
        """Every kind of item that such files are or hold."""
        found: dict[type[Item], None] = {}
        for model in dict.fromkeys(format_.model for format_ in self.formats):
            found |= dict.fromkeys(importlib.import_module(model).KINDS)
        return tuple(found)

    def kind_of(self, path: str) -> str:
        """The kind of item that a file is. Raises `FileProblem` as `open` does."""
        return self._format(path, self.files).kind

    def exists(self, path: str, kinds: Sequence[str]) -> bool:
        """Whether there is something at a path that could be one of these kinds."""
        if scheme_of(path):
            return any(scheme_of(path) in format_.schemes for format_ in self.formats)
        return os.path.isfile(path) or (os.path.isdir(path) and any(folder.kind in kinds for folder in self._folders()))

    def open(self, path: str, kinds: Sequence[str] = ()) -> Any:
        """Opens a file, as what the runner knows as `Opened`; `kinds` are those that are wanted, all when left out.

        Raises `FileProblem` when it is missing, damaged or of another format.
        """
        note_access(path)
        format_ = self._format(path, kinds or self.files)
        opener = _named(format_.opener)
        file = opener(path, self) if format_.holds_files else opener(path)
        if not format_.opener.startswith("scrub."):  # of its own ones, mypy knows it
            self._ensure_whole(path, file)
        return file

    @staticmethod
    def _ensure_whole(path: str, file: Any) -> None:
        """Raises `FileProblem` for a file of a format from outside that does not offer what its kind has to."""
        from scrub.model.core.offers import left_open

        open_ = left_open(type(file))
        if open_:
            file.close()
            raise FileProblem(
                path, f"its format ({type(file).__module__}) is incomplete. Missing: {listed(open_, 'and')}"
            )

    def new(self, path: str) -> Any:
        """A file with nothing in it that is to be at a path, of the format of its ending. Raises `Failure` for a
        format of which none can be made.
        """
        ending = os.path.splitext(path)[1].lower()
        found = next((format_ for format_ in self.formats if ending in format_.endings and format_.empty), None)
        if found is None:
            there = listed([ending for format_ in self.formats if format_.empty for ending in format_.endings], "or")
            raise Failure(f'"{os.path.basename(path)}" cannot be created. New files end in {there}')
        return _named(found.empty)(path)

    def message(self, folder: str, to: Sequence[Address], subject: str, text: str) -> Any:
        """A message that is to be sent, or kept as a draft below a folder."""
        from scrub.formats.mail.fresh import FreshMessage

        return FreshMessage(folder, to, subject, text)

    def _folders(self) -> list[Format]:
        return [format_ for format_ in self.formats if format_.folder]

    def _format(self, path: str, kinds: Sequence[str]) -> Format:
        """The format of a file; of one that could be several, what is wanted decides."""
        scheme = scheme_of(path)
        if scheme:
            result = next((format_ for format_ in self.formats if scheme in format_.schemes), None)
            if result is None:
                there = listed([f"{word}://" for format_ in self.formats for word in format_.schemes], "or")
                raise FileProblem(path, f"Scrub cannot open {scheme}:// addresses. An address starts with {there}")
            return result
        if os.path.isdir(path):
            fitting = [folder for folder in self._folders() if folder.kind in kinds]
            known = (format_ for format_ in fitting if not format_.signature or _named(format_.signature)(path))
            wanted = next(known, None)
            if wanted is None:
                if any(format_.signature for format_ in fitting):
                    raise FileProblem(path, "not a mailbox: a Maildir folder contains the folders cur, new and tmp")
                raise FileProblem(path, "this is a folder. Name the files in it, for example with *.xlsx")
            return wanted
        marked = marks(path)
        if marked:
            raise FileProblem(path, f"a lock file: {marked} is open in another program. Name that file")
        ending = os.path.splitext(path)[1].lower()
        fitting = [format_ for format_ in self.formats if ending in format_.endings]
        if not fitting and not os.path.isfile(path):
            raise FileProblem(path, "no such file")
        if not fitting and ending not in CLOSED:
            fitting = [format_ for format_ in self.formats if format_.signature and _named(format_.signature)(path)]
        if not fitting:
            raise FileProblem(path, self._unknown(ending))
        return next((format_ for format_ in fitting if format_.kind in kinds), fitting[0])

    def _unknown(self, ending: str) -> str:
        if ending in CLOSED:
            what, instead = CLOSED[ending]
            return f"{ending} is {what}. In its own program, save it as {instead}"
        if ending in LATER:
            return f"{ending} files cannot be opened. Save it as {LATER[ending]} and run again"
        known = ", ".join(self.endings)
        what = f"{ending} files" if ending else "files without a file extension"
        return f"Scrub cannot open {what}. It opens: {known}"


def scheme_of(path: str) -> str:
    """The scheme of an address on a server; an empty text for a path."""
    word, mark, _ = path.partition("://")
    return word.lower() if mark and word.isalnum() else ""


def _named(name: str) -> Callable[..., object]:
    """What is after `module:name`."""
    module, _, attribute = name.partition(":")
    result: Callable[..., object] = getattr(importlib.import_module(module), attribute)
    return result
