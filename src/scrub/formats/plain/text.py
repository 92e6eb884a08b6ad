"""Plain texts: a line is a paragraph."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from typing import ClassVar

from scrub.formats.encodings import encoding_of, spoken_encoding
from scrub.formats.file import PickedFile
from scrub.formats.source import FreshSource, Source, opened
from scrub.formats.texts.paragraph import OpenParagraph
from scrub.model.core.change import Undo
from scrub.model.core.lazy_pattern import lazy_pattern
from scrub.model.core.problem import Failure
from scrub.model.core.text import Stretches, shrunk
from scrub.model.document import Document
from scrub.store.patch import Patch

_LINE = lazy_pattern(r"([^\r\n]*)(\r\n|\n|\r|\Z)")


class PlainParagraph(OpenParagraph):
    """A line, with what ends it."""

    def __init__(self, document: PlainText, text: str, end: str, fixed: str = "") -> None:
        super().__init__(document)
        self.stretches, self.fixed = Stretches(text), fixed
        self.home = document
        self.end = end

    @property
    def line(self) -> str:
        """The line that is written."""
        return self.text

    def add_before(self, text: str) -> None:
        """Puts a line before it."""
        self.home.insert(self.home.every.index(self), text)

    def add_after(self, text: str) -> None:
        """Puts a line after it."""
        self.home.insert(self.home.every.index(self) + 1, text)

    def join(self, following: OpenParagraph, between: str) -> Undo:
        """Takes the next line: its text is put after, and it goes."""
        before = self.stretches
        tail = following.text.lstrip(" \t")
        text = self.text
        joint = (len(text.rstrip(" \t")), len(text), f"{between}{tail}")
        self.stretches = before.edited(shrunk(text, [joint]))
        following._gone = True

        def revert() -> None:
            self.stretches = before
            following._gone = False

        return revert


class PlainText(PickedFile, Document):
    """A .txt file."""

    #: What a line of it is.
    made: ClassVar[type[PlainParagraph]] = PlainParagraph

    def __init__(self, source: Source) -> None:
        super().__init__(source)
        data = source.read(0, source.size)
        self._mark, self._encoding, self._guessed = encoding_of(source, data)
        text = data[len(self._mark) :].decode(self._encoding)
        self._text = text
        pairs = [(found[1], found[2]) for found in _LINE.finditer(text) if found[0]]
        self._end = next((end for _, end in pairs if end), "\n")
        self.every: list[PlainParagraph] = list(self._read(pairs))
        for index, each in enumerate(self.every):
            each.index = index

    def _read(self, pairs: Sequence[tuple[str, str]]) -> Iterator[PlainParagraph]:
        return (PlainParagraph(self, line, end) for line, end in pairs)

    def every_paragraph(self) -> Sequence[PlainParagraph]:
        """Its lines."""
        return [paragraph for paragraph in self.every if not paragraph.removed]

    def paragraphs(self) -> Iterator[PlainParagraph]:
        """Its lines."""
        return iter(self.every_paragraph())

    def headings(self) -> Iterator[PlainParagraph]:
        """Lines that are headings: none in a plain text."""
        return (paragraph for paragraph in self.every_paragraph() if paragraph.level is not None)

    @property
    def notes(self) -> Sequence[str]:
        """What a person should know about saving the changes."""
        return [f"{self.name} was read as {spoken_encoding(self._encoding)}."] if self._guessed else []

    def lacking(self, what: str = "that") -> str:
        """It contains characters and nothing else."""
        return f"{self.name}: a plain text file stores text only, not {what}. Save it as .docx first"

    def insert(self, at: int, text: str) -> None:
        """Puts a line at a place."""
        line = type(self).made(self, text, self._end)
        last = self.every[at - 1] if at else None
        bare = last is not None and not last.end
        if bare and last is not None:
            last.end, line.end = self._end, ""
        self.every.insert(at, line)
        line.index = -1  # it has no number before the file is opened again

        def revert() -> None:
            self.every.remove(line)
            if bare and last is not None:
                last.end = ""

        self.changed("line", None, text, revert, f'new line: "{text}"', inner=(f"after line {at}",))

    def add_paragraph(self, text: str) -> None:
        """Adds a line at the end."""
        self.insert(len(self.every), text)

    def written(self) -> str:
        """The text as it is to be."""
        every = self.every_paragraph()
        whole = "".join(paragraph.line + paragraph.end for paragraph in every)
        ended = not self.every or bool(self.every[-1].end)
        return whole if ended or not every else whole.removesuffix(every[-1].end)

    def patch(self) -> Patch | None:
        """What makes the changed file of the old one."""
        text = self.written()
        if text == self._text:
            return None
        try:
            fresh = self._mark + text.encode(self._encoding)
        except UnicodeEncodeError as error:
            raise Failure(
                f'{self.name}: "{text[error.start]}" cannot be written in its encoding '
                f"({spoken_encoding(self._encoding)}). Save it as UTF-8 first"
            ) from None
        return self.rewritten(fresh)


def new_text(path: str) -> PlainText:
    """A .txt file with nothing in it."""
    return PlainText(FreshSource(path, b""))


def open_text(path: str) -> PlainText:
    """Opens a .txt file. Raises `FileProblem`."""
    return opened(path, PlainText)
