"""OpenDocument spreadsheets: what is read and written, beside readers that share no code with Scrub."""

from __future__ import annotations

import base64
import hashlib
import io
import random
import shutil
import subprocess
import tempfile
import zipfile
from collections.abc import Callable
from pathlib import Path
from typing import Any

import pytest
from conftest import FOR_EVER, Output, examples, macro, model_of, portion
from documents import members
from formula_grammar import LATER, LEFT_OUT, Formulas, workbook
from hypothesis import given
from hypothesis import strategies as st
from lxml import etree
from mails import Approving
from openpyxl.utils import get_column_letter
from opentexts import NS
from python_calamine import CalamineWorkbook

import scrub
from scrub.formulas.functions import FUNCTIONS

Cli = Callable[..., Output]
STORES = Path(scrub.__file__).parent / "demo" / "stores.ods"
TYPE = "application/vnd.oasis.opendocument.spreadsheet"
DECLARED = " ".join(f'xmlns:{prefix}="{uri}"' for prefix, uri in NS.items())
TABLE = f"{{{NS['table']}}}"
WORDS = '<table:table-cell office:value-type="string"><text:p>{}</text:p></table:table-cell>'


def content(tables: str, automatic: str = "", kind: str = "document-content") -> str:
    """The part with the sheets."""
    return (
        f'<office:{kind} {DECLARED} office:version="1.3"><office:automatic-styles>{automatic}</office:automatic-styles>'
        f"<office:body><office:spreadsheet>{tables}</office:spreadsheet></office:body></office:{kind}>"
    )


def made(tables: str, automatic: str = "", name: str = "a.ods") -> Path:
    """A workbook with these sheets, and with nothing that it could do without."""
    stream = io.BytesIO()
    with zipfile.ZipFile(stream, "w", zipfile.ZIP_DEFLATED) as package:
        package.writestr("mimetype", TYPE, zipfile.ZIP_STORED)
        package.writestr("content.xml", content(tables, automatic))
        package.writestr("META-INF/manifest.xml", "<manifest/>")
    Path(name).write_bytes(stream.getvalue())
    return Path(name)


def run(body: str, path: Path | str, **options: Any) -> scrub.FileResult:
    """Runs the lines of a macro on a workbook; its problem is raised."""
    found = scrub.run(macro(body), [str(path)], host=Approving(), **options).files[0]
    if found.problem is not None:
        raise found.problem
    return found


def sheet(rows: str, name: str = "S", more: str = "") -> str:
    """The element of a sheet."""
    return f'<table:table table:name="{name}"{more}><table:table-column/>{rows}</table:table>'


def grid(path: Path | str, at: int = 0) -> list[list[object]]:
    """The values that an independent reader finds, without empty rows and cells at the ends."""
    rows: list[list[object]] = []
    for row in CalamineWorkbook.from_path(str(path)).get_sheet_by_index(at).to_python(skip_empty_area=False):
        values: list[object] = list(row)
        while values and values[-1] == "":
            values.pop()
        rows.append(values)
    while rows and not rows[-1]:
        rows.pop()
    return rows


def book_of(opened: scrub.OpenFile) -> scrub.Workbook:
    """The workbook in an open file."""
    return opened.item_of(scrub.Workbook)


def read(path: Path | str, slowly: bool = False, name: str = "S") -> dict[str, object]:
    """The values and formulas that Scrub finds, by their addresses."""
    with scrub.open(str(path)) as opened:
        model_of(opened).parse_slowly = slowly
        found = {cell.address: cell.formula or cell.value for cell in book_of(opened).sheet(name).cells()}
        return {key: value for key, value in found.items() if value is not None}


# -- cells, and what stands for several of them

TEXTS = st.text("ab \u00e9<&\n", min_size=1, max_size=4)
VALUES = st.one_of(TEXTS, st.integers(-99, 999), st.booleans())
RUN = st.tuples(st.one_of(st.none(), VALUES), st.integers(1, 4))
ROWS = st.lists(st.tuples(st.lists(RUN, min_size=1, max_size=4), st.integers(1, 3)), min_size=1, max_size=4)
Rows = list[tuple[list[tuple[object, int]], int]]


