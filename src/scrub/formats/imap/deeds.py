"""What is done on a mail server when all files are saved, and what takes that back."""

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
        """Does it; gives what takes it back. Raises `NotSent` where it was surely not done, `PerhapsSent` where nobody
        knows.
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
    """Does what an order says in the open mailbox; gives the orders that take it back, each for its mailbox."""
    here = {"in": connection.place.mailbox, "validity": connection.validity}
    uids: Sequence[int] = order.get("uids", ())
    word = order["do"]
    if word == "flag":  # STORE (RFC 9051, 6.4.6)
        sign = "+" if order["on"] else "-"
        connection.uid("STORE", spoken(uids), f"{sign}FLAGS.SILENT", f"({' '.join(order['flags'])})")
        yield {**here, **order, "on": not order["on"]}
    elif word == "move":  # MOVE (RFC 6851); else COPY, and then they go
        connection.ensure_mailbox(order["to"])
        whole = "MOVE" in connection.can
        there = connection.uid_there("MOVE" if whole else "COPY", uids, order["to"])
        if not whole:
            _gone(connection, uids)
        if there is not None:
            validity, fresh = there
            yield {"in": order["to"], "validity": validity, "do": "move", "uids": fresh, "to": connection.place.mailbox}
    elif word == "copy":
        connection.ensure_mailbox(order["to"])
        there = connection.uid_there("COPY", uids, order["to"])
        if there is not None:
            yield {"in": order["to"], "validity": there[0], "do": "remove", "uids": there[1]}
    elif word == "remove":
        back = [_append_again(connection, uid, keep) for uid in uids]
        _gone(connection, uids)
        yield from back
    elif word == "append":
        connection.ensure_mailbox(order["to"])
        there = connection.append(order["to"], order["flags"], order["moment"], kept(order.get("kept", "")))
        if there is not None:
            yield {"in": order["to"], "validity": there[0], "do": "remove", "uids": there[1]}
        if uids:  # in the place of a former one: the new one came first, so that nothing is lost in between
            back = [_append_again(connection, uid, keep) for uid in uids]
            _gone(connection, uids)
            yield from back


def _append_again(connection: Connection, uid: int, keep: Keep) -> Order:
    """What brings a message back that is about to go."""
    stored, data = connection.stored([uid]).get(uid), connection.whole(uid)
    if stored is None or data is None:
        raise FileProblem(connection.place.address, "a message was removed meanwhile")
    flags = " ".join(sorted(stored.flags - {"\\Recent", "\\Deleted"}))
    return {
        "in": connection.place.mailbox, "validity": connection.validity, "do": "append",
        "to": connection.place.mailbox, "flags": f"({flags})", "moment": stored.arrived.strip(), "kept": keep(data),
    }  # fmt: skip


def _gone(connection: Connection, uids: Sequence[int]) -> None:
    """Removes these messages and no others (UID EXPUNGE, RFC 4315, 2.1). Where the server cannot, they stay, marked."""
    connection.uid("STORE", spoken(uids), "+FLAGS.SILENT", "(\\Deleted)")
    if "UIDPLUS" in connection.can or "IMAP4REV2" in connection.can:
        connection.uid("EXPUNGE", spoken(uids))


def taken_back(address: str, orders: Sequence[Order], kept: Callable[[str], bytes]) -> None:
    """Takes back what was done on a server, the last first. Raises `FileProblem` where it cannot be."""
    for order in reversed(orders):
        place = place_of(address)._replace(mailbox=order["in"])
        connection = Connection(place, writing=True)
        try:
            if connection.validity != order["validity"]:
                raise FileProblem(
                    address, f"the server numbered the messages of {order['in']} anew since, so they cannot be told"
                )
            missing = set(order.get("uids", ())) - set(connection.uids())
            if missing:
                raise FileProblem(address, f"{len(missing)} of the messages are not in {order['in']} any more")
            for _ in done(connection, order, lambda data: "", kept):
                pass
        finally:
            connection.close()
