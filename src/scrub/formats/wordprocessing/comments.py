"""The comments of a document (ISO/IEC 29500-1, 17.13.4)."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from datetime import datetime

from scrub.formats.opc.relationships import part_tree
from scrub.formats.spans import Span, Splice, spliced
from scrub.formats.wordprocessing.paragraph import Home, OfficeParagraph
from scrub.formats.wordprocessing.read import FieldState, own, paragraphs_of, read_paragraph, value
from scrub.formats.wordprocessing.review import moment
from scrub.formats.zip import Package
from scrub.model.comments import Comment
from scrub.model.problem import Failure


class OfficeComment(Comment):
    """A comment on words of a document (17.13.4)."""

    def __init__(self, document: Home, span: Span, data: bytes, where: Callable[[str], str]) -> None:
        self._document = document
        self._where = where
        self.id = value(span, "id") or ""
        self._span = span
        self._first = self._text = "\n".join(
            read_paragraph(data, each, FieldState()).text for each, _, _ in paragraphs_of(span)
        )
        self._gone = False

    @property
    def file(self) -> Home:
        """The document."""
        return self._document

    @property
    def label(self) -> str:
        """The paragraph that it hangs on."""
        return self.address

    @property
    def removed(self) -> bool:
        """Whether it was deleted."""
        return self._gone

    @property
    def text(self) -> str:
        """What it says."""
        return self._text

    @text.setter
    def text(self, value: str) -> None:
        raise Failure(
            "the text of a comment cannot be set in a document yet; delete it, or answer it in its own program"
        )

    @property
    def author(self) -> str:
        """Who wrote it."""
        return value(self._span, "author") or ""

    @property
    def date(self) -> datetime | None:
        """When."""
        return moment(value(self._span, "date"))

    @property
    def address(self) -> str:
        """The paragraph that it hangs on."""
        return self._where(self.id)

    def delete(self) -> None:
        """Removes it, with the marks that lead to it."""
        self._document.ensure_open()
        self._gone = True
        said = f'comment of {self.author or "nobody"} removed: "{self._text[:60]}"'
        self.changed(f"comment {self.id}", self._text, None, lambda: setattr(self, "_gone", False), said)


class CommentPart:
    """The comments of a document, and the marks that lead to them."""

    def __init__(self, document: Home, package: Package, name: str | None) -> None:
        self._document = document
        self._name = name if name is not None and name in package.members else None
        self.items: list[OfficeComment] = []
        #: The paragraph with the mark of each comment; None before it is asked for.
        self.places: dict[str | None, OfficeParagraph] | None = None
        if self._name is not None:
            self._data, self._root = part_tree(package, self._name)
            self.items = [OfficeComment(document, span, self._data, self._place) for span in self._root.all("comment")]

    def _place(self, id_: str) -> str:
        """The label of the paragraph that a comment hangs on."""
        if self.places is None:
            self.places = {
                value(span, "id"): each
                for each in self._document.every_paragraph()
                for span in _inside(each.span)
                if span.name == "commentReference"
            }
        found = self.places.get(id_)
        return found.label if found is not None else self._document.label

    @property
    def _gone(self) -> set[str]:
        return {each.id for each in self.items if each.removed}

    def marks_taken(self, root: Span) -> Iterator[Splice]:
        """The splices that take the marks of deleted comments out of a part; a run that holds nothing else goes too."""
        gone = self._gone
        for span in _inside(root) if gone else ():
            if span.name in ("commentRangeStart", "commentRangeEnd") and value(span, "id") in gone:
                yield Splice(span.start, span.end, b"")
            elif span.name == "r" and own(span):
                held = [each for each in span.children if each.name != "rPr"]
                of = [each for each in held if each.name == "commentReference" and value(each, "id") in gone]
                for each in [span] if of and len(of) == len(held) else of:
                    yield Splice(each.start, each.end, b"")

    def made(self) -> tuple[str, bytes, bytes] | None:
        """The name of its part, what stood there and what is to stand there; None where there are no comments."""
        if self._name is None:
            return None
        gone = self._gone
        taken = [Splice(each.start, each.end, b"") for each in self._root.all("comment") if value(each, "id") in gone]
        return self._name, self._data, spliced(self._data, taken)


def _inside(root: Span) -> Iterator[Span]:
    """Every element inside one, in order."""
    waiting = list(reversed(root.children))
    while waiting:
        span = waiting.pop()
        yield span
        waiting += reversed(span.children)
