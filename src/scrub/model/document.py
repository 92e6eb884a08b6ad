"""Documents: files of paragraphs. Written once, over the paragraphs that each format offers."""

from __future__ import annotations

import re
import weakref
from collections.abc import Iterator, Sequence
from datetime import datetime

from scrub.model.cell import Cell
from scrub.model.comments import Comment
from scrub.model.declare import FileItem, Item, Reach, action, field, finds, holds, may_lack, selects
from scrub.model.files import WholeFile
from scrub.model.lines import Column, Row
from scrub.model.lines_of_text import HoldsLines
from scrub.model.operations.texts import loose
from scrub.model.outline import Contents, Outline
from scrub.model.patterns import found_in, pattern_of
from scrub.model.problem import Failure, Missing, counted, did_you_mean
from scrub.model.records import Record, Table
from scrub.model.text import Edit, Editing, HoldsTexts, Moved, parted, shrunk
from scrub.model.values import Choice, fold, loosen, shown


class PlaceInDocument(Choice):
    """Where a paragraph stands."""

    BODY = "body"
    TABLE = "table"
    TEXT_BOX = "text-box"
    HEADER = "header"
    FOOTER = "footer"
    FOOTNOTE = "footnote"
    ENDNOTE = "endnote"


class Paragraph(HoldsLines):
    """A paragraph of a document."""

    kind_word = "paragraph"

    _passages: weakref.WeakSet[Passage] | None = None

    # -- what each format offers

    @property
    @field
    def text(self) -> str:
        """What it says. A tab and a break are characters of it.

        Example: if KIND.text is empty
        Also: content, words, wording
        """
        raise NotImplementedError

    @text.setter
    def text(self, value: str) -> None:
        self.edit([(0, len(self.text), value)])

    @property
    @field
    def number(self) -> int:
        """Its place among the paragraphs, from 1, as it was when the file was opened.

        Example: if KIND.number is 1
        Also: position, index
        """
        raise NotImplementedError

    @property
    @field
    def style(self) -> str:
        """The name of its style.

        Example: KIND.style = "Heading 2"
        Also: paragraph style, format
        """
        return ""

    @style.setter
    @may_lack
    def style(self, value: str) -> None:
        raise NotImplementedError

    @property
    @field
    def level(self) -> int | None:
        """The level of a heading, from 1; nothing for another paragraph. Set, it gets the style of such headings.

        Example: KIND.level = 2
        Also: heading level, outline level, promote, demote
        """
        return None

    @level.setter
    @may_lack
    def level(self, value: int | None) -> None:
        raise NotImplementedError

    @property
    @field
    def place(self) -> PlaceInDocument:
        """Where it stands: in the body, a table, a header, a footnote.

        Example: if KIND.place is body
        Also: header, footer, footnote, table
        """
        return PlaceInDocument.BODY

    @action(Reach.CHANGE)
    def delete(self) -> None:
        """Takes the paragraph out.

        Example: delete
        Also: remove, empty paragraph, blank line
        """
        raise NotImplementedError

    @action(Reach.CHANGE)
    def add_before(self, text: str) -> None:
        """Puts a paragraph of the same style in front of it.

        text: what it says.
        Example: add-before "To all guests"
        Also: insert paragraph, new paragraph, above
        """
        raise NotImplementedError

    @action(Reach.CHANGE)
    def add_behind(self, text: str) -> None:
        """Puts a paragraph of the same style behind it.

        text: what it says.
        Example: add-behind "The wardens"
        Also: insert paragraph, new paragraph, below
        """
        raise NotImplementedError

    def ensure_editable(self, edits: Sequence[Edit]) -> None:
        """Raises `Failure` for edits that cannot be made without harm."""

    def change_text(self, edits: Sequence[Edit]) -> None:
        """Makes edits that can be made, and notes the change."""
        raise NotImplementedError

    # -- what follows from that

    def edit(self, edits: Sequence[Edit]) -> None:
        """Edits its text; passages in it move along. Raises `Failure` where that would do harm."""
        fine = shrunk(self.text, edits)
        if not fine:
            return
        self.ensure_editable(fine)
        before = [(each, each.start, each.end) for each in self._passages or ()]
        self.change_text(edits)
        for passage, start, end in before:
            passage.start, passage.end = _shifted(fine, start, True), _shifted(fine, end, False)

    def edit_texts(self, editing: Editing, between: str = "") -> None:
        """Edits it; what cannot be edited is left, and the record names it."""
        self.edit_range(0, len(self.text), parted(editing, between))

    def edit_range(self, start: int, end: int, editing: Editing) -> None:
        """Edits a piece of it."""
        edits = [
            (start + first, start + last, _moved(fresh, start)) for first, last, fresh in editing(self.text[start:end])
        ]
        fine: list[Edit] = []
        for each in shrunk(self.text, edits):
            try:
                self.ensure_editable([each])
                fine.append(each)
            except Failure as failure:
                self.file.recorder.remarks.append(f"left {failure.what}")
        if len(fine) == len(edits) or not any(isinstance(fresh, Moved) for _, _, fresh in edits):
            self.edit(fine)  # words that change places do so together, or not at all

    def tracks(self, passage: Passage) -> None:
        """Keeps a passage in step with later edits."""
        if self._passages is None:
            self._passages = weakref.WeakSet()
        self._passages.add(passage)

    def lines(self) -> Sequence[Sequence[Paragraph]]:
        """Itself."""
        return ((self,),)


