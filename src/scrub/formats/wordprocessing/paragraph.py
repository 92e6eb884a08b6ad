"""A paragraph of an Office Open XML document (ISO/IEC 29500-1, 17.3.1)."""

from __future__ import annotations

from bisect import bisect_right
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from copy import copy
from functools import cached_property
from itertools import pairwise

from scrub.formats.opc.relationships import part_tree
from scrub.formats.spans import Span, Splice, escaped, outside
from scrub.formats.texts.paragraph import OpenParagraph, cut
from scrub.formats.wordprocessing.found import FoundParagraph, parse_story
from scrub.formats.wordprocessing.holes import OfficeHole, control_hole, holes_in
from scrub.formats.wordprocessing.looks import RunLooks, checked
from scrub.formats.wordprocessing.read import FieldState, Piece, Read, inner, own, read_paragraph, value
from scrub.formats.wordprocessing.styles import ParagraphStyles
from scrub.formats.wordprocessing.tracking import Tracking
from scrub.formats.wordprocessing.write import ParagraphWriter, elements_of
from scrub.formats.zip import Package
from scrub.model.document import Document
from scrub.model.lines_of_text import Line
from scrub.model.paragraphs import Filling, Hole, PlaceInDocument
from scrub.model.problem import Failure
from scrub.model.text import Edit, Fresh, Kept, Looks, Stretches, shrunk

#: Marks of no width that may stand beside paragraphs, and stay when theirs goes (17.13.2).
_MARKS = frozenset((
    "bookmarkStart", "bookmarkEnd", "commentRangeStart", "commentRangeEnd", "permStart", "permEnd",
    "moveFromRangeStart", "moveFromRangeEnd", "moveToRangeStart", "moveToRangeEnd",
))  # fmt: skip


class StoryPart:
    """One part with paragraphs: the body, a header, the footnotes."""

    def __init__(self, package: Package, name: str, place: PlaceInDocument) -> None:
        self.name = name
        self.place = place
        self.data, self.root = part_tree(package, name, parse_story)
        self.first = self.data

    @classmethod
    def of(cls, other: StoryPart, data: bytes) -> StoryPart:
        """A part with other bytes, which has yet to be written."""
        found = copy(other)
        found.data, found.root = data, parse_story(data)
        return found


class Home(Document):
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

    def controls(self, part: StoryPart) -> Mapping[int, Span]:
        """The content controls of a part that hold one paragraph, by where that begins."""
        raise NotImplementedError

    def ensure_open(self) -> None:
        """Raises `Failure` where the document allows no changes."""
        raise NotImplementedError

    def every_paragraph(self) -> Sequence[OfficeParagraph]:
        """Its paragraphs, in every part."""
        raise NotImplementedError


