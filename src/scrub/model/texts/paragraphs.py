"""Paragraphs of a document, and pieces of them."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from types import MappingProxyType
from typing import Any

from scrub.model.core.choice import Choice
from scrub.model.core.declare import FileItem, Reach, action, field, finds, holds, may_lack
from scrub.model.core.named import NamedTuple
from scrub.model.core.patterns import found_in, pattern_of
from scrub.model.core.problem import Failure, Missing, counted
from scrub.model.core.required import required
from scrub.model.core.setting import look_field
from scrub.model.core.text import Editing, HoldsTexts, parted
from scrub.model.core.values import loosen
from scrub.model.operations.texts import loose
from scrub.model.texts.letters_edited import LettersEdited
from scrub.model.texts.lines_of_text import HoldsLines, Line
from scrub.model.texts.marked import HasMarks
from scrub.model.texts.paragraph_format import Framed


class PlaceInDocument(Choice):
    """Where a paragraph is."""

    BODY = "body"
    TABLE = "table"
    TEXT_BOX = "text-box"
    HEADER = "header"
    FOOTER = "footer"
    FOOTNOTE = "footnote"
    ENDNOTE = "endnote"


class Hole(NamedTuple):
    """A place of a paragraph that is filled in: its name, its characters, and how a sentence calls it."""

    name: str
    start: int
    end: int
    called: str
    refused: str = ""  # why it cannot be filled in


#: A hole, and what it is filled with.
Filling = tuple[Hole, str]


class HoldsPassages(HoldsLines):
    """An item in which words are looked for."""

    @required
    def searched(self) -> Iterable[tuple[Paragraph, int, int | None]]:
        """The paragraphs in which they are looked for, each with its characters: from one to another, None for the
        end.
        """
        raise NotImplementedError

    def search(self, text: str, matching: str = "") -> Iterator[Passage]:
        """The passages with these words, or those that a pattern finds."""
        pattern = pattern_of(matching) if matching else None
        words = loose(text)
        for paragraph, start, end in self.searched():
            said = paragraph.text[start:end]
            every = words.finditer(said) if pattern is None else found_in(pattern, loosen(said))
            for found in list(every):
                yield Passage(paragraph, start + found.start(), start + found.end())

    def only(self, text: str, which: int = 0) -> Passage:
        """The one passage with these words, or one of several. Raises `Missing`, and `Failure` for one of many."""
        passages = list(self.search(text))
        if which and 0 < which <= len(passages):
            return passages[which - 1]
        if len(passages) == 1 and not which:
            return passages[0]
        if not passages:
            raise Missing(f'"{text}" does not appear in {self.label}')
        places = ", ".join(dict.fromkeys(passage.label for passage in passages[:6]))
        times = "once" if len(passages) == 1 else f"{len(passages)} times"
        raise Failure(
            f'"{text}" appears {times}: {places}. Name one: {passages[-1].paragraph.label} "{text}", or '
            f'{len(passages)} "{text}"'
        )

    @finds
    def find_passage(self, text: str) -> Passage:
        """The one passage with these words: `passage("6 kg")`. Words that are several times are refused."""
        return self.only(text)

    @finds
    def find_passages(self, text: str = "", matching: str = "") -> Passages:
        """Every passage with these words, or every one that a pattern finds: `passages(matching: "\\d+ kg")`."""
        if not text and not matching:
            raise Failure('the text to look for is missing: passages("6 kg")')
        return Passages(self, list(self.search(text, matching)))


class Paragraph(Framed, HasMarks, LettersEdited, HoldsPassages):
    """A paragraph of a document."""

    kind_word = "paragraph"

    # -- what each format offers

    @property
    @field
    @required
    def text(self) -> str:
        """The text. Tabs and line breaks are characters in it.

        Example: if KIND.text is empty
        Also: content, words, wording
        """
        raise NotImplementedError

    @text.setter
    def text(self, value: str) -> None:
        self.edit([(0, len(self.text), value)])

    @property
    @field
    @required
    def number(self) -> int:
        """The position among the paragraphs when the file was opened, from 1.

        Example: if KIND.number is 1
        Also: position, index
        """
        raise NotImplementedError

    @property
    @field
    def style(self) -> str:
        """The name of the style.

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
        """The heading level, from 1; nothing for other paragraphs. Setting it applies the heading style.

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
        """The place: body, table, header, footnote and so on.

        Example: if KIND.place is body
        Also: header, footer, footnote, table
        """
        return PlaceInDocument.BODY

    def looks(self, start: int, end: int, word: str) -> Iterable[object]:
        """What the look of each stretch of its characters is; nothing where a format has none."""
        return ()

    @may_lack
    def put_comment_on(self, start: int, end: int, text: str) -> None:
        """Puts a comment on characters."""
        raise NotImplementedError

    @may_lack
    def put_bookmark(self, start: int, end: int, name: str) -> None:
        """Makes characters a bookmark."""
        raise NotImplementedError

    @may_lack
    def put_link(self, start: int, end: int, address: str) -> None:
        """Makes characters a link."""
        raise NotImplementedError

    @may_lack
    def put_look(self, start: int, end: int, word: str, value: object) -> None:
        """Sets a look of characters."""
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
    @required
    def delete(self) -> None:
        """Deletes the paragraph.

        Example: delete
        Also: remove, empty paragraph, blank line
        """
        raise NotImplementedError

    @action(Reach.CHANGE)
    @required
    def add_before(self, text: str) -> None:
        """Adds a paragraph of the same style before it.

        text: the text.
        Example: add-before "To all guests"
        Also: insert paragraph, new paragraph, above
        """
        raise NotImplementedError

    @action(Reach.CHANGE)
    @required
    def add_after(self, text: str) -> None:
        """Adds a paragraph of the same style after it.

        text: the text.
        Example: add-after "The wardens"
        Also: add-behind, insert paragraph, new paragraph, below
        """
        raise NotImplementedError

    def can_take(self, following: Line) -> bool:
        """Whether the next one can be joined to it without harm."""
        return False

    @required
    def take(self, following: Line, between: str) -> None:
        """Joins the next one to it, with `between` in the middle."""
        raise NotImplementedError

    # -- what follows from that

    def lettered(self) -> tuple[Paragraph, int, int]:
        """All of its characters."""
        return self, 0, len(self.text)

    def searched(self) -> Iterable[tuple[Paragraph, int, int | None]]:
        """With the range to search: from a character to another; None for the end."""
        return ((self, 0, None),)

    def lines(self) -> Sequence[Sequence[Paragraph]]:
        """Itself."""
        return ((self,),)


class Heading(Paragraph):
    """A paragraph that is a heading."""

    kind_word = "heading"
    implied = MappingProxyType({"paragraph": "paragraph_item"})

    def paragraph_item(self) -> Paragraph:
        """Another one where paragraphs were joined since it was found."""
        return self

    @holds
    @required
    def paragraphs_below(self) -> Iterator[Paragraph]:
        """The paragraphs below it, up to the next heading of its level or a higher one."""
        raise NotImplementedError

    @finds
    def find_paragraph(self, number: int) -> Paragraph:
        """A paragraph below it, counted from there: `paragraph(1)`."""
        below = list(self.paragraphs_below())
        if not 1 <= number <= len(below):
            count = counted(len(below), "paragraph")
            raise Missing(f'no paragraph {number} below the heading "{self.text}": it has {count}')
        return below[number - 1]


class Passage(HasMarks, HoldsTexts):
    """A piece of a paragraph."""

    kind_word = "passage"
    implied = MappingProxyType({"paragraph": "paragraph_item"})

    def __init__(self, paragraph: Paragraph, start: int, end: int) -> None:
        self.paragraph, self.start, self.end = paragraph, start, end
        paragraph.tracks(self)

    def paragraph_item(self) -> Paragraph:
        """The paragraph it is in."""
        return self.paragraph

    @property
    def file(self) -> FileItem:
        """The document."""
        return self.paragraph.file

    @property
    def label(self) -> str:
        """The paragraph it is in."""
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
        """Its characters."""
        return self.paragraph, self.start, self.end

    @property
    @field
    def text(self) -> str:
        """The text.

        Example: log passage.text
        Also: content, words
        """
        return self.paragraph.text[self.start : self.end]

    @text.setter
    def text(self, value: str) -> None:
        self.paragraph.edit([(self.start, self.end, value)])

    style = look_field(
        str,
        """The name of the character style; nothing for none, or if they differ.

        Example: passage.style = "Emphasis"
        Also: character style, text style
        """,
        optional=True,
    )

    @action(Reach.CHANGE)
    def delete(self) -> None:
        """Deletes the text.

        Example: delete
        Also: remove, cut
        """
        self.text = ""

    def edit_texts(self, editing: Editing, between: str = "") -> None:
        """Edits the paragraphs one after another."""
        self.paragraph.edit_range(self.start, self.end, parted(editing, between))


class Passages(HoldsPassages):
    """The passages of a document that were selected or found."""

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
        return bool(self._every) and all(passage.picked_whole for passage in self._every)

    @property
    @field
    def picked(self) -> bool:
        """Whether something was selected with `--at`.

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
        """The paragraphs they are in."""
        return iter(list(dict.fromkeys(passage.paragraph for passage in self._every)))

    def searched(self) -> Iterable[tuple[Paragraph, int, int | None]]:
        """Each of them."""
        return [passage.lettered() for passage in self._every]

    def edit_texts(self, editing: Editing, between: str = "") -> None:
        """Edits each of them."""
        for passage in self._every:
            passage.edit_texts(editing, between)

    def lines(self) -> Sequence[Sequence[Line]]:
        """The paragraphs they are in, as they follow each other."""
        chosen = set(map(id, self.paragraphs()))
        return [[line for line in group if id(line) in chosen] for group in self._document.lines()]


def words_of(paragraphs: Sequence[Paragraph], document: Any) -> Passages:
    """All that paragraphs of a document say."""
    return Passages(document, [Passage(paragraph, 0, len(paragraph.text)) for paragraph in paragraphs])
