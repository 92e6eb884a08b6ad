"""OpenDocument spreadsheets: a large one, and the scripts that Scrub is measured against."""

from __future__ import annotations

import random
import zipfile
from collections.abc import Iterator
from pathlib import Path

SHOW = """
import odfdo, sys
made = odfdo.Document(sys.argv[1])
for style in made.get_styles("table", automatic=True):
    for each in style.get_elements("style:table-properties"):
        each.set_attribute("table:display", "true")
made.save(sys.argv[1])
"""
PROTECT = """
import odfdo, sys
made = odfdo.Document(sys.argv[1])
for table in made.body.tables:
    table.protected = True
made.save(sys.argv[1])
"""
PASS = """
import os, sys, zipfile
from lxml import etree
T = "{urn:oasis:names:tc:opendocument:xmlns:table:1.0}"
O = "{urn:oasis:names:tc:opendocument:xmlns:office:1.0}"
X = "{urn:oasis:names:tc:opendocument:xmlns:text:1.0}"
package = zipfile.ZipFile(sys.argv[1])
root = etree.fromstring(package.read("content.xml"), etree.XMLParser(huge_tree=True))
for table in root.iter(T + "table"):
    for row in list(table.iter(T + "table-row"))[1:]:
        cells = list(row)
        if len(cells) > 5 and cells[2].get(O + "value") and float(cells[2].get(O + "value")) >= 7:
            cell = cells[4]
            cell.attrib.clear()
            cell.set(O + "value-type", "string")
            for each in list(cell):
                cell.remove(each)
            etree.SubElement(cell, X + "p").text = "late"
with zipfile.ZipFile(sys.argv[1] + ".new", "w", zipfile.ZIP_DEFLATED) as fresh:
    for each in package.infolist():
        data = package.read(each)
        if each.filename == "content.xml":
            data = etree.tostring(root, xml_declaration=True, encoding="UTF-8")
        fresh.writestr(each, data)
os.replace(sys.argv[1] + ".new", sys.argv[1])
"""
_NAME = "urn:oasis:names:tc:opendocument:xmlns"
_SPACES = " ".join(
    f'xmlns:{prefix}="{_NAME}:{name}:1.0"'
    for prefix, name in {"office": "office", "table": "table", "text": "text", "style": "style", "meta": "meta"}.items()
)
_STYLES = "".join(
    f'<style:style style:name="ta{number}" style:family="table"><style:table-properties table:display="{shown}"/>'
    "</style:style>"
    for number, shown in ((1, "true"), (2, "false"))
)
_PARTS = {
    "/": "application/vnd.oasis.opendocument.spreadsheet", "content.xml": "text/xml", "styles.xml": "text/xml",
    "meta.xml": "text/xml",
}  # fmt: skip


def open_workbook(path: Path, rows: int) -> Path:
    """The same 12 sheets of bookings, written as office programs write them."""
    if path.exists():
        return path
    chance = random.Random(7)
    with zipfile.ZipFile(path, "w", zipfile.ZIP_DEFLATED) as package:
        package.writestr("mimetype", _PARTS["/"], zipfile.ZIP_STORED)
        with package.open("content.xml", "w") as part:
            part.write(f'<?xml version="1.0" encoding="UTF-8"?>\n<office:document-content {_SPACES} '.encode())
            part.write(f'office:version="1.3"><office:automatic-styles>{_STYLES}</office:automatic-styles>'.encode())
            part.write(b"<office:body><office:spreadsheet>")
            for number in range(12):
                style = "ta2" if number % 3 == 1 else "ta1"
                part.write(f'<table:table table:name="Hut {number}" table:style-name="{style}">'.encode())
                part.write(b'<table:table-column table:number-columns-repeated="7"/>')
                part.writelines(_rows(chance, rows))
                part.write(b"</table:table>")
            part.write(b"</office:spreadsheet></office:body></office:document-content>")
        for kind in ("styles", "meta"):
            inside = "<office:meta/>" if kind == "meta" else ""
            root = f'<office:document-{kind} {_SPACES} office:version="1.3">{inside}</office:document-{kind}>'
            package.writestr(f"{kind}.xml", root)
        package.writestr("META-INF/manifest.xml", _manifest())
    return path


def _rows(chance: random.Random, rows: int) -> Iterator[bytes]:
    yield _row(["Guest", "Hut", "Nights", "Weight", "Paid", "Note", "Arrival"])
    for _ in range(rows):
        guest, hut = f"Guest {chance.randrange(90_000)}", chance.choice(["Larch", "Kite"])
        more = chance.randrange(9), round(chance.random() * 90, 2), chance.randrange(2)
        yield _row([guest, hut, *more, f"note {chance.randrange(90_000)}", 45_000 + chance.randrange(600)])


def _row(values: list[str | int | float]) -> bytes:
    cells = "".join(
        f'<table:table-cell office:value-type="string"><text:p>{value}</text:p></table:table-cell>'
        if isinstance(value, str)
        else f'<table:table-cell office:value-type="float" office:value="{value}"><text:p>{value}</text:p>'
        "</table:table-cell>"
        for value in values
    )
    return f"<table:table-row>{cells}</table:table-row>".encode()


def _manifest() -> str:
    entry = "".join(
        f'<manifest:file-entry manifest:full-path="{path}" manifest:media-type="{type_}"/>'
        for path, type_ in _PARTS.items()
    )
    return (
        f'<manifest:manifest xmlns:manifest="{_NAME}:manifest:1.0" manifest:version="1.3">{entry}</manifest:manifest>'
    )
