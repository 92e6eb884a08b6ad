"""Macros inside a workbook: each a custom XML part (ISO/IEC 29500-1, 15.2.5), inert until somebody asks for it."""

from __future__ import annotations

from collections.abc import Iterator

from scrub.formats.opc.parts import Parts
from scrub.formats.opc.relationships import relationships
from scrub.formats.part_tree import part_tree
from scrub.formats.spans import RELATIONSHIPS
from scrub.formats.zip import Package

NAMESPACE = "urn:scrub:macro:1"
_TYPE = f"{RELATIONSHIPS}/customXml"


def embedded(package: Package, workbook: str) -> Iterator[tuple[str, str]]:
    """The parts that hold a macro, with their texts."""
    for relationship in relationships(package, workbook).values():
        if relationship.type == "customXml" and relationship.target in package.members:
            part = str(relationship.target)
            data, _ = part_tree(package, part)  # refuses a DTD before another parser sees it
            from xml.etree import ElementTree  # only workbooks with custom parts pay for it

            root = ElementTree.fromstring(data)
            if root.tag == f"{{{NAMESPACE}}}macro":
                yield part, root.text or ""


def part_of(text: str) -> bytes:
    """A macro as a part."""
    body = text.replace("&", "&amp;").replace("<", "&lt;").replace(">", "&gt;").replace("\r", "&#13;")
    return f'<?xml version="1.0" encoding="UTF-8"?>\n<macro xmlns="{NAMESPACE}">{body}</macro>'.encode()


def add_part(parts: Parts, workbook: str, text: str) -> None:
    """Adds a part that contains a macro."""
    name = parts.free_name("customXml/item{}.xml")
    parts.added[name] = part_of(text)
    parts.add_default("xml", "application/xml")
    parts.relate(workbook, _TYPE, name)
