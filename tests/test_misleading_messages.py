"""What people write by mistake, and what they are told to write in its place."""

from __future__ import annotations

import os
from collections.abc import Callable
from pathlib import Path

import openpyxl
import pytest
from conftest import SAMPLE, Output, macro
from mails import Approving

import scrub

DEMO = SAMPLE.parent
Cli = Callable[..., Output]

SLIPS = [
    ("workbook", "save", "a run saves automatically. Delete this line"),
    ("workbook", "save()", "a run saves automatically. Delete this line"),
    ("workbook", "n = 0\nn++", "write: n = n + 1"),
    ("workbook", "n = 0\nn--", "write: n = n - 1"),
    ("workbook", 'msgbox "done"', 'to show a message, write: say "…"'),
    ("workbook", 'msgbox("done")', 'write: say "…"'),
    ("workbook", "wait 5", 'a macro cannot wait, except for an answer: name = ask("…")'),
    ("workbook", "goto 5", "macros have no jumps. Write: if … end, or: while … end"),
    ("workbook", "set x = 1", "write only: x = 1"),
    ("workbook", "set x to 1", "write only: x = 1"),
    ("document", 'each paragraph where style is "x"\nend', "write a field with its item: paragraph.style"),
    ("mailbox", "each message\nlog message.attachments\nend", "Write: each attachment, or count(attachment)"),
    (
        "workbook",
        'each recrod in sheet("Larch Hut").records\nend',
        '"recrod" is not a kind of item. Did you mean "record"?',
    ),
    ("workbook", 'each x in sheet("Larch Hut")\nend', 'what "each x in" goes through is a list, not a sheet'),
    ("mailbox", "each mail\nend", '"mail" is not a kind of item. Write: each message.'),
    ("folder", 'each file where file.name matches "*.txt"\nend', 'extension: file.ending is "txt"'),
    ("pdf", 'watermark "Draft"', 'Write: stamp-text "Draft"'),
    ("workbook", 'each sheet where sheet.name is starts with "a"\nend', "write only: starts with"),
    ("workbook", 'each sheet where sheet.name is not ends with "a"\nend', "write only: does not end with"),
    ("workbook", 'each sheet where sheet.name is contains "a"\nend', "write only: contains"),
    ("workbook", 'each sheet where sheet.name is not matches "a"\nend', "write only: does not match"),
    ("workbook", 'if cell("A1") is exists\nend', "write only: exists"),
    ("workbook", "each row where row.number is >= 3\nend", "write only: >="),
]


@pytest.mark.parametrize(("kind", "body", "told"), SLIPS)
def test_a_slip_is_answered_with_what_to_write(home: Path, kind: str, body: str, told: str) -> None:
    problems = [str(each) for each in scrub.check(macro(body, kind))]
    assert told in problems[0]
    assert len(problems) == 1


@pytest.mark.parametrize("word", ["sheet", "cell", "each", "if", "where"])
def test_a_refused_name_is_told_once(home: Path, word: str) -> None:
    problems = scrub.check(macro(f'{word} = 3\nlog {word}\nlog "{{{word}}}"\nn = {word} + 1', "workbook"))
    assert len(problems) == 1
    assert f'"{word}" is ' in str(problems[0])
    assert "cannot be a name" in str(problems[0])


@pytest.fixture
def mixed(home: Path) -> Path:
    book = openpyxl.Workbook()
    sheet = book.active
    assert sheet is not None
    sheet.title = "Stays"
    for row in (["Hut", "Nights"], ["Larch", 3], ["Kite", "many"], ["Col", None]):
        sheet.append(row)
    book.security = openpyxl.workbook.protection.WorkbookProtection(lockStructure=True)
    book.save("mixed.xlsx")
    return Path("mixed.xlsx")


