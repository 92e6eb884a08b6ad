"""What a loop sets in many records at once is what it sets one by one: the same file, changes, failures and remarks."""

from __future__ import annotations

import json
import re
from collections.abc import Sequence
from pathlib import Path
from typing import Any

import openpyxl
import pytest
from conftest import examples, macro
from hypothesis import given
from hypothesis import strategies as st

import scrub

HEADINGS = ("Guest", "Nights", "Paid", "Arrival", "Kg")
TEXTS = [
    "Ann",
    "ann",
    "ANN ",
    "",
    " ",
    "12",
    "12.0",
    "1,5",
    "=A1",
    "'=A1",
    "+49 30",
    "Ga\u00f1et",
    "yes",
    "no",
    "2026-05-01",
    "a,b",
    'a "b"',
    "TRUE",
]
CONDITIONS = [
    'record.guest is "ann"', "record.nights >= 7", "record.nights is 12", "record.paid is empty", 'record.guest contains "a"', "record.paid",
    "record.arrival < 2026-06-01", 'record.guest is exactly "Ann"', "record.nights is between 3 and 12", 'record.guest is in ["ann", "12"]',
    'not (record.guest is "ann")', 'record.nights is 12 or record.guest is "ann"', 'record.kg > 2 and record.nights < 9', "record.nights is limit",
    'record.sent is "x"', "record.nights > record.kg", *["record.nights is not 99"] * 4,
]  # fmt: skip
SETTINGS = [
    'record.guest = "late"', 'record.guest = "=1+1"', 'record.guest = "Ga\u00f1et"', "record.guest = nothing", "record.guest = record.paid",
    "record.nights = 7", "record.nights = record.nights + 1", "record.kg = record.nights * 2", "record.paid = no", "record.arrival = 2026-07-01",
    'record.guest = "{record.nights} nights, {record.kg} kg"', "record.kg = limit", "record.kg = -record.kg", 'record.paid = "a\nb"',
    'record.guest = "a,b"', "record.sent = 1", *['record.paid = "late"'] * 6,
]  # fmt: skip
LOOP = "limit = 12\neach record where CONDITION\nSETTINGS\nend"
SLOWLY = "limit = 12\neach record where CONDITION\nif yes\nSETTINGS\nend\nend"
VALUES = st.one_of(
    st.sampled_from(TEXTS), st.integers(-3, 13), st.sampled_from([1.5, 2.0, 12.25]), st.booleans(), st.none(),
)  # fmt: skip


def as_field(value: object, quoted: bool) -> str:
    text = "" if value is None else str(value).upper() if isinstance(value, bool) else str(value)
    return '"' + text.replace('"', '""') + '"' if quoted or re.search(r'[",\n]', text) else text


@st.composite
def files(draw: st.DrawFn) -> tuple[str, bytes | list[list[list[Any]]]]:
    """A table of texts in some spelling, or the rows of the sheets of a workbook."""
    some_rows = st.lists(st.tuples(*[VALUES] * len(HEADINGS)), min_size=1, max_size=8)
    kind = draw(st.sampled_from(["csv", "csv", "csv", "xlsx", "xlsx"]))
    if kind == "xlsx":
        sheets = draw(st.lists(some_rows, min_size=1, max_size=3))
        headings = st.sampled_from([HEADINGS, HEADINGS, HEADINGS, HEADINGS[1:], ()])
        return "stays.xlsx", [[list(draw(headings)), *map(list, rows)] for rows in sheets]
    rows = draw(some_rows)
    plain = draw(st.booleans())
    lines = [",".join(HEADINGS)]
    for row in rows:
        fields = [None if plain and re.search('[",]', str(value)) else value for value in row]
        lines.append(",".join(as_field(value, not plain and draw(st.booleans())) for value in fields))
    end = draw(st.sampled_from(["\n", "\r\n", "\r"]))
    text = end.join(lines) + draw(st.sampled_from(["", end]))
    return "stays.csv", text.encode(draw(st.sampled_from(["utf-8", "utf-8-sig", "utf-16"])))


def write(path: Path, content: bytes | list[list[list[Any]]]) -> None:
    if isinstance(content, bytes):
        path.write_bytes(content)
        return
    save_book(path, content, "=1+1" if len(content[0]) % 2 else None)


