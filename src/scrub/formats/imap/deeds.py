"""What is done on a mail server when all files are saved, and how to undo it."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from typing import Any

from scrub.formats.imap import connection as server
from scrub.formats.imap.connection import Connection, batches, place_of, spoken
from scrub.model.core.named import NamedTuple
from scrub.model.core.problem import FileProblem
from scrub.model.core.sending import Declined, HalfDone, NotSent, PerhapsSent

#: One thing to do in a mailbox, as it can be kept: the word under "do", and what it needs.
Order = dict[str, Any]
#: Keeps the bytes of a message that is about to go, and gives the name by which they are read again.
Keep = Callable[[bytes], str]


class ServerCommand(NamedTuple):
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
        back: list[Order] = []
        try:
            carry_out(connection, self.order, keep, lambda name: self.data, back)
        except server.Lost as problem:
            raise PerhapsSent(problem.what) from None
        except FileProblem as problem:
            declined = isinstance(problem, server.Declined)
            if back:
                raise HalfDone(problem.what, back, declined) from None
            raise (Declined if declined else NotSent)(problem.what) from None
        return back


def carry_out(
    connection: Connection, order: Order, keep: Keep, kept: Callable[[str], bytes], back: list[Order]
) -> None:
    """Does what an order says in the open mailbox. `back` takes the orders that undo it, each for its mailbox; where
    the server stops in the middle, those that undo what was done so far.
    """
    steps = _Steps(connection, order, keep, kept, back)
    {"flag": steps.flag, "move": steps.move, "copy": steps.copy, "remove": steps.remove, "append": steps.append}[
        order["do"]
    ]()


class _Steps:
    """The commands of one order, one after the other."""

    def __init__(
        self, connection: Connection, order: Order, keep: Keep, kept: Callable[[str], bytes], back: list[Order]
    ) -> None:
        self._connection, self._order, self._keep, self._kept, self._back = connection, order, keep, kept, back
        self._to: str = order.get("to", "")
        self._uids: Sequence[int] = order.get("uids", ())

    def flag(self) -> None:
        """STORE (RFC 9051, 6.4.6)."""
        order = self._order
        sign = "+" if order["on"] else "-"
        for part in batches(self._uids):
            self._connection.uid("STORE", spoken(part), f"{sign}FLAGS.SILENT", f"({' '.join(order['flags'])})")
            self._back.append({**_here(self._connection), **order, "uids": list(part), "on": not order["on"]})

    def move(self) -> None:
        """MOVE (RFC 6851); else COPY, and then they go."""
        connection, back = self._connection, self._back
        connection.ensure_mailbox(self._to)
        for part in batches(self._uids):
            at = len(back)
            with _Arrivals(connection, self._to, len(part)) as arrivals:
                try:
                    arrivals.told(connection.uid_there("MOVE" if connection.moves else "COPY", part, self._to))
                except server.Declined:  # some may be there all the same (RFC 6851, 3.3)
                    arrivals.told(connection.come_there())
                    back += map(self._move_back, arrivals.found)
                    raise
            if not connection.moves:
                back += map(self._remove_there, arrivals.found)
                if not _gone(connection, part, back):
                    continue
            back[at:] = map(self._move_back, arrivals.found)

    def copy(self) -> None:
        """COPY (RFC 9051, 6.4.7)."""
        self._connection.ensure_mailbox(self._to)
        for part in batches(self._uids):
            with _Arrivals(self._connection, self._to, len(part)) as arrivals:
                arrivals.told(self._connection.uid_there("COPY", part, self._to))
            self._back += map(self._remove_there, arrivals.found)

    def remove(self) -> None:
        """STORE and EXPUNGE."""
        connection = self._connection
        for part in batches(self._uids):
            again = [_append_again(connection, uid, self._keep) for uid in part] if connection.removes else []
            _gone(connection, part, self._back)
            self._back += again

    def append(self) -> None:
        """APPEND (RFC 9051, 6.3.12); in the place of an earlier one, which goes last, so that nothing is lost."""
        order, connection = self._order, self._connection
        flags = _flags_now(connection, order)
        connection.ensure_mailbox(self._to)
        with _Arrivals(connection, self._to, 1) as arrivals:
            arrivals.told(connection.append(self._to, flags, order["moment"], self._kept(order.get("kept", ""))))
        self._back += map(self._remove_there, arrivals.found)
        if self._uids:
            self.remove()

    def _remove_there(self, there: tuple[int, Sequence[int]]) -> Order:
        """What takes messages away again that came into a mailbox."""
        return {"in": self._to, "validity": there[0], "do": "remove", "uids": list(there[1])}

    def _move_back(self, there: tuple[int, Sequence[int]]) -> Order:
        """What brings messages back that came into a mailbox from this one."""
        return {**self._remove_there(there), "do": "move", "to": self._connection.place.mailbox}


def _flags_now(connection: Connection, order: Order) -> str:
    """The flags of a message that is written: of one that is rewritten those that it has at this moment, as others may
    have set some meanwhile, with what the macro changed.
    """
    if "of" not in order:
        return str(order["flags"])
    there = connection.stored([order["of"]]).get(order["of"])
    if there is None:
        raise _removed_meanwhile(connection)
    flags = (there.flags - {"\\Recent", "\\Deleted", *order["off"]}) | set(order["on"])
    return f"({' '.join(sorted(flags))})"


def _here(connection: Connection) -> Order:
    return {"in": connection.place.mailbox, "validity": connection.validity}


def _removed_meanwhile(connection: Connection) -> FileProblem:
    return FileProblem(connection.place.address, "a message was removed in the meantime")


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


def _append_again(connection: Connection, uid: int, keep: Keep) -> Order:
    """What brings a message back that is about to go."""
    stored, data = connection.stored([uid]).get(uid), connection.whole(uid)
    if stored is None or data is None:
        raise _removed_meanwhile(connection)
    flags = " ".join(sorted(stored.flags - {"\\Recent", "\\Deleted"}))
    return {
        **_here(connection),
        "do": "append",
        "to": connection.place.mailbox,
        "flags": f"({flags})",
        "moment": stored.arrived.strip(),
        "kept": keep(data),
    }


def _gone(connection: Connection, uids: Sequence[int], back: list[Order]) -> bool:
    """Removes these messages and no others (UID EXPUNGE, RFC 4315, 2.1); gives whether they are gone. Where the server
    cannot, they stay, marked as deleted, and nobody sees them any more; `back` takes what takes the mark away.
    """
    connection.uid("STORE", spoken(uids), "+FLAGS.SILENT", "(\\Deleted)")
    back.append({**_here(connection), "do": "flag", "uids": list(uids), "flags": ["\\Deleted"], "on": False})
    if connection.removes:
        connection.uid("EXPUNGE", spoken(uids))
        back.pop()
    return connection.removes


def taken_back(address: str, orders: Sequence[Order], kept: Callable[[str], bytes]) -> Iterator[Sequence[Order]]:
    """Undoes what was done on a server, the last first; gives after each step the orders that are still to undo. Raises
    `FileProblem` where it cannot be.
    """
    for number in reversed(range(len(orders))):
        order = orders[number]
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
            carry_out(connection, order, lambda data: "", kept, [])
        finally:
            connection.close()
        yield orders[:number]
