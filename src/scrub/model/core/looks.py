"""How words look: what a paragraph and a piece of one have in common. In an example, KIND means the kind."""

from __future__ import annotations

from collections.abc import Iterable
from decimal import Decimal
from typing import Protocol

from scrub.model.core.colours import Colour, colour_of
from scrub.model.core.declare import Item
from scrub.model.core.required import required
from scrub.model.core.setting import look_field


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
    def _look(self, word: str) -> object:
        """What a look is."""
        raise NotImplementedError

    @required
    def _set_look(self, word: str, value: object) -> None:
        """Sets a look."""
        raise NotImplementedError

    bold = look_field(
        bool,
        """Whether the text is bold.

        Example: KIND.bold = yes
        Also: strong, weight
        """,
        otherwise=False,
    )

    italic = look_field(
        bool,
        """Whether the text is italic.

        Example: KIND.italic = yes
        Also: emphasis, slanted
        """,
        otherwise=False,
    )

    colour = look_field(
        Colour,
        """The text colour, as "#b03a2e" or a word such as "red"; nothing for the default.

        Example: KIND.colour = "red"
        Also: font color, text color
        """,
        optional=True,
    )


class HasLooks(LetterLooks):
    """Words with a look. A yes-or-no look is yes where all the words have it; another is nothing where they differ."""

    __slots__ = ()

    @required
    def lettered(self) -> tuple[Lettered, int, int]:
        """The paragraph, and which of its characters are meant."""
        raise NotImplementedError

    def _look(self, word: str) -> object:
        paragraph, start, end = self.lettered()
        found = iter(paragraph.looks(start, end, word))
        first = next(found, None)
        return first if all(other == first for other in found) else None

    def _set_look(self, word: str, value: object) -> None:
        if word in ("colour", "highlight") and value is not None:
            value = colour_of(str(value))
        paragraph, start, end = self.lettered()
        if start < end and any(look != value for look in paragraph.looks(start, end, word)):
            paragraph.put_look(start, end, word, value)

    underlined = look_field(
        bool,
        """Whether all of the text is underlined.

        Example: KIND.underlined = no
        Also: underline
        """,
    )

    hidden = look_field(
        bool,
        """Whether all of the text is hidden: in the document, but not shown.

        Example: if KIND.hidden
        Also: invisible, hidden text
        """,
    )

    highlight = look_field(
        Colour,
        """The highlight colour; nothing for none.

        Example: KIND.highlight = "yellow"
        Also: marker, background, mark
        """,
        optional=True,
    )

    font = look_field(
        str,
        """The font name; nothing for the default.

        Example: KIND.font = "Lora"
        Also: typeface, font name
        """,
        optional=True,
    )

    size = look_field(
        Decimal,
        """The font size in points; nothing for the default.

        Example: KIND.size = 11
        Also: font size, points, height
        """,
        optional=True,
    )
