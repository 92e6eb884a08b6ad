"""A question never fails: whether something is there is answered with yes or no, wherever it is asked."""

from __future__ import annotations

from pathlib import Path

import openpyxl
import pytest
from conftest import SAMPLE, macro
from openpyxl.chart import BarChart

import scrub

DEMO = SAMPLE.parent


def said(body: str, path: Path | str = "huts.xlsx", kind: str = "workbook") -> list[str]:
    found = scrub.run(macro(body, kind), [str(path)], preview=True).files[0]
    assert found.problem is None, str(found.problem)
    return list(found.said)


@pytest.fixture(autouse=True)
def huts(home: Path) -> None:
    book = openpyxl.Workbook()
    first = book.active
    assert first is not None
    first.title = "Nights"
    for row in (["Hut", "Nights"], ["Larch", 3], ["Kite", None]):
        first.append(row)
    book.create_sheet("Empty")
    book.create_chartsheet("Chart").add_chart(BarChart())
    closed = book.create_sheet("Closed")
    closed.protection.sheet = True
    closed.protection.password = "stove"
    closed.protection.sort = False
    closed.protection.selectLockedCells = True
    book.save("huts.xlsx")


@pytest.mark.parametrize("question", [
    'sheet("No") exists', 'sheet("No").cell("A1") exists', 'sheet("No").row(3).cell("A") exists', 'cells("Nix") exists',
    'sheet("Empty").cell("Nix") exists', 'sheet("Empty").column("Nights") exists', 'sheet("Empty").record(hut: "Larch") exists',
    'sheet("Empty").records.record(hut: "Larch") exists', 'sheet("Empty").records.column("Hut") exists', 'cell("Nix") exists',
    'table("No").record(hut: "Larch") exists', 'table("No").column("Hut") exists', 'sheet("Empty").headings contains "Hut"',
    'sheet("Empty").records.headings contains "Hut"', 'sheet("Empty").records is not empty', 'sheet("Nights").record(hut: "Col") exists',
    'sheet("Nights").records.record(beds: 3) exists', 'sheet("No").picture("x") exists', 'cell("No!A1") exists',
])  # fmt: skip
def test_what_is_not_there_is_a_no(question: str) -> None:
    assert said(f'if {question}\nsay "yes"\nelse\nsay "no"\nend') == ["no"]
    negated = question.replace("exists", "is missing").replace("contains", "does not contain").replace("is not", "is")
    assert said(f'if {negated}\nsay "yes"\nend') == ["yes"]


def test_a_condition_meets_sheets_of_every_sort() -> None:
    for asked in ('sheet.headings contains "Nights"', 'sheet.records.headings contains "Nights"'):
        assert said(f'each sheet where sheet.name is not "Chart" and {asked}\nsay sheet.name\nend') == ["Nights"]
    assert said('each sheet where sheet.headings contains "Nights"\nsay sheet.name\nend') == ["Nights"]


def test_what_was_asked_for_and_is_there_is_used() -> None:
    body = 'found = sheet("Nights").record(hut: "larch")\nif found exists\nsay "{found.nights}"\nend'
    assert said(body) == ["3"]
    assert said('found = sheet("No").record(hut: "larch")\nif found is missing\nsay "none"\nend') == ["none"]
    told = scrub.run(macro('say sheet("No").cell("A1").shown'), ["huts.xlsx"]).files[0].problem
    assert 'no sheet "No"' in str(told)


def test_an_empty_sheet_takes_headings_and_records() -> None:
    body = 'in sheet("Empty")\nin sheet.records\nadd-column "Hut"\nadd-column "Beds"\nadd-record hut: "Larch", beds: 12\nend\nend'
    assert scrub.run(macro(body), ["huts.xlsx"]).files[0].problem is None
    rows = list(openpyxl.load_workbook("huts.xlsx")["Empty"].iter_rows(values_only=True))
    assert rows == [("Hut", "Beds"), ("Larch", 12)]


def test_what_a_protection_allows_is_told() -> None:
    body = 'in sheet("Closed")\nsay "{sheet.allowed} {sheet.selectable} {sheet.password-needed}"\nif sheet.allowed contains sort\nsay "sort"\nend\nend'
    assert said(body) == ["sort, drawings, scenarios open-cells yes", "sort"]
    assert said('in sheet("Nights")\nsay "{sheet.allowed.count} {sheet.selectable} {sheet.password-needed}"\nend') == [
        "0 any-cell no"
    ]
    change = 'in sheet("Nights")\nprotect allow: [filter], select: no-cell\nsay "{sheet.allowed} {sheet.selectable} {sheet.password-needed}"\nend'
    assert said(change) == ["filter no-cell no"]


def test_cells_of_a_record() -> None:
    body = 'each record in sheet("Nights")\neach cell where cell is empty\nsay cell.address\nend\nend'
    assert said(body) == ["B3"]
    scrub.run(macro('each record in sheet("Nights")\neach cell\ncell.bold = yes\nend\nend'), ["huts.xlsx"])
    sheet = openpyxl.load_workbook("huts.xlsx")["Nights"]
    assert [cell.font.b for row in sheet.iter_rows() for cell in row] == [False, False, True, True, True, True]


def test_a_file_of_rows_is_one_table() -> None:
    assert said("each table\nsay table.name\nend", DEMO / "bookings.csv") == ["bookings"]
    assert said('say "{count(record in table("bookings")) > 3}"', DEMO / "bookings.csv") == ["yes"]
    Path("none.csv").write_text("")
    assert said("each table\nsay table.name\nend", "none.csv") == []


def test_a_paragraph_below_a_heading() -> None:
    Path("rules.md").write_text("# Water\nBoil it.\nCarry it.\n# Stove\n")
    body = 'each heading\nif paragraph(2) exists\nsay paragraph(2).text\nelse\nsay "none"\nend\nend'
    assert said(body, "rules.md", "document") == ["Carry it.", "none"]
    assert said('say heading("Water").paragraph(1).text', "rules.md", "document") == ["Boil it."]
    told = scrub.run(macro('say heading("Stove").paragraph(1).text', "document"), ["rules.md"]).files[0].problem
    assert 'no paragraph 1 below the heading "Stove": it has 0 paragraphs' in str(told)


def test_braces_around_nothing_to_fill_in() -> None:
    for written in ("{5}", "{2,3} nights"):
        problems = scrub.check(macro(f'say "{written}"', "nothing"))
        assert "For plain braces, double them" in str(problems[0]), written
    for fine in ("x{{5}}", r"\d{5}", "a{2,3}", " {2,}"):
        assert not scrub.check(macro(f'if "x" matches "{fine}"\nend', "nothing")), fine
    assert not scrub.check(macro('say "{{5}}"', "nothing"))
    swapped = 'each sheet\nreplace-matching "(\\w+) or (\\w+)", by: "{%d} or {1}"\nend'
    assert not scrub.check(macro(swapped % 2))
    assert "{5} refers to brackets that the pattern does not have; it has 2" in str(scrub.check(macro(swapped % 5))[0])
    assert "error in the regular expression" in str(
        scrub.check(macro('each sheet\nreplace-matching "(", by: "x"\nend'))[0]
    )
