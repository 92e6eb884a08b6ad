"""The examples run, the docs are in step, and the rooms keep their rules."""

from __future__ import annotations

import os
import re
import subprocess
import sys
from pathlib import Path

import pytest
import xlsxwriter
from conftest import SAMPLE
from sheets import load, schema_findings, states

import scrub

ROOT = Path(__file__).parent.parent
SOURCE = ROOT / "src" / "scrub"


def run_example(name: str, *words: str, **environment: str) -> subprocess.CompletedProcess[str]:
    path = ROOT / "examples" / name
    assert len(path.read_text().splitlines()) < 40
    return subprocess.run(
        [sys.executable, str(path), *words],
        env={**os.environ, **environment},
        text=True,
        capture_output=True,
        check=False,
    )


def test_the_example_for_a_folder(book: Path) -> None:
    Path("bad.xlsx").write_bytes(b"no workbook")
    found = run_example("run_on_a_folder.py", ".", SCRUB_SECRET_SHEET_CODE="larch")
    assert found.returncode == 1, found.stderr
    assert "10 changes in 2 files" in found.stdout
    assert "season-book.xlsx: 10 sheets sealed" in found.stdout
    assert "  bad.xlsx: bad.xlsx: not an office file" in found.stdout
    assert load(book)["Kite Hut"].protection.sheet


def test_the_example_with_a_host_of_its_own(book: Path) -> None:
    scrub.run("show every", [str(book)])
    found = run_example("own_host.py", str(book))
    assert found.stdout == "hid Draft prices\n1 sheets are hidden.\n", found.stderr
    assert states(book)["Draft prices"] == "hidden"


def test_the_example_with_an_action_of_its_own(book: Path) -> None:
    found = run_example("own_action.py", str(book))
    assert found.stdout == f"{book}: 6 changes\n", found.stderr
    assert [name for name, state in states(book).items() if state == "visible"] == ["Larch Hut"]
    scrub.undo()
    assert book.read_bytes() == SAMPLE.read_bytes()


def test_every_example_macro_is_whole_and_tidy() -> None:
    entries = [entry for entry in scrub.home().library.entries() if entry.example]
    assert len(entries) >= 4
    for entry in entries:
        assert scrub.check(entry.path) == []
        assert entry.about
        assert entry.group
        assert os.path.basename(entry.path) == f"{entry.title}.scrub"


def test_the_example_with_conditions_goes_by_names(book: Path) -> None:
    found = scrub.run("ready", [str(book)]).files[0]
    assert found.log == ["left Totals as it is"]
    now = states(book)
    assert [name for name, state in now.items() if state == "hidden"] == ["Draft prices"]
    assert now["Lists"] == "veryHidden"
    other = xlsxwriter.Workbook("seven.xlsx")
    for number in range(7):
        other.add_worksheet(f"{number} Hut")
    other.close()
    failed = scrub.run("ready", ["seven.xlsx"]).files[0]
    assert "There are 7 huts in seven.xlsx, and the association keeps 8." in str(failed.problem)


def test_the_season_book_holds_all_that_could_be_lost() -> None:
    book = load(SAMPLE)
    larch = book["Larch Hut"]
    assert len(book["Totals"]._charts) == 1
    assert list(book["Totals"].tables) == ["Totals"]
    assert list(book.defined_names) == ["Night_price"]
    assert len(larch._images) == 1
    assert larch["C3"].comment is not None
    assert not larch["C4"].protection.locked
    assert larch.data_validations.dataValidation
    assert larch.conditional_formatting
    assert larch.merged_cells.ranges
    assert schema_findings(SAMPLE) == set()


def test_the_catalog_page_is_in_step() -> None:
    made = subprocess.run(
        [sys.executable, str(ROOT / "tools" / "make_catalog.py"), "-"], text=True, capture_output=True, check=True
    )
    assert made.stdout == (ROOT / "docs" / "catalog.md").read_text()


