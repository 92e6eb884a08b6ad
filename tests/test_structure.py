"""Rows that go, records in another order, sheets of another name: all that refers to them follows, beside readers and
an evaluator of formulas that share no code with Scrub.
"""

from __future__ import annotations

import contextlib
import io
import re
import shutil
import zipfile
from pathlib import Path
from typing import Any

import formulas
import openpyxl
import pytest
import xlsxwriter
from books import Book, books, packed
from conftest import SAMPLE, examples, macro
from hypothesis import given
from hypothesis import strategies as st
from sheets import changed_parts, load, members, schema_findings

import scrub

NAME = "Larch & Co"


def run(body: str, path: Path, slowly: bool = False, **options: Any) -> Any:
    """What a run came to; `slowly` reads all cells with the span tree."""
    with pytest.MonkeyPatch.context() as patch:
        if slowly:
            patch.setattr("scrub.formats.workbook.cells.searched.Searched.exact", lambda self: False)
        return scrub.run(macro(body), [str(path)], **options).files[0]


def done(body: str, path: Path, slowly: bool = False) -> Any:
    found = run(body, path, slowly)
    assert found.problem is None, str(found.problem)
    return found


def evaluated(path: Path) -> dict[tuple[str, str], Any]:
    """Every value of a workbook by sheet and address, worked out by another program."""
    with contextlib.redirect_stderr(io.StringIO()):
        found = formulas.ExcelModel().loads(str(path)).finish().calculate()
    values = {}
    for key, cell in found.items():
        sheet, _, address = str(key).rpartition("]")[2].rpartition("!")
        if hasattr(cell, "value") and ":" not in address and sheet:
            values[sheet.rstrip("'").upper(), address] = cell.value[0][0]
    return values


ROWS = 12
FORMULAS = st.sampled_from([
    "={c}{r}*2", "=$A${r}+B{q}", "=SUM(A{q}:A{r})", "=SUM($B$1:B{r})", "=MAX(A{q}:B{r})", "=SUM(A:A)", "=IF(A{r}>3,A{q},B{r})",
    "=SUM('Larch & Co'!A{q}:B{r})", "='Larch & Co'!$B{r}", "=SUM(Other!A{q}:A{r})", "=SUM(Everything)", "=SUM(Other!Nights)",
])  # fmt: skip


@st.composite
def grown(draw: st.DrawFn) -> tuple[dict[tuple[str, int, int], Any], set[int]]:
    """The cells of two sheets, and rows of the first that go."""
    cells: dict[tuple[str, int, int], Any] = {}
    for sheet in (NAME, "Other"):
        for row in range(1, ROWS + 1):
            for column in (0, 1):
                if draw(st.integers(0, 9)):
                    cells[sheet, row, column] = draw(st.integers(0, 9))
            if draw(st.booleans()):
                text = draw(FORMULAS)
                rows = sorted((draw(st.integers(1, ROWS)), draw(st.integers(1, ROWS))))
                own = draw(st.sampled_from(["A", "B"]))
                cells[sheet, row, 3] = text.format(q=rows[0], r=rows[1], c=own)
    return cells, draw(st.sets(st.integers(1, ROWS), min_size=1, max_size=5))


def written(path: Path, cells: dict[tuple[str, int, int], Any]) -> None:
    book = xlsxwriter.Workbook(path)
    sheets = {name: book.add_worksheet(name) for name in (NAME, "Other")}
    for (sheet, row, column), value in cells.items():
        if isinstance(value, str):
            sheets[sheet].write_formula(row - 1, column, value)
        else:
            sheets[sheet].write(row - 1, column, value)
    book.define_name("Everything", f"='{NAME}'!$A$1:$B${ROWS}")
    book.define_name("Other!Nights", f"='{NAME}'!$A$3:$A$9")
    book.close()


@given(grown())
@examples(6)
def test_every_value_that_should_stay_is_the_same(
    home: Path, tmp_path: Path, made: tuple[dict[tuple[str, int, int], Any], set[int]]
) -> None:
    cells, gone = made
    # What a range still contains when rows of it go is what it contains when they are empty.
    written(
        tmp_path / "emptied.xlsx", {key: value for key, value in cells.items() if key[0] != NAME or key[1] not in gone}
    )
    wanted = evaluated(tmp_path / "emptied.xlsx")
    found = {}
    written(tmp_path / "book.xlsx", cells)
    for slowly in (False, True):
        path = tmp_path / f"book{slowly}.xlsx"
        shutil.copy(tmp_path / "book.xlsx", path)
        rows = "\n".join(f"in row({row})\ndelete\nend" for row in sorted(gone))
        done(f'in sheet("{NAME}")\n{rows}\nend\nsheet("{NAME}").name = "New & old"', path, slowly)
        found[slowly] = members(path)
    assert found[False] == found[True]
    after = evaluated(path)
    lost = {
        (cell.parent.title, cell.coordinate)
        for sheet in load(path).worksheets for row in sheet.iter_rows() for cell in row
        if isinstance(cell.value, str) and "#REF!" in cell.value
    }  # fmt: skip
    for (sheet, row, column), value in cells.items():
        if sheet == NAME and row in gone:
            continue
        new = row - sum(each < row for each in gone) if sheet == NAME else row
        title = "New & old" if sheet == NAME else sheet
        address = f"{'ABCD'[column]}{new}"
        if (title, address) in lost or "ROW" in str(value):
            continue
        old = wanted.get((sheet.upper(), f"{'ABCD'[column]}{row}"))
        now = after.get((title.upper().replace("'", "''"), address), after.get((title.upper(), address)))
        assert str(now) == str(old), (value, title, address)


