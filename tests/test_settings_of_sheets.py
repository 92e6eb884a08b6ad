"""What is set for sheets, rows, columns and what depends on cells, in workbooks that have none of it yet, or much."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import openpyxl
import pytest
from books import packed
from conftest import SAMPLE, examples, macro, model_of
from hypothesis import given
from hypothesis import strategies as st
from sheets import load, members, schema_findings

import scrub
from scrub.formats.workbook.cells.covered import Covered
from scrub.model.core.area import Area

BARE = "<sheetData/>"
FULL = (
    '<sheetPr codeName="One"><tabColor rgb="FF112233"/><outlinePr summaryBelow="0"/></sheetPr><dimension ref="A1:B2"/>'
    '<sheetViews><sheetView showGridLines="0" tabSelected="1" view="pageBreakPreview" zoomScale="60" workbookViewId="0">'
    '<pane ySplit="1" topLeftCell="A2" activePane="bottomLeft" state="frozen"/><selection pane="bottomLeft" activeCell="A2" sqref="A2"/>'
    '</sheetView></sheetViews><sheetFormatPr defaultRowHeight="15"/><cols><col min="2" max="4" width="12.5" customWidth="1"/></cols>'
    '<sheetData><row r="1" ht="30" customHeight="1"><c r="A1"><v>1</v></c></row><row r="2" hidden="1"><c r="A2"><v>2</v></c></row></sheetData>'
    '<autoFilter ref="A1:B2"><filterColumn colId="0"><filters><filter val="1"/></filters></filterColumn></autoFilter>'
    '<pageMargins left="0.7" right="0.7" top="0.75" bottom="0.75" header="0.3" footer="0.3"/>'
    '<pageSetup paperSize="9" orientation="landscape"/>'
    '<headerFooter differentFirst="1"><oddHeader>&amp;LLeft&amp;C&amp;"Arial,Bold"&amp;14Huts &amp;&amp; more&amp;R&amp;D</oddHeader></headerFooter>'
)


def made(*bodies: str) -> Path:
    path = Path("made.xlsx")
    path.write_bytes(packed(list(bodies)))
    return path


def done(path: Path, body: str) -> Any:
    found = scrub.run(macro(body), [str(path)]).files[0]
    assert found.problem is None, str(found.problem)
    return openpyxl.load_workbook(path)["S1"]


def logged(path: Path, text: str) -> str:
    found = scrub.run(macro(f'in sheet("S1")\nlog "{text}"\nend'), [str(path)], preview=True).files[0]
    assert found.problem is None, str(found.problem)
    return found.log[0]


SETTINGS = [
    ("view", "normal"), ("view", "page-layout"), ("page-break-lines", "no"), ("gridlines", "no"), ("gridlines", "yes"), ("zoom", "125"),
    ("tab-colour", '"#46605a"'), ("tab-colour", "nothing"), ("orientation", "landscape"), ("width-in-pages", "2"), ("height-in-pages", "3"),
    ("heading-rows", '"1:2"'), ("header", '"{sheet-name} & {file-name}"'), ("footer", '"Page {page-number} of {page-count}"'), ("frozen-rows", "2"),
    ("paper", "a5"), ("paper", "nothing"), ("left-margin", "1.5 cm"), ("footer-margin", "2 cm"), ("print-area", '"A1:B2"'), ("print-area", "nothing"),
    ("heading-columns", '"A:B"'), ("print-scale", "80"), ("printed-gridlines", "yes"), ("centred-across", "yes"), ("centred-down", "yes"),
    ("left-header", '"{print-date}"'), ("right-header", "nothing"), ("left-footer", '"a & b"'), ("right-footer", '"{page-number}"'),
    ("frozen-columns", "1"), ("filter", '"A1:B2"'), ("filter", "nothing"),
]  # fmt: skip


@pytest.mark.parametrize("body", [BARE, FULL], ids=["bare", "full"])
@pytest.mark.parametrize(("word", "value"), SETTINGS)
def test_a_setting_is_read_back_and_set_once(home: Path, body: str, word: str, value: str) -> None:
    path = made(body)
    findings = schema_findings(path)
    line = f'in sheet("S1")\nsheet.{word} = {value}\nend'
    done(path, line)
    assert logged(path, f"{{sheet.{word}}}") == value.strip('"').replace("nothing", "")
    assert not scrub.run(macro(line), [str(path)]).files[0].changes
    assert schema_findings(path) <= findings


def test_settings_reach_the_file_as_others_read_them(home: Path) -> None:
    sheet = done(
        made(BARE),
        'in sheet("S1")\nsheet.view = page-layout\nsheet.zoom = 80\nsheet.tab-colour = "red"\nsheet.height-in-pages = 2\n'
        'sheet.frozen-rows = 1\nsheet.frozen-columns = 2\nsheet.header = "a {page-number}"\nsheet.heading-rows = "2"\nend',
    )
    assert sheet.sheet_view.view == "pageLayout"
    assert sheet.sheet_view.zoomScale == 80
    assert sheet.sheet_properties.tabColor.rgb == "FFFF0000"
    assert (sheet.page_setup.fitToWidth, sheet.page_setup.fitToHeight) == (0, 2)
    assert sheet.freeze_panes == "C2"
    assert sheet.oddHeader.center.text == "a &P"
    assert sheet.print_title_rows == "$2:$2"


def test_what_else_stands_there_stays(home: Path) -> None:
    path = made(FULL)
    assert logged(
        path, '{sheet.header} {sheet.zoom} {sheet.frozen-rows} {sheet.filter} {row(1).height} {column("C").width}'
    ) == ("Huts & more 60 1 A1:B2 30 pt 11.79")
    sheet = done(
        path,
        'in sheet("S1")\nsheet.header = "New"\nsheet.frozen-rows = 0\nsheet.filter = nothing\ncolumn("C").hidden = yes\n'
        "sheet.orientation = portrait\nrow(1).height = nothing\nend",
    )
    assert (sheet.oddHeader.left.text, sheet.oddHeader.center.text, sheet.oddHeader.right.text) == ("Left", "New", "&D")
    assert sheet.HeaderFooter.differentFirst
    assert sheet.freeze_panes is None
    assert not sheet.row_dimensions[2].hidden
    assert sheet.page_setup.paperSize == 9
    part = members(path)["xl/worksheets/sheet1.xml"].decode()
    assert (
        '<col min="2" max="2" width="12.5" customWidth="1"/><col min="3" max="3" width="12.5" customWidth="1" hidden="1"/>'
        in part
    )
    assert '<col min="4" max="4" width="12.5" customWidth="1"/>' in part
    assert '<tabColor rgb="FF112233"/><outlinePr summaryBelow="0"/>' in part
    assert "pane=" not in part


def test_rows_and_columns(home: Path) -> None:
    path = made('<sheetData><row r="2"><c r="B2"><v>1</v></c></row></sheetData>')
    sheet = done(
        path,
        'in sheet("S1")\nrow(5).hidden = yes\nrow(2).height = 22.5 pt\ncolumn("A").width = 3\ncolumn("AB").hidden = yes\n'
        "each column\nlog column.letter\nend\neach row\nlog row.number\nend\nend",
    )
    assert sheet.row_dimensions[5].hidden
    assert sheet.row_dimensions[2].height == 22.5
    assert sheet.column_dimensions["AB"].hidden
    assert logged(path, '{column("A").width} {row(5).hidden} {column("AB").hidden} {row(9).hidden}') == "3 yes yes no"
    sheet = done(path, 'in sheet("S1")\nrow(5).hidden = no\ncolumn("AB").hidden = no\ncolumn("A").width = nothing\nend')
    assert not sheet.row_dimensions[5].hidden
    assert not sheet.column_dimensions["AB"].hidden


def test_comments_come_and_go(home: Path) -> None:
    path = made(BARE, BARE)
    before, findings = path.read_bytes(), schema_findings(path)
    sheet = done(path, 'cell("S1!B2").comment = "Look & see"\ncell("S1!A9").comment = "b"\ncell("S2!A1").comment = "c"')
    assert [(cell.coordinate, cell.comment.text) for row in sheet for cell in row if cell.comment] == [
        ("B2", "Look & see"),
        ("A9", "b"),
    ]
    assert schema_findings(path) <= findings
    sheet = done(
        path, 'in sheet("S1")\neach comment where comment.text is "b"\ndelete\nend\ncomment("B2").text = "New"\nend'
    )
    assert [cell.comment.text for row in sheet for cell in row if cell.comment] == ["New"]
    assert openpyxl.load_workbook(path)["S2"]["A1"].comment.text == "c"
    vml = [part for name, part in members(path).items() if name.endswith(".vml")]
    assert [part.count(b"ObjectType") for part in vml] == [1, 1]
    scrub.undo()
    scrub.undo()
    assert path.read_bytes() == before


def test_links_inside_and_outside(home: Path) -> None:
    path = made(BARE)
    sheet = done(
        path,
        'cell("S1!A1").link = "https://huts.example/a?b=1&c=2#top"\ncell("S1!A2").link = "#S1!B2"\ncell("S1!A3").link = "mailto:office@huts.example"',
    )
    assert sheet["A1"].hyperlink.target == "https://huts.example/a?b=1&c=2"
    assert sheet["A1"].hyperlink.location == "top"
    assert sheet["A2"].hyperlink.location == "S1!B2"
    assert (
        logged(path, '{cell("A1").link} {cell("A3").link}')
        == "https://huts.example/a?b=1&c=2#top mailto:office@huts.example"
    )
    sheet = done(path, 'cell("S1!A1").link = nothing\ncell("S1!A2").link = "https://huts.example"')
    assert sheet["A1"].hyperlink is None
    assert sheet["A2"].hyperlink.target == "https://huts.example"
    assert schema_findings(path) <= schema_findings(made(BARE))


def test_names_of_ranges(home: Path) -> None:
    path = made(BARE, BARE)
    done(path, 'cells("S1!B2:B5").name = "Nights"\ncells("S2!A:A").name = "All_names"')
    book = load(path)
    assert {name: each.attr_text for name, each in book.defined_names.items()} == {
        "Nights": "'S1'!$B$2:$B$5",
        "All_names": "'S2'!$A:$A",
    }
    assert logged(path, '{cells("B2:B5").name} {cells("B2:B6").name}') == "Nights "
    found = scrub.run(macro('cells("S1!A1").name = "nights"'), [str(path)]).files[0]
    assert 'the name "nights" exists already' in str(found.problem)
    done(path, 'cells("Nights").name = nothing\ncells("S2!A:A").name = "Guests"')
    assert {name: each.attr_text for name, each in load(path).defined_names.items()} == {"Guests": "'S2'!$A:$A"}


def test_merging(home: Path) -> None:
    path = made('<sheetData><row r="1"><c r="A1"><v>1</v></c></row></sheetData>')
    assert [str(each) for each in done(path, 'in cells("S1!A1:B2")\nmerge\nend').merged_cells.ranges] == ["A1:B2"]
    found = scrub.run(macro('in cells("S1!B2:C3")\nmerge\nend'), [str(path)]).files[0]
    assert "S1 B2:C3 overlaps A1:B2" in str(found.problem)
    assert not done(path, "each merged-range\nunmerge\nend").merged_cells.ranges
    assert "mergeCells" not in members(path)["xl/worksheets/sheet1.xml"].decode()


LOOKS = st.one_of(
    st.tuples(st.sampled_from(["bold", "italic", "wrapped", "locked"]), st.booleans()),
    st.tuples(
        st.sampled_from(["fill", "colour"]), st.one_of(st.none(), st.from_regex(r"#[0-9a-f]{6}", fullmatch=True))
    ),
    st.tuples(st.just("number-format"), st.sampled_from(["0.00", "General", "d mmm yyyy", '0" kg"', "#,##0.000"])),
    st.tuples(st.just("alignment"), st.sampled_from(["left", "centre", "right", "general", "centred-over"])),
)


@examples(60)
@given(st.lists(st.tuples(st.integers(1, 3), st.integers(1, 3), LOOKS), min_size=1, max_size=8))
def test_looks_are_set_and_no_other(tmp_path: Path, changes: list[Any]) -> None:
    path = tmp_path / "book.xlsx"
    path.write_bytes(
        packed(['<sheetData><row r="2"><c r="B2" s="2"><v>1</v></c><c r="C2" s="1"><v>46000</v></c></row></sheetData>'])
    )
    words = ("bold", "italic", "wrapped", "locked", "fill", "colour", "number-format", "alignment")
    with scrub.open(str(path)) as opened:
        sheet = next(model_of(opened).sheets())
        places = [(row, column) for row in range(1, 4) for column in range(1, 4)]
        expected = {(row, column, word): sheet.look(row, column, word) for row, column in places for word in words}
        for row, column, (word, value) in changes:
            sheet.put_look(row, column, word, value)
            expected[row, column, word] = value
        opened.save("Looks")
    with scrub.open(str(path)) as opened:
        sheet = next(model_of(opened).sheets())
        for (row, column, word), value in expected.items():
            assert sheet.look(row, column, word) == value, (row, column, word)
    book = openpyxl.load_workbook(path)["S1"]
    for row, column in places:
        cell = book.cell(row, column)
        assert bool(cell.font.b) == expected[row, column, "bold"]
        assert bool(cell.font.i) == expected[row, column, "italic"]
        assert cell.protection.locked == expected[row, column, "locked"]
        assert cell.number_format == expected[row, column, "number-format"]
        fill = expected[row, column, "fill"]
        assert (f"#{cell.fill.fgColor.rgb[2:].lower()}" if cell.fill.patternType else None) == fill
    assert book["B2"].value == 1 or book["B2"].is_date


def test_a_new_sheet_in_a_workbook_with_little_in_it(home: Path) -> None:
    path = made(BARE)
    findings = schema_findings(path)
    done(path, 'fresh = new-sheet("A & B")\nin fresh\nsheet.hidden = yes\nadd-row [1, 2026-05-01]\nprotect\nend')
    book = load(path)
    assert book.sheetnames == ["S1", "A & B"]
    assert book["A & B"].sheet_state == "hidden"
    assert book["A & B"].protection.sheet
    assert book["A & B"]["B1"].is_date
    assert schema_findings(path) <= findings


def test_the_sample_keeps_to_the_schema_whatever_is_set(book: Path) -> None:
    every = "\n".join(f"sheet.{word} = {value}" for word, value in SETTINGS if word not in ("filter",))
    body = f'each sheet\n{every}\ncell("J30").comment = "x"\ncell("J31").link = "https://huts.example"\ncell("J32").value = now\ncolumn("K").width = 4\nend'
    found = scrub.run(macro(body), [str(book)]).files[0]
    assert found.problem is None, found.problem
    assert schema_findings(book) <= schema_findings(SAMPLE)
    scrub.undo()
    assert book.read_bytes() == SAMPLE.read_bytes()


@given(
    st.lists(
        st.builds(lambda top, left, tall, wide: Area(top, left, top + tall, left + wide), st.integers(1, 40), st.integers(1, 40), st.sampled_from([0, 1, 2, 7, 30, 5000]), st.sampled_from([0, 1, 3, 8, 200])),
        max_size=12,
        unique=True,
    ),
    st.data(),
)  # fmt: skip
def test_what_covers_a_cell_is_found_however_large_it_is(areas: list[Area], data: st.DataObject) -> None:
    covered = Covered(areas)
    for area in data.draw(st.lists(st.sampled_from(areas), unique=True)) if areas else []:
        covered.take(area)
        areas.remove(area)
    for row, column in data.draw(st.lists(st.tuples(st.integers(1, 80), st.integers(1, 80)), min_size=20)):
        over = [each for each in areas if each.holds(row, column) and (row, column) != (each.top, each.left)]
        found = covered.over(row, column)
        assert found in over if over else found is None
