"""What is among the words of a document: a link, a picture, a bookmark."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from decimal import Decimal
from typing import Generic, Protocol, TypeVar

from scrub.formats.beside import Beside
from scrub.formats.edited_part import EditedPart
from scrub.formats.images.new_picture import NewPicture
from scrub.formats.kept import all_back
from scrub.formats.spans import Span, Splice
from scrub.formats.texts.pictures import ShownPicture
from scrub.formats.texts.pieced import PiecedDocument, PiecedParagraph
from scrub.model.core.change import Undo
from scrub.model.core.problem import Failure
from scrub.model.core.required import required
from scrub.model.core.values import fold
from scrub.model.texts.inline import Bookmark


class SomewhereInText(Protocol):
    """Where something is."""

    @property
    def part(self) -> EditedPart:
        """Where its element is written."""

    @property
    def span(self) -> Span:
        """Its element."""

    @property
    def home(self) -> PiecedDocument:
        """Its document."""

    @property
    def label(self) -> str:
        """That of its paragraph."""

    def put(self, word: str, splices: Sequence[Splice]) -> Undo:
        """Puts something in at its element, or takes it out; returns how to undo it."""


P = TypeVar("P", bound=SomewhereInText)


class Placed(Generic[P]):
    """An item that is somewhere in a document."""

    _place: P

    @property
    def file(self) -> PiecedDocument:
        """The document."""
        return self._place.home

    @property
    def label(self) -> str:
        """The paragraph it is in."""
        return self._place.label


class PlacedBookmark(Placed[P], Bookmark):
    """A bookmark: one mark, or two of one name."""

    def __init__(self, place: P, end: Span | None) -> None:
        self._place, self._end = place, end

    @property
    def label(self) -> str:
        """Its name."""
        return f"bookmark {self.name}"

    @property
    def removed(self) -> bool:
        """Whether it was taken away."""
        return (self._place.span.start, "marks") in self._place.part.edits

    def covers(self) -> Iterator[tuple[PiecedParagraph, int, int]]:
        """The paragraphs that it is over."""
        start, end = self._place.span.start, self._end.start if self._end is not None else self._place.span.end
        for each, pieces in self._place.home.between(self._place.part, start, end):
            if not each.removed:
                yield each, pieces[0].start, pieces[-1].start + len(pieces[-1].text)

    def delete(self) -> None:
        """Takes its marks out."""
        marks = [self._place.span, *([self._end] if self._end is not None else [])]
        back = self._place.put("marks", [Splice(mark.start, mark.end, b"") for mark in marks])
        self.changed("bookmark", self.name, None, back, f"bookmark {self.name} deleted")


class PlacedPicture(Placed[P], ShownPicture):
    """A picture among the words of a document."""

    @property
    def beside(self) -> Beside:
        """What is made beside the document."""
        return self._place.home.beside

    @property
    def removed(self) -> bool:
        """Whether it was removed."""
        return (self._place.span.start, "picture") in self._place.part.edits

    def ensure_free(self) -> None:
        """Raises `Failure` where nothing changes, or changes are recorded, which are those of words."""
        self.file.ensure_open()
        if self._place.home.tracks_changes:
            raise Failure(f"{self.label}: pictures cannot change while changes are tracked. Turn tracking off")

    def not_inside(self) -> Failure:
        """It shows what the document does not have."""
        return Failure(f"{self.label}: {self.called_here} is linked, not stored in the document")

    @required
    def put_side(self, side: str, length: Decimal) -> Undo:
        """Sets how wide or high it is; returns how to undo it."""
        raise NotImplementedError

    def put_size(self, wide: Decimal, high: Decimal) -> None:
        """Sets how large it is."""
        self.ensure_free()
        before = f"{self.width} x {self.height}"
        back = all_back([self.put_side("width", wide), self.put_side("height", high)])
        self.noted(
            "size", before, (wide, high), back, f"{self.called_here} size: {before} -> {self.width} x {self.height}"
        )

    def fit(self, new: NewPicture) -> Undo:
        """Its height follows."""
        if self.width is None or self.height is None:
            return lambda: None
        wide, high = self.width.in_unit("cm"), self.height.in_unit("cm")
        if abs(wide * new.high / new.wide - high) <= high / 200:
            return lambda: None
        return self.put_side("height", wide * new.high / new.wide)


def ensure_other(name: str, others: Iterable[str]) -> None:
    """Raises `Failure` for the name of a bookmark that another one has."""
    if any(fold(each) == fold(name) for each in others):
        raise Failure(f'a bookmark "{name}" exists already')
