"""What a workbook contains beside its cells, and workbooks that are in a folder: set by macros, read by other readers."""

from __future__ import annotations

import os
import re
import shutil
from collections.abc import Callable
from pathlib import Path
from typing import Any

import docx
import openpyxl
import pytest
import xlsxwriter
from conftest import SAMPLE, Output, macro
from sheets import changed_parts, load, members, schema_findings
from test_lines import picture
from test_structure import done, run

import scrub

DEMO = SAMPLE.parent


def drawn(path: Path) -> None:
    """A workbook with charts, a picture, names of several types and properties."""
    book = xlsxwriter.Workbook(path)
    sheet, other = book.add_worksheet("Stays"), book.add_worksheet("Other sheet")
    for row in range(6):
        sheet.write_row(row, 0, [f"guest {row}", row])
    sheet.write_formula("D1", "=SUM(Nights)")
    titled, plain = book.add_chart({"type": "line"}), book.add_chart({"type": "bar"})
    for chart in (titled, plain):
        chart.add_series({"values": "=Stays!$B$2:$B$6"})
    titled.set_title({"name": "Nights & guests"})
    titled.set_x_axis({"name": "an axis"})
    sheet.insert_chart("F2", titled, {"description": "a line"})
    sheet.insert_chart("F20", plain)
    sheet.insert_image("C3", str(picture()))
    other.insert_image("B2", str(picture()), {"description": "the hut"})
    book.define_name("Nights", "=Stays!$B$2:$B$6")
    book.define_name("Unused", "=Stays!$A$1")
    book.define_name("'Other sheet'!Rate", "=0.19")
    book.define_name("Lost", "=#REF!$A$1")
    book.set_properties({"title": "Stays", "author": "Office", "subject": "season"})
    book.close()


def test_names_pictures_charts_and_properties_are_visited(home: Path) -> None:
    path = Path("drawn.xlsx")
    drawn(path)
    before, findings = path.read_bytes(), schema_findings(path)
    found = done("""log "{workbook.title}|{workbook.author}|{workbook.keywords}"
workbook.title = "Stays 2027"
workbook.author = nothing
workbook.keywords = "huts, nights"
each defined-name
    log "{defined-name.name} {defined-name.refers-to} {defined-name.of-sheet} {defined-name.broken}"
    if defined-name.broken or defined-name.name is "Unused"
        delete
    else if defined-name.name is "Rate"
        defined-name.refers-to = "=0.2"
    end
end
each sheet
    each picture where picture.alternative-text is "point.png"
        picture.alternative-text = "a point & no more"
    end
    each chart
        log "{chart.name}: {chart.title} / {chart.alternative-text}"
        if chart.title is not nothing
            chart.title = "Nights <2027>"
        end
    end
end""", path)  # fmt: skip
    assert found.log == [
        "Stays|Office|", "Lost =#REF!$A$1  yes", "Nights =Stays!$B$2:$B$6  no", "Rate =0.19 Other sheet no",
        "Unused =Stays!$A$1  no", "Chart 2: Nights & guests / a line", "Chart 3:  / ",
    ]  # fmt: skip
    book = load(path)
    assert b"<dc:creator>Office" not in members(path)["docProps/core.xml"]
    assert (book.properties.title, book.properties.keywords) == (
        "Stays 2027", "huts, nights",
    )  # fmt: skip
    assert book.properties.subject == "season"
    assert {name: each.attr_text for name, each in book.defined_names.items()} == {"Nights": "Stays!$B$2:$B$6"}
    assert book["Other sheet"].defined_names["Rate"].attr_text == "0.2"
    part = members(path)
    drawings = b"".join(part[name] for name in part if "/drawings/drawing" in name)
    assert drawings.count(b'descr="a point &amp; no more"') == 1
    assert drawings.count(b'descr="the hut"') == 1
    charts = [part[name].decode() for name in sorted(part) if "/charts/chart" in name]
    assert "<a:t>Nights &lt;2027&gt;</a:t>" in charts[0]
    assert "<a:t>an axis</a:t>" in charts[0]
    assert schema_findings(path) <= findings
    Path("former.xlsx").write_bytes(before)
    assert changed_parts(Path("former.xlsx"), path) == {
        "docProps/core.xml", "xl/workbook.xml", "xl/drawings/drawing1.xml", "xl/charts/chart1.xml",
    }  # fmt: skip
    scrub.undo()
    assert path.read_bytes() == before


@pytest.mark.parametrize(("body", "why"), [
    ('each defined-name where defined-name.name is "Nights"\ndelete\nend', 'the name "Nights" is used in Stays D1'),
    ('each defined-name where defined-name.name is "Nights"\ndefined-name.refers-to = "=SUM(("\nend', "is not a formula"),
    ('each sheet\neach chart\nchart.title = "x"\nend\nend', '"Chart 3" has no'),
    ('in sheet("Stays")\nprotect\neach picture\npicture.alternative-text = "x"\nend\nend', "Stays is protected"),
    ('protect-structure\nsheet("Stays").name = "x"', "structure of the workbook is protected"),
])  # fmt: skip
def test_what_cannot_be_is_told(home: Path, body: str, why: str) -> None:
    path = Path("drawn.xlsx")
    drawn(path)
    before = path.read_bytes()
    found = run(body, path)
    assert re.search(why, str(found.problem)), str(found.problem)
    assert path.read_bytes() == before


