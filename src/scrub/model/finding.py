"""A document as it is looked through: what it contains, and what is found in it by number, by words, by name."""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator, Sequence

from scrub.model.cells.records import Table
from scrub.model.core.declare import finds, holds, selects
from scrub.model.core.files import WholeFile
from scrub.model.core.lazy_pattern import lazy_pattern
from scrub.model.core.problem import Failure, Missing, counted, did_you_mean
from scrub.model.core.required import required
from scrub.model.core.values import fold
from scrub.model.texts.inline import Bookmark
from scrub.model.texts.paragraphs import Heading, HoldsPassages, Paragraph, Passage, Passages


class LookedThrough(WholeFile, HoldsPassages):
    """A file of paragraphs."""

    # -- what each format offers

    @required
    def every_paragraph(self) -> Sequence[Paragraph]:
        """Its paragraphs in the order of the document: those of the body first."""
        raise NotImplementedError

    def groups(self) -> Sequence[Sequence[Paragraph]]:
        """Its paragraphs, those together that are together: a body, a cell, a header."""
        return (self.every_paragraph(),)

    def lines(self) -> Sequence[Sequence[Paragraph]]:
        """All of them."""
        return self.groups()

    @holds
    def paragraphs(self) -> Iterator[Paragraph]:
        """Its paragraphs, headings too, in all places."""
        return iter(self.every_paragraph())

    @holds
    def passages(self) -> Iterator[Passage]:
        """Its words, in pieces of one look each."""
        return (passage for paragraph in self.every_paragraph() for passage in paragraph.passages())

    @holds
    def headings(self) -> Iterator[Heading]:
        """Its headings."""
        return (
            paragraph
            for paragraph in self.every_paragraph()
            if isinstance(paragraph, Heading) and paragraph.level is not None
        )

    @holds
    def tables(self) -> Iterator[Table]:
        """Its tables. Their first row has the headings; what is under them are records."""
        return iter(())

    @holds
    def bookmarks(self) -> Iterator[Bookmark]:
        """Its bookmarks."""
        return iter(())

    # -- looked for

    def searched(self) -> Iterable[tuple[Paragraph, int, int | None]]:
        """All of its paragraphs."""
        return ((paragraph, 0, None) for paragraph in self.every_paragraph())

    @finds
    def find_paragraph(self, number: int) -> Paragraph:
        """A paragraph by its number: `paragraph(12)`."""
        every = self.every_paragraph()
        result = next((paragraph for paragraph in every if paragraph.number == number), None)
        if result is None:
            raise Missing(f"no paragraph {number}: {self.label} has {len(every):,}")
        return result

    @finds
    def find_heading(self, text: str) -> Heading:
        """A heading by its words: `heading("Water")`."""
        every = list(self.headings())
        found = [each for each in every if fold(each.text.strip()) == fold(text.strip())]
        if not found:
            names = [heading.text for heading in every]
            there = f" There are: {', '.join(names[:8])}" if names else " There are none"
            raise Missing(f'no heading "{text}".{did_you_mean(text, names)}{there}')
        return found[0]

    @selects
    def picked(self, place: str | None = None) -> Passages:
        """What a person picked: `paragraph 12`, `paragraphs 3-5`, `heading "Water"`, `"bread and water"`, `paragraph 4
        "bread"`, `2 "bread"` for the second, `from "Dear" to "hut."`, `bookmark notice`, `table 2`, `matching "…"`;
        several are separated by commas.
        """
        if place is None:
            return Passages(self, [_whole(paragraph) for paragraph in self.every_paragraph()])
        passages: list[Passage] = []
        rest = place.strip()
        while rest:
            for form, method in _PICKS:
                match = form.match(rest)
                if match is not None:
                    passages += method(self, *match.groups())
                    rest = rest[match.end() :].lstrip().removeprefix(",").lstrip()
                    break
            else:
                raise Failure(
                    f'"{rest}" is not a place. Examples: paragraph 12, paragraphs 3-5, heading "Water", '
                    '"bread and water", from "Dear" to "hut.", bookmark notice, table 2, matching "…"'
                )
        return Passages(self, passages, True)

    def _numbered(self, first: str, last: str | None) -> list[Passage]:
        return [_whole(self.find_paragraph(number)) for number in range(int(first), int(last or first) + 1)]

    def _within(self, number: str, text: str) -> list[Passage]:
        paragraph = self.find_paragraph(int(number))
        passages = list(paragraph.search(text))
        if not passages:
            raise Missing(f'"{text}" does not appear in {paragraph.label}')
        return passages

    def _headed(self, text: str) -> list[Passage]:
        heading = self.find_heading(text)
        return [_whole(heading), *map(_whole, heading.paragraphs_below())]

    def _between(self, first: str, last: str) -> list[Passage]:
        start = self.only(first)
        every = self.every_paragraph()
        at = next(place for place, each in enumerate(every) if each is start.paragraph)
        for end in self.search(last):
            until = next(place for place, each in enumerate(every) if each is end.paragraph)
            if (until, end.start) >= (at, start.end):
                whole = [_whole(paragraph) for paragraph in every[at : until + 1]]
                whole[0].start = start.start
                whole[-1].end = end.end
                return whole
        raise Missing(f'"{last}" does not appear after "{first}" in {self.label}')

    def _bookmarked(self, quoted: str | None, name: str | None) -> list[Passage]:
        wanted = quoted or name or ""
        every = list(self.bookmarks())
        found = next((bookmark for bookmark in every if fold(bookmark.name) == fold(wanted)), None)
        if found is None:
            names = [bookmark.name for bookmark in every]
            there = f" There are: {', '.join(names[:8])}" if names else " There are none"
            raise Missing(f'no bookmark "{wanted}".{did_you_mean(wanted, names)}{there}')
        return [Passage(*each) for each in found.covers()]

    def _tabled(self, number: str) -> list[Passage]:
        tables = list(self.tables())
        if not 0 < int(number) <= len(tables):
            raise Missing(f"no table {number}: {self.label} has {counted(len(tables), 'table')}")
        rows = tables[int(number) - 1].rows
        return [_whole(paragraph) for paragraph in self.every_paragraph() if rows.holds(paragraph)]

    def _found(self, which: str | None, text: str) -> list[Passage]:
        return [self.only(text, int(which or 0))]

    def _matched(self, pattern: str) -> list[Passage]:
        return list(self.search("", pattern))


