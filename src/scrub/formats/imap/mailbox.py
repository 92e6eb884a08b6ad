"""A mailbox on a server, as a macro sees it. It is read without a trace; what changes is done when all is saved."""

from __future__ import annotations

import os
import time
from collections.abc import Iterator, Sequence
from datetime import datetime

from scrub.formats.imap.connection import Connection, MailboxAddress, Stored, place_of
from scrub.formats.imap.deeds import Order, ServerCommand
from scrub.formats.mail.boxed import BoxMessage, LooseMailbox
from scrub.formats.mail.dates import here
from scrub.formats.mail.headers import Headers
from scrub.formats.mail.mbox_rules import ANSWERED, FLAGGED, SEEN
from scrub.formats.mail.out import Held, is_maildir
from scrub.model.core.change import Undo
from scrub.model.core.declare import holds
from scrub.model.core.files import FilePath
from scrub.model.core.problem import Failure, FileProblem, counted
from scrub.model.core.sending import OutboundTask
from scrub.model.core.series import Series
from scrub.store.patch import Effect

#: The flags of a server (RFC 9051, 2.3.2) that macros know.
_FLAGS = {SEEN: "\\Seen", FLAGGED: "\\Flagged", ANSWERED: "\\Answered"}
#: Messages whose headers are asked for at once.
_BATCH = 100


