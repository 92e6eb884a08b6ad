"""Elements that are found by search and read when they are asked for: most of a document never is.

A search is exact because the part was checked to be well-formed, so that every `<` begins a tag. Where that is not
enough (comments, CDATA sections, a second prefix) a part is read in the plain way, element by element.
"""

from __future__ import annotations

import re
from collections.abc import Sequence

from scrub.formats.spans import FoundSpan, Namespaces, parse_element
from scrub.model.core.lazy_pattern import lazy_pattern


def is_searchable(data: bytes, uris: Sequence[str]) -> str | None:
    """The prefix of elements of a namespace, where a search can tell them for certain; else None."""
    if b"<!--" in data or b"<![CDATA[" in data or data.find(b"<?", 2) >= 0:
        return None
    declared = [found for uri in uris for found in re.finditer(rb'xmlns:([\w.-]+)="%s"' % uri.encode(), data)]
    if len(declared) != 1 or sum(data.count(b'"%s"' % uri.encode()) for uri in uris) != 1:
        return None
    prefix = declared[0][1]
    if data.count(b"xmlns:%s=" % prefix) + data.count(b"xmlns:%s " % prefix) != 1:
        return None
    return prefix.decode()


#: A start tag whose attributes say what is written: no entities, no line ends.
_SIMPLE = lazy_pattern(rb'<[\w:.-]++(?: [\w:.-]++="[^"<>&\t\n\r]*+")*+/?>')
_ATTRIBUTE = lazy_pattern(rb' ([\w:.-]+)="([^"]*)"')


class FoundElement(FoundSpan):
    """An element of a plain paragraph. What was not set of its attributes and children is read when it is asked for."""

    __slots__ = ("_data",)

    def __init__(self, data: bytes, name: str, raw_name: str, start: int, open_end: int, end: int) -> None:
        self._data = data
        self.name, self.raw_name = name, raw_name
        self.start, self.open_end, self.end = start, open_end, end
        self.close_start = end if open_end == end else end - len(raw_name) - 3

    def belong(self, namespaces: Namespaces) -> None:
        """Is told what applies where it is."""
        self.namespaces = namespaces
        self.uri = namespaces.get(self.raw_name.rpartition(":")[0], "")

    def __getattr__(self, name: str) -> object:
        if name == "children":
            self.children = parse_element(self._data, self.start, self.end, self.namespaces).children
        elif name == "attributes":
            tag = self._data[self.start : self.open_end]
            if _SIMPLE.fullmatch(tag):
                self.attributes = {name.decode(): text.decode() for name, text in _ATTRIBUTE.findall(tag)}
            else:
                empty = tag if tag.endswith(b"/>") else tag[:-1] + b"/>"
                self.attributes = parse_element(empty, 0, len(empty), self.namespaces).attributes
        else:
            raise AttributeError(name)
        return getattr(self, name)
