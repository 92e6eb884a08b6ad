"""Formulas and number formats as files have them and as people write them; what no program takes is refused."""

from __future__ import annotations

from pathlib import Path

import pytest
import xlsxwriter
from sheets import load, members
from test_structure import done, run


@pytest.fixture
def path(home: Path) -> Path:
    found = Path("book.xlsx")
    book = xlsxwriter.Workbook(found)
    sheet = book.add_worksheet("S1")
    sheet.write_column("A1", [1, 2, 3])
    sheet.write_formula("B1", "=_xlfn.CONCAT(A1:A3)", None, "123")
    book.close()
    return found


def test_newer_functions_have_the_prefix_of_files_and_people_never_see_it(path: Path) -> None:
    found = done(
        """in sheet("S1")
say cell("B1").formula
cell("B1").formula = cell("B1").formula
cell("B2").formula = "=xlookup(1,A1:A3,A1:A3)&""XLOOKUP(""&SUM(A1:A2)"
cell("B3").formula = "=SORT(UNIQUE(A1:A3))"
cell("B4").formula = "=_xlfn.CONCAT(A1:A3)"
cell("B5").formula = "=IFERROR(STDEV.S(A1:A3),0)"
say cell("B2").formula
end""",
        path,
    )
    assert found.said == ["=CONCAT(A1:A3)", '=xlookup(1,A1:A3,A1:A3)&"XLOOKUP("&SUM(A1:A2)']
    sheet = load(path)["S1"]
    assert [sheet[f"B{row}"].value for row in range(1, 6)] == [
        "=_xlfn.CONCAT(A1:A3)",
        '=_xlfn.xlookup(1,A1:A3,A1:A3)&"XLOOKUP("&SUM(A1:A2)',
        "=_xlfn._xlws.SORT(_xlfn.UNIQUE(A1:A3))",
        "=_xlfn.CONCAT(A1:A3)",
        "=IFERROR(_xlfn.STDEV.S(A1:A3),0)",
    ]
    before = members(path)
    found = done('in sheet("S1")\ncell("B2").formula = cell("B2").formula\nend', path)
    assert not found.changes
    assert members(path) == before


@pytest.mark.parametrize("formula", ["1,5*2", "A1*1,5", "(1,5)*A1", '"a","b"'])
def test_a_comma_for_decimals_is_refused(path: Path, formula: str) -> None:
    quoted = formula.replace('"', '""')
    found = run(f'in sheet("S1")\ncell("C1").formula = "={quoted}"\nend', path)
    assert "Write decimals with a point" in str(found.problem)


@pytest.mark.parametrize("formula", ["SUM((A1,A3))", "SUM(1,5)", "AREAS((A1:A2,A3))", "{1,2;3,4}", "SUM(A1,(A2,A3))"])
def test_commas_that_mean_something_are_taken(path: Path, formula: str) -> None:
    done(f'in sheet("S1")\ncell("C1").formula = "={formula.replace("{", "{{").replace("}", "}}")}"\nend', path)
    assert load(path)["S1"]["C1"].value == f"={formula}"


@pytest.mark.parametrize(
    ("format_", "why"),
    [
        ("0 kg", '"kg" is not a code'),
        ('0 ""kg', "is not a code"),
        ("[Rot]0", "is not a code"),
        ("TT.MM.JJJJ", '"TT" is not a code'),
        ("0;0;0;0;0", "four is the maximum"),
        ("0.00 yyyy", "codes for numbers and dates"),
        ("@0", "with codes"),
        ("0[", "is not a code"),
    ],
)
def test_broken_number_formats_are_refused(path: Path, format_: str, why: str) -> None:
    found = run(f'in sheet("S1")\ncell("A1").number-format = "{format_}"\nend', path)
    assert why in str(found.problem)


@pytest.mark.parametrize(
    "format_",
    [
        "General", "0.00", "#,##0.00;[Red]-#,##0.00", "yyyy-mm-dd hh:mm:ss", "[h]:mm:ss.00", "0.0%", "0.00E+00", "# ?/?", "@",
        '0 ""kg""', '0\\ ""°C""', '_-* #,##0.00\\ [$€-407]_-', '[>=1000]0,""k"";0', "h:mm AM/PM", "m/d/yy h:mm", '""x""', "€ 0.00", "ddd d. mmm",
        "[$-409]d-mmm-yy", '0.00;-0.00;;@', "mm:ss.0",
    ],
)  # fmt: skip
def test_good_number_formats_are_taken(path: Path, format_: str) -> None:
    done(f'in sheet("S1")\ncell("A1").number-format = "{format_}"\nend', path)
    assert load(path)["S1"]["A1"].number_format == format_.replace('""', '"')
