"""Results of formulas that a run makes stale in ways that the formula does not show at once."""

from __future__ import annotations

from pathlib import Path

import pytest
import xlsxwriter
from books import packed
from sheets import members
from test_structure import done, run


@pytest.mark.parametrize(
    ("formula", "change", "stale"),
    [
        ('=SUMIF(A1:A4,">1",B1)', 'cell("B4").value = 9', True),
        ('=SUMIF(A1:A4,">1",B1:B2)', 'cell("B4").value = 9', True),
        ('=AVERAGEIF(A1:A4,">1",B1)', 'cell("B3").value = 9', True),
        ('=SUMIF(A1:A4,">1",B1)', 'cell("B5").value = 9', False),
        ('=SUMIF(A1:A4,">1")', 'cell("A4").value = 9', True),
        ('=SUMIF(INDEX(A1:A4,0),">1",B1)', 'cell("D9").value = 9', True),
        ("=SUBTOTAL(109,B1:B4)", "row(2).hidden = yes", True),
        ("=AGGREGATE(9,5,B1:B4)", "row(2).hidden = yes", True),
        ("=SUM(B1:B4)", "row(2).hidden = yes", False),
        ("=SUBTOTAL(109,B1:B4)", "row(9).hidden = yes", False),
        ("=SUBTOTAL(9,Other!B1:B4)", "row(2).hidden = yes", False),
    ],
)
def test_a_result_that_depends_on_a_change_is_stale(home: Path, formula: str, change: str, stale: bool) -> None:
    path = Path("book.xlsx")
    book = xlsxwriter.Workbook(path)
    sheet, _ = book.add_worksheet("S1"), book.add_worksheet("Other")
    for row in range(4):
        sheet.write_row(row, 0, [row, row])
    sheet.write_formula("C1", formula, None, 5)
    sheet.write_formula("C2", "=C1+1", None, 6)
    book.close()
    for cell in ("C1", "C2"):
        found = run(f'in sheet("S1")\n{change}\nlog cell("{cell}").value\nend', path)
        assert ("is outdated" in str(found.problem)) == stale, found.problem
    assert done(f'in sheet("S1")\nlog cell("C1").value\n{change}\nend', path).log == ["5"]


@pytest.mark.parametrize(("formula", "marked"), [("SUBTOTAL(109,A1:A2)", True), ("SUM(A1:A2)", False)])
def test_a_workbook_is_calculated_anew_when_hidden_rows_count(home: Path, formula: str, marked: bool) -> None:
    path = Path("book.xlsx")
    path.write_bytes(
        packed(
            [f'<sheetData><row r="1"><c r="A1"><v>1</v></c><c r="B1"><f>{formula}</f><v>1</v></c></row></sheetData>']
        )
    )
    done('in sheet("S1")\nrow(1).hidden = yes\nend', path)
    assert (b"fullCalcOnLoad" in members(path)["xl/workbook.xml"]) == marked
