"""A toy: a text file as a document of paragraphs and words, one paragraph a line."""

from __future__ import annotations

from collections.abc import Iterator

from scrub.formats.file import PickedFile
from scrub.formats.source import Source, opened
from scrub.model.declare import Reach, action, field, holds, selects
from scrub.model.files import WholeFile
from scrub.model.text import Editing, HoldsTexts, Stretches, parted
from scrub.store.patch import Patch, Piece


class Word(HoldsTexts):
    """A word of a paragraph."""

    kind_word = "word"

    def __init__(self, paragraph: Paragraph, start: int, end: int) -> None:
        self.paragraph, self.start, self.end = paragraph, start, end

    @property
    def file(self) -> Document:
        return self.paragraph.file

    @property
    @field
    def text(self) -> str:
        """Its letters."""
        return str(self.paragraph.stretches)[self.start : self.end]

    def edit_texts(self, editing: Editing, between: str = "") -> None:
        edits = [(self.start + start, self.start + end, fresh) for start, end, fresh in editing(self.text)]
        self.paragraph.edit(edits)


class Paragraph(HoldsTexts):
    """A line of the file."""

    kind_word = "paragraph"

    def __init__(self, document: Document, number: int, text: str) -> None:
        self.document, self._number, self.stretches = document, number, Stretches(text)

    @property
    def file(self) -> Document:
        return self.document

    @property
    def label(self) -> str:
        return f"paragraph {self._number}"

    @property
    @field
    def text(self) -> str:
        """What it says."""
        return str(self.stretches)

    @text.setter
    def text(self, value: str) -> None:
        self.edit([(0, len(self.text), value)])

    @action(Reach.CHANGE)
    def shout(self) -> None:
        """Ends it with an exclamation mark."""
        self.text = f"{self.text}!"

    @holds
    def words(self) -> Iterator[Word]:
        """Its words."""
        at = 0
        for piece in self.text.split(" "):
            yield Word(self, at, at + len(piece))
            at += len(piece) + 1

    def edit_texts(self, editing: Editing, between: str = "") -> None:
        self.edit(parted(editing, between)(self.text))

    def edit(self, edits: object) -> None:
        before = self.stretches
        self.stretches = before.edited(edits)  # type: ignore[arg-type]
        if str(before) != self.text:
            self.changed("text", str(before), self.text, lambda: setattr(self, "stretches", before))


class Passages(HoldsTexts):
    """What was picked: whole paragraphs."""

    kind_word = "passages"

    def __init__(self, document: Document, chosen: list[Paragraph]) -> None:
        self.document, self.chosen = document, chosen

    @property
    def file(self) -> Document:
        return self.document

    @holds
    def paragraphs(self) -> Iterator[Paragraph]:
        """Its paragraphs."""
        return iter(self.chosen)

    def edit_texts(self, editing: Editing, between: str = "") -> None:
        for each in self.chosen:
            each.edit_texts(editing, between)


class Document(WholeFile, HoldsTexts):
    """A text."""

    kind_word = "document"
    part_word = "paragraph"
    lines: list[Paragraph]

    @holds
    def paragraphs(self) -> Iterator[Paragraph]:
        """Its paragraphs."""
        return iter(self.lines)

    def edit_texts(self, editing: Editing, between: str = "") -> None:
        for each in self.lines:
            each.edit_texts(editing, between)

    @selects
    def picked(self, place: str | None) -> Passages:
        """The paragraphs with these numbers, or all."""
        wanted = range(1, len(self.lines) + 1) if place is None else map(int, place.split("-"))
        return Passages(self, [self.lines[number - 1] for number in wanted])


class TextFile(PickedFile, Document):
    """A .txt file."""

    def __init__(self, source: Source) -> None:
        super().__init__(source)
        text = source.read(0, source.size).decode()
        self.lines = [Paragraph(self, number, line) for number, line in enumerate(text.split("\n"), 1)]

    def patch(self) -> Patch | None:
        pieces: list[Piece] = ["\n".join(each.text for each in self.lines).encode()]
        return Patch(self.source.digest, self.source.size, pieces) if self.recorder else None


def open_text(path: str) -> TextFile:
    return opened(path, TextFile)


KINDS = (Document, Paragraph, Word, Passages)
