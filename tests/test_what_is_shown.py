"""What a run shows: the result first, in proportion to what happened; lines that fit, and styles that any terminal has."""

from __future__ import annotations

import re
import subprocess
import sys
from collections.abc import Callable
from pathlib import Path

import openpyxl
import pytest
from conftest import SAMPLE, Output, macro, some
from test_cli import typed

from scrub.cli.host import shown_bar
from scrub.cli.output import cells

#: The styles that are read on light and dark screens: bold, dim, red, and none.
STYLES = {"0", "1", "2", "31"}


@pytest.fixture
def weeks(home: Path) -> list[str]:
    """Fourteen files: twelve alike, an empty one, and one that is no workbook."""
    Path("many").mkdir()
    for number in range(12):
        Path(f"many/week-{number:02}.xlsx").write_bytes(SAMPLE.read_bytes())
    Path("many/week-12.xlsx").write_bytes(b"")
    Path("many/week-13.xlsx").write_bytes(b"no")
    return sorted(str(path) for path in Path("many").iterdir())


# -- many files


def test_many_files_show_the_result_what_they_share_and_the_failures_last(
    weeks: list[str], cli: Callable[..., Output]
) -> None:
    told = cli("run", "show every", *weeks, "--preview")
    assert told.out.splitlines() == [
        "12 of 14 files would change: 48 changes, 4 sheets each",
        "  hidden: yes -> no  Kite Hut, Tarn Hut, Draft prices, Lists",
        "  4 of 11 sheets shown again.  (12 files)",
        "Preview only; nothing was saved. To apply: the same line without --preview",
    ]
    assert told.err.splitlines() == [
        "Failed: 2 of 14 files",
        "  many/week-12.xlsx  the file is empty",
        "  many/week-13.xlsx  not an office file, despite its name (or damaged)",
    ]
    saved = cli("run", "show every", *weeks)
    assert saved.out.splitlines()[0] == "Saved 12 of 14 files: 48 changes, 4 sheets each"
    assert saved.out.splitlines()[-1] == "Details: scrub changes 1    Undo: scrub undo 1"
    again = cli("run", "show every", *weeks)
    assert "Nothing to change in 12 files." in again.out


def test_brief_and_all_choose_for_any_number_of_files(weeks: list[str], cli: Callable[..., Output]) -> None:
    short = cli("run", "show every", *weeks[:2], "--preview", "--brief").out
    assert short.startswith("2 of 2 files would change: 8 changes, 4 sheets each\n")
    full = cli("run", "show every", *weeks, "--preview", "--all").out
    assert full.count("Kite Hut      hidden: yes -> no") == 12
    assert all(path in full for path in weeks[:12])


def test_a_note_that_repeats_is_printed_once(weeks: list[str], cli: Callable[..., Output]) -> None:
    body = 'sheet("Larch Hut").cell("J1").formula = "=CUBEVALUE(C4)"'
    Path("set.scrub").write_text(macro(body))
    note = (
        "1 formula could not be calculated; its result appears when the file is opened in an office program: "
        "Larch Hut!J1 (CUBEVALUE)."
    )
    for count in (3, 12):
        out = cli("run", "set.scrub", *weeks[:count], "--preview").out
        assert out.count(note) == 1
        assert f"{note}  ({count} files)" in out


def test_files_that_differ_are_told_after_what_they_share(home: Path, cli: Callable[..., Output]) -> None:
    for number in range(11):
        book = openpyxl.Workbook()
        sheet = book.active
        assert sheet is not None
        sheet.title = "Stays"
        sheet["A1"] = "a  b"
        if number in (3, 7):
            sheet["B9"] = "c  d"
        book.save(f"{number:02}.xlsx")
    Path("tidy.scrub").write_text(macro("single-spaces"))
    names = [f"{number:02}.xlsx" for number in range(11)]
    assert cli("run", "tidy.scrub", *names, "--preview").out.splitlines()[:3] == [
        "11 of 11 files would change: 13 changes, 1 sheet each",
        '  A1: "a  b" -> "a b"  Stays',
        '  also 03.xlsx, 07.xlsx  Stays: B9: "c  d" -> "c d"',
    ]


def test_files_with_nothing_in_common_are_told_by_field(home: Path, cli: Callable[..., Output]) -> None:
    for number in range(10):
        book = openpyxl.Workbook()
        sheet = book.active
        assert sheet is not None
        sheet.title = f"S{number}"
        sheet.cell(number + 1, 1, f"row  {number}")
        book.save(f"{number}.xlsx")
    Path("tidy.scrub").write_text(macro("single-spaces"))
    out = cli("run", "tidy.scrub", *(f"{number}.xlsx" for number in range(10)), "--preview").out
    assert out.splitlines()[1] == '  value  10 changes in 10 files, such as 0.xlsx: S0: A1: "row  0" -> "row 0"'


# -- lines and styles at a terminal


@pytest.mark.parametrize("columns", some([60, 80, 120]))
def test_every_line_fits_the_terminal_and_is_broken_between_words(
    book: Path, monkeypatch: pytest.MonkeyPatch, columns: int
) -> None:
    monkeypatch.setenv("COLUMNS", str(columns))
    Path("slips.scrub").write_text(
        "macro Slips\nfor workbook\neach sheet\n  if sheet.hiden\n  end\n  x = record.nights\n  protect alow: [sort]\nend\n"
    )
    Path("no.xlsx").write_bytes(b"no")
    for words in (
        ["check", "slips.scrub"], ["show", "seal"], ["catalog", "hide", "column"], ["macros"], ["inside", str(book)],
        ["run", "nothing like it", str(book)], ["run", "show every", "no.xlsx"], ["demo"], ["demo"], ["history"],
        ["run", "show every", "no.xlsx", str(book)],
    ):  # fmt: skip
        shown = re.sub(r"\x1b\[[\d;?]*[A-Za-z]", "", typed(words, []))
        for line in re.split(r"[\r\n]", shown):  # a bar, which a slow machine shows, is drawn over itself
            if "/tmp/" in line or line.startswith(("$ ", "  SCRUB_HOME")):
                continue  # to be copied whole
            assert cells(line) <= columns, (words, line)


