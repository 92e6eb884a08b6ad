"""The core properties of a package: its title, who wrote it (ISO/IEC 29500-2, 8)."""

from __future__ import annotations

from functools import partial

from scrub.formats.kept import LazyPiece
from scrub.formats.opc.parts import Parts
from scrub.formats.opc.relationships import relationships
from scrub.formats.part_tree import part_tree
from scrub.formats.spans import parse, spliced
from scrub.formats.text_elements import text_splices
from scrub.formats.xmltext import text_of
from scrub.formats.zip import Package
from scrub.model.core.change import Undo

_DUBLIN = "http://purl.org/dc/elements/1.1/"
_CORE = "http://schemas.openxmlformats.org/package/2006/metadata/core-properties"
_EMPTY = (
    f'<?xml version="1.0" encoding="UTF-8" standalone="yes"?>\n<cp:coreProperties xmlns:cp="{_CORE}" '
    f'xmlns:dc="{_DUBLIN}"></cp:coreProperties>'
).encode()
_TYPE = "application/vnd.openxmlformats-package.core-properties+xml"
_USUAL = "docProps/core.xml"
_RELATION = "http://schemas.openxmlformats.org/package/2006/relationships/metadata/core-properties"
#: Those that can be set, with their namespace and the name of their element.
_PROPERTIES = {
    "title": (_DUBLIN, "title"), "author": (_DUBLIN, "creator"), "subject": (_DUBLIN, "subject"),
    "keywords": (_CORE, "keywords"), "last editor": (_CORE, "lastModifiedBy"),
}  # fmt: skip


class CoreProperties:
    """The properties as they should be; the part is read when somebody asks."""

    def __init__(self, package: Package) -> None:
        self.package = package
        self._kept = {name: LazyPiece(partial(self._read, name)) for name in _PROPERTIES}

    def _part(self) -> str | None:
        found = [
            relationship.target
            for relationship in relationships(self.package, "").values()
            if relationship.type == "core-properties"
        ]
        return found[0] if found and found[0] in self.package.members else None

    def _read(self, name: str) -> str | None:
        part = self._part()
        if part is None:
            return None
        data, root = part_tree(self.package, part)
        uri, element = _PROPERTIES[name]
        span = root.child(element, uri=uri)
        return text_of(data[span.start : span.end]) or None if span is not None else None

    def get(self, name: str) -> str | None:
        """A property, or nothing."""
        return self._kept[name].now

    def put(self, name: str, value: str | None) -> Undo:
        """Sets it; returns how to undo it."""
        return self._kept[name].put(value or None)

    def write(self, parts: Parts) -> None:
        """Changes the part, or adds it."""
        wanted = [(_PROPERTIES[name], kept.now) for name, kept in self._kept.items() if kept.touched]
        if not wanted:
            return
        part = self._part()
        there = part or self.package.named(_USUAL)  # to one of this name no relationship may lead
        data, root = part_tree(self.package, there) if there is not None else (_EMPTY, parse(_EMPTY))
        if root.name != "coreProperties":
            data, root = _EMPTY, parse(_EMPTY)
        made = spliced(data, text_splices(data, root, lambda each: root.child(each[1], uri=each[0]), wanted))
        if part is not None:
            parts.changed[part] = partial(bytes, made)
        else:
            parts.add(_USUAL, made, _TYPE)
            parts.relate("", _RELATION, there or _USUAL)
