"""Paragraphs of a document, and pieces of them."""

from __future__ import annotations

import weakref
from collections.abc import Iterable, Iterator, Sequence
from typing import NamedTuple

from scrub.model.declare import FileItem, Reach, action, field, holds, may_lack, needs
from scrub.model.frames import Framed
from scrub.model.lines_of_text import HoldsLines, Line
from scrub.model.marked import HasMarks
from scrub.model.problem import Failure
from scrub.model.text import Edit, Editing, HoldsTexts, Moved, parted, shrunk
from scrub.model.values import Choice


class PlaceInDocument(Choice):
    """Where a paragraph stands."""

    BODY = "body"
    TABLE = "table"
    TEXT_BOX = "text-box"
    HEADER = "header"
    FOOTER = "footer"
    FOOTNOTE = "footnote"
    ENDNOTE = "endnote"


class Hole(NamedTuple):
    """A place of a paragraph that is filled in: its name, its letters, and how a sentence calls it."""

    name: str
    start: int
    end: int
    called: str
    refused: str = ""  # why it cannot be filled in


#: A hole, and what it is filled with.
Filling = tuple[Hole, str]


class Paragraph(Framed, HasMarks, HoldsLines):
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

    def looks(self, start: int, end: int, word: str) -> Iterable[object]:
        """What the look of each stretch of its letters is; nothing where a format has none."""
        return ()

    @may_lack
    def put_comment_on(self, start: int, end: int, text: str) -> None:
        """Puts a comment on letters."""
        raise NotImplementedError

    @may_lack
    def put_bookmark(self, start: int, end: int, name: str) -> None:
        """Makes letters a bookmark."""
        raise NotImplementedError

    @may_lack
    def put_link(self, start: int, end: int, address: str) -> None:
        """Makes letters a link."""
        raise NotImplementedError

    @may_lack
    def put_look(self, start: int, end: int, word: str, value: object) -> None:
        """Sets a look of letters."""
        raise NotImplementedError

    def holes(self) -> Iterable[Hole]:
        """What a format has to be filled in, besides marks in brackets."""
        return ()

    def fill(self, fillings: Sequence[Filling]) -> None:
        """Fills holes in, which are in their order."""
        self.edit([(hole.start, hole.end, text) for hole, text in fillings])

    def cuts(self) -> Iterable[tuple[int, int]]:
        """Its pieces of one look each."""
        return ((0, len(self.text)),)

    @holds
    def passages(self) -> Iterator[Passage]:
        """Its words, in pieces of one look each."""
        return (Passage(self, start, end) for start, end in list(self.cuts()) if self.text[start:end].strip())

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

    def can_take(self, following: Line) -> bool:
        """Whether the next one can be joined to it without harm."""
        return False

    def take(self, following: Line, between: str) -> None:
        """Joins the next one to it, with `between` in the middle."""
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
        if fine:
            self.ensure_editable(fine)
            self._make(fine)

    def _make(self, edits: Sequence[Edit]) -> None:
        """Makes edits that were asked about, and are as small as can be."""
        before = [(each, each.start, each.end) for each in self._passages] if self._passages else ()
        self.change_text(edits)
        for passage, start, end in before:
            passage.start, passage.end = _shifted(edits, start, True), _shifted(edits, end, False)

    def edit_texts(self, editing: Editing, between: str = "") -> None:
        """Edits it; what cannot be edited is left, and the record names it."""
        text = self.text
        wanted = parted(editing, between)(text)
        if wanted:
            self._edit_wanted(text, 0, wanted)

    def edit_range(self, start: int, end: int, editing: Editing) -> None:
        """Edits a piece of it."""
        text = self.text
        wanted = editing(text[start:end])
        if wanted:
            self._edit_wanted(text, start, wanted)

    def _edit_wanted(self, text: str, start: int, wanted: Sequence[Edit]) -> None:
        edits = (
            [(start + first, start + last, _moved(fresh, start)) for first, last, fresh in wanted] if start else wanted
        )
        fine = shrunk(text, edits)
        try:
            self.ensure_editable(fine)
        except Failure:
            fine = self._editable(fine)
        if fine and (len(fine) == len(edits) or not any(isinstance(fresh, Moved) for _, _, fresh in edits)):
            self._make(fine)  # words that change places do so together, or not at all

    def _editable(self, edits: Sequence[Edit]) -> list[Edit]:
        """Those edits that can be made; what is left is told."""
        fine: list[Edit] = []
        for each in edits:
            try:
                self.ensure_editable([each])
                fine.append(each)
            except Failure as failure:
                self.file.recorder.remarks.append(f"left {failure.what}")
        return fine

    def lettered(self) -> tuple[Paragraph, int, int]:
        """All of its letters."""
        return self, 0, len(self.text)

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


class Passage(HasMarks, HoldsTexts):
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

    def lettered(self) -> tuple[Paragraph, int, int]:
        """Its letters."""
        return self.paragraph, self.start, self.end

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

    @property
    @field
    def style(self) -> str | None:
        """The name of the style of its letters; nothing for none, or where they differ.

        Example: passage.style = "Emphasis"
        Also: character style, text style
        """
        found = self._look("style")
        return None if found is None else str(found)

    @style.setter
    @needs("put_look")
    def style(self, value: str | None) -> None:
        self._set_look("style", value)

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

    def __init__(self, document: HoldsLines, every: Sequence[Passage], picked: bool = False) -> None:
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

    def lines(self) -> Sequence[Sequence[Line]]:
        """The paragraphs they stand in, as they follow each other."""
        chosen = set(map(id, self.paragraphs()))
        return [[each for each in group if id(each) in chosen] for group in self._document.lines()]
