"""A paragraph of an Office Open XML document (ISO/IEC 29500-1, 17.3.1)."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping, Sequence
from types import MappingProxyType
from typing import Any

from scrub.formats.spans import Ordered, Span, Splice, parse_element, whole
from scrub.formats.texts.paragraph import OpenParagraph
from scrub.formats.texts.pieced import PiecedParagraph
from scrub.formats.wordprocessing.found import FoundParagraph
from scrub.formats.wordprocessing.frames import ELEMENTS, element_for
from scrub.formats.wordprocessing.holes import MetField, OfficeHole, control_hole, fields_in, holes_in
from scrub.formats.wordprocessing.home import Home, StoryPart
from scrub.formats.wordprocessing.looks import checked
from scrub.formats.wordprocessing.read import FieldState, Read, RunPiece, inner, read_paragraph, value
from scrub.formats.wordprocessing.saved_paragraph import SavedParagraph
from scrub.model.core.change import Undo
from scrub.model.core.lazy_property import lazy_property
from scrub.model.core.problem import Failure
from scrub.model.core.text import Edit, Kept, Stretches
from scrub.model.texts.lines_of_text import Line
from scrub.model.texts.paragraphs import Filling, Hole, PlaceInDocument


class OfficeParagraph(PiecedParagraph):
    """A paragraph: what the file says of it, and what was changed of it."""

    home: Home
    part: StoryPart
    group: Sequence[OfficeParagraph]
    _other_style: str | None = None  # the one that it was given
    unlinked: Sequence[Splice] = ()  # what goes of controls and fields that were filled in
    twin: OfficeParagraph | None = None  # the same one in the other copy of a text box
    is_twofold = False  # whether it is in a text box that is there twice
    set_frames: Mapping[str, str] = MappingProxyType({})  # the elements of its properties that were set, by their name

    def __init__(
        self,
        document: Home,
        part: StoryPart,
        span: Span,
        place: PlaceInDocument,
        group: Sequence[OfficeParagraph],
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
        self.plain = span if isinstance(span, FoundParagraph) and not fields.open else None
        if self.plain is None:
            self._read = read_paragraph(part.data, span, fields)
        self.open_after = fields.open

    @lazy_property
    def _read(self) -> Read:
        return read_paragraph(self.part.data, self.span, FieldState())

    @lazy_property
    def stretches(self) -> Stretches:
        """What it says, while it is edited."""
        return Stretches(self._read.text if self.plain is None else self.plain.text())

    @lazy_property
    def fixed(self) -> str:
        """What of it must stay."""
        return self._read.fixed if self.plain is None else ""

    @lazy_property
    def pieces(self) -> Sequence[RunPiece]:
        """What its characters are in."""
        return self._read.pieces if self.plain is None else self.plain.pieces()

    @lazy_property
    def _first_style(self) -> str | None:
        if self.plain is not None:
            return self.plain.style.decode() if self.plain.style is not None else None
        return value(inner(self.properties, "pStyle")) if self.properties else None

    @property
    def style_id(self) -> str | None:
        """The id of its style; None for the one that the document takes by default."""
        return self._first_style if self._other_style is None else self._other_style

    @style_id.setter
    def style_id(self, value: str | None) -> None:
        self._other_style = value

    @property
    def properties(self) -> Span | None:
        """The element with its style and how it is set (17.3.1.26)."""
        return inner(self.span, "pPr")

    @property
    def place(self) -> PlaceInDocument:
        """Where it is."""
        return self._place

    @property
    def is_restyled(self) -> bool:
        """Whether its style is another than in the file."""
        return self._other_style is not None and self._other_style != self._first_style

    @lazy_property
    def _holes(self) -> dict[Hole, OfficeHole]:
        control = self.home.controls(self.part).get(self.span.start)
        holes = [control_hole(control, 0, len(self.stretches.old))] if control is not None else []
        if self.plain is None:
            holes += holes_in(self.part.data, self.span, self.pieces)
            holes = [one for at, one in enumerate(holes) if not _holds_one_of(one, holes[at + 1 :])]
        return {Hole(hole.name, hole.start, hole.end, hole.called, hole.refused): hole for hole in holes}

    def holes(self) -> Iterable[Hole]:
        """Its controls and merge fields."""
        if self.unlinked or not self._holes:
            return ()
        if self.stretches.touched:
            return [hole._replace(refused="was changed earlier in this run. Fill it in first") for hole in self._holes]
        return self._holes

    # -- the looks of its words

    def looks(self, start: int, end: int, word: str) -> Iterator[object]:
        """What the look of each stretch of its characters is."""
        style = self.style_id or self.home.styles.default
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

    @property
    def touched(self) -> bool:
        """Whether anything of it was changed."""
        if self.recorded is None:
            return False
        if self._gone or self.before or self.behind or self.is_reset or self.taken or self.unlinked:
            return True
        return self.stretches.touched

    # -- its style

    @property
    def style(self) -> str:
        """The name of its style."""
        return self.home.styles.name(self.style_id or "")

    @style.setter
    def style(self, value: str) -> None:
        self._set_style(self.home.styles.named(value), "style", self.style, value)

    @property
    def level(self) -> int | None:
        """The level of a heading: of its own, else of its style."""
        if self.plain is not None or self.is_restyled or self.properties is None:
            direct = None  # what is plain has no level of its own
        else:
            direct = whole(value(inner(self.properties, "outlineLvl")), 9)
        if direct is not None:
            return direct + 1 if direct < 9 else None
        return self.home.styles.level(self.style_id or self.home.styles.default)

    @level.setter
    def level(self, value: int | None) -> None:
        if value is not None and not 1 <= value <= 9:
            raise Failure(f"a heading level is 1 to 9, not {value}")
        before, styles = self.level, self.home.styles
        if value != before:
            self._set_style(styles.default if value is None else styles.of_level(value), "level", before, value)

    def ensure_editable(self, edits: Sequence[Edit]) -> None:
        """Raises `Failure` for what must stay."""
        self.note_way()
        if self.is_twofold and (self.twin is None or self.twin.stretches.old != self.stretches.old):
            raise Failure(f"{self.label}: its text box is in the file twice, with differences")
        super().ensure_editable(edits)

    def ensure_markable(self) -> None:
        """Raises `Failure` where nothing can be put over its words."""
        super().ensure_markable()
        self._ensure_single()

    def ensure_linkable(self, start: int, end: int) -> None:
        """Raises `Failure` where characters are in anything but the paragraph itself."""
        direct = {child.start for child in self.span.children}
        kept = (each for each in self.stretches.between(start, end) if isinstance(each, Kept))
        fixed = "".join(self.fixed[each.start : each.end] for each in kept) if self.fixed else ""
        every = [piece for _, piece, _ in self.stretches_of(start, end) if piece is not None]
        if fixed.strip() or (self.plain is None and any(piece.run.start not in direct for piece in every)):
            raise self.not_linkable()

    def _ensure_single(self) -> None:
        """Raises `Failure` in a text box that is there twice, where only words are changed."""
        if self.is_twofold:
            raise Failure(f"{self.label} is in a text box that is in the file twice; only its text can change")

    def _set_style(self, id_: str, field: str, before: object, after: object) -> None:
        self.note_way()
        self._ensure_single()
        if id_ == (self.style_id or self.home.styles.default):
            return
        self.changed(field, before, after, self.set_together("style_id", lambda each: id_))

    @property
    def is_reset(self) -> bool:
        """Whether its properties are others."""
        return bool(self.set_frames) or self.is_restyled

    # -- how it is set

    def frame(self, word: str) -> Any:
        """How it is set."""
        return self.home.frames.of(self._element(word)[1], self.style_id or self.home.styles.default, word)

    def _element(self, word: str) -> tuple[bytes, Span | None]:
        """The element that says it, and the bytes it is in."""
        name = ELEMENTS[word]
        if name in self.set_frames:
            data = self.set_frames[name].encode()
            return data, parse_element(data, 0, len(data), self.span.namespaces)
        return self.part.data, inner(self.properties, name) if self.properties is not None else None

    def put_frame(self, word: str, value: object) -> None:
        """Sets it otherwise."""
        self.note_way()
        self._ensure_single()
        before = getattr(self, word)
        if value == before:
            return

        def fresh(each: OfficeParagraph) -> Mapping[str, str]:
            return {**each.set_frames, ELEMENTS[word]: element_for(*each._element(word), word, value, self.span.prefix)}

        self.changed(word.replace("_", "-"), before, value, self.set_together("set_frames", fresh))

    # -- filled in

    def fill(self, fillings: Sequence[Filling]) -> None:
        """Fills holes in. A field that was filled in is one no longer, or its next update would bring it back."""
        known = [self._holes[hole] for hole, _ in fillings if hole in self._holes]
        if known and self.home.tracks_changes:
            raise Failure(
                f"{self.label}: controls and merge fields cannot be filled in while changes are tracked. Turn tracking "
                "off"
            )
        former = self.fixed, self.unlinked
        for hole in known:
            self.unfix(hole.start, hole.end)
        try:
            super().fill(fillings)
        except Failure:
            self.fixed = former[0]
            raise
        self.unlinked = (*self.unlinked, *(splice for hole in known for splice in hole.gone))

        def revert() -> None:
            self.fixed, self.unlinked = former

        if known:
            self.changed("filled in", False, True, revert, f"filled in: {', '.join(hole.called for hole in known)}")

    def fields(self) -> Iterable[MetField]:
        """Its fields, as they are in the file."""
        return () if self.plain is not None else fields_in(self.part.data, self.span, self.pieces)

    def unfix(self, start: int, end: int) -> Undo:
        """Lets characters be edited that was in a field; returns how to undo it."""
        former = self.fixed
        if former:
            self.fixed = former[:start] + " " * (end - start) + former[end:]
        return lambda: setattr(self, "fixed", former)

    def unlink(self, gone: Sequence[Splice], said: str) -> None:
        """Takes tags out of it, which are not text."""
        self.note_way()
        former = self.unlinked
        self.unlinked = (*former, *gone)
        self.changed(f"tags {gone[0].start}", True, False, lambda: setattr(self, "unlinked", former), said)

    # -- coming and going

    def _add(self, where: str, text: str) -> None:
        self._ensure_single()
        super()._add(where, text)

    def ensure_may_follow(self) -> None:
        """Raises `Failure` where it ends a section."""
        if self.properties is not None and inner(self.properties, "sectPr") is not None:
            raise Failure(f"{self.label} ends a section. Add the new one before the next paragraph")

    def ensure_deletable(self) -> None:
        """Raises `Failure` where the document needs it: at the end of a section or a cell, or over a field's edge."""
        self.note_way()
        self._ensure_single()
        if self.properties is not None and inner(self.properties, "sectPr") is not None:
            raise Failure(f"{self.label} ends a section; without it the earlier pages would change")
        if self.open_before or self.open_after:
            raise Failure(f"{self.label}: a field extends beyond its end")
        if (
            self._place in (PlaceInDocument.TABLE, PlaceInDocument.TEXT_BOX)
            or self.part.place is not PlaceInDocument.BODY
        ):
            self.ensure_not_alone()

    def can_take(self, following: Line) -> bool:
        """Whether the next one can be joined: the same look, no end of a section, no open field, nothing between."""
        if not isinstance(following, OfficeParagraph) or self.is_twofold or not self.is_followed_by(following):
            return False
        last = self.taken[-1] if self.taken else self
        own = self._frame(), self.set_frames
        return own == (following._frame(), following.set_frames) and not last.open_after

    def _frame(self) -> tuple[str | None, bytes]:
        """Its style and what else is set for it directly."""
        properties = self.properties
        data = self.part.data
        rest = [child for child in properties.children if child.name not in ("pStyle", "rPr")] if properties else []
        return self.style_id, b"".join(data[span.start : span.end] for span in rest)

    def join(self, following: OpenParagraph, between: str) -> Undo:
        """Takes the next paragraph, with the looks of its words."""
        assert isinstance(following, OfficeParagraph)
        former = self.open_after
        back = super().join(following, between)
        self.open_after = following.open_after

        def revert() -> None:
            back()
            self.open_after = former

        return revert

    # -- writing

    def splices(self, edits: Ordered) -> Iterable[Splice]:
        """What changes it in its part; `edits` is what is done there to elements besides."""
        return SavedParagraph(self).splices(edits) if self.touched else ()


def _holds_one_of(one: OfficeHole, following: Sequence[OfficeHole]) -> bool:
    """Of a control in another, or a field in one, the inner is filled in, which comes after it."""
    return any(one.start <= hole.start < hole.end <= one.end for hole in following)