def escaped(value: object) -> str:
    """A text as paragraphs, with its blanks written as the standard asks for (6.1.3)."""
    text = str(value).replace("&", "&amp;").replace("<", "&lt;").replace(" ", "<text:s/>")
    return "".join(f"<text:p>{line}</text:p>" for line in text.split("\n"))


def address(row: int, column: int) -> str:
    """The address of a cell."""
    return f"{get_column_letter(column)}{row}"


def cell_of(value: object, count: int) -> str:
    """The element of cells that are alike."""
    more = f' table:number-columns-repeated="{count}"' if count > 1 else ""
    if value is None:
        return f"<table:table-cell{more}/>"
    if isinstance(value, bool):
        said = f'office:value-type="boolean" office:boolean-value="{str(value).lower()}"'
        return f"<table:table-cell{more} {said}><text:p>{str(value).upper()}</text:p></table:table-cell>"
    if isinstance(value, int):
        return f'<table:table-cell{more} office:value-type="float" office:value="{value}"/>'
    return f'<table:table-cell{more} office:value-type="string">{escaped(value)}</table:table-cell>'


def rows_of(rows: Rows, chance: random.Random) -> str:
    """The elements of rows, some of them in groups."""
    result = ""
    for cells, count in rows:
        more = f' table:number-rows-repeated="{count}"' if count > 1 else ""
        row = f"<table:table-row{more}>{''.join(cell_of(*cell) for cell in cells)}</table:table-row>"
        for group in ("table-row-group", "table-rows"):
            row = f"<table:{group}>{row}</table:{group}>" if chance.random() < 0.2 else row
        result += row + chance.choice(["", "\n  "])
    return result


def spread(rows: Rows) -> dict[tuple[int, int], object]:
    """Each cell with its value, by row and column."""
    result: dict[tuple[int, int], object] = {}
    lines = [[value for value, times in cells for _ in range(times)] for cells, count in rows for _ in range(count)]
    for row, line in enumerate(lines, 1):
        result |= {(row, column): value for column, value in enumerate(line, 1) if value is not None}
    return result


def filled(path: Path) -> dict[tuple[int, int], object]:
    """The same as an independent reader finds it."""
    return {
        (row, column): value
        for row, line in enumerate(grid(path), 1) for column, value in enumerate(line, 1) if value != ""
    }  # fmt: skip


@examples(60)
@given(ROWS, st.lists(st.tuples(st.integers(1, 9), st.integers(1, 9), VALUES), max_size=4), st.randoms())
def test_a_cell_of_several_equal_ones_changes_alone(
    rows: Rows, edits: list[tuple[int, int, object]], chance: random.Random
) -> None:
    with tempfile.TemporaryDirectory() as folder:
        path = made(sheet(rows_of(rows, chance)), name=f"{folder}/a.ods")
        before, expected = path.read_bytes(), spread(rows)
        for slowly in (False, True):
            assert read(path, slowly) == {address(row, column): value for (row, column), value in expected.items()}
        with scrub.open(str(path)) as opened:
            cells = book_of(opened).sheet("S")
            for row, column, value in edits:
                expected[row, column] = value
                cells.cell(address(row, column)).value = value
            opened.save("Edits")
        assert filled(path) == expected
        if path.read_bytes() != before:
            scrub.undo()
        assert path.read_bytes() == before


FORMULAS = [
    ("of:=SUM([.A1:.B2])", "=SUM(A1:B2)"), ("of:=[.$A$1]*2", "=$A$1*2"), ("of:=[$Prices.B2]+1", "=Prices!B2+1"),
    ("of:=[$'My prices'.B2]", "='My prices'!B2"), ("of:=IF([.A1]>1;&quot;a;b&quot;;&quot;&quot;)", '=IF(A1>1,"a;b","")'),
    ("of:=SUM([.A:.A])", "=SUM(A:A)"), ("of:={1;2|3;4}", "={1,2;3,4}"), ("oooc:=SUM([.A1:.B2];1)", "=SUM(A1:B2,1)"),
    ("of:=[.A1]&amp;[.B1]", "=A1&B1"), ("of:=COUNTIF([.A1:.A3];&quot;x&quot;)", '=COUNTIF(A1:A3,"x")'),
]  # fmt: skip


