"""Actions on texts, on what is below each other, and formulas moved: against plain readings and other libraries."""

from __future__ import annotations

import re
from itertools import pairwise
from pathlib import Path
from typing import Any

import openpyxl
import pytest
from books import TEXTS, packed
from conftest import macro
from hypothesis import given
from hypothesis import strategies as st
from openpyxl.formula.translate import Translator

import scrub
from scrub.catalog import texts
from scrub.formats.workbook.cells.strings import Run, edited_runs
from scrub.formats.workbook.formulas.syntax import translated
from scrub.model.core.text import Fresh, Kept, Stretches, edited

ANY_TEXT = st.one_of(TEXTS, st.text(max_size=12))


@given(ANY_TEXT)
def test_trim_takes_blanks_off_the_ends_only(text: str) -> None:
    fresh = edited(text, texts._trimmed(text))
    assert fresh in text
    assert fresh == fresh.strip(" \t\u00a0\u202f\u200b\ufeff")
    blanks = re.compile(r"[\s\u200b\ufeff]")
    assert blanks.sub("", fresh) == blanks.sub("", text)


@given(ANY_TEXT)
def test_single_spaces_twice_is_once_and_keeps_every_other_character(text: str) -> None:
    fresh = edited(text, texts._single_spaced(text))
    assert edited(fresh, texts._single_spaced(fresh)) == fresh
    assert not re.search("[ \t\u00a0\u202f]{2}", fresh)
    blanks = re.compile(r"[\s\u200b\ufeff]")
    assert blanks.sub("", fresh) == blanks.sub("", text)


@given(ANY_TEXT, st.sampled_from([str.upper, str.lower, scrub.vocabulary().operations["text", "title-case"].function]))
def test_letter_case_by_edits_is_letter_case(text: str, change: Any) -> None:
    assert edited(text, texts.lettered(change)(text)) == change(text)


@st.composite
def edits_of(draw: st.DrawFn, length: int) -> list[tuple[int, int, str]]:
    cuts = sorted(draw(st.lists(st.integers(0, length), max_size=6)))
    pairs = list(zip(cuts[::2], cuts[1::2], strict=False))
    return [
        (start, end, draw(st.text("xyz", max_size=2)))
        for start, end in pairs
        if not any(start == e for _, e in pairs if e != end)
    ]


@given(st.lists(st.text("abc ", max_size=4), min_size=1, max_size=4), st.data())
def test_edits_over_several_looks_give_the_edited_text(pieces: list[str], data: st.DataObject) -> None:
    text = "".join(pieces)
    edits = data.draw(edits_of(len(text)))
    ends = [end for _, end, _ in edits]
    if any(start < end for (start, _, _), end in zip(edits[1:], ends, strict=False)):
        return
    runs = [Run(str(number).encode(), piece) for number, piece in enumerate(pieces)]
    fresh = edited_runs(runs, edits)
    assert "".join(run.text for run in fresh) == edited(text, edits)
    assert {run.look for run in fresh} <= {run.look for run in runs} | {b""}


REFERENCES = st.from_regex(r"\$?[A-F]{1,2}\$?[1-9][0-9]?", fullmatch=True)
FORMULAS = st.lists(
    st.one_of(
        REFERENCES, st.tuples(REFERENCES, REFERENCES).map(":".join), st.sampled_from(["SUM(A1,B$2)", "1.5", '"A1"', "'A1 B2'!C3", "LOG10(C3)", "$A:$B", "B:C", "3:4", "$3:3"]),
    ),
    min_size=1,
    max_size=6,
).map("+".join)  # fmt: skip


@given(FORMULAS, st.integers(0, 30), st.integers(0, 10))
def test_a_moved_formula_is_what_another_library_makes_of_it(formula: str, rows: int, columns: int) -> None:
    target = f"{chr(ord('H') + columns)}{10 + rows}"
    theirs = Translator(f"={formula}", origin="H10").translate_formula(target)
    assert f"={translated(formula, rows, columns)}" == theirs


def test_a_reference_pushed_off_the_sheet() -> None:
    assert translated("A1+B2+$A$1", -1, 0) == "#REF!+B1+$A$1"
    assert translated("Table1[[#This Row],[A1]]+A2", 1, 1) == "Table1[[#This Row],[A1]]+B3"


def column_of(path: Path, letter: str) -> list[Any]:
    return [cell.value for cell in openpyxl.load_workbook(path)["S1"][letter]]


def listed(*values: Any) -> Path:
    rows = "".join(
        f'<row r="{row}"><c r="A{row}" t="inlineStr"><is><t xml:space="preserve">{value}</t></is></c></row>'
        if isinstance(value, str)
        else f'<row r="{row}"><c r="A{row}"><v>{value}</v></c></row>'
        for row, value in enumerate(values, 1)
        if value is not None
    )
    path = Path("list.xlsx")
    path.write_bytes(packed([f"<sheetData>{rows}</sheetData>"]))
    return path


def run(path: Path, body: str) -> scrub.FileResult:
    found = scrub.run(macro(f'in sheet("S1")\n{body}\nend'), [str(path)]).files[0]
    assert found.problem is None, str(found.problem)
    return found


@pytest.mark.parametrize(
    ("action", "before", "after"),
    [
        ("trim", " \u00a0a  b ", "a  b"), ("single-spaces", "  6\u00a0 kg  of  flour ", "6\u00a0kg of flour"), ("upper", "stra\u00dfe a", "STRASSE A"),
        ("lower", "ABC", "abc"), ("title-case", "o'neil and  sons", "O'neil And  Sons"), ('replace "hut", by: "house"', "Hut, hut, HUTS", "house, house, houseS"),
        ('replace "a.b", by: ""', "a.b acb A.B", " acb "), ('replace exactly "Hut", by: "x"', "Hut hut", "x hut"),
    ],
)  # fmt: skip
def test_each_action_on_a_cell(home: Path, action: str, before: str, after: str) -> None:
    path = listed(before, 12)
    run(path, action)
    assert column_of(path, "A") == [after, 12]


