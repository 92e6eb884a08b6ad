"""Whole columns that are formatted: the column itself and the cells in use, and not a million others."""

from __future__ import annotations

from pathlib import Path

import pytest
import xlsxwriter
from sheets import load, members, schema_findings
from test_structure import done

import scrub


@pytest.fixture
def path(home: Path) -> Path:
    found = Path("book.xlsx")
    book = xlsxwriter.Workbook(found)
    sheet = book.add_worksheet("S1")
    for row in range(5):
        sheet.write_row(row, 0, ["Hut" if not row else "a", row if row else "Kg"])
    sheet.set_column("C:F", 20)
    book.close()
    return found


@pytest.mark.parametrize("way", ['column("H")', 'cells("H:H")', 'cells("H1:H1048576")'])
def test_a_column_without_cells_is_formatted_itself(path: Path, way: str) -> None:
    before, size = path.read_bytes(), len(members(path)["xl/worksheets/sheet1.xml"])
    found = done(f'in sheet("S1")\n{way}.number-format = "0.00"\n{way}.bold = yes\nend', path)
    assert [str(each) for each in found.changes] == [
        "column H number-format: General -> 0.00",
        "column H bold: no -> yes",
    ]
    sheet = load(path)["S1"]
    assert sheet.column_dimensions["H"].number_format == "0.00"
    assert sheet.column_dimensions["H"].font.b
    assert sheet.column_dimensions["H"].width > 5
    assert sheet.max_column == 2  # no cell was made
    assert len(members(path)["xl/worksheets/sheet1.xml"]) < size + 200
    assert not schema_findings(path)
    done('in sheet("S1")\ncell("H7").value = 1.5\nend', path)
    assert load(path)["S1"]["H7"].number_format == "0.00"
    scrub.undo()
    scrub.undo()
    assert path.read_bytes() == before


def test_cells_in_use_are_formatted_with_the_column(path: Path) -> None:
    done('in sheet("S1")\ncolumn("B").number-format = "0.00"\ncolumn("D").fill = "red"\nend', path)
    sheet = load(path)["S1"]
    assert [sheet[f"B{row}"].number_format for row in range(1, 6)] == ["0.00"] * 5
    assert sheet.column_dimensions["B"].number_format == "0.00"
    assert sheet.column_dimensions["D"].fill.fgColor.rgb.endswith("FF0000")
    assert sheet.column_dimensions["D"].width == sheet.column_dimensions["C"].width
    assert not schema_findings(path)


def test_a_column_by_its_heading_leaves_the_heading(path: Path) -> None:
    done('in sheet("S1")\ncolumn("Kg").bold = yes\nend', path)
    sheet = load(path)["S1"]
    assert [sheet[f"B{row}"].font.b for row in range(1, 6)] == [False, True, True, True, True]


def test_a_column_there_and_back_is_no_change(path: Path) -> None:
    before = path.read_bytes()
    done('in sheet("S1")\nattempt\ncolumn("H").bold = yes\nfail "no"\nif it fails\nend\nend', path)
    assert path.read_bytes() == before