def rich(path: Path, array: bool = True) -> None:
    """A workbook with everything that names cells."""
    book = xlsxwriter.Workbook(path)
    sheet, other = book.add_worksheet("Stays"), book.add_worksheet("Totals")
    bold = book.add_format({"bold": True})
    for row in range(20):
        sheet.write_row(row, 0, [f"guest {row}", row, row * 2], bold if row == 6 else None)
        sheet.write_formula(row, 3, f"=B{row + 1}+C{row + 1}", None, row * 3)
    sheet.merge_range("F3:F6", "merged")
    sheet.merge_range("F9:G9", "goes")
    sheet.conditional_format("B5:B12", {"type": "formula", "criteria": "=$B5>$C$3", "format": bold})
    sheet.conditional_format("C10:C10", {"type": "cell", "criteria": ">", "value": 3, "format": bold})
    sheet.data_validation("A4:A15", {"validate": "list", "source": "=$B$2:$B$19"})
    sheet.data_validation("C10", {"validate": "whole", "criteria": "between", "minimum": 1, "maximum": 9})
    sheet.autofilter("A1:D20")
    sheet.write_comment("A8", "kept")
    sheet.write_comment("A10", "goes")
    sheet.write_url("A12", "internal:'Stays'!A15", string="guest 11")
    sheet.write_url("A9", "https://huts.example", string="goes")
    sheet.set_h_pagebreaks([6, 15])
    sheet.print_area("A1:D20")
    sheet.repeat_rows(0, 1)
    sheet.freeze_panes(2, 1)
    sheet.set_row(14, 33)
    sheet.set_selection("B12")
    sheet.ignore_errors({"number_stored_as_text": "A2:A9"})
    sheet.add_sparkline("H12", {"range": "Stays!B2:C12"})
    if array:
        other.write_array_formula("A1:A3", "{=Stays!B2:B4*2}")
    other.write_formula("B1", "=SUM(Stays!B9:B9)+1")
    other.write_formula("B2", '=IF(Stays!A1="Stays!A9",1,2)')
    other.add_table(
        "D1:E4", {"name": "Sums", "columns": [{"header": "Hut"}, {"header": "Nights", "formula": "=SUM(Stays!B2:B20)"}]}
    )
    chart = book.add_chart({"type": "column"})
    chart.add_series({"values": "=Stays!$B$2:$B$20", "categories": "=Stays!$A$2:$A$20", "name": "=Stays!$A$1"})
    sheet.insert_chart("I12", chart)
    book.define_name("Nights", "=Stays!$B$2:$B$20")
    book.define_name("Ninth", "=Stays!$B$9")
    book.close()


@pytest.mark.parametrize("slowly", [False, True])
def test_everything_that_names_cells_follows(home: Path, slowly: bool) -> None:
    """Rows 9, 10 and 16 go."""
    path = Path("rich.xlsx")
    rich(path)
    before, findings = path.read_bytes(), schema_findings(path)
    body = 'in sheet("Stays")\neach row where row.number is in [9, 10, 16]\ndelete\nend\nend'
    preview = [str(change) for change in run(body, path, preview=True).changes]
    found = done(body, path, slowly)
    assert [str(change) for change in found.changes] == preview
    assert preview[0] == "row 9 deleted: goes | 8 | 16 | 24 |  | goes"
    book = load(path)
    sheet, totals = book["Stays"], book["Totals"]
    assert [sheet.cell(row, 2).value for row in range(1, 18)] == [
        0,
        1,
        2,
        3,
        4,
        5,
        6,
        7,
        10,
        11,
        12,
        13,
        14,
        16,
        17,
        18,
        19,
    ]
    assert [sheet.cell(row, 4).value for row in range(1, 18)] == [f"=B{row}+C{row}" for row in range(1, 18)]
    assert {str(each) for each in sheet.merged_cells.ranges} == {"F3:F6"}
    rules = {str(ranges.sqref): [rule.formula for rule in ranges.rules] for ranges in sheet.conditional_formatting}
    assert rules == {"B5:B10": [["$B5>$C$3"]]}
    assert {str(each.sqref): each.formula1 for each in sheet.data_validations.dataValidation} == {
        "A4:A13": "$B$2:$B$16"
    }
    assert sheet.auto_filter.ref == "A1:D17"
    assert {cell.coordinate: cell.comment.text for row in sheet for cell in row if cell.comment} == {"A8": "kept"}
    links = {
        cell.coordinate: cell.hyperlink.location or cell.hyperlink.target
        for row in sheet
        for cell in row
        if cell.hyperlink
    }
    assert links == {"A10": "'Stays'!A13"}
    assert [brk.id for brk in sheet.row_breaks.brk] == [6, 13]
    assert (sheet.print_area, sheet.print_title_rows) == ("'Stays'!$A$1:$D$17", "$1:$2")
    assert (sheet.freeze_panes, sheet.row_dimensions[13].height) == ("B3", 33)
    assert sheet["A7"].font.b
    assert totals["A1"].value.text == "=Stays!B2:B4*2"
    assert totals["B1"].value == "=SUM(Stays!#REF!)+1"
    assert totals["B2"].value == '=IF(Stays!A1="Stays!A9",1,2)'
    assert book.defined_names["Nights"].attr_text == "Stays!$B$2:$B$17"
    assert book.defined_names["Ninth"].attr_text == "Stays!#REF!"
    part = members(path)
    series = part["xl/charts/chart1.xml"].decode()
    for written_ in ("Stays!$B$2:$B$17", "Stays!$A$2:$A$17", "Stays!$A$1<"):
        assert written_ in series
    assert b"<xm:f>Stays!B2:C10</xm:f><xm:sqref>H10</xm:sqref>" in part["xl/worksheets/sheet1.xml"]
    assert b"SUM(Stays!B2:B17)" in part["xl/tables/table1.xml"]
    anchor = part["xl/drawings/drawing1.xml"].decode()
    assert "<xdr:row>9</xdr:row>" in anchor
    assert part["xl/drawings/vmlDrawing1.vml"].count(b"<v:shape ") == 1
    assert b'<pane xSplit="1" ySplit="2" topLeftCell="B3"' in part["xl/worksheets/sheet1.xml"]
    assert schema_findings(path) <= findings
    assert "1 formula referred to deleted cells and now show an error: Totals B1." in " ".join(found.notes)
    scrub.undo()
    assert path.read_bytes() == before


