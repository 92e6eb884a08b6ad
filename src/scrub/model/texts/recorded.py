"""Changes that were recorded in a document, and wait."""

from __future__ import annotations

from datetime import datetime

from scrub.model.core.choice import Choice
from scrub.model.core.declare import Item, Reach, action, field, may_lack
from scrub.model.core.required import required


class ChangeSort(Choice):
    """What a tracked change did."""

    INSERTION = "insertion"
    DELETION = "deletion"
    MOVE = "move"
    FORMAT = "format"


class RecordedChange(Item):
    """A change that was recorded, and waits to be accepted or rejected."""

    kind_word = "change"

    @property
    @field
    @required
    def text(self) -> str:
        """The changed text; nothing for a change of formatting.

        Example: log change.text
        Also: content, words
        """
        raise NotImplementedError

    @property
    @field
    @required
    def author(self) -> str:
        """The author of the change.

        Example: if change.author is "Ann Moss"
        Also: name, writer, reviewer
        """
        raise NotImplementedError

    @property
    @field
    @required
    def date(self) -> datetime | None:
        """The date and time of the change; nothing if the file has none.

        Example: if change.date < now - 30 days
        Also: age, when, old
        """
        raise NotImplementedError

    @property
    @field
    @required
    def type(self) -> ChangeSort:
        """The type of the change.

        Example: if change.type is deletion
        Also: sort, kind
        """
        raise NotImplementedError

    @action(Reach.CHANGE)
    @may_lack
    def accept(self) -> None:
        """Accepts the change. Accept or reject changes before all other edits of the document.

        Example: accept
        Also: track changes, approve, review, revision
        """
        raise NotImplementedError

    @action(Reach.CHANGE)
    @may_lack
    def reject(self) -> None:
        """Rejects the change. Accept or reject changes before all other edits of the document.

        Example: reject
        Also: track changes, refuse, undo, review, revision
        """
        raise NotImplementedError
