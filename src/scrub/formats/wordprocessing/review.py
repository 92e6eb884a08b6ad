"""What reviewers left in a document: recorded changes, comments, names (ISO/IEC 29500-1, 17.13)."""

from __future__ import annotations

from collections.abc import Iterator
from datetime import datetime

from scrub.formats.spans import NotReadable, Span, parse
from scrub.formats.wordprocessing.read import inner, own, value
from scrub.formats.xmltext import text_of
from scrub.model.document import Document
from scrub.model.late import late
from scrub.model.problem import Failure
from scrub.model.recorded import ChangeSort, RecordedChange

#: Recorded changes of text, by what they are; the marks of paragraphs and rows are called the same. A move is told
#: once, where it leads.
_SORTS = {"ins": ChangeSort.INSERTION, "del": ChangeSort.DELETION, "moveTo": ChangeSort.MOVE}
#: Recorded changes of looks: what they are was recorded inside.
_LOOKS = frozenset((
    "rPrChange", "pPrChange", "sectPrChange", "tblPrChange", "tblPrExChange", "tblGridChange", "trPrChange",
    "tcPrChange", "numberingChange",
))  # fmt: skip
_RANGES = frozenset(("moveFromRangeStart", "moveFromRangeEnd", "moveToRangeStart", "moveToRangeEnd"))
_CELLS = frozenset(("cellIns", "cellDel", "cellMerge"))


def recorded_in(document: Document, data: bytes, root: Span) -> Iterator[OfficeChange]:
    """The recorded changes of a part, in its order."""
    for span in root.inside():
        sort = ChangeSort.FORMAT if span.name in _LOOKS else _SORTS.get(span.name)
        if sort is not None and own(span):
            yield OfficeChange(document, data, span, sort)


def _words(data: bytes, span: Span) -> Iterator[str]:
    for each in span.inside():
        if each.name in ("t", "delText") and own(each):
            yield text_of(data[each.start : each.end])


def moment(text: str | None) -> datetime | None:
    """A date of an annotation (17.13.4.2), without its zone; None where there is none to read."""
    try:
        return datetime.fromisoformat((text or "").removesuffix("Z")).replace(tzinfo=None)
    except ValueError:
        return None


class OfficeChange(RecordedChange):
    """A recorded change."""

    def __init__(self, document: Document, data: bytes, span: Span, sort: ChangeSort) -> None:
        self._document = document
        self._data = data
        self._span = span
        self._sort = sort

    @property
    def file(self) -> Document:
        """The document."""
        return self._document

    @property
    def text(self) -> str:
        """Its words."""
        return "" if self._sort is ChangeSort.FORMAT else "".join(_words(self._data, self._span))

    @property
    def author(self) -> str:
        """Who made it."""
        return value(self._span, "author") or ""

    @property
    def date(self) -> datetime | None:
        """When."""
        return moment(value(self._span, "date"))

    @property
    def sort(self) -> ChangeSort:
        """What it did."""
        return self._sort


