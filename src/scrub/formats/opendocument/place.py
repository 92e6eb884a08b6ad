"""Where something is in an Open Document."""

from __future__ import annotations

from collections.abc import Sequence

from scrub.formats.opendocument.paragraph import TextHome, TextParagraph, TextPart
from scrub.formats.opendocument.read import TEXT, attribute
from scrub.formats.spans import Span, Splice
from scrub.model.core.change import Undo
from scrub.model.core.named import NamedTuple


class TextPlace(NamedTuple):
    """Its document, its part, its element."""

    home: TextHome
    part: TextPart
    span: Span

    @property
    def paragraph(self) -> TextParagraph | None:
        """The paragraph it is in, or after."""
        return self.home.paragraph_at(self.part, self.span.start)

    @property
    def label(self) -> str:
        """That of its paragraph."""
        return self.home.label if self.paragraph is None else self.paragraph.label

    @property
    def words(self) -> str:
        """What of its paragraph is in it."""
        pieces = self.paragraph.pieces if self.paragraph is not None else ()
        return "".join(piece.text for piece in pieces if self.span.start <= piece.begin < self.span.end)

    def put(self, word: str, splices: Sequence[Splice]) -> Undo:
        """Puts something in at its element, or takes it out; returns how to undo it."""
        self.home.ensure_open()
        return self.part.put((self.span.start, word), splices)

    def has(self, word: str) -> bool:
        """Whether that was done."""
        return (self.span.start, word) in self.part.edits

    def said(self, name: str, uri: str = TEXT) -> str | None:
        """What an attribute of its element says now."""
        return self.part.said(self.span, attribute(self.span, name, uri)[0])

    def say(self, name: str, value: str | None, uri: str = TEXT) -> Undo:
        """Lets an attribute say something else; returns how to undo it."""
        self.home.ensure_open()
        written, declared = attribute(self.span, name, uri)
        return self.part.say(self.span, {**declared, written: value})
