"""A message that is a file on its own (.eml): what a macro runs on is the message in it."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from scrub.formats.file import PickedFile
from scrub.formats.mail.draft import Passed
from scrub.formats.mail.out import Origin, Out
from scrub.formats.mail.stored import Span
from scrub.formats.source import Source, opened
from scrub.model.core.declare import FileItem, Item, holds
from scrub.model.core.outline import Contents
from scrub.model.core.sending import OutboundTask
from scrub.model.mail.messages import Message
from scrub.store.patch import Copy, Effect, Patch


class FileMessage(Passed):
    """One message that is a whole file."""

    line_end = "\r\n"
    move = Message.move  # the file itself can be moved, by a macro for its folder

    def __init__(self, file: MessageFile) -> None:
        super().__init__(file.source.size, 1)
        self._file, self.out = file, file.out

    @property
    def file(self) -> FileItem:
        """What is saved as a whole."""
        return self._file

    def octets(self, start: int, end: int) -> bytes:
        """Bytes of the file."""
        return self._file.source.read(start, end - start)

    def origin(self) -> Origin:
        """The file."""
        return Origin(self._file.source.path, self._file.source.digest, 0)


class MessageFile(PickedFile):
    """What is open when a run goes through one message."""

    part_word = "message"

    def __init__(self, source: Source) -> None:
        super().__init__(source)
        self.out = Out(source.path)
        self.message = FileMessage(self)
        if not self.message.head[0].data:
            raise source.problem(
                "not a message: it does not start with headers such as From: and Subject:. Save it from your mail "
                "program again"
            )

    @holds
    def messages(self) -> Iterator[FileMessage]:
        """The message in it."""
        return iter((self.message,))

    @property
    def sends(self) -> Sequence[OutboundTask]:
        """What is to be sent."""
        return self.out.sends

    @property
    def item(self) -> Item:
        """The message."""
        return self.message

    def lacking(self, what: str = "that") -> str:
        """It is a message alone."""
        return f"{self.name}: a single message file cannot store {what}; mailboxes can (.mbox, Maildir)"

    def contents(self) -> Contents:
        """The parts of it that are files, and its text."""
        message = self.message
        rows = [
            {
                "attachment": attachment.name,
                "type": attachment.type,
                "size": attachment.size,
                "inline": attachment.inline,
            }
            for attachment in message.attachments()
        ]
        when = f"{message.date:%Y-%m-%d %H:%M}" if message.date is not None else "no date"
        said = " ".join(message.text.split())
        hint = (
            f"From {message.from_ or 'nobody'} to {', '.join(message.to) or 'nobody'}, {when}\n"
            f"Subject: {message.subject}\n{said[:200]}{'…' if len(said) > 200 else ''}\n"
            "In a macro: message.subject, message.from.address, message.text, each attachment"
        )
        return Contents("attachment", rows, hint=hint)

    def patch(self) -> Patch | None:
        """What makes the changed file of the old one."""
        if not self.message.touched:
            return None
        source = self.source
        pieces = [
            Copy(piece.start, piece.end - piece.start) if isinstance(piece, Span) else piece
            for piece in self.message.pieces()
        ]
        return Patch(source.digest, source.size, pieces)

    def effects(self, into: str | None = None) -> list[Effect]:
        """What saving it comes to."""
        return [*super().effects(into), *self.out.effects()]

    @property
    def notes(self) -> list[str]:
        """What a person should know."""
        return []


def open_message(path: str) -> MessageFile:
    """Opens one. Raises `FileProblem`."""
    return opened(path, MessageFile)