class Resolver:
    """Makes every recorded change of a part real, or takes it back."""

    def __init__(self, data: bytes, accepted: bool) -> None:
        self.data = data
        self.stays, self.goes = (
            (("ins", "moveTo"), ("del", "moveFrom")) if accepted else (("del", "moveFrom"), ("ins", "moveTo"))
        )
        self.accepted = accepted

    def made(self) -> bytes:
        """The part as it is then."""
        try:
            root = parse(self.data)
        except NotReadable:
            raise Failure("a part of the document cannot be read") from None
        return self.data[: root.start] + self._element(root) + self.data[root.end :]

    def _element(self, span: Span, stays: bool = False) -> bytes:
        """An element; inside a change that stays, deleted text is text again."""
        if not own(span):
            return self._whole(span, stays)
        if span.name in _CELLS:
            raise Failure(
                "a table has recorded changes of its cells. Accept or refuse those in the document's own program"
            )
        if span.name in self.goes or span.name in _RANGES:
            return b""
        if span.name in self.stays:
            return self._content(span, stays or span.name in ("del", "moveFrom"))
        if span.name in _LOOKS:
            return b""
        if span.name in ("rPr", "pPr") and not self.accepted:
            change = inner(span, f"{span.name}Change")
            former = inner(change, span.name) if change is not None else None
            if former is not None:
                return self._former(span, former)
        if not self.accepted and any(
            child.name in _LOOKS and child.name not in ("rPrChange", "pPrChange") for child in span.children
        ):
            raise Failure(
                "a recorded change of a table or a section cannot be refused here; do that in its own program"
            )
        if span.name == "tr" and self._mark(inner(span, "trPr"), self.goes) is not None:
            return b""
        if stays and span.name in ("delText", "delInstrText"):
            name = f"{span.prefix}{'t' if span.name == 'delText' else 'instrText'}".encode()
            opening = self.data[span.start + 1 + len(span.raw_name.encode()) : span.open_end]
            return b"<" + name + opening + self.data[span.open_end : span.close_start] + b"</" + name + b">"
        return self._whole(span, stays)

    def _whole(self, span: Span, stays: bool) -> bytes:
        if span.open_end == span.end:
            return self.data[span.start : span.end]
        return (
            self.data[span.start : span.open_end] + self._content(span, stays) + self.data[span.close_start : span.end]
        )

    def _content(self, span: Span, stays: bool) -> bytes:
        """What stands in an element; paragraphs whose end goes are joined with the next."""
        out: list[bytes] = []
        at = span.open_end
        waiting: list[bytes] = []  # the content of paragraphs that go on in the next
        for number, child in enumerate(span.children):
            out.append(self.data[at : child.start])
            at = child.end
            if child.name == "p" and own(child):
                following = span.children[number + 1] if number + 1 < len(span.children) else None
                joins = self._end_goes(child) and following is not None and following.name == "p"
                properties = inner(child, "pPr")
                if joins:
                    waiting.append(self._runs(child, properties, stays))
                    continue
                if waiting:
                    head = self._element(properties, stays) if properties is not None else b""
                    name = child.raw_name.encode()
                    opening = self.data[child.start : child.open_end]
                    opening = opening[:-2].rstrip() + b">" if child.open_end == child.end else opening
                    rest = self._runs(child, properties, stays)
                    out.append(opening + head + b"".join(waiting) + rest + b"</" + name + b">")
                    waiting = []
                    continue
            out.append(self._element(child, stays))
        out.append(self.data[at : span.close_start])
        return b"".join(out)

    def _runs(self, paragraph: Span, properties: Span | None, stays: bool) -> bytes:
        """The content of a paragraph without its properties."""
        if paragraph.open_end == paragraph.end:
            return b""
        start = properties.end if properties is not None else paragraph.open_end
        out, at = [], start
        for child in paragraph.children:
            if child is properties:
                continue
            out += [self.data[at : child.start], self._element(child, stays)]
            at = child.end
        return b"".join([*out, self.data[at : paragraph.close_start]])

    def _end_goes(self, paragraph: Span) -> bool:
        properties = inner(paragraph, "pPr")
        look = inner(properties, "rPr") if properties is not None else None
        return self._mark(look, self.goes) is not None

    @staticmethod
    def _mark(holder: Span | None, names: tuple[str, ...]) -> Span | None:
        return next((each for each in holder.children if each.name in names and own(each)), None) if holder else None

    def _former(self, span: Span, former: Span) -> bytes:
        """Properties as they were before a recorded change of them."""
        kept = b""
        if span.name == "pPr":  # the mark's look and the section are not part of what was recorded
            kept = b"".join(
                self._element(each) for each in span.children if each.name in ("rPr", "sectPr") and own(each)
            )
        opening = self.data[span.start : span.open_end]
        return opening + self.data[former.open_end : former.close_start] + kept + f"</{span.raw_name}>".encode()


_AUTHOR = late(rb'(<(?:\w+:)?[A-Za-z]+(?:\s[^<>]*?)?\s(?:\w+:)?author=)"[^"]*"')
_INITIALS = late(rb'(<(?:\w+:)?comment\b[^<>]*?\s(?:\w+:)?initials=)"[^"]*"')


def nameless(data: bytes) -> bytes:
    """A part without the names of who commented and changed; an author must be there (17.13.1), so it is empty."""
    return _INITIALS.sub(rb'\1""', _AUTHOR.sub(rb'\1""', data))
