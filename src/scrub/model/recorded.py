"""Changes that were recorded in a document, and wait."""

from __future__ import annotations

from datetime import datetime

from scrub.model.declare import Item, Reach, action, field, may_lack
from scrub.model.values import Choice


class ChangeSort(Choice):
    """What a recorded change did."""

    INSERTION = "insertion"
    DELETION = "deletion"
    MOVE = "move"
    FORMAT = "format"


class RecordedChange(Item):
    """A change that was recorded, and waits to be accepted or refused."""

    kind_word = "change"

    @property
    @field
    def text(self) -> str:
        """The words that it is about; of a change of looks nothing.

        Example: log change.text
        Also: content, words
        """
        raise NotImplementedError

    @property
    @field
    def author(self) -> str:
        """Who made it.

        Example: if change.author is "Ann Moss"
        Also: name, writer, reviewer
        """
        raise NotImplementedError

    @property
    @field
    def date(self) -> datetime | None:
        """When it was made; nothing where the file does not say.

        Example: if change.date < now - 30 days
        Also: age, when, old
        """
        raise NotImplementedError

    @property
    @field
    def sort(self) -> ChangeSort:
        """What it did.

        Example: if change.sort is deletion
        Also: type, kind
        """
        raise NotImplementedError

    @action(Reach.CHANGE)
    @may_lack
    def accept(self) -> None:
        """Makes the change real. Changes are decided on above all other edits of a document.

        Example: accept
        Also: track changes, approve, review, revision
        """
        raise NotImplementedError

    @action(Reach.CHANGE)
    @may_lack
    def reject(self) -> None:
        """Takes the change back. Changes are decided on above all other edits of a document.

        Example: reject
        Also: track changes, refuse, undo, review, revision
        """
        raise NotImplementedError
