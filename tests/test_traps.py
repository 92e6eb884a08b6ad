"""What real workbooks have been found to hold, and what must not happen to it; bad input is told, and nothing saved."""

from __future__ import annotations

import io
import zipfile
from datetime import date, datetime
from pathlib import Path
from typing import Any

import openpyxl
import pytest
from books import MAIN, RELS, packed
from conftest import macro
from documents import put_members
from sheets import load, members

import scrub


def written(body: str, strings: list[str] | None = None, **more: Any) -> Path:
    path = Path("trap.xlsx")
    path.write_bytes(packed([body], strings, **more))
    return path


def result(path: Path, body: str) -> scrub.FileResult:
    return scrub.run(macro(body), [str(path)]).files[0]


def done(path: Path, body: str) -> Any:
    found = result(path, body)
    assert found.problem is None, found.problem
    return openpyxl.load_workbook(path)["S1"]


def told(path: Path, body: str) -> str:
    before = path.read_bytes()
    found = result(path, body)
    assert path.read_bytes() == before
    return str(found.problem)


def sheet_part(path: Path) -> str:
    return members(path)["xl/worksheets/sheet1.xml"].decode()


CHAIN = f'<calcChain xmlns="{MAIN}"><c r="A1" i="1"/></calcChain>'
FORMULA = '<sheetData><row r="1"><c r="A1"><f>1+1</f><v>2</v></c><c r="B1"><v>1</v></c></row></sheetData>'


def with_chain() -> Path:
    return written(
        FORMULA,
        parts={"xl/calcChain.xml": ("spreadsheetml.calcChain", CHAIN)},
        related=[("rc", "calcChain", "calcChain.xml")],
    )


def test_a_formula_gives_way_only_when_it_was_taken_away() -> None:
    path = with_chain()
    assert "S1 A1 contains a formula" in told(path, 'cell("S1!A1").value = 3')
    found = result(path, 'cell("S1!A1").formula = nothing\ncell("S1!A1").value = 3')
    assert found.problem is None
    assert found.notes == []
    parts = members(path)
    assert "xl/calcChain.xml" not in parts
    assert b"calcChain" not in parts["[Content_Types].xml"] + parts["xl/_rels/workbook.xml.rels"]
    assert b"fullCalcOnLoad" not in parts["xl/workbook.xml"]
    assert load(path)["S1"]["A1"].value == 3
    scrub.undo()
    assert "xl/calcChain.xml" in members(path)


def test_the_chain_stays_where_no_formula_changes() -> None:
    path = with_chain()
    done(path, 'cell("S1!B1").value = 5')
    assert "xl/calcChain.xml" in members(path)


SHARED = (
    '<sheetData><row r="1"><c r="A1"><v>1</v></c><c r="B1"><f t="shared" ref="B1:B3" si="0">A1*$A$1+LOG10(A1)+"A1"</f><v>1</v></c></row>'
    '<row r="2"><c r="A2"><v>2</v></c><c r="B2"><f t="shared" si="0"/><v>2</v></c></row>'
    '<row r="3"><c r="A3"><v>3</v></c><c r="B3"><f t="shared" si="0"/><v>3</v></c></row></sheetData>'
)


def test_a_shared_formula_is_read_and_outlives_its_first_cell() -> None:
    path = written(SHARED)
    assert result(path, 'log cell("S1!B3").formula').log == ['=A3*$A$1+LOG10(A3)+"A1"']
    sheet = done(path, 'cell("S1!B1").formula = nothing\ncell("S1!B1").value = 7')
    assert sheet["B1"].value == 7
    assert [sheet[f"B{row}"].value for row in (2, 3)] == [f'=A{r}*$A$1+LOG10(A{r})+"A1"' for r in (2, 3)]


