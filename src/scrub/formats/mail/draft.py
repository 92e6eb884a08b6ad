"""Drafts: messages that are not sent yet. One that passes another on has its body to the byte."""

from __future__ import annotations

import os
import re
from collections.abc import Mapping, Sequence
from typing import Any

from scrub.formats.mail.addresses import address_list
from scrub.formats.mail.dates import date_line
from scrub.formats.mail.headers import Headers, parted, spliced
from scrub.formats.mail.mbox_rules import unquoted
from scrub.formats.mail.message import OpenMessage, rewritten, texts_in
from scrub.formats.mail.out import Origin, Out
from scrub.formats.mail.parts import Part, encoded, new_reader
from scrub.formats.mail.stored import Edit
from scrub.formats.mail.wire import outgoing
from scrub.formats.mail.words import ensure_one_line, phrase
from scrub.formats.source import data_of
from scrub.model.core.addresses import Address
from scrub.model.core.change import Undo
from scrub.model.core.declare import FileItem
from scrub.model.core.files import FilePath
from scrub.model.core.lazy_pattern import lazy_pattern
from scrub.model.core.preferences import CURRENT
from scrub.model.core.problem import Failure
from scrub.model.core.sending import Outgoing
from scrub.model.operations import as_file_name
from scrub.store.patch import Borrowed, Effect, Patch, Piece

#: Where drafts lie, beside the picked file.
_FOLDER = "drafts"
_BODY = lazy_pattern(r"<body\b[^>]*>", re.IGNORECASE)


