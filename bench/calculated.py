"""Workbooks full of formulas with their results, written as XML, since no library writes results."""

from __future__ import annotations

import zipfile
from collections.abc import Iterable
from pathlib import Path

_MAIN = "http://schemas.openxmlformats.org/spreadsheetml/2006/main"
_OFFICE = "http://schemas.openxmlformats.org/officeDocument/2006/relationships"
_PACKAGE = "http://schemas.openxmlformats.org/package/2006"
_TYPE = "application/vnd.openxmlformats-officedocument.spreadsheetml"
_PARTS = {
    "[Content_Types].xml": f'<Types xmlns="{_PACKAGE}/content-types">'
    '<Default Extension="rels" ContentType="application/vnd.openxmlformats-package.relationships+xml"/>'
    f'<Override PartName="/xl/workbook.xml" ContentType="{_TYPE}.sheet.main+xml"/>'
    f'<Override PartName="/xl/worksheets/sheet1.xml" ContentType="{_TYPE}.worksheet+xml"/></Types>',
    "_rels/.rels": f'<Relationships xmlns="{_PACKAGE}/relationships">'
    f'<Relationship Id="r1" Type="{_OFFICE}/officeDocument" Target="xl/workbook.xml"/></Relationships>',
    "xl/workbook.xml": f'<workbook xmlns="{_MAIN}" xmlns:r="{_OFFICE}"><sheets>'
    '<sheet name="Nights" sheetId="1" r:id="r1"/></sheets></workbook>',
    "xl/_rels/workbook.xml.rels": f'<Relationships xmlns="{_PACKAGE}/relationships">'
    f'<Relationship Id="r1" Type="{_OFFICE}/worksheet" Target="worksheets/sheet1.xml"/></Relationships>',
}


def _written(path: Path, rows: Iterable[str]) -> Path:
    with zipfile.ZipFile(path, "w", zipfile.ZIP_DEFLATED) as package:
        for name, text in _PARTS.items():
            package.writestr(name, text)
        sheet = f'<worksheet xmlns="{_MAIN}"><sheetData>{"".join(rows)}</sheetData></worksheet>'
        package.writestr("xl/worksheets/sheet1.xml", sheet)
    return path


def _number(cell: str, value: float) -> str:
    return f'<c r="{cell}"><v>{value}</v></c>'


def _formula(cell: str, text: str, value: float) -> str:
    return f'<c r="{cell}"><f>{text}</f><v>{value}</v></c>'


def dependants(path: Path, count: int, on_input: bool) -> Path:
    """A1, and so many products below it, which use it or do not."""
    factor = "$A$1" if on_input else "2"
    rows = [f'<row r="1">{_number("A1", 2)}</row>']
    for row in range(2, count + 2):
        product = _formula(f"C{row}", f"A{row}*B{row}*{factor}", row * 6)
        rows.append(f'<row r="{row}">{_number(f"A{row}", row)}{_number(f"B{row}", 3)}{product}</row>')
    return _written(path, rows)


def many(path: Path, count: int) -> Path:
    """Four formulas a row, none of which needs H1, and ten that do."""
    rows = [f'<row r="1">{_number("A1", 2)}{_number("H1", 0)}</row>']
    for row in range(2, count // 4 + 2):
        cells = _number(f"A{row}", row) + _formula(f"B{row}", f"A{row}*2", 2 * row)
        cells += _formula(f"C{row}", f"B{row}+A{row}", 3 * row) + _formula(f"D{row}", f"C{row}-1", 3 * row - 1)
        cells += _formula(f"E{row}", f"D{row}*2", 6 * row - 2)
        cells += _formula(f"F{row}", f"$H$1*{row}", 0) if 10 <= row < 20 else ""
        rows.append(f'<row r="{row}">{cells}</row>')
    return _written(path, rows)


def sums(path: Path, count: int) -> Path:
    """Running totals, 40 conditional sums and 200 lookups over so many rows."""
    by_hut: dict[int, int] = {}
    for row in range(1, count + 1):
        by_hut[row % 97] = by_hut.get(row % 97, 0) + row
    rows, total = [], 0
    for row in range(1, count + 1):
        total += row
        cells = _number(f"A{row}", row % 97) + _number(f"B{row}", row) + _formula(f"C{row}", f"SUM(B$1:B{row})", total)
        if row <= 40:
            cells += _formula(f"D{row}", f"SUMIFS(B$1:B${count},A$1:A${count},{row})", by_hut[row])
        elif row <= 240:
            wanted = row * 7
            found = f"INDEX(A$1:A${count},MATCH({wanted},B$1:B${count},0))"
            cells += _formula(f"D{row}", found, wanted % 97)
        rows.append(f'<row r="{row}">{cells}</row>')
    return _written(path, rows)
