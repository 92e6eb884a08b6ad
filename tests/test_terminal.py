"""What a person at a real terminal is asked, and what their answers do."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import pytest
from conftest import FOR_EVER, SAMPLE, Output, macro
from sheets import load, states
from test_cli import typed

import scrub


@pytest.mark.everything
def test_answers_of_every_sort(book: Path) -> None:
    Path("ask.scrub").write_text(
        macro(
            'hut = ask("Which hut", from: ["Kite Hut", "Tarn Hut"])\nsure = ask("Sure", as: yes-no, default: yes)\n'
            'limit = ask("How many", as: number)\nif sure and limit is 3\nin sheet(hut)\nsheet.hidden = no\nend\nend'
        )
    )
    shown = typed(["run", "ask.scrub", str(book)], ["tarn hut", "", "3"])
    assert "Which hut (Kite Hut, Tarn Hut):" in shown
    assert "Sure (yes or no) [yes]:" in shown
    assert states(book)["Tarn Hut"] == "visible"
    wrong = typed(["run", "ask.scrub", str(book)], ["larch", "k", "maybe", "yes", "many", "3"])
    assert '"hut" is one of: Kite Hut, Tarn Hut; not "larch"' in wrong
    assert 'write yes or no, not "maybe"' in wrong
    assert '"many" is not a number' in wrong
    assert states(book)["Kite Hut"] == "visible"
    gone = typed(["run", "ask.scrub", str(book)], ["x", "y", "z"])
    assert 'not "z"' in gone.splitlines()[-1]


def test_a_script_asks_as_its_macro_does(book: Path, cli: Callable[..., Output]) -> None:
    for title in ("seal", "unseal"):
        Path(f"{title}.py").write_text(cli("show", title, "--as-python").out)
    shown = typed([str(book)], ["larch", "lrach", "larch", "larch"], program=("seal.py",))
    assert "The two passwords do not match." in shown
    assert "10 of 11 sheets sealed." in shown
    assert "larch" not in shown
    assert "Repeat the password" not in typed([str(book)], ["larch"], program=("unseal.py",))
    assert not load(book)["Totals"].protection.sheet


def test_nobody_is_asked_for_a_file_that_is_not_there(book: Path) -> None:
    shown = typed(["run", "seal", "nowhere.xlsx"], ["larch"])
    assert "Password" not in shown
    assert "no such file" in shown


@pytest.mark.everything
def test_a_new_password_is_typed_twice_and_a_known_one_once(book: Path) -> None:
    shown = typed(["run", "seal", str(book)], ["larch", "lrach", "larch", "larch"])
    assert "do not match" in shown
    assert "10 of 11 sheets sealed." in shown
    assert "Repeat the password" not in typed(["run", "unseal", str(book)], ["larch"])


def test_a_file_in_use_is_asked_about(book: Path) -> None:
    Path(".~lock.season-book.xlsx#").write_bytes(b"Ann Moss,")
    stopped = typed(["run", "show every", str(book)], ["stop"])
    assert "another program has it open (Ann Moss)" in stopped
    assert "Wait until it is closed, save the result beside it, or stop?" in stopped
    assert book.read_bytes() == SAMPLE.read_bytes()
    copied = typed(["run", "show every", str(book)], ["copy"])
    assert "Saved season-book (2).xlsx" in copied


def test_a_run_on_very_many_files_is_asked_about_once(home: Path) -> None:
    Path("archive").mkdir()
    names = [Path(f"archive/n{number:03}.txt") for number in range(101)]
    for name in names:
        name.write_text("6  kg\n")
    Path("spaces.scrub").write_text(macro("single-spaces", "document"))
    refused = typed(["run", "spaces.scrub", "archive/**/*.txt"], ["n"])
    assert "101 files: archive/n000.txt, archive/n001.txt, archive/n002.txt ..." in refused
    assert "Run the macro on all of them?" in refused
    assert "Stopped." in refused
    assert all(name.read_text() == "6  kg\n" for name in names)
    assert "Saved 101 of 101 files" in typed(["run", "spaces.scrub", "archive/**/*.txt"], ["y"])
    assert "of them?" not in typed(["run", "spaces.scrub", "archive/**/*.txt", "--except", "n000.txt"], [])
    assert "of them?" not in typed(["run", "spaces.scrub", "archive/**/*.txt", "--no-questions"], [])


def test_what_was_shown_is_saved_when_somebody_says_so(book: Path) -> None:
    """`--ask` runs the macro once: what is saved is what was shown."""
    Path("other.xlsx").write_bytes(SAMPLE.read_bytes())
    Path("broken.xlsx").write_bytes(b"no workbook")
    names = [str(book), "other.xlsx", "broken.xlsx"]
    refused = typed(["run", "show every", *names, "--ask"], ["n"])
    assert "Would change other.xlsx: " in refused
    assert "Failed: 1 of 3 files" in refused
    assert "Save these changes? [y/N]: n\nNothing was saved." in refused
    assert "Preview only" not in refused
    assert scrub.history() == []
    saved = typed(["run", "show every", *names, "--ask"], ["y"])
    before, after = saved.split("Save these changes?")
    assert ("Saved" in before, "Failed" in after) == (False, False)
    assert "Saved other.xlsx: " in after
    assert "Undo: scrub undo 1" in after
    assert set(states(book).values()) == set(states(Path("other.xlsx")).values()) == {"visible"}
    again = typed(["run", "show every", *names, "--ask"], [])
    assert "Nothing to change in 2 files." in again
    assert "Save these changes?" not in again
    scrub.undo()
    assert Path("other.xlsx").read_bytes() == SAMPLE.read_bytes()


def test_asking_needs_somebody_and_all_that_can_be_shown(book: Path, cli: Callable[..., Output]) -> None:
    for more in ("--preview", "--no-questions", "--json", "--step", "--stop", "--jobs=2"):
        option = more.partition("=")[0]
        assert f"--ask does not go with {option}, which" in typed(["run", "show every", str(book), "--ask", more], [])
    code, _, err = cli("run", "show every", str(book), "--ask")
    assert (code, "--ask needs somebody at a terminal" in err) == (2, True)
    assert book.read_bytes() == SAMPLE.read_bytes()


def test_the_first_use_of_files_is_asked_about(book: Path) -> None:
    Path("copy.scrub").write_text(macro('save-copy to: "sent"'))
    refused = typed(["run", "copy.scrub", str(book)], ["n"])
    assert '"Test" saves copies of files.\nAllow this?' in refused
    assert "needs your approval" in refused
    assert not Path("sent").exists()
    assert "Created sent/season-book.xlsx" in typed(["run", "copy.scrub", str(book)], ["y"])
    again = typed(["run", "copy.scrub", str(book)], [])
    assert "Allow this?" not in again
    assert Path("sent/season-book (2).xlsx").exists()
    Path("other.scrub").write_text(macro('save-copy to: "other"'))
    read = typed(["approve", "other.scrub"], ["n"])
    assert 'save-copy to: "other"' in read
    assert "Not approved." in read


def test_stepping_at_the_terminal(book: Path) -> None:
    shown = typed(["run", "show every", str(book), "--step"], ["what", "", "n", "over", "e"])
    assert shown.count("Enter = next") == 2
    assert "Show every hidden sheet, line 6  (season-book.xlsx)" in shown
    assert "(shown = 0)" in shown
    assert "Saved season-book.xlsx: 4 changes" in shown


def test_the_prompt_completes_and_keeps(book: Path) -> None:
    shown = typed_keys(["try", str(book)], ['in sheet("Lists")\r', "sheet.hid", "\t", " = no\r", "steps\r", "leave\r"])
    assert "hidden: yes -> no" in shown


def typed_keys(words: list[str], keys: list[str]) -> str:
    """Types keys at a prompt that edits its own line; gives all that was shown."""
    import contextlib
    import os
    import pty
    import select
    import signal
    import sys
    import time

    child, handle = pty.fork()
    if child == 0:
        os.environ["TERM"] = "xterm"
        os.execv(sys.executable, [sys.executable, "-m", "scrub", *words])
    shown, waiting, end, quiet = b"", list(keys), time.monotonic() + FOR_EVER, time.monotonic()
    while time.monotonic() < end:
        if select.select([handle], [], [], 0.1)[0]:
            try:
                data = os.read(handle, 4096)
            except OSError:
                break
            shown += data
            quiet = time.monotonic()
            if b"\x1b[6n" in data:
                os.write(handle, b"\x1b[1;1R")  # where the cursor is, as a terminal answers
        elif waiting and time.monotonic() - quiet > 0.6:
            os.write(handle, waiting.pop(0).encode())
            quiet = time.monotonic()
    with contextlib.suppress(ProcessLookupError):
        os.kill(child, signal.SIGTERM)
    os.waitpid(child, 0)
    return shown.decode("utf-8", "replace")


@pytest.mark.parametrize("value", ["0", "many"])
def test_settings_take_only_what_makes_sense(value: str) -> None:
    assert f'"keep-undo" is a number of days, not "{value}"' in typed(["settings", "keep-undo", value], [])