def save_book(path: Path, sheets: Sequence[Sequence[Sequence[Any]]], formula: str | None = None) -> None:
    book = openpyxl.Workbook()
    sheet: Any = book.active
    for number, rows in enumerate(sheets):
        sheet = book.create_sheet() if number else sheet
        for row in rows:
            sheet.append(list(row))
    if formula is not None:
        sheet["C2"] = formula
    book.save(path)


def cells_of(path: Path) -> list[tuple[Any, ...]]:
    """What another reader finds in a workbook."""
    book: Any = openpyxl.load_workbook(path)
    return [row for sheet in book for row in sheet.iter_rows(values_only=True)]


def outcome(path: Path, before: bytes, text: str) -> tuple[Any, ...]:
    path.write_bytes(before)
    result = scrub.run(macro(text), [str(path)])
    file = result.files[0]
    after = path.read_bytes() if path.suffix == ".csv" else cells_of(path)
    changes = [each.as_dict() for each in file.changes]
    if file.state == "changed":
        kept = scrub.changes(result.number).files[0].changes
        assert [each.as_dict() for each in kept] == changes
        scrub.undo(result.number)
    assert path.read_bytes() == before
    problem = re.sub(r"line \d+", "", str(file.problem))
    return after, changes, problem, file.state, file.notes, file.log


@examples(200)
@given(file=files(), data=st.data())
def test_a_table_is_set_at_once_as_a_loop_sets_it(
    home: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch, file: Any, data: st.DataObject
) -> None:
    """Also where a workbook counts as one of very many rows."""
    monkeypatch.setattr("scrub.formats.workbook.sheet._MANY", data.draw(st.sampled_from([0, 100_000])))
    name, content = file
    path = tmp_path / name
    write(path, content)
    before = path.read_bytes()
    condition = data.draw(st.sampled_from(CONDITIONS))
    settings = "\n".join(data.draw(st.lists(st.sampled_from(SETTINGS), min_size=1, max_size=2)))
    texts = [each.replace("CONDITION", condition).replace("SETTINGS", settings) for each in (LOOP, SLOWLY)]
    try:
        at_once = outcome(path, before, texts[0])
    except scrub.MacroProblems:
        return
    assert at_once == outcome(path, before, texts[1]), (condition, settings)


def test_what_was_set_is_taken_back_by_an_attempt(home: Path, tmp_path: Path) -> None:
    """Also where it was set at once, and beside changes of another sort."""
    path = tmp_path / "stays.csv"
    path.write_text("Guest,Nights,Paid\n" + "Ann,7,no\nBea,2,no\n" * 30)
    text = """cell("C2").value = "first"
attempt
    each record where record.nights is 7
        record.paid = "late"
    end
    each record where record.guest is "Bea"
        record.paid = "early"
    end
    fail "no"
if it fails
    each record where record.nights is 2
        record.guest = "Cal"
    end
end
"""
    file = scrub.run(macro(text), [str(path)]).files[0]
    assert path.read_text() == "Guest,Nights,Paid\nAnn,7,first\n" + "Cal,2,no\nAnn,7,no\n" * 29 + "Cal,2,no\n"
    assert [str(each) for each in file.changes[:2]] == ['C2: "no" -> "first"', 'A3: "Bea" -> "Cal"']
    assert len(file.changes) == 31


def test_a_damaged_list_of_many_changes_is_told_as_that(home: Path, tmp_path: Path) -> None:
    path = tmp_path / "stays.csv"
    path.write_text("Guest,Nights\n" + "Ann,7\n" * 300)
    text = 'each record where record.nights is 7\nrecord.guest = "Bea"\nend'
    assert str(scrub.run(macro(text), [str(path)]).files[0].changes[299]) == 'A301: "Ann" -> "Bea"'
    (kept_at,) = (home / "runs" / "1").glob("1.json")
    kept = json.loads(kept_at.read_text())
    good = kept["parts"][0]["record"]["files"][0]["changes"]
    (column,) = good["fields"]
    of_columns: list[dict[str, Any]] = [
        {"rows": "x"}, {"rows": [-1] * 300}, {"rows": [1 << 40] * 300}, {"before": 7}, {"before": {"every": 1}}, {"after": {}}, {"place": 3},
        {"columns": {"every": "A"}},
    ]  # fmt: skip
    of_all: list[dict[str, Any]] = [{"order": [0, 0]}, {"order": [1] * 300}, {"fields": 3}]
    for damaged in [
        *({**good, "fields": [{**column, **each}]} for each in of_columns),
        *({**good, **each} for each in of_all),
    ]:
        kept["parts"][0]["record"]["files"][0]["changes"] = damaged
        kept_at.write_text(json.dumps(kept))
        assert scrub.changes(1).files[0].state == "its record is damaged", damaged
    scrub.undo(1)
    assert path.read_text().count("Ann") == 300