def _whole(paragraph: Paragraph) -> Passage:
    return Passage(paragraph, 0, len(paragraph.text))


_QUOTED = r'["\u201c\u201d]([^"\u201c\u201d]+)["\u201c\u201d]'
_PICKS = (
    (lazy_pattern(rf"paragraph\s+(\d+)\s+{_QUOTED}", re.IGNORECASE), LookedThrough._within),
    (lazy_pattern(r"paragraphs?\s+(\d+)(?:\s*[-\u2013]\s*(\d+))?", re.IGNORECASE), LookedThrough._numbered),
    (lazy_pattern(rf"heading\s+{_QUOTED}", re.IGNORECASE), LookedThrough._headed),
    (lazy_pattern(rf"bookmark\s+(?:{_QUOTED}|(\w+))", re.IGNORECASE), LookedThrough._bookmarked),
    (lazy_pattern(r"table\s+(\d+)", re.IGNORECASE), LookedThrough._tabled),
    (lazy_pattern(rf"from\s+{_QUOTED}\s+to\s+{_QUOTED}", re.IGNORECASE), LookedThrough._between),
    (lazy_pattern(rf"matching\s+{_QUOTED}", re.IGNORECASE), LookedThrough._matched),
    (lazy_pattern(rf"(?:(\d+)\s+)?{_QUOTED}"), LookedThrough._found),
)
