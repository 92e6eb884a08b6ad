"""A message as a macro sees it: its fields, its text, what is attached, and where it goes."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from datetime import datetime

from scrub.formats.mail.addresses import address_list, addresses_in
from scrub.formats.mail.attachment import OpenAttachment
from scrub.formats.mail.dates import date_in
from scrub.formats.mail.mbox_rules import quoted, unquoted
from scrub.formats.mail.out import Mailed, Out
from scrub.formats.mail.parts import Part, encoded, fits_plain
from scrub.formats.mail.words import decoded, ensure_one_line, phrase
from scrub.model.core.addresses import Address
from scrub.model.core.amounts import Size
from scrub.model.core.change import Undo, cut, visible
from scrub.model.core.charsets import charset_known
from scrub.model.core.files import FilePath
from scrub.model.core.problem import Failure
from scrub.model.core.text import Editing, edited, parted, shrunk
from scrub.model.operations import as_file_name
from scrub.store.patch import whole

#: Characters of both sides of a header that are told whole.
_WHOLE = 120


class OpenMessage(Mailed):
    """A message of an open file."""

    #: What is made beside its file.
    out: Out

    def __init__(self, length: int, number: int) -> None:
        super().__init__(length)
        self.number = number
        self._label = ""
        self._said: dict[int, str] = {}  # the texts that were set, by where their parts begin

    @property
    def label(self) -> str:
        """Its number, and who sent it."""
        if not self._label:
            headers = self.head[0]
            sender = self._sender(headers.raw("From") or "")
            who = (sender.name or sender.mailbox) if sender is not None else "nobody"
            self._label = f"message {self.number}, {cut(who, 30)}"
        return self._label

    def noted(self, field: str, before: object, after: object, revert: Undo, said: str = "") -> None:
        """Notes a change, with what the message was about when its file was opened."""
        about = f'"{cut(self.head[0].text("Subject"), 40)}"'
        self.changed(field, before, after, revert, f"{said}: {about}" if said else "", inner=(about,))

    # -- headers

    @property
    def subject(self) -> str:
        """What it is about."""
        return decoded(self.raw("Subject"))

    @subject.setter
    def subject(self, value: str) -> None:
        before = self.subject
        if value == before:
            return
        ensure_one_line(value, "the subject")
        self._set("Subject", phrase(value, len("Subject: "), self.line_end_in_use), before, value, "subject")

    def _set(self, name: str, value: bytes | None, before: str, after: str, field: str) -> None:
        """Gives a header another value; one that reads as it did when the file was opened is as before."""
        as_it_was = name in self._values and self.head[0].text(name) == after
        back = self.undo_header(name) if as_it_was else self.put_header(name, value)
        said = f'{field}: "{visible(before)}" -> "{visible(after)}"' if len(before) + len(after) <= _WHOLE else ""
        self.changed(field, f'"{before}"' if before else None, f'"{after}"' if after else None, back, said)

    @staticmethod
    def _sender(value: str) -> Address | None:
        addresses = addresses_in(value) if value else []
        return addresses[0] if addresses else None

    @property
    def from_(self) -> Address | None:
        """Who wrote it."""
        return self._sender(self.raw("From"))

    @from_.setter
    def from_(self, value: Address | None) -> None:
        self._address("From", [] if value is None else [value], "from")

    @property
    def to(self) -> list[Address]:
        """Whom it goes to."""
        return addresses_in(self.raw("To"))

    @to.setter
    def to(self, value: Sequence[Address]) -> None:
        self._address("To", value, "to")

    @property
    def cc(self) -> list[Address]:
        """Who gets a copy."""
        return addresses_in(self.raw("Cc"))

    @cc.setter
    def cc(self, value: Sequence[Address]) -> None:
        self._address("Cc", value, "cc")

    @property
    def bcc(self) -> list[Address]:
        """Who gets a copy that the others cannot see."""
        return addresses_in(self.raw("Bcc"))

    @bcc.setter
    def bcc(self, value: Sequence[Address]) -> None:
        self._address("Bcc", value, "bcc")

    @property
    def reply_to(self) -> Address | None:
        """Who gets the answers."""
        return self._sender(self.raw("Reply-To"))

    @reply_to.setter
    def reply_to(self, value: Address | None) -> None:
        self._address("Reply-To", [] if value is None else [value], "reply-to")

    def _address(self, name: str, value: Sequence[Address], field: str) -> None:
        before, after = addresses_in(self.raw(name)), list(value)
        if [(each.name, each.mailbox) for each in before] == [(each.name, each.mailbox) for each in after]:
            return
        fresh = address_list(after, len(name) + 2, self.line_end_in_use) if after else None
        shown = ", ".join(before), ", ".join(after)
        self.noted(field, shown[0] or None, shown[1] or None, self.put_header(name, fresh))

    @property
    def date(self) -> datetime | None:
        """When it was sent, or else when it came."""
        found = date_in(self.raw("Date"))
        return self.arrived() if found is None else found

    def arrived(self) -> datetime | None:
        """When it came, where the mailbox says."""
        return None

    @property
    def id(self) -> str:
        """Its Message-ID."""
        return self.raw("Message-ID").strip()

    @property
    def size(self) -> Size:
        """How big it is."""
        return Size.of_bytes(self.length)

    def header(self, name: str) -> str:
        """The decoded contents of a header (RFC 2047)."""
        return decoded(self.raw(name.strip().rstrip(":")))

    # -- text

    @property
    def text(self) -> str:
        """The plain text; of a message in HTML alone, the text of that."""
        data, part = self.parts()
        found = next(iter(texts_in(part, "text/plain")), None) or next(iter(texts_in(part, "text/html")), None)
        return "" if found is None else self._text_of(found, data)

    @text.setter
    def text(self, value: str) -> None:
        data, part = self.parts()
        found = next(iter(texts_in(part, "text/plain")), None)
        if found is None:
            page = any(texts_in(part, "text/html"))
            what = "is HTML, which would lose its formatting" if page else "is missing"
            raise Failure(f"{self.label}: its text {what}")
        self._set_text(found, data, value)

    def _text_of(self, part: Part, data: bytes) -> str:
        """What a part says as it is now."""
        said = self._said.get(part.start)
        if said is None:
            said = part.text(data)
            if self.in_mbox and not part.is_encoded:
                said = unquoted(said.encode("utf-8", "surrogateescape")).decode("utf-8", "surrogateescape")
        if part.type != "text/html":
            return said
        from scrub.formats.mail.readable import readable  # what reads pages takes long to load

        return readable(said)

    def _set_text(self, part: Part, data: bytes, value: str) -> None:
        before = self._text_of(part, data)
        value = value.replace("\r\n", "\n")
        root = part
        while root.above is not None:
            root = root.above
        if self.in_mbox and part.end == root.end and not value.endswith("\n"):
            value += "\n"  # its last line ends before the empty one that parts it from the next message (RFC 4155)
        if value == before:
            return
        if part.sealed:
            raise Failure(f"{self.label}: it is {part.sealed}, and a change would break that")
        if list(texts_in(root, "text/html")):
            raise Failure(f"{self.label}: it has two versions, plain text and HTML, and only one would change")
        if not part.is_readable(data):
            raise Failure(f"{self.label}: its text has an unknown encoding")
        back = self.put_text(part, value)
        forget = self.remember(part, value)

        def revert() -> None:
            back()
            forget()

        self.noted("text", f'"{before}"', f'"{value}"', revert)

    def remember(self, part: Part, value: str) -> Undo:
        """Keeps what a part says now; returns how to undo it."""
        said = self._said
        self._said = {**said, part.start: value}
        return lambda: setattr(self, "_said", said)

    def put_text(self, part: Part, value: str) -> Undo:
        """Rewrites a part with another text; returns how to undo it."""
        octets, values = rewritten(part, value)
        plain = "Content-Transfer-Encoding" not in values and not part.is_encoded
        encoding = "quoted-printable" if "Content-Transfer-Encoding" in values else part.encoding
        fresh = encoded(octets, encoding, self.line_end_in_use.encode())
        if part.above is None and values and not self.raw("MIME-Version"):
            values["MIME-Version"] = b"1.0"
        return self.put_part(part, quoted(fresh) if plain and self.in_mbox else fresh, values)

    def edit_texts(self, editing: Editing, between: str = "") -> None:
        """Edits its subject and its text."""
        whole_editing = parted(editing, between)
        subject = self.subject
        edits = shrunk(subject, whole_editing(subject)) if subject else []
        if edits:
            self._or_left(lambda: setattr(self, "subject", edited(subject, edits)))
        data, root = self.parts()
        for part in texts_in(root, "text/plain"):
            text = self._text_of(part, data)
            changes = shrunk(text, whole_editing(text)) if text else []
            if changes:
                fresh = edited(text, changes)
                self._or_left(lambda part=part, fresh=fresh: self._set_text(part, data, fresh))  # type: ignore[misc]

    def _or_left(self, work: Callable[[], None]) -> None:
        """Does what can be done, and notes what cannot."""
        try:
            work()
        except Failure as failure:
            self.file.recorder.remarks.append(f"skipped {failure.what}")

    # -- what is attached, and where it goes

    def attachments(self) -> Iterator[OpenAttachment]:
        """The parts that are attached, in the order of the message."""
        return (OpenAttachment(self, self.out, part) for part in self.walk() if part.is_attached)

    def move(self, to: FilePath) -> None:
        """Moves it into another mailbox."""
        path, back = self.out.post(self, to)
        self.gone = True
        self.touch()

        def revert() -> None:
            back()
            self.gone = False

        self.noted("moved", None, path, revert, f"moved to {path}")

    def copy(self, to: FilePath) -> None:
        """Copies it into another mailbox."""
        path, back = self.out.post(self, to)
        self.noted("copied", None, path, back, f"copied to {path}")

    def save(self, to: FilePath | None = None, name: str | None = None) -> None:
        """Saves it as a file."""
        own = as_file_name(name or self.subject or f"message {self.number}")
        own = own if own.lower().endswith(".eml") else f"{own}.eml"
        path, back = self.out.save(whole(self.alone()), to, own)
        self.noted("saved", None, path, back, f"saved as {path}")


def texts_in(part: Part, type_: str) -> Iterator[Part]:
    """The parts that are texts to be read, of one type."""
    return (each for each in part.walk() if each.type == type_ and not each.is_attached)


def rewritten(part: Part, value: str) -> tuple[bytes, dict[str, bytes | None]]:
    """A text as the octets of a part, and the headers that must say something else then."""
    values: dict[str, bytes | None] = {}
    charset = part.charset
    try:
        octets = value.encode(charset if charset_known(charset) else "ascii")
    except UnicodeEncodeError:
        octets = value.encode("utf-8", "surrogateescape")
        values["Content-Type"] = part.type_with("utf-8")
    if part.is_encoded:
        return octets, values
    if not fits_plain(octets) or not (octets.isascii() or part.encoding in ("8bit", "binary")):
        values["Content-Transfer-Encoding"] = b"quoted-printable"
    return octets, values
