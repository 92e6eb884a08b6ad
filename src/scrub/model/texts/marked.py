"""What can be put over words of a document. In an example, KIND means the kind."""

from __future__ import annotations

from typing import Protocol

from scrub.model.core.declare import Reach, action, needs
from scrub.model.core.looks import HasLooks, Lettered
from scrub.model.core.required import required


class Markable(Lettered, Protocol):
    """A paragraph over whose words something can be put."""

    def put_comment_on(self, start: int, end: int, text: str) -> None:
        """Puts a comment on characters."""

    def put_bookmark(self, start: int, end: int, name: str) -> None:
        """Makes characters a bookmark."""

    def put_link(self, start: int, end: int, address: str) -> None:
        """Makes characters a link."""


class HasMarks(HasLooks):
    """Words over which something can be put."""

    __slots__ = ()

    @required
    def lettered(self) -> tuple[Markable, int, int]:
        """The paragraph, and which of its characters are meant."""
        raise NotImplementedError

    @action(Reach.CHANGE)
    @needs("put_comment_on")
    def comment_on(self, text: str) -> None:
        """Adds a comment to the text, for a reviewer to read.

        text: the text of the comment.
        Example: comment-on "Is this still so?"
        Also: add comment, new comment, annotate, remark, note, review, question
        """
        paragraph, start, end = self.lettered()
        paragraph.put_comment_on(start, end, text)

    @action(Reach.CHANGE)
    @needs("put_bookmark")
    def bookmark_as(self, name: str) -> None:
        """Adds a bookmark, for links and references to point to.

        name: the name: letters, digits and _, with a letter first.
        Example: bookmark-as "Water"
        Also: add bookmark, new bookmark, anchor, mark
        """
        paragraph, start, end = self.lettered()
        paragraph.put_bookmark(start, end, name)

    @action(Reach.CHANGE)
    @needs("put_link")
    def link_to(self, address: str) -> None:
        """Turns the text into a link.

        address: the address; "#Water" is the bookmark of that name in the document.
        Example: link-to "https://huts.example/water"
        Also: add link, hyperlink, url, new link
        """
        paragraph, start, end = self.lettered()
        paragraph.put_link(start, end, address)