@pytest.mark.parametrize("kind", ["array", "dataTable"])
def test_an_array_in_the_way_is_refused(kind: str) -> None:
    path = written(
        f'<sheetData><row r="1"><c r="A1"><f t="{kind}" ref="A1:B2">1</f><v>1</v></c><c r="B1"><v>1</v></c></row></sheetData>'
    )
    assert "S1 B2 is part of the array formula in A1:B2" in told(path, 'cell("S1!B2").value = 1')
    assert "array formula in A1:B2" in told(path, 'cell("S1!A1").formula = nothing')
    done(path, 'cell("S1!C1").value = 1')


RICH = '<r><t xml:space="preserve">two  </t></r><r><rPr><b/></rPr><t>bold  words</t></r><rPh sb="0" eb="1"><t>hint</t></rPh>'


def test_a_shared_text_changes_in_one_cell_only_and_keeps_its_looks() -> None:
    body = '<sheetData><row r="1"><c r="A1" t="s"><v>0</v></c><c r="B1" t="s"><v>0</v></c><c r="C1" t="s"><v>1</v></c></row></sheetData>'
    path = written(body, [RICH, "<t>a_x000D_b &amp; c</t>"])
    assert result(path, 'log cell("S1!A1").value\nlog "{cell("S1!C1").value.length}"').log == ["two  bold  words", "7"]
    before = members(path)["xl/sharedStrings.xml"]
    done(path, 'in cell("S1!A1")\nsingle-spaces\nend')
    assert members(path)["xl/sharedStrings.xml"] == before
    text = sheet_part(path)
    assert '<is><r><t xml:space="preserve">two </t></r><r><rPr><b/></rPr><t>bold words</t></r></is>' in text
    assert '<c r="B1" t="s"><v>0</v></c>' in text


def test_control_characters_and_lookalikes_of_escapes_are_kept() -> None:
    path = written("<sheetData/>")
    done(path, 'cell("S1!A1").value = "a_x0041_{tab}b"')
    assert "a_x005F_x0041_\tb" in sheet_part(path)
    assert result(path, 'log cell("S1!A1").value').log == ["a_x0041_\tb"]


def test_new_cells_stand_in_order_and_take_the_look_of_their_row_or_column() -> None:
    path = written(
        '<dimension ref="B2:D2"/><cols><col min="3" max="5" width="9" style="2"/></cols><sheetData>'
        '<row r="2" spans="2:4" s="1" customFormat="1"><c r="B2"><v>1</v></c><c r="D2"><v>3</v></c></row></sheetData>'
    )
    sheet = done(
        path,
        'cell("S1!C2").value = 46000\ncell("S1!F2").value = 6\ncell("S1!A2").value = 0\ncell("S1!D9").value = 9\ncell("S1!B1").value = 1',
    )
    text = sheet_part(path)
    assert [text.index(f'r="{each}"') for each in ("B1", "A2", "B2", "C2", "D2", "F2", "D9")] == sorted(
        text.index(f'r="{each}"') for each in ("B1", "A2", "B2", "C2", "D2", "F2", "D9")
    )
    assert '<dimension ref="A1:F9"/>' in text
    assert 'spans="1:6"' in text
    assert sheet["C2"].is_date
    assert sheet["D9"].font.b


def test_rows_and_cells_without_an_address() -> None:
    path = written("<sheetData><row><c><v>1</v></c><c><v>2</v></c></row><row><c><v>3</v></c></row></sheetData>")
    sheet = done(path, 'cell("S1!B1").value = 5\ncell("S1!C2").value = 6')
    assert [[cell.value for cell in row] for row in sheet.iter_rows()] == [[1, 5, None], [3, None, 6]]


def test_writing_under_a_merge_is_refused() -> None:
    path = written('<sheetData/><mergeCells count="1"><mergeCell ref="A1:C2"/></mergeCells>')
    assert "S1 B2 is inside the merged range A1:C2" in told(path, 'cell("S1!B2").value = 1')
    assert done(path, 'cell("S1!A1").value = 1')["A1"].value == 1


