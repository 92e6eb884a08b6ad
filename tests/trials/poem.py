"""A toy: a text file as a poem of verses and words, one verse a line."""

from __future__ import annotations

from collections.abc import Iterator

from scrub.formats.file import PickedFile
from scrub.formats.source import Source, opened
from scrub.model.core.declare import Reach, action, field, holds, selects
from scrub.model.core.files import WholeFile
from scrub.model.core.text import Editing, HoldsTexts, Stretches, parted
from scrub.store.patch import Patch, Piece


class Word(HoldsTexts):
    """A word of a verse."""

    kind_word = "word"

    def __init__(self, verse: Verse, start: int, end: int) -> None:
        self.verse, self.start, self.end = verse, start, end

    @property
    def file(self) -> Poem:
        return self.verse.file

    @property
    @field
    def text(self) -> str:
        """Its characters."""
        return str(self.verse.stretches)[self.start : self.end]

    def edit_texts(self, editing: Editing, between: str = "") -> None:
        edits = [(self.start + start, self.start + end, fresh) for start, end, fresh in editing(self.text)]
        self.verse.edit(edits)


class Verse(HoldsTexts):
    """A line of the file."""

    kind_word = "verse"

    def __init__(self, poem: Poem, number: int, text: str) -> None:
        self.poem, self._number, self.stretches = poem, number, Stretches(text)

    @property
    def file(self) -> Poem:
        return self.poem

    @property
    def label(self) -> str:
        return f"verse {self._number}"

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


class Verses(HoldsTexts):
    """What was picked: whole verses."""

    kind_word = "verses"

    def __init__(self, poem: Poem, chosen: list[Verse]) -> None:
        self.poem, self.chosen = poem, chosen

    @property
    def file(self) -> Poem:
        return self.poem

    @holds
    def verses(self) -> Iterator[Verse]:
        """Its verses."""
        return iter(self.chosen)

    def edit_texts(self, editing: Editing, between: str = "") -> None:
        for each in self.chosen:
            each.edit_texts(editing, between)


class Poem(WholeFile, HoldsTexts):
    """A text."""

    kind_word = "poem"
    part_word = "verse"
    lines: list[Verse]

    @holds
    def verses(self) -> Iterator[Verse]:
        """Its verses."""
        return iter(self.lines)

    def edit_texts(self, editing: Editing, between: str = "") -> None:
        for each in self.lines:
            each.edit_texts(editing, between)

    @selects
    def picked(self, place: str | None) -> Verses:
        """The verses with these numbers, or all."""
        wanted = range(1, len(self.lines) + 1) if place is None else map(int, place.split("-"))
        return Verses(self, [self.lines[number - 1] for number in wanted])


class PoemFile(PickedFile, Poem):
    """A .poem file."""

    def __init__(self, source: Source) -> None:
        super().__init__(source)
        text = source.read(0, source.size).decode()
        self.lines = [Verse(self, number, line) for number, line in enumerate(text.split("\n"), 1)]

    def patch(self) -> Patch | None:
        pieces: list[Piece] = ["\n".join(each.text for each in self.lines).encode()]
        return Patch(self.source.digest, self.source.size, pieces) if self.recorder else None


def open_poem(path: str) -> PoemFile:
    return opened(path, PoemFile)


KINDS = (Poem, Verse, Word, Verses)
