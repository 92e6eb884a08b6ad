"""A span tree: XML elements that know their byte ranges, so that an edit is a splice and all else stays.

The text is never rewritten. Attribute values are spliced inside their start tag, elements at their edges.
"""

from __future__ import annotations

import re
from array import array
from bisect import bisect_left, bisect_right
from collections.abc import Iterable, Iterator, Mapping, Sequence
from itertools import accumulate
from operator import itemgetter
from types import MappingProxyType
from typing import TypeVar
from xml.parsers import expat

from scrub.formats.xmltext import fit
from scrub.model.core.change import cut
from scrub.model.core.lazy_pattern import lazy_pattern
from scrub.model.core.named import NamedTuple
from scrub.model.core.preferences import CURRENT
from scrub.model.core.problem import Failure
from scrub.model.core.required import required

T = TypeVar("T")


class NotReadable(Failure):
    """The XML is not well-formed, or of a kind that Scrub refuses; `str()` says which."""


def number_in(attributes: Mapping[str, str], word: str) -> int:
    """The whole number in an attribute; 0 where it is not there. Raises `NotReadable` for anything else."""
    value = attributes.get(word)
    if value is None:
        return 0
    try:
        return int(value)
    except ValueError:
        raise NotReadable(f'attribute {word} is "{cut(value)}"; a whole number was expected') from None


def whole(written: str | None, most: int) -> int | None:
    """The whole number that is written, from 0 to `most`; None for anything else: a reader passes such a thing by."""
    if not written or len(written) > 18 or not (written.isascii() and written.isdigit()):
        return None
    number = int(written)
    return number if number <= most else None


def numbered(entries: Sequence[T], number: int) -> T | None:
    """The entry with this number, counted from 0; None where there is none, below 0 too."""
    return entries[number] if 0 <= number < len(entries) else None


class Splice(NamedTuple):
    """Bytes to put in place of the range from `start` to `end` of a part."""

    start: int
    end: int
    new: bytes


class ManySplices:
    """Splices in the order of their places, in little room: there can be a million."""

    __slots__ = ("_ends", "_news", "_starts")

    def __init__(self) -> None:
        self._starts, self._ends = array("Q"), array("Q")
        self._news: list[bytes] = []

    def add(self, start: int, end: int, new: bytes) -> None:
        """Puts one after the others."""
        self._starts.append(start)
        self._ends.append(end)
        self._news.append(new)

    def __len__(self) -> int:
        return len(self._news)

    def __iter__(self) -> Iterator[Splice]:
        return map(Splice, self._starts, self._ends, self._news)


#: Where a splice begins and ends.
_PLACE = itemgetter(0, 1)
#: The namespaces that hold for an element, by their prefix ("" for the one without).
Namespaces = Mapping[str, str]
_NONE: Mapping[str, str] = MappingProxyType({})
#: Both the namespaces of an Open XML document are known by these beginnings (ISO/IEC 29500-1, annex A: Strict).
RELATIONSHIPS = "http://schemas.openxmlformats.org/officeDocument/2006/relationships"
_RELATIONSHIPS = (
    RELATIONSHIPS,
    "http://purl.oclc.org/ooxml/officeDocument/relationships",
)


