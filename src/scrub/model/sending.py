"""A message that is to leave this machine, and who carries it."""

from __future__ import annotations

from typing import NamedTuple, Protocol


class Outgoing(NamedTuple):
    """A message as it goes over the wire: its id, who sends it, all who get it, its subject, and its bytes."""

    id: str
    sender: str
    recipients: tuple[str, ...]
    subject: str
    data: bytes

    @property
    def size(self) -> int:
        """How big it is, in bytes."""
        return len(self.data)

    @property
    def said(self) -> str:
        """How a person is told of it."""
        return f'"{self.subject}" to {", ".join(self.recipients)}'


class NotSent(Exception):
    """A message was surely not sent; the text says why."""


class PerhapsSent(Exception):
    """A message may have been sent, or not: the answer of the server did not come. It is never sent again."""


class Carrier(Protocol):
    """What carries messages to a mail server."""

    def carry(self, message: Outgoing) -> None:
        """Sends one. Raises `NotSent` or `PerhapsSent`."""

    def close(self) -> None:
        """Ends the connection."""