def test_a_renamed_sheet_is_found_everywhere_and_nothing_else_changes(home: Path) -> None:
    path = Path("rich.xlsx")
    rich(path)
    old = members(path)
    found = done('sheet("Stays").name = "Guests\' stays <1>"', path)
    assert [str(change) for change in found.changes] == ["name: Stays -> Guests' stays <1>"]
    new = members(path)
    for name, data in old.items():
        text, after = data.decode("utf-8", "replace"), new[name].decode("utf-8", "replace")
        if name == "xl/worksheets/sheet2.xml":
            assert '"Stays!A9"' in after  # a text is not a reference
            text, after = text.replace('"Stays!A9"', ""), after.replace('"Stays!A9"', "")
        assert "Stays!" not in after, name
        for before in ("'Stays'!", "Stays!", 'name="Stays"', ">Stays<"):
            text = text.replace(before, "@")
        for fresh in ("'Guests'' stays &lt;1&gt;'!", 'name="Guests\' stays &lt;1&gt;"', ">Guests' stays &lt;1&gt;<"):
            after = after.replace(fresh, "@")
        assert after == text, name
    assert load(path)["Totals"]["B1"].value == "=SUM('Guests'' stays <1>'!B9:B9)+1"
    problem = run(
        'sheet("Totals").name = "Sums"\nsheet(1).name = "Totals"'.replace("sheet(1)", 'sheet("Guests\' stays <1>")'),
        path,
    ).problem
    assert 'was called "Totals" when the run started' in str(problem)


@pytest.mark.parametrize(("body", "why"), [
    ('in row(1)\ndelete\nend', "the headings of the filter on Stays"),
    ('protect\nin row(5)\ndelete\nend', "Stays is protected. Unprotect it first"),
    ('in row(5)\ndelete\nend\ncell("A5").value = 1', "Stays A5 was deleted in a line above, with its row"),
    ('r = row(5)\nin r\ndelete\nend\nlog "{r.number}"', 'the row "Stays row 5" was deleted in a line above'),
    ('in row(5)\ndelete\nend\nx = cell("D3").value + cell("B5").value', "was deleted|nothing"),
    ('sheet.name = "Totals"', 'a sheet "Totals" exists already'),
    ('sheet.name = "a:b"', "is not a valid sheet name"),
    ('sheet.name = ""', "is not a valid sheet name"),
    (f'sheet.name = "{"x" * 32}"', "is not a valid sheet name"),
    ('in sheet.records\nsort by: "guest 0"\nend', "has a comment, which would not move would leave behind|merged"),
])  # fmt: skip
def test_what_cannot_be_is_told_and_nothing_is_saved(home: Path, body: str, why: str) -> None:
    path = Path("rich.xlsx")
    rich(path)
    before = path.read_bytes()
    found = run(f'in sheet("Stays")\n{body}\nend', path)
    assert re.search(why, str(found.problem)), str(found.problem)
    assert path.read_bytes() == before


@pytest.mark.parametrize(("rows", "array", "why"), [
    ([1], False, "the headings of a table on Totals"), ([2, 3, 4], False, "a table needs at least one row"),
    ([2], True, r"Totals A1:A3 is one array formula"),
])  # fmt: skip
def test_tables_and_arrays_are_not_torn(home: Path, rows: list[int], array: bool, why: str) -> None:
    path = Path("rich.xlsx")
    rich(path, array)
    each = "\n".join(f"in row({row})\ndelete\nend" for row in rows)
    found = run(f'in sheet("Totals")\n{each}\nend', path)
    assert found.problem is not None
    assert why in str(found.problem)


def test_a_shared_formula_follows_cell_by_cell(home: Path, tmp_path: Path) -> None:
    rows = "".join(
        f'<row r="{n}"><c r="A{n}"><v>{n}</v></c><c r="B{n}">'
        + ('<f t="shared" ref="B1:B6" si="0">A1*$A$2</f>' if n == 1 else '<f t="shared" si="0"/>')
        + f"<v>{n}</v></c></row>"
        for n in range(1, 7)
    )
    for slowly in (False, True):
        path = tmp_path / f"shared{slowly}.xlsx"
        path.write_bytes(packed([f"<sheetData>{rows}</sheetData>"]))
        done("each sheet\nin row(1)\ndelete\nend\nin row(4)\ndelete\nend\nend", path, slowly)
        sheet = load(path).worksheets[0]
        assert [(sheet.cell(n, 1).value, sheet.cell(n, 2).value) for n in range(1, 5)] == [
            (2, "=A1*$A$1"), (3, "=A2*$A$1"), (5, "=A3*$A$1"), (6, "=A4*$A$1"),
        ]  # fmt: skip


RECORDS = st.lists(
    st.tuples(st.sampled_from(["Larch", "kite", "Kite", "Äpfel", None]), st.one_of(st.none(), st.integers(0, 5))), min_size=1, max_size=12
)  # fmt: skip


