"""Paragraphs that went, as tracked changes (OpenDocument 1.3, part 3, 5.5.4)."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from itertools import pairwise

from scrub.formats.opendocument.paragraph import TextParagraph
from scrub.formats.opendocument.tracking import TextTracking
from scrub.model.core.problem import Failure


def mark_gone(every: Sequence[TextParagraph], tracking_of: Callable[[TextParagraph], TextTracking]) -> None:
    """Marks, in the paragraph beside each that went and is recorded, where it was."""
    holders = {id(taken): paragraph for paragraph in every for taken in paragraph.taken}
    for paragraph in every:
        if not paragraph.is_recorded_gone:
            continue
        at = next(place for place, one in enumerate(paragraph.group) if one is paragraph)
        tracking = tracking_of(paragraph)
        before = _next_kept([paragraph, *reversed(paragraph.group[:at])], holders)
        if before is not None:
            holder = holders.get(id(before), before)
            tracking.tails[holder.span.start] += tracking.deleted(before.bare + paragraph.deleted())
            continue
        row = [paragraph, *paragraph.group[at + 1 + len(paragraph.taken) :]]
        behind = _next_kept(row, holders)
        if behind is not None and all(_alike(paragraph, one) for one in row[: row.index(behind) + 1]):
            holder = holders.get(id(behind), behind)
            tracking.leads[holder.span.start] += tracking.deleted(paragraph.deleted() + behind.bare)
        elif paragraph.list_level is None:
            # No paragraph beside it can contain the mark: it is written where the paragraph was (5.5.7.2).
            tracking.leads[paragraph.span.start] += tracking.deleted(paragraph.deleted())
        else:
            raise Failure(f"{paragraph.label}: deleting from a list cannot be tracked. Turn tracking off first")


def _alike(one: TextParagraph, other: TextParagraph) -> bool:
    """Whether one paragraph can be the beginning of the other, so that both are deleted with one mark."""
    return (one.style, one.level) == (other.style, other.level)


def _next_kept(row: Sequence[TextParagraph], holders: Mapping[int, TextParagraph]) -> TextParagraph | None:
    """The first paragraph in one direction that stays; None where something else comes before it, such as a table."""
    for one, other in pairwise(row):
        first, last = sorted((one, other), key=lambda each: each.span.start)
        if one.part.data[first.span.end : last.span.start].strip() and other not in one.taken:
            return None
        if not other.removed or id(other) in holders:
            return other
    return None