@pytest.mark.parametrize(("there", "here"), FORMULAS)
def test_formulas_are_read_as_macros_write_them(there: str, here: str) -> None:
    cell = f'<table:table-cell table:formula="{there}" office:value-type="float" office:value="1"/>'
    path = made(sheet(f"<table:table-row>{cell}</table:table-row>") + sheet("", "Prices") + sheet("", "My prices"))
    assert read(path)["A1"] == here


@pytest.mark.parametrize("seed", range(2))
def test_formulas_that_are_drawn_come_back_as_they_were_written(seed: int) -> None:
    """By us; and an office program, where one is installed, calculates what we calculated."""
    draw = random.Random(seed)
    book, grammar = workbook(draw), Formulas(draw)
    drawn = [grammar.formula(sorted(set(FUNCTIONS) - LEFT_OUT - LATER))[1] for _ in range(portion(300, 20))]
    rows = "".join(
        f"<table:table-row>{''.join(cell_of(cell.value, 1) for cell in row)}</table:table-row>"
        for row in book["S"].iter_rows(1, 20, 1, 6)
    )
    path = made(sheet(rows))
    with scrub.open(str(path)) as opened:
        cells = book_of(opened).sheet("S")
        for row, said in enumerate(drawn, 1):
            cells.cell(f"J{row}").formula = f"={said}"
        opened.save("Formulas")
    found = read(path)
    assert [found[f"J{row}"] for row in range(1, len(drawn) + 1)] == [
        f"={said}".replace("TRUE()", "TRUE").replace("FALSE()", "FALSE") for said in drawn
    ]


# -- what sheets and cells are


def test_a_sheet_that_shares_its_style_with_another_one_is_shown_alone() -> None:
    hidden = '<style:style style:name="ta1" style:family="table"><style:table-properties table:display="false"/></style:style>'
    more = ' table:style-name="ta1"'
    path = made(sheet("", "A") + sheet("", "B", more) + sheet("", "C", more), hidden)
    run('sheet("B").hidden = no', path)
    assert shown_sheets(path) == {"A": True, "B": True, "C": False}
    scrub.undo()
    assert shown_sheets(path) == {"A": True, "B": False, "C": False}


def shown_sheets(path: Path) -> dict[str, bool]:
    """Which sheets are shown, by the rules of the standard (19.628)."""
    root = etree.fromstring(members(path)["content.xml"])
    shown: dict[str, bool] = {}
    for table in root.iter(f"{TABLE}table"):
        name = table.get(f"{TABLE}style-name")
        found = root.find(f".//style:style[@style:name='{name}']/style:table-properties", NS)
        shown[str(table.get(f"{TABLE}name"))] = found is None or found.get(f"{TABLE}display") != "false"
    return shown


SHA1 = "http://www.w3.org/2000/09/xmldsig#sha1"
SHA256 = "http://www.w3.org/2000/09/xmldsig#sha256"
LATER_SHA256 = "http://www.w3.org/2001/04/xmlenc#sha256"


@pytest.mark.parametrize("encoding", ["utf-8", "utf-16-le"])
@pytest.mark.parametrize("digest", [SHA1, SHA256, LATER_SHA256, None])
def test_a_sheet_protected_elsewhere_opens_with_its_password_alone(digest: str | None, encoding: str) -> None:
    more = f' table:protection-key-digest-algorithm="{digest}"' if digest else ""
    key = base64.b64encode(
        hashlib.new((digest or SHA1).rpartition("#")[2], "Stove 1".encode(encoding)).digest()
    ).decode()
    row = '<table:table-row><table:table-cell office:value-type="float" office:value="1"/></table:table-row>'
    path = made(sheet(row, more=f' table:protected="true" table:protection-key="{key}"{more}'))
    with scrub.open(str(path)) as opened:
        cells = book_of(opened).sheet("S")
        with pytest.raises(scrub.Failure, match="a different password"):
            cells.unprotect(password=scrub.Secret("stove 1"))
        cells.unprotect(password=scrub.Secret("Stove 1"))
        opened.save("Open")
    assert b"protection-key" not in members(path)["content.xml"]


