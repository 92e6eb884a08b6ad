"""The catalog promises; these tests hold it to that, on real files."""

from __future__ import annotations

import re
from collections.abc import Callable
from pathlib import Path

import pytest
from conftest import SAMPLE, Output, examples, macro
from hypothesis import given
from hypothesis import strategies as st
from sheets import load, schema_findings

import scrub
from scrub.cli.group import COMMANDS

ENTRIES = {entry.written: entry for entry in scrub.vocabulary().entries()}

#: How openpyxl calls what each permission allows; a yes there means that it is closed.
PERMISSIONS = {
    "format-cells": "formatCells", "format-columns": "formatColumns", "format-rows": "formatRows",
    "insert-columns": "insertColumns", "insert-rows": "insertRows", "insert-links": "insertHyperlinks",
    "delete-columns": "deleteColumns", "delete-rows": "deleteRows", "sort": "sort", "filter": "autoFilter",
    "pivot-tables": "pivotTables", "drawings": "objects", "scenarios": "scenarios",
}  # fmt: skip


@examples(15)
@given(st.sets(st.sampled_from(sorted(PERMISSIONS))), st.sampled_from(["any-cell", "open-cells", "no-cell"]))
def test_what_is_allowed_is_just_what_was_asked(tmp_path: Path, allowed: set[str], select: str) -> None:
    path = tmp_path / "book.xlsx"
    path.write_bytes(SAMPLE.read_bytes())
    body = f'in sheet("Kite Hut")\nprotect allow: [{", ".join(sorted(allowed))}], select: {select}\nend'
    found = scrub.run(macro(body), [str(path)])
    lock = load(path)["Kite Hut"].protection
    assert lock.sheet
    for word, name in PERMISSIONS.items():
        assert getattr(lock, name) == (word not in allowed), word
    assert (lock.selectLockedCells, lock.selectUnlockedCells) == (select != "any-cell", select == "no-cell")
    assert scrub.run(macro(body), [str(path)]).files[0].state == "unchanged"
    (change,) = found.files[0].changes
    for word in allowed:
        assert re.search(rf"\b{word}\b", str(change.after)), change.after
    assert "password" in str(change.after)


def test_every_permission_of_the_catalog_is_known_here() -> None:
    assert set(ENTRIES["protect"].choices["allow"]) == set(PERMISSIONS)


def test_the_strictest_and_the_loosest_protection_keep_to_the_schema(book: Path) -> None:
    for allow in ("", ", ".join(PERMISSIONS)):
        scrub.run(macro(f"each sheet\nprotect allow: [{allow}], select: no-cell\nend"), [str(book)])
        assert schema_findings(book) <= schema_findings(SAMPLE)


EXAMPLES = [entry for entry in ENTRIES.values() if entry.what.startswith("operation")]


@pytest.mark.parametrize("entry", EXAMPLES, ids=lambda entry: entry.written + " " + entry.what)
def test_every_example_of_an_operation_runs(entry: object, book: Path) -> None:
    """The examples in the catalog are not only right, they do something on the sample data."""
    from scrub.model.core.search import CatalogEntry

    assert isinstance(entry, CatalogEntry)
    values = (
        'reply = "2026-05-01"\n' if "as-date" in entry.written else 'reply = "1.5 (a, b)"\n'
        'memo = "a"\nweight = 1.55\nboxes = 2.1\ndifference = 3\nlate = ["a"]\nnames = ["b", "a"]\namounts = [1, 2]\n'
        "nights = pairs(otherwise: 0)\nwait = 3 days\nmargin = 2 cm\nlimit = 1 MB\n"
    )  # fmt: skip
    example = entry.docs.example
    if "message." in example:
        values, example = 'reply = "Ann Moss <ann@moss.example>"\n', example.replace("message.from", "reply")
    if example.startswith("if "):
        body = f'{example}\nlog "yes"\nend'
    else:
        name, equals, value = example.partition(" = ")
        body = f'x = {value if equals else name}\nlog "done"'
    found = scrub.run(macro(f'{values}in sheet("Kite Hut")\n{body}\nend'), [str(book)], preview=True).files[0]
    assert found.problem is None, (example, str(found.problem))