@pytest.mark.parametrize("page", [*(ROOT / "docs").glob("*.md"), ROOT / "README.md"], ids=lambda page: page.name)
def test_macros_in_the_docs_are_right_and_links_lead_somewhere(page: Path) -> None:
    text = page.read_text()
    for code in re.findall(r"```scrub\n(.*?)```", text, re.S):
        assert scrub.check_text(code) == [], code
    for target in re.findall(r"\]\((?!http)([^)#]+)", text):
        assert (page.parent / target).exists(), target


def phrase(example: str) -> str:
    """A macro around the example of a statement or a look-up."""
    first = example.split()[0]
    tail = {"attempt": '\nsay "a"\nif it fails\nend'}.get(first, "")
    if first in ("if", "each", "while", "in") or " times" in example:
        tail = '\nsay "a"\nend'
    body = f"{example}{tail}"
    if example.startswith("nights("):
        body = f"nights = pairs()\n{example}"
    if first in ("skip", "leave") or example.startswith(("if sheet.hidden", "row(", "column(", "log")):
        body = f"each sheet\n{body}\nend"
    if example.startswith("if selection"):
        body = example + '\nsay "a"\nend'
    return f"macro Test\nfor workbook\n{body}\n"


#: The kinds that are in documents only.
DOCUMENTS = frozenset("document paragraph heading passage passages change link field picture bookmark section".split())
MAIL = frozenset("mailbox message messages attachment address".split())
PAGES = frozenset("pdf page pages outline-item".split())


def test_every_declaration_is_documented_with_an_example_that_is_right() -> None:
    for entry in scrub.vocabulary().entries():
        assert entry.docs.summary, entry.written
        if entry.what == "kind":
            continue
        assert entry.docs.also, entry.written
        example = entry.docs.example
        assert example, entry.written
        header = (
            "macro Test\nfor workbook\n"
            + 'reply = "a"\nmemo = "a"\nweight = 1.5\nboxes = 2\ndifference = 3\nlate = ["a"]\nnames = ["a"]\namounts = [1]\nnights = pairs(otherwise: 0)\nwait = 3 days\nmargin = 2 cm\nlimit = 1 MB\n'
        )
        if entry.what in ("statement", "look-up"):
            found = scrub.check_text(phrase(example))
            assert found == [], (entry.written, [str(each) for each in found])
            continue
        if example.startswith(("if ", "each message", "each attachment")):
            example = f"{example}\nend"
        elif re.match(r"[\w-]+\.|\"", example) and " = " not in example:
            example = f"x = {example}"
        kind = re.match(r"(?:field|action) of an? ([\w-]+)", entry.what) or re.match(r"([\w-]+)\.\w+\(", entry.written)
        owner = kind[1] if kind else "sheet"
        if owner in ("folder", "file"):
            header = header.replace("for workbook", "for folder")
        if owner in DOCUMENTS:
            header = header.replace("for workbook", "for document")
        if owner in MAIL or "message." in example:
            header = header.replace("for workbook", "for mailbox")
            header += 'who = "ann@huts.example"\n'
            owner = owner if owner in MAIL else "message"
        if owner == "database":
            header = header.replace("for workbook", "for database")
        if owner in PAGES:
            header = header.replace("for workbook", "for pdf")
        if owner == "image":
            header = header.replace("for workbook", "for image")
        openers = {
            "cells": 'in cells("Totals!B4:B5")', "selection": "in selection", "passages": "in selection",
            "passage": "each passage in selection", "messages": "in selection",
            "pages": 'in pages("2-5")',
        }  # fmt: skip
        opener = openers.get(owner, f"each {owner}")
        owner = "mailbox" if example.startswith(("each message", "each attachment")) else owner
        body = (
            example
            if owner in ("workbook", "folder", "document", "mailbox", "pdf", "image", "database")
            else f"{opener}\n{example}\nend"
        )
        if example == "fill-in record":
            body = f'each record in table("Guests")\nin document\n{example}\nend\nend'
        if "password: code" in body:
            header += 'code = secret("c")\n'
            header = header.replace('reply = "a"\n', "").replace("for workbook\n", "for workbook\n")
        found = scrub.check_text(f"{header}{body}\n")
        assert found == [], (entry.written, [str(each) for each in found])
