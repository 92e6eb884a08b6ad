"""Workbooks of other writers: every legal spelling of an element, elements of other namespaces, parts that a change
empties, names that lead nowhere; and merged ranges, which show one cell of many.
"""

from __future__ import annotations

import io
import zipfile
from pathlib import Path
from typing import Any

import openpyxl
import pytest
import xlsxwriter
from books import MAIN, RELS, packed
from conftest import examples
from hypothesis import given
from hypothesis import strategies as st
from lxml import etree
from sheets import load, members, schema_findings
from test_structure import done, run

import scrub
from scrub.formats.spans import with_attributes

MC = "http://schemas.openxmlformats.org/markup-compatibility/2006"
XR = "http://schemas.microsoft.com/office/spreadsheetml/2014/revision"
ROWS = "".join(f'<row r="{row}"><c r="A{row}"><v>{row}</v></c></row>' for row in range(1, 7))


def with_parts(data: bytes, **replaced: str) -> bytes:
    """A package with some parts replaced; in the names of parts a double underscore means a slash, a single one at the
    end for ".xml".
    """
    made = io.BytesIO()
    parts = {name.replace("__", "/") + ".xml": text for name, text in replaced.items()}
    with zipfile.ZipFile(io.BytesIO(data)) as old, zipfile.ZipFile(made, "w") as new:
        for name in old.namelist():
            new.writestr(name, parts.get(name, old.read(name)))
    return made.getvalue()


NAMES = st.sampled_from(["zoomScale", "x14ac:dyDescent", "ht", "customHeight", "outlineLevelRow"])
BLANKS = st.sampled_from([" ", "\n", "\t ", "  "])
VALUES = st.text(st.sampled_from("ab>&<é "), max_size=4)


@given(st.data(), st.dictionaries(NAMES, VALUES), st.dictionaries(NAMES, st.none() | VALUES))
@examples(60)
def test_attributes_of_every_spelling_of_an_element(
    data: st.DataObject, there: dict[str, str], wanted: dict[str, str | None]
) -> None:
    name = data.draw(st.sampled_from(["sheetFormatPr", "x:sheetFormatPr"]))
    quote = data.draw(st.sampled_from("\"'"))
    escaped = {word: value.replace("&", "&amp;").replace("<", "&lt;") for word, value in there.items()}
    inside = "".join(f"{data.draw(BLANKS)}{word}={quote}{value}{quote}" for word, value in escaped.items())
    end = data.draw(
        st.sampled_from(["/>", " />", f"></{name}>", f"\n></{name} >", f"><{name}>a &gt; b</{name}></{name}>"])
    )
    made = with_attributes(f"<{name}{inside}{end}".encode(), wanted)
    spaces = ' xmlns:x="u:x" xmlns:x14ac="u:ac"'
    found = etree.fromstring(str(made, "utf-8").replace(name, name + spaces, 1))
    now = {str(word).replace("{u:ac}", "x14ac:"): value for word, value in found.attrib.items()}
    assert now == {word: value for word, value in {**there, **wanted}.items() if value is not None}


@given(st.data())
@examples(25)
def test_settings_of_sheets_in_every_spelling(home: Path, data: st.DataObject) -> None:
    """All that sets attributes of a sheet works on each legal form of the elements that are there."""
    prefixed = data.draw(st.booleans())

    def element(name: str, attributes: str, inner: str = "") -> str:
        blank = data.draw(BLANKS)
        end = f">{inner}</{name}>" if inner or data.draw(st.booleans()) else data.draw(st.sampled_from(["/>", "\n/>"]))
        return f"<{name}{blank}{attributes}{end}"

    body = (
        element("sheetPr", 'codeName="Sheet1"', data.draw(st.sampled_from(["", "<outlinePr/>", "<pageSetUpPr/>"])))
        + element("dimension", 'ref="A1:A6"')
        + element("sheetViews", "", element("sheetView", 'workbookViewId="0"'))
        + element("sheetFormatPr", 'defaultRowHeight="15" customHeight="0"')
        + f"<sheetData>{ROWS}</sheetData>"
        + element("printOptions", 'headings="0"')
        + element("pageMargins", 'left="0.7" right="0.7" top="0.7" bottom="0.7" header="0.3" footer="0.3"')
        + element("pageSetup", 'orientation="portrait"')
    )
    path = Path("spelled.xlsx")
    path.write_bytes(packed([body], prefixed=prefixed))
    before, known = path.read_bytes(), schema_findings(path)
    done(
        """in sheet("S1")
row(2).level = 1
row(3).hidden = yes
row(4).height = 30 pt
column("B").width = 20
sheet.zoom = 80
sheet.frozen-rows = 1
sheet.orientation = landscape
sheet.left-margin = 1 cm
sheet.width-in-pages = 1
sheet.tab-colour = "#336699"
sheet.header = "Huts"
protect
end
protect-structure""",
        path,
    )
    assert schema_findings(path) <= known
    sheet = openpyxl.load_workbook(path)["S1"]
    assert sheet.row_dimensions[2].outlineLevel == 1
    assert sheet.sheet_format.outlineLevelRow == 1
    assert sheet.row_dimensions[3].hidden
    assert sheet.page_setup.orientation == "landscape"
    assert sheet.sheet_view.zoomScale == 80
    assert sheet.protection.sheet
    scrub.undo()
    assert path.read_bytes() == before


