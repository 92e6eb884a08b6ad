"""What a run makes beside a mailbox: files saved of it, and messages that go into other mailboxes."""

from __future__ import annotations

import os
import time
from collections.abc import Callable, Iterator, Sequence
from typing import Protocol

from scrub.formats.beside import Beside
from scrub.formats.mail.mbox_rules import ensure_own, from_line, is_mbox, quoted, status_of, unquoted
from scrub.formats.mail.stored import StoredMessage
from scrub.formats.source import Source
from scrub.model.core.change import Undo
from scrub.model.core.files import FilePath
from scrub.model.core.named import NamedTuple
from scrub.model.core.problem import Failure
from scrub.model.core.required import required
from scrub.model.core.sending import Outgoing
from scrub.store.access import note_access
from scrub.store.disk import only_files
from scrub.store.inuse import ensure_free
from scrub.store.patch import Borrowed, Copy, Effect, Patch, Piece, free_path, whole


class Origin(NamedTuple):
    """Where the bytes of a message are: a file with its hash, and where in it the message begins."""

    path: str
    digest: str
    base: int

    def read(self, start: int, end: int) -> bytes:
        """Bytes of the message from a place up to another."""
        with open(self.path, "rb", opener=only_files) as stream:
            stream.seek(self.base + start)
            return stream.read(end - start)

    def piece(self, start: int, end: int) -> Piece:
        """The same as a piece of a new file."""
        return Borrowed(self.path, self.digest, self.base + start, end - start)

    @property
    def borrowed(self) -> set[tuple[str, str]]:
        """The file, as a patch names what it reads from."""
        return {(self.path, self.digest)}


class Held(NamedTuple):
    """The bytes of a message that are in no file."""

    data: bytes

    def read(self, start: int, end: int) -> bytes:
        """Bytes of the message from a place up to another."""
        return self.data[start:end]

    def piece(self, start: int, end: int) -> Piece:
        """The same as a piece of a new file."""
        return self.data[start:end]

    @property
    def borrowed(self) -> set[tuple[str, str]]:
        """No file is read."""
        return set()


class Mailed(StoredMessage):
    """A message that can go into other mailboxes."""

    #: Whether it is in a file with others, so that lines of its text are quoted there.
    in_mbox = False

    @required
    def origin(self) -> Origin | Held:
        """Where its bytes are."""
        raise NotImplementedError

    @required
    def noted(self, field: str, before: object, after: object, revert: Undo, said: str = "") -> None:
        """Notes a change, with what the message is about."""
        raise NotImplementedError

    @property
    def line_end_in_use(self) -> str:
        """How its lines end."""
        headers = self.head[0]
        return headers.line_end if b"\n" in headers.data else self.line_end

    @property
    def flags(self) -> frozenset[str]:
        """Its flags as they are now."""
        return frozenset()

    def first_line(self) -> bytes:
        """The line that begins it in a mailbox that is a file."""
        sender = self.from_
        return from_line(sender.mailbox if sender is not None else "", self.date)

    def borrowing(self) -> list[Piece]:
        """What it is to be, its own bytes taken from where they are."""
        origin = self.origin()
        return [piece if isinstance(piece, bytes) else origin.piece(*piece) for piece in self.pieces()]

    def alone(self) -> bytes:
        """All of it as a file of its own: without what only mailboxes know of it, and as it was before lines were
        quoted.
        """
        data = self.written({"Status": None, "X-Status": None, "Content-Length": None} if self.in_mbox else None)
        return unquoted(data) if self.in_mbox else data

    def among_others(self, line_end: bytes) -> list[Piece]:
        """All of it as it is in a mailbox that is a file, whose lines end like this; an empty line ends it."""
        first = self.first_line()
        here = self.line_end_in_use.encode()
        first = first.rstrip(b"\r\n") + line_end
        if self.in_mbox and here == line_end:
            last = self.octets(max(0, self.length - 1), self.length) if self.pieces() else b""
            return [first, *self.borrowing(), line_end if last == b"\n" else line_end * 2]
        status, more = status_of(self.flags)
        data = self.written({"Status": status, "X-Status": more})
        if here != line_end:
            data = data.replace(b"\r\n", b"\n").replace(b"\n", line_end)
        data = data if self.in_mbox else quoted(data)
        return [first, data, line_end if data.endswith(b"\n") else line_end * 2]


class Made(Protocol):
    """What is made at the end of a run."""

    sent: bool

    def effects(self) -> list[Effect]:
        """What is to be done."""

    def outgoing(self) -> Outgoing:
        """What leaves."""


