"""Plain paragraphs of an Open Document, found by search: text, spans, spaces, tabs and breaks, and nothing else."""

from __future__ import annotations

import re
from functools import cache

from scrub.formats.found import FoundElement, is_searchable
from scrub.formats.opendocument.read import TEXT, Characters, Read, blanks
from scrub.formats.spans import Namespaces, Span, parse

#: Spans of a paragraph up to which it is plain: more could lie deep in each other.
_SPANS = 200


class FoundParagraph(FoundElement):
    """A plain paragraph."""

    __slots__ = ()

    def read(self) -> Read:
        """Its characters."""
        return read_plain(self._data, self.open_end, self.close_start, self.prefix, self.namespaces)


def parse_text(data: bytes) -> Span:
    """The root of a part with paragraphs; plain ones are read when they are asked for. Raises `NotReadable`."""
    return parse(data, plain_paragraphs(data))


def plain_paragraphs(data: bytes) -> list[FoundParagraph]:
    """The plain paragraphs, in order; none where a search cannot tell them for certain."""
    prefix = is_searchable(data, (TEXT,))
    if prefix is None:
        return []
    names = {b"p": f"{prefix}:p", b"h": f"{prefix}:h"}
    return [
        FoundParagraph(data, found[2].decode(), names[found[2]], found.start(), found.end(1), found.end())
        for found in _paragraph(prefix).finditer(data)
        if data.count(b"span ", found.start(), found.end()) < _SPANS
    ]


def read_plain(data: bytes, start: int, end: int, prefix: str, namespaces: Namespaces) -> Read:
    """The characters of a plain paragraph, whose content is between two places."""
    met = Characters(data)
    raw_name = f"{prefix}span"
    chain: tuple[FoundElement, ...] = ()
    for token in _tokens(prefix).finditer(data, start, end):
        name = token[1]
        if token[3]:
            chain = chain[:-1]
        elif name is None:
            met.characters(token.start(), token.end(), chain)
        elif name == b"span":
            span = FoundElement(data, "span", raw_name, token.start(), token.end(), token.end())
            span.namespaces, span.uri = namespaces, TEXT
            chain = (*chain, span)
        else:
            text = "\t" if name == b"tab" else "\n" if name == b"line-break" else blanks((token[2] or b"").decode())
            met.element(text, token.start(), token.end(), chain)
    return met.read()


_ATTRIBUTES = r'(?: [\w:.-]++="[^"<>]*+")*+'


@cache
def _paragraph(prefix: str) -> re.Pattern[bytes]:
    p = re.escape(prefix) + ":"
    inside = rf'<{p}span{_ATTRIBUTES}>|</{p}span>|<{p}s(?: {p}c="\d++")?+/>|<{p}tab/>|<{p}line-break/>'
    return re.compile(rf"(<{p}([ph]){_ATTRIBUTES}>)(?:[^<]++|{inside})*+</{p}\2>".encode())


@cache
def _tokens(prefix: str) -> re.Pattern[bytes]:
    p = re.escape(prefix)
    return re.compile(rf'[^<]+|<{p}(span|s|tab|line-break)(?: {p}c="(\d+)"|[^>]*)/?>|<(/){p}span>'.encode())
