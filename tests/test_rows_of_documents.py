"""Rows of tables in documents that come, go and change places, beside readers that share no code with Scrub."""

from __future__ import annotations

import re
import shutil
from pathlib import Path

import docx
import openpyxl
import pytest
import xlsxwriter
from conftest import macro, some
from documents import W, members, put_members, texts
from lxml import etree
from opentexts import opentext
from sheets import schema_findings
from test_documents import made, run, table

import scrub

GOODS = [["Good", "Kg"], ["Rice", "12"], ["oil", "3"], ["Flour", ""], ["beans", "12"]]


def real() -> Path:
    """A document with a table, made by another writer."""
    made_by = docx.Document()
    made_by.add_heading("Provisions", 2)
    grid = made_by.add_table(rows=0, cols=2)
    for row in GOODS:
        cells = grid.add_row().cells
        for cell, text in zip(cells, row, strict=True):
            cell.paragraphs[0].add_run(text).bold = text == "12"
    made_by.save("real.docx")
    return Path("real.docx")


def rows_of(path: Path) -> list[list[str]]:
    """The rows as python-docx sees them."""
    return [[cell.text for cell in row.cells] for row in docx.Document(str(path)).tables[0].rows]


def test_a_table_is_sorted(home: Path) -> None:
    path = real()
    old, before = path.read_bytes(), schema_findings(str(path))
    for line, wanted in (
        ('sort by: "Good"', ["beans", "Flour", "oil", "Rice"]),
        ('sort by: "Kg", descending: yes', ["Rice", "beans", "oil", "Flour"]),
        ('sort by: "Kg", then: "Good"', ["oil", "beans", "Rice", "Flour"]),
    ):
        run(f'replace "oil", by: "old oil"\nin table("Provisions")\n{line}\nend\nreplace "old oil", by: "oil"', path)
        assert [row[0] for row in rows_of(path)] == ["Good", *wanted]
        kg = {
            row.cells[0].text: row.cells[1].paragraphs[0].runs[0].bold
            for row in docx.Document(str(path)).tables[0].rows
        }
        assert (kg["Rice"], kg["oil"]) == (True, False)
        assert schema_findings(str(path)) == before
        scrub.undo()
    assert path.read_bytes() == old
    assert (
        run('in table("Provisions")\nsort by: "Good"\nsort by: "Good"\nend', path).changes[0].said == "sorted by Good"
    )


def test_rows_are_added_and_deleted(home: Path) -> None:
    path = real()
    old, before = path.read_bytes(), schema_findings(str(path))
    done = run(
        'in table("Provisions")\nadd-row ["Salt & pepper", 0.5]\nadd-row ["Tea"]\nend\n'
        'each record in table("Provisions") where record.good is "oil"\ndelete\nend\n'
        'each record in table("Provisions")\nlog "{record.good} {record.kg}"\nend\n'
        'each paragraph where paragraph.place is table\nlog paragraph.text\nend\nreplace "Rice", by: "Brown rice"',
        path,
    )
    assert [str(each) for each in done.changes[:3]] == [
        "new row: Salt & pepper | 0.5",
        "new row: Tea",
        "row deleted: oil | 3",
    ]
    assert done.log[:6] == ["Rice 12", "Flour ", "beans 12", "Salt & pepper 0.5", "Tea ", "Good"]
    assert "oil" not in done.log
    assert rows_of(path) == [
        ["Good", "Kg"],
        ["Brown rice", "12"],
        ["Flour", ""],
        ["beans", "12"],
        ["Salt & pepper", "0.5"],
        ["Tea", ""],
    ]
    added = docx.Document(str(path)).tables[0].rows[4].cells[1].paragraphs[0].runs[0]
    assert added.bold is True  # as in the row before
    assert schema_findings(str(path)) == before
    scrub.undo()
    assert path.read_bytes() == old