def _moved(fresh: str, by: int) -> str:
    return Moved(fresh, fresh.start + by) if isinstance(fresh, Moved) else fresh


def _shifted(edits: Sequence[Edit], place: int, is_start: bool) -> int:
    """Where a place of a text is after edits."""
    by = 0
    for start, end, fresh in edits:
        if end < place or (end == place and not (is_start and start == end)):
            by += len(fresh) - (end - start)
        elif start < place:
            return start + by + (0 if is_start else len(fresh))
    return place + by


class Heading(Paragraph):
    """A paragraph that is a heading."""

    kind_word = "heading"

    @holds
    def paragraphs_below(self) -> Iterator[Paragraph]:
        """The paragraphs below it, up to the next heading of its level or a higher one."""
        raise NotImplementedError


class Passage(HoldsTexts):
    """A piece of a paragraph."""

    kind_word = "passage"

    def __init__(self, paragraph: Paragraph, start: int, end: int) -> None:
        self.paragraph, self.start, self.end = paragraph, start, end
        paragraph.tracks(self)

    @property
    def file(self) -> FileItem:
        """The document."""
        return self.paragraph.file

    @property
    def label(self) -> str:
        """The paragraph it stands in."""
        return self.paragraph.label

    @property
    def removed(self) -> bool:
        """Whether its paragraph went."""
        return self.paragraph.removed

    @property
    def picked_whole(self) -> bool:
        """Whether it is less than its paragraph."""
        return (self.start, self.end) != (0, len(self.paragraph.text))

    @property
    @field
    def text(self) -> str:
        """What it says.

        Example: log passage.text
        Also: content, words
        """
        return self.paragraph.text[self.start : self.end]

    @text.setter
    def text(self, value: str) -> None:
        self.paragraph.edit([(self.start, self.end, value)])

    @action(Reach.CHANGE)
    def delete(self) -> None:
        """Takes its words out.

        Example: delete
        Also: remove, cut
        """
        self.text = ""

    def edit_texts(self, editing: Editing, between: str = "") -> None:
        """Edits its words and no others."""
        self.paragraph.edit_range(self.start, self.end, parted(editing, between))


class Passages(HoldsLines):
    """Several pieces of a document: what was picked, or what was looked for."""

    kind_word = "passages"
    called = "a number of passages"

    def __init__(self, document: Document, every: Sequence[Passage], picked: bool = False) -> None:
        self._document, self._every, self._picked = document, list(every), picked

    @property
    def file(self) -> FileItem:
        """The document."""
        return self._document.file

    @property
    def label(self) -> str:
        """Where they are."""
        return self._document.label

    @property
    def picked_whole(self) -> bool:
        """Whether each is less than its paragraph."""
        return bool(self._every) and all(each.picked_whole for each in self._every)

    @property
    @field
    def picked(self) -> bool:
        """yes when a place was picked with `--at`.

        Example: if not selection.picked
        Also: selected, chosen
        """
        return self._picked

    @holds
    def passages(self) -> Iterator[Passage]:
        """The pieces, in the order of the document."""
        return iter(self._every)

    @holds
    def paragraphs(self) -> Iterator[Paragraph]:
        """The paragraphs they stand in."""
        return iter(list(dict.fromkeys(each.paragraph for each in self._every)))

    def edit_texts(self, editing: Editing, between: str = "") -> None:
        """Edits each of them."""
        for each in self._every:
            each.edit_texts(editing, between)

    def lines(self) -> Sequence[Sequence[Paragraph]]:
        """The paragraphs they stand in, as they follow each other."""
        chosen = set(map(id, self.paragraphs()))
        return [[each for each in group if id(each) in chosen] for group in self._document.groups()]


class ChangeSort(Choice):
    """What a recorded change did."""

    INSERTION = "insertion"
    DELETION = "deletion"
    MOVE = "move"
    FORMAT = "format"