TABLE = (
    f'<table xmlns="{MAIN}" id="1" name="T" displayName="T" ref="A1:B4" totalsRowCount="1"><autoFilter ref="A1:B3"/>'
    '<tableColumns count="2"><tableColumn id="1" name="Item"/><tableColumn id="2" name="Price"/></tableColumns></table>'
)


def with_table() -> Path:
    rows = "".join(
        f'<row r="{r}"><c r="A{r}" t="inlineStr"><is><t>{a}</t></is></c><c r="B{r}" t="inlineStr"><is><t>{b}</t></is></c></row>'
        for r, a, b in ((1, "Item", "Price"), (2, "tea ", "1"), (3, "salt", "2"), (4, "Total", "3"))
    )
    links = (
        '<Relationships xmlns="http://schemas.openxmlformats.org/package/2006/relationships">'
        f'<Relationship Id="t" Type="{RELS}/table" Target="../tables/table1.xml"/></Relationships>'
    )
    raw = io.BytesIO()
    body = f'<sheetData>{rows}</sheetData><tableParts xmlns:r="{RELS}" count="1"><tablePart r:id="t"/></tableParts>'
    with (
        zipfile.ZipFile(
            io.BytesIO(packed([body], parts={"xl/tables/table1.xml": ("spreadsheetml.table", TABLE)}))
        ) as old,
        zipfile.ZipFile(raw, "w") as new,
    ):
        for name in old.namelist():
            new.writestr(name, old.read(name))
        new.writestr("xl/worksheets/_rels/sheet1.xml.rels", links)
    Path("trap.xlsx").write_bytes(raw.getvalue())
    return Path("trap.xlsx")


def test_the_headings_of_a_table_stay_its_columns_names() -> None:
    path = with_table()
    assert 'S1 A1 is a heading of the table "T"' in told(path, 'cell("S1!A1").value = "Thing"')
    sheet = done(path, 'upper\neach record in table("T")\nlog "{record.item} {record.price}"\nend')
    assert [sheet[f"A{row}"].value for row in (1, 2, 4)] == ["Item", "TEA ", "TOTAL"]
    assert result(path, 'log "{count(record in table("T"))} {table("T").address}"').log == ["2 A1:B3"]
    assert "a filter of its own" in told(path, 'sheet("S1").filter = "A1:B3"')


@pytest.mark.parametrize(("from_1904", "serial"), [(False, 46143), (True, 44681)])
def test_dates_in_both_systems(from_1904: bool, serial: int) -> None:
    path = written(f'<sheetData><row r="1"><c r="A1" s="1"><v>{serial}</v></c></row></sheetData>', from_1904=from_1904)
    assert result(path, 'log "{cell("S1!A1").value} {cell("S1!A1").shown}"').log == ["2026-05-01 1 May 2026"]
    sheet = done(
        path,
        'cell("S1!A1").value = 2026-05-02\ncell("S1!B1").value = 2026-05-01T14:30\ncell("S1!C1").value = 90 minutes',
    )
    assert sheet["A1"].value == datetime(2026, 5, 2)
    assert sheet["A1"].number_format == "d mmm yyyy"
    assert sheet["B1"].value == datetime(2026, 5, 1, 14, 30)
    assert sheet["C1"].number_format == "[h]:mm:ss"
    assert result(path, 'log "{cell("S1!B1").value} {cell("S1!C1").value}"').log == ["2026-05-01T14:30 90 minutes"]


def test_days_that_do_not_exist() -> None:
    cells = "".join(
        f'<c r="{c}1" s="1"><v>{v}</v></c>' for c, v in (("A", 60), ("B", 0), ("C", 1), ("D", 59), ("E", 61))
    )
    path = written(f'<sheetData><row r="1">{cells}</row></sheetData>')
    assert "S1 A1 contains 29 February 1900" in told(path, 'log "{cell("S1!A1").value}"')
    assert "S1 B1 is formatted as a date, but contains 0" in told(path, 'log "{cell("S1!B1").value}"')
    assert result(path, 'log "{cell("S1!C1").value} {cell("S1!D1").value} {cell("S1!E1").value}"').log == [
        "1900-01-01 1900-02-28 1900-03-01"
    ]
    assert "before the first date" in told(path, 'cell("S1!C1").value = 1850-01-01')


