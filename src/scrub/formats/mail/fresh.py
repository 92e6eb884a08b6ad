"""A new message that answers nothing: what a macro for a list of people writes."""

from __future__ import annotations

import os
from collections.abc import Sequence

from scrub.formats.mail.draft import Draft, new_draft
from scrub.formats.mail.out import Out
from scrub.formats.opened_item import OpenedItem
from scrub.model.core.addresses import Address
from scrub.model.core.declare import Item
from scrub.model.core.outline import Contents
from scrub.model.core.problem import Failure
from scrub.model.core.sending import OutboundTask
from scrub.store.patch import Effect


class FreshMessage(OpenedItem):
    """A file that will be a draft below a folder, or nothing where the message is sent."""

    part_word = "message"

    def __init__(self, folder: str, to: Sequence[Address], subject: str, text: str) -> None:
        super().__init__()
        self.address = self.shown = os.path.join(folder, "new message")
        self.out = Out(self.address)
        self.message: Draft = new_draft(self, self.out, to, subject, text)

    @property
    def sends(self) -> Sequence[OutboundTask]:
        """What is to be sent."""
        return self.out.sends

    @property
    def item(self) -> Item:
        """The message."""
        return self.message

    @property
    def label(self) -> str:
        """Whom it goes to."""
        return self.message.label

    def selected(self, place: str | None) -> Item:
        """Nothing can be picked in it."""
        raise Failure("a new message has no selection")

    def contents(self) -> Contents:
        """Nothing to see before it is there."""
        return Contents("part")

    def effects(self, into: str | None = None) -> list[Effect]:
        """The draft that it is to be."""
        return self.out.effects()
