"""A mailbox that is a file (mbox, RFC 4155): messages are ranges of it, and only those that change are kept."""

from __future__ import annotations

from array import array
from collections.abc import Sequence
from datetime import datetime

from scrub.formats.file import PickedFile
from scrub.formats.kept import all_back
from scrub.formats.mail.boxed import BoxMessage, MessageSeries, OpenMailbox
from scrub.formats.mail.dates import from_line_date
from scrub.formats.mail.headers import marks_in
from scrub.formats.mail.mbox_rules import ensure_own, flags_in, status_of
from scrub.formats.mail.out import Origin, Out
from scrub.formats.mail.stored import Span
from scrub.formats.source import Source, opened
from scrub.model.core.change import Undo
from scrub.model.core.declare import holds
from scrub.model.core.lazy_pattern import lazy_pattern
from scrub.model.core.problem import FileProblem
from scrub.model.core.sending import OutboundTask
from scrub.model.core.series import Series
from scrub.store.patch import Copy, Effect, Patch, Piece

#: Bytes that are looked through at once, and that are held while messages are read one after the other.
_BLOCK = 1 << 22
_WINDOW = 1 << 18
#: A line that begins a message: who, and when in the form of the C library; a zone may be before the year or after.
_START = lazy_pattern(rb"From [^\n]*?\b\d{1,2}:\d\d(?::\d\d)?\b[^\n]*\b\d{4}\b")


class MboxMessage(BoxMessage):
    """A message of such a file."""

    in_mbox = True

    def __init__(self, box: MboxFile, number: int) -> None:
        self.box, self.out = box, box.out
        self._stored = box
        self.first, self.base, end = box.bounds(number)
        super().__init__(end - self.base, number + 1)

    def octets(self, start: int, end: int) -> bytes:
        """Bytes of the message."""
        return self._stored.octets(self.base + start, self.base + min(end, self.length))

    def origin(self) -> Origin:
        """The mailbox, and where in it the message begins."""
        source = self._stored.source
        return Origin(source.path, source.digest, self.base)

    def first_line(self) -> bytes:
        """The line that begins it."""
        return self._stored.octets(self.first, self.base)

    def arrived(self) -> datetime | None:
        """When it came into the mailbox."""
        return from_line_date(self.first_line())

    @property
    def flags(self) -> frozenset[str]:
        """The letters of its `Status` and `X-Status` headers."""
        return flags_in(self.raw("Status"), self.raw("X-Status"))

    def put_flags(self, flags: frozenset[str]) -> Undo:
        """Gives it other flags, by its headers Status and X-Status."""
        status, more = status_of(flags, self.raw("Status"), self.raw("X-Status"))
        there = self.head[0]
        values = {"Status": status, "X-Status": more}
        back = [
            self.put_header(name, value)
            for name, value in values.items()
            if value is not None or there.find(name) or self.raw(name)
        ]
        return all_back(back)


