"""What is written is where the schema wants it, in any order of the macro; and what goes back leaves no trace."""

from __future__ import annotations

import io
import zipfile
from pathlib import Path

import pytest
from books import MAIN, RELS, Book, books, packed
from conftest import SAMPLE, examples, macro
from hypothesis import given
from hypothesis import strategies as st
from lxml import etree
from sheets import changed_parts, load, members, schema_findings

import scrub

#: The order of the standard, written down here once more from its schemas (sml.xsd).
WORKSHEET = (
    "sheetPr dimension sheetViews sheetFormatPr cols sheetData sheetCalcPr sheetProtection protectedRanges scenarios autoFilter "
    "sortState dataConsolidate customSheetViews mergeCells phoneticPr conditionalFormatting dataValidations hyperlinks "
    "printOptions pageMargins pageSetup headerFooter rowBreaks colBreaks customProperties cellWatches ignoredErrors smartTags "
    "drawing legacyDrawing legacyDrawingHF picture oleObjects controls webPublishItems tableParts extLst"
).split()
WORKBOOK = "fileVersion workbookPr workbookProtection bookViews sheets functionGroups externalReferences definedNames calcPr extLst".split()
STYLES = "numFmts fonts fills borders cellStyleXfs cellXfs cellStyles dxfs tableStyles colors extLst".split()

#: Settings of a sheet with their opposites; each can be done in any order.
SETTINGS = [
    ("sheet.orientation = landscape", "sheet.orientation = portrait"), ("sheet.footer = \"{page-number}\"", "sheet.footer = nothing"),
    ("sheet.header = \"a\"", "sheet.header = nothing"), ('sheet.filter = "A3:B5"', "sheet.filter = nothing"),
    ("sheet.zoom = 90", "sheet.zoom = 100"), ("sheet.gridlines = no", "sheet.gridlines = yes"),
    ('sheet.tab-colour = "red"', "sheet.tab-colour = nothing"), ("sheet.width-in-pages = 1", "sheet.width-in-pages = nothing"),
    ("sheet.frozen-rows = 2", "sheet.frozen-rows = 0"), ("sheet.view = page-layout", "sheet.view = normal"),
    ('sheet.heading-rows = "1:2"', "sheet.heading-rows = nothing"), ("sheet.page-break-lines = no", "sheet.page-break-lines = yes"),
    ('column("D").width = 20', 'column("D").width = nothing'), ('column("C").hidden = yes', 'column("C").hidden = no'),
    ('in cells("N20:O21")\nmerge\nend', 'each merged-range where merged-range.address is "N20:O21"\nunmerge\nend'),
    ('cell("P1").link = "https://huts.example"', 'cell("P1").link = nothing'), ('cells("P3:Q4").link = "#S1!A1"', 'cells("P3:Q4").link = nothing'),
    ('cell("P2").comment = "c"', 'cell("P2").comment = nothing'), ('cells("Q1:Q2").name = "Fresh"', 'cells("Q1:Q2").name = nothing'),
    ('cell("R1").value = 3', 'cell("R1").value = nothing'), ('cell("R2").formula = "=R1"', "clear-it"),
    ('cell("R3").bold = yes', 'cell("R3").bold = no'), ('cell("R4").fill = "yellow"', 'cell("R4").fill = nothing'),
    ('cell("R5").number-format = "0.000"', 'cell("R5").number-format = "General"'), ("row(31).hidden = yes", "row(31).hidden = no"),
    ("row(30).height = 30 pt", "row(30).height = nothing"), ('cell("R6").value = 2026-05-01', 'cell("R6").value = nothing'),
]  # fmt: skip


def new_findings(path: Path) -> set[str]:
    """What a validator finds beyond what it says of every bare workbook without a theme and with texts in its cells."""
    return {each for each in schema_findings(path) if "theme' is missing" not in each and "inline-string" not in each}


def in_order(part: bytes, order: list[str]) -> bool:
    names = [etree.QName(child).localname for child in etree.fromstring(part) if isinstance(child.tag, str)]
    return names == sorted(names, key=order.index)


def check_order(path: Path) -> None:
    parts = members(path)
    for name, part in parts.items():
        if name.startswith("xl/worksheets/sheet"):
            assert in_order(part, WORKSHEET), name
    assert in_order(parts["xl/workbook.xml"], WORKBOOK)
    assert in_order(parts["xl/styles.xml"], STYLES)


