"""A sheet made like another one: its part, and copies of the parts that belong to it alone."""

from __future__ import annotations

import posixpath
import re
from collections.abc import Iterator, Mapping

from scrub.formats.opc.parts import Parts
from scrub.formats.opc.relationships import relationships, relationships_name
from scrub.formats.part_tree import part_tree
from scrub.formats.spans import Span, Splice, parse, set_attributes, spliced
from scrub.formats.workbook.around.tables import name_of
from scrub.formats.workbook.part import SheetPart, of_whole, without_cells
from scrub.formats.workbook.structure.moved_cells import CellMoves
from scrub.formats.workbook.structure.moves import Moves
from scrub.formats.workbook.structure.places import changes
from scrub.formats.zip import Package
from scrub.model.core.problem import Failure

#: Parts that a copy has copies of, and those that it has in common with the first.
_OWN = frozenset("drawing chart chartUserShapes chartStyle chartColorStyle comments vmlDrawing table".split())
_COMMON = frozenset("image hyperlink printerSettings themeOverride".split())
#: What such a part is called in a failure.
_CALLED = {
    "pivotTable": "a pivot table", "threadedComment": "comments that are conversations",
    "ctrlProp": "controls", "control": "controls", "oleObject": "an object", "slicer": "a slicer",
}  # fmt: skip


def ensure_copied(package: Package, name: str) -> None:
    """Raises `Failure` for a sheet with something that cannot be there twice."""
    for relationship in relationships(package, name).values():
        if relationship.type not in _OWN and relationship.type not in _COMMON:
            raise Failure(
                f"it has {_CALLED.get(relationship.type, f'a part ({relationship.type})')}, which Scrub does not copy"
            )
        if relationship.type == "table" and relationship.target is not None:
            sort = part_tree(package, relationship.target)[1].attributes.get("tableType", "worksheet")
            if sort != "worksheet" or relationships(package, relationship.target):
                raise Failure("it has a table with external data, which Scrub does not copy")


class Copying:
    """Makes the parts of one copy."""

    def __init__(
        self,
        package: Package,
        parts: Parts,
        source: SheetPart,
        name: str,
        tables: Mapping[str, str],
        numbers: Iterator[int],
    ) -> None:
        """`name` is what the copy is called, `tables` are the names of its tables by those of the first: what refers to
        the first from within refers to the copy. `numbers` are those that no table has.
        """
        self.package = package
        self.parts = parts
        self.source = source
        self.moves = Moves([source.sheet], {}, {source.sheet: name}, tables)
        self._tables, self._numbers = tables, numbers

    def sheet(self, data: bytes, target: str) -> bytes:
        """The part of the copy, which is `target`; `data` is what it would be as the first."""
        assert self.source.name is not None
        data = CellMoves(self.source, self.moves).done(data)
        skeleton, cut, left_out = without_cells(data)
        root = parse(skeleton)
        ids = self._relate(self.source.name, target)
        splices = [*changes(skeleton, root, self.moves, self.source.sheet), *_with_ids(skeleton, root, ids)]
        properties = root.child("sheetPr")
        if properties is not None and "codeName" in properties.attributes:  # by which programs inside know one sheet
            splices += set_attributes(skeleton, properties, [("codeName", None)])
        return spliced(data, list(of_whole(splices, cut, left_out)))

    def _relate(self, source: str, target: str) -> dict[str, str]:
        """Gives a copied part the relationships of the first; their new ids by the old ones."""
        ids: dict[str, str] = {}
        for id_, relationship in relationships(self.package, source).items():
            type_ = self._type(source, id_)
            if relationship.target is None:
                ids[id_] = self.parts.relate(target, type_, relationship.address, outside=True)
            else:
                leads = self._part(relationship.target) if relationship.type in _OWN else relationship.target
                ids[id_] = self.parts.relate(target, type_, leads)
        return ids

    def _type(self, source: str, id_: str) -> str:
        name = self.package.named(relationships_name(source))
        assert name is not None
        spans = part_tree(self.package, name)[1].all("Relationship")
        return next(span.attributes["Type"] for span in spans if span.attributes.get("Id") == id_)

    def _part(self, name: str) -> str:
        """A copy of a part; gives its name."""
        folder, own = posixpath.split(name)
        stem, dot, ending = own.rpartition(".")
        fresh = self.parts.free_name(posixpath.join(folder, re.sub(r"\d+$", "", stem) + "{}" + dot + ending))
        data = self.package.read(name)
        if ending == "vml":
            self.parts.added[fresh] = data
            self._relate(name, fresh)
            return fresh
        self.parts.add(fresh, b"", self._content_type(name))
        root = parse(data)
        ids = self._relate(name, fresh)
        splices = [*changes(data, root, self.moves, ""), *_with_ids(data, root, ids)]
        if root.name == "table":
            called = self._tables[name_of(root)]
            values = [("id", str(next(self._numbers))), ("name", called), ("displayName", called)]
            splices += set_attributes(data, root, values)
        self.parts.added[fresh] = spliced(data, splices)
        return fresh

    def _content_type(self, name: str) -> str:
        types = self.package.named("[Content_Types].xml") or "[Content_Types].xml"
        for span in part_tree(self.package, types)[1].all("Override"):
            if span.attributes.get("PartName", "").lower() == f"/{name}".lower():
                return span.attributes.get("ContentType", "application/xml")
        return "application/xml"


def _with_ids(data: bytes, root: Span, ids: Mapping[str, str]) -> list[Splice]:
    """The splices that give elements the new ids of what they lead to."""
    splices: list[Splice] = []
    for span in (root, *root.inside()):
        values: list[tuple[str, str | None]] = []
        for written, value in span.attributes.items():
            prefix, _, _ = written.rpartition(":")
            if prefix and "relationships" in span.namespaces.get(prefix, "") and value in ids:
                values.append((written, ids[value]))
        if values:
            splices += set_attributes(data, span, values)
    return splices
