"""Whose end goes where changes are recorded (ISO/IEC 29500-1, 17.13.5.15).

The end of a paragraph joins it with the next one. So the end that a tracked change deletes or inserts at the end of a
text is that of the paragraph before: the last one has none after it to be joined with.
"""

from __future__ import annotations

from bisect import bisect_left

from scrub.formats.wordprocessing.home import EditedParagraph
from scrub.formats.wordprocessing.read import MARKS, inner
from scrub.formats.wordprocessing.tracking import Tracking
from scrub.model.core.lazy_pattern import lazy_pattern

_TAGS = lazy_pattern(rb"</?([\w.:-]+)")


def adds_at_end(paragraph: EditedParagraph, tracking: Tracking | None) -> bool:
    """Whether what was recorded as added after it is the last of its text."""
    if tracking is None or not paragraph.behind or paragraph.removed:
        return False
    return _neighbour(paragraph.taken[-1] if paragraph.taken else paragraph, 1) is None


def kept_before(paragraph: EditedParagraph) -> EditedParagraph | None:
    """Of the last paragraph of a text, which is deleted: the nearest one before it that is not."""
    if _neighbour(paragraph, 1) is not None:
        return None
    before = _neighbour(paragraph, -1)
    while before is not None and _is_recorded_gone(before):
        before = _neighbour(before, -1)
    if before is None or (before.properties is not None and inner(before.properties, "sectPr") is not None):
        return None
    return before


def is_before_the_last_gone(paragraph: EditedParagraph) -> bool:
    """Whether all paragraphs from the next one to the last of the text are deleted."""
    following = _neighbour(paragraph, 1)
    if following is None or not _is_recorded_gone(following) or _is_recorded_gone(paragraph):
        return False
    while following is not None and _is_recorded_gone(following):
        last, following = following, _neighbour(following, 1)
    return following is None and kept_before(last) is paragraph


def _neighbour(paragraph: EditedParagraph, step: int) -> EditedParagraph | None:
    """The paragraph directly after it (1) or before it (-1); None at the edge of a text, a table or a section."""
    group = paragraph.group
    at = bisect_left(group, paragraph.span.start, key=lambda one: one.span.start) + step
    if not 0 <= at < len(group):
        return None
    other = group[at]
    first, last = sorted((paragraph.span, other.span), key=lambda span: span.start)
    between = _TAGS.findall(paragraph.part.data, first.end, last.start)
    return other if all(tag.rpartition(b":")[2].decode() in MARKS for tag in between) else None


def _is_recorded_gone(paragraph: EditedParagraph) -> bool:
    return bool(paragraph.removed and paragraph.recorded and not paragraph.joined)