class RecordedChange(Item):
    """A change that was recorded, and waits to be accepted or refused."""

    kind_word = "change"

    @property
    @field
    def text(self) -> str:
        """The words that it is about; of a change of looks nothing.

        Example: log change.text
        Also: content, words
        """
        raise NotImplementedError

    @property
    @field
    def author(self) -> str:
        """Who made it.

        Example: if change.author is "Ann Moss"
        Also: name, writer, reviewer
        """
        raise NotImplementedError

    @property
    @field
    def date(self) -> datetime | None:
        """When it was made; nothing where the file does not say.

        Example: if change.date < now - 30 days
        Also: age, when, old
        """
        raise NotImplementedError

    @property
    @field
    def sort(self) -> ChangeSort:
        """What it did.

        Example: if change.sort is deletion
        Also: type, kind
        """
        raise NotImplementedError


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
    def headings(self) -> Iterator[Heading]:
        """Its headings."""
        return (each for each in self.every_paragraph() if isinstance(each, Heading) and each.level is not None)

    @holds
    def tables(self) -> Iterator[Table]:
        """Its tables. Their first row has the headings; what stands under them are records."""
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
        headings. A mark without a heading is a failure before anything is filled in.

        record: what it is filled in from.
        Example: fill-in record
        Also: mail merge, letter, placeholder, template, form letter, serial letter
        """
        filled: list[tuple[Paragraph, list[Edit]]] = []
        rows = record.table.rows
        for paragraph in self.every_paragraph():
            edits = []
            for found in _MARK.finditer(paragraph.text):
                if not rows.has(found[1]):
                    names = list(rows.headings.values())
                    raise Failure(
                        f"{paragraph.label} has the mark {found[0]}, and {rows.label} has no such heading."
                        f"{did_you_mean(found[1], names)} There are: {', '.join(names[:12])}"
                    )
                edits.append((found.start(), found.end(), shown(record.read(rows.key(found[1])))))
            if edits:
                filled.append((paragraph, edits))
        if not filled:
            raise Failure(f"{self.label} has no mark to fill in. A mark is a heading in brackets: [Guest]")
        for paragraph, edits in filled:
            paragraph.edit(edits)

    def edit_texts(self, editing: Editing, between: str = "") -> None:
        """Edits the text of each paragraph."""
        for each in self.every_paragraph():
            each.edit_texts(editing, between)

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
        "bread"`, `2 "bread"` for the second, `from "Dear" to "hut."`, `matching "…"`; several are parted by commas.
        """
        if place is None:
            return Passages(self, [_whole(each) for each in self.every_paragraph()])
        found: list[Passage] = []
        rest = place.strip()
        while rest:
            for form, method in _PICKS:
                match = form.match(rest)
                if match is not None:
                    found += getattr(self, method)(*match.groups())
                    rest = rest[match.end() :].lstrip().removeprefix(",").lstrip()
                    break
            else:
                raise Failure(
                    f'"{rest}" is no place in a document. Write: paragraph 12, paragraphs 3-5, heading "Water", '
                    '"bread and water", from "Dear" to "hut.", or matching "…"'
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
        tables = [
            (each.label, Outline(f'each record in table("{each.label}")', each.sample())) for each in self.tables()
        ]
        names = {"heading": [each.text for each in headings], "table": [name for name, _ in tables]}
        return Contents("heading", rows, tables, hint, names)


def _whole(paragraph: Paragraph) -> Passage:
    return Passage(paragraph, 0, len(paragraph.text))


_QUOTED = r'["\u201c\u201d]([^"\u201c\u201d]+)["\u201c\u201d]'
_PICKS = (
    (re.compile(rf"paragraph\s+(\d+)\s+{_QUOTED}", re.IGNORECASE), "_within"),
    (re.compile(r"paragraphs?\s+(\d+)(?:\s*[-\u2013]\s*(\d+))?", re.IGNORECASE), "_numbered"),
    (re.compile(rf"heading\s+{_QUOTED}", re.IGNORECASE), "_headed"),
    (re.compile(rf"from\s+{_QUOTED}\s+to\s+{_QUOTED}", re.IGNORECASE), "_between"),
    (re.compile(rf"matching\s+{_QUOTED}", re.IGNORECASE), "_matched"),
    (re.compile(rf"(?:(\d+)\s+)?{_QUOTED}"), "_found"),
)

#: A mark that is filled in.
_MARK = re.compile(r"\[([^\[\]\n]{1,60})\]")

#: The kinds in documents.
KINDS = (Document, Paragraph, Heading, Passage, Passages, RecordedChange, Comment, Table, Record, Cell, Row, Column)