class Span:
    """An element: its namespace (`uri`, "" for none), local name, attributes, children, the byte range of its tags.

    `attributes` are by their name as it is written; `of` asks for one by its namespace. `start` … `open_end` is the
    start tag, `close_start` … `end` the end tag (both empty ranges at `open_end` for an empty-element tag).
    """

    __slots__ = (
        "attributes", "children", "close_start", "end", "name", "namespaces", "open_end", "raw_name", "start", "uri",
    )  # fmt: skip

    def __init__(
        self, raw_name: str, attributes: dict[str, str], start: int, namespaces: Namespaces = MappingProxyType({})
    ) -> None:
        self.raw_name = raw_name
        prefix, _, self.name = raw_name.rpartition(":")
        # In a fragment of a part, a prefix that is declared outside it means its namespace.
        self.uri = namespaces.get(prefix, prefix)
        self.attributes: Mapping[str, str] = attributes or _NONE
        self.namespaces = namespaces
        self.children: Sequence[Span] = ()
        self.start = start
        self.open_end = self.close_start = self.end = start

    def take_in(self, child: Span) -> None:
        """Takes an element in after its last child."""
        if isinstance(self.children, list):
            self.children.append(child)
        else:  # most have no child, or one: a list takes twice the room of these
            self.children = [*self.children, child] if self.children else (child,)

    @property
    def prefix(self) -> str:
        """Its namespace prefix with the colon, or an empty text."""
        return self.raw_name[: len(self.raw_name) - len(self.name)]

    def child(self, *names: str, uri: str | None = None) -> Span | None:
        """The first child with one of these local names in its own namespace, or in another."""
        wanted = self.uri if uri is None else uri
        return next((child for child in self.children if child.name in names and child.uri == wanted), None)

    def all(self, name: str, uri: str | None = None) -> Iterator[Span]:
        """The children with this local name in its own namespace, or in another."""
        wanted = self.uri if uri is None else uri
        return (child for child in self.children if child.name == name and child.uri == wanted)

    def inside(self, read_only: bool = False) -> Iterator[Span]:
        """Every element inside it, in the order of the part; with `read_only` without what is in those that a search
        found, which are plain.
        """
        waiting = list(reversed(self.children))
        while waiting:
            span = waiting.pop()
            yield span
            if not read_only or not isinstance(span, FoundSpan):
                waiting += reversed(span.children)

    def of(self, name: str, *uris: str) -> str | None:
        """An attribute by its local name in one of these namespaces, whatever prefix it is written with."""
        for written, value in self.attributes.items():
            prefix, _, local = written.rpartition(":")
            if local == name and prefix and self.namespaces.get(prefix) in uris:
                return value
        return None

    @property
    def related(self) -> str:
        """The id of the relationship that it names (`r:id`), or an empty text. A writer that gave the prefix another
        namespace meant no other.
        """
        found = self.of("id", *_RELATIONSHIPS)
        return found or next((value for name, value in self.attributes.items() if name.endswith(":id")), "")


def parse(data: bytes, found: Sequence[FoundSpan] = ()) -> Span:
    """The root of a part. Raises `NotReadable` for XML that is malformed, has a DTD or is not in UTF-8.

    `found` are elements of it, in order and none in another, that are left unread and become children where they are.
    """
    if data[:2] in (b"\xff\xfe", b"\xfe\xff") or data[:4] in (b"\x00<\x00?", b"<\x00?\x00"):
        raise NotReadable("it is encoded in UTF-16. Save the file again in its own program")
    parser = expat.ParserCreate()
    parser.StartDoctypeDeclHandler = _doctype
    parser.XmlDeclHandler = _declaration
    if not found:
        return _built(data, data, parser, _Builder(data, parser))
    _parsed(data, parser)  # what is found is checked with the rest
    starts, ends = [0, *(each.end for each in found)], [*(each.start for each in found), len(data)]
    rest = b"".join(map(data.__getitem__, map(slice, starts, ends)))
    parser = expat.ParserCreate()
    return _built(data, rest, parser, _Builder(data, parser, found=found))


def parse_element(data: bytes, start: int, end: int, namespaces: Namespaces) -> Span:
    """An element of a part that was checked before."""
    parser = expat.ParserCreate()
    return _built(data, data[start:end], parser, _Builder(data, parser, start, namespaces))


def _built(data: bytes, read: bytes, parser: expat.XMLParserType, builder: _Builder) -> Span:
    parser.StartElementHandler = builder.start
    parser.EndElementHandler = builder.end
    _parsed(read, parser)
    assert builder.root is not None
    return builder.root


def _parsed(data: bytes, parser: expat.XMLParserType) -> None:
    try:
        parser.Parse(data, True)
    except expat.ExpatError as error:
        raise NotReadable(f"its XML is broken at line {error.lineno}") from None


