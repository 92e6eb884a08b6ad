"""What mailboxes that are files and those that are folders have in common."""

from __future__ import annotations

from collections.abc import Sequence
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