@given(RECORDS, st.booleans(), st.sampled_from(["xlsx", "csv"]))
@examples(60)
def test_sorted_records_keep_their_cells_together(
    home: Path, tmp_path: Path, rows: list[tuple[str | None, int | None]], down: bool, ending: str
) -> None:
    path = tmp_path / f"rows.{ending}"
    table = [(hut, nights, number) for number, (hut, nights) in enumerate(rows)]
    if ending == "csv":
        path.write_text(
            "Hut,Nights,Number\n"
            + "".join(f"{hut or ''},{'' if nights is None else nights},{number}\n" for hut, nights, number in table)
        )
    else:
        book = xlsxwriter.Workbook(path)
        sheet, red = book.add_worksheet("S"), book.add_format({"font_color": "red", "num_format": "0.00"})
        sheet.write_row(0, 0, ["Hut", "Nights", "Number", "Twice"])
        for hut, nights, number in table:
            sheet.write(number + 1, 0, hut)
            sheet.write(number + 1, 1, nights)
            sheet.write(number + 1, 2, number, red if number % 3 == 0 else None)
            sheet.write_formula(number + 1, 3, f"=C{number + 2}*2", None, number * 2)
        book.close()
    word = "yes" if down else "no"
    found = done(
        f'each sheet\nin sheet.records\nsort by: "Hut", then: "Nights", descending: {word}, then-descending: {word}\nend\nend',
        path,
    )
    from scrub.model.core.values import alphabetical

    order = list(table)
    for place in (1, 0):
        filled = [row for row in order if row[place] is not None]
        keys: dict[int, Any] = {row[2]: row[1] if place else alphabetical(str(row[0])) for row in filled}
        filled.sort(key=lambda row: keys[row[2]], reverse=down)
        order = [*filled, *(row for row in order if row[place] is None)]
    if ending == "csv":
        assert path.read_text().splitlines()[1:] == [
            f"{hut or ''},{'' if nights is None else nights},{number}" for hut, nights, number in order
        ]
    else:
        sheet = load(path)["S"]
        got = [tuple(cell.value for cell in row[:3]) for row in sheet.iter_rows(min_row=2)]
        assert got == order
        assert [sheet.cell(row, 4).value for row in range(2, len(rows) + 2)] == [
            f"=C{row}*2" for row in range(2, len(rows) + 2)
        ]
        assert [
            bool(row[2].font.color and row[2].font.color.rgb == "FFFF0000") for row in sheet.iter_rows(min_row=2)
        ] == [number % 3 == 0 for *_, number in order]
        saved = openpyxl.load_workbook(path, data_only=True)["S"]
        assert [saved.cell(row, 4).value for row in range(2, len(rows) + 2)] == [number * 2 for *_, number in order]
    assert (order == table) == (found.state == "unchanged")


def test_duplicates_and_empty_rows_go(home: Path) -> None:
    for ending in ("csv", "xlsx"):
        path = Path(f"guests.{ending}")
        rows: list[list[Any]] = [
            ["Guest", "Nights"],
            ["Ann", 2],
            ["ann", 2],
            ["Bo", 3],
            [None, None],
            ["Ann", 5],
            ["BO", 3],
        ]
        if ending == "csv":
            path.write_text("".join(f"{a or ''},{'' if b is None else b}\n" for a, b in rows))
        else:
            book = openpyxl.Workbook()
            for row in rows:
                book.worksheets[0].append(row)
            book.save(path)
        found = done(
            'each sheet\nin sheet.records\ndelete-duplicates\nend\neach row where row is empty\ndelete\nend\nlog "{count(row)} {count(record)} {row(2).values.count}"\nend',
            path,
        )
        assert found.log == ["4 3 2"]
        assert str(found.changes[0]) == "row 3 deleted: ann | 2"
        if ending == "csv":
            assert path.read_text() == "Guest,Nights\nAnn,2\nBo,3\nAnn,5\n"
        else:
            assert [[cell.value for cell in row] for row in load(path).worksheets[0]] == [
                ["Guest", "Nights"],
                ["Ann", 2],
                ["Bo", 3],
                ["Ann", 5],
            ]
        scrub.undo()
    found = done('in sheet("guests").records\ndelete-duplicates under: ["Guest"]\nend', Path("guests.csv"))
    assert len(found.changes) == 3


def test_an_attempt_takes_rows_back(home: Path) -> None:
    path = Path("rich.xlsx")
    rich(path)
    before = path.read_bytes()
    found = done(
        """
in sheet("Stays")
    attempt
        each row where row.number > 4
            delete
        end
        sheet.name = "Gone"
        fail "back"
    if it fails
        log "{problem} {count(row)} {cell("B9").value} {sheet.name} {sum(cell.value in column("B"))}"
    end
end""",
        path,
    )
    assert found.log == [f"back 20 8 Stays {sum(range(20))}"]
    assert path.read_bytes() == before


def test_the_season_book_loses_rows_and_its_totals_follow(home: Path, book: Path) -> None:
    done(
        'each sheet where sheet.name ends with "Hut"\neach record in sheet.records(headings: 3) where record.nights < 3\ndelete\nend\nend',
        book,
    )
    old, new = (openpyxl.load_workbook(path, data_only=True) for path in (SAMPLE, book))
    for sheet in old.worksheets[:8]:
        kept = [
            [cell.value for cell in row]
            for row in sheet.iter_rows(min_row=4)
            if isinstance(row[2].value, int) and row[2].value >= 3
        ]
        assert [[cell.value for cell in row] for row in new[sheet.title].iter_rows(min_row=4)] == kept
    assert [row[1].value for row in load(book)["Totals"].iter_rows(min_row=4)] == [
        f"=SUM('{sheet.title}'!E4:E{new[sheet.title].max_row})" for sheet in old.worksheets[:8]
    ]
    old_texts, new_texts = (b"".join(members(path).values()) for path in (SAMPLE, book))
    gone = {str(row[0].value) for sheet in old.worksheets[:8] for row in sheet.iter_rows(min_row=4)} - {
        str(row[0].value) for sheet in new.worksheets[:8] for row in sheet.iter_rows(min_row=4)
    }
    assert len(gone) > 5
    for guest in gone:
        assert guest.encode() in old_texts
        assert guest.encode() not in new_texts
    assert schema_findings(book) == set()
    assert len(changed_parts(SAMPLE, book)) > 8


