"""A paragraph of an Office Open XML document as it is read: its words, looks and holes (ISO/IEC 29500-1, 17.3)."""

from __future__ import annotations

from bisect import bisect_right
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from copy import copy
from functools import cached_property

from scrub.formats.kept import put_in
from scrub.formats.opc.relationships import part_tree
from scrub.formats.spans import Span, Splice, set_attributes
from scrub.formats.texts.pieced import PiecedDocument, PiecedParagraph
from scrub.formats.wordprocessing.found import FoundParagraph, parse_story
from scrub.formats.wordprocessing.frames import ParagraphFrames
from scrub.formats.wordprocessing.holes import OfficeHole, control_hole, holes_in
from scrub.formats.wordprocessing.looks import RunLooks
from scrub.formats.wordprocessing.read import FieldState, Piece, Read, inner, read_paragraph, value
from scrub.formats.wordprocessing.styles import ParagraphStyles
from scrub.formats.wordprocessing.tracking import Tracking
from scrub.formats.xmltext import escaped_text, text_of
from scrub.formats.zip import Package
from scrub.model.paragraphs import Hole, PlaceInDocument
from scrub.model.text import Fresh, Kept, Looks, Stretches


class StoryPart:
    """One part with paragraphs: the body, a header, the footnotes."""

    def __init__(self, package: Package, name: str, place: PlaceInDocument) -> None:
        self.name = name
        self.place = place
        self.data, self.root = part_tree(package, name, parse_story)
        self.first = self.data
        self._clear()

    def _clear(self) -> None:
        #: What is put in or taken out beside the texts of paragraphs, by the place and the sort of each.
        self.edits: dict[tuple[int, str], Sequence[Splice]] = {}
        #: What attributes of elements are to say, and under an empty name their text, by where each begins.
        self._said: dict[int, tuple[Span, dict[str, str | None]]] = {}

    @property
    def touched(self) -> bool:
        """Whether anything was done to its elements."""
        return bool(self.edits or self._said)

    def put(self, key: tuple[int, str], splices: Sequence[Splice]) -> Callable[[], None]:
        """Puts something in or takes it out; gives what takes that back."""
        return put_in(self.edits, key, splices)

    def said(self, span: Span, name: str = "") -> str | None:
        """What an attribute of an element says by now; without a name, what its text is."""
        _, known = self._said.get(span.start, (span, {}))
        if name in known:
            return known[name]
        return span.attributes.get(name) if name else text_of(self.data[span.start : span.end])

    def say(self, span: Span, values: Mapping[str, str | None]) -> Callable[[], None]:
        """Lets attributes of an element say something else, or its text; gives what takes that back."""
        _, known = self._said.get(span.start, (span, {}))
        return put_in(self._said, span.start, (span, {**known, **values}))

    @property
    def edited(self) -> list[Splice]:
        """All that is done to elements."""
        found = [each for splices in self.edits.values() for each in splices]
        for span, values in self._said.values():
            found += set_attributes(self.data, span, ((name, text) for name, text in values.items() if name))
            if "" in values:
                found.append(Splice(span.open_end, span.close_start, escaped_text(values[""] or "").encode()))
        return found

    @classmethod
    def of(cls, other: StoryPart, data: bytes) -> StoryPart:
        """A part with other bytes, which has yet to be written."""
        found = copy(other)
        found.data, found.root = data, parse_story(data)
        found._clear()
        return found


class Home(PiecedDocument):
    """What a paragraph asks of its document."""

    @cached_property
    def styles(self) -> ParagraphStyles:
        """Its styles."""
        raise NotImplementedError

    @cached_property
    def tracking(self) -> Tracking:
        """Who records changes in it."""
        raise NotImplementedError

    @cached_property
    def run_looks(self) -> RunLooks:
        """How its words look."""
        raise NotImplementedError

    @cached_property
    def frames(self) -> ParagraphFrames:
        """How its paragraphs are set by their styles."""
        raise NotImplementedError

    def controls(self, part: StoryPart) -> Mapping[int, Span]:
        """The content controls of a part that hold one paragraph, by where that begins."""
        raise NotImplementedError

    def ensure_open(self) -> None:
        """Raises `Failure` where the document allows no changes."""
        raise NotImplementedError

    def every_paragraph(self) -> Sequence[ReadParagraph]:
        """Its paragraphs, in every part."""
        raise NotImplementedError


