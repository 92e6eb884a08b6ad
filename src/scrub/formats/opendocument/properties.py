"""What an Open Document says of itself (OpenDocument 1.3, part 3, 4.3)."""

from __future__ import annotations

import os
from collections.abc import Callable, Iterator
from functools import partial

from scrub.formats.kept import LazyPiece
from scrub.formats.opendocument.flat import FlatPackage
from scrub.formats.opendocument.read import DUBLIN, META, OFFICE, of
from scrub.formats.part_tree import part_tree
from scrub.formats.spans import Span, Splice, spliced
from scrub.formats.text_elements import text_splices
from scrub.formats.xmltext import text_of
from scrub.formats.zip import Package
from scrub.model.core.change import Undo
from scrub.model.core.problem import Failure

_META = "meta.xml"
#: Those that can be set, with their namespace and the name of their element.
_PROPERTIES = {
    "title": (DUBLIN, "title"), "subject": (DUBLIN, "subject"), "author": (META, "initial-creator"),
    "last editor": (DUBLIN, "creator"), "keywords": (META, "keyword"),
}  # fmt: skip


class TextProperties:
    """The properties of one document, as they should be."""

    def __init__(self, package: Package | FlatPackage) -> None:
        self._package = package
        self._kept: dict[str, LazyPiece[str | None]] = {
            name: LazyPiece(partial(self._read, name)) for name in _PROPERTIES
        }

    def _read(self, name: str) -> str | None:
        if _META not in self._package.members:
            return None
        data, root = part_tree(self._package, _META)
        found = (text_of(data[span.start : span.end]) for span in _elements_of(root, _PROPERTIES[name]))
        return ", ".join(each for each in found if each) or None  # only keywords are there several times (4.3.2.9)

    def get(self, name: str) -> str | None:
        """What one says."""
        return self._kept[name].now

    def put(self, name: str, value: str | None) -> Undo:
        """Lets one say something else; returns how to undo it."""
        return self._kept[name].put(value)

    def changed(self) -> dict[str, Callable[[], bytes]]:
        """The part with what they are to say, where that is something else."""
        touched = {name: kept.now for name, kept in self._kept.items() if kept.touched}
        if not touched:
            return {}
        if _META not in self._package.members:
            name = os.path.basename(self._package.source.shown)
            raise Failure(f"{name} has no properties. Save it once in its own program")
        data, root = part_tree(self._package, _META)
        holder = next((child for child in root.children if of(child, OFFICE, "meta")), root)
        keyword = _PROPERTIES["keywords"]
        words = (touched.pop("keywords", None) or "").split(",")  # each is an element of its own
        wanted: list[tuple[tuple[str, str], str | None]] = [(_PROPERTIES[name], text) for name, text in touched.items()]
        wanted += [(keyword, word.strip()) for word in words]
        splices = text_splices(
            data, holder, lambda name: None if name == keyword else next(_elements_of(root, name), None), wanted
        )
        if self._kept["keywords"].touched:
            splices += [Splice(element.start, element.end, b"") for element in _elements_of(root, keyword)]
        return {_META: partial(spliced, data, splices)}


def _elements_of(root: Span, name: tuple[str, str]) -> Iterator[Span]:
    return (span for span in root.inside() if of(span, *name))
