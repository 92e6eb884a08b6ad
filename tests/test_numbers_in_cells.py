"""Numbers as cells store and show them."""

from __future__ import annotations

from datetime import date
from pathlib import Path

import pytest
import xlsxwriter
from sheets import load
from test_structure import done, run


@pytest.fixture
def path(home: Path) -> Path:
    found = Path("book.xlsx")
    book = xlsxwriter.Workbook(found)
    sheet = book.add_worksheet("S1")
    day = book.add_format({"num_format": "yyyy-mm-dd"})
    sheet.write_row("A1", ["When", "Kg"])
    for row in range(1, 7):
        sheet.write_datetime(row, 0, date(2026, 5, row), day)
        sheet.write(row, 1, row)
    sheet.set_column("D:D", None, day)
    book.close()
    return found


@pytest.mark.parametrize(
    "body",
    [
        'cell("A2").value = 45000',
        "each record in sheet\nif record.kg is 1\nrecord.when = 45000\nend\nend",
        'cell("D2").value = 45000',
    ],
)
def test_a_number_in_a_cell_for_dates_is_told(path: Path, body: str) -> None:
    found = done(f'in sheet("S1")\n{body}\nend', path)
    place = "S1 D2" if "D2" in body else "S1 A2"
    assert f"{place}: 45000 is read as 2023-03-15, because of the cell's format." in found.notes
    cell = load(path)["S1"][place[-2:]]
    assert cell.value.date() == date(2023, 3, 15)
    assert not any("is read as" in each for each in done('in sheet("S1")\ncell("B2").value = 45000\nend', path).notes)


def test_many_such_numbers_are_counted(path: Path) -> None:
    found = done('each record in sheet("S1")\nrecord.when = record.kg\nend', path)
    assert [each for each in found.notes if "more numbers" in each] == [
        "3 more numbers are in cells formatted as dates or durations."
    ]


@pytest.mark.parametrize(("value", "good"), [
    ("12345678901234567890", False), ("1234567890123456", True), ("9007199254740993", False), ("100000000000000000000", True), ("0.1 + 0.2", True), ("1 / 3", True),
    ("123456789012345", True), ("-12345678901234567", False),
])  # fmt: skip
def test_no_digit_is_lost_without_a_word(path: Path, value: str, good: bool) -> None:
    for body in (f'cell("B2").value = {value}', f"in sheet.records()\nadd-row [nothing, {value}]\nend"):
        found = run(f'in sheet("S1")\n{body}\nend', path)
        if good:
            assert found.problem is None, str(found.problem)
        else:
            assert "a cell stores 15" in str(found.problem)
