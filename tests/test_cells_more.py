"""Corners of cells: odd sheets and packages, loops in loops, other macros, stepping, and Python's way to the same items."""

from __future__ import annotations

import json
import zipfile
from collections.abc import Callable
from pathlib import Path
from typing import Any

import openpyxl
import pytest
import xlsxwriter
from books import packed
from conftest import SAMPLE, Output, macro, model_of
from sheets import changed_parts, load, members, schema_findings

import scrub


def run(path: Path | str, body: str, **options: Any) -> scrub.FileResult:
    found = scrub.run(macro(body), [str(path)], **options).files[0]
    if found.problem is not None:
        raise found.problem
    return found


def test_a_chart_sheet_has_no_cells(home: Path) -> None:
    book = xlsxwriter.Workbook("chart.xlsx")
    data = book.add_worksheet("Data")
    data.write_column("A1", [1, 2, 3])
    chart = book.add_chart({"type": "line"})
    chart.add_series({"values": "=Data!$A$1:$A$3"})
    book.add_chartsheet("Chart").set_chart(chart)
    book.close()
    with pytest.raises(scrub.Failure, match='"Chart" is a chart sheet and has no cells'):
        run("chart.xlsx", 'cell("Chart!A1").value = 1')
    assert run("chart.xlsx", 'n = 0\neach cell\nn = n + 1\nend\nlog "{n}"').log == ["3"]
    run("chart.xlsx", 'in sheet("Chart")\nsheet.orientation = landscape\nsheet.zoom = 50\nend')
    assert load("chart.xlsx")["Chart"].pageSetup.orientation == "landscape"
    with pytest.raises(scrub.Failure, match="is a chart sheet and has no frozen-rows"):
        run("chart.xlsx", 'sheet("Chart").frozen-rows = 1')


def test_macros_inside_a_workbook_stay_as_they_are(book: Path) -> None:
    with zipfile.ZipFile("macros.xlsm", "w") as new, zipfile.ZipFile(book) as old:
        for name in old.namelist():
            new.writestr(name, old.read(name))
        new.writestr("xl/vbaProject.bin", b"\xd0\xcf\x11\xe0" + bytes(range(256)) * 40)
    before = Path("macros.xlsm").read_bytes()
    Path("before.xlsm").write_bytes(before)
    run("macros.xlsm", 'cell("Larch Hut!H4").value = "x"')
    assert changed_parts("before.xlsm", "macros.xlsm") == {"xl/worksheets/sheet1.xml"}
    scrub.undo()
    assert Path("macros.xlsm").read_bytes() == before


def test_a_workbook_without_styles_gets_them_when_it_needs_them(home: Path) -> None:
    path, bare = Path("bare.xlsx"), packed(["<sheetData/>"])
    path.write_bytes(bare)
    parts = members(path)
    with zipfile.ZipFile(path, "w") as package:
        for name, part in parts.items():
            if name != "xl/styles.xml":
                part = part.replace(b'<Relationship Id="rs"', b'<Relationship Id="rs" TargetMode="External"')
                package.writestr(name, part.replace(b'PartName="/xl/styles.xml"', b'PartName="/xl/none.xml"'))
    run(path, 'cell("S1!A1").value = 1')
    assert not [name for name in members(path) if "styles" in name]
    run(path, 'cell("S1!A1").value = 2026-05-01\ncell("S1!A1").bold = yes')
    sheet = openpyxl.load_workbook(path)["S1"]
    assert sheet["A1"].is_date
    assert sheet["A1"].font.b


def test_loops_in_loops_and_the_way_out(book: Path) -> None:
    found = run(
        book,
        'each sheet where sheet.name ends with "Hut"\neach record in sheet.records(headings: 3)\n'
        'if record.nights is 4\nlog "{sheet.name} {row.number}"\nskip sheet\nend\nend\nend',
    )
    names = [line.rpartition(" ")[0] for line in found.log]
    assert len(names) == len(set(names)) >= 6


def test_candidates_are_fixed_at_the_start(book: Path) -> None:
    found = run(
        book,
        'n = 0\neach sheet\nif n < 3\nn = n + 1\nin workbook\nx = new-sheet("More {n}")\nend\nend\nend\nlog "{n} {count(sheet)}"',
    )
    assert found.log == ["3 14"]
    body = 'in sheet("Late")\nn = 0\neach record in sheet\nin sheet\nadd-row ["x"]\nend\nn = n + 1\nend\nlog "{n} {count(record in sheet)}"\nend'
    run(book, 'in new-sheet("Late")\nadd-row ["Head"]\nadd-row ["a"]\nadd-row ["b"]\nend')
    assert run(book, body).log == ["2 4"]