class ReadParagraph(PiecedParagraph):
    """A paragraph with its elements."""

    unlinked: Sequence[Splice] = ()  # what goes of controls and fields that were filled in

    def __init__(
        self,
        document: Home,
        part: StoryPart,
        span: Span,
        place: PlaceInDocument,
        group: Sequence[ReadParagraph],
        fields: FieldState,
    ) -> None:
        """`group` are the paragraphs that stand together with it, itself among them."""
        super().__init__(document)
        self.home = document
        self.part = part
        self.span = span
        self.group = group
        self._place = place
        self.open_before = fields.open
        self._plain = span if isinstance(span, FoundParagraph) and not fields.open else None
        if self._plain is None:
            self._read = read_paragraph(part.data, span, fields)
        self.open_after = fields.open

    @cached_property
    def _read(self) -> Read:
        return read_paragraph(self.part.data, self.span, FieldState())

    @cached_property
    def stretches(self) -> Stretches:
        """What it says, while it is edited."""
        return Stretches(self._read.text if self._plain is None else self._plain.text())

    @cached_property
    def fixed(self) -> str:
        """What of it must stay."""
        return self._read.fixed if self._plain is None else ""

    @cached_property
    def pieces(self) -> Sequence[Piece]:
        """What its characters stand in."""
        return self._read.pieces if self._plain is None else self._plain.pieces()

    @cached_property
    def _first_style(self) -> str | None:
        if self._plain is not None:
            return self._plain.style.decode() if self._plain.style is not None else None
        return value(inner(self._properties, "pStyle")) if self._properties else None

    @cached_property
    def _style(self) -> str | None:
        return self._first_style

    @property
    def _properties(self) -> Span | None:
        return inner(self.span, "pPr")

    @property
    def place(self) -> PlaceInDocument:
        """Where it stands."""
        return self._place

    @property
    def _restyled(self) -> bool:
        return "_style" in self.__dict__ and self._style != self._first_style

    @cached_property
    def _holes(self) -> dict[Hole, OfficeHole]:
        control = self.home.controls(self.part).get(self.span.start)
        found = [control_hole(control, 0, len(self.stretches.old))] if control is not None else []
        if self._plain is None:
            found += holes_in(self.part.data, self.span, self.pieces)
            found = [one for at, one in enumerate(found) if not _holds_one_of(one, found[at + 1 :])]
        return {Hole(each.name, each.start, each.end, each.called, each.refused): each for each in found}

    def holes(self) -> Iterable[Hole]:
        """Its controls and merge fields."""
        if self.unlinked or not self._holes:
            return ()
        if self.stretches.touched:
            return [each._replace(refused="was changed before in this run; fill in first") for each in self._holes]
        return self._holes

    # -- the looks of its words

    def _stretches_of(self, start: int, end: int) -> Iterator[tuple[int, Span | None, Looks]]:
        """The length of each stretch, the run that it looks like, and what was set since."""
        starts = [each.start for each in self.pieces]
        for part in self.stretches.between(start, end):
            place = part.start if isinstance(part, Kept) else part.like
            at = bisect_right(starts, place) - 1
            if isinstance(part, Fresh):
                yield len(part.text), self.pieces[at].run if self.pieces else None, part.looks
                continue
            while place < part.end:
                piece = self.pieces[at]
                stop = min(part.end, piece.start + len(piece.text))
                yield stop - place, piece.run, part.looks
                place, at = stop, at + 1

    def looks(self, start: int, end: int, word: str) -> Iterator[object]:
        """What the look of each stretch of its letters is."""
        style = self._style or self.home.styles.default
        for _, run, other in self._stretches_of(start, end):
            yield self.home.run_looks.of(run if run is not None else self.span, style, word, other)

    def cuts(self) -> Iterator[tuple[int, int]]:
        """Its pieces of one look each."""
        at = start = 0
        last: object = None
        for length, run, other in self._stretches_of(0, len(self.text)):
            look = inner(run, "rPr") if run is not None and run.name == "r" else None
            this = (self.part.data[look.start : look.end] if look is not None else b"", other)
            if at and this != last:
                yield start, at
                start = at
            last, at = this, at + length
        if at > start:
            yield start, at


def _holds_one_of(one: OfficeHole, following: Sequence[OfficeHole]) -> bool:
    """Of a control in another, or a field in one, the inner is filled in, which comes behind it."""
    return any(one.start <= each.start < each.end <= one.end for each in following)
