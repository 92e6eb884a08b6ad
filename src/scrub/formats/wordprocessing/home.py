"""A document with stories, as its paragraphs see it: its parts, styles and looks (ISO/IEC 29500-1, 17.2)."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from copy import copy
from typing import Protocol

from scrub.formats.edited_part import EditedPart
from scrub.formats.part_tree import part_tree
from scrub.formats.spans import Span, Splice
from scrub.formats.texts.pieced import PiecedDocument
from scrub.formats.wordprocessing.found import FoundParagraph, parse_story
from scrub.formats.wordprocessing.frames import ParagraphFrames
from scrub.formats.wordprocessing.looks import RunLooks
from scrub.formats.wordprocessing.read import RunPiece
from scrub.formats.wordprocessing.styles import ParagraphStyles
from scrub.formats.wordprocessing.tracking import Tracking
from scrub.formats.zip import Package
from scrub.model.core.lazy_property import lazy_property
from scrub.model.core.required import required
from scrub.model.core.text import Stretches
from scrub.model.texts.paragraphs import PlaceInDocument


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
        result = copy(other)
        result.data, result.root = data, parse_story(data)
        result.clear()
        return result


class EditedParagraph(Protocol):
    """A paragraph with what was changed of it, as those see it who write it."""

    @property
    def home(self) -> Home:
        """Its document."""

    @property
    def part(self) -> StoryPart:
        """Where its element is written."""

    @property
    def span(self) -> Span:
        """Its element."""

    @property
    def before(self) -> Sequence[str]:
        """The texts of new paragraphs before it."""

    @property
    def behind(self) -> Sequence[str]:
        """The texts of new paragraphs after it."""

    @property
    def recorded(self) -> bool | None:
        """Whether its changes are recorded; None before the first."""

    @property
    def joined(self) -> bool:
        """Whether it was joined to another, which writes what it says."""

    @property
    def unlinked(self) -> Sequence[Splice]:
        """What goes of controls and fields that were filled in."""

    @property
    def set_frames(self) -> Mapping[str, str]:
        """The elements of its properties that were set, by their name."""

    @property
    def stretches(self) -> Stretches:
        """What it says, while it is edited."""

    @property
    def fixed(self) -> str:
        """What of it must stay, a letter for each character."""

    @property
    def pieces(self) -> Sequence[RunPiece]:
        """What its characters are in."""

    @property
    def plain(self) -> FoundParagraph | None:
        """It, where it contains nothing but plain runs."""

    @property
    def group(self) -> Sequence[EditedParagraph]:
        """Those that are together with it, itself among them."""

    @property
    def taken(self) -> Sequence[EditedParagraph]:
        """Those that were joined to it."""

    @property
    def twin(self) -> EditedParagraph | None:
        """The same one in the other copy of a text box."""

    @property
    def removed(self) -> bool:
        """Whether it was deleted or joined to another."""

    @property
    def touched(self) -> bool:
        """Whether anything of it was changed."""

    @property
    def style_id(self) -> str | None:
        """The id of its style; None for the one that the document takes by default."""

    @property
    def is_restyled(self) -> bool:
        """Whether its style is another than in the file."""

    @property
    def is_reset(self) -> bool:
        """Whether its properties are others."""

    @property
    def properties(self) -> Span | None:
        """The element with its style and how it is set (17.3.1.26)."""


class Home(PiecedDocument):
    """What a paragraph asks of its document."""

    #: The name of its main part.
    main: str

    @lazy_property
    @required
    def styles(self) -> ParagraphStyles:
        """Those of its part for styles (17.7)."""
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

    @property
    @required
    def story_parts(self) -> Sequence[StoryPart]:
        """The parts with its paragraphs."""
        raise NotImplementedError