@pytest.mark.parametrize(("body", "told"), [
    ("log largest(record.nights)", "Stays B3: a text and a number have no common order"),
    ("each record sorted by record.nights\nlog 1\nend", "Stays row 3: a text and a number have no common order"),
    ('in sheet.records\nsort by: "Nights"\nend', "Stays row 3: a text and a number have no common order"),
    ("each record where record.nights > 2\nlog 1\nend", 'Stays B3: ">" compares two numbers'),
    ('each cell where cell.value starts with "L"\nlog 1\nend', "To test text only: where cell.holds is text and …"),
    ('each cell where cell.value matches "L.*"\nlog 1\nend', "To test text only: where cell.holds is text and …"),
    ("each record\nlog record.row\nend", "row itself: row.number"),
    ("sheet.hidden = yes", "Unprotect it first: unprotect-structure"),
    ('sheet.name = "Nights"', "Unprotect it first: unprotect-structure"),
    ('log table("nix").name', 'no table "nix". There are none'),
])  # fmt: skip
def test_a_failure_names_the_place_and_what_to_write(mixed: Path, body: str, told: str) -> None:
    problem = scrub.run(macro(f'in sheet("Stays")\n{body}\nend'), [str(mixed)]).files[0].problem
    assert told in str(problem)


def test_a_choice_with_blanks_at_its_ends(mixed: Path) -> None:
    body = 'hut = ask("Which", from: ["Larch ", "Larch Hut", " Kite"])\nsay "[{hut}]"'
    for answer, meant in (("Larch", "[Larch ]"), (" larch hut ", "[Larch Hut]"), ("Kite", "[ Kite]")):
        assert scrub.run(macro(body), [str(mixed)], answers={"hut": answer}).files[0].said == [meant]
    book = openpyxl.load_workbook(mixed)
    book["Stays"]["A2"] = " landscape "
    book.save(mixed)
    body = 'in sheet("Stays")\nsheet.orientation = cell("A2").value\nend'
    assert scrub.run(macro(body), [str(mixed)]).files[0].problem is None
    assert openpyxl.load_workbook(mixed)["Stays"].page_setup.orientation == "landscape"


def test_a_table_is_called_as_it_is_picked(home: Path) -> None:
    import docx

    made = docx.Document()
    made.add_table(2, 2).cell(0, 0).text = "Hut"
    made.save("a.docx")
    found = scrub.run(macro('say table("table 1").headings.first', "document"), ["a.docx"]).files[0]
    assert found.problem is None
    assert found.said == ["Hut"]


def test_a_title_that_is_taken_can_be_edited(cli: Cli) -> None:
    Path("mine.scrub").write_text("macro Mine\nfor workbook\nsay 1\n")
    cli("add", "mine.scrub")
    Path("mine.scrub").write_text("macro Mine\nfor workbook\nsay 2\n")
    told = cli("add", "mine.scrub")
    assert told.code == 2
    assert 'or edit that macro: scrub edit "Mine"' in told.err


def test_a_run_that_only_reads_says_so(book: Path, cli: Cli) -> None:
    Path("mine.scrub").write_text("macro Mine\nfor workbook\nsay count(sheet)\n")
    assert "Read season-book.xlsx; nothing to change." in cli("run", "mine.scrub", book).out
    cli("run", "show every hidden", book)
    assert "Nothing to change in season-book.xlsx." in cli("run", "show every hidden", book).out


@pytest.mark.parametrize("name", [".~lock.season-book.xlsx#", "~$season-book.xlsx", "~$ason-book.xlsx"])
def test_the_mark_of_an_open_file_names_that_file(book: Path, cli: Cli, name: str) -> None:
    Path(name).write_bytes(b"\x03Ann")
    told = cli("run", "show every hidden", name)
    assert "a lock file: season-book.xlsx is open in another program. Name that file" in told.err
    assert "another program has it open" in cli("run", "show every hidden", book).err


def test_a_missing_mailbox_is_told_as_it_is_written(home: Path) -> None:
    for each in ("cur", "new", "tmp", ".late/cur", ".late/new", ".late/tmp"):
        os.makedirs(f"post/{each}")
    Path("post/cur/1.a:2,S").write_bytes((DEMO / "water.eml").read_bytes())
    Path("box.mbox").write_bytes((DEMO / "bookings.mbox").read_bytes())
    for box, to, meant in (
        ("box.mbox", "old", "old.mbox"), ("post", "old", "old.mbox"), ("post", ".old", "old.mbox"),
        ("post", "late", "post/.late"),
    ):  # fmt: skip
        body = 'each message\nmove to: "{}"\nend'
        told = scrub.run(macro(body.format(to), "mailbox"), [box], host=Approving()).files[0].problem
        assert f'no mailbox "{to}"' in str(told)
        assert str(told).partition("  (")[0].endswith(f'write to: "{meant}"')
        done = scrub.run(macro(body.format(meant), "mailbox"), [box], preview=True, host=Approving()).files[0]
        assert done.problem is None, str(done.problem)
