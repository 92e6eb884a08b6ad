"""Parts that come and go: content types and relationships follow (ISO/IEC 29500-2, 6.2.3, 6.5)."""

from __future__ import annotations

import os
import posixpath
from collections.abc import Iterator
from itertools import count

from scrub.formats.opc.relationships import relationships_name
from scrub.formats.packing import Maker
from scrub.formats.part_tree import part_tree
from scrub.formats.spans import Span, Splice, ended, escaped, parse, set_attributes, spliced
from scrub.formats.zip import Package
from scrub.model.core.problem import Failure

_TYPES = "[Content_Types].xml"
_STRICT = "http://purl.oclc.org/ooxml/"
_EMPTY = (
    b'<?xml version="1.0" encoding="UTF-8" standalone="yes"?>\n'
    b'<Relationships xmlns="http://schemas.openxmlformats.org/package/2006/relationships"></Relationships>'
)


class Parts:
    """What one saving changes in a package: parts created again, added, removed, and what leads to them."""

    def __init__(self, package: Package, main: Span) -> None:
        """`main` is the root of the main part."""
        self.package = package
        self._strict = main.uri.startswith(_STRICT)
        self.changed: dict[str, Maker] = {}
        self.added: dict[str, bytes] = {}
        self.removed: set[str] = set()
        self._types: list[tuple[str, str]] = []
        self._defaults: list[tuple[str, str]] = []
        self._related: dict[str, list[tuple[str, str, str, bool]]] = {}
        self._unrelated: dict[str, set[str]] = {}
        self._elsewhere: dict[str, dict[str, str]] = {}
        self._taken: dict[str, set[str]] = {}
        self._last: dict[str, int] = {}

    def free_name(self, pattern: str) -> str:
        """A name for a part that no other has; `{}` in the pattern means a number."""
        taken = {name.lower() for name in (*self.package.members, *self.added)}
        return next(name for number in range(1, 100_000) if (name := pattern.format(number)).lower() not in taken)

    def only_name(self, beside: str, name: str) -> str:
        """The name of a part of which a package has one, beside another part; with a number where it is taken."""
        folder = posixpath.dirname(beside)
        usual = posixpath.join(folder, f"{name}.xml")
        taken = self.package.named(usual) is not None or usual in self.added
        return self.free_name(posixpath.join(folder, f"{name}{{}}.xml")) if taken else usual

    def add(self, name: str, data: bytes, content_type: str) -> None:
        """Adds a part; one of this name to which nothing leads so far is taken over."""
        self._ensure_usual()
        there = self.package.named(name)
        if there is None or there in self.removed:
            self.added[name] = data
        else:
            self._replace(there, data)
        self._types.append((there or name, content_type))

    def put(self, name: str, data: bytes, content_type: str) -> None:
        """Adds a part that is of the same type as all with its ending, such as a picture."""
        self._ensure_usual()
        self.added[name] = data
        self.add_default(posixpath.splitext(name)[1].lstrip("."), content_type)

    def add_default(self, ending: str, content_type: str) -> None:
        """Says what parts with an ending are."""
        self._defaults.append((ending, content_type))

    def remove(self, name: str, source: str) -> None:
        """Removes a part, with the relationship that leads to it from another."""
        self.removed.add(name)
        self._unrelated.setdefault(source, set()).add(name)

    def relate(self, source: str, type_: str, target: str, outside: bool = False) -> str:
        """Adds a relationship; gives its id. `target` is a part, or an address outside."""
        self._ensure_usual()
        if source not in self._taken:
            self._taken[source] = self._ids(source)
        taken = self._taken[source]
        # No id is ever given back, so that the search goes on from where the last one ended.
        number = next(number for number in count(self._last.get(source, 0) + 1) if f"rScrub{number}" not in taken)
        self._last[source] = number
        id_ = f"rScrub{number}"
        taken.add(id_)
        if not outside:
            target = posixpath.relpath(target, posixpath.dirname(source) or ".")
        self._related.setdefault(source, []).append((id_, type_, target, outside))
        return id_

    def added_to(self, source: str) -> Iterator[tuple[str, str]]:
        """The added parts that a part leads to, each with the last word of its relationship's type."""
        folder = posixpath.dirname(source)
        for _, type_, target, outside in self._related.get(source, ()):
            if not outside:
                yield type_.rpartition("/")[2], posixpath.normpath(posixpath.join(folder, target))

    def retarget(self, source: str, id_: str, address: str) -> None:
        """Lets a relationship that leads outside lead elsewhere."""
        self._related.setdefault(source, [])
        self._elsewhere.setdefault(source, {})[id_] = address

    def _ensure_usual(self) -> None:
        """Raises `Failure` for a Strict document (ISO/IEC 29500-1, annex A), whose parts have other namespaces."""
        if self._strict:
            raise Failure(
                f"{os.path.basename(self.package.source.shown)} is a Strict Open XML file; Scrub adds no links, "
                "comments, pictures or sheets to it. Save it in the ordinary format first"
            )

    def _rels_name(self, source: str) -> str:
        name = relationships_name(source)
        return self.package.named(name) or name

    def _ids(self, source: str) -> set[str]:
        name = self._rels_name(source)
        if name not in self.package.members:
            return set()
        return {span.attributes.get("Id", "") for span in part_tree(self.package, name)[1].children}

    def finish(self) -> None:
        """Makes the parts that say what there is."""
        for source in {*self._related, *self._unrelated}:
            self._write_relationships(source)
        if self._types or self._defaults or self.removed:
            name = self.package.named(_TYPES) or _TYPES
            data, root = part_tree(self.package, name)
            self._replace(name, spliced(data, self._type_splices(root)))

    def _replace(self, name: str, data: bytes) -> None:
        self.changed[name] = lambda: data

    def _type_splices(self, root: Span) -> list[Splice]:
        p = root.prefix
        # The type of an added part replaces what an earlier one of its name has left there.
        gone = {f"/{name}".lower() for name in (*self.removed, *(name for name, _ in self._types))}
        splices = [
            Splice(span.start, span.end, b"")
            for span in root.all("Override")
            if span.attributes.get("PartName", "").lower() in gone
        ]
        known = {span.attributes.get("Extension", "").lower() for span in root.all("Default")}
        # A default must come first only by custom; any order is valid, and after all is the smallest splice.
        added = "".join(
            f'<{p}Default Extension="{ending}" ContentType="{type_}"/>'
            for ending, type_ in dict(self._defaults).items()
            if ending not in known
        )
        added += "".join(
            f'<{p}Override PartName="/{escaped(name)}" ContentType="{type_}"/>' for name, type_ in self._types
        )
        return [*splices, *ended(self.package.read(self.package.named(_TYPES) or _TYPES), root, added.encode())]

    def _write_relationships(self, source: str) -> None:
        name = self._rels_name(source)
        there = name in self.package.members
        data, root = part_tree(self.package, name) if there else (_EMPTY, parse(_EMPTY))
        p, folder = root.prefix, posixpath.dirname(source)
        gone = self._unrelated.get(source, set())
        splices = [
            Splice(span.start, span.end, b"")
            for span in root.all("Relationship")
            if posixpath.normpath(posixpath.join("/", folder, span.attributes.get("Target", ""))).lstrip("/") in gone
            and span.attributes.get("TargetMode") != "External"
        ]
        elsewhere = self._elsewhere.get(source, {})
        for span in root.all("Relationship"):
            if span.attributes.get("Id") in elsewhere:
                splices += set_attributes(data, span, [("Target", elsewhere[span.attributes["Id"]])])
        added = "".join(
            f'<{p}Relationship Id="{id_}" Type="{type_}" Target="{escaped(target)}"'
            + (' TargetMode="External"/>' if outside else "/>")
            for id_, type_, target, outside in self._related.get(source, ())
        )
        fresh = spliced(data, [*splices, *ended(data, root, added.encode())])
        if there:
            self._replace(name, fresh)
        else:
            self.added[name] = fresh
            self.add_default("rels", "application/vnd.openxmlformats-package.relationships+xml")
