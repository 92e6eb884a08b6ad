"""What is to be done on a mail server when all files are saved; each is noted before and behind."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import NamedTuple

from scrub.formats.imap.connection import Connection, spoken
from scrub.model.problem import FileProblem
from scrub.model.sending import NotSent, PerhapsSent


class Deed(NamedTuple):
    """One command to a server, or a few that belong together."""

    said: str
    work: Callable[[Connection], None]
    connect: Callable[[], Connection]
    finish: Callable[[], None]  # ends the connection, when all is done
    data: bytes = b""

    @property
    def done(self) -> str:
        """The word for what became of it."""
        return "done"

    @property
    def id(self) -> str:
        """It has no name of its own."""
        return ""

    @property
    def recipients(self) -> tuple[str, ...]:
        """It goes to nobody."""
        return ()

    @property
    def subject(self) -> str:
        """How a person is told of it."""
        return self.said

    def perform(self) -> None:
        """Does it. Raises `NotSent` where it was surely not done, `PerhapsSent` where nobody knows."""
        try:
            connection = self.connect()
        except FileProblem as problem:
            raise NotSent(problem.what) from None
        try:
            self.work(connection)
        except FileProblem as problem:
            if "ended the talk" in problem.what or "it is silent" in problem.what:
                raise PerhapsSent(problem.what) from None
            raise NotSent(problem.what) from None


def flagging(uids: Sequence[int], flags: Sequence[str], on: bool) -> Callable[[Connection], None]:
    """Flags set or taken away (STORE, RFC 9051, 6.4.6)."""

    def work(connection: Connection) -> None:
        connection.uid("STORE", spoken(uids), f"{'+' if on else '-'}FLAGS.SILENT", f"({' '.join(flags)})")

    return work


def moving(uids: Sequence[int], mailbox: str) -> Callable[[Connection], None]:
    """Messages moved to another mailbox of the server (MOVE, RFC 6851; else COPY, and then they go)."""

    def work(connection: Connection) -> None:
        connection.ensure_mailbox(mailbox)
        if "MOVE" in connection.can:
            connection.uid("MOVE", spoken(uids), connection.named(mailbox))
            return
        connection.uid("COPY", spoken(uids), connection.named(mailbox))
        _gone(connection, uids)

    return work


def copying(uids: Sequence[int], mailbox: str) -> Callable[[Connection], None]:
    """Messages copied to another mailbox of the server."""

    def work(connection: Connection) -> None:
        connection.ensure_mailbox(mailbox)
        connection.uid("COPY", spoken(uids), connection.named(mailbox))

    return work


def removing(uids: Sequence[int]) -> Callable[[Connection], None]:
    """Messages taken out."""

    def work(connection: Connection) -> None:
        _gone(connection, uids)

    return work


def replacing(uid: int, mailbox: str, flags: str, moment: str, data: bytes) -> Callable[[Connection], None]:
    """A message in the place of a former one: the new one comes first, so that nothing is lost in between."""

    def work(connection: Connection) -> None:
        connection.ensure_mailbox(mailbox)
        connection.append(mailbox, flags, moment, data)
        _gone(connection, [uid])

    return work


def _gone(connection: Connection, uids: Sequence[int]) -> None:
    """Removes these messages and no others (UID EXPUNGE, RFC 4315, 2.1). Where the server cannot, they stay, marked."""
    connection.uid("STORE", spoken(uids), "+FLAGS.SILENT", "(\\Deleted)")
    if "UIDPLUS" in connection.can or "IMAP4REV2" in connection.can:
        connection.uid("EXPUNGE", spoken(uids))