def test_elements_of_other_namespaces_keep_their_places(home: Path) -> None:
    views = '<bookViews><workbookView activeTab="0"/></bookViews>'
    main = (
        f'<workbook xmlns="{MAIN}" xmlns:r="{RELS}" xmlns:mc="{MC}" xmlns:xr="{XR}" mc:Ignorable="xr"><workbookPr/>'
        '<mc:AlternateContent><mc:Choice Requires="xr"><xr:path/></mc:Choice></mc:AlternateContent>'
        f'<xr:revisionPtr revIDLastSave="0"/>{views}<sheets><sheet name="S1" sheetId="1" r:id="r1"/></sheets></workbook>'
    )
    path = Path("foreign.xlsx")
    path.write_bytes(with_parts(packed([f"<sheetData>{ROWS}</sheetData>"]), xl__workbook=main))
    done("protect-structure", path)
    order = [etree.QName(each).localname for each in etree.fromstring(members(path)["xl/workbook.xml"])]
    assert order == ["workbookPr", "AlternateContent", "revisionPtr", "workbookProtection", "bookViews", "sheets"]
    body = (
        f'<sheetData>{ROWS}</sheetData><mc:AlternateContent xmlns:mc="{MC}"><mc:Choice Requires="x"><controls/>'
        "</mc:Choice></mc:AlternateContent><extLst/>"
    )
    path.write_bytes(packed([body]))
    done('in sheet("S1")\nsheet.left-margin = 1 cm\nsheet.row(3).page-break = yes\nend', path)
    order = [etree.QName(each).localname for each in etree.fromstring(members(path)["xl/worksheets/sheet1.xml"])]
    assert order.index("pageMargins") < order.index("rowBreaks") < order.index("AlternateContent")


def test_an_emptied_part_is_still_a_whole_one(home: Path) -> None:
    path = Path("notes.xlsx")
    for line in ("row(2)", 'column("B")'):
        book = xlsxwriter.Workbook(path)
        sheet = book.add_worksheet("S1")
        sheet.write_column("A1", [3, 1, 2])
        sheet.write_comment("B2", "the only one")
        sheet.add_sparkline("B2", {"range": "A1:A3"})
        sheet.conditional_format("B2", {"type": "data_bar", "data_bar_2010": True})
        book.close()
        done(f'in sheet("S1")\nin {line}\ndelete\nend\nend', path)
        assert not [each for row in load(path)["S1"].iter_rows() for each in row if each.comment]
        assert schema_findings(path) == set()
        assert "sparkline" not in members(path)["xl/worksheets/sheet1.xml"].decode()
        done('in sheet("S1")\ncell("A2").comment = "another"\nend', path)
        assert load(path)["S1"]["A2"].comment.text == "another"


def test_a_sheet_is_copied_though_its_new_name_is_left_over_somewhere(home: Path) -> None:
    path = Path("left.xlsx")
    data = packed([f"<sheetData>{ROWS}</sheetData>"])
    types = zipfile.ZipFile(io.BytesIO(data)).read("[Content_Types].xml").decode()
    dangling = '<Override PartName="/xl/worksheets/sheet2.xml" ContentType="application/octet-stream"/></Types>'
    path.write_bytes(with_parts(data, **{"[Content_Types]": types.replace("</Types>", dangling)}))
    done('in sheet("S1")\nx = copy(name: "Twin")\ncell("A1").value = 9\nend', path)
    assert members(path)["[Content_Types].xml"].decode().count("/xl/worksheets/sheet2.xml") == 1
    assert load(path)["Twin"]["A2"].value == 2
    assert load(path)["S1"]["A1"].value == 9


# -- merged ranges