def test_sheets_go_move_and_come_to_the_front(home: Path, book: Path) -> None:
    before, findings = book.read_bytes(), schema_findings(book)
    done(
        """
in sheet("Larch Hut")
    cells("A1:H15").name = "Larch"
end
in sheet("Draft prices")
    move-to 1
end
sheet("Sorrel Hut").active = yes
cover = new-sheet("Cover")
in cover
    move-to 2
end
gone = new-sheet("Gone")
in gone
    delete
end
sheet("Sorrel Hut").heading-rows = "1:3"
""",
        book,
    )
    found = load(book)
    names = [
        "Draft prices",
        "Cover",
        *(sheet.title for sheet in load(SAMPLE).worksheets if sheet.title != "Draft prices"),
    ]
    assert found.sheetnames == names
    assert found.active.title == "Sorrel Hut"
    assert [sheet.title for sheet in found.worksheets if sheet.sheet_view.tabSelected] == ["Sorrel Hut"]
    assert found["Sorrel Hut"].print_title_rows == "$1:$3"
    assert found["Totals"]["B4"].value == "=SUM('Larch Hut'!E4:E15)"
    assert schema_findings(book) <= findings
    scrub.undo()
    assert book.read_bytes() == before


def test_a_sheet_goes_with_all_that_is_its_own_and_nothing_else(home: Path, book: Path) -> None:
    done('sheet("Col Hut").heading-rows = "1:3"\nsheet("Totals").active = yes', book)
    old = members(book)
    found = done(
        'each sheet where sheet.name is in ["Totals", "Larch Hut"]\ndelete\nend\nlog "{count(sheet)} {sheet("Col Hut").number}"',
        book,
    )
    assert found.log == ["9 7"]
    new = members(book)
    assert load(book).sheetnames == [name for name in load(SAMPLE).sheetnames if name not in ("Totals", "Larch Hut")]
    assert load(book)["Col Hut"].print_title_rows == "$1:$3"
    gone = {name for name in old if name not in new}
    assert {
        "xl/worksheets/sheet1.xml",
        "xl/charts/chart1.xml",
        "xl/tables/table1.xml",
        "xl/comments1.xml",
        "xl/media/image1.png",
    } <= gone
    text = b"".join(data for name, data in new.items() if name.endswith((".xml", ".rels")))
    for trace in (b"Larch Hut", b"chart1", b"sheet1.xml", b"comments1"):
        assert trace not in text, trace
    assert schema_findings(book) == set()


@pytest.mark.parametrize(("body", "why"), [
    ('in sheet("Lists")\ndelete\nend', "a rule on Larch Hut, a rule on Kite Hut"),
    ('in sheet("Larch Hut")\ndelete\nend', '"Larch Hut" cannot be deleted: Totals B4 would lose it'),
    ('in sheet("Draft prices")\ndelete\nend', 'the name "Night_price"'),
    ('each sheet\ndelete\nend', "is the last visible sheet"),
    ('in sheet("Totals")\nmove-to 99\nend', "position 99 is out of range"),
    ('sheet("Draft prices").active = yes', "is hidden and cannot be active"),
    ('sheet("Larch Hut").active = no', "one sheet is always active"),
])  # fmt: skip
def test_sheets_that_must_stay_are_told(home: Path, book: Path, body: str, why: str) -> None:
    before = book.read_bytes()
    assert re.search(why, str(run(body, book).problem)), str(run(body, book).problem)
    assert book.read_bytes() == before


def test_a_pattern_sheet_for_each_hut(home: Path) -> None:
    path = Path("rich.xlsx")
    rich(path)
    done(
        """sheet("Stays").heading-rows = "1:2"
sheet("Totals").cell("A9").formula = "=Stays!B2+Totals!E2"
""",
        path,
    )
    before, findings = path.read_bytes(), schema_findings(path)
    found = done(
        """
in sheet("Stays")
    each hut in ["Larch & Co", "Kite"] as n
        fresh = copy(name: hut)
        fresh.cell("A1").value = hut
        in fresh
            in row(20)
                delete
            end
            move-to n
        end
    end
end""",
        path,
    )
    assert [str(change) for change in found.changes][:2] == ["copy of Stays", 'A1: "guest 0" -> "Larch & Co"']
    book = load(path)
    assert book.sheetnames == ["Larch & Co", "Kite", "Stays", "Totals"]
    for title in ("Larch & Co", "Kite", "Stays"):
        sheet = book[title]
        last = 20 if title == "Stays" else 19
        assert sheet["A1"].value == ("guest 0" if title == "Stays" else title)
        assert [sheet.cell(row, 4).value for row in range(1, last + 1)] == [
            f"=B{row}+C{row}" for row in range(1, last + 1)
        ]
        assert sheet.print_area == f"'{title}'!$A$1:$D${last}"
        assert sheet.print_title_rows == "$1:$2"
        assert sheet.auto_filter.ref == f"A1:D{last}"
        assert {cell.coordinate for row in sheet for cell in row if cell.comment} == {"A8", "A10"}
        assert sheet["A9"].hyperlink.target == "https://huts.example"
        assert sheet["A12"].hyperlink.location.replace("'", "") == f"{title}!A15"
        series = sheet._charts[0].series[0]
        assert series.val.numRef.f.replace("'", "") == f"{title}!$B$2:$B${last}"
        assert bool(sheet.sheet_view.tabSelected) == (title == "Stays")
    assert book["Totals"]["A9"].value == "=Stays!B2+Totals!E2"
    assert schema_findings(path) <= findings
    scrub.undo()
    assert path.read_bytes() == before