class Draft(OpenMessage):
    """A message that was made by a macro."""

    def __init__(self, file: FileItem, out: Out, head: bytes, rest: Sequence[Piece], line_end: str) -> None:
        self._file, self.out, self.line_end = file, out, line_end
        self._state: tuple[bytes, tuple[Piece, ...]] = (head, tuple(rest))
        self._folder: str = _FOLDER
        self.sent = False
        out.made += 1
        super().__init__(0, out.made)
        self._measure()
        out.later.append(self)

    @property
    def file(self) -> FileItem:
        """The file from which it was made."""
        return self._file

    @property
    def label(self) -> str:
        """Its number, and whom it goes to."""
        return f"draft {self.number} to {', '.join(address.mailbox for address in self.to) or 'nobody'}"

    # -- its bytes

    def raw(self, name: str) -> str:
        """The value of a header."""
        return self.head[0].raw(name) or ""

    @property
    def head(self) -> tuple[Headers, int]:
        """Its headers, and where its body begins."""
        return Headers(self._state[0]), len(self._state[0]) + len(self.line_end)

    def _pieces(self) -> list[Piece]:
        head, rest = self._state
        return [head, self.line_end.encode(), *rest]

    def _measure(self) -> None:
        self.length = sum(piece.length if isinstance(piece, Borrowed) else len(piece) for piece in self._pieces())

    def whole(self) -> bytes:
        """All its bytes."""
        return b"".join(Patch(None, 0, self._pieces()).chunks(None))

    def octets(self, start: int, end: int) -> bytes:
        """Bytes of it."""
        return self.whole()[start:end]

    def origin(self) -> Origin:
        """It is nowhere yet."""
        raise Failure(
            f"{self.label}: a draft is not saved in a file yet. Save the attachments of the message it came from"
        )

    def put_edits(self, values: dict[str, bytes | None], splices: dict[tuple[int, int], Edit] | None = None) -> Undo:
        """Changes it at once: what a draft was before does not matter."""
        head, rest = self._state
        if not splices:
            return self._become(spliced(head, Headers(head).edits(values)), rest)
        edits = sorted(splices.values(), key=lambda each: each[:2])
        data = spliced(self.whole(), [*Headers(head).edits(values), *edits])
        fresh, body = parted(data)
        return self._become(fresh, (data[body:],))

    def _become(self, head: bytes, rest: tuple[Piece, ...]) -> Undo:
        before = self._state
        self._state = (head, rest)
        self._measure()

        def revert() -> None:
            self._state = before
            self._measure()

        return revert

    def remember(self, part: Part, value: str) -> Undo:
        """Its bytes say already what was set."""
        return lambda: None

    # -- what is put into it

    def put_above(self, text: str) -> None:
        """Puts a text above its own: in the plain one, and in the page of HTML."""
        data, root = self.parts()
        count = sum(1 for _ in _readable(root))
        if not count:
            self._wrap(_text_part(text, self.line_end), [])
            return
        for number in range(count):  # each edit moves the parts after it
            data, root = self.parts()
            part = list(_readable(root))[number]
            if part.sealed:
                raise Failure(f"it is {part.sealed}, and text above it would break that. Forward it without text")
            if not part.is_readable(data):
                raise Failure("its text has an unknown encoding. Forward it without text")
            own = part.text(data)
            if part.type == "text/html":
                from html import escape

                page = f"<p>{escape(text, quote=False).replace(chr(10), '<br>')}</p>"
                match = _BODY.search(own)
                at = match.end() if match is not None else 0
                self.put_text(part, f"{own[:at]}{page}{own[at:]}")
            else:
                self.put_text(part, f"{text}\n\n{own}")

    def _wrap(self, first: bytes, last: list[bytes]) -> Undo:
        """Makes it a message of several parts: one before what it was, or some after it."""
        head, rest = self._state
        end = self.line_end.encode()
        boundary = f"={_unique()}".encode()
        own = b"".join(field for name, field in Headers(head).names() if name.startswith("content-"))
        outer = b"".join(field for name, field in Headers(head).names() if not name.startswith(("content-", "mime-")))
        outer += b"MIME-Version: 1.0" + end + b'Content-Type: multipart/mixed; boundary="' + boundary + b'"' + end
        mark = end + b"--" + boundary
        pieces: list[Piece] = [b"--" + boundary + end]
        if first:
            pieces += [first, mark + end]
        pieces += [own + end, *rest]
        for each in last:
            pieces += [mark + end, each]
        pieces.append(mark + b"--" + end)
        return self._become(outer, tuple(pieces))

    def attach(self, file: FilePath) -> None:
        """Attaches a file."""
        path = self.out.whole(file)
        data = data_of(path)
        name = os.path.basename(path)
        back = self._wrap(b"", [_file_part(name, data, self.line_end)])
        self.noted("attached", None, name, back, f"attached: {name}")

    def save_draft(self, to: FilePath | None = None) -> None:
        """Says where it is kept."""
        before, self._folder = self._folder, to or _FOLDER
        self.noted("kept in", before, self._folder, lambda: setattr(self, "_folder", before))

    def send(self) -> None:
        """Sends it at the end of the run."""
        if self.sent:
            raise Failure(f"{self.label}: already sent")
        outgoing(self)  # what cannot be sent is told before anything is done
        self.sent = True
        said = f"to be sent to {', '.join(address.mailbox for address in (*self.to, *self.cc, *self.bcc))}"
        self.noted("sent", "no", "yes", lambda: setattr(self, "sent", False), said)

    def outgoing(self) -> Outgoing:
        """What leaves."""
        return outgoing(self)

    def forward(self, to: Sequence[Address], text: str | None = None) -> Draft:
        """A draft is changed rather than passed on."""
        raise Failure(f'{self.label}: a draft has recipients of its own. Set them: draft.to = "ann@huts.example"')

    def reply(self, text: str) -> Draft:
        """A draft has no sender to answer."""
        raise Failure(f"{self.label}: a draft has no sender yet")

    def effects(self) -> list[Effect]:
        """The file that it is to be."""
        if self.sent:
            return []
        name = f"{as_file_name(self.subject or 'no subject')}.eml"
        return [Effect(self.out.free(self._folder, name), Patch(None, 0, self._pieces()), None)]


class Passed(OpenMessage):
    """A message that came from somewhere, and can be passed on and answered."""

    def forward(self, to: Sequence[Address], text: str | None = None) -> Draft:
        """A draft that passes it on."""
        headers, body = self.head
        fields = list(headers.names())
        if self.touched:
            data = self.alone()
            head, body = parted(data)
            rest: list[Piece] = [data[body:]]
            fields = list(Headers(head).names())
        else:
            rest = [self._body(body)]
        own = b"".join(
            field if field.endswith(b"\n") else field + self.line_end_in_use.encode()
            for name, field in fields
            if (name.startswith("content-") and name != "content-length") or name == "mime-version"
        )
        draft = _made(self.file, self.out, self.line_end_in_use, to, self.subject, own, rest)
        try:
            if text:
                draft.put_above(text)
        except Failure as failure:
            self.out.later.remove(draft)
            raise Failure(f"{self.label}: {failure.what}") from None
        return _noted(draft, f"forwards {self.label}")

    def _body(self, body: int) -> Piece:
        """Its body as it was before lines were quoted."""
        if self.in_mbox:
            data = self.octets(body, self.length)
            plain = unquoted(data)
            if plain != data:
                return plain
        return self.origin().piece(body, self.length)

    def reply(self, text: str) -> Draft:
        """A draft that answers its sender."""
        sender = self.reply_to or self.from_
        if sender is None:
            raise Failure(f"{self.label}: it has no sender to reply to")
        end, own = self.line_end_in_use, self.id
        former = (self.raw("References") or self.raw("In-Reply-To")).split()
        answers = {}
        if own:
            chain = " ".join(dict.fromkeys([*former, own]))
            answers = {"In-Reply-To": own.encode("utf-8"), "References": phrase(chain, len("References: "), end)}
        subject = f"Re: {self.base_subject}" if self.base_subject else "Re:"
        draft = new_draft(self.file, self.out, [sender], subject, text, end, answers)
        return _noted(draft, f"replies to {self.label}")