@pytest.mark.parametrize("ending", ["csv", "xlsx"])
def test_many_changes_are_told_in_a_line_of_each_column(home: Path, tmp_path: Path, cli: Any, ending: str) -> None:
    path = tmp_path / f"stays.{ending}"
    rows: list[Sequence[Any]] = [("Guest", "Nights", "Paid"), *(("Ann", 7, number % 2) for number in range(300))]
    if ending == "xlsx":
        save_book(path, [rows])
    else:
        path.write_text("".join(f"{','.join(map(str, row))}\n" for row in rows))
    (tmp_path / "m.scrub").write_text(
        'macro Mark\nfor workbook\neach record where record.nights is 7\nrecord.guest = "ANN"\nrecord.paid = "late"\nend\n'
    )
    told = cli("run", str(tmp_path / "m.scrub"), str(path)).out
    assert "Guest: 300 cells in upper case" in told
    assert 'Paid: 300 cells changed, such as C2: 0 -> "late"' in told
    listed = cli("changes", "--all").out
    assert 'A2:A301: "Ann" -> "ANN"' in listed
    assert listed.index("C2:") < listed.index("C3:") < listed.index("C301:")
    page = json.loads(cli("changes", "--json").out)["files"][0]["changes"]
    assert [each["what"] for each in page[:3]] == ["A2", "C2", "A3"]


@pytest.mark.parametrize(
    "body",
    [
        'each record where record.nights >= 7\nrecord.paid = "late"\nend',
        'each record where record.nights >= 7\nrecord.paid = "late"\nend\neach record where record.paid is "late"\nrecord.paid = "told"\nend',
        'each record where record.nights >= 3\nrecord.nights = 9\nend\nlog "{sum(record.nights)}"',
        'each record where record.nights < 3\nrecord.nights = record.nights + 1\nend\neach record\nlog "{record.nights}"\nend',
        'attempt\neach record where record.nights >= 7\nrecord.paid = "late"\nend\nfail "no"\nif it fails\nlog "{count(record where record.paid is not empty)}"\nend',
        'cell("Sheet!C3").value = "early"\neach record where record.nights >= 7\nrecord.paid = "late"\nend\nlog cell("Sheet!E2").value',
        'cell("Sheet!B90").value = 8\neach record where record.nights >= 7\nrecord.paid = "x"\nend',
        'each row where row.number is 4\ndelete\nend\neach record where record.nights >= 7\nrecord.paid = "late"\nend',
    ],
)  # fmt: skip
def test_very_many_rows_are_changed_as_a_few_are(
    home: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch, body: str
) -> None:
    """Without a table of each column: with gaps, formulas, changes before and after, and taken back."""
    path = tmp_path / "stays.xlsx"
    rows = [
        ("Guest", "Nights", "Paid", "Kg"),
        *((f"Guest {at % 7}" if at % 5 else None, at % 9, "no", at / 4) for at in range(60)),
    ]
    save_book(path, [rows, rows[:1], [("Nights", "Guest", "Paid"), (8, "=1", "no")]])
    book = openpyxl.load_workbook(path)
    book.worksheets[0]["E2"] = "=SUM(B2:B61)"
    book.save(path)
    before = path.read_bytes()
    outcomes = []
    for many in (0, 100_000):
        monkeypatch.setattr("scrub.formats.workbook.sheet._MANY", many)
        outcomes.append(outcome(path, before, body))
    assert outcomes[0] == outcomes[1]
    assert outcomes[0][2] == "None"