def test_tables_of_a_pattern_get_names_of_their_own(home: Path) -> None:
    """What refers to a table from its own sheet refers to that of the copy; what others say stays."""
    path = Path("a.xlsx")
    with xlsxwriter.Workbook(path) as book:
        sheet, other = book.add_worksheet("Pattern"), book.add_worksheet("Totals")
        columns = [
            {"header": "Guest", "total_string": "All"},
            {"header": "Nights", "total_function": "sum"},
            {"header": "Price", "formula": "=Stays[[#This Row],[Nights]]*10"},
        ]
        data = [["Ann", 2], ["Bo", 3]]
        sheet.add_table("B3:D6", {"name": "Stays", "total_row": True, "columns": columns, "data": data})
        sheet.add_table("F3:F5", {"name": "Bare", "header_row": False, "data": [[1], [2], [4]]})
        sheet.write_formula("H1", '=SUM(Stays[Nights])+SUM(Bare)&"Stays[x]"&Stays_2')
        sheet.write_comment("B4", "note")
        sheet.write_url("B5", "https://huts.example", string="Bo")
        sheet.conditional_format(
            "C4:C5", {"type": "formula", "criteria": "=ROWS(Stays)>C4", "format": book.add_format({"bold": True})}
        )
        other.write_formula("A1", "=SUM(Stays[Nights])")
        book.define_name("Stays_2", "=7")
        book.define_name("Pattern!Own", "=Stays[Nights]")
    before, findings = path.read_bytes(), schema_findings(path)
    body = """each hut in ["Larch", "Kite"]
    in sheet("Pattern")
        fresh = copy(name: hut)
    end
    in sheet(hut)
        log "{cell("B4").comment} {cell("B5").link}"
        each table where table.headings contains "Guest"
            each record where record.nights is 2
                record.guest = hut
            end
        end
        in row(5)
            delete
        end
    end
end"""
    found = run(body, path)
    assert found.problem is None, found.problem
    assert found.log == ["note https://huts.example"] * 2
    sorting = (
        'in sheet("Pattern")\nx = copy(name: "T2")\nend\nin table("Stays_5")\nsort by: "Nights", descending: yes\nend'
    )
    assert "T2 B4 has a comment, which would not move" in str(run(sorting, path).problem)
    made = load(path)
    seen = {sheet.title: sorted((each.name, each.ref) for each in sheet.tables.values()) for sheet in made}
    assert seen == {
        "Pattern": [("Bare", "F3:F5"), ("Stays", "B3:D6")], "Totals": [],
        "Larch": [("Bare_2", "F3:F4"), ("Stays_3", "B3:D5")], "Kite": [("Bare_3", "F3:F4"), ("Stays_4", "B3:D5")],
    }  # fmt: skip
    every = [each for sheet in made for each in sheet.tables.values()]
    assert len({each.id for each in every}) == len({each.displayName for each in every}) == 6
    assert made["Totals"]["A1"].value == "=SUM(Stays[Nights])"
    for title, table, bare in (
        ("Pattern", "Stays", "Bare"),
        ("Larch", "Stays_3", "Bare_2"),
        ("Kite", "Stays_4", "Bare_3"),
    ):
        sheet = made[title]
        assert sheet["H1"].value == f'=SUM({table}[Nights])+SUM({bare})&"Stays[x]"&Stays_2'
        assert (
            sheet.tables[table].tableColumns[2].calculatedColumnFormula.attr_text == f"{table}[[#This Row],[Nights]]*10"
        )
        assert [rule.formula for rules in sheet.conditional_formatting for rule in rules.rules] == [
            [f"ROWS({table})>C4"]
        ]
        assert sheet.defined_names["Own"].attr_text == f"{table}[Nights]"
    assert (made["Larch"]["B4"].value, made["Pattern"]["B4"].value) == ("Larch", "Ann")
    assert schema_findings(path) <= findings
    scrub.undo(1)
    assert path.read_bytes() == before


@pytest.mark.parametrize(("body", "why"), [
    ('in sheet("Totals")\nx = copy(name: "T2")\nend\nin table("Sums_2")\nadd-row ["Col", 1]\nend', "Change its tables in a second run"),
    ('in sheet("Totals")\nx = copy(name: "T2")\nend\ntable("Sums_2").style = nothing', "Change its tables in a second run"),
    ('in sheet("Totals")\nx = copy(name: "T2")\nend\nsheet("T2").cell("D1").value = "Lodge"', 'is a heading of the table "Sums_2"'),
    ('in sheet("Stays")\nx = copy(name: "Totals")\nend', 'a sheet "Totals" exists already'),
    ('sheet("Stays").cell("B2").value = 7\nin sheet("Stays")\nx = copy(name: "T2")\nend', "was added or changed in this run"),
    ('in sheet("Stays")\nx = copy(name: "T2")\nx.cell("A1").comment = "a"\nend', "Change its comments in a second run"),
    ('in sheet("Stays")\nx = copy(name: "T2")\nx.cell("A1").link = "https://a.example"\nend', "Change its links in a second run"),
])  # fmt: skip
def test_what_cannot_be_copied_is_told(home: Path, body: str, why: str) -> None:
    path = Path("rich.xlsx")
    rich(path)
    before = path.read_bytes()
    assert why in str(run(body, path).problem)
    assert path.read_bytes() == before