def test_a_text_that_looks_like_a_formula_stays_a_text() -> None:
    path = written("<sheetData/>")
    done(path, 'cell("S1!A1").value = "=1+1"')
    assert '<c r="A1" t="inlineStr"><is><t>=1+1</t></is></c>' in sheet_part(path)
    assert done(path, 'cell("S1!A2").formula = "=1+1"')["A2"].value == "=1+1"
    assert "<f>1+1</f>" in sheet_part(path)


NUMBERS = (
    '<sheetData><row r="1"><c r="A1" t="inlineStr"><is><t>Item</t></is></c><c r="B1" t="inlineStr"><is><t>Price</t></is></c>'
    '<c r="C1" t="inlineStr"><is><t>Price  </t></is></c></row>'
    '<row r="2"><c r="A2" t="inlineStr"><is><t>tea</t></is></c><c r="B2"><v>0.10000000000000001</v></c></row>'
    '<row r="3"/><row r="4"><c r="A4" t="inlineStr"><is><t>salt</t></is></c><c r="B4" t="e"><v>#DIV/0!</v></c></row>'
    '<row r="5"><c r="A5" t="inlineStr"><is><t>12</t></is></c></row></sheetData>'
)


@pytest.mark.parametrize(
    ("body", "advice"),
    [
        ('t = 0\neach record in sheet("S1")\nt = t + record.cost\nend', 'S1 has no heading "cost" in row 1'),
        ('t = 0\neach record in sheet("S1")\nt = t + record.price\nend', 'S1 has the heading "price" twice in row 1'),
        (
            't = 0\neach cell in cells("S1!B2:B5")\nt = t + cell.value\nend',
            'S1 B3: "+" needs numbers; this is nothing',
        ),
        ('in sheet("S1")\nlog "{column("B").values.sum}"\nend', "S1 B4 contains the error #DIV/0!"),
        (
            'in sheet("S1")\nif cell("A5").value > 3\nlog "x"\nend\nend',
            'S1 A5: ">" compares two numbers, two dates or two pieces of text; this is a text "12", which looks like a number',
        ),
        ('cell("S1!A1").value = cell("S1!XFE1").value', "is outside the sheet"),
        ('cell("S1!A1048577").value = 1', "is outside the sheet"),
        ('cells("S1!A1:B2").value = [1]', "a cell cannot contain a list"),
        ('sheet("S1").zoom = 5', "the zoom is 10 to 400"),
        ('cells("S1!A1").fill = "blurple"', '"blurple" is not a colour'),
        ('in cells("S1!A1:A2")\nmerge\nend', "S1 A2 contains a value, which merging would delete"),
        ('cells("S1!A1").name = "A1"', "is not a valid range"),
        ('x = new-sheet("s1")', 'a sheet "s1" exists already'),
        ('x = new-sheet("a/b")', "is not a valid sheet name"),
        ('in sheet("S1").records(headings: 9)\nlog "x"\nend', "S1 has no headings in row 9"),
        ('log cells("S1!A1:B2").value', '"value" differs between the cells of S1 A1:B2'),
    ],
)
def test_bad_input_is_told_and_nothing_saved(body: str, advice: str) -> None:
    path = written(NUMBERS)
    assert advice in told(path, body)


def test_numbers_are_read_as_they_are_shown() -> None:
    path = written(NUMBERS)
    assert result(
        path, 'log "{cell("S1!B2").value} {cell("S1!B4").error} {cell("S1!B4").holds} {cell("S1!B3").holds}"'
    ).log == ["0.1 #DIV/0! error nothing"]


