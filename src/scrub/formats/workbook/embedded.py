"""Macros inside a workbook: each a custom XML part (ISO/IEC 29500-1, 15.2.5), inert until somebody asks for it."""

from __future__ import annotations

import posixpath
from collections.abc import Iterator

from scrub.formats.opc import part_tree, relationships
from scrub.formats.spans import Splice, spliced
from scrub.formats.zip import Package

NAMESPACE = "urn:scrub:macro:1"
_TYPE = "http://schemas.openxmlformats.org/officeDocument/2006/relationships/customXml"


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


def new_part(package: Package, workbook: str) -> tuple[str, dict[str, bytes]]:
    """A free name for a part, and the parts that must change for it: the relationships and the content types."""
    folder, own = posixpath.split(workbook)
    number = 1
    while f"customxml/item{number}.xml" in {name.lower() for name in package.members}:
        number += 1
    name = f"customXml/item{number}.xml"
    rels_name = posixpath.join(folder, "_rels", f"{own}.rels")
    data, root = part_tree(package, rels_name)
    ids = {span.attributes.get("Id") for span in root.children}
    free = next(f"rScrub{count}" for count in range(1, len(ids) + 2) if f"rScrub{count}" not in ids)
    target = posixpath.relpath(name, folder or ".")
    entry = f'<{root.prefix}Relationship Id="{free}" Type="{_TYPE}" Target="{target}"/>'.encode()
    changed = {rels_name: spliced(data, [Splice(root.close_start, root.close_start, entry)])}
    types, root = part_tree(package, "[Content_Types].xml")
    defaults = {span.attributes.get("Extension", "").lower() for span in root.all("Default")}
    if "xml" not in defaults:
        entry = f'<{root.prefix}Override PartName="/{name}" ContentType="application/xml"/>'.encode()
        changed["[Content_Types].xml"] = spliced(types, [Splice(root.close_start, root.close_start, entry)])
    return name, changed
