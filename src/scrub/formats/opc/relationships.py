"""Open Packaging Conventions (ISO/IEC 29500-2): parts, and the relationships between them."""

from __future__ import annotations

import posixpath
from collections.abc import Iterable, Iterator

from scrub.formats.part_tree import part_tree
from scrub.formats.spans import Span
from scrub.formats.zip import ReadsParts
from scrub.model.core.named import NamedTuple


class Relationship(NamedTuple):
    """A relationship (6.5.3): its id, the last word of its type, and the part it leads to (None when outside)."""

    id: str
    type: str
    target: str | None
    address: str = ""


def relationships_name(source: str) -> str:
    """The name of the part with the relationships of another one, "" for the package (ISO/IEC 29500-2, 6.5.2.3)."""
    folder, own = posixpath.split(source)
    return posixpath.join(folder, "_rels", f"{own}.rels")


def source_of(name: str) -> str:
    """The part whose relationships are in the part of this name: the way back."""
    folder, own = posixpath.split(name)
    return posixpath.join(posixpath.dirname(folder), own.removesuffix(".rels"))


def relationships(package: ReadsParts, part: str) -> dict[str, Relationship]:
    """The relationships of a part ("" for the package itself), by id."""
    name = package.named(relationships_name(part))
    if name is None:
        return {}
    folder = posixpath.dirname(part)
    result: dict[str, Relationship] = {}
    for span in part_tree(package, name)[1].all("Relationship"):
        values = span.attributes
        target: str | None = None
        if values.get("TargetMode") != "External":
            target = posixpath.normpath(posixpath.join("/", folder, values.get("Target", ""))).lstrip("/")
            known = package.named(target)
            if known is None and "%" in target:
                from urllib.parse import unquote  # rarely needed, and slow to import

                target = unquote(target)
                known = package.named(target)
            target = known or target
        id_ = values.get("Id", "")
        address = values.get("Target", "")
        result[id_] = Relationship(id_, values.get("Type", "").rpartition("/")[2], target, address)
    return result


def targets_of(package: ReadsParts, part: str) -> dict[str, str]:
    """The parts that a part leads to, by the last word of their type; of several of one type the last."""
    related = relationships(package, part).values()
    return {
        relationship.type: relationship.target
        for relationship in related
        if relationship.target and relationship.target in package.members
    }


def related_trees(package: ReadsParts, related: Iterable[Relationship], type_: str) -> Iterator[tuple[str, Span]]:
    """The parts of one type that relationships lead to, as far as they are there: the name and span tree of each."""
    for relationship in related:
        if relationship.type == type_ and relationship.target is not None and relationship.target in package.members:
            yield relationship.target, part_tree(package, relationship.target)[1]