@pytest.mark.everything
@examples(20)
@given(
    st.booleans(),
    st.lists(st.sampled_from(SETTINGS), min_size=2, max_size=9, unique=True),
    st.sampled_from(["none", "first", "last"]),
)
def test_settings_in_any_order_keep_to_the_schema(
    tmp_path: Path, sample: bool, chosen: list[tuple[str, str]], protect: str
) -> None:
    path = tmp_path / "book.xlsx"
    path.write_bytes(
        SAMPLE.read_bytes() if sample else packed(['<sheetData><row r="1"><c r="A1"><v>1</v></c></row></sheetData>'])
    )
    name = "Draft prices" if sample else "S1"
    lines = [do.replace("#S1!", "#Totals!" if sample else "#S1!") for do, _ in chosen]
    if protect != "none":
        lines.insert(0 if protect == "first" else len(lines), "protect allow: [sort]")
    if protect == "first":
        lines = [lines[0], *(line for line in lines[1:] if line.startswith("sheet."))]
    before = schema_findings(path)
    found = scrub.run(macro(f'in sheet("{name}")\n' + "\n".join(lines) + "\nend"), [str(path)]).files[0]
    assert found.problem is None, str(found.problem)
    check_order(path)
    assert schema_findings(path) <= before
    load(path)


@examples(25)
@given(
    st.one_of(st.just(None), books()),
    st.lists(st.sampled_from([s for s in SETTINGS if s[1] != "clear-it"]), min_size=1, max_size=6, unique=True),
    st.booleans(),
)
def test_there_and_back_is_no_change_to_the_byte(
    tmp_path: Path, made: Book | None, chosen: list[tuple[str, str]], attempt: bool
) -> None:
    path = tmp_path / "book.xlsx"
    old = SAMPLE.read_bytes() if made is None else made.data
    path.write_bytes(old)
    name = "Draft prices" if made is None else "S1"
    there = [do for do, _ in chosen if made is None or "#S1" not in do]
    there = [line.replace("#S1!", "#Totals!") for line in there]
    back = [undo for do, undo in chosen if made is None or "#S1" not in do]
    if attempt:
        body = "attempt\n" + "\n".join(there) + '\nfail "no"\nif it fails\nend'
    else:
        body = "\n".join([*there, *reversed(back)])
    result = scrub.run(macro(f'in sheet("{name}")\n{body}\nend'), [str(path)])
    found = result.files[0]
    if found.problem is not None:  # a generated sheet can be such that a step is refused; then nothing is saved either
        assert made is not None
    else:
        assert found.changes == [], [str(each) for each in found.changes]
        assert found.state == "unchanged"
    assert path.read_bytes() == old


def test_a_rich_text_set_and_set_back_keeps_its_looks(home: Path) -> None:
    rich = "<r><rPr><b/></rPr><t>La</t></r><r><t>rch</t></r>"
    path = Path("rich.xlsx")
    path.write_bytes(packed([f'<sheetData><row r="1"><c r="A1" t="inlineStr"><is>{rich}</is></c></row></sheetData>']))
    old = path.read_bytes()
    found = scrub.run(
        macro('in cell("S1!A1")\ncell.value = 5\ncell.value = 2026-05-01\ncell.value = "Larch"\nend'), [str(path)]
    ).files[0]
    assert (list(found.changes), found.state) == ([], "unchanged")
    assert path.read_bytes() == old


def test_only_the_part_that_changes_is_packed_anew(book: Path) -> None:
    scrub.run(macro('sheet("Rowan Hut").hidden = yes'), [str(book)])
    assert changed_parts(SAMPLE, book) == {"xl/workbook.xml"}


def test_an_empty_list_of_names_stays(home: Path) -> None:
    path = Path("names.xlsx")
    data = packed(["<sheetData/>"])
    with zipfile.ZipFile(io.BytesIO(data)) as old, zipfile.ZipFile(path, "w") as new:
        for name in old.namelist():
            part = old.read(name)
            new.writestr(
                name, part.replace(b"</sheets>", b"</sheets><definedNames/>") if name == "xl/workbook.xml" else part
            )
    assert scrub.run(macro("each sheet\nprotect\nend"), [str(path)]).files[0].problem is None
    assert b"<definedNames/>" in members(path)["xl/workbook.xml"]
    named = scrub.run(macro('cells("S1!A1:A2").name = "Two"'), [str(path)]).files[0]
    assert named.problem is None
    assert list(load(path).defined_names) == ["Two"]


