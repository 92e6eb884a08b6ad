"""What mailboxes that are files and those that are folders have in common."""

from __future__ import annotations

from collections.abc import Callable
from hashlib import blake2b
from typing import Any, Generic, TypeVar
from weakref import WeakValueDictionary

from scrub.formats.mail.draft import Passed
from scrub.formats.mail.mbox_rules import ANSWERED, FLAGGED, SEEN
from scrub.formats.mail.out import Mailed
from scrub.model.declare import FileItem
from scrub.model.mailbox import Mailbox
from scrub.model.progress import over
from scrub.model.series import Series


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

    def put_flags(self, flags: frozenset[str]) -> Callable[[], None]:
        """Gives it other flags; gives what takes that back."""
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


class OpenMailbox(Mailbox, Generic[M]):
    """A mailbox that is open for changes. Of its messages only those that change are kept; all others are forgotten
    when nobody uses them.
    """

    def __init__(self) -> None:
        self.kept: dict[int, M] = {}  # by their place from 0
        self._live: WeakValueDictionary[int, M] = WeakValueDictionary()

    def made(self, number: int) -> M:
        """The message at a place, from 0, as it was when the mailbox was opened."""
        raise NotImplementedError

    def at(self, number: int) -> M:
        """The message at a place, from 0: always the same one."""
        found = self.kept.get(number) or self._live.get(number)
        if found is None:
            found = self._live[number] = self.made(number)
        return found

    def delete_duplicates(self) -> None:
        """Takes out every message that stands there a second time."""
        known: dict[str, list[int]] = {}
        every: Series[Mailed] = self.messages()  # type: ignore[assignment]
        bodies: dict[int, bytes] = {}
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


def _body(message: Mailed) -> bytes:
    """The hash of what a message holds, by whatever way it came."""
    _, body = message.head
    return blake2b(message.octets(body, message.length).replace(b"\r\n", b"\n").strip(), digest_size=20).digest()
