"""Paragraphs that went, as recorded changes (OpenDocument 1.3, part 3, 5.5.4)."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from scrub.formats.opendocument.paragraph import TextParagraph
from scrub.formats.opendocument.tracking import TextTracking
from scrub.model.problem import Failure


def mark_gone(every: Sequence[TextParagraph], tracking_of: Callable[[TextParagraph], TextTracking]) -> None:
    """Marks, in the paragraph beside each that went and is recorded, where it was."""
    holders = {id(taken): each for each in every for taken in each.taken}
    for each in every:
        if not each.is_recorded_gone:
            continue
        at = next(place for place, one in enumerate(each.group) if one is each)
        beside = [*reversed(each.group[:at]), *each.group[at + 1 + len(each.taken) :]]
        there = next((one for one in beside if one is not each and (not one.removed or id(one) in holders)), None)
        if there is None:
            raise Failure(f"{each.label} is the only one there; a change of it cannot be recorded")
        holder, tracking = holders.get(id(there), there), tracking_of(each)
        if there.span.start < each.span.start:
            tracking.tails[holder.span.start] += tracking.deleted(there.bare + each.deleted())
            continue
        if (there.style, there.level) != (each.style, each.level):
            raise Failure(
                f"{each.label} is the first one there, and has another style than the next; refused, it would not "
                "come back as it was. Take it out while no changes are recorded"
            )
        tracking.leads[holder.span.start] += tracking.deleted(each.deleted() + there.bare)
