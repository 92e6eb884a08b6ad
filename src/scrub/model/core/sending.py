"""A message that is to leave this machine, and who carries it."""

from __future__ import annotations

from collections.abc import Callable
from typing import Protocol, runtime_checkable

from scrub.model.core.named import NamedTuple


class Outgoing(NamedTuple):
    """A message as it goes over the wire: its id, who sends it, all who get it, its subject, and its bytes."""

    id: str
    sender: str
    recipients: tuple[str, ...]
    subject: str
    data: bytes

    @property
    def done(self) -> str:
        """The word for what became of it."""
        return "sent"

    @property
    def size(self) -> int:
        """How big it is, in bytes."""
        return len(self.data)

    @property
    def said(self) -> str:
        """How a person is told of it."""
        return f'"{self.subject}" to {", ".join(self.recipients)}'


class OutboundTask(Protocol):
    """Something that is done away from this machine, when all files are saved: a message sent, a change on a server."""

    @property
    def done(self) -> str:
        """The word for what became of it: sent, or done."""

    @property
    def id(self) -> str:
        """Its name in the world, if it has one."""

    @property
    def recipients(self) -> tuple[str, ...]:
        """Whom it goes to."""

    @property
    def subject(self) -> str:
        """What it is about."""

    @property
    def data(self) -> bytes:
        """The bytes that leave."""

    @property
    def said(self) -> str:
        """How a person is told of it."""


@runtime_checkable
class Doing(OutboundTask, Protocol):
    """An errand that knows on its own how it is done."""

    @property
    def address(self) -> str:
        """Where it is done."""

    def perform(self, keep: Callable[[bytes], str]) -> list[dict[str, object]]:
        """Does it; returns how to undo it. `keep` keeps bytes for that, and gives their name. Raises `NotSent`,
        `HalfDone` or `PerhapsSent`.
        """

    def finish(self) -> None:
        """Is told that all errands of a file are done."""


class NotSent(Exception):
    """A message was certainly not sent; the text says why."""


class Declined(NotSent):
    """A server that works took this one not; others may go."""


class HalfDone(Exception):
    """Only the first steps of it were done; the text says why the next one was not. `back` undoes those steps."""

    def __init__(self, why: str, back: list[dict[str, object]], declined: bool) -> None:
        super().__init__(why)
        self.back = back
        self.declined = declined  # the server works, so that others may go


class PerhapsSent(Exception):
    """A message may have been sent, or not: the answer of the server did not come. It is never sent again."""


class Transport(Protocol):
    """What carries messages to a mail server."""

    def carry(self, message: Outgoing) -> None:
        """Sends one. Raises `NotSent` or `PerhapsSent`."""

    def close(self) -> None:
        """Ends the connection."""