@pytest.mark.parametrize("odd", [
    lambda text: text.replace("<f>", "\n  <f>").replace("<v>", "\n  <v>"), lambda text: text.replace('t="s"', "t='s'"),
    lambda text: text.replace("<v>", "<!-- x --><v>"), lambda text: text.replace('<c r="A2" t="s">', '<c t="s" r="A2">'), lambda text: text,
    lambda text: text.replace("<f>", "<f >"),
])  # fmt: skip
def test_however_cells_are_spelled_nothing_that_is_used_goes(home: Path, odd: Any) -> None:
    """A short cut that does not see a text or a formula would empty the one and leave the other wrong."""
    book = xlsxwriter.Workbook("plain.xlsx")
    sheet, other = book.add_worksheet("S"), book.add_worksheet("T")
    for row, text in enumerate(["head", "kept", "goes", "twice", "twice"]):
        sheet.write(row, 0, text)
        sheet.write_formula(row, 1, f"=LEN(A{row + 1})+LEN(T!A1)")
    other.write(0, 0, "far")
    other.write(1, 0, "goes too" if odd("x") else "")
    other.write_formula(2, 1, "=S!A5&S!A2")
    book.close()
    with zipfile.ZipFile("plain.xlsx") as old, zipfile.ZipFile("odd.xlsx", "w") as new:
        for name in old.namelist():
            data = old.read(name)
            new.writestr(name, odd(data.decode()).encode() if "worksheets/" in name else data)
    done('in sheet("S")\nin row(3)\ndelete\nend\nin row(4)\ndelete\nend\nend', Path("odd.xlsx"))
    found = load("odd.xlsx")
    assert [[cell.value for cell in row] for row in found["S"].iter_rows()] == [
        ["head", "=LEN(A1)+LEN(T!A1)"], ["kept", "=LEN(A2)+LEN(T!A1)"], ["twice", "=LEN(A3)+LEN(T!A1)"],
    ]  # fmt: skip
    assert [row[0].value for row in found["T"].iter_rows()] == ["far", "goes too", None]
    assert found["T"]["B3"].value == "=S!A3&S!A2"
    texts = members("odd.xlsx")["xl/sharedStrings.xml"].decode()
    assert ">goes<" not in texts
    assert ">goes too<" in texts


def test_a_table_grows_with_its_looks_and_formulas(home: Path) -> None:
    book = xlsxwriter.Workbook("table.xlsx")
    sheet, bold = book.add_worksheet("S"), book.add_format({"bold": True, "num_format": "0.00"})
    sheet.add_table("B2:D4", {"name": "Stays", "data": [["Ann", 2], ["Bo", 3]], "columns": [
        {"header": "Guest"}, {"header": "Nights", "format": bold}, {"header": "Price", "formula": "=[@Nights]*14.5"},
    ]})  # fmt: skip
    sheet.write_formula("F1", "=SUM(Stays[Nights])")
    book.close()
    path = Path("table.xlsx")
    before, findings = path.read_bytes(), schema_findings(path)
    body = """
in table("Stays")
    add-row ["Cleo", 4]
    add-row ["Dan", 5, 99]
    add-column "Paid"
    each record where record.nights > 3
        record.paid = "yes"
    end
    log "{table.address} {count(record in table)} {sum(record.nights in table)}"
end"""
    found = done(body, path)
    assert found.log == ["B2:E6 4 14"]
    assert "rows in Stays: 2 -> 4" in [str(change) for change in found.changes]
    read = load(path)["S"]
    table = read.tables["Stays"]
    assert (table.ref, table.autoFilter.ref, [column.name for column in table.tableColumns]) == (
        "B2:E6",
        "B2:E6",
        ["Guest", "Nights", "Price", "Paid"],
    )
    rows = [[cell.value for cell in row] for row in read["B2:E6"]]
    assert [row[0] for row in rows] == ["Guest", "Ann", "Bo", "Cleo", "Dan"]
    assert [row[3] for row in rows] == ["Paid", None, None, "yes", "yes"]
    assert str(rows[3][2]).startswith("=")
    assert rows[4][2] == 99
    assert (read["C5"].font.b, read["C5"].number_format) == (True, "0.00")
    assert schema_findings(path) <= findings
    scrub.undo()
    assert path.read_bytes() == before
    for odd, why in (
        ('cell("S!C5").value = 1\n', "S C5 is below the table"),
        ('cell("S!E3").value = 1\n', "S E3 is beside the table"),
    ):
        line = 'add-column "Paid"' if "E3" in odd else 'add-row ["Cleo"]'
        assert why in str(run(f'{odd}in table("Stays")\n{line}\nend', path).problem)
    found = done(
        'attempt\nin table("Stays")\nadd-row ["Cleo"]\nend\nfail "x"\nif it fails\nlog "{table("Stays").address}"\nend',
        path,
    )
    assert (found.log, found.state) == (["B2:D4"], "unchanged")


@given(books(), st.sets(st.integers(1, 9), min_size=1, max_size=4))
@examples(60)
def test_however_a_workbook_is_written_its_rows_go_both_ways_alike(
    home: Path, tmp_path: Path, book: Book, gone: set[int]
) -> None:
    """With and without addresses and prefixes, rich and shared texts, odd spelling: what stays is what another reader
    sees, one place higher for each row that went.
    """

    def seen(path: Path) -> dict[tuple[int, int], tuple[Any, str, bool]]:
        sheet = load(path).worksheets[0]
        return {
            (cell.row, cell.column): (cell.value, cell.number_format, bool(cell.font.b))
            for row in sheet.iter_rows() for cell in row if cell.has_style or cell.value is not None
        }  # fmt: skip

    lines = "\n".join(f"in row({row})\ndelete\nend" for row in sorted(gone))
    found = {}
    for slowly in (False, True):
        path = tmp_path / f"any{slowly}.xlsx"
        path.write_bytes(book.data)
        before = seen(path)
        done(f'in sheet("S1")\n{lines}\nend', path, slowly)
        found[slowly] = members(path)
    assert found[False] == found[True]
    assert seen(path) == {
        (row - sum(each < row for each in gone), column): cell for (row, column), cell in before.items() if row not in gone
    }  # fmt: skip


