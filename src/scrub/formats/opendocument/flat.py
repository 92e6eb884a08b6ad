"""A flat Open Document: one XML file in place of a package (OpenDocument 1.3, part 3, 3.1.2), cut into the parts that a
package would have. What writes a package writes it too: the parts are put together again in the order of the file.
"""

from __future__ import annotations

from collections.abc import Collection, Iterator, Mapping
from typing import Any

from scrub.formats.declared import Declared, in_utf8
from scrub.formats.opendocument.read import OFFICE, STYLE, value
from scrub.formats.packing import Maker, whole_part
from scrub.formats.rewritten import rewritten
from scrub.formats.source import Source
from scrub.formats.spans import NotReadable, Span, parse, set_attributes, spliced
from scrub.formats.zip import STORED, Place
from scrub.model.core.problem import Failure, FileProblem
from scrub.store.patch import Patch

#: The elements of each part, by their names; all others are in the content.
_PARTS = {"meta": "meta.xml", "settings": "settings.xml", "styles": "styles.xml", "master-styles": "styles.xml"}
_CONTENT, _STYLES = "content.xml", "styles.xml"
_AUTOMATIC = "automatic-styles"


class FlatPackage:
    """One XML file, read and written like a package."""

    def __init__(self, source: Source, type_: str) -> None:
        """`type_` is the media type that the file says it has."""
        self.source = source
        data, self._declared = in_utf8("content.xml", source.read(0, source.size))
        self._data = data
        try:
            self._root = parse(data)
        except NotReadable as problem:
            raise source.problem(str(problem)) from None
        if self._root.name != "document" or self._root.uri != OFFICE:
            raise source.problem("not a flat OpenDocument file, despite its name (or damaged)")
        if (value(self._root, "mimetype", OFFICE) or type_) != type_:
            raise source.problem("an OpenDocument file of another kind, despite its name")
        names = dict.fromkeys((_CONTENT, *(_PARTS.get(child.name, _CONTENT) for child in self._root.children)))
        self.members: Mapping[str, Any] = {name: self.place(name) for name in names}

    @property
    def _opening(self) -> bytes:
        return self._data[: self._root.open_end]

    @property
    def _closing(self) -> bytes:
        return self._data[self._root.close_start :]

    def named(self, name: str) -> str | None:
        """The name of a part; None for none."""
        return name if name in self.members else None

    def problem(self, what: str) -> FileProblem:
        """A problem with the file."""
        return self.source.problem(what)

    def is_utf8(self, name: str) -> bool:
        """Parts are given in UTF-8, whatever the file is written in."""
        return True

    def place(self, name: str) -> Place:
        """A part is made when it is read."""
        return Place(0, 0, 0, 0, STORED)

    def read(self, name: str) -> bytes:
        """The bytes of a part."""
        if name not in self.members:
            raise self.problem(f'its part "{name}" is missing')
        return self._opening + b"".join(self._inside(name)) + self._closing

    def _inside(self, name: str) -> Iterator[bytes]:
        for child in self._root.children:
            if child.name == _AUTOMATIC and _STYLES in self.members:
                yield self._part_of_styles(child, name)
            elif _PARTS.get(child.name, _CONTENT) == name:
                yield self._data[child.start : child.end]

    def _part_of_styles(self, holder: Span, name: str) -> bytes:
        """Of the automatic styles, those of pages go with the pages."""
        if name not in (_CONTENT, _STYLES):
            return b""
        inside = b"".join(
            self._data[span.start : span.end] for span in holder.children if _is_of_page(span) == (name == _STYLES)
        )
        return _element(holder, self._data, inside)

    # -- writing

    def patch(
        self, changed: Mapping[str, Maker], added: Mapping[str, bytes] = {}, removed: Collection[str] = ()
    ) -> Patch | None:
        """The patch that gives these parts new contents. Raises `Failure` for files that would have to be added."""
        if added:
            raise Failure("a flat OpenDocument file cannot store this picture. Save it as a package first")
        made = {name: whole_part(maker()) for name, maker in changed.items() if name in self.members}
        trees = {name: parse(data) for name, data in made.items()}
        inside = b""
        used: dict[tuple[str, str], int] = {}
        at = self._root.open_end
        for child in self._root.children:
            inside, at = inside + self._data[at : child.start], child.end
            if child.name == _AUTOMATIC and _STYLES in self.members:
                inside += self._automatic(child, made, trees)
                continue
            name = _PARTS.get(child.name, _CONTENT)
            if name not in made:
                inside += self._data[child.start : child.end]
                continue
            place = used[name, child.name] = used.get((name, child.name), -1) + 1
            same = [span for span in trees[name].children if span.name == child.name]
            inside += made[name][same[place].start : same[place].end] if place < len(same) else b""
        inside += self._data[at : self._root.close_start]
        inside = self._with_new(inside, made, trees)
        data = self._with_declarations(trees) + inside + self._closing
        return self._rewritten(data) if data != self._data else None

    def _with_new(self, inside: bytes, made: Mapping[str, bytes], trees: Mapping[str, Span]) -> bytes:
        """What parts have that the file had not, before the body."""
        there = {child.name for child in self._root.children}
        fresh = b"".join(
            made[name][span.start : span.end]
            for name, tree in trees.items() for span in tree.children if span.name not in there
        )  # fmt: skip
        body = next(child for child in self._root.children if child.name == "body")
        marker = self._data[body.start : body.start + len(body.raw_name) + 1]
        at = inside.rfind(marker)
        return inside[:at] + fresh + inside[at:]

    def _automatic(self, holder: Span, made: Mapping[str, bytes], trees: Mapping[str, Span]) -> bytes:
        """The automatic styles of both parts: each style that was there in its place, new ones after them."""
        left = {
            name: [made[name][span.start : span.end] for span in _styles_of(tree)]
            for name, tree in trees.items() if name in (_CONTENT, _STYLES)
        }  # fmt: skip
        if not left:
            return self._data[holder.start : holder.end]
        inside, at = b"", holder.open_end
        for child in holder.children:
            name = _STYLES if _is_of_page(child) else _CONTENT
            raw = self._data[child.start : child.end]
            inside, at = inside + self._data[at : child.start], child.end
            if name not in left:
                inside += raw
            elif left[name]:
                inside += left[name].pop(0)
        gap = self._data[at : max(at, holder.close_start)]
        return _element(holder, self._data, inside + b"".join(b"".join(each) for each in left.values()) + gap)

    def _with_declarations(self, trees: Mapping[str, Span]) -> bytes:
        """The start of the file, with the namespaces that parts declared."""
        said = {
            name: uri for tree in trees.values() for name, uri in tree.attributes.items()
            if name not in self._root.attributes
        }  # fmt: skip
        splices = set_attributes(self._data, self._root, said.items())
        return spliced(self._opening, splices)

    def _rewritten(self, data: bytes) -> Patch:
        declared: Declared | None = self._declared
        fresh = declared.written(data) if declared is not None else data
        return rewritten(self.source, fresh)


def _is_of_page(style: Span) -> bool:
    return style.name == "page-layout" and style.uri == STYLE


def _styles_of(part: Span) -> list[Span]:
    return [style for holder in part.children if holder.name == _AUTOMATIC for style in holder.children]


def _element(span: Span, data: bytes, inside: bytes) -> bytes:
    """An element with other content."""
    opening = data[span.start : span.open_end]
    if span.open_end == span.end:
        opening = opening.removesuffix(b"/>").rstrip() + b">"
    return opening + inside + f"</{span.raw_name}>".encode()
