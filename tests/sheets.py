"""Independent readers of what Scrub wrote, and ways to compare packages."""

from __future__ import annotations

import zipfile
from pathlib import Path
from typing import Any

import openpyxl
from lxml import etree

MAIN = "{http://schemas.openxmlformats.org/spreadsheetml/2006/main}"


def load(path: Path | str) -> Any:
    """The workbook as openpyxl sees it."""
    return openpyxl.load_workbook(path)


def states(path: Path | str) -> dict[str, str]:
    """The sheets with their states, as openpyxl sees them."""
    book = load(path)
    return {sheet.title: sheet.sheet_state for sheet in book._sheets}


def members(path: Path | str) -> dict[str, bytes]:
    """Every part with its unpacked bytes."""
    with zipfile.ZipFile(path) as package:
        assert package.testzip() is None
        return {info.filename: package.read(info) for info in package.infolist()}


def packed(path: Path | str) -> dict[str, bytes]:
    """Every member's compressed bytes, found by the standard library's own reading of the headers."""
    data = Path(path).read_bytes()
    found = {}
    with zipfile.ZipFile(path) as package:
        for info in package.infolist():
            name, extra = (
                int.from_bytes(data[info.header_offset + at : info.header_offset + at + 2], "little") for at in (26, 28)
            )
            start = info.header_offset + 30 + name + extra
            found[info.filename] = data[start : start + info.compress_size]
    return found


def changed_parts(old: Path | str, new: Path | str) -> set[str]:
    """The names of parts whose bytes differ; their order and all others must be the same, packed bytes included."""
    before, after = members(old), members(new)
    assert list(before) == list(after)
    changed = {name for name in before if before[name] != after[name]}
    before_packed, after_packed = packed(old), packed(new)
    assert {name for name in before_packed if before_packed[name] != after_packed[name]} <= changed
    return changed


def without(part: bytes, *names: str) -> bytes:
    """A part in canonical form without certain elements (all of that name)."""
    root = etree.fromstring(part)
    for name in names:
        for element in root.iter(MAIN + name):
            parent = element.getparent()
            assert parent is not None
            parent.remove(element)
    return bytes(etree.tostring(root, method="c14n"))


def schema_findings(path: Path | str) -> set[str]:
    """What an independent validator finds wrong with the file, against the schemas of the standard."""
    from openxml_audit import OpenXmlValidator

    result = OpenXmlValidator().validate(str(path))
    return {f"{error.part_uri}: {error.description}" for error in result.errors}
