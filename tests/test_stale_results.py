"""Results of formulas that a change reaches in ways that the formula does not show at once."""

from __future__ import annotations

from pathlib import Path

import openpyxl
import pytest
import xlsxwriter
from test_structure import done


@pytest.mark.parametrize(
    ("formula", "saved", "change", "right"),
    [
        ('=SUMIF(A1:A4,">1",B1)', 5, 'cell("B4").value = 9', 11),
        ('=SUMIF(A1:A4,">1",B1:B2)', 5, 'cell("B4").value = 9', 11),
        ('=AVERAGEIF(A1:A4,">1",B1)', 2.5, 'cell("B3").value = 9', 6),
        ('=SUMIF(A1:A4,">1",B1)', 5, 'cell("B5").value = 9', 5),
        ('=SUMIF(A1:A4,">1")', 5, 'cell("A4").value = 9', 11),
        ('=SUMIF(INDEX(A1:A4,0),">1",B1)', 5, 'cell("D9").value = 9', 5),
        ("=SUBTOTAL(109,B1:B4)", 6, "row(2).hidden = yes", 5),
        ("=AGGREGATE(9,5,B1:B4)", 6, "row(2).hidden = yes", 5),
        ("=SUM(B1:B4)", 6, "row(2).hidden = yes", 6),
        ("=SUBTOTAL(9,B1:B4)", 6, "row(2).hidden = yes", 6),
        ("=SUBTOTAL(109,B1:B4)", 6, "row(9).hidden = yes", 6),
        ("=SUBTOTAL(109,Other!B1:B4)", 0, "row(2).hidden = yes", 0),
    ],
)
def test_a_change_reaches_what_the_formula_does_not_name(
    home: Path, formula: str, saved: float, change: str, right: float
) -> None:
    path = Path("book.xlsx")
    book = xlsxwriter.Workbook(path)
    book.calc_on_load = False
    sheet, _ = book.add_worksheet("S1"), book.add_worksheet("Other")
    for row in range(4):
        sheet.write_row(row, 0, [row, row])
    sheet.write_formula("C1", formula, None, saved)
    sheet.write_formula("C2", "=C1+1", None, saved + 1)
    book.close()
    found = done(f'in sheet("S1")\n{change}\nlog cell("C1").value\nlog cell("C2").value\nend', path)
    assert found.log == [str(right), str(right + 1)]
    saved_now = openpyxl.load_workbook(path, data_only=True)["S1"]
    assert [saved_now[cell].value for cell in ("C1", "C2")] == [right, right + 1]
    assert len(found.recalculated) == (2 if right != saved else 0)
