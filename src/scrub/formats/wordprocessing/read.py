"""The characters of a paragraph, each with the element it is in (ISO/IEC 29500-1, 17.3.1.22, 17.3.3)."""

from __future__ import annotations

from collections.abc import Iterator
from decimal import Decimal

from scrub.formats.spans import Span
from scrub.formats.texts.paragraph import ATOM
from scrub.formats.xmltext import text_of
from scrub.model.core.named import NamedTuple

#: The namespace of word processing, in both conformance classes (annex A).
MAIN = (
    "http://schemas.openxmlformats.org/wordprocessingml/2006/main",
    "http://purl.oclc.org/ooxml/wordprocessingml/main",
)
#: Twentieths of a point in a centimetre (17.18.105).
TWIPS_IN_CENTIMETRE = Decimal(1440) / Decimal("2.54")
#: Elements whose runs belong to the paragraph as if they was in it themselves.
_THROUGH = frozenset(
    ("hyperlink", "ins", "moveTo", "smartTag", "sdt", "sdtContent", "dir", "bdo", "customXml", "fldSimple")
)
#: What a run contains that is a character (17.3.3.31, 17.3.3.32, 17.3.3.23, 17.3.3.4, 17.3.3.18, 17.3.3.29).
_CHARACTERS = {"tab": "\t", "ptab": "\t", "cr": "\n", "noBreakHyphen": "\u2011", "softHyphen": "\u00ad"}
#: What a run contains that has no width and is not a text.
_NOTHING = frozenset((
    "rPr", "fldChar", "instrText", "delText", "delInstrText", "lastRenderedPageBreak", "annotationRef",
    "commentReference", "proofErr",
))  # fmt: skip

#: Marks of no width that may be beside paragraphs, and stay when theirs goes (17.13.2).
MARKS = frozenset((
    "bookmarkStart", "bookmarkEnd", "commentRangeStart", "commentRangeEnd", "permStart", "permEnd",
    "moveFromRangeStart", "moveFromRangeEnd", "moveToRangeStart", "moveToRangeEnd",
))  # fmt: skip


class RunPiece(NamedTuple):
    """What some characters of a paragraph are in: a `t` element, or one that is a single character."""

    start: int  # its first character in the paragraph
    text: str
    element: Span
    run: Span
    is_text: bool
    inside: Span | None = None  # the recorded insertion that it is in

    @property
    def begin(self) -> int:
        """Where it begins in its part."""
        return self.element.start


class Read(NamedTuple):
    """A paragraph as it was read."""

    text: str
    fixed: str
    pieces: tuple[RunPiece, ...]


def own(span: Span) -> bool:
    """Whether an element is of word processing."""
    return span.uri in MAIN


def inner(span: Span, name: str) -> Span | None:
    """A child of word processing."""
    for child in span.children:
        if child.name == name and own(child):
            return child
    return None


def value(span: Span | None, name: str = "val") -> str | None:
    """An attribute of word processing, regardless of its prefix."""
    return None if span is None else span.of(name, *MAIN)


class FieldState:
    """Which fields are open (17.16.18): they nest, and go over ends of paragraphs."""

    def __init__(self) -> None:
        self._open: list[tuple[str, str]] = []  # the part that we are in, and the code

    def char(self, span: Span) -> None:
        """Is told of a `fldChar`."""
        kind = value(span, "fldCharType")
        if kind == "begin":
            self._open.append(("code", ""))
        elif kind == "separate" and self._open:
            self._open[-1] = ("result", self._open[-1][1])
        elif kind == "end" and self._open:
            self._open.pop()

    def code(self, text: str) -> None:
        """Is told of a piece of a field's code."""
        if self._open and self._open[-1][0] == "code":
            self._open[-1] = ("code", self._open[-1][1] + text)

    @property
    def open(self) -> bool:
        """Whether a complex field has begun that has not ended (17.16.18)."""
        return bool(self._open)

    @property
    def in_code(self) -> bool:
        """Whether what is here is a code, not a result."""
        return bool(self._open) and any(part == "code" for part, _ in self._open)

    @property
    def fixed(self) -> bool:
        """Whether what is here is a result that the next update makes again; that of a link is not."""
        return bool(self._open) and any(
            not code.strip().upper().startswith("HYPERLINK") for part, code in self._open if part == "result"
        )