#: Where the example of each kind is run: one item of the sample that has what it needs.
PLACES = {
    "workbook": "", "sheet": 'in sheet("Kite Hut")', "table": 'in sheet("Draft prices").records', "cell": 'in cell("Kite Hut!J2")',
    "cells": 'in cells("Kite Hut!J2:K3")', "selection": "in selection", "row": 'in sheet("Kite Hut")\nin row(3)',
    "column": 'in sheet("Kite Hut")\nin column("C")', "merged-range": "each merged-range", "comment": "each comment",
}  # fmt: skip
#: What is done in documents only, though the kind is in workbooks too, or elsewhere.
IN_DOCUMENTS = {
    "add-record": ("house-rules.docx", 'in table("Provisions")'),
    "add-row": ("house-rules.docx", 'in table("Provisions")'), "sort": ("house-rules.docx", 'in table("Provisions")'),
    "table.style": ("house-rules.docx", 'in table("Provisions")'),
    "sheet.active": ("season-book.xlsx", 'in sheet("Sorrel Hut")'),
    "reply": ("route.docx", "each comment"), "comment.done": ("route.docx", "each comment"),
}  # fmt: skip
OF_ITEMS = [
    (found[1], entry)
    for entry in ENTRIES.values()
    for found in [re.match(r"(?:field|action) of a ([\w-]+)", entry.what)]
    if found and found[1] in PLACES
]


@pytest.mark.parametrize(("kind", "entry"), OF_ITEMS, ids=[entry.written + " " + kind for kind, entry in OF_ITEMS])
def test_every_example_of_a_field_or_action_runs(kind: str, entry: object, book: Path) -> None:
    from scrub.model.core.search import CatalogEntry

    assert isinstance(entry, CatalogEntry)
    opener, example = PLACES[kind], entry.docs.example
    example = f"{example}\nend" if example.startswith("if ") else example
    questions = 'code = secret("c")\n' if "password: code" in example else ""
    body = f"{questions}{opener}\n{example}" + "\nend" * len(opener.splitlines())
    file, kind_of_file = str(book), "workbook"
    if entry.written in IN_DOCUMENTS:
        name, place = IN_DOCUMENTS[entry.written]
        file, kind_of_file = str(SAMPLE.parent / name), scrub.kind_of(name)
        body = body.replace(opener, place)
    answers = {"code": scrub.Secret("x")} if questions else {}
    found = scrub.run(macro(body, kind_of_file), [file], preview=True, answers=answers).files[0]
    assert found.problem is None, (example, str(found.problem))


@pytest.mark.parametrize("command", COMMANDS)
def test_every_command_has_its_help(cli: Callable[..., Output], command: str) -> None:
    shown = cli(command, "--help")
    assert shown.code == 0
    assert shown.out.startswith(f"Usage: scrub {command}")
    assert len(shown.out.splitlines()) > 4
    readme = (Path(__file__).parent.parent / "docs" / "guide.md").read_text() + (
        Path(__file__).parent.parent / "README.md"
    ).read_text()
    assert f"scrub {command}" in readme or command in ("changes", "history", "secret"), command


@pytest.mark.parametrize(
    ("words", "written"),
    [
        ("make text bold", "cell.bold"), ("find duplicates", "mark-duplicates"), ("hide column", "row.hidden"), ("landscape", "sheet.orientation"),
        ("replace words", "replace"), ("today's date", "today"), ("look up in another file", "record(…)"), ("count rows", "count(…)"),
        ("split names", ".before"), ("first word", ".words"), ("ask the user", "ask(…)"), ("loop", "each"), ("if then", "if"), ("delete row", "delete"),
        ("unhide sheets", "sheet.hidden"), ("freeze panes", "sheet.frozen-rows"), ("page numbers", "sheet.footer"), ("round a number", ".rounded"),
        ("upper case", "upper"), ("remove double spaces", "single-spaces"), ("fit to page", "sheet.width-in-pages"), ("print a message", "say"),
        ("text to date", "read-dates"), ("unlock input cells", "cell.locked"), ("merge and center", "centre-over"), ("wrap text", "cell.wrapped"),
        ("hyperlink", "cell.link"), ("save as", "save-copy"), ("on error", "attempt"), ("for each", "each"), ("last word", ".words"),
        ("delete empty rows", "delete"), ("remove duplicates", "delete-duplicates"), ("sort rows", "sort"), ("sum if", "sum(…)"), ("rename sheet", "sheet.name"),
        ("delete sheet", "delete"), ("all borders", "cell.borders"), ("group by", "pairs(…)"), ("business days", ".plus-working-days"), ("font size", "cell.size"),
        ("return a value", "give"), ("strikethrough", "cell.strikethrough"), ("order of tabs", "move-to"), ("every second row", ".remainder"), ("totals by name", "pairs(…)"),
        ("find all numbers", ".matches-of"), ("thousands separator", ".as-text"), ("average of a column", "average(…)"), ("top ten", "sorted by"),
    ],
)  # fmt: skip
def test_everyday_words_find_what_they_mean(words: str, written: str) -> None:
    found = [entry.written for entry in scrub.vocabulary().search(words)]
    assert written in found[:3], found[:6]


def test_words_about_nothing_find_nothing(cli: Callable[..., Output]) -> None:
    found = cli("catalog", "zebra")
    assert found.code == 1
    assert "The catalog has nothing about zebra." in found.out
