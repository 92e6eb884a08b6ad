"""Rows that are sorted: formulas keep their meaning or the sort is refused; totals stay below."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import openpyxl
import pytest
import xlsxwriter
from conftest import examples
from hypothesis import given
from hypothesis import strategies as st
from openpyxl.worksheet.table import Table
from sheets import load
from test_structure import done, evaluated, run

import scrub

ROWS = [("Larch", 3, 20), ("Birch", 1, 10), ("Pine", 2, 30), ("Alder", 3, 5)]


def stays(
    path: Path, formula: str = "=B{row}*C{row}", total: str = "", other: str = "", beside: str = "", name: str = ""
) -> None:
    book = xlsxwriter.Workbook(path)
    sheet, second = book.add_worksheet("Stays"), book.add_worksheet("Other")
    sheet.write_row("A1", ["Hut", "Nights", "Rate", "Sum"])
    for row, each in enumerate(ROWS, 2):
        sheet.write_row(row - 1, 0, each)
        sheet.write_formula(row - 1, 3, formula.format(row=row, before=row - 1), None, each[1] * each[2])
    if total:
        sheet.write("A6", "Total")
        sheet.write_formula("D6", total)
    if beside:
        sheet.write_formula("F3", beside)
    if other:
        second.write_formula("A1", other)
    if name:
        book.define_name("First", name)
    second.write("B9", 7)
    book.close()


def seen(path: Path) -> list[list[Any]]:
    return [[cell.value for cell in row] for row in load(path)["Stays"]["A2:D6"]]


def sort(path: Path, by: str = "Hut", more: str = "") -> Any:
    return run(f'in sheet("Stays").records()\nsort by: "{by}"{more}\nend', path)


def test_a_total_row_stays_below_and_its_formula_with_it(home: Path) -> None:
    path = Path("stays.xlsx")
    stays(path, total="=SUM(D2:D5)", other="=SUM(Stays!D2:D5)", beside="=MAX(C:C)", name="=Stays!$C$2:$C$5")
    before = path.read_bytes()
    assert sort(path).problem is None
    assert seen(path) == [
        ["Alder", 3, 5, "=B2*C2"], ["Birch", 1, 10, "=B3*C3"], ["Larch", 3, 20, "=B4*C4"], ["Pine", 2, 30, "=B5*C5"],
        ["Total", None, None, "=SUM(D2:D5)"],
    ]  # fmt: skip
    assert not sort(path).changes  # the second run finds nothing to do
    scrub.undo(1)
    assert path.read_bytes() == before


@pytest.mark.parametrize(
    ("what", "place"),
    [
        ({"formula": "=SUM(B$2:B{row})"}, "D3"),
        ({"formula": "=B{row}+B{before}"}, "D3"),
        ({"formula": "=OFFSET(B{row},-1,0)"}, "D2"),
        ({"other": "=Stays!B3"}, "Other A1"),
        ({"other": "=SUM(Stays!B2:B3)"}, "Other A1"),
        ({"beside": "=C3*2"}, "Stays F3"),
        ({"name": "=Stays!$A$3"}, "First"),
    ],
)
def test_a_sort_that_would_change_a_result_is_refused(home: Path, what: dict[str, str], place: str) -> None:
    path = Path("stays.xlsx")
    stays(path, **what)
    book = openpyxl.load_workbook(path)
    book["Stays"].add_table(Table(displayName="Huts", ref="A1:D5"))
    book.save(path)
    before = path.read_bytes()
    problem = run('in table("Huts")\nsort by: "Hut"\nend', path).problem
    assert place in str(problem)
    assert path.read_bytes() == before


def test_each_key_has_its_own_direction(home: Path) -> None:
    path = Path("stays.xlsx")
    stays(path)
    sort(path, "Nights", ', descending: yes, then: "Hut"')
    assert [row[0] for row in seen(path)][:4] == ["Alder", "Larch", "Pine", "Birch"]
    sort(path, "Nights", ', then: "Hut", then-descending: yes')
    assert [row[0] for row in seen(path)][:4] == ["Birch", "Pine", "Larch", "Alder"]


def test_an_error_value_is_named(home: Path) -> None:
    path = Path("stays.xlsx")
    stays(path)
    found = run(
        'in sheet("Stays")\ncell("B4").formula = "=1/0"\nend\nin sheet("Stays").records()\nsort by: "Nights"\nend', path
    )
    assert "Stays B4" in str(found.problem)
    book = openpyxl.load_workbook(path)
    book["Stays"]["B4"].value = "#N/A"
    book["Stays"]["B4"].data_type = "e"
    book.save(path)
    before = path.read_bytes()
    for by in ("Nights", "Hut"):
        assert "Stays B4" in str(sort(path, by).problem)
    assert path.read_bytes() == before


FORMULAS = st.sampled_from(
    [
        "=B{row}*2",
        "=SUM(B{row}:C{row})",
        "=B{row}/SUM(B$2:B$6)",
        "=C{row}+Other!$B$9",
        "=$B{row}&A{row}",
        "=Other!B9*B{row}",
    ]
)


@given(
    st.lists(st.tuples(st.sampled_from("abcd"), st.integers(1, 9), st.integers(1, 9)), min_size=5, max_size=5),
    FORMULAS,
    st.sampled_from(["Hut", "Nights", "Rate"]),
    st.booleans(),
)
@examples(12)
def test_every_record_has_the_results_that_it_had(
    home: Path, rows: list[tuple[str, int, int]], formula: str, by: str, downwards: bool
) -> None:
    """Judged by an evaluator of formulas that shares no code with Scrub."""
    path = Path("stays.xlsx")
    book = xlsxwriter.Workbook(path)
    sheet, other = book.add_worksheet("Stays"), book.add_worksheet("Other")
    sheet.write_row("A1", ["Hut", "Nights", "Rate", "Sum"])
    for row, each in enumerate(rows, 2):
        sheet.write_row(row - 1, 0, each)
        sheet.write_formula(row - 1, 3, formula.format(row=row))
    other.write("B9", 7)
    book.close()

    def records() -> list[tuple[str, ...]]:
        found = evaluated(path)
        return [tuple(str(found.get(("STAYS", f"{letter}{row}"))) for letter in "ABCD") for row in range(2, 7)]

    before = records()
    done(f'in sheet("Stays").records()\nsort by: "{by}", descending: {"yes" if downwards else "no"}\nend', path)
    after = records()
    assert sorted(after) == sorted(before)
    column = ["Hut", "Nights", "Rate"].index(by)
    assert [each[column] for each in after] == sorted((each[column] for each in before), reverse=downwards)


def test_records_of_a_sheet_leave_the_totals_of_a_table_out(home: Path) -> None:
    path = Path("totals.xlsx")
    book = xlsxwriter.Workbook(path)
    sheet = book.add_worksheet("Data")
    sheet.add_table(
        "A1:B5",
        {
            "data": [["a", 1], ["b", 2], ["c", 3]],
            "total_row": True,
            "columns": [{"header": "Hut", "total_string": "Total"}, {"header": "Nights", "total_function": "sum"}],
        },
    )
    book.close()
    found = done(
        'each record in sheet("Data")\nlog record.hut\nend\nsay "{count(record in sheet("Data"))} {sum(record.nights in sheet("Data"))}"',
        path,
    )
    assert found.log == ["a", "b", "c"]
    assert found.said == ["3 6"]
    done('in sheet("Data").records()\nsort by: "Nights", descending: yes\nend', path)
    assert [cell.value for cell in load(path)["Data"]["A"]] == ["Hut", "c", "b", "a", "Total"]