def read_paragraph(data: bytes, paragraph: Span, fields: FieldState) -> Read:
    """The characters of a paragraph."""
    letters: list[str] = []
    fixed: list[str] = []
    pieces: list[RunPiece] = []
    at = 0

    def add(text: str, element: Span, run: Span, is_text: bool, mark: str, inside: Span | None) -> None:
        nonlocal at
        if text and not fields.in_code:
            pieces.append(RunPiece(at, text, element, run, is_text, inside))
            letters.append(text)
            fixed.append(("f" if fields.fixed and mark == " " else mark) * len(text))
            at += len(text)

    def walk(span: Span, mark: str, inside: Span | None) -> None:
        for child in span.children:
            if not own(child):
                if child.name in ("oMath", "oMathPara"):
                    add(ATOM, child, child, False, mark, inside)
                continue
            if child.name == "r":
                for text, element, is_text in _run(data, child, fields):
                    add(text, element, child, is_text, mark, inside)
            elif child.name in _THROUGH:
                locked = child.name == "sdt" and _is_locked(child)
                fixed_by = "l" if locked else "f" if child.name == "fldSimple" and not _is_link(child) else mark
                walk(child, fixed_by, child if child.name == "ins" else inside)

    walk(paragraph, " ", None)
    marks = "".join(fixed)
    return Read("".join(letters), marks if marks.strip() else "", tuple(pieces))


def _run(data: bytes, run: Span, fields: FieldState) -> Iterator[tuple[str, Span, bool]]:
    """What is in a run: text, its element, whether that is a `t`."""
    for child in run.children:
        if not own(child):
            if child.name == "AlternateContent":
                yield ATOM, child, False
            continue
        if child.name == "t":
            yield text_of(data[child.start : child.end]), child, True
        elif child.name in _CHARACTERS:
            yield _CHARACTERS[child.name], child, False
        elif child.name == "br":
            yield ("\n" if value(child, "type") in (None, "textWrapping") else ATOM), child, False
        elif child.name == "fldChar":
            fields.char(child)
        elif child.name == "instrText":
            fields.code(text_of(data[child.start : child.end]))
        elif child.name not in _NOTHING:
            yield ATOM, child, False


def _is_locked(control: Span) -> bool:
    """Whether the content of a control cannot be changed, or comes from data (17.5.2.23, 17.5.2.6)."""
    properties = inner(control, "sdtPr")
    if properties is None:
        return False
    lock = value(inner(properties, "lock"))
    return lock in ("contentLocked", "sdtContentLocked") or inner(properties, "dataBinding") is not None


def _is_link(field: Span) -> bool:
    return (value(field, "instr") or "").strip().upper().startswith("HYPERLINK")


def paragraphs_of(root: Span) -> Iterator[tuple[Span, str, Span]]:
    """Every paragraph inside an element, in order, with where it is, "" or "table", and the element that contains it;
    without those in text boxes, which `boxed_in` gives.
    """
    waiting: list[tuple[Span, str, Span]] = [(root, "", root)]
    while waiting:
        span, place, around = waiting.pop()
        if span.name == "p" and own(span):
            yield span, place, around
            continue
        inside = "table" if span.name == "tbl" and own(span) else place
        if span.name not in ("AlternateContent", "del", "moveFrom") and not _is_separator(span):
            waiting += [(child, inside, span) for child in reversed(span.children)]


def _is_separator(span: Span) -> bool:
    """Whether a note is none that somebody wrote: the line above the notes, or above those that continue (17.18.33)."""
    return span.name in ("footnote", "endnote") and own(span) and value(span, "type") not in (None, "normal")


class Boxed(NamedTuple):
    """A paragraph in a text box. Many a box is twice, for newer and older programs (29500-3, 10)."""

    span: Span
    around: Span
    twin: Span | None  # the same paragraph in the other copy
    alone: bool  # whether the box is once; else one without a twin is other there


def boxed_in(paragraph: Span) -> Iterator[Boxed]:
    """The paragraphs in text boxes of a paragraph, each once."""
    waiting = list(reversed(paragraph.children))
    while waiting:
        span = waiting.pop()
        if span.name == "AlternateContent" and not own(span):
            copies = [_boxes(child) for child in span.children if child.name in ("Choice", "Fallback")]
            first, others = copies[0] if copies else [], copies[1:]
            for number, box in enumerate(first):
                twins = [each[number] if number < len(each) else None for each in others]
                yield from _paired(box, twins)
        elif span.name == "txbxContent" and own(span):
            yield from _paired(span, [])
        elif not (own(span) and span.name in ("del", "moveFrom")):
            waiting += reversed(span.children)


def _boxes(span: Span) -> list[Span]:
    return [element for element in span.inside() if element.name == "txbxContent" and own(element)]


def _paired(box: Span, twins: list[Span | None]) -> Iterator[Boxed]:
    every = list(paragraphs_of(box))
    others = [[each for each, _, _ in paragraphs_of(twin)] if twin is not None else [] for twin in twins]
    for number, (span, _, around) in enumerate(every):
        same = len(others) == 1 and len(others[0]) == len(every)
        yield Boxed(span, around, others[0][number] if same else None, not twins)
