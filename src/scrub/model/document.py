"""Documents: files of paragraphs. Written once, over the paragraphs that each format offers."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator
from itertools import islice

from scrub.model.cells.cell import Cell
from scrub.model.cells.lines import Column, Row
from scrub.model.cells.records import Record, Table
from scrub.model.comments import Comment
from scrub.model.core.declare import Reach, action, field, holds, may_lack
from scrub.model.core.lazy_pattern import lazy_pattern
from scrub.model.core.outline import Contents, Outline
from scrub.model.core.problem import Failure, counted, did_you_mean, listed
from scrub.model.core.required import required
from scrub.model.core.text import Editing, OfMany, parted
from scrub.model.core.values import shown
from scrub.model.finding import LookedThrough
from scrub.model.texts.described import Described
from scrub.model.texts.inline import Bookmark, Field, Link, Picture, Section
from scrub.model.texts.paragraphs import Filling, Heading, Hole, Paragraph, Passage, Passages
from scrub.model.texts.recorded import RecordedChange

#: Paragraphs that are looked at together.
_TOGETHER = 2_000


class Document(LookedThrough, Described):
    """A document: a file of paragraphs."""

    kind_word = "document"
    part_word = "paragraph"

    # -- what each format offers

    @property
    @field
    def protected(self) -> bool:
        """Whether the document is protected: only tracked changes, or none, are allowed.

        Example: if document.protected
        Also: locked, read-only, restrict editing
        """
        return False

    @property
    @field
    def tracks_changes(self) -> bool:
        """Whether changes are tracked, for a reviewer to accept or reject. A macro can switch this on and off.

        Example: document.tracks-changes = yes
        Also: track changes, redline, revisions, suggest, review, propose
        """
        return False

    @tracks_changes.setter
    @may_lack
    def tracks_changes(self, value: bool) -> None:
        raise NotImplementedError

    @action(Reach.CHANGE)
    @required
    def add_paragraph(self, text: str) -> None:
        """Adds a paragraph at the end of the body.

        text: the text.
        Example: add-paragraph "Printed {today}."
        Also: append, insert, new paragraph
        """
        raise NotImplementedError

    # -- what follows from that

    @holds
    def links(self) -> Iterator[Link]:
        """Its links."""
        return iter(())

    @holds
    def fields(self) -> Iterator[Field]:
        """Its fields."""
        return iter(())

    @holds
    def pictures(self) -> Iterator[Picture]:
        """Its pictures."""
        return iter(())

    @holds
    def sections(self) -> Iterator[Section]:
        """Its sections, each with its own paper."""
        return iter(())

    @holds
    def changes_waiting(self) -> Iterator[RecordedChange]:
        """The tracked changes that wait."""
        return iter(())

    @holds
    def comments(self) -> Iterator[Comment]:
        """Its comments."""
        return iter(())

    @action(Reach.CHANGE)
    @may_lack
    def accept_changes(self) -> None:
        """Accepts all tracked changes, whoever made them.

        Example: accept-changes
        Also: track changes, revisions, approve, review
        """
        raise NotImplementedError

    @action(Reach.CHANGE)
    @may_lack
    def reject_changes(self) -> None:
        """Rejects all tracked changes. Use it before all other edits of the document.

        Example: reject-changes
        Also: track changes, revisions, refuse, undo, review
        """
        raise NotImplementedError

    @action(Reach.CHANGE)
    @may_lack
    def remove_names(self) -> None:
        """Removes the names of authors, editors and commenters from properties, tracked changes and comments.

        Example: remove-names
        Also: author, metadata, personal information, anonymous, company, inspect document
        """
        raise NotImplementedError

    @action(Reach.CHANGE)
    def fill_in(self, record: Record) -> None:
        """Fills in placeholders from a record: words in brackets such as [Guest nights] by heading, content controls
        by tag, merge fields by name. A placeholder without a heading is an error before anything is filled in.

        record: the record with the values.
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
                    holes.append(Hole(mark[1], *mark.span(), f"the placeholder {mark[0]}"))
            fillings = []
            for hole in sorted(holes, key=lambda each: each.start):
                if not rows.has(hole.name):
                    names = list(rows.headings.values())
                    raise Failure(
                        f"{paragraph.label} has {hole.called}, but {rows.label} has no such "
                        f"heading.{did_you_mean(hole.name, names)} There are: {', '.join(names[:12])}"
                    )
                if hole.refused:
                    raise Failure(f"{paragraph.label}: {hole.called} {hole.refused}")
                fillings.append((hole, shown(record.read(rows.key(hole.name)))))
            if fillings:
                filled.append((paragraph, fillings))
        if not filled:
            raise Failure(
                f"{self.label} has no placeholder to fill in. A placeholder is a heading in brackets, such as [Guest], "
                "or a content control or merge field with that name"
            )
        for paragraph, fillings in filled:
            paragraph.fill(fillings)

    def edit_texts(self, editing: Editing, between: str = "") -> None:
        """Edits the text of each paragraph."""
        whole = parted(editing, between)
        paragraphs = iter(self.every_paragraph())
        if not isinstance(whole, OfMany):
            for paragraph in paragraphs:
                paragraph.edit_texts(whole)
            return
        while some := list(islice(paragraphs, _TOGETHER)):
            texts = [paragraph.text for paragraph in some]
            for paragraph, text, edits in zip(some, texts, whole.many(texts), strict=True):
                if paragraph.text != text:  # one that is there twice changed with the other
                    paragraph.edit_texts(whole)
                elif edits:
                    paragraph.edit_wanted(text, 0, edits)

    def contents(self) -> Contents:
        """Its headings and the styles in use."""
        every = self.every_paragraph()
        headings = list(self.headings())
        rows = [
            {
                "paragraph": heading.number,
                "level": heading.level,
                "text": f"{'  ' * ((heading.level or 1) - 1)}{heading.text[:80]}",
            }
            for heading in headings
        ]
        shortest = min((heading.text.strip() for heading in headings if heading.text.strip()), key=len, default="")
        one = f'heading("{shortest}")' if shortest and len(shortest) <= 20 else "paragraph(1)"
        hint = f"List the paragraphs: --texts. In a macro: each paragraph, {one}"
        styles = Counter(paragraph.style for paragraph in every if paragraph.style)
        if len(styles) > 1:
            hint = f"Styles: {', '.join(f'{name} ({times:,})' for name, times in styles.most_common(8))}\n{hint}"
        others = (
            ("link", self.links()), ("field", self.fields()), ("picture", self.pictures()),
            ("bookmark", self.bookmarks()), ("comment", self.comments()), ("change", self.changes_waiting()),
        )  # fmt: skip
        there = [(word, count) for word, items in others if (count := sum(1 for _ in items))]
        if there:
            said = [counted(count, "tracked change" if word == "change" else word) for word, count in there]
            hint += (
                f"\nIt contains {listed(said, 'and')}. In a macro: {', '.join((f'each {word}' for word, _ in there))}"
            )
        tables = [
            (table.label, Outline(f'each record in table("{table.label}")', table.sample())) for table in self.tables()
        ]
        names = {"heading": [heading.text for heading in headings], "table": [name for name, _ in tables]}
        summary = f"{counted(len(every), 'paragraph')}, {counted(len(headings), 'heading')}"
        return Contents("heading", rows, tables, hint, names, summary)


#: A mark that is filled in.
_MARK = lazy_pattern(r"\[([^\[\]\n]{1,60})\]")

#: The kinds in documents.
KINDS = (
    Document, Paragraph, Heading, Passage, Passages, Link, Field, Picture, Bookmark, Section, RecordedChange, Comment,
    Table, Record, Cell, Row, Column,
)  # fmt: skip