@pytest.mark.parametrize("holder", ['cell("A2")', 'cells("A2:A2")', "row(2)", 'column("A")', "sheet.records"])
def test_an_action_goes_as_far_as_its_item(home: Path, holder: str) -> None:
    path = listed("head", "two", "three")
    run(path, f"in {holder}\nupper\nend")
    wide = {'column("A")': ["HEAD", "TWO", "THREE"], "sheet.records": ["head", "TWO", "THREE"]}
    assert column_of(path, "A") == wide.get(holder, ["head", "TWO", "three"])


def test_texts_become_numbers_and_dates_or_are_left_with_a_word(home: Path) -> None:
    path = listed("1.5", "1,234", "007", "12%", "+41 79 123 45 67", "1'000.25", "x", "-3", "12345678901234567890")
    found = run(path, "read-numbers")
    assert column_of(path, "A") == [
        1.5,
        "1,234",
        "007",
        0.12,
        "+41 79 123 45 67",
        1000.25,
        "x",
        -3,
        "12345678901234567890",
    ]
    assert [line.partition(":")[0] for line in found.log] == [
        "skipped S1 A2",
        "skipped S1 A3",
        "skipped S1 A5",
        "skipped S1 A9",
    ]
    run(path, "read-numbers mark: comma")
    assert column_of(path, "A")[1] == 1.234
    path = listed("2026-05-01", "3/4/2026", "1 May 2026", "31/12/2026", "1.2.26", "soon")
    found = run(path, "read-dates")
    assert [f"{each:%d.%m.%Y}" if hasattr(each, "year") else each for each in column_of(path, "A")] == [
        "01.05.2026", "3/4/2026", "01.05.2026", "31.12.2026", "1.2.26", "soon",
    ]  # fmt: skip
    assert len(found.log) == 2
    run(path, "read-dates order: month-first")
    assert f"{column_of(path, 'A')[1]:%m-%d}" == "03-04"


def test_gaps_are_filled_from_above(home: Path) -> None:
    path = listed(None, "Larch", None, " ", 5, None)
    found = run(path, 'in cells("A1:A6")\nfill-gaps\nend')
    assert column_of(path, "A") == [None, "Larch", "Larch", "Larch", 5, 5]
    assert [str(each) for each in found.changes] == ['A3: nothing -> "Larch"', 'A4: " " -> "Larch"', "A6: nothing -> 5"]


def test_duplicates_are_marked(home: Path) -> None:
    path = listed("Ann", "ben", "ann ", 5, None, 5, "Cleo")
    run(path, 'in column("A")\nmark-duplicates fill: "yellow"\nend')
    sheet = openpyxl.load_workbook(path)["S1"]
    assert [row for row in range(1, 8) if sheet[f"A{row}"].fill.patternType == "solid"] == [1, 3, 4, 6]
    assert not run(path, 'in column("A")\nmark-duplicates fill: "yellow"\nend').changes


def test_formulas_and_locked_cells_are_not_touched(home: Path) -> None:
    path = Path("locked.xlsx")
    cells = '<c r="A1" t="str"><f>"a  b"</f><v>a  b</v></c><c r="B1" s="3" t="inlineStr"><is><t>c  d</t></is></c><c r="C1" t="inlineStr"><is><t>e  f</t></is></c>'
    path.write_bytes(packed([f'<sheetData><row r="1">{cells}</row></sheetData><sheetProtection sheet="1"/>']))
    found = scrub.run(macro("single-spaces"), [str(path)]).files[0]
    assert "S1 C1 is locked, and the sheet is protected" in str(found.problem)
    run(path, 'in cells("A1:B1")\nsingle-spaces\nend')
    sheet = openpyxl.load_workbook(path)["S1"]
    assert (sheet["A1"].value, sheet["B1"].value) == ('="a  b"', "c d")


def test_an_attempt_takes_back_what_it_changed(home: Path) -> None:
    path = listed("a", "b")
    found = run(
        path, 'attempt\nupper\ncell("A1").bold = yes\nfail "no"\nif it fails\nlog "{problem}: {cell("A1").value}"\nend'
    )
    assert found.log == ["no: a"]
    assert found.state == "unchanged"


def test_a_text_replaced_by_itself_is_no_change(home: Path) -> None:
    path = listed("Hut", "hut", "Hut hut Hut")
    assert [str(each) for each in run(path, 'replace "Hut", by: "Hut"').changes] == [
        'A2: "hut" -> "Hut"', 'A3: "Hut hut Hut" -> "Hut Hut Hut"',
    ]  # fmt: skip
    assert run(path, 'replace "Hut", by: "Hut"').state == "unchanged"


@given(st.text("ab c", max_size=12), st.data())
def test_edits_of_a_text_are_the_same_in_stretches(text: str, data: st.DataObject) -> None:
    found, plain = Stretches(text), text
    for _ in range(data.draw(st.integers(1, 3))):
        edits = data.draw(edits_of(len(plain)))
        found, plain = found.edited(edits), edited(plain, edits)
        assert str(found) == plain
        kept = [part for part in found.parts if isinstance(part, Kept)]
        assert all(one.end <= other.start for one, other in pairwise(kept))  # in order, and none twice
        assert all(-1 <= part.like < max(len(text), 1) for part in found.parts if isinstance(part, Fresh))
    assert found.touched == (plain != text)
    assert found.edited([(0, len(plain), text)]).touched is False
