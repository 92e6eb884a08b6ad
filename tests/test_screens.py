"""The pages at a terminal: the chooser, changes one by one, and the question of the file manager."""

from __future__ import annotations

import json
import re
import subprocess
import sys
from collections.abc import Callable
from pathlib import Path

import pytest
from conftest import SAMPLE, Output, macro
from screens import Screen, pause, until

import scrub

Cli = Callable[..., Output]
DEMO = SAMPLE.parent


def copy(name: str, to: str = "") -> Path:
    path = Path(to or name)
    path.write_bytes((DEMO / name).read_bytes())
    return path


def workers_of(process: int) -> list[int]:
    """The processes that prepare previews for a chooser."""
    listed = subprocess.run(["ps", "-o", "pid=,args=", "--ppid", str(process)], capture_output=True, text=True).stdout
    return [int(line.split()[0]) for line in listed.splitlines() if "chooser.worker" in line]


def is_running(process: int) -> bool:
    """Whether a process works; one that ended may be on the list until somebody asks for it."""
    try:
        return bool(Path(f"/proc/{process}/cmdline").read_bytes())
    except OSError:
        return False


# -- the chooser


def test_a_macro_is_found_previewed_applied_and_undone(book: Path) -> None:
    before = book.read_bytes()
    with Screen(["season-book.xlsx"], columns=100, rows=30) as screen:
        first = screen.wait("Find:", "Esc leave")
        assert "Scrub  1 file: season-book.xlsx" in first
        screen.press("s", "o", "r", "t", " ", "o")
        shown = screen.wait(
            "Preview  7 changes", "season-book.xlsx  7 changes on 4 sheets", 'Larch Hut   H10:H11: "late"'
        )
        assert ">   Sort out who pays" in shown
        assert "apply" not in shown
        screen.press("enter")
        screen.wait("Apply 7 changes to 1 file?", "Enter apply   r review")
        assert book.read_bytes() == before
        screen.press("enter")
        screen.wait("Saved 1 file: 7 changes (run 1).", "u undo")
        assert book.read_bytes() != before
        screen.press("u")
        screen.wait("Undone: run 1.")
        assert book.read_bytes() == before
        screen.press("enter")
        screen.wait("Enter choose")
        workers = workers_of(screen.child)
        screen.press("escape")
        assert screen.end() == 0
    until(lambda: not any(is_running(each) for each in workers))


def test_the_first_file_decides_what_fits_and_pins_come_first(book: Path, cli: Cli) -> None:
    cli("pin", "sort the stays", "p")
    copy("notice.txt")
    with Screen(["season-book.xlsx", "notice.txt"]) as screen:
        screen.wait("Find:", ">p  Sort the stays", "Repair a pasted notice", "of 61 macros")
        screen.press("escape")
        assert screen.end() == 0


def test_a_macro_that_asks_is_not_previewed_before_it_is_answered(book: Path) -> None:
    text = 'least = ask("Minimum nights", as: number)\neach sheet\nlog "{least}"\nend\nin sheet("Lists")\nsheet.hidden = no\nend'
    scrub.home().library.add(macro(text, title="Ask me"), "ask.scrub")
    with Screen(["season-book.xlsx"]) as screen:
        screen.wait("Find:")
        screen.press(*"ask me")
        screen.wait("Asks first", "Minimum nights")
        screen.press("enter")
        screen.wait("│ Minimum nights", "Enter answer")
        screen.press("f", "f", "enter")
        screen.wait('"ff" is not a number')
        screen.press("4", "enter")
        screen.wait("Apply 1 change to 1 file?", "Lists")
        screen.press("escape")
        screen.press("escape")
        screen.press("escape")
        assert screen.end() == 0


def test_what_does_more_is_told_first_and_allowed_by_name(book: Path) -> None:
    copy("bookings.csv")
    copy("letter.docx")
    with Screen(["bookings.csv"]) as screen:
        screen.wait("Find:")
        screen.press(*"a letter for")
        screen.wait("Does more than change these files", "creates files from other files")
        assert not Path("letters").exists()
        screen.press("enter")
        screen.wait("Creates letters/", "Enter apply")
        assert not Path("letters").exists()
        screen.press("enter")
        screen.wait("It creates files from other files. Allow this?", "y yes")
        screen.press("n")
        screen.wait("Enter apply")
        screen.press("enter")
        screen.wait("Allow this?")
        screen.press("y")
        screen.wait("Saved", "(run 1)")
        assert list(Path("letters").glob("*.docx"))
        screen.press("u")
        screen.wait("Undone: run 1.")
        assert not list(Path("letters").glob("*.docx"))