def _doctype(*_: object) -> None:
    raise NotReadable("it contains a document type declaration, which office files never have and attacks need")


def _declaration(version: str, encoding: str | None, standalone: int) -> None:
    if encoding and encoding.lower().replace("_", "-") not in ("utf-8", "utf8", "us-ascii", "ascii"):
        raise NotReadable(f"it is encoded in {encoding}. Save the file again in its own program")


class FoundSpan(Span):
    """An element that was found by a search, and is read when it is asked for."""

    __slots__ = ()

    @required
    def belong(self, namespaces: Namespaces) -> None:
        """Is told what applies where it is."""
        raise NotImplementedError


#: Elements in each other that are read; what walks a tree may go down by calling itself.
_DEEPEST = 256
#: The prefix that contains everywhere (Namespaces in XML 1.0, 3).
_ALWAYS: Namespaces = {"xml": "http://www.w3.org/XML/1998/namespace"}


class _Builder:
    def __init__(
        self,
        data: bytes,
        parser: expat.XMLParserType,
        start: int = 0,
        namespaces: Namespaces = _ALWAYS,
        found: Sequence[FoundSpan] = (),
    ) -> None:
        """What is parsed starts at `start` of the data, and lacks what was `found`."""
        self.data = data
        self.parser = parser
        self.root: Span | None = None
        self.open: list[Span] = []
        self.shift = start
        self.namespaces = namespaces
        self.found = iter(found)
        self.next = next(self.found, None)
        self.count, self.most = 0, CURRENT.get().most_elements

    def place(self) -> int:
        """Where in the data the parser is. What was found before that belongs to the element that is open."""
        at = self.parser.CurrentByteIndex + self.shift
        while self.next is not None and self.next.start <= at:
            within = self.open[-1]
            self.next.belong(within.namespaces)
            within.take_in(self.next)
            length = self.next.end - self.next.start
            self.shift += length
            at += length
            self.next = next(self.found, None)
        return at

    def start(self, name: str, attributes: dict[str, str]) -> None:
        if len(self.open) >= _DEEPEST:
            raise NotReadable(f"its elements are nested more than {_DEEPEST} deep, which no office program writes")
        self.count += 1
        if self.count > self.most:
            raise NotReadable(
                f"part of it has more than {self.most:,} elements. To open it anyway: scrub settings max-elements "
                f"{self.most * 10}"
            )
        at = self.place()
        namespaces = self.open[-1].namespaces if self.open else self.namespaces
        if any(written.startswith("xmlns") for written in attributes):
            declared = {written[6:]: uri for written, uri in attributes.items() if written.split(":")[0] == "xmlns"}
            namespaces = {**namespaces, **declared}
        span = Span(name, attributes, at, namespaces)
        span.open_end = tag_end(self.data, at)
        if self.open:
            self.open[-1].take_in(span)
        else:
            self.root = span
        self.open.append(span)

    def end(self, name: str) -> None:
        if self.data[self.open[-1].open_end - 2 : self.open[-1].open_end] == b"/>":
            span = self.open.pop()
            span.close_start = span.end = span.open_end
        else:
            at = self.place()
            span = self.open.pop()
            span.close_start = at
            span.end = self.data.index(b">", at) + 1


_TAG_REST = lazy_pattern(rb"""[^>"']*(?:"[^"]*"[^>"']*|'[^']*'[^>"']*)*>""")


def tag_end(data: bytes, start: int) -> int:
    """Where the tag that starts here ends; a `>` inside a value does not count."""
    match = _TAG_REST.match(data, start)
    if not match:
        raise NotReadable("a tag is never closed")
    return match.end()


def set_attributes(data: bytes, span: Span, values: Iterable[tuple[str, str | None]]) -> list[Splice]:
    """The splices that give attributes of an element new values; None takes an attribute out."""
    wanted = dict(values)
    splices: list[Splice] = []
    at = span.start + 1 + len(span.raw_name.encode())
    while (found := _ATTRIBUTE.match(data, at)) is not None:
        name = found[1].decode()
        if name in wanted:
            splices.append(Splice(found.start(), found.end(), _attribute(name, wanted.pop(name))))
        at = found.end()
    added = b"".join(_attribute(name, value) for name, value in wanted.items())
    if added:
        close = span.open_end - (2 if data[span.open_end - 2 : span.open_end] == b"/>" else 1)
        while data[close - 1 : close].isspace():
            close -= 1
        splices.append(Splice(close, close, added))
    return splices


