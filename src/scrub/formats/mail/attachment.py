"""What is attached to a message: saved as a file, or removed."""

from __future__ import annotations

from collections.abc import Iterator
from datetime import date

from scrub.formats.mail.out import Held, Mailed, Origin, Out
from scrub.formats.mail.parts import Part, unencoded
from scrub.model.core.amounts import Size
from scrub.model.core.declare import FileItem
from scrub.model.core.files import FilePath
from scrub.model.core.problem import Failure
from scrub.model.mail.messages import Attachment
from scrub.model.operations import as_file_name
from scrub.store.patch import Patch, whole

#: The endings of files whose senders gave them no name.
_ENDINGS = {
    "message/rfc822": ".eml", "application/pdf": ".pdf", "image/png": ".png", "image/jpeg": ".jpg",
    "image/gif": ".gif", "text/plain": ".txt", "text/html": ".html", "text/csv": ".csv", "text/calendar": ".ics",
}  # fmt: skip


class Unencoded(Patch):
    """A new file that is a part of a message, decoded while it is written: many of them need no room in memory."""

    def __init__(self, origin: Origin | Held, start: int, end: int, encoding: str) -> None:
        super().__init__(None, 0, [])
        self.origin, self.start, self.end, self.encoding = origin, start, end, encoding

    def chunks(self, old: object) -> Iterator[bytes]:
        """The file, in one piece."""
        yield unencoded(self.origin.read(self.start, self.end), self.encoding)

    def settled(self) -> Patch:
        """The file itself, decoded."""
        return whole(b"".join(self.chunks(None)))

    @property
    def borrowed(self) -> set[tuple[str, str]]:
        """The file that it is read from, with its hash."""
        return self.origin.borrowed


class OpenAttachment(Attachment):
    """A part of a message that is a file."""

    def __init__(self, message: Mailed, out: Out, part: Part) -> None:
        self.message, self.out, self.part = message, out, part
        self._gone = False

    def message_item(self) -> Mailed:
        """The message that it depends on."""
        return self.message

    @property
    def file(self) -> FileItem:
        """What the message is in."""
        return self.message.file

    @property
    def removed(self) -> bool:
        """Whether it was removed."""
        return self._gone or self.message.removed

    @property
    def name(self) -> str:
        """The name that the sender gave it."""
        return self.part.name

    @property
    def type(self) -> str:
        """As a media type (RFC 2045, 5.1)."""
        return self.part.type

    @property
    def inline(self) -> bool:
        """Whether it is shown inside the text."""
        return self.part.is_inline

    @property
    def size(self) -> Size:
        """How big it is, once saved."""
        return Size.of_bytes(len(self._octets()))

    def _octets(self) -> bytes:
        return unencoded(self.message.octets(self.part.body, self.part.end), self.part.encoding)

    def save(self, to: FilePath | None = None, name: str | None = None) -> None:
        """Saves it as a file."""
        own = name or self.name or f"attachment{_ENDINGS.get(self.type, '')}"
        if self.part.sealed.startswith("encrypted"):
            raise Failure(f"{self.message.label}: it is {self.part.sealed}; open it in its own program")
        origin = self.message.origin()
        fresh = Unencoded(origin, self.part.body, self.part.end, self.part.encoding)
        path, back = self.out.save(fresh, to, as_file_name(own))
        self.message.noted("attachment saved", None, path, back, f"saved {path}")

    def delete(self) -> None:
        """Takes it out; a line in its place says what was there."""
        part = self.part
        if part.sealed:
            raise Failure(f"{self.message.label}: it is {part.sealed}, and a change would break that")
        if part.above is None:
            raise Failure(f"{self.message.label}: the message contains only this attachment. Delete the message")
        said = f"[The attachment {self.label} ({self.size}) was taken out on {date.today():%Y-%m-%d}.]"
        end = self.message.line_end_in_use
        fresh = f"Content-Type: text/plain; charset=utf-8{end}Content-Transfer-Encoding: 8bit{end}{end}{said}".encode()
        back = self.message.replace_part(part, fresh)
        self._gone = True

        def revert() -> None:
            back()
            self._gone = False

        self.message.noted("attachment", self.label, None, revert, f"{self.label} deleted")