class OfficeParagraph(OpenParagraph):
    """A paragraph with its elements."""

    taken: Sequence[OfficeParagraph] = ()  # those that were joined to it
    before: Sequence[str] = ()  # new paragraphs in front of it, and behind
    behind: Sequence[str] = ()
    unlinked: Sequence[Splice] = ()  # what goes of controls and fields that were filled in

    def __init__(
        self,
        document: Home,
        part: StoryPart,
        span: Span,
        place: PlaceInDocument,
        group: Sequence[OfficeParagraph],
        fields: FieldState,
    ) -> None:
        """`group` are the paragraphs that stand together with it, itself among them."""
        super().__init__(document)
        self.home = document
        self.part = part
        self.span = span
        self.group = group
        self._joined = False  # whether it was itself joined to another, which writes what it says
        self._place = place
        self._recorded: bool | None = None  # whether its changes are recorded; None before the first
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

    def note_way(self) -> None:
        """Notes whether what is about to change is recorded. Raises `Failure` where that differs from before."""
        self.home.ensure_open()
        now = self.home.tracks_changes
        if self._recorded is not None and self._recorded != now and self.home.recorder:
            raise Failure(
                f"{self.label} was changed {'with' if self._recorded else 'without'} recording before in this run"
            )
        self._recorded = now

    @property
    def touched(self) -> bool:
        """Whether anything of it was changed."""
        if self._recorded is None:
            return False
        if self._gone or self.before or self.behind or self._restyled or self.taken or self.unlinked:
            return True
        return self.stretches.touched

    @property
    def _properties(self) -> Span | None:
        return inner(self.span, "pPr")

    @property
    def place(self) -> PlaceInDocument:
        """Where it stands."""
        return self._place

    # -- its style

    @property
    def style(self) -> str:
        """The name of its style."""
        return self.home.styles.name(self._style or "")

    @style.setter
    def style(self, value: str) -> None:
        self._set_style(self.home.styles.named(value), "style", self.style, value)

    @property
    def level(self) -> int | None:
        """The level of a heading: of its own, else of its style."""
        if self._plain is not None or self._restyled or self._properties is None:
            direct = None  # what is plain has no level of its own
        else:
            direct = value(inner(self._properties, "outlineLvl"))
        if direct is not None and direct.isdigit():
            return int(direct) + 1 if int(direct) < 9 else None
        return self.home.styles.level(self._style or self.home.styles.default)

    @level.setter
    def level(self, value: int | None) -> None:
        if value is not None and not 1 <= value <= 9:
            raise Failure(f"a heading has a level from 1 to 9, not {value}")
        before, styles = self.level, self.home.styles
        if value != before:
            self._set_style(styles.default if value is None else styles.of_level(value), "level", before, value)

    @property
    def _restyled(self) -> bool:
        return "_style" in self.__dict__ and self._style != self._first_style

    def ensure_editable(self, edits: Sequence[Edit]) -> None:
        """Raises `Failure` for what must stay."""
        self.note_way()
        super().ensure_editable(edits)

    def _set_style(self, id_: str, field: str, before: object, after: object) -> None:
        self.note_way()
        if id_ == (self._style or self.home.styles.default):
            return
        former = [(each, each._style) for each in (self, *self.taken)]
        for each, _ in former:
            each._style = id_

        def revert() -> None:
            for each, style in former:
                each._style = style

        self.changed(field, before, after, revert)

    # -- filled in

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

    def fill(self, fillings: Sequence[Filling]) -> None:
        """Fills holes in. A field that was filled in is one no longer, or its next update would bring it back."""
        known = [self._holes[hole] for hole, _ in fillings if hole in self._holes]
        if known and self.home.tracks_changes:
            raise Failure(f"{self.label}: controls and merge fields cannot be filled in while changes are recorded")
        former = self.fixed, self.unlinked
        for hole in known:
            if self.fixed:
                self.fixed = self.fixed[: hole.start] + " " * (hole.end - hole.start) + self.fixed[hole.end :]
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

    def put_look(self, start: int, end: int, word: str, value: object) -> None:
        """Sets a look of letters."""
        self.note_way()
        if "l" in self.fixed:
            raise Failure(f"{self.label}: this stands in a content control that is locked")
        value = checked(word, value)
        before = self.stretches
        was = list(dict.fromkeys(self.looks(start, end, word)))
        self.stretches = before.looking(start, end, word, value)
        words = (f'"{cut(self.text[start:end])}"',) if (start, end) != (0, len(self.text)) else ()
        first = was[0] if len(was) == 1 else "several"
        self.changed(word, first, value, lambda: setattr(self, "stretches", before), inner=words)

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

    # -- coming and going

    def add_before(self, text: str) -> None:
        """Puts a paragraph in front of it."""
        self._add("before", text)

    def add_behind(self, text: str) -> None:
        """Puts a paragraph behind it."""
        if self._properties is not None and inner(self._properties, "sectPr") is not None:
            raise Failure(f"{self.label} ends a section; put the new one in front of the next paragraph")
        self._add("behind", text)

    def _add(self, where: str, text: str) -> None:
        self.note_way()
        former = getattr(self, where)
        setattr(self, where, (*former, text))
        self.changed(
            f"new {where}", None, text, lambda: setattr(self, where, former), f'new paragraph {where}: "{text}"'
        )

    def ensure_deletable(self) -> None:
        """Raises `Failure` where the document needs it: at the end of a section or a cell, or over a field's edge."""
        self.note_way()
        if self._properties is not None and inner(self._properties, "sectPr") is not None:
            raise Failure(f"{self.label} ends a section; without it the pages before would change")
        if self.open_before or self.open_after:
            raise Failure(f"{self.label}: a field goes over its end")
        if self._place is PlaceInDocument.TABLE or self.part.place is not PlaceInDocument.BODY:
            if not any(each is not self and not each.removed for each in self.group):
                raise Failure(f"{self.label} is the last one in its cell or part, which needs one. Empty it: text")

    def can_take(self, following: Line) -> bool:
        """Whether the next one can be joined: the same look, no end of a section, no open field, nothing between."""
        if not isinstance(following, OfficeParagraph) or following.removed or following.group is not self.group:
            return False
        last = self.taken[-1] if self.taken else self
        between = self.part.data[last.span.end : following.span.start]
        return (
            self._frame() == following._frame()
            and not between.strip()
            and not last.open_after
            and last.span.open_end != last.span.end
            and following.span.open_end != following.span.end
        )

    def _frame(self) -> tuple[str | None, bytes]:
        """Its style and what else is set for it directly."""
        properties = self._properties
        data = self.part.data
        rest = [each for each in properties.children if each.name not in ("pStyle", "rPr")] if properties else []
        return self._style, b"".join(data[each.start : each.end] for each in rest)

    def join(self, following: OpenParagraph, between: str) -> Callable[[], None]:
        """Takes the next paragraph, with the looks of its words."""
        assert isinstance(following, OfficeParagraph)
        self.note_way()
        following.note_way()
        former = (self.stretches, self.fixed, self.pieces, self.taken, self.open_after)
        own_text, other = self.stretches, following.stretches
        shift = len(own_text.old)
        moved = [
            Kept(part.start + shift, part.end + shift, part.looks)
            if isinstance(part, Kept)
            else Fresh(part.text, part.like + shift, part.looks)
            for part in other.parts
        ]
        joined = Stretches(own_text.old + other.old, (*own_text.parts, *moved))
        length = len(self.text)
        self.fixed = (self.fixed or " " * shift) + (following.fixed or " " * len(other.old))
        self.pieces = (*self.pieces, *(each._replace(start=each.start + shift) for each in following.pieces))
        self.taken = [*self.taken, following, *following.taken]
        self.open_after = following.open_after
        self.stretches = joined
        start = len(self.text[:length].rstrip(" \t"))
        end = length + len(following.text) - len(following.text.lstrip(" \t"))
        self.stretches = joined.edited(shrunk(str(joined), [(start, end, between)]))
        following._gone = following._joined = True

        def revert() -> None:
            self.stretches, self.fixed, self.pieces, self.taken, self.open_after = former
            following._gone = following._joined = False

        return revert

    # -- writing

    def splices(self) -> Iterable[Splice]:
        """What changes it in its part."""
        if not self.touched:
            return ()
        if self._gone or self.before or self.behind or self.taken or self._recorded or self._restyled or self.unlinked:
            return self._all_splices()
        return self._written(self.stretches, None)

    def _all_splices(self) -> Iterator[Splice]:
        tracking = self.home.tracking if self._recorded else None
        for text in self.before:
            yield Splice(self.span.start, self.span.start, self._new(text, tracking))
        chain = [self, *self.taken]
        if not self._joined and self._gone and tracking is None:
            for each in chain:
                yield from each._cut()
        elif not self._joined:
            stretches = Stretches(self.stretches.old, ()) if self._gone else self.stretches
            if stretches.touched or self.taken or self.unlinked:
                yield from self._written(stretches, tracking)
            yield from self._ends(chain, tracking)
        for text in reversed(self.behind):
            end = (self.taken[-1] if self.taken else self).span.end
            yield Splice(end, end, self._new(text, tracking))

    def _written(self, stretches: Stretches, tracking: Tracking | None) -> Sequence[Splice]:
        """What makes its text what it is to be; where that is plain, without reading its elements."""
        plain = self._plain if not self.taken else None
        found = plain.splices(stretches) if plain is not None and tracking is None else None
        if found is not None:
            return found
        pieces = plain.pieces(*stretches.bounds) if plain is not None else self.pieces
        gone = frozenset(each.start for each in self.unlinked)
        splices = ParagraphWriter(self.part.data, self.span, pieces, stretches, tracking, gone).splices()
        return [*splices, *outside(splices, self.unlinked)]

    def _cut(self) -> Iterator[Splice]:
        """What takes it out. Marks stay where they are, so that what takes them out still finds them."""
        start = self.span.start
        for each in self.span.children:
            if each.name in _MARKS and own(each):
                yield Splice(start, each.start, b"")
                start = each.end
        yield Splice(start, self.span.end, b"")

    def _ends(self, chain: Sequence[OfficeParagraph], tracking: Tracking | None) -> Iterator[Splice]:
        """What becomes of the ends of paragraphs that are one now, and of their properties."""
        if tracking is not None:
            for each in chain:
                goes = self._gone or each is not chain[-1]
                if goes or each._restyled:
                    yield from each.properties_splice(tracking, goes)
            return
        for one, other in pairwise(chain):
            properties = other._properties
            start = properties.end if properties is not None else other.span.open_end
            yield Splice(one.span.close_start, start, b"")
        if self._restyled:
            yield from self.properties_splice(None, False)

    def properties_splice(self, tracking: Tracking | None, mark_goes: bool) -> Iterator[Splice]:
        """Its properties as they are to be (17.3.1.26): the style first, the look of the mark, then what they were.

        With `mark_goes` the end of the paragraph is recorded as deleted (17.13.5.15).
        """
        data, p, properties = self.part.data, self.span.prefix, self._properties
        children = properties.children if properties is not None else []
        last = ("rPr", "sectPr", "pPrChange")
        middle = [data[each.start : each.end].decode() for each in children if each.name not in ("pStyle", *last)]
        old_style = next((data[each.start : each.end].decode() for each in children if each.name == "pStyle"), "")
        style = f'<{p}pStyle {p}val="{escaped(self._style or "")}"/>' if self._restyled else old_style
        tail = {each.name: data[each.start : each.end].decode() for each in children if each.name in last}
        if tracking is not None and self._restyled and "pPrChange" not in tail:
            before = f"<{p}pPr>{old_style}{''.join(middle)}</{p}pPr>"
            tail["pPrChange"] = f"<{p}pPrChange{tracking.attributes(p)}>{before}</{p}pPrChange>"
        if mark_goes and tracking is not None:
            gone = f"<{p}del{tracking.attributes(p)}/>"
            look = next((each for each in children if each.name == "rPr"), None)
            inside = data[look.open_end : look.close_start].decode() if look is not None else ""
            tail["rPr"] = f"<{p}rPr>{gone}{inside}</{p}rPr>"
        whole = f"<{p}pPr>{style}{''.join(middle)}{''.join(tail.get(name, '') for name in last)}</{p}pPr>".encode()
        if properties is not None:
            yield Splice(properties.start, properties.end, whole)
        elif self.span.open_end == self.span.end:
            tag = data[self.span.start : self.span.open_end - 2].rstrip()
            yield Splice(self.span.start, self.span.end, tag + b">" + whole + f"</{self.span.raw_name}>".encode())
        else:
            yield Splice(self.span.open_end, self.span.open_end, whole)

    def _new(self, text: str, tracking: Tracking | None) -> bytes:
        """A new paragraph of the same style."""
        p = self.span.prefix
        style = f'<{p}pStyle {p}val="{escaped(self._style)}"/>' if self._style else ""
        run = f"<{p}r>{elements_of(text, p)}</{p}r>" if text else ""
        mark = ""
        if tracking is not None:
            run = f"<{p}ins{tracking.attributes(p)}>{run}</{p}ins>" if run else ""
            mark = f"<{p}rPr><{p}ins{tracking.attributes(p)}/></{p}rPr>"
        properties = f"<{p}pPr>{style}{mark}</{p}pPr>" if style or mark else ""
        return f"<{p}p>{properties}{run}</{p}p>".encode()


def _holds_one_of(one: OfficeHole, following: Sequence[OfficeHole]) -> bool:
    """Of a control in another, or a field in one, the inner is filled in, which comes behind it."""
    return any(one.start <= each.start < each.end <= one.end for each in following)
