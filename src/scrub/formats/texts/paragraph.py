"""A paragraph while it is edited: its stretches, and what of it must stay as it is."""

from __future__ import annotations

from collections.abc import Hashable, Iterator, Sequence

from scrub.model.core.change import Change, Undo, cut
from scrub.model.core.edits import RecordedEdit
from scrub.model.core.lazy_property import lazy_property
from scrub.model.core.problem import Failure
from scrub.model.core.required import required
from scrub.model.core.text import Edit, Kept, Stretches
from scrub.model.document import Document
from scrub.model.texts.lines_of_text import Line
from scrub.model.texts.paragraphs import Heading, Paragraph

#: What means something in a text that is not a character: a picture, a footnote's mark, a page break.
ATOM = "\ufffc"
#: Characters beside a joint that a list of changes shows.
_AROUND = 20


class _Edited(RecordedEdit):
    """The text of a paragraph that was edited: there can be a hundred thousand of them, so that it is small."""

    __slots__ = ("_after", "_before", "_paragraph")

    def __init__(self, paragraph: OpenParagraph, before: Stretches, after: Stretches) -> None:
        self._paragraph, self._before, self._after = paragraph, before, after

    @property
    def thing(self) -> tuple[Hashable, Hashable]:
        return "text", self._paragraph

    @property
    def change(self) -> Change:
        return Change((self._paragraph.label,), "text", f'"{self._before}"', f'"{self._after}"')

    def revert(self) -> None:
        self._paragraph.stretches = self._before


class OpenParagraph(Heading):
    """A paragraph of an open document; whether it is a heading, its level tells."""

    kind_word = "paragraph"

    def __init__(self, document: Document) -> None:
        self.document = document
        self.index = 0
        self._gone = False

    @lazy_property
    def stretches(self) -> Stretches:
        """What it says, while it is edited."""
        raise NotImplementedError

    @lazy_property
    def fixed(self) -> str:
        """A letter for each character that must stay: `f` in the result of a field, `l` in a locked control, `c` in
        code, `b` in spaces that mean a break; a space for one that can be edited. Nothing where all can.
        """
        return ""

    @property
    def file(self) -> Document:
        """The document."""
        return self.document

    @property
    def label(self) -> str:
        """Its number, as `--at` and a macro take it."""
        return f"paragraph {self.number}"

    @property
    def removed(self) -> bool:
        """Whether it was removed, or joined to the one before it."""
        return self._gone

    @property
    def number(self) -> int:
        """Its place, from 1; it stays what it was when the file was opened."""
        return self.index + 1

    @property
    def text(self) -> str:
        """What it says."""
        return str(self.stretches)

    @text.setter
    def text(self, value: str) -> None:
        self.edit([(0, len(self.text), value)])

    def ensure_editable(self, edits: Sequence[Edit]) -> None:
        """Raises `Failure` for an edit over what must stay."""
        now, at = self.text, 0
        fixed: dict[int, str] = {}
        if ATOM not in now and not self.fixed:
            return
        if self.fixed.strip():  # only where something is fixed, its characters are followed
            for part in self.stretches.parts:
                if isinstance(part, Kept):
                    fixed |= {at + place: mark for place, mark in enumerate(self.fixed[part.start : part.end])}
                at += part.end - part.start if isinstance(part, Kept) else len(part.text)
        for start, end, fresh in edits:
            if ATOM in now[start:end] and fresh.count(ATOM) < now.count(ATOM, start, end):
                raise Failure(f"{self.label}: the text to change contains a picture, a note or a break")
            marks = {fixed.get(place, " ") for place in range(start, end)}
            if start == end and start and fixed.get(start - 1, " ") == fixed.get(start, " ") != " ":
                marks.add(fixed[start])
            if "f" in marks:
                raise Failure(f"{self.label}: this text is the result of a field; the next update would restore it")
            if "c" in marks:
                raise Failure(f"{self.label}: this text is code or a link's address")
            if "b" in marks:
                raise Failure(f"{self.label}: the spaces at its end are a line break")
            if "l" in marks:
                raise Failure(f"{self.label}: this text is in a locked content control")

    def change_text(self, edits: Sequence[Edit]) -> None:
        """Makes edits."""
        before = self.stretches
        self.stretches = after = before.edited(edits)
        self.document.recorder.note(_Edited(self, before, after))

    def delete(self) -> None:
        """Takes it out."""
        self.ensure_deletable()
        self._gone = True
        self.changed("deleted", False, True, lambda: setattr(self, "_gone", False), f'deleted: "{cut(self.text)}"')

    def leave(self) -> Undo:
        """Goes with what it is in; returns how to undo it."""
        former = self._gone
        self._gone = True
        return lambda: setattr(self, "_gone", former)

    def ensure_deletable(self) -> None:
        """Raises `Failure` where it must stay."""

    def paragraphs_below(self) -> Iterator[Paragraph]:
        """The paragraphs below a heading."""
        every = self.document.every_paragraph()
        at = next((place for place, each in enumerate(every) if each is self), len(every))  # of one that went, none is
        own = self.level or 0
        for paragraph in every[at + 1 :]:
            if paragraph.place != self.place or (paragraph.level is not None and paragraph.level <= own):
                return
            yield paragraph

    # -- joining

    def can_take(self, following: Line) -> bool:
        """Whether the next paragraph can be joined to it."""
        return isinstance(following, OpenParagraph) and not following.removed

    def take(self, following: Line, between: str) -> None:
        """Joins the next paragraph to it."""
        assert isinstance(following, OpenParagraph)
        said = f'joined with the next: "…{cut(self.text[-_AROUND:])}" "{cut(following.text[:_AROUND])}…"'
        end, tail = len(self.text), len(following.text)
        joined = self.join(following, between)
        back = self._take_passages(following, end, len(self.text) - tail)

        def revert() -> None:
            joined()
            back()

        self.changed("joined", following.number, None, revert, said)

    def _take_passages(self, following: OpenParagraph, end: int, shift: int) -> Undo:
        """Passages that reached the end reach the new one; those of the other paragraph are in this one now."""
        own = [(each, each.paragraph, each.start, each.end) for each in self._passages or ()]
        others = [(each, each.paragraph, each.start, each.end) for each in following._passages or ()]
        whole = [each for each, _, start, last in own if last == end and (start == 0 or start < last)]
        for passage in whole:
            passage.end = len(self.text)
        for passage, _, start, last in others:
            passage.paragraph = self
            # What the passage before it covers now is not there twice.
            passage.start, passage.end = (0, 0) if whole else (max(0, start + shift), max(0, last + shift))
            self.tracks(passage)

        def revert() -> None:
            for passage, paragraph, start, last in (*own, *others):
                passage.paragraph, passage.start, passage.end = paragraph, start, last

        return revert

    @required
    def join(self, following: OpenParagraph, between: str) -> Undo:
        """Makes the next one a part of this; returns how to undo it."""
        raise NotImplementedError