@pytest.mark.everything  # the checks of the schema look at a million cells
def test_whole_rows_and_columns_are_written_from_cell_to_cell(home: Path) -> None:
    path = Path("whole.xlsx")
    path.write_bytes(packed(['<dimension ref="A1"/><sheetData><row r="1"><c r="A1"><v>1</v></c></row></sheetData>']))
    body = 'in sheet("S1")\nin cells("F:G")\nmerge\nend\nsheet.filter = "1:1"\ncell("XFD1048576").value = 1\nend'
    assert scrub.run(macro(body), [str(path)]).files[0].problem is None
    sheet = load(path)["S1"]
    assert [str(each) for each in sheet.merged_cells.ranges] == ["F1:G1048576"]
    assert sheet.auto_filter.ref == "A1:XFD1"
    assert b'<dimension ref="A1:XFD1048576"/>' in members(path)["xl/worksheets/sheet1.xml"]
    assert not new_findings(path)


TEXTS = st.text(st.characters(codec="utf-8"), min_size=1, max_size=40).map(
    lambda text: text.replace("\r", "").replace('"', "")
)
PLACES = [
    'cell("S1!A1").value',
    'cell("S1!A2").comment',
    'sheet("S1").header',
    'sheet("S1").footer',
    'cell("S1!A3").number-format',
]


@examples(25)
@given(
    st.sampled_from(PLACES),
    st.one_of(TEXTS, st.sampled_from(["_x0041_", "a\x01b", "\x0b", "_xD83D__xDE00_", "\ufffe", "&<>", "a\nb"])),
)
def test_any_text_can_be_written_and_read_again(tmp_path: Path, place: str, text: str) -> None:
    path = tmp_path / "texts.xlsx"
    path.write_bytes(packed(["<sheetData/>"]))
    body = f't = ask("T")\nin workbook\n{place} = t\nend'
    found = scrub.run(macro(body), [str(path)], answers={"t": text}).files[0]
    if found.problem is not None:
        assert isinstance(found.problem, scrub.Failure)
        return
    if found.state == "unchanged":
        return
    again = scrub.run(macro(f'x = {place}\nsay "{{x}}"'), [str(path)]).files[0]
    assert again.problem is None, str(again.problem)
    if "header" in place or "footer" in place:
        return  # codes of a program can be in there
    assert again.said == [text]
    assert not new_findings(path)
    load(path)


@pytest.mark.parametrize(
    ("cell", "what"),
    [
        ('<c r="A1"><v>NaN</v></c>', "is not a number"), ('<c r="A1"><v>1E999999999</v></c>', "is not a number"),
        ('<c r="A1"><v>INF</v></c>', "is not a number"),
    ],
)  # fmt: skip
def test_what_is_no_number_is_told(home: Path, cell: str, what: str) -> None:
    Path("odd.xlsx").write_bytes(packed([f'<sheetData><row r="1">{cell}</row></sheetData>']))
    found = scrub.run(macro('x = cell("S1!A1").value\nif x > 2\nsay "a"\nend'), ["odd.xlsx"]).files[0]
    assert what in str(found.problem)


def test_half_characters_are_joined(home: Path) -> None:
    Path("pair.xlsx").write_bytes(
        packed(
            ['<sheetData><row r="1"><c r="A1" t="s"><v>0</v></c></row></sheetData>'], ["<t>_xD83D__xDE00_ _xD83D_</t>"]
        )
    )
    found = scrub.run(macro('say "{cell("S1!A1").value}"\nin cell("S1!A1")\nupper\nend'), ["pair.xlsx"]).files[0]
    assert found.said == ["\U0001f600 \ufffd"]


STRICT = "http://purl.oclc.org/ooxml/spreadsheetml/main"


def test_a_strict_workbook_takes_values_and_no_new_parts(home: Path) -> None:
    path = Path("strict.xlsx")
    data = packed(['<sheetData><row r="1"><c r="A1"><v>1</v></c></row></sheetData>'])
    with zipfile.ZipFile(io.BytesIO(data)) as old, zipfile.ZipFile(path, "w") as new:
        for name in old.namelist():
            part = old.read(name).decode()
            part = part.replace(MAIN, STRICT).replace(RELS, "http://purl.oclc.org/ooxml/officeDocument/relationships")
            new.writestr(name, part)
    assert (
        scrub.run(macro('in cell("S1!A1")\ncell.value = 2\ncell.bold = yes\nend'), [str(path)]).files[0].problem is None
    )
    for line in ('cell("S1!A1").comment = "c"', 'cell("S1!A1").link = "https://huts.example"', 'x = new-sheet("New")'):
        assert "is a Strict Open XML file" in str(scrub.run(macro(line), [str(path)]).files[0].problem), line
