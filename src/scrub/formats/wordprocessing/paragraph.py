"""A paragraph of an Office Open XML document (ISO/IEC 29500-1, 17.3.1)."""

from __future__ import annotations

from bisect import bisect_left, bisect_right
from collections.abc import Iterable, Iterator, Mapping, Sequence
from itertools import pairwise
from types import MappingProxyType
from typing import Any

from scrub.formats.spans import Ordered, Span, Splice, escaped, outside, parse_element, whole
from scrub.formats.texts.paragraph import OpenParagraph
from scrub.formats.wordprocessing.frames import ELEMENTS, RANK, element_for
from scrub.formats.wordprocessing.holes import MetField, fields_in
from scrub.formats.wordprocessing.read import MARKS, inner, own, value
from scrub.formats.wordprocessing.reading import ReadParagraph
from scrub.formats.wordprocessing.tracking import Tracking
from scrub.formats.wordprocessing.write import ParagraphWriter, elements_of
from scrub.model.core.change import Undo
from scrub.model.core.lazy_pattern import lazy_pattern
from scrub.model.core.lazy_property import lazy_property
from scrub.model.core.problem import Failure
from scrub.model.core.text import Edit, Kept, Stretches
from scrub.model.texts.lines_of_text import Line
from scrub.model.texts.paragraphs import Filling, PlaceInDocument

_TAGS = lazy_pattern(rb"</?([\w.:-]+)")


