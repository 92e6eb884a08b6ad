"""What mailboxes that are files and those that are folders have in common."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from typing import Any, Generic, TypeVar
from weakref import WeakValueDictionary

from scrub.formats.mail.draft import Passed
from scrub.formats.mail.mbox_rules import ANSWERED, FLAGGED, SEEN
from scrub.formats.mail.out import Mailed, Out
from scrub.formats.opened_item import OpenedItem
from scrub.model.core.change import Undo
from scrub.model.core.declare import FileItem, may_lack
from scrub.model.core.files import WholeFile
from scrub.model.core.problem import Failure
from scrub.model.core.progress import over
from scrub.model.core.required import required
from scrub.model.core.sending import OutboundTask
from scrub.model.core.series import Series
from scrub.model.mail.mailbox import Mailbox
from scrub.store.patch import digest


class BoxMessage(Passed):
    """A message of a mailbox, which keeps flags."""

    box: OpenMailbox[Any]

    @property
    def file(self) -> FileItem:
        """The mailbox."""
        return self.box

    def touch(self) -> None:
        """From now on it is kept."""
        self.box.kept[self.number - 1] = self

    @required
    def put_flags(self, flags: frozenset[str]) -> Undo:
        """Gives it other flags; returns how to undo it."""
        raise NotImplementedError

    @property
    def seen(self) -> bool:
        """Whether it was opened once."""
        return SEEN in self.flags

    @seen.setter
    def seen(self, value: bool) -> None:
        self._flag(SEEN, value, "seen")

    @property
    def flagged(self) -> bool:
        """Whether somebody marked it."""
        return FLAGGED in self.flags

    @flagged.setter
    def flagged(self, value: bool) -> None:
        self._flag(FLAGGED, value, "flagged")

    @property
    def answered(self) -> bool:
        """Whether somebody answered it."""
        return ANSWERED in self.flags

    @answered.setter
    def answered(self, value: bool) -> None:
        self._flag(ANSWERED, value, "answered")

    def _flag(self, flag: str, on: bool, field: str) -> None:
        before = flag in self.flags
        if before != on:
            back = self.put_flags(self.flags | {flag} if on else self.flags - {flag})
            self.noted(field, "yes" if before else "no", "yes" if on else "no", back)

    def delete(self) -> None:
        """Takes it out of its mailbox."""
        self.touch()
        self.gone = True
        self.noted("deleted", False, True, lambda: setattr(self, "gone", False), "deleted")


M = TypeVar("M", bound="BoxMessage")


#: The fields of messages that depend on one header alone.
_HEADERS = {
    "from": "From", "subject": "Subject", "base-subject": "Subject", "to": "To", "cc": "Cc", "bcc": "Bcc",
    "reply-to": "Reply-To", "id": "Message-ID",
}  # fmt: skip
#: Headers whose messages are known to be alike, at the most.
_MOST = 10_000


class MessageSeries(Series[M]):
    """The messages of a mailbox, in its order."""

    __slots__ = ("_box",)

    def __init__(self, box: OpenMailbox[M], count: int) -> None:
        super().__init__(count, box.at)
        self._box = box

    def chosen(self, fields: frozenset[str], ask: Callable[[M], tuple[bool, bool]]) -> Series[M] | None:
        """Those for which a condition holds, asked once of those with the same headers."""
        if not fields <= _HEADERS.keys():
            return None
        return _Chosen(self._box, len(self), sorted({_HEADERS[field] for field in fields}), ask)


class _Chosen(Series[M]):
    """Messages of a mailbox for which a condition holds, found as somebody comes to them."""

    __slots__ = ("_ask", "_box", "_names")

    def __init__(
        self, box: OpenMailbox[M], count: int, names: Sequence[str], ask: Callable[[M], tuple[bool, bool]]
    ) -> None:
        super().__init__(count, box.at)
        self._box, self._names, self._ask = box, names, ask

    def _places(self) -> Iterator[int]:
        box, names, known = self._box, self._names, dict[tuple[bytes, ...], bool]()
        for place in range(self._count):
            mark = box.mark(place, names)
            holds = known.get(mark) if mark is not None else None
            if holds is None:
                message = box.at(place)
                if message.removed:
                    continue
                holds, alike = self._ask(message)
                if mark is not None and alike and len(known) < _MOST:
                    known[mark] = holds
            if holds:
                yield place

    def __iter__(self) -> Iterator[M]:
        return map(self._box.at, self._places())

    def many(self) -> int:
        """How many there are."""
        return sum(1 for _ in self._places())


class OpenMailbox(Mailbox, Generic[M]):
    """A mailbox that is open for changes. Of its messages only those that change are kept; all others are forgotten
    when nobody uses them.
    """

    def __init__(self) -> None:
        self.kept: dict[int, M] = {}  # by their place from 0
        self._live: WeakValueDictionary[int, M] = WeakValueDictionary()

    @required
    def made(self, number: int) -> M:
        """The message at a place, from 0, as it was when the mailbox was opened."""
        raise NotImplementedError

    def at(self, number: int) -> M:
        """The message at a place, from 0: always the same one."""
        result = self.kept.get(number) or self._live.get(number)
        if result is None:
            result = self._live[number] = self.made(number)
        return result

    def mark(self, number: int, names: Sequence[str]) -> tuple[bytes, ...] | None:
        """What some headers of a message are, as bytes, so that messages with the same are alike; None where it must be
        looked at itself, as it was changed, or its headers are not found without reading them all.
        """
        return None

    def delete_duplicates(self) -> None:
        """Removes every message that is there a second time."""
        known: dict[str, list[int]] = {}
        every: Series[Mailed] = self.messages()  # type: ignore[assignment]
        bodies: dict[int, str] = {}
        for place, each in enumerate(over(every)):
            if each.removed or not each.id:
                continue
            others = known.setdefault(each.id, [])
            if others:
                for other in (place, *others):
                    if other not in bodies:
                        bodies[other] = _body(every[other])
                if any(bodies[other] == bodies[place] for other in others):
                    each.delete()
                    continue
            others.append(place)


class LooseMailbox(OpenedItem, OpenMailbox[M]):
    """A mailbox that is not a file: a folder, or a place on a server."""

    def __init__(self, shown: str, address: str, beside: str) -> None:
        """`beside` is the path beside which files are made of it."""
        super().__init__()
        self.shown, self.address = shown, address
        self.out = Out(beside)

    @property
    def sends(self) -> Sequence[OutboundTask]:
        """What is to be sent."""
        return self.out.sends

    def embed(self, title: str, text: str) -> None:
        """Nothing but messages can be inside."""
        raise Failure(f"{self.name}: a mailbox cannot contain macros")

    def ensure_free(self) -> None:
        """Several share it; each message is looked at once more at the end."""

    save_copy = may_lack(WholeFile.save_copy)

    def lacking(self, what: str = "that") -> str:
        """It contains messages and nothing else."""
        return f"{self.name}: a mailbox cannot store {what}"


def _body(message: Mailed) -> str:
    """The hash of what a message contains, by whatever way it came."""
    _, body = message.head
    return digest(message.octets(body, message.length).replace(b"\r\n", b"\n").strip())