FORMS = [
    ("General", "1234.5", "1234.5"), ("0", "1234.5", "1235"), ("0.00", "-1234.555", "-1234.56"), ("#,##0", "1234567", "1,234,567"),
    ("#,##0.00", "0.5", "0.50"), ("0%", "0.256", "26%"), ("0.0%", "0.256", "25.6%"), ("#,##0.00;(#,##0.00)", "-5", "(5.00)"),
    ('0" kg"', "6", "6 kg"), ("[$\u20ac-407] 0.00", "3", "\u20ac 3.00"), ("0.0#", "1.5", "1.5"), ("000", "7", "007"), ("#,##0,", "1234567", "1,235"),
    ("yyyy-mm-dd", "46143", "2026-05-01"), ("d mmmm yyyy", "46143", "1 May 2026"), ("dd/mm/yy", "46143", "01/05/26"), ("ddd d", "46143", "Fri 1"),
    ("h:mm", "46143.6041666667", "14:30"), ("d.m.yyyy h:mm AM/PM", "46143.6041666667", "1.5.2026 2:30 PM"), ("[h]:mm:ss", "1.5", "36:00:00"),
    ("mm:ss", "0.0006944444", "01:00"), ("# ?/?", "0.5", None), ("0.00E+00", "5", None), ("[>5]0;0.0", "6", None), ("", "5", "5"),
]  # fmt: skip


@pytest.mark.parametrize(("form", "value", "seen"), FORMS)
def test_what_is_seen_in_a_cell(form: str, value: str, seen: str | None) -> None:
    path = written(f'<sheetData><row r="1"><c r="A1"><v>{value}</v></c></row></sheetData>')
    if form:
        result(path, f'cell("S1!A1").number-format = "{form.replace(chr(34), chr(34) * 2)}"')
    if seen is None:
        assert "cannot show the number format" in told(path, 'log cell("S1!A1").shown')
    else:
        assert result(path, 'log cell("S1!A1").shown').log == [seen]


@pytest.mark.parametrize(
    ("colour", "read"),
    [('rgb="FF112233"', "#112233"), ('theme="0"', None), ('indexed="10"', "#ff0000"), ('auto="1"', None)],
)
def test_colours_of_every_sort_are_read(colour: str, read: str | None) -> None:
    path = written('<sheetData><row r="1"><c r="A1" s="2"><v>1</v></c></row></sheetData>')
    data = dict(members(path))
    data["xl/styles.xml"] = data["xl/styles.xml"].replace(b"<b/>", f"<b/><color {colour}/>".encode())
    put_members(path, data)
    assert result(path, 'log "{cell("S1!A1").colour}"').log == [read or ""]


def test_today_is_a_date(home: Path) -> None:
    path = written("<sheetData/>")
    assert done(path, 'cell("S1!A1").value = today')["A1"].value.date() == date.today()


def test_merges_that_change_places_are_known_anew() -> None:
    path = written('<sheetData/><mergeCells count="1"><mergeCell ref="A1:B1"/></mergeCells>')
    body = 'cell("S1!C1").value = 1\neach merged-range\nunmerge\nend\nin cells("S1!D1:E1")\nmerge\nend\n'
    assert "S1 E1 is inside the merged range D1:E1" in told(path, f'{body}cell("S1!E1").value = 1')
    assert done(path, f'{body}cell("S1!B1").value = 2')["B1"].value == 2


def test_an_attempt_leaves_a_shared_formula_as_it_is() -> None:
    path = written(SHARED)
    body = 'attempt\ncell("S1!B1").formula = nothing\nfail "no"\nif it fails\ncell("S1!C1").value = 1\nend'
    done(path, body)
    assert sheet_part(path).count('t="shared"') == 3


def test_rows_are_added_one_by_one_below_the_last() -> None:
    path = written("<sheetData/>")
    body = 'in sheet("S1")\n3 times as n\nadd-row [n]\nend\ncell("A3").value = nothing\nadd-row [9]\nlog "{sheet.range}"\nend'
    assert result(path, body).log == ["A1:A3"]
