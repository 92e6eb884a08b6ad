"""Comments and tracked changes of an Open Document (OpenDocument 1.3, part 3, 5.5 and 14.1)."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from datetime import datetime

from scrub.formats.kept import all_back, put_in
from scrub.formats.opendocument.characters import written
from scrub.formats.opendocument.paragraph import TextHome, TextParagraph, TextPart
from scrub.formats.opendocument.place import TextPlace
from scrub.formats.opendocument.read import DUBLIN, META, OFFICE, TEXT, is_paragraph, of, read_paragraph, value
from scrub.formats.opendocument.resolve import Mark, Region, marks_in, regions_in
from scrub.formats.spans import Span, Splice
from scrub.formats.texts.placed import Placed
from scrub.formats.texts.stories import Stories
from scrub.formats.xmltext import moment, text_of
from scrub.model.comments import Comment
from scrub.model.core.change import cut
from scrub.model.core.problem import Failure
from scrub.model.texts.recorded import ChangeSort, RecordedChange

_SORTS = {
    "insertion": ChangeSort.INSERTION, "deletion": ChangeSort.DELETION, "format-change": ChangeSort.FORMAT,
}  # fmt: skip


def _said(data: bytes, holder: Span, name: str) -> str:
    """What an element of the annotation says: who made it, or when."""
    found = next((span for span in holder.inside() if of(span, DUBLIN, name)), None)
    return text_of(data[found.start : found.end]) if found is not None else ""


def _words(data: bytes, holder: Span) -> str:
    return "\n".join(read_paragraph(data, span).text for span in holder.inside() if is_paragraph(span))


class TextComment(Placed[TextPlace], Comment):
    """An element `office:annotation` (14.1), with its end mark where it has one."""

    def __init__(self, place: TextPlace) -> None:
        self._place = place

    @property
    def removed(self) -> bool:
        """Whether it was deleted."""
        return self._place.has("comment")

    @property
    def _end(self) -> Span | None:
        """The mark where its words end (14.1)."""
        part, span = self._place.part, self._place.span
        name = value(span, "name", OFFICE)
        every = part.root.inside(read_only=True) if name else ()
        return next(
            (each for each in every if of(each, OFFICE, "annotation-end") and value(each, "name", OFFICE) == name),
            None,
        )

    @property
    def words(self) -> str:
        """The words that it is about, as the file has them."""
        place, end = self._place, self._end
        return place.home.words_between(place.part, place.span.end, end.start) if end is not None else ""

    @property
    def text(self) -> str:
        """What it says."""
        part, span = self._place.part, self._place.span
        return part.notes[span.start] if span.start in part.notes else _words(part.data, span)

    @text.setter
    def text(self, value: str) -> None:
        before, span = self.text, self._place.span
        if value == before:
            return
        old = [child for child in span.children if child.uri == TEXT]  # its paragraphs and lists
        p = next((element.prefix for element in span.inside() if element.uri == TEXT), None)
        if not old or p is None:
            raise Failure(f"{self.label}: the comment is damaged (it has no paragraph). Delete it")
        made = "".join(f"<{p}p>{written(each, p)}</{p}p>" for each in value.split("\n"))
        unnoted = put_in(self._place.part.notes, span.start, value)
        back = self._place.put("words", [Splice(old[0].start, old[-1].end, made.encode())])

        def revert() -> None:
            back()
            unnoted()

        self.changed("text", before, value, revert, inner=(f"comment of {self.author or 'nobody'}",))

    def reply(self, text: str) -> None:
        """Answers it: the format knows no answers, so that one is a comment of its own at the same place."""
        place = self._place
        made, _ = place.home.tracking.comment(text)
        answers = place.part.edits.get((place.span.start, "answers"), ())
        back = place.put("answers", [*answers, Splice(place.span.end, place.span.end, made.encode())])
        field = f"reply {len(answers) + 1} to the comment of {self.author or 'nobody'}"
        self.changed(field, None, text, back, f'answered: "{cut(text)}"')

    @property
    def author(self) -> str:
        """Who wrote it."""
        return _said(self._place.part.data, self._place.span, "creator")

    @property
    def date(self) -> datetime | None:
        """When."""
        return moment(_said(self._place.part.data, self._place.span, "date"))

    @property
    def address(self) -> str:
        """The paragraph that it depends on."""
        return self.label

    def delete(self) -> None:
        """Removes it, with the mark where its words end."""
        span, end = self._place.span, self._end
        ends = [end] if end is not None else []
        said = f'comment of {self.author or "nobody"} removed: "{self.text[:60]}"'
        backs = [self._place.put(word, ()) for word in ("words", "answers")]  # what was done to it goes with it
        backs.append(self._place.put("comment", [Splice(element.start, element.end, b"") for element in (span, *ends)]))
        self.changed("comment", self.text, None, all_back(backs), said)


def comments_in(home: TextHome, part: TextPart) -> Iterator[TextComment]:
    """The comments of a part."""
    for span in part.root.inside(read_only=True):
        if of(span, OFFICE, "annotation"):
            yield TextComment(TextPlace(home, part, span))


class TextChange(RecordedChange):
    """A tracked change."""

    def __init__(
        self, home: TextHome, stories: Stories[TextPart, TextParagraph], part: TextPart, region: Region,
        marks: Mapping[str, Mark],
    ) -> None:  # fmt: skip
        self._home, self._stories, self._part, self._marks = home, stories, part, marks
        self._region, self._span = region.span, region.done

    @property
    def file(self) -> TextHome:
        """The document."""
        return self._home

    @property
    def label(self) -> str:
        """The paragraph it is in."""
        mark = next(iter(self._marks.values()), None)
        paragraph = self._stories.paragraph_at(self._part, mark.span.start) if mark is not None else None
        return self._home.label if paragraph is None else paragraph.label

    @property
    def removed(self) -> bool:
        """Whether it was decided on."""
        return self._stories.is_decided(self._part, self._region.start)

    def accept(self) -> None:
        """Makes it real."""
        self._decide(True)

    def reject(self) -> None:
        """Undoes it."""
        self._decide(False)

    def _decide(self, accepted: bool) -> None:
        said = f"{self.type} of {self.author or 'nobody'} {'accepted' if accepted else 'rejected'}"
        said += f': "{cut(self.text)}"' if self.text else ""
        back = self._stories.decide(self._part, self._region.start, accepted)
        self.changed("recorded", "waiting", accepted, back, said)

    @property
    def text(self) -> str:
        """The words that were deleted, or inserted."""
        data, root = self._part.data, self._part.root
        if self.type is ChangeSort.DELETION:
            return _words(data, self._span)
        start, end = self._marks.get("change-start"), self._marks.get("change-end")
        if start is None or end is None or self.type is not ChangeSort.INSERTION:
            return ""
        found = []
        for span in root.inside():
            if is_paragraph(span) and span.end > start.span.start and span.start < end.span.end:
                pieces = read_paragraph(data, span).pieces
                found.append(
                    "".join(one.text for one in pieces if start.span.end <= one.begin and one.end <= end.span.start)
                )
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
    def type(self) -> ChangeSort:
        """What it did."""
        return _SORTS.get(self._span.name, ChangeSort.FORMAT)


def changes_in(home: TextHome, stories: Stories[TextPart, TextParagraph], part: TextPart) -> Iterator[TextChange]:
    """The tracked changes of a part."""
    regions = regions_in(part.root)
    marks = marks_in(part.root) if regions else {}
    for region in regions:
        yield TextChange(home, stories, part, region, marks.get(region.id, {}))


def names_in(root: Span) -> Iterator[Splice]:
    """What empties the names of who wrote, commented and changed."""
    for span in root.inside(read_only=True):
        named = of(span, DUBLIN, "creator") or (
            span.uri == META and span.name in ("initial-creator", "creator-initials", "printed-by")
        )
        if named and span.open_end < span.close_start:
            yield Splice(span.open_end, span.close_start, b"")
