"""What is done on a mail server when all files are saved, and how to undo it."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from typing import Any

from scrub.formats.imap import connection as server
from scrub.formats.imap.connection import Connection, place_of, spoken
from scrub.model.named import NamedTuple
from scrub.model.problem import FileProblem
from scrub.model.sending import Declined, NotSent, PerhapsSent

#: One thing to do in a mailbox, as it can be kept: the word under "do", and what it needs.
Order = dict[str, Any]
#: Keeps the bytes of a message that is about to go, and gives the name by which they are read again.
Keep = Callable[[bytes], str]


class Deed(NamedTuple):
    """One command to a server, or a few that belong together."""

    said: str
    order: Order
    connect: Callable[[], Connection]
    finish: Callable[[], None]  # ends the connection, when all is done
    address: str
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

    def perform(self, keep: Keep) -> list[Order]:
        """Does it; returns how to undo it. Raises `NotSent` where it was certainly not done, `PerhapsSent` where
        nobody knows.
        """
        try:
            connection = self.connect()
        except FileProblem as problem:
            raise NotSent(problem.what) from None
        try:
            return list(done(connection, self.order, keep, lambda name: self.data))
        except server.Lost as problem:
            raise PerhapsSent(problem.what) from None
        except server.Declined as problem:
            raise Declined(problem.what) from None
        except FileProblem as problem:
            raise NotSent(problem.what) from None


def done(connection: Connection, order: Order, keep: Keep, kept: Callable[[str], bytes]) -> Iterator[Order]:
    """Does what an order says in the open mailbox; returns the orders that undo it, each for its mailbox."""
    here = {"in": connection.place.mailbox, "validity": connection.validity}
    uids: Sequence[int] = order.get("uids", ())
    word = order["do"]
    if word == "flag":  # STORE (RFC 9051, 6.4.6)
        sign = "+" if order["on"] else "-"
        connection.uid("STORE", spoken(uids), f"{sign}FLAGS.SILENT", f"({' '.join(order['flags'])})")
        yield {**here, **order, "on": not order["on"]}
    elif word == "move":  # MOVE (RFC 6851); else COPY, and then they go
        connection.ensure_mailbox(order["to"])
        command = "MOVE" if connection.moves else "COPY"
        with _Arrivals(connection, order["to"], len(uids)) as arrivals:
            arrivals.told(connection.uid_there(command, uids, order["to"]))
        removed = connection.moves or _gone(connection, uids)
        for validity, fresh in arrivals.found:
            back = {"in": order["to"], "validity": validity, "uids": fresh}
            yield {**back, "do": "move", "to": connection.place.mailbox} if removed else {**back, "do": "remove"}
        if not removed:
            yield _unmarked(here, uids)
    elif word == "copy":
        connection.ensure_mailbox(order["to"])
        with _Arrivals(connection, order["to"], len(uids)) as arrivals:
            arrivals.told(connection.uid_there("COPY", uids, order["to"]))
        for validity, fresh in arrivals.found:
            yield {"in": order["to"], "validity": validity, "do": "remove", "uids": fresh}
    elif word == "remove":
        yield from _removed(connection, uids, keep, here)
    elif word == "append":
        connection.ensure_mailbox(order["to"])
        data = kept(order.get("kept", ""))
        with _Arrivals(connection, order["to"], 1) as arrivals:
            arrivals.told(connection.append(order["to"], order["flags"], order["moment"], data))
        for validity, fresh in arrivals.found:
            yield {"in": order["to"], "validity": validity, "do": "remove", "uids": fresh}
        if uids:  # in the place of a earlier one: the new one came first, so that nothing is lost in between
            yield from _removed(connection, uids, keep, here)


class _Arrivals:
    """The messages that a command brings into a mailbox: as the server says, else as the mailbox shows."""

    def __init__(self, connection: Connection, mailbox: str, count: int) -> None:
        self._connection, self._mailbox, self._count = connection, mailbox, count
        self._before: tuple[int, int] | None = None
        self.found: list[tuple[int, Sequence[int]]] = []

    def __enter__(self) -> _Arrivals:
        if not self._connection.removes:
            self._before = self._connection.next_there(self._mailbox)
        return self

    def told(self, there: tuple[int, Sequence[int]] | None) -> None:
        """Takes in what the server said of them."""
        self.found = [there] if there is not None else []

    def __exit__(self, failed: object, *_: object) -> None:
        if not failed and not self.found:
            there = self._connection.come_since(self._mailbox, self._before, self._count)
            self.found = [there] if there is not None else []


def _removed(connection: Connection, uids: Sequence[int], keep: Keep, here: Order) -> Iterator[Order]:
    """Removes messages; gives what brings them back."""
    back = [_append_again(connection, uid, keep) for uid in uids] if connection.removes else [_unmarked(here, uids)]
    _gone(connection, uids)
    yield from back


def _unmarked(here: Order, uids: Sequence[int]) -> Order:
    """What brings back messages that are only marked as deleted."""
    return {**here, "do": "flag", "uids": list(uids), "flags": ["\\Deleted"], "on": False}


def _append_again(connection: Connection, uid: int, keep: Keep) -> Order:
    """What brings a message back that is about to go."""
    stored, data = connection.stored([uid]).get(uid), connection.whole(uid)
    if stored is None or data is None:
        raise FileProblem(connection.place.address, "a message was removed in the meantime")
    flags = " ".join(sorted(stored.flags - {"\\Recent", "\\Deleted"}))
    return {
        "in": connection.place.mailbox, "validity": connection.validity, "do": "append",
        "to": connection.place.mailbox, "flags": f"({flags})", "moment": stored.arrived.strip(), "kept": keep(data),
    }  # fmt: skip


def _gone(connection: Connection, uids: Sequence[int]) -> bool:
    """Removes these messages and no others (UID EXPUNGE, RFC 4315, 2.1); gives whether they are gone. Where the server
    cannot, they stay, marked as deleted, and nobody sees them any more.
    """
    connection.uid("STORE", spoken(uids), "+FLAGS.SILENT", "(\\Deleted)")
    if connection.removes:
        connection.uid("EXPUNGE", spoken(uids))
    return connection.removes


def taken_back(address: str, orders: Sequence[Order], kept: Callable[[str], bytes]) -> None:
    """Undoes what was done on a server, the last first. Raises `FileProblem` where it cannot be."""
    for order in reversed(orders):
        place = place_of(address)._replace(mailbox=order["in"])
        connection = Connection(place, writing=True)
        try:
            if connection.validity != order["validity"]:
                raise FileProblem(
                    address, f"the server has renumbered the messages of {order['in']}, so they cannot be identified"
                )
            missing = set(order.get("uids", ())) - set(connection.uids(deleted=True))
            if missing:
                raise FileProblem(address, f"{len(missing)} of the messages are no longer in {order['in']}")
            for _ in done(connection, order, lambda data: "", kept):
                pass
        finally:
            connection.close()
