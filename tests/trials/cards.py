"""A toy: a card that is a file on its own (.card), and an item of a pack (.pack, cards separated by a line of `%`)."""

from __future__ import annotations

from collections.abc import Iterator

from scrub.formats.file import PickedFile
from scrub.formats.source import Source, opened
from scrub.model.core.declare import FileItem, Item, Reach, action, field, holds
from scrub.model.core.files import WholeFile
from scrub.model.core.text import Editing, HoldsTexts, edited
from scrub.store.patch import Patch, Piece

_PARTING = "\n%\n"


class Card(HoldsTexts):
    """A card."""

    kind_word = "card"

    def __init__(self, file: FileItem, raw: str) -> None:
        self._file = file
        self.subject_line, _, self.body = raw.partition("\n")
        self._gone = False

    @property
    def file(self) -> FileItem:
        return self._file

    @property
    def label(self) -> str:
        return self.subject

    @property
    def removed(self) -> bool:
        return self._gone

    @property
    @field
    def subject(self) -> str:
        """What it is about."""
        return self.subject_line.removeprefix("Subject: ")

    @subject.setter
    def subject(self, value: str) -> None:
        before = self.subject_line
        if value != self.subject:
            self.subject_line = f"Subject: {value}"
            self.changed("subject", before, self.subject_line, lambda: setattr(self, "subject_line", before))

    @action(Reach.CHANGE)
    def delete(self) -> None:
        """Takes it out."""
        self._gone = True
        self.changed("deleted", False, True, lambda: setattr(self, "_gone", False), "deleted")

    def edit_texts(self, editing: Editing, between: str = "") -> None:
        before, after = self.body, edited(self.body, editing(self.body))
        if before != after:
            self.body = after
            self.changed("text", before, after, lambda: setattr(self, "body", before))

    def raw(self) -> str:
        return f"{self.subject_line}\n{self.body}"


class Pack(WholeFile, HoldsTexts):
    """A file of cards."""

    kind_word = "pack"
    part_word = "card"
    every: list[Card]

    @holds
    def cards(self) -> Iterator[Card]:
        """Its cards."""
        return iter(self.every)

    def edit_texts(self, editing: Editing, between: str = "") -> None:
        for each in self.every:
            each.edit_texts(editing, between)


def _patch(source: Source, text: str) -> Patch:
    pieces: list[Piece] = [text.encode()]
    return Patch(source.digest, source.size, pieces)


class PackFile(PickedFile, Pack):
    """A pack on the disk."""

    def __init__(self, source: Source) -> None:
        super().__init__(source)
        text = source.read(0, source.size).decode()
        self.every = [Card(self, raw) for raw in text.split(_PARTING)]

    def patch(self) -> Patch | None:
        left = [each.raw() for each in self.every if not each.removed]
        return _patch(self.source, _PARTING.join(left)) if self.recorder else None


class CardFile(PickedFile):
    """A card on the disk: the file is not a kind of its own, what a macro runs on is the card in it."""

    part_word = "card"

    def __init__(self, source: Source) -> None:
        super().__init__(source)
        self._card = Card(self, source.read(0, source.size).decode())

    @property
    def item(self) -> Item:
        return self._card

    def patch(self) -> Patch | None:
        return _patch(self.source, self._card.raw()) if self.recorder else None


def open_pack(path: str) -> PackFile:
    return opened(path, PackFile)


def open_card(path: str) -> CardFile:
    return opened(path, CardFile)


KINDS = (Pack, Card)