def test_counting_and_asking_without_headings(book: Path) -> None:
    found = run(
        book,
        'in sheet("Larch Hut")\nlog "{count(cell)} {count(row)} {count(column)} {count(merged-range)} {count(comment)}"\n'
        'log "{count(record in sheet.records(headings: 3) where record.paid is "no")}"\n'
        'log "{cells("C4:C15") exists} {count(cell in cells("C4:C15") where cell.value > 2)}"\nend'.replace(
            '{cells("C4:C15") exists} ', ""
        ),
    )
    sheet = openpyxl.load_workbook(SAMPLE)["Larch Hut"]
    stored = members(SAMPLE)["xl/worksheets/sheet1.xml"].count(b"<c ")
    unpaid = sum(sheet[f"G{row}"].value == "no" for row in range(4, 16))
    long = sum(sheet[f"C{row}"].value > 2 for row in range(4, 16))
    assert found.log == [f"{stored} 15 8 1 1", str(unpaid), str(long)]


def test_another_macro_works_on_the_same_selection(book: Path, cli: Callable[..., Output]) -> None:
    Path("bold.scrub").write_text(
        macro("in selection\ncells = 1\nend", title="Make bold").replace("cells = 1", "selection.bold = yes")
    )
    Path("both.scrub").write_text(macro('run "Make bold"\neach cell in selection\nlog cell.address\nend', title="Both"))
    assert cli("add", "bold.scrub", "both.scrub").code == 0
    found = cli("run", "both", book, "--at", "Totals!A4:A5, Larch!A4")
    assert found.code == 0, found.err
    sheets = load(book)
    assert [sheets["Totals"]["A4"].font.b, sheets["Totals"]["A6"].font.b, sheets["Larch Hut"]["A4"].font.b] == [
        True,
        False,
        True,
    ]
    assert scrub.changes().files[0].log == ("A4", "A5", "A4")


def test_a_selection_of_everything_and_of_a_name(book: Path) -> None:
    body = 'log "{selection.picked} {count(sheet)} {count(cell in selection)}"'
    assert run(book, body).log[0].startswith("no 11 ")
    assert run(book, body, at="Night_price").log == ["yes 11 1"]
    assert run(book, body, at="Lists").log == ["yes 11 2"]


def test_many_files_each_with_its_own_changes(home: Path, cli: Callable[..., Output]) -> None:
    for name in ("a.xlsx", "b.xlsx", "c.csv"):
        Path(name).write_bytes(
            packed(['<sheetData><row r="1"><c r="A1"><v>1</v></c></row></sheetData>']) if "x" in name else b"1\n"
        )
    Path("two.scrub").write_text(macro('each sheet\ncell("A1").value = 2\nend'))
    shown = cli("run", "two.scrub", "a.xlsx", "b.xlsx", "c.csv")
    assert "Saved a.xlsx: 1 change on 1 sheet." in shown.out
    assert "A1: 1 -> 2" in shown.out
    assert [openpyxl.load_workbook(name)["S1"]["A1"].value for name in ("a.xlsx", "b.xlsx")] == [2, 2]
    assert Path("c.csv").read_bytes() == b"2\n"
    assert cli("undo").code == 0
    assert Path("c.csv").read_bytes() == b"1\n"


def test_the_same_items_from_python(book: Path) -> None:
    @scrub.action("record")
    def stamp(record: Any, text: str) -> None:
        """Writes a text under the heading Note.

        text: what to write.
        Example: stamp "seen"
        Also: mark
        """
        record["note"] = text

    try:
        found = run(
            book, 'each record in sheet("Scree Hut").records(headings: 3) where record.nights > 3\nstamp "long"\nend'
        )
    finally:
        from scrub.own_actions import OWN_ACTIONS

        OWN_ACTIONS.clear()
    assert {change.after for change in found.changes} == {'"long"'}
    with scrub.open(str(book)) as opened:
        (sheet,) = [each for each in model_of(opened).sheets() if each.name == "Scree Hut"]
        notes = [record.read("note") for record in sheet.records(3).each_record()]
        assert notes.count("long") == len(found.changes)
        sheet.find_cell("A2").value = "From Python"
        sheet.find_cells("A3:C3").fill = "yellow"
        assert str(opened.changes[0]) == 'A2: nothing -> "From Python"'
        number = opened.save("By hand")
    assert load(book)["Scree Hut"]["A2"].value == "From Python"
    scrub.undo(number)
    assert schema_findings(book) <= schema_findings(SAMPLE)


def test_stepping_shows_the_record_it_is_at(book: Path) -> None:
    seen: list[tuple[str, str]] = []

    class Looking:
        def step(self, view: scrub.View) -> scrub.Go:
            seen.append((view.text, view.item))
            return scrub.Go.INTO

    run(
        book,
        'each record in sheet("Col Hut").records(headings: 3) where record.nights is 1\nrecord.note = "x"\nend',
        stepper=Looking(),
    )
    assert seen[1][0] == 'record.note = "x"'
    assert seen[1][1].startswith("Col Hut row ")


