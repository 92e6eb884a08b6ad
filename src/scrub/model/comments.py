"""Comments."""

from __future__ import annotations

from datetime import datetime

from scrub.model.cells.grid import Grid, Noted
from scrub.model.core.area import address_of
from scrub.model.core.declare import FileItem, Item, Reach, action, field, may_lack, needs
from scrub.model.core.required import required


class Comment(Item):
    """A comment: on a cell of a workbook, or on words of a document."""

    kind_word = "comment"

    @property
    @field
    @required
    def text(self) -> str:
        """The text.

        Example: if comment.text contains "booked"
        Also: note, content
        """
        raise NotImplementedError

    @text.setter
    @needs("put_comment")
    def text(self, value: str) -> None:
        raise NotImplementedError

    @property
    @field
    @required
    def words(self) -> str:
        """The commented text; for a cell, the text shown in the cell.

        Example: log "{comment.words}: {comment.text}"
        Also: about, scope, quote, commented text
        """
        raise NotImplementedError

    @property
    @field
    @required
    def author(self) -> str:
        """The author.

        Example: if comment.author is "Office"
        Also: name, writer
        """
        raise NotImplementedError

    @property
    @field
    def date(self) -> datetime | None:
        """The date and time of the comment; nothing if the file has none.

        Example: if comment.date is not nothing and comment.date < now - 30 days
        Also: age, when, old
        """
        return None

    @property
    @field
    def done(self) -> bool:
        """Whether the comment is marked as done.

        Example: comment.done = yes
        Also: resolved, solved, closed
        """
        return False

    @done.setter
    @may_lack
    def done(self, value: bool) -> None:
        raise NotImplementedError

    @action(Reach.CHANGE)
    @may_lack
    def reply(self, text: str) -> None:
        """Adds a reply.

        text: the text of the reply.
        Example: reply "Done, thank you."
        Also: answer, respond, thread
        """
        raise NotImplementedError

    @property
    @field
    @required
    def address(self) -> str:
        """The address of the cell, or the paragraph.

        Example: log comment.address
        Also: position, cell
        """
        raise NotImplementedError

    @action(Reach.CHANGE)
    @needs("put_comment")
    def delete(self) -> None:
        """Deletes the comment.

        Example: delete
        Also: remove, clear
        """
        raise NotImplementedError


class CellComment(Comment):
    """A comment that depends on a cell."""

    def __init__(self, sheet: Grid, noted: Noted) -> None:
        self.sheet = sheet
        self.place = noted[:2]
        self._text = noted.text
        self._author = noted.author

    def __eq__(self, other: object) -> bool:
        return isinstance(other, CellComment) and (self.sheet, self.place) == (other.sheet, other.place)

    def __hash__(self) -> int:
        return hash(self.place)

    @property
    def file(self) -> FileItem:
        """The workbook."""
        return self.sheet.file

    @property
    def label(self) -> str:
        """The address of its cell."""
        return address_of(*self.place)

    @property
    def removed(self) -> bool:
        """Whether it was deleted."""
        return self.sheet.comment_text(*self.place) is None

    @property
    def text(self) -> str:
        """What it says."""
        found = self.sheet.comment_text(*self.place)
        return self._text if found is None else found

    @text.setter
    def text(self, value: str) -> None:
        self.sheet.put_comment(*self.place, value)

    @property
    def words(self) -> str:
        """What is seen in its cell."""
        return self.sheet.text(*self.place)

    @property
    def author(self) -> str:
        """Who wrote it."""
        return self._author

    @property
    def address(self) -> str:
        """The address of its cell."""
        return address_of(*self.place)

    def delete(self) -> None:
        """Removes the comment."""
        self.sheet.put_comment(*self.place, None)