def merged(path: Path) -> None:
    book = xlsxwriter.Workbook(path)
    sheet = book.add_worksheet("S1")
    for row in range(9):
        sheet.write_row(row, 0, [f"a{row + 1}", f"b{row + 1}", None, f"d{row + 1}"])
    sheet.merge_range("A5:B6", "The title", book.add_format({"bold": True}))
    sheet.merge_range("D7:D8", "two")
    book.close()


@pytest.mark.parametrize(
    ("body", "place"),
    [
        ("in row(9)\nmove-above 6\nend", "A9"),
        ('in column("D")\nmove-left-of "B"\nend', "D5"),
        ('in row(6)\nfresh = insert-above()\nfresh.cell("A").value = "lost"\nend', "A5:B6"),
        ('in row(6)\nfresh = insert-above()\nfresh.cell("B").value = "lost"\nend', "A5:B6"),
        ('in column("B")\nfresh = insert-left()\nfresh.cell(5).value = "lost"\nend', "A5:B6"),
    ],
)
def test_no_value_is_hidden_in_a_merged_range(home: Path, body: str, place: str) -> None:
    path = Path("merged.xlsx")
    merged(path)
    before = path.read_bytes()
    found = run(f'in sheet("S1")\n{body}\nend', path)
    assert place in str(found.problem)
    assert path.read_bytes() == before


def test_merged_ranges_do_not_come_to_overlap(home: Path) -> None:
    path = Path("merged.xlsx")
    book = xlsxwriter.Workbook(path)
    sheet = book.add_worksheet("S1")
    sheet.merge_range("A1:B1", "across")
    sheet.merge_range("D1:D3", "down")
    book.close()
    found = run('in sheet("S1")\nin column("D")\nmove-left-of "B"\nend\nend', path)
    assert "D1:D3" in str(found.problem)
    assert "A1:B1" in str(found.problem)


@pytest.mark.parametrize("line", ["row(5)", 'column("A")'])
def test_what_a_merged_range_shows_stays(home: Path, line: str) -> None:
    path = Path("merged.xlsx")
    merged(path)
    before = path.read_bytes()
    done(f'in sheet("S1")\nin {line}\ndelete\nend\nend', path)
    sheet: Any = load(path)["S1"]
    assert sheet["A5"].value == "The title"
    assert sheet["A5"].font.b
    assert "A5:B5" in map(str, sheet.merged_cells.ranges) or "A5:A6" in map(str, sheet.merged_cells.ranges)
    scrub.undo()
    assert path.read_bytes() == before


def test_lines_beside_a_merged_range_are_filled(home: Path) -> None:
    path = Path("merged.xlsx")
    merged(path)
    done(
        'in sheet("S1")\nin row(5)\nabove = insert-above()\nabove.cell("B").value = "above"\nend\n'
        'in row(6)\nbelow = insert-below()\nbelow.cell("B").value = "below"\nend\n'
        'in row(6)\ninner = insert-above()\ninner.cell("D").value = "beside"\nend\nend',
        path,
    )
    sheet: Any = load(path)["S1"]
    assert [sheet["B5"].value, sheet["D7"].value, sheet["B9"].value] == ["above", "beside", "below"]
    assert "A6:B8" in map(str, sheet.merged_cells.ranges)


@pytest.mark.parametrize(
    ("body", "told"),
    [
        ("in row(3)\nmove-below 8\nend", ["S1 C10", "Other A1"]),
        ("in row(8)\nmove-above 4\nend", ["S1 C10", "Other A1"]),
        ("in row(3)\nmove-below 4\nend", []),
        ("in row(4)\nx = insert-above()\nend", []),
        ("in row(4)\ndelete\nend", []),
        ('in column("B")\nmove-right-of "D"\nend', ["S1 C11"]),
    ],
)
def test_formulas_that_cover_other_lines_after_a_move_are_named(home: Path, body: str, told: list[str]) -> None:
    path = Path("moved.xlsx")
    book = xlsxwriter.Workbook(path)
    sheet, other = book.add_worksheet("S1"), book.add_worksheet("Other")
    for row in range(9):
        sheet.write_row(row, 0, [row, row, row])
    sheet.write_formula("C10", "=SUM(C2:C6)")
    sheet.write_formula("C11", "=SUM(A1:C1)+SUM(A:A)+C9")
    other.write_formula("A1", "=SUM('S1'!$A$2:$A$6)")
    book.close()
    found = done(f'in sheet("S1")\n{body}\nend', path)
    notes = [each for each in found.notes if "Check these ranges" in each]
    assert len(notes) == (1 if told else 0), found.notes
    assert all(each in notes[0] for each in told)