def test_trying_steps_on_cells(book: Path) -> None:
    trial = scrub.trial(str(book), scrub.QuietHost())
    assert trial.step('in cells("Larch Hut!A3:H3")').problem == ""
    assert str(trial.step("cells.bold = no").changes[0]) == "A3 bold: yes -> no"
    assert "fill" in trial.completions("cells.f")
    assert trial.step("centre-over").problem.startswith("Larch Hut B3 contains a value")
    trial.step("end")
    assert "each record in sheet" not in trial.macro("Plain")
    assert 'in cells("Larch Hut!A3:H3")' in trial.macro("Plain")


def test_letters_placing_and_borders_beside_another_reader(home: Path, book: Path) -> None:
    before, findings = book.read_bytes(), schema_findings(book)
    cell = 'cell("Larch Hut!B5")'
    fields = {
        "underlined": "yes", "strikethrough": "yes", "font": '"Lora"', "size": "13.5", "vertical-alignment": "middle", "indent": "2", "rotation": "-45",
        "borders": "thin", "border-top": "medium-dash-dot", "border-left": "nothing",
    }  # fmt: skip
    body = "\n".join(f"{cell}.{field} = {value}" for field, value in fields.items())
    reads = "\n".join(f'log "{field} {{{cell}.{field}}}"' for field in fields if field != "borders")
    found = scrub.run(macro(f"{body}\n{reads}"), [str(book)]).files[0]
    assert found.problem is None
    assert found.log == [
        "underlined yes", "strikethrough yes", "font Lora", "size 13.5", "vertical-alignment middle", "indent 2", "rotation -45",
        "border-top medium-dash-dot", "border-left ",
    ]  # fmt: skip
    read = load(book)["Larch Hut"]["B5"]
    old = load(SAMPLE)["Larch Hut"]["B5"]
    assert (read.font.u, read.font.strike, read.font.name, read.font.sz, read.font.scheme) == (
        "single",
        True,
        "Lora",
        13.5,
        None,
    )
    assert (read.font.b, read.font.i, read.value, read.number_format) == (
        old.font.b,
        old.font.i,
        old.value,
        old.number_format,
    )
    placing = read.alignment
    assert (placing.vertical, placing.indent, placing.textRotation, placing.horizontal) == ("center", 2, 135, "left")
    border = read.border
    assert (border.left.style, border.right.style, border.top.style, border.bottom.style) == (
        None,
        "thin",
        "mediumDashDot",
        "thin",
    )
    assert schema_findings(book) <= findings
    undone = [
        f"{cell}.{field} = {value}"
        for field, value in (
            ("underlined", "no"),
            ("strikethrough", "no"),
            ("font", f'"{old.font.name}"'),
            ("size", str(old.font.sz)),
            ("rotation", "nothing"),
            ("borders", "nothing"),
        )
    ]
    assert scrub.run(macro("\n".join(undone)), [str(book)]).files[0].problem is None
    read = load(book)["Larch Hut"]["B5"]
    assert (read.font.u, read.font.strike, read.font.name, read.alignment.textRotation, read.border.right.style) == (
        None,
        old.font.strike,
        old.font.name,
        255,
        None,
    )
    scrub.undo()
    scrub.undo()
    assert book.read_bytes() == before


@pytest.mark.parametrize(("line", "why"), [
    ("size = 500", "1 to 409 points"), ("size = nothing", '"size" is a number, not nothing'), ("indent = 999", "0 to 250"), ("rotation = 91", "-90 to 90"),
    ('font = ""', "a font"),  ('border-top = thick\nx = "{cell("Larch Hut!B5").borders}"', "the edges of Larch Hut B5 differ"),
])  # fmt: skip
def test_looks_that_cannot_be_are_told(home: Path, book: Path, line: str, why: str) -> None:
    found = scrub.run(macro(f'cell("Larch Hut!B5").{line}'), [str(book)]).files[0]
    assert why in str(found.problem)


def test_a_damaged_list_of_changes_is_told_as_that(home: Path, book: Path) -> None:
    line = 'cell("Scree Hut!B12").value = 7\ncell("Scree Hut!B12").bold = yes\nsheet("Scree Hut").zoom = 80'
    done = scrub.run(macro(line), [str(book)]).files[0]
    assert done.problem is None
    now = [(each.at, each.field, *each.sides, str(each)) for each in scrub.changes(1).files[0].changes]
    assert now == [(each.at, each.field, *each.sides, str(each)) for each in done.changes]
    (path,) = (home / "runs" / "1").glob("1.json")
    kept = json.loads(path.read_text())
    for damage in ({"places": ["Larch"]}, [{"at": 7}], [{"place": "a", "what": "b", "before": 1, "after": 2}], 7):
        kept["parts"][0]["record"]["files"][0]["changes"] = damage
        path.write_text(json.dumps(kept))
        assert scrub.changes(1).files[0].state == "its record is damaged"