def test_a_password_is_typed_twice_and_never_shown(book: Path) -> None:
    with Screen(["season-book.xlsx"]) as screen:
        screen.wait("Find:")
        screen.press(*"seal every")
        screen.wait("Asks first")
        screen.press("enter")
        screen.wait("sheet-code")
        screen.press(*"stove", "enter")
        screen.wait("Repeat the password:")
        screen.press(*"strove", "enter")
        screen.wait("The two passwords do not match.")
        screen.press(*"stove", "enter", *"stove", "enter")
        screen.wait("Apply 10 changes to 1 file?")
        assert b"stove" not in screen.raw


def test_files_are_ticked_and_the_preview_follows(book: Path) -> None:
    copy("season-book.xlsx", "Week 2.xlsx")
    with Screen(["season-book.xlsx", "Week 2.xlsx"]) as screen:
        screen.wait("Find:")
        screen.press(*"sort out")
        screen.wait("Preview  14 changes in 2 files")
        screen.press("tab")
        screen.wait(">[x] season-book.xlsx", "[x] Week 2.xlsx", "Space tick")
        screen.press(" ", "enter")
        screen.wait("Apply 7 changes to 1 file?", "Week 2.xlsx  7 changes")
        screen.press("enter")
        screen.wait("Saved 1 file: 7 changes (run 1).")
    assert book.read_bytes() == SAMPLE.read_bytes()


def test_without_file_names_those_of_the_folder_are_offered(book: Path) -> None:
    copy("notice.txt")
    with Screen([]) as screen:
        screen.wait("no file chosen of 2 in this folder")
        screen.press(*"sort out")
        screen.wait("Needs a file")
        screen.press("enter")
        screen.wait(">[ ] notice.txt", "[ ] season-book.xlsx")
        screen.press("down", " ", "enter")
        screen.wait("Apply 7 changes to 1 file?")


