"""The parts of a document that have paragraphs, and the paragraphs as they are once recorded changes are decided on."""

from __future__ import annotations

from bisect import bisect_right
from collections.abc import Callable, Sequence
from typing import NamedTuple

from scrub.formats.spans import Found, Span, Splice
from scrub.formats.wordprocessing.paragraph import OfficeParagraph
from scrub.formats.wordprocessing.read import MAIN, FieldState, boxed_in, paragraphs_of
from scrub.formats.wordprocessing.reading import Home, StoryPart
from scrub.formats.wordprocessing.resolve import Resolver
from scrub.model.paragraphs import PlaceInDocument
from scrub.model.problem import Failure


class _Read(NamedTuple):
    parts: Sequence[StoryPart]
    paragraphs: Sequence[OfficeParagraph]


class Stories:
    """The parts with paragraphs: the body, headers, footers, notes.

    What was decided on is done when the paragraphs are next asked for, in one go: a loop decides on many.
    """

    def __init__(self, home: Home, parts: Sequence[StoryPart], forget: Callable[[], None]) -> None:
        """`forget` drops what was found among paragraphs that are others now."""
        self._home = home
        self._base = parts
        self._decided: dict[tuple[str, int], bool] = {}  # by the part, and where the change begins in it
        self._made: _Read | None = None
        self._placed_for: _Read | None = None
        self._placed: dict[str, tuple[list[int], list[OfficeParagraph]]] = {}
        self._forget = forget

    @property
    def parts(self) -> Sequence[StoryPart]:
        """The parts, in their order."""
        return self._now().parts

    @property
    def paragraphs(self) -> Sequence[OfficeParagraph]:
        """Their paragraphs, those that went too."""
        return self._now().paragraphs

    def _now(self) -> _Read:
        if self._made is None:
            parts = [self._resolved(part) for part in self._base] if self._decided else self._base
            self._made = _Read(parts, self._read(parts))
        return self._made

    def _read(self, parts: Sequence[StoryPart]) -> list[OfficeParagraph]:
        found: list[OfficeParagraph] = []
        for part in parts:
            fields = FieldState()
            holder, group = None, list[OfficeParagraph]()
            for span, where, around in paragraphs_of(part.root):
                if around is not holder:
                    holder, group = around, []
                place = PlaceInDocument(where) if where else part.place
                paragraph = OfficeParagraph(self._home, part, span, place, group, fields)
                paragraph.index = len(found)
                group.append(paragraph)
                found.append(paragraph)
                if not isinstance(span, Found):
                    self._add_boxed(part, span, found)
        return found

    def _add_boxed(self, part: StoryPart, span: Span, found: list[OfficeParagraph]) -> None:
        """Adds what stands in text boxes of a paragraph, behind it."""
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

    def paragraph_at(self, part: StoryPart, place: int) -> OfficeParagraph | None:
        """The paragraph of a part that something stands in, or behind."""
        read = self._now()
        if read is not self._placed_for:
            self._placed_for, self._placed = read, {}
            for each in read.paragraphs:
                starts, every = self._placed.setdefault(each.part.name, ([], []))
                starts.append(each.span.start)
                every.append(each)
        starts, every = self._placed.get(part.name, ([], []))
        at = bisect_right(starts, place) - 1
        return every[at] if at >= 0 else None

    # -- recorded changes

    def is_decided(self, part: StoryPart, start: int) -> bool:
        """Whether a recorded change was accepted or refused."""
        if _has(self._base, part):
            return (part.name, start) in self._decided
        return self._made is None or not _has(self._made.parts, part)

    def decide(self, part: StoryPart, start: int, accepted: bool) -> Callable[[], None]:
        """Accepts or refuses one change; gives what takes that back. Raises `Failure` behind other edits."""
        self._ensure_untouched()
        former = self._base, self._decided
        if not _has(self._base, part):
            if self._made is None or not _has(self._made.parts, part):
                raise Failure("the changes are others by now; list them anew")
            self._base, self._decided = self._made.parts, {}  # what was decided before is done
        key = (part.name, start)
        self._decided[key] = accepted
        made = self._made
        self._change(None)

        def revert() -> None:
            self._decided.pop(key, None)
            self._base, self._decided = former
            self._change(made)

        return revert

    def decide_all(self, accepted: bool) -> Callable[[], None]:
        """Accepts or refuses every change; gives what takes that back."""
        self._ensure_untouched()
        parts = self.parts
        former = self._base, self._decided, self._made
        resolved = [StoryPart.of(part, Resolver(part.data, lambda _: accepted, whole=True).made()) for part in parts]
        self._base, self._decided = resolved, {}
        self._change(None)

        def revert() -> None:
            self._base, self._decided, made = former
            self._change(made)

        return revert

    def _resolved(self, part: StoryPart) -> StoryPart:
        decided = {start: accepted for (name, start), accepted in self._decided.items() if name == part.name}
        if not decided:
            return part
        return StoryPart.of(part, Resolver(part.data, lambda span: decided.get(span.start)).made())

    def _change(self, made: _Read | None) -> None:
        self._made = made
        self._forget()

    def _ensure_untouched(self) -> None:
        if self._made is None:
            return
        if any(part.touched for part in self._made.parts) or any(each.touched for each in self._made.paragraphs):
            raise Failure(f"{self._home.name}: changes are accepted or refused above all other edits")


def _has(parts: Sequence[StoryPart], part: StoryPart) -> bool:
    return any(each is part for each in parts)


class Place(NamedTuple):
    """Where something stands: its document, its part, its element."""

    home: Home
    stories: Stories
    part: StoryPart
    span: Span

    @property
    def paragraph(self) -> OfficeParagraph | None:
        """The paragraph it stands in, or behind."""
        return self.stories.paragraph_at(self.part, self.span.start)

    @property
    def label(self) -> str:
        """That of its paragraph."""
        return self.home.label if self.paragraph is None else self.paragraph.label

    def put(self, word: str, splices: Sequence[Splice]) -> Callable[[], None]:
        """Puts something in at its element, or takes it out; gives what takes that back."""
        self.home.ensure_open()
        return self.part.put((self.span.start, word), splices)

    def said(self, name: str = "") -> str | None:
        """What an attribute of its element says by now; without a name, what its text is."""
        return self.part.said(self.span, self.attribute(name) if name else "")

    def say(self, name: str, value: str | None) -> Callable[[], None]:
        """Lets an attribute say something else, or the text; gives what takes that back."""
        self.home.ensure_open()
        return self.part.say(self.span, {self.attribute(name) if name else "": value})

    def attribute(self, name: str) -> str:
        """An attribute of word processing as the element writes it, or would."""
        for known in self.span.attributes:
            prefix, _, local = known.rpartition(":")
            if local == name and self.span.namespaces.get(prefix) in MAIN:
                return known
        return f"{self.span.prefix}{name}"
