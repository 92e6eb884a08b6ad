"""The styles of paragraphs of an Open Document, by name (OpenDocument 1.3, part 3, 16.2)."""

from __future__ import annotations

from collections.abc import Iterable

from scrub.formats.opendocument.read import MOST_LEVELS, STYLE, of, style_name, value
from scrub.formats.spans import Span, whole
from scrub.formats.texts.styles import style_named
from scrub.model.core.problem import Failure
from scrub.model.core.values import fold


class TextStyles:
    """The styles of one document: those with a name, and those that its program made for single paragraphs."""

    def __init__(self, roots: Iterable[Span]) -> None:
        self.names: dict[str, str] = {}  # the name of each style, by what it is written by
        self._made: dict[str, str] = {}  # of each style made for single paragraphs, the one it comes from
        self._levels: dict[str, int] = {}
        for root in roots:
            for holder in root.children:
                for style in holder.children:
                    if of(style, STYLE, "style") and value(style, "family", STYLE) == "paragraph":
                        self._read(style, holder.name == "automatic-styles")

    def _read(self, style: Span, made: bool) -> None:
        written = value(style, "name", STYLE) or ""
        if made:
            self._made[written] = value(style, "parent-style-name", STYLE) or "Standard"
            return
        self.names[written] = value(style, "display-name", STYLE) or style_name(written)
        level = whole(value(style, "default-outline-level", STYLE), MOST_LEVELS)
        if level is not None:
            self._levels[written] = level

    def name(self, written: str | None) -> str:
        """The name of a style as a person knows it; of one made for one paragraph that of the style it comes from."""
        own = self._made.get(written or "", written or "") or "Standard"
        return self.names.get(own, style_name(own))

    def named(self, name: str) -> str:
        """What a style is written by. Raises `Failure` for one that the document does not have."""
        return style_named(name, self.names, "paragraph style", also=self.names)

    def of_level(self, level: int) -> str:
        """The style of headings of a level. Raises `Failure`."""
        result = next((each for each, at in self._levels.items() if at == level), None)
        if result is None:
            result = next((name for name, known in self.names.items() if fold(known) == f"heading {level}"), None)
        if result is None:
            raise Failure(f"the document has no heading style for level {level}. Create one in its own program")
        return result

    def level(self, written: str) -> int | None:
        """The level of headings that a style is for."""
        return self._levels.get(written)
