"""The comments of a document (ISO/IEC 29500-1, 17.13.4)."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from datetime import datetime
from functools import cached_property

from scrub.formats.opc.relationships import part_tree
from scrub.formats.spans import Found, Span, Splice, spliced
from scrub.formats.wordprocessing.read import FieldState, own, paragraphs_of, read_paragraph, value
from scrub.formats.wordprocessing.reading import Home, ReadParagraph
from scrub.formats.wordprocessing.review import moment
from scrub.formats.zip import Package
from scrub.model.comments import Comment
from scrub.model.problem import Failure


class OfficeComment(Comment):
    """A comment on words of a document (17.13.4)."""

    def __init__(self, part: CommentPart, span: Span, data: bytes) -> None:
        self._part = part
        self._span = span
        self.id = value(span, "id") or ""
        paragraphs = (read_paragraph(data, each, FieldState()) for each, _, _ in paragraphs_of(span))
        self._text = "\n".join(each.text for each in paragraphs)

    @property
    def file(self) -> Home:
        """The document."""
        return self._part.document

    @property
    def label(self) -> str:
        """The paragraph that it hangs on."""
        return self.address

    @property
    def removed(self) -> bool:
        """Whether it was deleted."""
        return self.id in self._part.gone

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
        return self._part.place(self.id)

    def delete(self) -> None:
        """Removes it, with the marks that lead to it."""
        part = self._part
        part.document.ensure_open()
        part.gone.add(self.id)
        said = f'comment of {self.author or "nobody"} removed: "{self._text[:60]}"'
        self.changed(f"comment {self.id}", self._text, None, lambda: part.gone.discard(self.id), said)


class CommentPart:
    """The comments of a document, and the marks that lead to them."""

    def __init__(self, document: Home, package: Package, name: str | None) -> None:
        self.document = document
        self._package = package
        self._name = name
        #: The numbers of those that were deleted.
        self.gone: set[str] = set()
        #: The paragraph with the mark of each comment; None before it is asked for.
        self.places: dict[str | None, ReadParagraph] | None = None

    @cached_property
    def _tree(self) -> tuple[bytes, Iterable[Span]]:
        """The bytes of the part and its comments; nothing where the document has none."""
        if self._name is None:
            return b"", ()
        data, root = part_tree(self._package, self._name)
        return data, list(root.all("comment"))

    @cached_property
    def items(self) -> Sequence[OfficeComment]:
        """The comments."""
        data, spans = self._tree
        return [OfficeComment(self, span, data) for span in spans]

    def place(self, id_: str) -> str:
        """The label of the paragraph that a comment hangs on."""
        if self.places is None:
            self.places = {
                value(span, "id"): each
                for each in self.document.every_paragraph()
                for span in (each.span.inside() if not isinstance(each.span, Found) else ())
                if span.name == "commentReference"
            }
        found = self.places.get(id_)
        return found.label if found is not None else self.document.label

    def marks_taken(self, root: Span) -> Iterator[Splice]:
        """The splices that take the marks of deleted comments out of a part; a run that holds nothing else goes too."""
        gone = self.gone
        for span in root.inside(read_only=True) if gone else ():
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
        data, spans = self._tree
        taken = [Splice(each.start, each.end, b"") for each in spans if value(each, "id") in self.gone]
        return self._name, data, spliced(data, taken)