def test_a_table_in_a_cell_of_another(home: Path) -> None:
    inner = table(["Hut", "No"], ["Gannet", "2"], ["Alder", "1"])
    outer = table(["Place", "What"], ["b", "x"], ["a", "y"], caption="Outer").replace(
        "x</w:t></w:r></w:p>", f"x</w:t></w:r></w:p>{inner}<w:p/>"
    )
    assert "Gannet" in outer
    path = made(outer)
    run(
        'in table("Outer")\nsort by: "Place"\nend\nin table("table 2")\nsort by: "Hut"\nend\nreplace "Gannet", by: "Kestrel"',
        path,
    )
    assert texts(path) == ["Place", "What", "a", "y", "b", "x", "Hut", "No", "Alder", "1", "Kestrel", "2", ""]


@pytest.mark.parametrize(
    ("body", "line", "why"),
    [
        (table(*GOODS, caption="T"), 'in table("T")\nadd-row ["a", "b", "c"]\nend', "has 2 headings, but the new row has 3 values"),
        (table(*GOODS, caption="T"), 'in table("T")\nsort by: "Weight"\nend', 'no heading "Weight"'),
        (table(["A"], ["1"], ["x"], caption="T"), 'in table("T")\nsort by: "A"\nend', "T row 3"),
        (
            table(*GOODS, caption="T").replace("<w:tc>", '<w:tc><w:tcPr><w:vMerge w:val="restart"/></w:tcPr>', 3),
            'in table("T")\nadd-row ["a"]\nend', "merged",
        ),
    ],
)  # fmt: skip
def test_rows_that_must_stay_are_told(home: Path, body: str, line: str, why: str) -> None:
    path = made(body, settings="<w:zoom/>")
    old = path.read_bytes()
    with pytest.raises(scrub.ScrubError, match=why):
        run(line, path)
    assert path.read_bytes() == old


def test_what_an_attempt_did_to_rows_is_taken_back(home: Path) -> None:
    path = real()
    kept = members(path)
    done = run(
        'attempt\nin table("Provisions")\nadd-row ["Tea"]\nsort by: "Good"\nend\n'
        'each record in table("Provisions") where record.good is "oil"\ndelete\nend\nfail "no"\nif it fails\nlog problem\nend\n'
        'log "{count(record in table("Provisions"))}"\nreplace "Rice", by: "Oats"',
        path,
    )
    assert done.log == ["no", "4"]
    assert rows_of(path)[1:] == [["Oats", "12"], ["oil", "3"], ["Flour", ""], ["beans", "12"]]
    assert {name for name, data in members(path).items() if data != kept[name]} == {"word/document.xml"}


def decided(path: Path, accepted: bool) -> list[list[str]]:
    """The rows of the first table when all tracked changes are accepted, or refused, by lxml and the standard."""
    root = etree.fromstring(members(path)["word/document.xml"])
    goes, stays = ("del", "ins") if accepted else ("ins", "del")
    found = []
    for row in next(root.iter(f"{{{W}}}tbl")).iter(f"{{{W}}}tr"):
        properties = row.find(f"{{{W}}}trPr")
        if properties is not None and properties.find(f"{{{W}}}{goes}") is not None:
            continue
        texts_of = []
        for cell in row.iter(f"{{{W}}}tc"):
            letters = [
                each.text or ""
                for each in cell.iter(f"{{{W}}}t", f"{{{W}}}delText")
                if not any(above.tag == f"{{{W}}}{goes}" for above in each.iterancestors())
                and (each.tag == f"{{{W}}}t" or any(above.tag == f"{{{W}}}{stays}" for above in each.iterancestors()))
            ]
            texts_of.append("".join(letters))
        found.append(texts_of)
    return found


