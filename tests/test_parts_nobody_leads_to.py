"""A part that is there already, and to which no relationship leads, is taken over and not put there twice."""

from __future__ import annotations

import re
import zipfile
from pathlib import Path

import docx
import openpyxl
import pytest
from conftest import SAMPLE, macro, some
from sheets import members, schema_findings

import scrub

DEMO = SAMPLE.parent
CORE = b'<?xml version="1.0"?><c:coreProperties xmlns:c="http://schemas.openxmlformats.org/package/2006/metadata/core-properties" xmlns:d="http://purl.org/dc/elements/1.1/"><d:subject>kept</d:subject></c:coreProperties>'


def without_way(name: str, orphan: bytes, called: str) -> Path:
    """A sample whose core properties nothing leads to."""
    path = Path(name)
    with zipfile.ZipFile(DEMO / name) as old, zipfile.ZipFile(path, "w", zipfile.ZIP_DEFLATED) as new:
        for each in old.infolist():
            data = old.read(each)
            if each.filename == "docProps/core.xml":
                continue
            if each.filename == "_rels/.rels":
                data = re.sub(rb"<Relationship [^>]*core-properties[^>]*/>", b"", data)
            if each.filename == "[Content_Types].xml":
                data = re.sub(rb'<Override [^>]*/docProps/core\.xml"[^>]*/>', b"", data)
            new.writestr(each, data)
        new.writestr(called, orphan)
    return path


@pytest.mark.parametrize("name", ["season-book.xlsx", "house-rules.docx"])
@pytest.mark.parametrize(("orphan", "called"), some([(CORE, "docProps/core.xml"), (CORE, "docProps/Core.xml"), (b"<x/>", "docProps/core.xml")]))  # fmt: skip
def test_core_properties_are_taken_over(home: Path, name: str, orphan: bytes, called: str) -> None:
    path = without_way(name, orphan, called)
    before, findings = path.read_bytes(), schema_findings(path)
    kind = "workbook" if name.endswith(".xlsx") else "document"
    done = scrub.run(macro(f'{kind}.title = "Larch"', kind), [str(path)]).files[0]
    assert done.problem is None, str(done.problem)
    parts = members(path)
    assert [each.lower() for each in parts].count("docprops/core.xml") == 1
    if kind == "workbook" and called != "docProps/core.xml":  # where this library looks for it
        return
    opened = openpyxl.load_workbook(path).properties if kind == "workbook" else docx.Document(str(path)).core_properties
    assert opened.title == "Larch"
    assert opened.subject in (("kept",) if orphan == CORE else (None, ""))
    assert schema_findings(path) <= findings
    scrub.undo()
    assert path.read_bytes() == before
