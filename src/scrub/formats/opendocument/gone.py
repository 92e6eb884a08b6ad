"""Paragraphs that went, as tracked changes (OpenDocument 1.3, part 3, 5.5.4)."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from itertools import pairwise

from scrub.formats.opendocument.paragraph import TextParagraph
from scrub.formats.opendocument.tracking import TextTracking
from scrub.model.core.problem import Failure


def mark_gone(every: Sequence[TextParagraph], tracking_of: Callable[[TextParagraph], TextTracking]) -> None:
    """Marks, in the paragraph beside each that went and is recorded, where it was."""
    holders = {id(taken): each for each in every for taken in each.taken}
    for each in every:
        if not each.is_recorded_gone:
            continue
        at = next(place for place, one in enumerate(each.group) if one is each)
        tracking = tracking_of(each)
        before = _next_kept([each, *reversed(each.group[:at])], holders)
        if before is not None:
            holder = holders.get(id(before), before)
            tracking.tails[holder.span.start] += tracking.deleted(before.bare + each.deleted())
            continue
        row = [each, *each.group[at + 1 + len(each.taken) :]]
        behind = _next_kept(row, holders)
        if behind is not None and all(_alike(each, one) for one in row[: row.index(behind) + 1]):
            holder = holders.get(id(behind), behind)
            tracking.leads[holder.span.start] += tracking.deleted(each.deleted() + behind.bare)
        elif each.list_level is None:
            # No paragraph beside it can contain the mark: it is written where the paragraph was (5.5.7.2).
            tracking.leads[each.span.start] += tracking.deleted(each.deleted())
        else:
            raise Failure(f"{each.label}: deleting from a list cannot be tracked. Turn tracking off first")


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