@pytest.mark.everything
def test_rows_that_come_and_go_are_recorded(home: Path) -> None:
    path = real()
    old, before = path.read_bytes(), schema_findings(str(path))
    done = run(
        'document.tracks-changes = yes\nin table("Provisions")\nadd-row ["Salt & pepper", 0.5]\nadd-row ["Tea"]\nend\n'
        'each record in table("Provisions") where record.good is "oil" or record.good is "Flour"\ndelete\nend\n'
        'replace "Rice", by: "Brown rice"\n'
        'each record in table("Provisions")\nlog "{record.good}"\nend',
        path,
    )
    assert done.log == ["Brown rice", "beans", "Salt & pepper", "Tea"]
    wanted = [["Good", "Kg"], ["Brown rice", "12"], ["beans", "12"], ["Salt & pepper", "0.5"], ["Tea", ""]]
    assert decided(path, True) == wanted
    assert decided(path, False) == GOODS
    assert schema_findings(str(path)) == before
    shutil.copyfile(path, "refused.docx")
    assert run("reject-changes", "refused.docx").state == "changed"
    assert rows_of(Path("refused.docx")) == GOODS
    run("accept-changes", path)
    assert rows_of(path) == wanted
    scrub.undo()
    # what one put in oneself, and what waits, is just removed
    run('each record in table("Provisions") where record.good is "Tea"\ndelete\nend', path)
    assert decided(path, True) == wanted[:-1]
    assert decided(path, False) == GOODS
    for _ in range(3):
        scrub.undo()
    assert path.read_bytes() == old


def test_an_order_is_not_recorded(home: Path) -> None:
    path = real()
    old = path.read_bytes()
    for line, why in (
        ('document.tracks-changes = yes\nin table("Provisions")\nsort by: "Good"\nend', "moved while"),
        (
            'in table("Provisions")\nadd-row ["Tea"]\ndocument.tracks-changes = yes\nadd-row ["Tea"]\nend',
            "its rows were changed without",
        ),
    ):
        with pytest.raises(scrub.Failure, match=why):
            run(line, path)
    assert path.read_bytes() == old


def test_what_hangs_on_words_of_a_row_goes_with_it(home: Path) -> None:
    path = real()
    run('in passage("oil")\ncomment-on "Enough?"\nend', path)
    run('document.tracks-changes = yes\nin table("Provisions")\nadd-row ["Tea", 1]\nend', path)
    old = path.read_bytes()
    run(
        'each comment\ndelete\nend\nsingle-spaces\n'
        'each record in table("Provisions") where record.good is "oil" or record.good is "Tea"\ndelete\nend',
        path,
    )  # fmt: skip
    assert decided(path, True) == [row for row in GOODS if row[0] != "oil"]
    assert decided(path, False) == GOODS
    assert b"commentRangeStart" not in members(path)["word/document.xml"]
    scrub.undo()
    assert path.read_bytes() == old


@pytest.mark.parametrize(
    "properties", some([None, "", "<w:tblStyle w:val='LightShading'/>", '<w:tblW w:w="0" w:type="auto"/>', "</>"])
)
def test_tables_get_the_style_of_the_house(home: Path, properties: str | None) -> None:
    path = real()
    if properties is not None:
        parts = members(path)
        written = "<w:tblPr/>" if properties == "</>" else f"<w:tblPr>{properties}</w:tblPr>"
        body = re.sub(r"<w:tblPr>.*?</w:tblPr>", written, parts["word/document.xml"].decode())
        put_members(path, parts | {"word/document.xml": body})
    before, findings = path.read_bytes(), schema_findings(str(path))
    found = run('each table\nlog "{table.style}"\ntable.style = "light grid"\nlog table.style\nend', path)
    assert found.log[1] == "Light Grid"
    assert docx.Document(str(path)).tables[0].style.name == "Light Grid"  # type: ignore[union-attr]
    assert schema_findings(str(path)) == findings
    assert run('table("Provisions").style = "Light Grid"', path).changes == []
    run('in table("Provisions")\nadd-row ["Peat", 7]\ntable.style = nothing\nend', path)
    assert docx.Document(str(path)).tables[0].style.name == "Normal Table"  # type: ignore[union-attr]
    assert rows_of(path)[-1] == ["Peat", "7"]
    scrub.undo()
    scrub.undo()
    assert path.read_bytes() == before