@pytest.mark.everything
def test_only_styles_that_read_on_light_and_dark_screens_are_used(book: Path) -> None:
    Path("bad.scrub").write_text("macro Bad\nfor workbook\nx = \n")
    Path("no.xlsx").write_bytes(b"no")
    for words in (
        ["check", "bad.scrub"], ["inside", str(book)], ["macros"], ["catalog", "hide"], ["run", "show every", str(book)],
        ["run", "show every", "no.xlsx"], ["undo"], ["changes", "1"],
    ):  # fmt: skip
        shown = typed(words, [])
        used = {code for found in re.findall(r"\x1b\[([\d;]*)m", shown) for code in found.split(";")}
        assert used <= STYLES, (words, used)
        if "31" in used:
            assert re.search(r"Failed|\^", shown), words


def test_headings_are_never_cut_and_lines_of_inside_can_be_typed(
    home: Path, cli: Callable[..., Output], monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setenv("COLUMNS", "60")
    book = openpyxl.Workbook()
    sheet = book.active
    assert sheet is not None
    sheet.title = 'The "old" {huts}'
    heading = "a heading that is much longer than half of the line of this terminal is"
    sheet.append(["Guest", heading])
    sheet.append(["Ann " * 40, 3])
    book.save("wide.xlsx")
    shown = cli("inside", "wide.xlsx").out
    assert f"record.{heading.replace(' ', '-')}" in shown or f'record."{heading}"' in shown
    assert "Ann A..." in shown
    opening = next(line.partition(": ")[2] for line in shown.splitlines() if "each record in" in line)
    Path("typed.scrub").write_text(macro(f"{opening}\nlog record.guest\nend"))
    assert cli("run", "typed.scrub", "wide.xlsx").code == 0


def test_the_bar_is_one_line() -> None:
    line = shown_bar(25.2, 300, "week-026.xlsx", 5.0, 80)
    assert line == "█░░░░░░░░░  26 of 300, 5 a second, about 55 s left   week-026.xlsx"
    failed = shown_bar(25.2, 300, "week-026.xlsx", 5.0, 80, 2)
    assert failed == "█░░░░░░░░░  26 of 300, 2 failed, 5 a second, about 55 s left   week-026.xlsx"
    assert shown_bar(0.5, 1, "big.xlsx", 100.0, 80) == "█████░░░░░  50%, about 2 min left   big.xlsx"
    assert cells(shown_bar(1, 2, "名" * 90, 0.5, 60)) <= 60


# -- the first minutes


def test_a_second_demo_leaves_the_files_alone(home: Path, cli: Callable[..., Output]) -> None:
    assert "Created sample files in kestrel-ridge" in cli("demo").out
    before = {path: path.read_bytes() for path in Path("kestrel-ridge").rglob("*.*")}
    assert Path("kestrel-ridge/by-hand/season-book.xlsx") in before
    told = cli("demo")
    assert "The sample files are already in kestrel-ridge." in told.out
    assert {path: path.read_bytes() for path in Path("kestrel-ridge").rglob("*.*")} == before


def test_what_is_printed_to_be_typed_can_be_pasted(home: Path, cli: Callable[..., Output]) -> None:
    folder = "my huts & 'more'"
    out = cli("demo", folder).out
    assert "inside \"my huts & 'more'/season-book.xlsx\"" in out
    Path("a b.xlsx").write_bytes(SAMPLE.read_bytes())
    assert 'To apply: scrub run "show every" "a b.xlsx"' in cli("run", "show every", "a b.xlsx", "--preview").out


def test_a_new_macro_that_is_saved_unchanged_adds_nothing(
    home: Path, cli: Callable[..., Output], monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setenv("EDITOR", "true")
    told = cli("new", "Mine")
    assert (told.code, told.out) == (1, "The text is unchanged, so nothing was added.\n")
    assert "Mine" not in cli("macros").out


def test_words_that_match_no_macro_name_the_nearest(book: Path, cli: Callable[..., Output]) -> None:
    told = cli("run", "stamp the routs", book).err
    assert told.startswith('No macro "stamp the routs". Nearest: "Stamp the route cards", ')
    assert told.endswith("List them: scrub macros\n")


def test_an_open_block_can_be_left_taken_apart_and_cancelled(book: Path) -> None:
    lines = [
        "each sheet",
        "sheet.hidden = yes",
        "back",
        "sheet.hidden = no",
        "?",
        "end",
        "each sheet",
        "",
        "each sheet",
    ]
    words = [sys.executable, "-m", "scrub", "try", str(book)]
    shown = subprocess.run(words, input="\n".join([*lines, "leave"]), text=True, capture_output=True, check=True).stdout
    assert "search actions and fields in everyday words" in shown
    assert "Removed: sheet.hidden = yes" in shown
    assert "Block cancelled." in shown
    assert "(empty line = cancel)" in shown
    assert "Kite Hut" in shown


def test_what_cannot_be_undone_comes_first_before_an_approval(home: Path, cli: Callable[..., Output]) -> None:
    out = cli("approve", "pass it on and", "--yes").out
    assert "It sends messages. That cannot be undone.\nIt " in out
