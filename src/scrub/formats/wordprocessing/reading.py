"""A paragraph of an Office Open XML document as it is read: its words, looks and holes (ISO/IEC 29500-1, 17.3)."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping, Sequence
from copy import copy

from scrub.formats.edited_part import EditedPart
from scrub.formats.part_tree import part_tree
from scrub.formats.spans import Span, Splice
from scrub.formats.texts.pieced import PiecedDocument, PiecedParagraph
from scrub.formats.wordprocessing.found import FoundParagraph, parse_story
from scrub.formats.wordprocessing.frames import ParagraphFrames
from scrub.formats.wordprocessing.holes import OfficeHole, control_hole, holes_in
from scrub.formats.wordprocessing.looks import RunLooks, checked
from scrub.formats.wordprocessing.read import FieldState, Read, RunPiece, inner, read_paragraph, value
from scrub.formats.wordprocessing.styles import ParagraphStyles
from scrub.formats.wordprocessing.tracking import Tracking
from scrub.formats.zip import Package
from scrub.model.core.lazy_property import lazy_property
from scrub.model.core.required import required
from scrub.model.core.text import Stretches
from scrub.model.texts.paragraphs import Hole, PlaceInDocument


class StoryPart(EditedPart):
    """One part with paragraphs: the body, a header, the footnotes."""

    def __init__(self, package: Package, name: str, place: PlaceInDocument) -> None:
        self.name = name
        self.place = place
        self.data, self.root = part_tree(package, name, parse_story)
        self.first = self.data
        self.clear()

    @classmethod
    def of(cls, other: StoryPart, data: bytes) -> StoryPart:
        """A part with other bytes, which has yet to be written."""
        found = copy(other)
        found.data, found.root = data, parse_story(data)
        found.clear()
        return found


class Home(PiecedDocument):
    """What a paragraph asks of its document."""

    #: The name of its main part.
    main: str

    @lazy_property
    @required
    def styles(self) -> ParagraphStyles:
        """Its styles."""
        raise NotImplementedError

    @lazy_property
    @required
    def table_styles(self) -> Mapping[str, str]:
        """The names of the styles of tables, by their ids."""
        raise NotImplementedError

    @lazy_property
    @required
    def tracking(self) -> Tracking:
        """Who records changes in it."""
        raise NotImplementedError

    @lazy_property
    @required
    def run_looks(self) -> RunLooks:
        """How its words look."""
        raise NotImplementedError

    @lazy_property
    @required
    def frames(self) -> ParagraphFrames:
        """How its paragraphs are set by their styles."""
        raise NotImplementedError

    @required
    def controls(self, part: StoryPart) -> Mapping[int, Span]:
        """The content controls of a part that hold one paragraph, by where that begins."""
        raise NotImplementedError

    @required
    def every_paragraph(self) -> Sequence[ReadParagraph]:
        """Its paragraphs, in every part."""
        raise NotImplementedError

    @property
    @required
    def story_parts(self) -> Sequence[StoryPart]:
        """The parts with its paragraphs."""
        raise NotImplementedError


class ReadParagraph(PiecedParagraph):
    """A paragraph with its elements."""

    home: Home
    part: StoryPart
    _other_style: str | None = None  # the one that it was given
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
        """`group` are the paragraphs that are together with it, itself among them."""
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

    @lazy_property
    def _read(self) -> Read:
        return read_paragraph(self.part.data, self.span, FieldState())

    @lazy_property
    def stretches(self) -> Stretches:
        """What it says, while it is edited."""
        return Stretches(self._read.text if self._plain is None else self._plain.text())

    @lazy_property
    def fixed(self) -> str:
        """What of it must stay."""
        return self._read.fixed if self._plain is None else ""

    @lazy_property
    def pieces(self) -> Sequence[RunPiece]:
        """What its characters are in."""
        return self._read.pieces if self._plain is None else self._plain.pieces()

    @lazy_property
    def _first_style(self) -> str | None:
        if self._plain is not None:
            return self._plain.style.decode() if self._plain.style is not None else None
        return value(inner(self._properties, "pStyle")) if self._properties else None

    @property
    def _style(self) -> str | None:
        return self._first_style if self._other_style is None else self._other_style

    @_style.setter
    def _style(self, value: str | None) -> None:
        self._other_style = value

    @property
    def _properties(self) -> Span | None:
        return inner(self.span, "pPr")

    @property
    def place(self) -> PlaceInDocument:
        """Where it is."""
        return self._place

    @property
    def _restyled(self) -> bool:
        return self._other_style is not None and self._other_style != self._first_style

    @lazy_property
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
            return [each._replace(refused="was changed earlier in this run. Fill it in first") for each in self._holes]
        return self._holes

    # -- the looks of its words

    def looks(self, start: int, end: int, word: str) -> Iterator[object]:
        """What the look of each stretch of its characters is."""
        style = self._style or self.home.styles.default
        for _, piece, other in self.stretches_of(start, end):
            yield self.home.run_looks.of(piece.run if piece is not None else self.span, style, word, other)

    def look_of(self, piece: RunPiece | None) -> bytes:
        """The properties of its run."""
        look = inner(piece.run, "rPr") if piece is not None and piece.run.name == "r" else None
        return self.part.data[look.start : look.end] if look is not None else b""

    def checked_look(self, word: str, value: object) -> object:
        """What a look is set to."""
        if word == "style" and value is not None:
            return self.home.run_looks.letter_style(str(value))
        return checked(word, value)


def _holds_one_of(one: OfficeHole, following: Sequence[OfficeHole]) -> bool:
    """Of a control in another, or a field in one, the inner is filled in, which comes after it."""
    return any(one.start <= each.start < each.end <= one.end for each in following)