@pytest.mark.parametrize("suffix", [".docx", ".odt"])
def test_the_words_of_a_record_are_made_bold_and_set_right(home: Path, suffix: str) -> None:
    path = real() if suffix == ".docx" else Path("a.odt")
    if suffix == ".odt":
        rows = "".join(
            "<table:table-row>"
            + "".join(f"<table:table-cell><text:p>{text}</text:p></table:table-cell>" for text in row)
            + "</table:table-row>"
            for row in GOODS
        )
        path.write_bytes(
            opentext(
                f'<text:p>Rice</text:p><table:table table:name="Provisions"><table:table-column/>{rows}</table:table>'
            )
        )
    lines = """in table("Provisions")
    each record in table where record.good is "rice"
        each passage in record.paragraphs
            passage.italic = yes
        end
        in record.paragraphs
            in passages("Rice")
                upper
            end
        end
    end
    add-row ["Peat", 3]
    log "{count(paragraph in table.paragraphs)}"
end
each passage where passage.italic
    log passage.text
end
log "{paragraph(1).text}"
"""
    first = "Provisions" if suffix == ".docx" else "Rice"
    assert run(lines, path).log == ["10", "RICE", "12", first]
    with xlsxwriter.Workbook("a.xlsx") as book:
        book.add_worksheet("S").write_row("A1", ["Hut", "Key"])
    found = scrub.run(macro('in sheet("S").records\nlog table.name\nin table.paragraphs\nend\nend'), ["a.xlsx"]).files[
        0
    ]
    assert "S is not a table of a document" in str(found.problem)


def test_styles_of_tables_that_are_not_there_are_told(home: Path) -> None:
    path = real()
    with pytest.raises(scrub.Failure, match='no table style "Lite Grid". Did you mean "Light Grid"?'):
        run('table("Provisions").style = "Lite Grid"', path)
    with pytest.raises(scrub.Failure, match="while changes are tracked. Turn tracking off"):
        run('document.tracks-changes = yes\ntable("Provisions").style = "Light Grid"', path)
    Path("a.md").write_text("words\n")
    with pytest.raises(scrub.Failure, match='stores text only, not "style" of a table'):
        run('each table\ntable.style = "x"\nend', "a.md")


@pytest.mark.parametrize("info", ["TableStyleLight9", None])
def test_tables_of_workbooks_get_another_style(home: Path, info: str | None) -> None:
    with xlsxwriter.Workbook("a.xlsx") as book:
        options = {
            "name": "Stays",
            "style": info,
            "data": [["Ann", 2], ["Bo", 3]],
            "columns": [{"header": "Guest"}, {"header": "Nights"}],
        }
        book.add_worksheet("S").add_table("B2:C4", options)
        book.add_worksheet("Bare").write_row("A1", ["Hut", "Key"])
    if info is None:
        parts = members(Path("a.xlsx"))
        name = "xl/tables/table1.xml"
        put_members("a.xlsx", parts | {name: re.sub(rb"<tableStyleInfo[^>]*/>", b"", parts[name])})
    path = Path("a.xlsx")
    before, findings = path.read_bytes(), schema_findings(path)

    def on(lines: str) -> scrub.FileResult:
        return scrub.run(macro(lines), [str(path)]).files[0]

    lines = 'log "{table("Stays").style}"\ntable("Stays").style = "tablestyledark3"\nin table("Stays")\nadd-row ["Cy", 4]\nend'
    assert on(lines).log == [info or ""]
    found = openpyxl.load_workbook(path)["S"].tables["Stays"]
    assert (found.tableStyleInfo.name, found.ref) == ("TableStyleDark3", "B2:C5")
    assert schema_findings(path) == findings
    assert "no table style" in str(on('table("Stays").style = "TableStyleDark12"').problem)
    assert "it has no style" in str(on('sheet("Bare").records.style = "TableStyleDark1"').problem)
    assert "is protected" in str(on('in sheet("S")\nprotect\nend\ntable("Stays").style = "TableStyleDark1"').problem)
    assert on('table("Stays").style = nothing').problem is None
    assert openpyxl.load_workbook(path)["S"].tables["Stays"].tableStyleInfo.name is None
    scrub.undo()
    scrub.undo()
    assert path.read_bytes() == before