def test_the_structure_is_locked_and_opened_with_its_password_only(home: Path, book: Path) -> None:
    lock = macro('code = secret("code")\nprotect-structure password: code')
    open_ = macro('code = secret("code")\nunprotect-structure password: code')
    right, wrong = scrub.Secret("larch"), scrub.Secret("kite")
    assert scrub.run(lock, [str(book)], answers={"code": right}).files[0].problem is None
    security = load(book).security
    assert security is not None
    assert (security.lockStructure, security.workbookAlgorithmName, security.workbookSpinCount) == (
        True,
        "SHA-512",
        100_000,
    )
    assert b"larch" not in book.read_bytes()
    assert schema_findings(book) <= schema_findings(SAMPLE)
    assert "structure" in str(run('sheet("Totals").hidden = yes', book).problem)
    assert "password" in str(run("unprotect-structure", book).problem)
    assert "different password" in str(scrub.run(open_, [str(book)], answers={"code": wrong}).files[0].problem)
    assert scrub.run(open_, [str(book)], answers={"code": right}).files[0].problem is None
    assert b"workbookProtection" not in members(book)["xl/workbook.xml"]
    done('protect-structure\nlog "{workbook.structure-protected}"', book)
    assert done("unprotect-structure", book).state == "changed"


def folder_with(*names: str) -> Path:
    folder = Path("season")
    (folder / "2026").mkdir(parents=True)
    for name in names:
        shutil.copy(DEMO / Path(name).name, folder / name)
    return folder


class Agreeing(scrub.QuietHost):
    """Somebody who agrees to what a macro may do."""

    def approve(self, title: str, reaches: object) -> bool:
        return True


def in_folder(body: str, folder: Path, **options: Any) -> Any:
    return scrub.run(macro(body, "folder"), [str(folder)], **options).files[0]


def test_workbooks_and_documents_in_a_folder_are_changed_in_one_go(home: Path, cli: Callable[..., Output]) -> None:
    folder = folder_with("season-book.xlsx", "2026/prices.xlsx", "bookings.csv", "house-rules.docx", "water.eml")
    before = {path: path.read_bytes() for path in folder.rglob("*") if path.is_file()}
    body = """names = []
each workbook
    names = names.with(workbook.name)
    each sheet
        cell("A1").value = "checked"
    end
end
each document
    single-spaces
end
each file where file.folder is "2026"
    log "{file.path}"
end
say names.joined(" ")"""
    preview = in_folder(body, folder, preview=True)
    assert {path: path.read_bytes() for path in before} == before
    found = in_folder(body, folder)
    assert found.problem is None, str(found.problem)
    assert list(map(str, found.changes)) == list(map(str, preview.changes))
    assert found.said == ["bookings.csv season-book.xlsx prices.xlsx"]
    assert found.log == [str((folder / "2026/prices.xlsx").resolve())]
    assert {change.place for change in found.changes} == {
        os.path.join("2026", "prices.xlsx"), "bookings.csv", "season-book.xlsx", "house-rules.docx",
    }  # fmt: skip
    assert load(folder / "season-book.xlsx")["Kite Hut"]["A1"].value == "checked"
    assert openpyxl.load_workbook(folder / "2026/prices.xlsx").worksheets[0]["A1"].value == "checked"
    assert (folder / "bookings.csv").read_text().startswith("checked")
    assert all("  " not in each.text for each in docx.Document(str(folder / "house-rules.docx")).paragraphs)
    assert "Larch Hut" in cli("changes", "1", "--all").out
    scrub.undo()
    assert {path: path.read_bytes() for path in before} == before


def test_one_damaged_workbook_in_a_folder_keeps_all_as_they_were(home: Path) -> None:
    folder = folder_with("season-book.xlsx", "2026/prices.xlsx")
    (folder / "z.xlsx").write_bytes(b"PK\3\4 nothing")
    before = (folder / "season-book.xlsx").read_bytes()
    touch = 'each workbook\neach sheet\ncell("A1").value = "x"\nend\nend'
    found = in_folder(touch, folder)
    assert "z.xlsx" in str(found.problem)
    assert (folder / "season-book.xlsx").read_bytes() == before
    tried = in_folder("each file\nlog file.name\nend\nattempt\n" + touch + '\nif it fails\nlog "none"\nend', folder)
    assert tried.problem is None
    assert tried.log[-1] == "none"
    assert (folder / "season-book.xlsx").read_bytes() == before


@pytest.mark.parametrize("what", ['rename to: "other"', 'move to: "old"', "delete"])
def test_a_file_that_was_changed_stays_where_it_is(home: Path, what: str) -> None:
    folder = folder_with("season-book.xlsx")
    body = f'each workbook\nsheet("Totals").hidden = yes\nend\neach file\n{what}\nend'
    found = in_folder(body, folder, host=Agreeing())
    assert "was changed in a line above" in str(found.problem)
    body = f'each file\n{what}\nend\neach workbook\nsheet("Totals").hidden = yes\nend'
    found = in_folder(body, folder, host=Agreeing())
    assert found.problem is None or "was moved" in str(found.problem)


def test_many_files_of_a_folder_are_not_held_open(home: Path) -> None:
    folder = folder_with("prices.xlsx")
    for number in range(60):
        shutil.copy(DEMO / "prices.xlsx", folder / f"p{number}.xlsx")
    seen = []

    class Host(scrub.QuietHost):
        def log(self, text: str) -> None:
            seen.append(sum("p" in os.path.basename(os.readlink(f"/proc/self/fd/{fd}")) and ".xlsx" in os.readlink(f"/proc/self/fd/{fd}") for fd in os.listdir("/proc/self/fd") if os.path.islink(f"/proc/self/fd/{fd}")))  # fmt: skip

    body = 'each workbook\neach sheet\ncell("A1").value = 1\nend\nlog "x"\nend'
    found = in_folder(body, folder, host=Host())
    assert found.problem is None, str(found.problem)
    assert len(seen) == 61
    assert max(seen) <= 2
