"""Values of different types that read the same, what is empty, days and times, numbers as people write them."""

from __future__ import annotations

import sqlite3
from pathlib import Path

import openpyxl
import pytest
from conftest import macro, problems, said
from test_structure import done

import scrub


def notes(body: str, path: Path, kind: str = "workbook") -> list[str]:
    found = scrub.run(macro(body, kind), [str(path)]).files[0]
    assert found.problem is None, str(found.problem)
    return list(found.notes)


@pytest.fixture
def stock(home: Path) -> Path:
    book = openpyxl.Workbook()
    sheet = book.active
    assert sheet is not None
    sheet.title = "Stock"
    for row in (["Art", "Kg", "Paid"], [100, "1", True], ["200", 2, "yes"], [300, 3, 1], ["100", 4, False]):
        sheet.append(row)
    book.save("stock.xlsx")
    return Path("stock.xlsx")


@pytest.mark.parametrize(
    ("body", "what", "heading", "remedy"),
    [
        ('each record in sheet("Stock") where record.art is "300"\nend', "a number and text", "art", "read-numbers"),
        ('each record in sheet("Stock") where record.paid is yes\nend', "a number and a yes or no", "paid", "is 1"),
        ('each record in sheet("Stock") where record.paid is yes\nend', "a yes or no and text", "paid", 'is "yes"'),
        ('in sheet("Stock").records()\nif record(art: "300") exists\nend\nend', "a number and text", "Art", "as-number"),
        ('in sheet("Stock").records()\nif record(art: 200) exists\nend\nend', "a number and text", "Art", "as-number"),
        ('in sheet("Stock").records()\ndelete-duplicates under: ["Art"]\nend', "a number and text", "Art", "read-numbers"),
        ('x = pairs(otherwise: 0)\neach record in sheet("Stock")\nx(record.art) = 1\nend', "a number and text", "", "read-numbers"),
        ('x = pairs(otherwise: 0)\nx(100) = 1\ny = x("100")', "a number and text", "", "as-number"),
        ('x = pairs()\nx(100) = 1\nif x("100") exists\nend', "a number and text", "", "as-number"),
        ('x = [100, "100"].unique', "a number and text", "", "read-numbers"),
    ],
)  # fmt: skip
def test_values_that_only_look_the_same_are_noted(stock: Path, body: str, what: str, heading: str, remedy: str) -> None:
    found = [each for each in notes(body, stock) if what in each]
    assert len(found) == 1, notes(body, stock)
    assert remedy in found[0]
    assert f'under "{heading}"' in found[0] if heading else "under" not in found[0]


def test_the_same_is_noted_in_a_long_loop(home: Path) -> None:
    book = openpyxl.Workbook()
    sheet = book.active
    assert sheet is not None
    sheet.title = "Stock"
    sheet.append(["Art"])
    for number in range(2000):
        sheet.append([number % 7 if number < 1990 else str(number % 7)])
    book.save("long.xlsx")
    body = 'x = pairs(otherwise: 0)\neach record in sheet("Stock")\nx(record.art) = x(record.art) + 1\nend\nsay "{x.keys.count}"'
    found = scrub.run(macro(body), ["long.xlsx"]).files[0]
    assert found.said == ["14"]
    assert any("a number and text that looks like one" in each for each in found.notes)


def test_yes_and_no_in_a_database_are_noted(home: Path) -> None:
    with sqlite3.connect("huts.sqlite") as base:
        base.execute("create table stay (id integer primary key, paid integer)")
        base.executemany("insert into stay (paid) values (?)", [(1,), (0,), (1,), (5,)])
    base.close()
    body = 'each record in table("stay") where record.paid is yes\nlog "x"\nend'
    found = notes(body, Path("huts.sqlite"), "database")
    assert len(found) == 1
    assert found[0].startswith('3 comparisons of a number and a yes or no under "paid"')
    assert found[0].endswith("Compare with the number: is 1, or is 0.")


def test_a_day_compares_the_same_way_everywhere(home: Path) -> None:
    assert said(
        """day = 2026-05-01
moment = 2026-05-01T14:30
say "{moment is day} {day is moment} {moment <= day} {moment >= day} {moment is between day and day} {moment is in [day]}"
say "{moment is 2026-05-01T14:30} {moment is 2026-05-01T14:31} {moment is 2026-05-02}"
say "{day.date is day} {moment.date is day}\""""
    ) == ["yes yes yes yes yes yes", "yes no no", "yes yes"]


def test_a_list_is_not_compared_with_a_text(home: Path) -> None:
    found = problems(macro('each message where message.to is "ann@moss.example"\nend', "mailbox"))
    assert len(found) == 1
    assert 'contains "ann@moss.example"' in found[0]
    assert problems(macro('each message where message.to contains "ann@moss.example"\nend', "mailbox")) == []


@pytest.mark.parametrize(
    ("text", "number"),
    [
        ("CHF 5.-", "5"), ("12,- €", "12"), ("1.234,-", "1234"), ("1,234.–", "1234"), ("5.--", "5"), ("-5.-", "-5"), ("5-", "-5"),
        ("(45.00)", "-45"), ("CHF 1'234.-", "1234"), ("12,— EUR", "12"), ("0.123", "0.123"), ("1234.567", "1234.567"),
        ("1.234.567", "1234567"), ("1.234,5", "1234.5"),
    ],
)  # fmt: skip
def test_numbers_are_read_as_people_write_them(home: Path, text: str, number: str) -> None:
    assert said(f'x = "{text}"\nsay "{{x.as-number}}"') == [number]


@pytest.mark.parametrize("text", ["1.234 €", "1,234", "-1.234"])
def test_a_mark_that_may_be_either_is_not_guessed(home: Path, text: str) -> None:
    book = openpyxl.Workbook()
    sheet = book.active
    assert sheet is not None
    sheet["A1"] = text
    sheet["A2"] = "1.234,50"
    book.save("amounts.xlsx")
    found = done("read-numbers", Path("amounts.xlsx"))
    assert len(found.changes) == 1
    assert any("A1" in each and "is ambiguous" in each for each in found.log)
    found = done("read-numbers mark: comma", Path("amounts.xlsx"))
    assert len(found.changes) == 1


def test_what_is_empty_is_said_so(home: Path) -> None:
    book = openpyxl.Workbook()
    sheet = book.active
    assert sheet is not None
    sheet.title = "Stock"
    for row in (["Hut", "Nights"], ["Larch", None], ["  ", None]):
        sheet.append(row)
    book.create_sheet("Nothing")
    book.save("empty.xlsx")
    found = done(
        'in sheet("Stock")\nsay "{cell("A2") is empty} {cell("A3") is empty} {cells("B2:B9") is empty} {cells("A2:B9") is empty}"\n'
        'say "{column("Nights") is empty} {column("Hut") is empty} {row(3) is empty} {row(2) is empty}"\nend\n'
        'each sheet\nlog "{sheet.name}: {sheet is empty}"\nend',
        Path("empty.xlsx"),
    )
    assert found.said == ["no yes yes no", "yes no yes no"]
    assert found.log == ["Stock: no", "Nothing: yes"]


@pytest.mark.parametrize(("body", "kind", "field"), [
    ("each paragraph where paragraph is empty\nend", "document", "paragraph.text"),
    ("each page where page is empty\nend", "pdf", "page.text"),
    ("if document is empty\nend", "document", "never empty"),
])  # fmt: skip
def test_what_is_never_empty_is_told(home: Path, body: str, kind: str, field: str) -> None:
    found = problems(macro(body, kind))
    assert len(found) == 1
    assert field in found[0]
