"""A paragraph whose characters are in pieces of a part: what every format of such paragraphs has in common."""

from __future__ import annotations

from bisect import bisect_right
from collections.abc import Callable, Iterator, Sequence
from typing import Any

from scrub.formats.beside import Beside
from scrub.formats.edited_part import EditedPart
from scrub.formats.spans import Span
from scrub.formats.texts.marks import Mark, marks_of
from scrub.formats.texts.paragraph import OpenParagraph
from scrub.model.core.change import Undo, cut
from scrub.model.core.lazy_property import lazy_property
from scrub.model.core.problem import Failure
from scrub.model.core.required import required
from scrub.model.core.text import Fresh, Kept, Looks, Stretches, shrunk
from scrub.model.document import Document
from scrub.model.texts.inline import ensure_address
from scrub.model.texts.paragraphs import Paragraph, PlaceInDocument


class PiecedParagraph(OpenParagraph):
    """A paragraph of pieces, which new ones can be put beside, and others joined to."""

    part: EditedPart
    span: Span
    group: Sequence[PiecedParagraph]  # those that are together with it, itself among them
    taken: Sequence[Any] = ()  # those that were joined to it
    before: Sequence[str] = ()  # new paragraphs before it, and after
    behind: Sequence[str] = ()
    home: PiecedDocument
    recorded: bool | None = None  # whether its changes are recorded; None before the first
    joined = False  # whether it was itself joined to another, which writes what it says

    @property
    @required
    def touched(self) -> bool:
        """Whether anything of it was changed."""
        raise NotImplementedError

    @lazy_property
    @required
    def pieces(self) -> Sequence[Any]:
        """What its characters are in: each has its first character as its `start`, and where it begins in the part as
        its `begin`.
        """
        raise NotImplementedError

    def stretches_of(self, start: int, end: int) -> Iterator[tuple[int, Any, Looks]]:
        """The length of each stretch of some characters, the piece that it looks like (None for none), and what was
        set since.
        """
        starts = [each.start for each in self.pieces]
        for part in self.stretches.between(start, end):
            place = part.start if isinstance(part, Kept) else part.like
            at = bisect_right(starts, place) - 1
            if isinstance(part, Fresh):
                yield len(part.text), self.pieces[at] if self.pieces else None, part.looks
                continue
            while place < part.end:
                piece = self.pieces[at]
                stop = min(part.end, piece.start + len(piece.text))
                yield stop - place, piece, part.looks
                place, at = stop, at + 1

    @required
    def look_of(self, piece: Any) -> object:
        """What tells how the characters of a piece look, to compare two by."""
        raise NotImplementedError

    def cuts(self) -> Iterator[tuple[int, int]]:
        """Its pieces of one look each."""
        at = start = 0
        last: object = None
        for length, piece, other in self.stretches_of(0, len(self.text)):
            this = (self.look_of(piece), other)
            if at and this != last:
                yield start, at
                start = at
            last, at = this, at + length
        if at > start:
            yield start, at

    @required
    def checked_look(self, word: str, value: object) -> object:
        """What a look is set to. Raises `Failure` for one that cannot be."""
        raise NotImplementedError

    def put_look(self, start: int, end: int, word: str, value: object) -> None:
        """Sets a look of characters."""
        self.ensure_editable([])
        if "l" in self.fixed:
            raise Failure(f"{self.label}: this text is in a locked content control")
        told, value = value, self.checked_look(word, value)
        before = self.stretches
        was = list(dict.fromkeys(self.looks(start, end, word)))
        self.stretches = before.noting_access(start, end, word, value)
        words = (f'"{cut(self.text[start:end])}"',) if (start, end) != (0, len(self.text)) else ()
        first = was[0] if len(was) == 1 else "several"
        self.changed(word, first, told, lambda: setattr(self, "stretches", before), inner=words)

    def ensure_markable(self) -> None:
        """Raises `Failure` where nothing can be put over its words."""
        self.note_way()

    def put_comment_on(self, start: int, end: int, text: str) -> None:
        """Puts a comment on characters."""
        if self.place not in (PlaceInDocument.BODY, PlaceInDocument.TABLE):
            raise Failure(f"{self.label}: headers, footers, notes and text boxes cannot have comments")
        self._put_mark(start, end, "comment", text, self.home.comment_mark)

    def put_bookmark(self, start: int, end: int, name: str) -> None:
        """Makes characters a bookmark."""
        self._put_mark(start, end, "bookmark", name, self.home.bookmark_mark)

    def put_link(self, start: int, end: int, address: str) -> None:
        """Makes characters a link."""
        ensure_address(address)
        for _, _, looks in self.stretches_of(start, end):
            if any(mark.holds for mark in marks_of(looks)):
                raise Failure(f"{self.label}: part of this text is a link already")
        self.ensure_linkable(start, end)
        self._put_mark(start, end, "link", address, self.home.link_mark, self.home.link_looks)

    @required
    def ensure_linkable(self, start: int, end: int) -> None:
        """Raises `Failure` where characters cannot become a link."""
        raise NotImplementedError

    def not_linkable(self) -> Failure:
        """They are in what cannot be in a link."""
        return Failure(
            f"{self.label}: the text is in a link, a field, a control or an insertion. Add the link in the "
            "document's own program"
        )

    def _put_mark(
        self,
        start: int,
        end: int,
        what: str,
        value: str,
        make: Callable[[Any, str], tuple[Mark, Undo]],
        looks: Looks = (),
    ) -> None:
        self.ensure_markable()
        if start >= end:
            raise Failure(f"{self.label}: a {what} needs some text")
        mark, unmake = make(self, value)
        before = self.stretches
        after = before.marked(start, end, mark)
        for word, look in looks:
            after = after.noting_access(start, end, word, look)
        self.stretches = after

        def revert() -> None:
            self.stretches = before
            unmake()

        said = f'new {what} on "{cut(self.text[start:end])}": "{cut(value)}"'
        self.changed(f"new {what} {mark.name}", None, value, revert, said)

    def note_way(self) -> None:
        """Notes whether what is about to change is recorded. Raises `Failure` where that differs from before, or
        nothing may change.
        """
        self.home.ensure_open()
        now = self.home.tracks_changes
        if self.recorded is not None and self.recorded != now and self.home.recorder:
            raise Failure(
                f"{self.label} was changed {'with' if self.recorded else 'without'} tracking changes earlier in this "
                "run"
            )
        self.recorded = now

    def set_together(self, name: str, fresh: Callable[[Any], Any]) -> Undo:
        """Sets something of it and of those that were joined to it; returns how to undo it."""
        chain: list[Any] = [self, *self.taken]
        former = [(each, getattr(each, name)) for each in chain]
        made = [fresh(each) for each in chain]
        for each, value in zip(chain, made, strict=True):
            setattr(each, name, value)

        def revert() -> None:
            for each, value in former:
                setattr(each, name, value)

        return revert

    def is_followed_by(self, following: PiecedParagraph) -> bool:
        """Whether another paragraph comes right after it, with nothing between, and both have an inside."""
        if following.removed or following.group is not self.group:
            return False
        last = self.taken[-1] if self.taken else self
        between = self.part.data[last.span.end : following.span.start]
        inside = last.span.open_end != last.span.end and following.span.open_end != following.span.end
        return inside and not between.strip()

    def ensure_not_alone(self) -> None:
        """Raises `Failure` for the only paragraph of those that are together with it."""
        if not any(paragraph is not self and not paragraph.removed for paragraph in self.group):
            raise Failure(f"{self.label} is the only paragraph of its cell or part. Empty it instead: text")

    def ensure_may_follow(self) -> None:
        """Raises `Failure` where no paragraph may be put after it."""

    def add_before(self, text: str) -> None:
        """Puts a paragraph before it."""
        self._add("before", text)

    def add_after(self, text: str) -> None:
        """Puts a paragraph after it."""
        self.ensure_may_follow()
        self._add("behind", text)

    def _add(self, where: str, text: str) -> None:
        self.note_way()
        former = getattr(self, where)
        setattr(self, where, (*former, text))
        said = f'new paragraph {where}: "{text}"'
        self.changed(f"new {where}", None, text, lambda: setattr(self, where, former), said)

    def leave(self) -> Undo:
        """Goes with what it is in, which writes nothing of it; returns how to undo it."""
        back, former = super().leave(), self.joined
        self.joined = True

        def revert() -> None:
            self.joined = former
            back()

        return revert

    def join(self, following: OpenParagraph, between: str) -> Undo:
        """Takes the next paragraph, with the looks of its words."""
        assert isinstance(following, PiecedParagraph)
        self.note_way()
        following.note_way()
        former = (self.stretches, self.fixed, self.pieces, self.taken)
        own_text, other = self.stretches, following.stretches
        shift = len(own_text.old)
        moved = [
            Kept(part.start + shift, part.end + shift, part.looks)
            if isinstance(part, Kept)
            else Fresh(part.text, part.like + shift, part.looks)
            for part in other.parts
        ]
        joined = Stretches(own_text.old + other.old, (*own_text.parts, *moved))
        length = len(self.text)
        self.fixed = (self.fixed or " " * shift) + (following.fixed or " " * len(other.old))
        self.pieces = (*self.pieces, *(piece._replace(start=piece.start + shift) for piece in following.pieces))
        self.taken = [*self.taken, following, *following.taken]
        start = len(self.text[:length].rstrip(" \t"))
        end = length + len(following.text) - len(following.text.lstrip(" \t"))
        self.stretches = joined.edited(shrunk(str(joined), [(start, end, between)]))
        following._gone = following.joined = True

        def revert() -> None:
            self.stretches, self.fixed, self.pieces, self.taken = former
            following._gone = following.joined = False

        return revert