def test_a_sheet_protected_here_has_the_key_that_office_programs_store() -> None:
    path = made(sheet("", "A"))
    with scrub.open(str(path)) as opened:
        book_of(opened).sheet("A").protect(password=scrub.Secret("Stöve"))
        opened.save("Close")
    table = next(etree.fromstring(members(path)["content.xml"]).iter(f"{TABLE}table"))
    assert table.get(f"{TABLE}protected") == "true"
    assert (
        table.get(f"{TABLE}protection-key")
        == base64.b64encode(hashlib.sha1("Stöve".encode("utf-16-le")).digest()).decode()
    )


CODES = [
    "0.00", "#,##0", "#,##0.00", "0%", "0.0%", "dd.mm.yyyy", "yyyy-mm-dd", "hh:mm", "[h]:mm:ss", "0.00E+00", "# ?/?", "@",
    '0" kg"', "#,##0.00 €", "mmmm d, yyyy", "00000", "0.00;[Red]-0.00", '0;-0;"none"',
]  # fmt: skip


@pytest.mark.parametrize("code", CODES)
def test_formats_of_numbers_come_back_as_they_were_written(code: str) -> None:
    path = made(
        sheet('<table:table-row><table:table-cell office:value-type="float" office:value="1"/></table:table-row>')
    )
    said = code.replace('"', '""')
    run(f'in sheet("S")\ncell("A1").number-format = "{said}"\nend', path)
    with scrub.open(str(path)) as opened:
        assert book_of(opened).sheet("S").cell("A1").number_format == code


# -- flat files, and new ones


def flat(path: Path) -> Path:
    """The stores of the huts as one XML file, put together by another program."""
    roots = {
        name: etree.fromstring(data)
        for name, data in members(path).items()
        if name in ("content.xml", "styles.xml", "meta.xml", "settings.xml")
    }
    office = f"{{{NS['office']}}}"
    spaces: Any = {prefix: uri for root in roots.values() for prefix, uri in root.nsmap.items()}
    document = etree.Element(f"{office}document", nsmap=spaces)
    document.set(f"{office}version", "1.3")
    document.set(f"{office}mimetype", TYPE)
    automatic = etree.Element(f"{office}automatic-styles")
    for name in ("meta.xml", "settings.xml", "styles.xml", "content.xml"):
        for child in roots[name]:
            if child.tag == automatic.tag:
                automatic.extend(child)
            else:
                document.append(child)
        if name == "styles.xml":
            document.insert(len(document) - 1, automatic)
    made_file = path.with_suffix(".fods")
    made_file.write_bytes(
        etree.tostring(document, xml_declaration=True, encoding="UTF-8").replace(b"<table:table-", b"\n<table:table-")
    )
    return made_file


def test_a_flat_file_changes_only_where_the_macro_changed_it(home: Path) -> None:
    package = Path(shutil.copyfile(STORES, "stores.ods"))
    path = flat(package)
    before = path.read_text("utf-8")
    body = 'replace "bread", by: "loaves"\nin sheet("Prices")\nsheet.hidden = yes\nend'
    run(body, path)
    run(body, package)
    after = path.read_text("utf-8")
    gone = [line for line in before.splitlines() if line not in after.splitlines()]
    assert 0 < len(gone) < 12
    with scrub.open("stores.ods") as packed, scrub.open("stores.fods") as one:
        for name in ("Stores", "Prices"):
            shown = [[cell.value for cell in book_of(each).sheet(name).cells()] for each in (packed, one)]
            assert shown[0] == shown[1]
    assert shown_sheets(package)["Prices"] is False
    scrub.undo()
    scrub.undo()
    assert path.read_text("utf-8") == before


@pytest.mark.parametrize("ending", ["ods", "fods"])
def test_a_new_workbook_is_filled_and_read_by_others(home: Path, ending: str) -> None:
    shutil.copyfile(STORES, "stores.ods")
    body = (
        f'all = new-file("all.{ending}")\nin all.sheet("all")\nadd-row ["Hut", 3, 2.5, 2026-05-01, yes]\n'
        'cell("A2").formula = "=B1*2"\ncell("B1").number-format = "0.00"\ncells("A1:B1").fill = "#ffeeaa"\nend'
    )
    run(body, "stores.ods")
    made_file = Path(f"all.{ending}")
    if ending == "ods":
        first = zipfile.ZipFile(made_file).infolist()[0]
        assert (first.filename, first.compress_type) == ("mimetype", zipfile.ZIP_STORED)
        assert grid(made_file)[0][:3] == ["Hut", 3.0, 2.5]
    assert read(made_file, name="all")["A2"] == "=B1*2"
    scrub.undo()
    assert not made_file.exists()


