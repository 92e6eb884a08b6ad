"""Documents: files of paragraphs. Written once, over the paragraphs that each format offers."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Iterator, Sequence

from scrub.model.cell import Cell
from scrub.model.comments import Comment
from scrub.model.declare import Reach, action, field, finds, holds, may_lack, selects
from scrub.model.files import WholeFile
from scrub.model.inline import Bookmark, Link, Picture, Section
from scrub.model.late import late
from scrub.model.lines import Column, Row
from scrub.model.lines_of_text import HoldsLines
from scrub.model.operations.texts import loose
from scrub.model.outline import Contents, Outline
from scrub.model.paragraphs import Filling, Heading, Hole, Paragraph, Passage, Passages
from scrub.model.patterns import found_in, pattern_of
from scrub.model.problem import Failure, Missing, counted, did_you_mean, listed
from scrub.model.recorded import RecordedChange
from scrub.model.records import Record, Table
from scrub.model.text import Editing, parted
from scrub.model.values import fold, loosen, shown


class Document(WholeFile, HoldsLines):
    """A document: a file of paragraphs."""

    kind_word = "document"
    part_word = "paragraph"

    # -- what each format offers

    def every_paragraph(self) -> Sequence[Paragraph]:
        """Its paragraphs in the order of the document: those of the body first."""
        raise NotImplementedError

    def groups(self) -> Sequence[Sequence[Paragraph]]:
        """Its paragraphs, those together that stand together: a body, a cell, a header."""
        return (self.every_paragraph(),)

    def lines(self) -> Sequence[Sequence[Paragraph]]:
        """All of them."""
        return self.groups()

    @property
    @field
    def title(self) -> str | None:
        """The title in its properties; nothing for none.

        Example: document.title = "House rules"
        Also: properties, metadata
        """
        return None

    @title.setter
    @may_lack
    def title(self, value: str | None) -> None:
        raise NotImplementedError

    @property
    @field
    def author(self) -> str | None:
        """Who wrote it, as its properties say; nothing for nobody.

        Example: document.author = nothing
        Also: creator, writer, properties, metadata
        """
        return None

    @author.setter
    @may_lack
    def author(self, value: str | None) -> None:
        raise NotImplementedError

    @property
    @field
    def tracks_changes(self) -> bool:
        """yes while every edit is recorded, so that a reviewer can accept or refuse it. A macro can turn it on and off.

        Example: document.tracks-changes = yes
        Also: track changes, redline, revisions, suggest, review, propose
        """
        return False

    @tracks_changes.setter
    @may_lack
    def tracks_changes(self, value: bool) -> None:
        raise NotImplementedError

    @action(Reach.CHANGE)
    def add_paragraph(self, text: str) -> None:
        """Adds a paragraph at the end of the body.

        text: what it says.
        Example: add-paragraph "Printed {today}."
        Also: append, insert, new paragraph
        """
        raise NotImplementedError

    # -- what follows from that

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
        return (each for each in self.every_paragraph() if isinstance(each, Heading) and each.level is not None)

    @holds
    def tables(self) -> Iterator[Table]:
        """Its tables. Their first row has the headings; what stands under them are records."""
        return iter(())

    @holds
    def links(self) -> Iterator[Link]:
        """Its links."""
        return iter(())

    @holds
    def pictures(self) -> Iterator[Picture]:
        """Its pictures."""
        return iter(())

    @holds
    def bookmarks(self) -> Iterator[Bookmark]:
        """Its bookmarks."""
        return iter(())

    @holds
    def sections(self) -> Iterator[Section]:
        """Its sections, each with its own paper."""
        return iter(())

    @holds
    def changes_waiting(self) -> Iterator[RecordedChange]:
        """The recorded changes that wait."""
        return iter(())

    @holds
    def comments(self) -> Iterator[Comment]:
        """Its comments."""
        return iter(())

    @action(Reach.CHANGE)
    @may_lack
    def accept_changes(self) -> None:
        """Makes every recorded change real, whoever made it.

        Example: accept-changes
        Also: track changes, revisions, approve, review
        """
        raise NotImplementedError

    @action(Reach.CHANGE)
    @may_lack
    def reject_changes(self) -> None:
        """Takes every recorded change back. It stands above all other edits of the document.

        Example: reject-changes
        Also: track changes, revisions, refuse, undo, review
        """
        raise NotImplementedError

    @action(Reach.CHANGE)
    @may_lack
    def remove_names(self) -> None:
        """Takes out who wrote, changed and commented the document: in its properties, at changes and at comments.

        Example: remove-names
        Also: author, metadata, personal information, anonymous, company, inspect document
        """
        raise NotImplementedError

    @action(Reach.CHANGE)
    def fill_in(self, record: Record) -> None:
        """Puts what stands in a record in the place of each mark such as [Guest nights], whose words are one of its
        headings; of each content control, by its tag; and of each merge field, by its name. One without a heading is a
        failure before anything is filled in.

        record: what it is filled in from.
        Example: fill-in record
        Also: mail merge, letter, placeholder, template, form letter, serial letter, content control, merge field
        """
        filled: list[tuple[Paragraph, list[Filling]]] = []
        rows = record.table.rows
        for paragraph in self.every_paragraph():
            holes = list(paragraph.holes())
            inside = [(each.start, each.end) for each in holes]
            for mark in _MARK.finditer(paragraph.text):
                if not any(start <= mark.start() < end for start, end in inside):
                    holes.append(Hole(mark[1], *mark.span(), f"the mark {mark[0]}"))
            fillings = []
            for hole in sorted(holes, key=lambda each: each.start):
                if not rows.has(hole.name):
                    names = list(rows.headings.values())
                    raise Failure(
                        f"{paragraph.label} has {hole.called}, and {rows.label} has no such heading."
                        f"{did_you_mean(hole.name, names)} There are: {', '.join(names[:12])}"
                    )
                if hole.refused:
                    raise Failure(f"{paragraph.label}: {hole.called} {hole.refused}")
                fillings.append((hole, shown(record.read(rows.key(hole.name)))))
            if fillings:
                filled.append((paragraph, fillings))
        if not filled:
            raise Failure(
                f"{self.label} has no mark to fill in. A mark is a heading in brackets, [Guest], or a content control "
                "or merge field that is called so"
            )
        for paragraph, fillings in filled:
            paragraph.fill(fillings)

    def edit_texts(self, editing: Editing, between: str = "") -> None:
        """Edits the text of each paragraph."""
        whole = parted(editing, between)
        for each in self.every_paragraph():
            each.edit_texts(whole)

    @finds
    def find_paragraph(self, number: int) -> Paragraph:
        """A paragraph by its number: `paragraph(12)`."""
        every = self.every_paragraph()
        found = next((each for each in every if each.number == number), None)
        if found is None:
            raise Missing(f"there is no paragraph {number}; {self.label} has {len(every):,}")
        return found

    @finds
    def find_heading(self, text: str) -> Heading:
        """A heading by its words: `heading("Water")`."""
        every = list(self.headings())
        found = [each for each in every if fold(each.text.strip()) == fold(text.strip())]
        if not found:
            names = [each.text for each in every]
            there = f" There are: {', '.join(names[:8])}" if names else " There are none"
            raise Missing(f'there is no heading "{text}".{did_you_mean(text, names)}{there}')
        return found[0]

    @finds
    def find_passage(self, text: str) -> Passage:
        """The one passage with these words: `passage("6 kg")`. Words that stand several times are refused."""
        return self._only(text)

    @finds
    def find_passages(self, text: str = "", matching: str = "") -> Passages:
        """Every passage with these words, or every one that a pattern finds: `passages(matching: "\\d+ kg")`."""
        if not text and not matching:
            raise Failure('write what to look for: passages("6 kg")')
        return Passages(self, list(self._search(text, matching)))

    def _search(self, text: str, matching: str = "", among: Sequence[Paragraph] | None = None) -> Iterator[Passage]:
        pattern = pattern_of(matching) if matching else None
        words = loose(text)
        for paragraph in self.every_paragraph() if among is None else among:
            every = words.finditer(paragraph.text) if pattern is None else found_in(pattern, loosen(paragraph.text))
            for found in list(every):
                yield Passage(paragraph, *found.span())

    def _only(self, text: str, which: int = 0) -> Passage:
        found = list(self._search(text))
        if which and 0 < which <= len(found):
            return found[which - 1]
        if len(found) == 1 and not which:
            return found[0]
        if not found:
            raise Missing(f'the words "{text}" stand nowhere in {self.label}')
        places = ", ".join(dict.fromkeys(each.label for each in found[:6]))
        times = "once" if len(found) == 1 else f"{len(found)} times"
        raise Failure(
            f'the words "{text}" stand {times}: {places}. Say which: {found[-1].paragraph.label} "{text}", '
            f'or {len(found)} "{text}"'
        )

    @selects
    def picked(self, place: str | None = None) -> Passages:
        """What a person picked: `paragraph 12`, `paragraphs 3-5`, `heading "Water"`, `"bread and water"`, `paragraph 4
        "bread"`, `2 "bread"` for the second, `from "Dear" to "hut."`, `bookmark notice`, `table 2`, `matching "…"`;
        several are parted by commas.
        """
        if place is None:
            return Passages(self, [_whole(each) for each in self.every_paragraph()])
        found: list[Passage] = []
        rest = place.strip()
        while rest:
            for form, method in _PICKS:
                match = form.match(rest)
                if match is not None:
                    found += method(self, *match.groups())
                    rest = rest[match.end() :].lstrip().removeprefix(",").lstrip()
                    break
            else:
                raise Failure(
                    f'"{rest}" is no place in a document. Write: paragraph 12, paragraphs 3-5, heading "Water", '
                    '"bread and water", from "Dear" to "hut.", bookmark notice, table 2, or matching "…"'
                )
        return Passages(self, found, True)

    def _numbered(self, first: str, last: str | None) -> list[Passage]:
        return [_whole(self.find_paragraph(number)) for number in range(int(first), int(last or first) + 1)]

    def _within(self, number: str, text: str) -> list[Passage]:
        paragraph = self.find_paragraph(int(number))
        found = list(self._search(text, among=[paragraph]))
        if not found:
            raise Missing(f'the words "{text}" do not stand in {paragraph.label}')
        return found

    def _headed(self, text: str) -> list[Passage]:
        heading = self.find_heading(text)
        return [_whole(heading), *map(_whole, heading.paragraphs_below())]

    def _between(self, first: str, last: str) -> list[Passage]:
        start = self._only(first)
        every = self.every_paragraph()
        at = next(place for place, each in enumerate(every) if each is start.paragraph)
        for end in self._search(last):
            until = next(place for place, each in enumerate(every) if each is end.paragraph)
            if (until, end.start) >= (at, start.end):
                whole = [_whole(each) for each in every[at : until + 1]]
                whole[0].start = start.start
                whole[-1].end = end.end
                return whole
        raise Missing(f'the words "{last}" do not stand behind "{first}" in {self.label}')

    def _bookmarked(self, quoted: str | None, name: str | None) -> list[Passage]:
        wanted = quoted or name or ""
        every = list(self.bookmarks())
        found = next((each for each in every if fold(each.name) == fold(wanted)), None)
        if found is None:
            names = [each.name for each in every]
            there = f" There are: {', '.join(names[:8])}" if names else " There are none"
            raise Missing(f'there is no bookmark "{wanted}".{did_you_mean(wanted, names)}{there}')
        return [Passage(*each) for each in found.covers()]

    def _tabled(self, number: str) -> list[Passage]:
        tables = list(self.tables())
        if not 0 < int(number) <= len(tables):
            raise Missing(f"there is no table {number}; {self.label} has {counted(len(tables), 'table')}")
        rows = tables[int(number) - 1].rows
        return [_whole(each) for each in self.every_paragraph() if rows.holds(each)]

    def _found(self, which: str | None, text: str) -> list[Passage]:
        return [self._only(text, int(which or 0))]

    def _matched(self, pattern: str) -> list[Passage]:
        return list(self._search("", pattern))

    def contents(self) -> Contents:
        """Its headings and the styles in use."""
        every = self.every_paragraph()
        headings = list(self.headings())
        rows = [
            {"paragraph": each.number, "level": each.level, "text": f"{'  ' * ((each.level or 1) - 1)}{each.text[:80]}"}
            for each in headings
        ]
        shortest = min((each.text.strip() for each in headings if each.text.strip()), key=len, default="")
        one = f'heading("{shortest}")' if shortest and len(shortest) <= 20 else "paragraph(1)"
        hint = f"{counted(len(every), 'paragraph')}; read them: --texts. A macro says: each paragraph, {one}"
        styles = Counter(each.style for each in every if each.style)
        if len(styles) > 1:
            hint = f"Styles: {', '.join(f'{name} ({times:,})' for name, times in styles.most_common(8))}\n{hint}"
        others = (
            ("link", self.links()), ("picture", self.pictures()), ("bookmark", self.bookmarks()),
            ("comment", self.comments()), ("change", self.changes_waiting()),
        )  # fmt: skip
        there = [(word, count) for word, items in others if (count := sum(1 for _ in items))]
        if there:
            said = [counted(count, "recorded change" if word == "change" else word) for word, count in there]
            hint += f"\nIt has {listed(said, 'and')}. A macro says: {', '.join(f'each {word}' for word, _ in there)}"
        tables = [
            (each.label, Outline(f'each record in table("{each.label}")', each.sample())) for each in self.tables()
        ]
        names = {"heading": [each.text for each in headings], "table": [name for name, _ in tables]}
        return Contents("heading", rows, tables, hint, names)


def _whole(paragraph: Paragraph) -> Passage:
    return Passage(paragraph, 0, len(paragraph.text))


_QUOTED = r'["\u201c\u201d]([^"\u201c\u201d]+)["\u201c\u201d]'
_PICKS = (
    (late(rf"paragraph\s+(\d+)\s+{_QUOTED}", re.IGNORECASE), Document._within),
    (late(r"paragraphs?\s+(\d+)(?:\s*[-\u2013]\s*(\d+))?", re.IGNORECASE), Document._numbered),
    (late(rf"heading\s+{_QUOTED}", re.IGNORECASE), Document._headed),
    (late(rf"bookmark\s+(?:{_QUOTED}|(\w+))", re.IGNORECASE), Document._bookmarked),
    (late(r"table\s+(\d+)", re.IGNORECASE), Document._tabled),
    (late(rf"from\s+{_QUOTED}\s+to\s+{_QUOTED}", re.IGNORECASE), Document._between),
    (late(rf"matching\s+{_QUOTED}", re.IGNORECASE), Document._matched),
    (late(rf"(?:(\d+)\s+)?{_QUOTED}"), Document._found),
)

#: A mark that is filled in.
_MARK = late(r"\[([^\[\]\n]{1,60})\]")

#: The kinds in documents.
KINDS = (
    Document, Paragraph, Heading, Passage, Passages, Link, Picture, Bookmark, Section, RecordedChange, Comment, Table,
    Record, Cell, Row, Column,
)  # fmt: skip