class OfficeParagraph(ReadParagraph):
    """A paragraph that is changed and written."""

    twin: OfficeParagraph | None = None  # the same one in the other copy of a text box
    is_twofold = False  # whether it is in a text box that is there twice
    set_frames: Mapping[str, str] = MappingProxyType({})  # the elements of its properties that were set, by their name

    @property
    def touched(self) -> bool:
        """Whether anything of it was changed."""
        if self._recorded is None:
            return False
        if self._gone or self.before or self.behind or self._reset or self.taken or self.unlinked:
            return True
        return self.stretches.touched

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
            direct = whole(value(inner(self._properties, "outlineLvl")), 9)
        if direct is not None:
            return direct + 1 if direct < 9 else None
        return self.home.styles.level(self._style or self.home.styles.default)

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
        direct = {each.start for each in self.span.children}
        kept = (each for each in self.stretches.between(start, end) if isinstance(each, Kept))
        fixed = "".join(self.fixed[each.start : each.end] for each in kept) if self.fixed else ""
        every = [piece for _, piece, _ in self.stretches_of(start, end) if piece is not None]
        if fixed.strip() or (self._plain is None and any(piece.run.start not in direct for piece in every)):
            raise self.not_linkable()

    def _ensure_single(self) -> None:
        """Raises `Failure` in a text box that is there twice, where only words are changed."""
        if self.is_twofold:
            raise Failure(f"{self.label} is in a text box that is in the file twice; only its text can change")

    def _set_style(self, id_: str, field: str, before: object, after: object) -> None:
        self.note_way()
        self._ensure_single()
        if id_ == (self._style or self.home.styles.default):
            return
        self.changed(field, before, after, self.set_together("_style", lambda each: id_))

    @property
    def _reset(self) -> bool:
        """Whether its properties are others."""
        return bool(self.set_frames) or self._restyled

    # -- how it is set

    def frame(self, word: str) -> Any:
        """How it is set."""
        return self.home.frames.of(self._element(word)[1], self._style or self.home.styles.default, word)

    def _element(self, word: str) -> tuple[bytes, Span | None]:
        """The element that says it, and the bytes it is in."""
        name = ELEMENTS[word]
        if name in self.set_frames:
            data = self.set_frames[name].encode()
            return data, parse_element(data, 0, len(data), self.span.namespaces)
        return self.part.data, inner(self._properties, name) if self._properties is not None else None

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
        return () if self._plain is not None else fields_in(self.part.data, self.span, self.pieces)

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
        if self._properties is not None and inner(self._properties, "sectPr") is not None:
            raise Failure(f"{self.label} ends a section. Add the new one before the next paragraph")

    def ensure_deletable(self) -> None:
        """Raises `Failure` where the document needs it: at the end of a section or a cell, or over a field's edge."""
        self.note_way()
        self._ensure_single()
        if self._properties is not None and inner(self._properties, "sectPr") is not None:
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
        properties = self._properties
        data = self.part.data
        rest = [each for each in properties.children if each.name not in ("pStyle", "rPr")] if properties else []
        return self._style, b"".join(data[each.start : each.end] for each in rest)

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
        if not self.touched:
            return ()
        if self._gone or self.before or self.behind or self.taken or self._recorded or self._reset or self.unlinked:
            return self._all_splices(edits)
        return self._written(self.stretches, None, edits)

    def _all_splices(self, edits: Ordered) -> Iterator[Splice]:
        tracking = self.home.tracking if self._recorded else None
        for text in self.before:
            yield Splice(self.span.start, self.span.start, self._new(text, tracking))
        chain = [self, *self.taken]
        if tracking is not None and self._gone and not self._joined:
            yield from self._ends_before(chain[-1], tracking)
        if not self._joined and self._gone and tracking is None:
            for each in chain:
                yield from each._cut()
        elif not self._joined:
            stretches = Stretches(self.stretches.old, ()) if self._gone else self.stretches
            if stretches.touched or self.taken or self.unlinked:
                yield from self._written(stretches, tracking, edits)
            yield from self._ends(chain, tracking)
        end = chain[-1].span.end
        for number, text in enumerate(reversed(self.behind), 1):
            last = number == len(self.behind) and self._adds_at_end(tracking)
            yield Splice(end, end, self._new(text, tracking, last))

    def as_deleted(self, tracking: Tracking) -> Sequence[Splice]:
        """What records that its words go, with the row that it is in."""
        gone = Stretches(self.stretches.old, ())
        return self._written(gone, tracking, Ordered()) if gone.touched else ()

    def _written(self, stretches: Stretches, tracking: Tracking | None, edits: Ordered) -> Sequence[Splice]:
        """What makes its text what it is to be; where that is plain, without reading its elements."""
        plain = self._plain if not self.taken else None
        splices: Sequence[Splice] | None = None
        if plain is not None and stretches.touched:
            splices = (
                plain.splices(stretches)
                if tracking is None
                else plain.recorded(stretches.in_whole_words(lambda place: 0), tracking)
            )
        if splices is None:
            stretches = stretches if tracking is None else stretches.in_whole_words(self._run_of)
            pieces = plain.pieces(*stretches.bounds) if plain is not None else self.pieces
            gone = frozenset(each.start for each in self.unlinked)
            splices = ParagraphWriter(self.part.data, self.span, pieces, stretches, tracking, gone, edits).splices()
        if self.twin is not None:
            twin = self.twin
            splices = [
                *splices,
                *ParagraphWriter(twin.part.data, twin.span, twin.pieces, stretches, tracking).splices(),
            ]
        return [*splices, *outside(splices, self.unlinked)] if self.unlinked else splices

    def _run_of(self, place: int) -> object:
        """The run of an old character; None for one that must stay, or is in something that has its own rules."""
        piece = self.pieces[bisect_right(self.pieces, place, key=lambda each: each.start) - 1]
        if self.fixed[place : place + 1].strip() or piece.inside is not None or piece.run.name != "r":
            return None
        return piece.run.start if piece.run.start in self._direct else None

    @lazy_property
    def _direct(self) -> frozenset[int]:
        """Where the elements directly inside it begin."""
        return frozenset(child.start for child in self.span.children)

    def _cut(self) -> Iterator[Splice]:
        """What takes it out. Marks stay where they are, so that what takes them out still finds them."""
        start = self.span.start
        for each in self.span.children:
            if each.name in MARKS and own(each):
                yield Splice(start, each.start, b"")
                start = each.end
        yield Splice(start, self.span.end, b"")

    def _ends(self, chain: Sequence[OfficeParagraph], tracking: Tracking | None) -> Iterator[Splice]:
        """What becomes of the ends of paragraphs that are one now, and of their properties."""
        if tracking is not None:
            for each in chain:
                if each is chain[-1] and self._gone and each._kept_before() is not None:
                    continue  # its end stays, with the properties of the one before
                mark = "del" if self._gone or each is not chain[-1] or each._before_the_last_gone() else ""
                if each is chain[-1] and self._adds_at_end(tracking):
                    mark = "ins"
                if mark or each._reset:
                    yield from each.properties_splice(tracking, mark)
            return
        for one, other in pairwise(chain):
            properties = other._properties
            start = properties.end if properties is not None else other.span.open_end
            yield Splice(one.span.close_start, start, b"")
        if self._reset:
            yield from self.properties_splice(None, "")

    # The end of a paragraph joins it with the next one. So the end that a tracked change deletes or inserts at the end
    # of a text is that of the paragraph before: the last one has none after it to be joined with.

    def _adds_at_end(self, tracking: Tracking | None) -> bool:
        """Whether what was recorded as added after it is the last of its text."""
        last = self.taken[-1] if self.taken else self
        return tracking is not None and bool(self.behind) and not self._gone and last._neighbour(1) is None

    def _neighbour(self, step: int) -> OfficeParagraph | None:
        """The paragraph directly after it (1) or before it (-1); None at the edge of a text, a table or a section."""
        at = bisect_left(self.group, self.span.start, key=lambda each: each.span.start) + step
        if not 0 <= at < len(self.group):
            return None
        other = self.group[at]
        assert isinstance(other, OfficeParagraph)
        first, last = sorted((self.span, other.span), key=lambda each: each.start)
        between = _TAGS.findall(self.part.data, first.end, last.start)
        return other if all(each.rpartition(b":")[2].decode() in MARKS for each in between) else None

    def _is_recorded_gone(self) -> bool:
        return bool(self._gone and self._recorded and not self._joined)

    def _kept_before(self) -> OfficeParagraph | None:
        """Of the last paragraph of a text, which is deleted: the nearest one before it that is not."""
        if self._neighbour(1) is not None:
            return None
        before = self._neighbour(-1)
        while before is not None and before._is_recorded_gone():
            before = before._neighbour(-1)
        if before is None or (before._properties is not None and inner(before._properties, "sectPr") is not None):
            return None
        return before

    def _before_the_last_gone(self) -> bool:
        """Whether all paragraphs from the next one to the last of the text are deleted."""
        following = self._neighbour(1)
        if following is None or not following._is_recorded_gone() or self._is_recorded_gone():
            return False
        while following is not None and following._is_recorded_gone():
            last, following = following, following._neighbour(1)
        return following is None and last._kept_before() is self

    def _ends_before(self, last: OfficeParagraph, tracking: Tracking) -> Iterator[Splice]:
        """Records the end of the paragraph before as deleted, where the last one of a text is; the last one then has
        its properties, since its own end is the one that stays.
        """
        before = last._kept_before()
        if before is None:
            return
        if not before.touched:
            yield from before.properties_splice(tracking, "del")
        yield from last._properties_like(before, tracking)

    def _properties_like(self, other: OfficeParagraph, tracking: Tracking) -> Iterator[Splice]:
        """Records the properties of another paragraph as its own."""
        mine, others = (each._properties_said() for each in (self, other))
        if mine == others:
            return
        p, properties = self.span.prefix, self._properties
        kept = b"".join(
            self.part.data[each.start : each.end]
            for each in (properties.children if properties is not None else ())
            if each.name in ("rPr", "sectPr")
        ).decode()
        before = f"<{p}pPr>{mine}</{p}pPr>"
        change = f"<{p}pPrChange{tracking.attributes(p)}>{before}</{p}pPrChange>"
        whole = f"<{p}pPr>{others}{kept}{change}</{p}pPr>".encode()
        if properties is not None:
            yield Splice(properties.start, properties.end, whole)
        elif self.span.open_end != self.span.end:
            yield Splice(self.span.open_end, self.span.open_end, whole)

    def _properties_said(self) -> str:
        """Its style and how it is set, as they are written, without its mark, its section and what they were."""
        properties, data = self._properties, self.part.data
        children = properties.children if properties is not None else ()
        return b"".join(
            data[each.start : each.end] for each in children if each.name not in ("rPr", "sectPr", "pPrChange")
        ).decode()

    def properties_splice(self, tracking: Tracking | None, mark: str) -> Iterator[Splice]:
        """Its properties as they are to be (17.3.1.26): the style first, the look of the mark, then what they were.

        `mark` is what is recorded for the end of the paragraph: "del" (17.13.5.15), "ins" (17.13.5.20) or "".
        """
        data, p, properties = self.part.data, self.span.prefix, self._properties
        children = properties.children if properties is not None else []
        last = ("rPr", "sectPr", "pPrChange")
        pairs = [
            (each.name, data[each.start : each.end].decode()) for each in children if each.name not in ("pStyle", *last)
        ]
        former = "".join(text for _, text in pairs)
        if self.set_frames:
            kept = [pair for pair in pairs if pair[0] not in self.set_frames]
            pairs = sorted([*kept, *self.set_frames.items()], key=lambda pair: RANK.get(pair[0], 0))
        middle = "".join(text for _, text in pairs)
        old_style = next((data[each.start : each.end].decode() for each in children if each.name == "pStyle"), "")
        style = f'<{p}pStyle {p}val="{escaped(self._style or "")}"/>' if self._restyled else old_style
        tail = {each.name: data[each.start : each.end].decode() for each in children if each.name in last}
        if tracking is not None and self._reset and "pPrChange" not in tail:
            before = f"<{p}pPr>{old_style}{former}</{p}pPr>"
            tail["pPrChange"] = f"<{p}pPrChange{tracking.attributes(p)}>{before}</{p}pPrChange>"
        if mark and tracking is not None:
            gone = f"<{p}{mark}{tracking.attributes(p)}/>"
            look = next((each for each in children if each.name == "rPr"), None)
            inside = data[look.open_end : look.close_start].decode() if look is not None else ""
            tail["rPr"] = f"<{p}rPr>{gone}{inside}</{p}rPr>"
        whole = f"<{p}pPr>{style}{middle}{''.join(tail.get(name, '') for name in last)}</{p}pPr>".encode()
        if properties is not None:
            yield Splice(properties.start, properties.end, whole)
        elif self.span.open_end == self.span.end:
            tag = data[self.span.start : self.span.open_end - 2].rstrip()
            yield Splice(self.span.start, self.span.end, tag + b">" + whole + f"</{self.span.raw_name}>".encode())
        else:
            yield Splice(self.span.open_end, self.span.open_end, whole)

    def _new(self, text: str, tracking: Tracking | None, last: bool = False) -> bytes:
        """A new paragraph of the same style; the end of the last one of a text is that of the one before."""
        p = self.span.prefix
        style = f'<{p}pStyle {p}val="{escaped(self._style)}"/>' if self._style else ""
        run = f"<{p}r>{elements_of(text, p)}</{p}r>" if text else ""
        mark = ""
        if tracking is not None:
            run = f"<{p}ins{tracking.attributes(p)}>{run}</{p}ins>" if run else ""
            mark = "" if last else f"<{p}rPr><{p}ins{tracking.attributes(p)}/></{p}rPr>"
            if last and self._properties_said() != style:
                was = f"<{p}pPr>{self._properties_said()}</{p}pPr>"
                mark = f"<{p}pPrChange{tracking.attributes(p)}>{was}</{p}pPrChange>"
        properties = f"<{p}pPr>{style}{mark}</{p}pPr>" if style or mark else ""
        return f"<{p}p>{properties}{run}</{p}p>".encode()