class PiecedDocument(Document):
    """A document of such paragraphs."""

    #: What is made beside it.
    beside: Beside

    _nameless = False  # whether the names of people were removed

    @required
    def ensure_open(self) -> None:
        """Raises `Failure` where it allows no changes."""
        raise NotImplementedError

    @required
    def has_people(self) -> bool:
        """Whether it names who wrote or changed it, beside its properties."""
        raise NotImplementedError

    @required
    def put_property(self, name: str, value: str | None) -> None:
        """Changes one of its properties."""
        raise NotImplementedError

    def remove_names(self) -> None:
        """Removes who wrote, changed and commented the document."""
        self.ensure_open()
        if self._nameless:
            return
        if self.has_people():
            self._nameless = True
            self.changed("names", True, False, lambda: setattr(self, "_nameless", False), "author names removed")
        for name in ("author", "last editor"):
            self.put_property(name, None)

    @required
    def all_paragraphs(self) -> Sequence[PiecedParagraph]:
        """Its paragraphs, those that went too."""
        raise NotImplementedError

    @required
    def between(self, part: Any, start: int, end: int) -> Iterator[tuple[PiecedParagraph, Sequence[Any]]]:
        """The paragraphs between two places of a part, each with its pieces there."""
        raise NotImplementedError

    def words_between(self, part: Any, start: int, end: int) -> str:
        """The words between two places of a part, as the file has them."""
        return "\n".join("".join(piece.text for piece in pieces) for _, pieces in self.between(part, start, end))

    @required
    def comment_mark(self, paragraph: Any, text: str) -> tuple[Mark, Undo]:
        """What a new comment in a paragraph is, and how to undo it."""
        raise NotImplementedError

    @property
    def link_looks(self) -> Looks:
        """How words look that become a link, where that does not follow from what they are."""
        return ()

    @required
    def link_mark(self, paragraph: Any, address: str) -> tuple[Mark, Undo]:
        """What a new link in a paragraph is, and how to undo it."""
        raise NotImplementedError

    @required
    def bookmark_mark(self, paragraph: Any, name: str) -> tuple[Mark, Undo]:
        """What a new bookmark in a paragraph is, and how to undo it. Raises `Failure` for a name that none can have,
        or another one has.
        """
        raise NotImplementedError

    def groups(self) -> Sequence[Sequence[Paragraph]]:
        """Its paragraphs, those together that are together."""
        groups = {id(paragraph.group): paragraph.group for paragraph in self.all_paragraphs()}.values()
        alive = ([paragraph for paragraph in group if not paragraph.removed] for group in groups)
        return [group for group in alive if group]

    def add_paragraph(self, text: str) -> None:
        """Adds one at the end of the body."""
        body = (paragraph for paragraph in reversed(self.all_paragraphs()) if paragraph.place is PlaceInDocument.BODY)
        last = next((paragraph for paragraph in body if not paragraph.removed), None)
        if last is None:
            raise Failure(f"{self.name} has no paragraph to add another one after")
        last.add_after(text)