class MboxFile(PickedFile, OpenMailbox[MboxMessage]):
    """A mailbox that is a file."""

    def __init__(self, source: Source) -> None:
        super().__init__(source)
        self.out = Out(source.path)
        self._starts = array("Q")  # where each message begins, and the end of the file
        self._lines = array("I")  # how long its first line is
        self._gaps = array("B")  # how long the end of the empty line after it is
        self._look()
        self._window = (0, b"")

    # -- where its messages are

    def _look(self) -> None:
        """Finds where each message begins, with its first line. Raises `FileProblem` for what is not a such mailbox,
        and where readers of such files would not agree on what begins a message.
        """
        source = self.source
        if source.read(0, len(_MARK) - 1) == _MARK[1:]:
            self._begin(0, source.read(0, _LONGEST), 0)
        for at in range(0, source.size, _BLOCK):
            data = source.read(at, _BLOCK + len(_MARK) - 1)  # a mark that begins in the block is whole
            place = data.find(_MARK)
            while place >= 0:
                if 2 <= place < len(data) - _LONGEST:
                    self._begin(at + place + 1, data, place + 1)
                else:  # what is before or after it is in another block
                    start = at + place + 1
                    back = min(3, start)
                    self._begin(start, source.read(start - back, _LONGEST + back), back)
                place = data.find(_MARK, place + 1)
        if source.size and (not self._starts or source.read(0, self._starts[0]).strip()):
            raise source.problem('not a mailbox: its first line does not start with "From "')
        self._starts.append(source.size)
        tail = source.read(max(0, source.size - 3), 3)
        self._gaps.append(2 if tail.endswith(b"\n\r\n") else 1 if tail.endswith(b"\n\n") else 0)

    def _begin(self, start: int, data: bytes, place: int) -> None:
        """A message begins at a place of the file, which is one in these bytes of it; the three before are there too,
        and the first line, where they are in the file.
        """
        gap = 2 if data[place - 3 : place] == b"\n\r\n" and place >= 3 else 1
        blank = gap == 2 or data[max(0, place - 2) : place] in (b"\n\n", b"\n", b"")
        first = _START.match(data, place)
        if not blank or first is None:
            raise self._unsure(start)
        end = data.find(b"\n", place)
        self._starts.append(start)
        self._lines.append((end + 1 if end >= 0 else len(data)) - place)
        if len(self._starts) > 1:
            self._gaps.append(gap)

    def _unsure(self, start: int) -> FileProblem:
        number = 1 + sum(self.source.read(at, min(_BLOCK, start - at)).count(b"\n") for at in range(0, start, _BLOCK))
        return self.source.problem(
            f'line {number:,} starts with "From ": text, or a new message? If it is text, write ">From "; '
            "otherwise add an empty line before it"
        )

    def bounds(self, number: int) -> tuple[int, int, int]:
        """Where the first line of a message, the message itself, and the empty line after it begin."""
        first = self._starts[number]
        base = first + self._lines[number]
        return first, base, max(base, self._starts[number + 1] - self._gaps[number])

    def octets(self, start: int, end: int) -> bytes:
        """Bytes of the file; what is near is held, as messages are mostly read one after the other."""
        at, data = self._window
        if not at <= start <= end <= at + len(data):
            if end - start > _WINDOW // 2:
                return self.source.read(start, end - start)
            at = max(0, start - _BEHIND)
            data = self.source.read(at, _WINDOW)
            self._window = (at, data)
        return data[start - at : end - at]

    @holds
    def messages(self) -> Series[MboxMessage]:
        """In the order of the file."""
        return MessageSeries(self, len(self._starts) - 1)

    def mark(self, number: int, names: Sequence[str]) -> tuple[bytes, ...] | None:
        """Some headers of a message that was not changed, as bytes."""
        if number in self.kept:
            return None
        _, base, end = self.bounds(number)
        return marks_in(self.octets(base, min(end, base + _BEHIND)), names)

    def made(self, number: int) -> MboxMessage:
        """The message at a place."""
        return MboxMessage(self, number)

    # -- saving

    @property
    def sends(self) -> Sequence[OutboundTask]:
        """What is to be sent."""
        return self.out.sends

    def lacking(self, what: str = "that") -> str:
        """It contains messages and nothing else."""
        return f"{self.name}: a mailbox cannot store {what}"

    @property
    def changed_at_all(self) -> bool:
        """Whether any message is other than it was, or gone."""
        return any(message.removed or message.touched for message in self.kept.values())

    def patch(self) -> Patch | None:
        """What makes the changed file of the old one."""
        if not self.changed_at_all:
            return None
        ensure_own(self.source.shown)
        pieces: list[Piece] = []
        done = 0
        for number in sorted(self.kept):
            message = self.kept[number]
            if message.removed:
                pieces.append(Copy(done, message.first - done))
                done = self._starts[number + 1]
            elif message.touched:
                pieces.append(Copy(done, message.base - done))
                pieces += (
                    Copy(message.base + piece.start, piece.end - piece.start) if isinstance(piece, Span) else piece
                    for piece in message.pieces()
                )
                done = message.base + message.length
        pieces.append(Copy(done, self.source.size - done))
        return Patch(self.source.digest, self.source.size, pieces)

    def effects(self, into: str | None = None) -> list[Effect]:
        """What saving it comes to: other mailboxes get their messages before this one lets them go."""
        return [*self.out.effects(), *super().effects(into)]


#: What is looked for, the longest first line that is looked at, and how much before a message is held too.
_MARK = b"\nFrom "
_LONGEST = 1000
_BEHIND = 1 << 12


def open_mbox(path: str) -> MboxFile:
    """Opens one. Raises `FileProblem`."""
    return opened(path, MboxFile)
