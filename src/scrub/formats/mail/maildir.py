"""A mailbox that is a folder (Maildir): a file for each message, whose name has its flags."""

from __future__ import annotations

import os
from collections.abc import Iterator
from datetime import datetime

from scrub.formats.mail.boxed import BoxMessage, LooseMailbox
from scrub.formats.mail.out import Origin
from scrub.model.core.change import Undo
from scrub.model.core.declare import holds
from scrub.model.core.problem import Failure, FileProblem
from scrub.model.core.series import Series
from scrub.store.access import note_access
from scrub.store.disk import digest_known, only_files
from scrub.store.patch import Borrowed, Effect, Patch, Piece

#: What parts the name of a message from its flags; `:` cannot be in a name everywhere.
_INFO = ":2,"


class MaildirMessage(BoxMessage):
    """A message in a file of a Maildir."""

    def __init__(self, box: Maildir, number: int, folder: str, name: str) -> None:
        self.box, self.out = box, box.out
        self._stored = box
        self._folder, self._name = folder, name
        self.path = os.path.join(box.address, folder, name)
        self._flags: frozenset[str] | None = None
        try:
            size = os.stat(self.path).st_size
        except OSError:
            raise self._missing() from None
        super().__init__(size, number)

    def _missing(self) -> FileProblem:
        return FileProblem(
            self.path, "another program moved or removed this message in the meantime. Run the macro again"
        )

    def octets(self, start: int, end: int) -> bytes:
        """Bytes of its file."""
        try:
            with open(self.path, "rb", opener=only_files) as stream:
                stream.seek(start)
                return stream.read(end - start)
        except OSError:
            raise self._missing() from None

    def touch(self) -> None:
        """From now on it is kept, with the hash that its file must still have at the end."""
        super().touch()
        self.digest()

    def digest(self) -> str:
        """The hash of its file when it was first asked for."""
        result = self._stored.digests.get(self.path)
        if result is None:
            with open(self.path, "rb", opener=only_files) as stream:
                result = self._stored.digests[self.path] = digest_known(stream)
        return result

    def origin(self) -> Origin:
        """Its file."""
        return Origin(self.path, self.digest(), 0)

    def arrived(self) -> datetime | None:
        """When it came into the mailbox."""
        return datetime.fromtimestamp(int(os.stat(self.path).st_mtime))

    @property
    def _first_flags(self) -> str:
        return self._name.partition(_INFO)[2]

    @property
    def flags(self) -> frozenset[str]:
        """The letters behind `:2,` in the name of its file."""
        return frozenset(self._first_flags) if self._flags is None else self._flags

    def put_flags(self, flags: frozenset[str]) -> Undo:
        """Gives it other flags; characters of other meanings stay."""
        before = self._flags
        self.touch()
        self._flags = None if flags == frozenset(self._first_flags) else flags
        return lambda: setattr(self, "_flags", before)

    @property
    def target(self) -> str:
        """Where its file belongs: one with flags is among those that were seen by a mail program."""
        if self._flags is None:
            return self.path
        stem = self._name.partition(_INFO)[0]
        return os.path.join(self._stored.address, "cur", f"{stem}{_INFO}{''.join(sorted(self._flags))}")

    def effects(self) -> list[Effect]:
        """What is to be done with its file."""
        if self.removed:
            return [Effect(self.path, None, self.digest())]
        target = self.target
        if target == self.path and not self.touched:
            return []
        pieces: list[Piece] = [
            piece
            if isinstance(piece, bytes)
            else Borrowed(self.path, self.digest(), piece.start, piece.end - piece.start)
            for piece in self.pieces()
        ]
        if target == self.path:
            data = b"".join(piece if isinstance(piece, bytes) else self.octets(*piece) for piece in self.pieces())
            return [Effect(self.path, Patch(self.digest(), self.length, [data]), self.digest())]
        return [Effect(target, Patch(None, 0, pieces), None), Effect(self.path, None, self.digest())]


class Maildir(LooseMailbox[MaildirMessage]):
    """A mailbox that is a folder."""

    def __init__(self, path: str) -> None:
        real = os.path.realpath(path)
        super().__init__(path, real, real)
        self.digests: dict[str, str] = {}
        self._names = [
            (folder, name)
            for folder in ("cur", "new")
            for name in sorted(_files_in(os.path.join(self.address, folder)), key=_order)
        ]

    @property
    def name(self) -> str:
        """The folder's name."""
        return os.path.basename(self.address)

    @holds
    def messages(self) -> Series[MaildirMessage]:
        """Its messages: those seen by a mail program, then the new ones."""
        return Series(len(self._names), self.at)

    def made(self, number: int) -> MaildirMessage:
        """The message at a place."""
        return MaildirMessage(self, number + 1, *self._names[number])

    def effects(self, into: str | None = None) -> list[Effect]:
        """What is to be done: other mailboxes get their messages before this one lets them go."""
        if into is not None:
            raise Failure(f'{self.name}: a Maildir cannot be moved. To copy its messages: copy to: "…"')
        own = [effect for number in sorted(self.kept) for effect in self.kept[number].effects()]
        return [*self.out.effects(), *own]

    def close(self) -> None:
        """Nothing is held."""


def _files_in(folder: str) -> Iterator[str]:
    """The names of the files in a folder: whoever reads a pipe waits without end."""
    note_access(os.path.join(folder, "*"))
    with os.scandir(folder) as found:
        yield from (each.name for each in found if not each.name.startswith(".") and each.is_file())


def _order(name: str) -> tuple[int, str]:
    """Messages in the order in which they came: their names begin with the second."""
    number = name.partition(".")[0]
    return (int(number) if number.isdecimal() else 0), name


def open_maildir(path: str) -> Maildir:
    """Opens one."""
    return Maildir(path)