def with_attributes(tag: bytes, values: Mapping[str, str | None]) -> bytes:
    """A start tag with attributes set, or removed by None. A whole element may be given: its start tag is changed."""
    name = re.match(rb"<([^\s/>]+)", tag)
    if name is None:
        raise NotReadable("a tag has no name")
    span = Span(name[1].decode(), {}, 0)
    span.open_end = tag_end(tag, 0)
    return spliced(tag, set_attributes(tag, span, values.items()))


_ATTRIBUTE = lazy_pattern(rb"""\s+([^\s=/>]+)\s*=\s*(?:"[^"]*"|'[^']*')""")


def _attribute(name: str, value: str | None) -> bytes:
    return b"" if value is None else f' {name}="{escaped(value)}"'.encode()


def escaped(value: str) -> str:
    """A text as an attribute value between double quotes (XML 1.0, 2.4 and 3.3.3)."""
    value = fit(value)
    for plain, entity in (
        ("&", "&amp;"),
        ("<", "&lt;"),
        (">", "&gt;"),
        ('"', "&quot;"),
        ("\t", "&#9;"),
        ("\n", "&#10;"),
        ("\r", "&#13;"),
    ):
        value = value.replace(plain, entity)
    return value


def outside(splices: Sequence[Splice], others: Iterable[Splice]) -> list[Splice]:
    """Those of `others` that no splice covers; where one covers them, their bytes are gone with the rest. What is only
    put in stays beside a splice that begins or ends there.
    """
    ordered = sorted(splices, key=lambda each: each.start)
    starts = [splice.start for splice in ordered]
    reach = [0, *accumulate((splice.end for splice in ordered), max)]
    return [
        other
        for other in others
        if (
            reach[bisect_right(starts, other.start)] < other.end
            if other.start < other.end
            else reach[bisect_left(starts, other.start)] <= other.start
        )
    ]


class Ordered:
    """Splices in the order of a part, for who asks for those of one element after another."""

    def __init__(self, splices: Iterable[Splice] = ()) -> None:
        self._every = sorted(splices, key=_PLACE)
        self._starts = [splice.start for splice in self._every]

    def within(self, start: int, end: int) -> list[Splice]:
        """Those that are between two places."""
        first, last = bisect_left(self._starts, start), bisect_right(self._starts, end)
        return [splice for splice in self._every[first:last] if splice.end <= end]


def spliced(data: bytes, splices: Iterable[Splice]) -> bytes:
    """The part with all splices done; they must not overlap."""
    return b"".join(pieces_of(data, splices))


def pieces_of(data: bytes, splices: Iterable[Splice], many: Iterable[Splice] = ()) -> Iterator[bytes | memoryview]:
    """The part with all splices done, piece by piece: a large one need not be there twice. `many` are in order."""
    view = memoryview(data)
    at = 0
    in_order: Iterable[Splice] = sorted(splices, key=_PLACE)
    if many:
        from heapq import merge  # for very many alone

        in_order = merge(in_order, many, key=_PLACE)
    for start, end, new in in_order:
        if start < at:
            raise ValueError("two splices overlap")
        yield view[at:start]
        yield new
        at = end
    yield view[at:]


def ended(data: bytes, span: Span, content: bytes) -> list[Splice]:
    """The splices that put content at the end of an element, whether it is an empty tag or not."""
    if not content:
        return []
    if span.open_end == span.end:
        opening = data[span.start : span.open_end - 2].rstrip() + b">"
        return [Splice(span.start, span.end, opening + content + f"</{span.raw_name}>".encode())]
    return [Splice(span.close_start, span.close_start, content)]
