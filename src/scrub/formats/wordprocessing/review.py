"""What reviewers left in a document: tracked changes, comments, names (ISO/IEC 29500-1, 17.13)."""

from __future__ import annotations

from collections.abc import Iterator
from datetime import datetime

from scrub.formats.spans import Span
from scrub.formats.wordprocessing.home import Home, StoryPart
from scrub.formats.wordprocessing.paragraph import OfficeParagraph
from scrub.formats.wordprocessing.read import own, value
from scrub.formats.wordprocessing.resolve import LOOKS_OF_CHANGES
from scrub.formats.wordprocessing.stories import Stories
from scrub.formats.xmltext import moment, text_of
from scrub.model.core.change import cut
from scrub.model.core.lazy_pattern import lazy_pattern
from scrub.model.texts.recorded import ChangeSort, RecordedChange

#: Tracked changes of text, by what they are; the marks of paragraphs and rows are called the same. A move is told once,
#: where it leads.
_SORTS = {"ins": ChangeSort.INSERTION, "del": ChangeSort.DELETION, "moveTo": ChangeSort.MOVE}


def recorded_in(home: Home, stories: Stories) -> Iterator[OfficeChange]:
    """The tracked changes that wait, part by part."""
    for part in stories.parts:
        for span in part.root.inside(read_only=True):
            sort = ChangeSort.FORMAT if span.name in LOOKS_OF_CHANGES else _SORTS.get(span.name)
            if sort is not None and own(span):
                yield OfficeChange(home, stories, part, span, sort, stories.paragraph_at(part, span.start))


def _words(data: bytes, span: Span) -> Iterator[str]:
    for element in span.inside():
        if element.name in ("t", "delText") and own(element):
            yield text_of(data[element.start : element.end])


class OfficeChange(RecordedChange):
    """A tracked change."""

    def __init__(
        self,
        home: Home,
        stories: Stories,
        part: StoryPart,
        span: Span,
        sort: ChangeSort,
        paragraph: OfficeParagraph | None,
    ) -> None:
        self._home = home
        self._stories = stories
        self._part = part
        self._span = span
        self._sort = sort
        self._paragraph = paragraph

    @property
    def file(self) -> Home:
        """The document."""
        return self._home

    @property
    def label(self) -> str:
        """The paragraph it is in."""
        return self._home.label if self._paragraph is None else self._paragraph.label

    @property
    def removed(self) -> bool:
        """Whether it was decided on."""
        return self._stories.is_decided(self._part, self._span.start)

    @property
    def text(self) -> str:
        """Its words."""
        return "" if self._sort is ChangeSort.FORMAT else "".join(_words(self._part.data, self._span))

    def accept(self) -> None:
        """Makes it real."""
        self._decide(True)

    def reject(self) -> None:
        """Undoes it."""
        self._decide(False)

    def _decide(self, accepted: bool) -> None:
        self._home.ensure_open()
        said = f"{self._sort} of {self.author or 'nobody'} {'accepted' if accepted else 'rejected'}"
        said += f': "{cut(self.text)}"' if self.text else ""
        self.changed(
            "recorded", "waiting", accepted, self._stories.decide(self._part, self._span.start, accepted), said
        )

    @property
    def author(self) -> str:
        """Who made it."""
        return value(self._span, "author") or ""

    @property
    def date(self) -> datetime | None:
        """When."""
        return moment(value(self._span, "date"))

    @property
    def type(self) -> ChangeSort:
        """What it did."""
        return self._sort


_AUTHOR = lazy_pattern(rb'(<(?:\w+:)?[A-Za-z]+(?:\s[^<>]*?)?\s(?:\w+:)?author=)"[^"]*"')
_INITIALS = lazy_pattern(rb'(<(?:\w+:)?comment\b[^<>]*?\s(?:\w+:)?initials=)"[^"]*"')


def nameless(data: bytes) -> bytes:
    """A part without the names of who commented and changed; an author must be there (17.13.1), so it is empty."""
    return _INITIALS.sub(rb'\1""', _AUTHOR.sub(rb'\1""', data))
