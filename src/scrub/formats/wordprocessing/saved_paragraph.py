"""What is written of a paragraph of an Office Open XML document (ISO/IEC 29500-1, 17.3.1)."""

from __future__ import annotations

from bisect import bisect_right
from collections.abc import Iterable, Iterator, Sequence
from itertools import pairwise

from scrub.formats.spans import Ordered, Splice, outside
from scrub.formats.wordprocessing import paragraph_ends as ends
from scrub.formats.wordprocessing.home import EditedParagraph
from scrub.formats.wordprocessing.paragraph_properties import new_paragraph, properties_like, properties_splice
from scrub.formats.wordprocessing.read import MARKS, own
from scrub.formats.wordprocessing.tracking import Tracking
from scrub.formats.wordprocessing.write import ParagraphWriter
from scrub.model.core.lazy_property import lazy_property
from scrub.model.core.text import Stretches


class SavedParagraph:
    """What becomes of a paragraph in its part, with those that were joined to it and those that are new beside it."""

    def __init__(self, paragraph: EditedParagraph) -> None:
        self._paragraph = paragraph

    def splices(self, edits: Ordered) -> Iterable[Splice]:
        """What changes it; `edits` is what is done in its part to elements besides."""
        it = self._paragraph
        if it.removed or it.before or it.behind or it.taken or it.recorded or it.is_reset or it.unlinked:
            return self._all_splices(edits)
        return self._words(it.stretches, None, edits)

    def _all_splices(self, edits: Ordered) -> Iterator[Splice]:
        it = self._paragraph
        tracking = it.home.tracking if it.recorded else None
        for text in it.before:
            yield Splice(it.span.start, it.span.start, new_paragraph(it, text, tracking))
        chain = [it, *it.taken]
        if tracking is not None and it.removed and not it.joined:
            yield from self._ends_before(chain[-1], tracking)
        if not it.joined and it.removed and tracking is None:
            for member in chain:
                yield from _cut(member)
        elif not it.joined:
            stretches = Stretches(it.stretches.old, ()) if it.removed else it.stretches
            if stretches.touched or it.taken or it.unlinked:
                yield from self._words(stretches, tracking, edits)
            yield from self._ends(chain, tracking)
        end = chain[-1].span.end
        for number, text in enumerate(reversed(it.behind), 1):
            last = number == len(it.behind) and ends.adds_at_end(it, tracking)
            yield Splice(end, end, new_paragraph(it, text, tracking, last))

    def _words(self, stretches: Stretches, tracking: Tracking | None, edits: Ordered) -> Sequence[Splice]:
        """What makes its text what it is to be; where that is plain, without reading its elements."""
        it = self._paragraph
        plain = it.plain if not it.taken else None
        splices: Sequence[Splice] | None = None
        if plain is not None and stretches.touched:
            splices = (
                plain.splices(stretches)
                if tracking is None
                else plain.recorded(stretches.in_whole_words(lambda place: 0), tracking)
            )
        if splices is None:
            stretches = stretches if tracking is None else stretches.in_whole_words(self._run_of)
            pieces = plain.pieces(*stretches.bounds) if plain is not None else it.pieces
            gone = frozenset(splice.start for splice in it.unlinked)
            splices = ParagraphWriter(it.part.data, it.span, pieces, stretches, tracking, gone, edits).splices()
        if it.twin is not None:
            twin = it.twin
            writer = ParagraphWriter(twin.part.data, twin.span, twin.pieces, stretches, tracking)
            splices = [*splices, *writer.splices()]
        return [*splices, *outside(splices, it.unlinked)] if it.unlinked else splices

    def as_deleted(self, tracking: Tracking) -> Sequence[Splice]:
        """What records that its words go, with the row that it is in."""
        gone = Stretches(self._paragraph.stretches.old, ())
        return self._words(gone, tracking, Ordered()) if gone.touched else ()

    def _run_of(self, place: int) -> object:
        """The run of an old character; None for one that must stay, or is in something that has its own rules."""
        it = self._paragraph
        piece = it.pieces[bisect_right(it.pieces, place, key=lambda one: one.start) - 1]
        if it.fixed[place : place + 1].strip() or piece.inside is not None or piece.run.name != "r":
            return None
        return piece.run.start if piece.run.start in self._direct else None

    @lazy_property
    def _direct(self) -> frozenset[int]:
        """Where the elements directly inside it begin."""
        return frozenset(child.start for child in self._paragraph.span.children)

    def _ends(self, chain: Sequence[EditedParagraph], tracking: Tracking | None) -> Iterator[Splice]:
        """What becomes of the ends of paragraphs that are one now, and of their properties."""
        it = self._paragraph
        if tracking is not None:
            for member in chain:
                if member is chain[-1] and it.removed and ends.kept_before(member) is not None:
                    continue  # its end stays, with the properties of the one before
                goes = it.removed or member is not chain[-1] or ends.is_before_the_last_gone(member)
                mark = "del" if goes else ""
                if member is chain[-1] and ends.adds_at_end(it, tracking):
                    mark = "ins"
                if mark or member.is_reset:
                    yield from properties_splice(member, tracking, mark)
            return
        for one, other in pairwise(chain):
            properties = other.properties
            start = properties.end if properties is not None else other.span.open_end
            yield Splice(one.span.close_start, start, b"")
        if it.is_reset:
            yield from properties_splice(it, None, "")

    def _ends_before(self, last: EditedParagraph, tracking: Tracking) -> Iterator[Splice]:
        """Records the end of the paragraph before as deleted, where the last one of a text is; the last one then has
        its properties, since its own end is the one that stays.
        """
        before = ends.kept_before(last)
        if before is None:
            return
        if not before.touched:
            yield from properties_splice(before, tracking, "del")
        yield from properties_like(last, before, tracking)


def _cut(paragraph: EditedParagraph) -> Iterator[Splice]:
    """What takes it out. Marks stay where they are, so that what takes them out still finds them."""
    start = paragraph.span.start
    for child in paragraph.span.children:
        if child.name in MARKS and own(child):
            yield Splice(start, child.start, b"")
            start = child.end
    yield Splice(start, paragraph.span.end, b"")
