"""How words look: what a paragraph and a piece of one have in common. In an example, KIND means the kind."""

from __future__ import annotations

from collections.abc import Iterable
from decimal import Decimal
from typing import Any, Protocol

from scrub.model.colours import Colour, colour_of
from scrub.model.declare import Item, field, needs, otherwise
from scrub.model.required import required


class Lettered(Protocol):
    """A paragraph whose words have looks."""

    def looks(self, start: int, end: int, word: str) -> Iterable[object]:
        """What the look of each stretch of its characters is."""

    def put_look(self, start: int, end: int, word: str, value: object) -> None:
        """Sets a look of characters."""


class LetterLooks(Item):
    """How the characters of something look, whatever it is."""

    __slots__ = ()

    @required
    def _look(self, word: str) -> Any:
        """What a look is."""
        raise NotImplementedError

    @required
    def _set_look(self, word: str, value: object) -> None:
        """Sets a look."""
        raise NotImplementedError

    @property
    @field
    @otherwise(False)
    def bold(self) -> bool:
        """Whether the text is bold.

        Example: KIND.bold = yes
        Also: strong, weight
        """
        return bool(self._look("bold"))

    @bold.setter
    @needs("put_look")
    def bold(self, value: bool) -> None:
        self._set_look("bold", value)

    @property
    @field
    @otherwise(False)
    def italic(self) -> bool:
        """Whether the text is italic.

        Example: KIND.italic = yes
        Also: emphasis, slanted
        """
        return bool(self._look("italic"))

    @italic.setter
    @needs("put_look")
    def italic(self, value: bool) -> None:
        self._set_look("italic", value)

    @property
    @field
    def colour(self) -> str | None:
        """The text colour, as "#b03a2e" or a word such as "red"; nothing for the default.

        Example: KIND.colour = "red"
        Also: font color, text color
        """
        found = self._look("colour")
        return None if found is None else Colour(found)

    @colour.setter
    @needs("put_look")
    def colour(self, value: str | None) -> None:
        self._set_look("colour", value)


class HasLooks(LetterLooks):
    """Words with a look. A yes-or-no look is yes where all the words have it; another is nothing where they differ."""

    __slots__ = ()

    @required
    def lettered(self) -> tuple[Lettered, int, int]:
        """The paragraph, and which of its characters are meant."""
        raise NotImplementedError

    def _look(self, word: str) -> Any:
        paragraph, start, end = self.lettered()
        found = iter(paragraph.looks(start, end, word))
        first = next(found, None)
        return first if all(other == first for other in found) else None

    def _set_look(self, word: str, value: object) -> None:
        if word in ("colour", "highlight") and value is not None:
            value = colour_of(str(value))
        paragraph, start, end = self.lettered()
        if start < end and any(each != value for each in paragraph.looks(start, end, word)):
            paragraph.put_look(start, end, word, value)

    @property
    @field
    def underlined(self) -> bool:
        """Whether all of the text is underlined.

        Example: KIND.underlined = no
        Also: underline
        """
        return bool(self._look("underlined"))

    @underlined.setter
    @needs("put_look")
    def underlined(self, value: bool) -> None:
        self._set_look("underlined", value)

    @property
    @field
    def hidden(self) -> bool:
        """Whether all of the text is hidden: in the document, but not shown.

        Example: if KIND.hidden
        Also: invisible, hidden text
        """
        return bool(self._look("hidden"))

    @hidden.setter
    @needs("put_look")
    def hidden(self, value: bool) -> None:
        self._set_look("hidden", value)

    @property
    @field
    def highlight(self) -> str | None:
        """The highlight colour; nothing for none.

        Example: KIND.highlight = "yellow"
        Also: marker, background, mark
        """
        found = self._look("highlight")
        return None if found is None else Colour(found)

    @highlight.setter
    @needs("put_look")
    def highlight(self, value: str | None) -> None:
        self._set_look("highlight", value)

    @property
    @field
    def font(self) -> str | None:
        """The font name; nothing for the default.

        Example: KIND.font = "Lora"
        Also: typeface, font name
        """
        found = self._look("font")
        return None if found is None else str(found)

    @font.setter
    @needs("put_look")
    def font(self, value: str | None) -> None:
        self._set_look("font", value)

    @property
    @field
    def size(self) -> Decimal | None:
        """The font size in points; nothing for the default.

        Example: KIND.size = 11
        Also: font size, points, height
        """
        found: Decimal | None = self._look("size")
        return found

    @size.setter
    @needs("put_look")
    def size(self, value: Decimal | None) -> None:
        self._set_look("size", value)