def test_a_preview_that_takes_long_is_ended_and_can_be_asked_for(book: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    text = 'in sheet("Lists")\nsheet.hidden = no\nend'
    scrub.home().library.add(macro(text, title="A slow one"), "slow.scrub")
    code = (
        "import scrub.cli.chooser.previews as p, scrub.cli, sys; p._LONGEST = 0.001;"
        "sys.exit(scrub.cli.run(['choose', 'season-book.xlsx']))"
    )
    with Screen([code], program=(sys.executable, "-c")) as screen:
        screen.wait("Find:")
        screen.press(*"a slow")
        screen.wait("Too long for a preview here. Enter: run it")
        screen.press("enter")
        screen.wait("Apply 1 change to 1 file?")


def test_keys_are_answered_while_a_preview_works_and_another_choice_ends_it(book: Path) -> None:
    text = "n = 0\nwhile n is 0\nn = n * 2\nend"
    scrub.home().library.add(macro(text, title="A slow one"), "slow.scrub")
    with Screen(["season-book.xlsx"]) as screen:
        screen.wait("Find:")
        screen.press(*"a slow")
        screen.wait(">   A slow one")
        pause(1)  # the preview works by then
        worker = workers_of(screen.child)
        screen.press(*(["backspace"] * 6), *"sort out")
        screen.wait("Preview  7 changes")
        assert set(worker) - set(workers_of(screen.child))


def test_a_file_that_changed_since_its_preview_is_not_saved_over(book: Path) -> None:
    with Screen(["season-book.xlsx"]) as screen:
        screen.wait("Find:")
        screen.press(*"sort out", "enter")
        screen.wait("Apply 7 changes")
        other = (DEMO / "supply-list.xlsx").read_bytes()
        book.write_bytes(other)
        screen.press("enter")
        screen.wait("Nothing was saved.")
        assert book.read_bytes() == other


@pytest.mark.parametrize(("columns", "rows"), [(80, 24), (160, 50), (60, 20)])
def test_it_fits_every_size_and_does_without_colour(book: Path, columns: int, rows: int) -> None:
    with Screen(["season-book.xlsx"], columns, rows, {"NO_COLOR": "1"}) as screen:
        screen.wait("Find:", "Enter choose")
        screen.press(*"sort out")
        shown = screen.wait(">   Sort out who pays")
        assert len(shown.splitlines()) == rows
        if columns >= 72:
            screen.wait("Preview  7 changes")
        screen.press("enter")
        screen.wait("Apply 7 changes to 1 file?", "Preview  7 changes")
        looks = {code for codes in re.findall(rb"\x1b\[([\d;]*)m", screen.raw) for code in codes.split(b";")}
        assert looks <= {b"", b"0", b"1", b"2", b"7"}  # plain, bold, dim, reverse
        if rows == 50:
            screen.press("escape")
            screen.press("escape")
            screen.wait("    Bookings")
            row = next(
                number for number, text in enumerate(screen.text.splitlines()) if text.startswith("    Bookings")
            )
            assert screen.looks(row)[5] == "bold"


def test_the_text_of_a_macro_is_shown(book: Path) -> None:
    with Screen(["season-book.xlsx"]) as screen:
        screen.wait("Find:")
        screen.press(*"sort out", "enter")
        screen.wait("Apply 7")
        screen.press("?")
        screen.wait("macro Sort out who pays", "for   workbook")
        screen.press("?")
        screen.wait("Preview  7")


def test_review_and_edit_come_back_to_the_list(book: Path) -> None:
    with Screen(["season-book.xlsx"]) as screen:
        screen.wait("Find:")
        screen.press(*"sort out", "enter")
        screen.wait("Apply 7")
        screen.press("r")
        screen.wait("question 1 of 7")
        screen.press("n", "a")
        screen.wait("Saved season-book.xlsx: 6 changes", "1 refused", "Enter: back to the macros")
        screen.press("enter")
        screen.wait("Find: sort out")


def test_without_a_terminal_the_lists_are_as_before(book: Path, cli: Cli) -> None:
    assert "Usage: scrub" in cli().out
    assert 'No command "season-book.xlsx"' in cli("season-book.xlsx").err
    assert cli("choose", book).code == 2


# -- the process of the previews


def test_a_worker_ends_with_its_standard_input(book: Path) -> None:
    process = subprocess.Popen(
        [sys.executable, "-P", "-m", "scrub.cli.chooser.worker"], stdin=subprocess.PIPE, stdout=subprocess.PIPE
    )
    assert process.stdin is not None
    assert process.stdout is not None
    assert json.loads(process.stdout.readline())["is"] == "ready"
    process.stdin.close()
    assert process.wait(60) == 0


def test_a_macro_with_mistakes_or_a_wrong_file_is_told(home: Path) -> None:
    Path("bad.xlsx").write_text("no")
    with Screen(["bad.xlsx"]) as screen:
        screen.wait("Find:")
        screen.press(*"sort out")
        screen.wait("Left out", "not an office file")
    with Screen(["nowhere.pdx"]) as screen:
        assert screen.end() == 2


# -- changes one by one


def test_changes_are_refused_at_the_terminal_and_the_record_tells_it(book: Path, cli: Cli) -> None:
    with Screen(["run", "sort out", "season-book.xlsx", "--review"]) as screen:
        shown = screen.wait("question 1 of 7", "Larch Hut row 10", 'Note          "late"  ->  nothing   H10')
        assert "Guest         Birch, Hugo" in shown
        assert "Line 16:  record.note = nothing" in shown
        screen.press("y")
        screen.wait("question 2 of 7", "1 accepted, 0 refused, 6 left")
        screen.press("n", "b")
        screen.wait("question 2 of 7", "1 accepted, 0 refused, 6 left")
        screen.press("n")
        screen.wait("question 3 of 7")
        screen.press("a")
        assert screen.end() == 0
        screen.wait("Saved season-book.xlsx: 6 changes on 4 sheets, 1 refused.")
    assert 'refused Larch Hut: H11: "late" -> nothing (line 16)' in cli("changes", "1").out
    scrub.undo(1)
    assert book.read_bytes() == SAMPLE.read_bytes()


def test_many_changes_are_asked_by_the_lines_of_the_macro_first(book: Path) -> None:
    text = 'each sheet where sheet.name ends with "Hut"\neach record in sheet.records(headings: 3)\nrecord.note = "x"\nend\nend'
    scrub.home().library.add(macro(text, title="Note all"), "note.scrub")
    with Screen(["run", "note all", "season-book.xlsx", "--review"]) as screen:
        screen.wait("question 1 of 1", 'Line 5:  record.note = "x"', "y all   n none   o one by one")
        screen.press("o")
        screen.wait("question 1 of", "y yes   n no")
        screen.press("n", "q")
        assert screen.end() == 0
        screen.wait("Nothing was saved.")
    assert book.read_bytes() == SAMPLE.read_bytes()


def test_review_needs_a_terminal_and_goes_with_few_options(book: Path, cli: Cli) -> None:
    assert "needs somebody at a terminal" in cli("run", "sort out", book, "--review").err
    for option in ("--json", "--quiet", "--preview", "--ask"):
        assert cli("run", "sort out", book, "--review", option).code == 2


def test_what_nobody_would_see_is_named(home: Path) -> None:
    copy("house-rules.docx")
    with Screen(["run", "keep num", "house-rules.docx", "--review"]) as screen:
        screen.wait("question 1 of 1", "2{no-break-space}L")
        screen.press("n")
        assert screen.end() == 0
        screen.wait("Nothing was saved in house-rules.docx: 1 change refused.")
