"""The characters of a paragraph of an Open Document (OpenDocument 1.3, part 3, 6.1.2), in which spaces collapse."""

from __future__ import annotations

import re
from collections.abc import Iterator

from scrub.formats.spans import FoundSpan, Span, whole
from scrub.formats.texts.paragraph import ATOM
from scrub.formats.xmltext import plain_text, text_of
from scrub.model.core.lazy_pattern import lazy_pattern
from scrub.model.core.named import NamedTuple

_NAME = "urn:oasis:names:tc:opendocument:xmlns:"
#: Levels of headings (19.844).
MOST_LEVELS = 10

OFFICE, TEXT, TABLE, STYLE, DRAW, META = (
    f"{_NAME}{each}:1.0" for each in ("office", "text", "table", "style", "drawing", "meta")
)
FO, SVG = (f"{_NAME}{each}-compatible:1.0" for each in ("xsl-fo", "svg"))
DUBLIN = "http://purl.org/dc/elements/1.1/"
XLINK = "http://www.w3.org/1999/xlink"
#: Elements whose characters belong to the paragraph as if they was in it themselves.
_THROUGH = frozenset(("span", "a", "meta", "meta-field"))
#: What has no width and is not a text.
_NOTHING = frozenset((
    "bookmark", "bookmark-start", "bookmark-end", "reference-mark", "reference-mark-start", "reference-mark-end",
    "change", "change-start", "change-end", "soft-page-break", "toc-mark", "toc-mark-start", "toc-mark-end",
    "alphabetical-index-mark", "alphabetical-index-mark-start", "alphabetical-index-mark-end", "user-index-mark",
    "user-index-mark-start", "user-index-mark-end",
))  # fmt: skip
_BLANKS = lazy_pattern("[ \t\r\n]+")


class SpanPiece(NamedTuple):
    """What some characters of a paragraph are in: bytes of its part from `begin` to `end`."""

    start: int  # its first character in the paragraph
    text: str
    begin: int
    end: int
    is_data: bool  # whether it is plain characters, not an element that is one
    chain: tuple[Span, ...]  # the elements it is in, from the paragraph inwards


class Read(NamedTuple):
    """A paragraph as it was read."""

    text: str
    fixed: str
    pieces: tuple[SpanPiece, ...]


def of(span: Span, uri: str, name: str) -> bool:
    """Whether an element is the one of that name."""
    return span.name == name and span.uri == uri


def value(span: Span | None, name: str, uri: str = TEXT) -> str | None:
    """An attribute, regardless of its prefix."""
    return None if span is None else span.of(name, uri)


def attribute(span: Span, name: str, uri: str) -> tuple[str, dict[str, str | None]]:
    """An attribute of a namespace as an element writes it, or would; and what declares a prefix that is new."""
    for known in span.attributes:
        prefix, _, local = known.rpartition(":")
        if local == name and prefix and span.namespaces.get(prefix) == uri:
            return known, {}
    prefix = next((namespace for namespace, known in span.namespaces.items() if known == uri and namespace), "")
    if prefix:
        return f"{prefix}:{name}", {}
    prefix = next(each for each in (f"n{number}" for number in range(1, 99)) if each not in span.namespaces)
    return f"{prefix}:{name}", {f"xmlns:{prefix}": uri}


class Characters:
    """The characters of a paragraph as they are met; spaces collapse."""

    def __init__(self, data: bytes) -> None:
        self._data = data
        self._found: list[SpanPiece] = []
        self._marks: list[str] = []
        self._blank = True  # whether a space that comes now is left out: at the start, or after another
        self._at = 0

    def _add(self, text: str, begin: int, end: int, is_data: bool, chain: tuple[Span, ...], mark: str = " ") -> None:
        self._found.append(SpanPiece(self._at, text, begin, end, is_data, chain))
        self._marks.append(mark)
        self._at += len(text)

    def characters(self, begin: int, end: int, chain: tuple[Span, ...]) -> None:
        """Is told of characters between two places."""
        raw = self._data[begin:end]
        if not raw:
            return
        # A comment, or a section of raw characters, stays as it is.
        odd = b"<" in raw
        text = _BLANKS.sub(" ", text_of(b"<x>" + raw + b"</x>") if odd else plain_text(raw))
        if self._blank and text.startswith(" "):
            text = text[1:]
        if text:
            self._blank = text.endswith(" ")
        # One that says nothing is a piece too: beside other characters its spaces would be some.
        self._add(text, begin, end, True, chain, "l" if odd else " ")

    def element(self, text: str, begin: int, end: int, chain: tuple[Span, ...]) -> None:
        """Is told of an element that is a character, or several."""
        self._blank = False
        self._add(text, begin, end, False, chain)

    def read(self) -> Read:
        """What was met; a space at the end is left out."""
        found, marks = self._found, self._marks
        last = next((at for at in range(len(found) - 1, -1, -1) if found[at].text), -1)
        if last >= 0 and found[last].is_data and found[last].text.endswith(" "):
            found[last] = found[last]._replace(text=found[last].text[:-1])
            for at in range(last + 1, len(found)):
                found[at] = found[at]._replace(start=found[at].start - 1)
        fixed = ""
        if "l" in marks:
            fixed = "".join(mark * len(piece.text) for mark, piece in zip(marks, found, strict=True))
        return Read("".join([piece.text for piece in found]), fixed, tuple(found))