def test_rows_that_stay_in_sight_are_fewer_by_those_that_go(home: Path) -> None:
    path = Path("rich.xlsx")
    rich(path)
    done('in sheet("Stays")\nin row(2)\ndelete\nend\nend', path)
    assert load(path)["Stays"].freeze_panes == "B2"
    assert b'ySplit="1"' in members(path)["xl/worksheets/sheet1.xml"]


@pytest.mark.parametrize(
    ("name", "written_"),
    [("Q1", "'Q1'"), ("R2C2", "'R2C2'"), ("true", "'true'"), ("Huts", "Huts"), ("2027", "'2027'"), ("Hüt", "Hüt")],
)
def test_names_that_look_like_cells_are_quoted(home: Path, name: str, written_: str) -> None:
    path = Path("rich.xlsx")
    rich(path)
    done(f'sheet("Stays").name = "{name}"', path)
    assert load(path)["Totals"]["B1"].value in (f"=SUM({written_}!B9:B9)+1", f"=SUM({name}!B9:B9)+1")
    if written_ != name:
        assert load(path)["Totals"]["B1"].value.startswith(f"=SUM({written_}!")


def test_a_formula_that_cannot_be_read_stops_only_what_concerns_it(home: Path) -> None:
    rows = '<row r="1"><c r="A1"><f>A1 ~ §</f><v>1</v></c><c r="B1"><f>S1!A2</f><v>1</v></c></row>'
    path = Path("odd.xlsx")
    path.write_bytes(packed(["<sheetData/>", f"<sheetData>{rows}</sheetData>"]))
    done('sheet("S1").name = "Huts"', path)
    assert load(path)["S2"]["B1"].value == "=Huts!A2"
    assert "S2 A1: " in str(run('in sheet("S2")\nin row(3)\ndelete\nend\nend', path).problem)


CELLS = st.lists(
    st.tuples(st.sampled_from(["Larch", "kite", "", None]), st.one_of(st.none(), st.integers(0, 9)), st.booleans(), st.booleans()),
    min_size=2, max_size=12,
)  # fmt: skip


@given(CELLS, st.booleans(), st.booleans())
@examples(40)
def test_rows_ordered_as_bytes_are_those_ordered_cell_by_cell(
    home: Path, tmp_path: Path, rows: list[tuple[str | None, int | None, bool, bool]], beside: bool, wide: bool
) -> None:
    """Whole rows of plain cells are moved as they are stored; whatever is beside them, the result is the same."""
    path = tmp_path / "book.xlsx"
    book = xlsxwriter.Workbook(path)
    sheet, other = book.add_worksheet("S"), book.add_worksheet("Other")
    bold = book.add_format({"bold": True})
    sheet.write_row(0, 0, ["Hut", "Nights", "Note"])
    for number, (hut, nights, marked, tall) in enumerate(rows, 1):
        sheet.write_row(
            number, 0, [hut, nights] if not wide else [hut, nights, f"<n{number}> & more"], bold if marked else None
        )
        if tall:
            sheet.set_row(number, 33)
    if beside:
        sheet.write(2, 6, "beside")
    other.write_formula("A1", "=COUNTA(S!A2:A20)", None, "old")
    book.close()
    seen = []
    for slowly in (False, True):
        copy = tmp_path / f"copy{slowly}.xlsx"
        shutil.copy(path, copy)
        body = 'in sheet("S").records\nsort by: "Hut", then: "Nights", descending: yes, then-descending: yes\nend'
        tried = f'attempt\n{body}\nfail "no"\nif it fails\nend\nin sheet("S").records\nsort by: "Nights"\nend\n{body}'
        done(tried, copy, slowly)
        found = load(copy)["S"]
        seen.append([
            ([(cell.value or None, cell.font.b) for cell in row], found.row_dimensions[row[0].row].height)
            for row in found.iter_rows(max_col=7)
        ])  # fmt: skip
    assert seen[0] == seen[1]
    before = [nights for _, nights, *_ in rows]
    if before != sorted((each for each in before if each is not None), reverse=True):
        changed = 'in sheet("S").records\nsort by: "Nights", descending: yes\nend\nx = sheet("Other").cell("A1").value'
        found = run(changed, path)
        assert found.problem is None or "Other A1" in str(found.problem)


def test_an_address_of_blanks_names_nothing(home: Path) -> None:
    """Some writers leave the place of the cursor blank."""
    with xlsxwriter.Workbook("plain.xlsx") as made:
        made.add_worksheet("S").write_column("A1", [1, 2, 3, 4])
    with zipfile.ZipFile("plain.xlsx") as old, zipfile.ZipFile("blank.xlsx", "w") as new:
        for each in old.namelist():
            view = b'<sheetView workbookViewId="0"><selection activeCell=" " sqref="A1"/></sheetView>'
            data = re.sub(rb"<sheetView [^>]*/>", view, old.read(each))
            assert each != "xl/worksheets/sheet1.xml" or b'activeCell=" "' in data
            new.writestr(each, data)
    assert run('in sheet("S")\nin row(2)\ndelete\nend\nend', Path("blank.xlsx")).problem is None
