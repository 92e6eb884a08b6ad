"""Comments and recorded changes of an Open Document (OpenDocument 1.3, part 3, 5.5 and 14.1)."""

from __future__ import annotations

from bisect import bisect_right
from collections.abc import Iterator, Sequence
from datetime import datetime

from scrub.formats.opendocument.paragraph import TextHome, TextParagraph, TextPart
from scrub.formats.opendocument.read import DUBLIN, META, OFFICE, TEXT, is_paragraph, of, read_paragraph, value
from scrub.formats.spans import Span, Splice
from scrub.formats.xmltext import moment, text_of
from scrub.model.comments import Comment
from scrub.model.problem import Failure
from scrub.model.recorded import ChangeSort, RecordedChange

_SORTS = {
    "insertion": ChangeSort.INSERTION, "deletion": ChangeSort.DELETION, "format-change": ChangeSort.FORMAT,
}  # fmt: skip


def _said(data: bytes, holder: Span, name: str) -> str:
    """What an element of the annotation says: who made it, or when."""
    found = next((each for each in holder.inside() if of(each, DUBLIN, name)), None)
    return text_of(data[found.start : found.end]) if found is not None else ""


def _words(data: bytes, holder: Span) -> str:
    return "\n".join(read_paragraph(data, each).text for each in holder.inside() if is_paragraph(each))


class TextComment(Comment):
    """A comment."""

    def __init__(self, home: TextHome, part: TextPart, span: Span, on: TextParagraph | None) -> None:
        self.part, self.span = part, span
        self._home, self._on = home, on
        self.gone = False

    @property
    def file(self) -> TextHome:
        """The document."""
        return self._home

    @property
    def label(self) -> str:
        """The paragraph that it hangs on."""
        return self.address

    @property
    def removed(self) -> bool:
        """Whether it was deleted."""
        return self.gone

    @property
    def text(self) -> str:
        """What it says."""
        return _words(self.part.data, self.span)

    @text.setter
    def text(self, value: str) -> None:
        raise Failure("the text of a comment cannot be set in a document of this format; delete it instead")

    @property
    def author(self) -> str:
        """Who wrote it."""
        return _said(self.part.data, self.span, "creator")

    @property
    def date(self) -> datetime | None:
        """When."""
        return moment(_said(self.part.data, self.span, "date"))

    @property
    def address(self) -> str:
        """The paragraph that it hangs on."""
        return self._home.label if self._on is None else self._on.label

    def delete(self) -> None:
        """Removes it."""
        self._home.ensure_open()
        self.gone = True
        said = f'comment of {self.author or "nobody"} removed: "{self.text[:60]}"'
        self.changed("comment", self.text, None, lambda: setattr(self, "gone", False), said)

    def splices(self) -> Iterator[Splice]:
        """What takes it out, with the mark where its words end."""
        if self.gone:
            yield Splice(self.span.start, self.span.end, b"")
            name = value(self.span, "name", OFFICE)
            for each in self.part.root.inside(read_only=True) if name else ():
                if of(each, OFFICE, "annotation-end") and value(each, "name", OFFICE) == name:
                    yield Splice(each.start, each.end, b"")


def comments_in(home: TextHome, part: TextPart, paragraphs: Sequence[TextParagraph]) -> Iterator[TextComment]:
    """The comments of a part."""
    own = [each for each in paragraphs if each.part is part]
    starts = [each.span.start for each in own]
    for span in part.root.inside(read_only=True):
        if of(span, OFFICE, "annotation"):
            at = bisect_right(starts, span.start) - 1
            yield TextComment(home, part, span, own[at] if at >= 0 else None)


class TextChange(RecordedChange):
    """A recorded change. It can be read; it is accepted and refused in the document's own program."""

    def __init__(self, home: TextHome, part: TextPart, region: Span, span: Span) -> None:
        self._home, self._part, self._region, self._span = home, part, region, span

    @property
    def file(self) -> TextHome:
        """The document."""
        return self._home

    @property
    def text(self) -> str:
        """The words that were deleted, or inserted."""
        data, root = self._part.data, self._part.root
        if self.sort is ChangeSort.DELETION:
            return _words(data, self._span)
        id_ = value(self._region, "id") or self._region.attributes.get("xml:id", "")
        marks = {
            each.name: each for each in root.inside() if each.uri == TEXT and value(each, "change-id") == id_
        }  # where its words begin and end
        start, end = marks.get("change-start"), marks.get("change-end")
        if start is None or end is None or self.sort is not ChangeSort.INSERTION:
            return ""
        found = []
        for each in root.inside():
            if is_paragraph(each) and each.end > start.start and each.start < end.end:
                pieces = read_paragraph(data, each).pieces
                found.append("".join(one.text for one in pieces if start.end <= one.begin and one.end <= end.start))
        return "\n".join(found)

    @property
    def author(self) -> str:
        """Who made it."""
        return _said(self._part.data, self._region, "creator")

    @property
    def date(self) -> datetime | None:
        """When."""
        return moment(_said(self._part.data, self._region, "date"))

    @property
    def sort(self) -> ChangeSort:
        """What it did."""
        return _SORTS.get(self._span.name, ChangeSort.FORMAT)


def changes_in(home: TextHome, part: TextPart) -> Iterator[TextChange]:
    """The recorded changes of a part."""
    for region in part.root.inside(read_only=True):
        if of(region, TEXT, "changed-region"):
            for span in region.children:
                if span.uri == TEXT and span.name in _SORTS:
                    yield TextChange(home, part, region, span)


def names_in(root: Span) -> Iterator[Splice]:
    """What empties the names of who wrote, commented and changed."""
    for each in root.inside(read_only=True):
        named = of(each, DUBLIN, "creator") or (
            each.uri == META and each.name in ("initial-creator", "creator-initials", "printed-by")
        )
        if named and each.open_end < each.close_start:
            yield Splice(each.open_end, each.close_start, b"")
