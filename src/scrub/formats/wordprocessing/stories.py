"""The parts of an Office Open XML document that have paragraphs, and where something is in them."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from typing import NamedTuple

from scrub.formats.spans import FoundSpan, Span, Splice
from scrub.formats.texts.stories import Stories as Paragraphs
from scrub.formats.wordprocessing.home import Home, StoryPart
from scrub.formats.wordprocessing.paragraph import OfficeParagraph
from scrub.formats.wordprocessing.read import MAIN, FieldState, boxed_in, paragraphs_of
from scrub.formats.wordprocessing.resolve import Resolver
from scrub.model.core.change import Undo
from scrub.model.texts.paragraphs import PlaceInDocument


class Stories(Paragraphs[StoryPart, OfficeParagraph]):
    """The parts with paragraphs: the body, headers, footers, notes."""

    def __init__(self, home: Home, parts: Sequence[StoryPart], forget: Callable[[], None]) -> None:
        super().__init__(home, parts, self._read, _resolved, forget)
        self._home = home

    def _read(self, parts: Sequence[StoryPart]) -> list[OfficeParagraph]:
        paragraphs: list[OfficeParagraph] = []
        for part in parts:
            fields = FieldState()
            holder, group = None, list[OfficeParagraph]()
            for span, where, around in paragraphs_of(part.root):
                if around is not holder:
                    holder, group = around, []
                place = PlaceInDocument(where) if where else part.place
                paragraph = OfficeParagraph(self._home, part, span, place, group, fields)
                paragraph.index = len(paragraphs)
                group.append(paragraph)
                paragraphs.append(paragraph)
                if not isinstance(span, FoundSpan):
                    self._add_boxed(part, span, paragraphs)
        return paragraphs

    def _add_boxed(self, part: StoryPart, span: Span, found: list[OfficeParagraph]) -> None:
        """Adds what is in text boxes of a paragraph, after it."""
        groups: dict[int, list[OfficeParagraph]] = {}
        for boxed in boxed_in(span):
            group = groups.setdefault(id(boxed.around), [])
            place, fields = PlaceInDocument.TEXT_BOX, FieldState()
            paragraph = OfficeParagraph(self._home, part, boxed.span, place, group, fields)
            paragraph.index = len(found)
            if boxed.twin is not None:
                paragraph.twin = OfficeParagraph(self._home, part, boxed.twin, place, [], FieldState())
            paragraph.is_twofold = not boxed.alone
            group.append(paragraph)
            found.append(paragraph)


def _resolved(part: StoryPart, decided: Mapping[int, bool] | bool) -> StoryPart:
    if isinstance(decided, bool):
        return StoryPart.of(part, Resolver(part.data, lambda _: decided, whole=True).made())
    return StoryPart.of(part, Resolver(part.data, lambda span: decided.get(span.start)).made())


class StoryPlace(NamedTuple):
    """Where something is: its document, its part, its element."""

    home: Home
    stories: Stories
    part: StoryPart
    span: Span

    @property
    def paragraph(self) -> OfficeParagraph | None:
        """The paragraph it is in, or after."""
        return self.stories.paragraph_at(self.part, self.span.start)

    @property
    def label(self) -> str:
        """That of its paragraph."""
        return self.home.label if self.paragraph is None else self.paragraph.label

    def put(self, word: str, splices: Sequence[Splice]) -> Undo:
        """Puts something in at its element, or takes it out; returns how to undo it."""
        self.home.ensure_open()
        return self.part.put((self.span.start, word), splices)

    def said(self, name: str = "") -> str | None:
        """What an attribute of its element says now; without a name, what its text is."""
        return self.part.said(self.span, self.attribute(name) if name else "")

    def say(self, name: str, value: str | None) -> Undo:
        """Lets an attribute say something else, or the text; returns how to undo it."""
        self.home.ensure_open()
        return self.part.say(self.span, {self.attribute(name) if name else "": value})

    def attribute(self, name: str) -> str:
        """An attribute of word processing as the element writes it, or would."""
        for known in self.span.attributes:
            prefix, _, local = known.rpartition(":")
            if local == name and self.span.namespaces.get(prefix) in MAIN:
                return known
        return f"{self.span.prefix}{name}"