class Out(Beside):
    """Gathers what is to be made beside the file at a path."""

    def __init__(self, path: str) -> None:
        super().__init__(path)
        self._boxes: dict[str, str] = {}  # where the mailboxes are that a macro named
        self._posts: dict[str, list[Mailed]] = {}
        self.made = 0  # how many drafts there were
        self.later: list[Made] = []  # what knows only at the end what file it is to be

    @property
    def idle(self) -> bool:
        """Whether there is nothing to make."""
        return super().idle and not self.later and not any(self._posts.values())

    def post(self, message: Mailed, to: FilePath) -> tuple[str, Callable[[], None]]:
        """Puts a message into another mailbox at the end; gives its name, and how to undo it."""
        path = self._boxes.get(to, "")
        if not path:
            path = self._boxes[to] = self._box(message, to)
        posted = self._posts.setdefault(path, [])
        posted.append(message)

        def revert() -> None:
            posted.remove(message)

        return self.shown(path), revert

    def _box(self, message: Mailed, to: str) -> str:
        """The path of another mailbox. Raises `Failure` or `FileProblem` for anything else."""
        path = self.whole(to)
        note_access(path)
        if os.path.realpath(path) == os.path.realpath(self.path):
            raise Failure(f"{message.label} is in {to} already")
        if not is_maildir(path):
            if os.path.isdir(path):
                raise Failure(f'"{to}" is a folder, not a mailbox. Name a file in it: "{to}/Larch Hut.mbox"')
            if os.path.isfile(path):
                ensure_own(path)
                if not is_mbox(path):
                    raise Failure(f'"{to}" is a file, but not a mailbox')
            elif not path.lower().endswith((".mbox", ".mbx")):
                raise Failure(f'no mailbox "{to}". {self._meant(to)}')
        return path

    def _meant(self, to: str) -> str:
        """What to write in place of the name of a mailbox that is not there."""
        folder, name = os.path.split(to)
        inside = os.path.join(os.path.basename(self.path.rstrip(os.sep)), f".{name.removeprefix('.')}")
        if not folder and is_maildir(self.whole(inside)):  # a folder of a Maildir has a point before its name
            return f'For the folder inside this Maildir, write to: "{inside}"'
        return f'To create one, write to: "{os.path.join(folder, name.removeprefix("."))}.mbox"'

    @property
    def sends(self) -> list[Outgoing]:
        """What is to be sent, in order."""
        return [each.outgoing() for each in self.later if each.sent]

    def effects(self) -> list[Effect]:
        """What is to be done, the mailboxes first."""
        found: list[Effect] = []
        for path, messages in self._posts.items():
            if messages:
                found += _delivered(path, messages) if is_maildir(path) else [_appended(path, messages)]
        found += super().effects()
        return found + [effect for each in self.later for effect in each.effects()]


def is_maildir(path: str) -> bool:
    """Whether a folder is a Maildir: it has the three folders of one."""
    return all(os.path.isdir(os.path.join(path, name)) for name in ("cur", "new", "tmp"))


def _appended(path: str, messages: Sequence[Mailed]) -> Effect:
    """Messages after those of a mailbox that is a file, which is made if it is not there."""
    if not os.path.lexists(path):
        return Effect(
            path, Patch(None, 0, [piece for message in messages for piece in message.among_others(b"\n")]), None
        )
    ensure_free(path)
    source = Source(path)
    try:
        start, tail = source.read(0, 4096), source.read(max(0, source.size - 4), 4)
        line_end = b"\r\n" if b"\r\n" in start else b"\n"
        gap = b"" if not source.size or tail.endswith((b"\n\n", b"\r\n\r\n")) else line_end
        gap = gap if tail.endswith(b"\n") or not source.size else line_end * 2
        pieces: list[Piece] = [Copy(0, source.size), gap]
        pieces += [piece for message in messages for piece in message.among_others(line_end)]
        return Effect(source.path, Patch(source.digest, source.size, pieces), source.digest)
    finally:
        source.close()


def _delivered(path: str, messages: Sequence[Mailed]) -> Iterator[Effect]:
    """Messages as new files of a Maildir; in tmp they need not be first, as they come by a rename anyway."""
    import socket  # takes long to load, and few messages go into such a folder

    host = socket.gethostname().replace("/", "\\057").replace(":", "\\072")
    taken: set[str] = set()
    for number, message in enumerate(messages, 1):
        flags = "".join(sorted(message.flags))
        name = f"{int(time.time())}.P{os.getpid()}Q{number}.{host}"
        target = free_path(
            os.path.join(path, "cur", f"{name}:2,{flags}") if flags else os.path.join(path, "new", name),
            lambda wanted: wanted in taken or os.path.lexists(wanted),
        )
        taken.add(target)
        yield Effect(target, whole(message.alone()), None)