def read_paragraph(data: bytes, paragraph: Span) -> Read:
    """The characters of a paragraph."""
    met = Characters(data)

    def walk(span: Span, chain: tuple[Span, ...]) -> None:
        at = span.open_end
        for child in span.children:
            met.characters(at, child.start, chain)
            at = child.end
            if child.uri == TEXT and child.name in _THROUGH:
                walk(child, (*chain, child))
                continue
            if (child.uri == TEXT and child.name in _NOTHING) or child.uri == OFFICE:
                continue  # a mark, or a comment
            text = ATOM
            if child.uri == TEXT and child.name == "s":
                text = blanks(value(child, "c"))
            elif child.uri == TEXT and child.name in ("tab", "line-break"):
                text = "\t" if child.name == "tab" else "\n"
            met.element(text, child.start, child.end, chain)
        met.characters(at, span.close_start, chain)

    walk(paragraph, ())
    return met.read()


def blanks(count: str | None) -> str:
    """The spaces of a `text:s` (6.1.3); a count that no text has is none."""
    found = whole(count, 9999)
    return " " * (1 if found is None else found)


def is_paragraph(span: Span) -> bool:
    """Whether an element is a paragraph or a heading (5.1)."""
    return span.uri == TEXT and span.name in ("p", "h")


def paragraphs_of(root: Span) -> Iterator[tuple[Span, str, Span]]:
    """Every paragraph, in order, with where it is, and the element that contains it. What was recorded as deleted is
    left out, and so are comments; what is in notes and frames of a paragraph follows it.
    """
    waiting: list[tuple[Span, str, Span]] = [(root, "", root)]
    while waiting:
        span, place, around = waiting.pop()
        if span.uri == TEXT and span.name in ("tracked-changes", "note-citation"):
            continue
        if is_paragraph(span):
            yield span, place, around
            for held, kind in reversed([] if isinstance(span, FoundSpan) else list(_held(span))):
                waiting += [(child, kind, held) for child in reversed(held.children)]
            continue
        if of(span, OFFICE, "annotation"):
            continue
        inside = "table" if of(span, TABLE, "table") else "text-box" if span.uri == DRAW else place
        waiting += [(child, inside, span) for child in reversed(span.children)]


def margins_in(root: Span) -> list[Span]:
    """The headers and footers of the kinds of pages, whichever namespace a program has for those of first pages."""
    masters = (span for span in root.inside(read_only=True) if of(span, STYLE, "master-page"))
    return [child for master in masters for child in master.children if child.name.startswith(("header", "footer"))]


def alive(root: Span) -> Iterator[Span]:
    """Every element, in order, but those in comments and in what was recorded as deleted, and in plain paragraphs."""
    waiting = list(reversed(root.children))
    while waiting:
        span = waiting.pop()
        if of(span, TEXT, "tracked-changes") or of(span, OFFICE, "annotation"):
            continue
        yield span
        if not isinstance(span, FoundSpan):
            waiting += reversed(span.children)


def _held(paragraph: Span) -> Iterator[tuple[Span, str]]:
    """The notes and frames in a paragraph, each with the place of what is in it."""
    waiting = list(reversed(paragraph.children))
    while waiting:
        span = waiting.pop()
        if of(span, TEXT, "note"):
            yield span, "endnote" if value(span, "note-class") == "endnote" else "footnote"
        elif span.uri == DRAW:
            yield span, "text-box"
        elif span.uri != OFFICE:
            waiting += reversed(span.children)


def style_name(written: str) -> str:
    """The name of a style as a person reads it, from the one it is written by: `Text_20_body` (19.502)."""
    return re.sub(r"_([0-9a-fA-F]{1,6})_", lambda found: chr(int(found[1], 16)), written)
