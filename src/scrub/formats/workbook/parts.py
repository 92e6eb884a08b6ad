"""Parts that come and go: content types and relationships follow (ISO/IEC 29500-2, 6.2.3, 6.5)."""

from __future__ import annotations

import posixpath
from collections.abc import Callable

from scrub.formats.opc import part_tree
from scrub.formats.spans import Span, Splice, escaped, parse, spliced
from scrub.formats.zip import Package

_TYPES = "[Content_Types].xml"
_EMPTY = (
    b'<?xml version="1.0" encoding="UTF-8" standalone="yes"?>\n'
    b'<Relationships xmlns="http://schemas.openxmlformats.org/package/2006/relationships"></Relationships>'
)


class Parts:
    """What one saving changes in a package: parts made anew, added, removed, and what leads to them."""

    def __init__(self, package: Package) -> None:
        self.package = package
        self.changed: dict[str, Callable[[], bytes]] = {}
        self.added: dict[str, bytes] = {}
        self.removed: set[str] = set()
        self._types: list[tuple[str, str]] = []
        self._defaults: list[tuple[str, str]] = []
        self._related: dict[str, list[tuple[str, str, str, bool]]] = {}
        self._unrelated: dict[str, set[str]] = {}
        self._taken: dict[str, set[str]] = {}

    def free_name(self, pattern: str) -> str:
        """A name for a part that no other has; `{}` in the pattern stands for a number."""
        taken = {name.lower() for name in (*self.package.members, *self.added)}
        return next(name for number in range(1, 100_000) if (name := pattern.format(number)).lower() not in taken)

    def add(self, name: str, data: bytes, content_type: str) -> None:
        """Adds a part."""
        self.added[name] = data
        self._types.append((name, content_type))

    def add_default(self, ending: str, content_type: str) -> None:
        """Says what parts with an ending are."""
        self._defaults.append((ending, content_type))

    def remove(self, name: str, source: str) -> None:
        """Removes a part, with the relationship that leads to it from another."""
        self.removed.add(name)
        self._unrelated.setdefault(source, set()).add(name)

    def relate(self, source: str, type_: str, target: str, outside: bool = False) -> str:
        """Adds a relationship; gives its id. `target` is a part, or an address outside."""
        taken = self._taken.setdefault(source, self._ids(source))
        id_ = next(f"rScrub{number}" for number in range(1, len(taken) + 2) if f"rScrub{number}" not in taken)
        taken.add(id_)
        if not outside:
            target = posixpath.relpath(target, posixpath.dirname(source) or ".")
        self._related.setdefault(source, []).append((id_, type_, target, outside))
        return id_

    def _rels_name(self, source: str) -> str:
        folder, own = posixpath.split(source)
        return posixpath.join(folder, "_rels", f"{own}.rels")

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
            data, root = part_tree(self.package, _TYPES)
            self._replace(_TYPES, spliced(data, self._type_splices(root)))

    def _replace(self, name: str, data: bytes) -> None:
        self.changed[name] = lambda: data

    def _type_splices(self, root: Span) -> list[Splice]:
        p = root.prefix
        gone = {f"/{name}".lower() for name in self.removed}
        splices = [
            Splice(span.start, span.end, b"")
            for span in root.all("Override")
            if span.attributes.get("PartName", "").lower() in gone
        ]
        known = {span.attributes.get("Extension", "").lower() for span in root.all("Default")}
        # A default must come first only by custom; any order is valid, and behind all is the smallest splice.
        added = "".join(
            f'<{p}Default Extension="{ending}" ContentType="{type_}"/>'
            for ending, type_ in dict(self._defaults).items()
            if ending not in known
        )
        added += "".join(
            f'<{p}Override PartName="/{escaped(name)}" ContentType="{type_}"/>' for name, type_ in self._types
        )
        return [*splices, Splice(root.close_start, root.close_start, added.encode())]

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
        added = "".join(
            f'<{p}Relationship Id="{id_}" Type="{type_}" Target="{escaped(target)}"'
            + (' TargetMode="External"/>' if outside else "/>")
            for id_, type_, target, outside in self._related.get(source, ())
        )
        if root.open_end == root.end and added:
            opening = data[: root.end - 2].rstrip() + b">"
            fresh = opening + added.encode() + f"</{root.raw_name}>".encode() + data[root.end :]
        else:
            fresh = spliced(data, [*splices, Splice(root.close_start, root.close_start, added.encode())])
        if there:
            self._replace(name, fresh)
        else:
            self.added[name] = fresh