class ServerMessage(BoxMessage):
    """A message on a server. While UIDVALIDITY stays, its UID means no other one (RFC 9051, 2.3.1.1)."""

    line_end = "\r\n"

    def __init__(self, box: ServerMailbox, number: int, uid: int) -> None:
        self.box, self.out, self.server = box, box.out, box
        self.uid = uid
        self.target = ""  # the mailbox of the server that it goes to
        self._flags: frozenset[str] | None = None
        super().__init__(box.known(uid).size, number)

    @property
    def known(self) -> Stored:
        """What the server says of it."""
        return self.server.known(self.uid)

    @property
    def head(self) -> tuple[Headers, int]:
        """Its headers, and where its body begins."""
        if self._head is None:
            data = self.known.headers
            end = next((len(data) - len(end) for end in (b"\r\n\r\n", b"\n\n") if data.endswith(end)), len(data))
            gap = len(data) - end
            self._head = (Headers(data[: end + gap // 2] if gap else data), len(data))
        return self._head

    def octets(self, start: int, end: int) -> bytes:
        """Bytes of it; all of it is asked for where more than the headers is needed."""
        headers = self.known.headers
        if end <= len(headers):
            return headers[start:end]
        return self.server.whole(self.uid)[start:end]

    def whole(self) -> bytes:
        """All its bytes."""
        return self.server.whole(self.uid)

    def origin(self) -> Held:
        """Its bytes."""
        return Held(self.whole())

    def arrived(self) -> datetime | None:
        """When it came into the mailbox."""
        try:
            return here(datetime.strptime(self.known.arrived.strip(), "%d-%b-%Y %H:%M:%S %z"))
        except ValueError:
            return None

    @property
    def server_flags(self) -> frozenset[str]:
        """Its flags when the mailbox was opened."""
        return frozenset(flag for flag, word in _FLAGS.items() if word in self.known.flags)

    @property
    def flags(self) -> frozenset[str]:
        """Its flags as they are now."""
        return self.server_flags if self._flags is None else self._flags

    def put_flags(self, flags: frozenset[str]) -> Undo:
        """Gives it other flags."""
        before = self._flags
        self.touch()
        self._flags = None if flags == self.server_flags else flags
        return lambda: setattr(self, "_flags", before)

    def move(self, to: FilePath) -> None:
        """Moves it into another mailbox of the server, or into a file."""
        if self.server.is_local(str(to)):
            super().move(to)
            return
        self.touch()
        self.gone, self.target = True, str(to)

        def revert() -> None:
            self.gone, self.target = False, ""

        self.noted("moved", None, str(to), revert, f"moved to {to}")

    def copy(self, to: FilePath) -> None:
        """Copies it into another mailbox of the server, or into a file."""
        if self.server.is_local(str(to)):
            super().copy(to)
            return
        copies = self.server.copies.setdefault(str(to), [])
        copies.append(self.uid)
        self.noted("copied", None, str(to), lambda: copies.remove(self.uid), f"copied to {to}")


class ServerMailbox(LooseMailbox[ServerMessage]):
    """Its messages are read in batches; changes wait until the end of the run (RFC 9051)."""

    def __init__(self, place: MailboxAddress) -> None:
        super().__init__(place.address, place.address, os.path.join(os.getcwd(), place.mailbox.replace("/", "-")))
        self.place = place
        self.copies: dict[str, list[int]] = {}
        self._connection: Connection | None = None
        self._writing: Connection | None = None
        self._reading: Connection | None = Connection(place, writing=False)
        self.validity = self._reading.validity
        self._uids = self._reading.uids()
        self._places = {uid: number for number, uid in enumerate(self._uids)}
        self._known: dict[int, Stored] = {}
        self._last: tuple[int, bytes] = (0, b"")

    # -- what the server says

    def _read(self) -> Connection:
        if self._reading is None:
            self._reading = Connection(self.place, writing=False)
            if self._reading.validity != self.validity:
                raise self._renumbered()
        return self._reading

    def _renumbered(self) -> FileProblem:
        return FileProblem(
            self.address, "the server has renumbered its messages (UIDVALIDITY). Nothing was done; run again"
        )

    def _missing(self, uid: int) -> FileProblem:
        return FileProblem(
            self.address,
            f"message {self._places[uid] + 1} was moved or removed in the meantime. Nothing was done; run again",
        )

    def known(self, uid: int) -> Stored:
        """What the server says of a message; those after it are asked for at once."""
        result = self._known.get(uid)
        if result is None:
            place = self._places[uid]
            kept = {
                message.uid: self._known[message.uid] for message in self.kept.values() if message.uid in self._known
            }
            self._known = {**kept, **self._read().stored(self._uids[place : place + _BATCH])}
            result = self._known.get(uid)
            if result is None:
                raise self._missing(uid)
        return result

    def whole(self, uid: int) -> bytes:
        """The bytes of a message; the last one is held."""
        if self._last[0] != uid:
            data = self._read().whole(uid)
            if data is None:
                raise self._missing(uid)
            self._last = (uid, data)
        return self._last[1]

    # -- as a macro sees it

    @property
    def name(self) -> str:
        """The mailbox's name on the server."""
        return self.place.mailbox

    @holds
    def messages(self) -> Series[ServerMessage]:
        """Its messages, in the order in which they came."""
        return Series(len(self._uids), self.at)

    def made(self, number: int) -> ServerMessage:
        """The message at a place."""
        return ServerMessage(self, number + 1, self._uids[number])

    def is_local(self, to: str) -> bool:
        """Whether the name of a mailbox is that of a file or folder of this machine."""
        return to.lower().endswith((".mbox", ".mbx")) or is_maildir(self.out.whole(to))

    # -- saving

    def effects(self, into: str | None = None) -> list[Effect]:
        """The files that come of it; the server is told after."""
        if into is not None:
            raise Failure(f'{self.name}: a mailbox on a server cannot be moved. To copy its messages: copy to: "…"')
        return self.out.effects()

    @property
    def sends(self) -> list[OutboundTask]:
        """What is to be done on the server, then what is to be sent."""
        return [*self._errands(), *self.out.sends]

    def _errands(self) -> Iterator[ServerCommand]:
        every = [self.kept[number] for number in sorted(self.kept)]
        for mailbox, wanted in self.copies.items():
            edited = [message for message in every if message.touched and message.uid in wanted]
            uids = [uid for uid in wanted if uid not in [message.uid for message in edited]]
            if uids:
                said = f"{counted(len(uids), 'message')} copied to {mailbox}"
                yield self._deed(said, {"do": "copy", "uids": uids, "to": mailbox})
            for message in edited:
                yield self._written(message, mailbox, "copied to", [])
        for message in every:
            if message.touched and (not message.gone or message.target):
                yield self._written(message, message.target or self.name, "rewritten in", [message.uid])
        whole = [message for message in every if not (message.touched and (not message.gone or message.target))]
        for on in (True, False):
            groups: dict[tuple[str, ...], list[int]] = {}
            for message in whole:
                one, other = (message.flags, message.server_flags) if on else (message.server_flags, message.flags)
                words = tuple(sorted(_FLAGS[flag] for flag in one - other))
                if words and (not message.gone or message.target):
                    groups.setdefault(words, []).append(message.uid)
            for words, uids in groups.items():
                named = " ".join(word.strip("\\").lower() for word in words)
                said = f"{counted(len(uids), 'message')} {'' if on else 'not '}{named} in {self.name}"
                yield self._deed(said, {"do": "flag", "uids": uids, "flags": list(words), "on": on})
        moved: dict[str, list[int]] = {}
        for message in whole:
            if message.gone:
                moved.setdefault(message.target, []).append(message.uid)
        for mailbox, uids in moved.items():
            if mailbox:
                said = f"{counted(len(uids), 'message')} moved to {mailbox}"
                yield self._deed(said, {"do": "move", "uids": uids, "to": mailbox})
            else:
                said = f"{counted(len(uids), 'message')} deleted from {self.name}"
                yield self._deed(said, {"do": "remove", "uids": uids})

    def _written(self, message: ServerMessage, target: str, how: str, instead: Sequence[int]) -> ServerCommand:
        """A message that is rewritten; the earlier one goes then, if it is named."""
        order = {
            "do": "append", "uids": list(instead), "to": target, "of": message.uid,
            "on": sorted(_FLAGS[flag] for flag in message.flags - message.server_flags),
            "off": sorted(_FLAGS[flag] for flag in message.server_flags - message.flags),
            "moment": message.known.arrived.strip() or time.strftime("%d-%b-%Y %H:%M:%S +0000", time.gmtime()),
        }  # fmt: skip
        return self._deed(f'"{message.subject}" {how} {target}', order, message.written())

    def _deed(self, said: str, order: Order, data: bytes = b"") -> ServerCommand:
        return ServerCommand(said, order, self._write, self.finish, self.address, data)

    def _write(self) -> Connection:
        """The connection on which things are done, once for all of them; the messages must still be the ones that
        were read.
        """
        if self._writing is None:
            made = Connection(self.place, writing=True)
            if made.validity != self.validity:
                made.close()
                raise self._renumbered()
            there = set(made.uids())
            for message in self.kept.values():
                if message.uid not in there:
                    made.close()
                    raise self._missing(message.uid)
            self._writing = made
        return self._writing

    def finish(self) -> None:
        """Ends the connection on which things were done."""
        if self._writing is not None:
            self._writing.close()
            self._writing = None

    def close(self) -> None:
        """Ends the connection on which it was read."""
        if self._reading is not None:
            self._reading.close()
            self._reading = None


def open_server(path: str) -> ServerMailbox:
    """Opens one. Raises `FileProblem`."""
    return ServerMailbox(place_of(path))