def new_draft(
    file: FileItem,
    out: Out,
    to: Sequence[Address],
    subject: str,
    text: str,
    line_end: str = "\r\n",
    more: Mapping[str, bytes] | None = None,
) -> Draft:
    """A message of a text."""
    part = _text_part(text, line_end)
    end = line_end.encode()
    head, _, body = part.partition(end + end)
    own = b"MIME-Version: 1.0" + end + head + end
    own = b"".join(name.encode() + b": " + value + end for name, value in (more or {}).items()) + own
    return _made(file, out, line_end, to, subject, own, [body])


def _made(
    file: FileItem, out: Out, line_end: str, to: Sequence[Address], subject: str, own: bytes, rest: Sequence[Piece]
) -> Draft:
    """A draft with the headers that every message needs (RFC 5322, 3.6), and its own ones."""
    if not to:
        raise Failure('the message has no recipient. Set: draft.to = "…"')
    ensure_one_line(subject, "the subject")
    sender = CURRENT.get().address
    domain = sender.mailbox.rpartition("@")[2] if sender is not None else "scrub.invalid"
    fields: list[tuple[str, bytes]] = []
    if sender is not None:
        fields.append(("From", address_list([sender], len("From: "), line_end)))
    fields += [
        ("To", address_list(to, len("To: "), line_end)),
        ("Subject", phrase(subject, len("Subject: "), line_end)),
        ("Date", date_line().encode("ascii")),
        ("Message-ID", f"<{_unique()}@{domain}>".encode()),
    ]
    head = b"".join(name.encode("ascii") + b": " + value + line_end.encode() for name, value in fields) + own
    return Draft(file, out, head, rest, line_end)


def _noted(draft: Draft, what: str) -> Draft:
    def revert() -> None:
        draft.out.later.remove(draft)

    draft.changed("draft", None, what, revert, f"new draft, {what}")
    return draft


def _unique() -> str:
    """A word that nobody else has."""
    return os.urandom(16).hex()


def _readable(root: Part) -> list[Part]:
    return [*texts_in(root, "text/plain"), *texts_in(root, "text/html")]


def _text_part(text: str, line_end: str) -> bytes:
    """A text as a part of a message, headers and all."""
    nothing = Part(Headers(b"Content-Type: text/plain\n"), 0, 26, 26)
    octets, values = rewritten(nothing, text if text.endswith("\n") else f"{text}\n")
    encoding = values.get("Content-Transfer-Encoding") or b"7bit"
    end = line_end.encode()
    type_ = values.get("Content-Type") or b"text/plain; charset=us-ascii"
    head = b"Content-Type: " + type_ + end + b"Content-Transfer-Encoding: " + encoding + end
    return head + end + encoded(octets, encoding.decode("ascii"), end)


def _file_part(name: str, data: bytes, line_end: str) -> bytes:
    """A file as a part of a message; its name as RFC 2231 has it."""
    import mimetypes

    reader = new_reader()
    reader["Content-Type"] = mimetypes.guess_type(name)[0] or "application/octet-stream"
    reader["Content-Transfer-Encoding"] = "base64"
    plain: Any = name if name.isascii() else ("utf-8", "", name)
    reader.add_header("Content-Disposition", "attachment", filename=plain)
    end = line_end.encode()
    head = b"".join(f"{word}: {value}".encode("ascii") + end for word, value in reader.items())
    return head + end + encoded(data, "base64", end)