# -- files that are damaged, or made to harm

ROW = "<table:table-row{}>{}</table:table-row>"
BAD = [
    (sheet(ROW.format(' table:number-rows-repeated="1048576"', '<table:table-cell table:number-columns-repeated="16384" office:value-type="string"><text:p>x</text:p></table:table-cell>')), "by repetition"),
    (sheet(ROW.format("", WORDS.format("<text:span>" * 5000 + "x" + "</text:span>" * 5000))), "nested more than 256 deep"),
    ("<table:table", "broken"),
    ('<table:table table:name="S"><text:p></table:table>', "broken"),
]  # fmt: skip


@pytest.mark.parametrize(("tables", "message"), BAD, ids=range(len(BAD)))
def test_bad_tables_are_refused_with_a_sentence(tables: str, message: str, cli: Cli) -> None:
    path = made(tables)
    before = path.read_bytes()
    Path("bad.scrub").write_text(macro('each sheet\nreplace "x", by: "y"\nend'), "utf-8")
    found = cli("run", "bad.scrub", str(path))
    assert found.code == 1
    assert message in found.err
    assert "a.ods" in found.err
    assert path.read_bytes() == before


ODD = [
    ROW.format(' table:number-rows-repeated="1000000000"', "<table:table-cell/>"),
    ROW.format(' table:number-rows-repeated="-3"', WORDS.format("x")),
    ROW.format("", f"<table:table-cell>{sheet(ROW.format('', WORDS.format('inner')), 'Sub')}</table:table-cell>"),
    ROW.format("", '<table:table-cell office:value-type="float" office:value="abc"><text:p>q</text:p></table:table-cell>'),
    ROW.format("", '<table:table-cell office:value-type="date" office:date-value="2026-13-45"><text:p>q</text:p></table:table-cell>'),
    ROW.format("", '<table:table-cell table:style-name="nothing" office:value-type="weird"/>'),
]  # fmt: skip


@pytest.mark.parametrize("row", ODD, ids=range(len(ODD)))
def test_odd_rows_stay_while_others_change(row: str) -> None:
    path = made(sheet(ROW.format("", WORDS.format("one")) + row))
    before = path.read_bytes()
    run('in sheet("S")\ncell("A1").value = "two"\nend', path)
    assert b">two<" in members(path)["content.xml"]
    assert row.encode() in members(path)["content.xml"]
    scrub.undo()
    assert path.read_bytes() == before


# -- an office program as the judge

EDITS = [
    'in sheet("Stores")\nin row(6)\ndelete\nend\nend',
    'in sheet("Stores")\nin column("G")\ndelete\nend\nend',
    'in sheet("Stores")\ncells("A3:C9").bold = yes\ncell("H2").formula = "=SUM(C3:C9)"\nend',
    'in sheet("Prices")\nsheet.name = "What it costs"\nend',
    'in sheet("Stores")\nadd-row ["Ann", "tea", 3]\nend',
]


@pytest.mark.everything
@pytest.mark.skipif(shutil.which("soffice") is None, reason="no office program is installed (soffice)")
def test_an_office_program_reads_what_was_written(home: Path) -> None:
    names = []
    for number, body in enumerate(EDITS):
        names.append(str(shutil.copyfile(STORES, f"{number}.ods")))
        run(body, names[-1])
    profile = f"-env:UserInstallation=file://{Path('profile').absolute()}"
    words = ["soffice", profile, "--headless", "--convert-to", "xlsx", "--outdir", "there", *names]
    subprocess.run(words, check=True, capture_output=True, timeout=FOR_EVER)
    for name in names:
        for at in (0, 1):
            assert grid(name, at) == grid(f"there/{Path(name).stem}.xlsx", at)
