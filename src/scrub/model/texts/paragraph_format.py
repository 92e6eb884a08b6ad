"""How a paragraph is set: where its lines are, and what is round it."""

from __future__ import annotations

from typing import Any

from scrub.model.core.amounts import Length
from scrub.model.core.choice import Choice
from scrub.model.core.declare import Item, field, may_lack, needs


class TextAlignment(Choice):
    """Where the lines of a paragraph are from left to right."""

    LEFT = "left"
    CENTRE = "centre"
    RIGHT = "right"
    JUSTIFIED = "justified"


class Framed(Item):
    """A paragraph as it is set; what it does not say itself its style says."""

    __slots__ = ()

    def frame(self, word: str) -> Any:
        """How it is set; None where the document does not say."""
        return None

    @may_lack
    def put_frame(self, word: str, value: object) -> None:
        """Sets it otherwise."""
        raise NotImplementedError

    @property
    @field
    def alignment(self) -> TextAlignment:
        """The alignment.

        Example: KIND.alignment = centre
        Also: align, justify, center
        """
        return self.frame("alignment") or TextAlignment.LEFT

    @alignment.setter
    @needs("put_frame")
    def alignment(self, value: TextAlignment) -> None:
        self.put_frame("alignment", value)

    @property
    @field
    def left_indent(self) -> Length:
        """The left indent, such as 1 cm.

        Example: KIND.left-indent = 1.5 cm
        Also: indentation, margin, tab
        """
        return self.frame("left_indent") or Length.of_cm(0)

    @left_indent.setter
    @needs("put_frame")
    def left_indent(self, value: Length) -> None:
        self.put_frame("left_indent", value)

    @property
    @field
    def space_before(self) -> Length:
        """The space before the paragraph, such as 12 pt.

        Example: KIND.space-before = 12 pt
        Also: spacing, gap, distance
        """
        return self.frame("space_before") or Length.of_points(0)

    @space_before.setter
    @needs("put_frame")
    def space_before(self, value: Length) -> None:
        self.put_frame("space_before", value)

    @property
    @field
    def space_after(self) -> Length:
        """The space after the paragraph, such as 12 pt.

        Example: KIND.space-after = 6 pt
        Also: spacing, gap, distance
        """
        return self.frame("space_after") or Length.of_points(0)

    @space_after.setter
    @needs("put_frame")
    def space_after(self, value: Length) -> None:
        self.put_frame("space_after", value)

    @property
    @field
    def keep_with_next(self) -> bool:
        """Whether the paragraph stays on one page with the next one.

        Example: KIND.keep-with-next = yes
        Also: page break, together, orphan
        """
        return bool(self.frame("keep_with_next"))

    @keep_with_next.setter
    @needs("put_frame")
    def keep_with_next(self, value: bool) -> None:
        self.put_frame("keep_with_next", value)

    @property
    @field
    def list_level(self) -> int | None:
        """The list level, from 1; nothing for a paragraph that is not a list item. A list item can get another level.

        Example: if KIND.list-level is 2
        Also: bullet, numbering, list, indent
        """
        level: int | None = self.frame("list_level")
        return level

    @list_level.setter
    @needs("put_frame")
    def list_level(self, value: int) -> None:
        self.put_frame("list_level", value)
