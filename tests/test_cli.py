"""The commands, as a person at the terminal meets them."""

from __future__ import annotations

import contextlib
import json
import os
import pty
import select
import signal
import subprocess
import sys
import time
from collections.abc import Callable
from pathlib import Path

import pytest
from conftest import FOR_EVER, SAMPLE, Output
from sheets import load, states

import scrub

Cli = Callable[..., Output]


def test_the_first_five_minutes(cli: Cli, monkeypatch: pytest.MonkeyPatch) -> None:
    shown = cli("demo", "huts")
    assert shown.code == 0
    assert "Saved huts/season-book.xlsx: 4 changes on 4 sheets." in shown.out
    os.chdir("huts")
    assert set(states("season-book.xlsx").values()) == {"visible"}
    assert "  2   Kite Hut" in cli("inside", "season-book.xlsx").out
    listed = cli("macros").out
    assert "  Ready for the wardens" in listed
    assert "scrub add FILE" in listed
    text = cli("show", "seal").out
    assert "Asks for: the password sheet-code" in text
    assert "It changes the files you name. You can undo it." in text
    assert "    protect password: code, allow: [sort, filter]" in text
    monkeypatch.setenv("SCRUB_SECRET_SHEET_CODE", "larch")
    before = Path("season-book.xlsx").read_bytes()
    preview = cli("run", "seal", "season-book.xlsx", "--preview")
    assert preview.out == (
        "season-book.xlsx\n"
        + "".join(f"  {hut:<10}  protected\n" for hut in [f"{n} Hut" for n in ("Larch", "Kite", "Sorrel", "Gannet", "Rowan", "Tarn", "Scree", "Col")] + ["Totals", "Lists"])
        + "10 of 11 sheets sealed.\n"
        "Would change season-book.xlsx: 10 changes on 10 sheets.\n"
        "Preview only; nothing was saved. To apply: scrub run seal season-book.xlsx\n"
    )  # fmt: skip
    assert Path("season-book.xlsx").read_bytes() == before
    real = cli("run", "seal", "season-book.xlsx")
    assert real.out.splitlines()[:12] == preview.out.splitlines()[:12]
    assert (
        "Saved season-book.xlsx: 10 changes on 10 sheets.\nDetails: scrub changes 2    Undo: scrub undo 2\n" in real.out
    )
    assert load("season-book.xlsx")["Larch Hut"].protection.sheet
    assert "Larch Hut   protected" in cli("changes").out
    assert cli("changes", 1).out.startswith("Run 1: Show every hidden sheet, 2")
    assert "log: showed Kite Hut" in cli("changes", 1).out
    history = cli("history").out.splitlines()
    assert history[0].startswith("2  20")
    assert history[1].endswith("Show every hidden sheet  4 changes   season-book.xlsx")
    assert cli("undo").out == "Undone: run 2 (season-book.xlsx).\nRedo: scrub undo 2 --redo\n"
    assert Path("season-book.xlsx").read_bytes() == before
    assert "undone" in cli("history").out
    assert cli("undo", "--redo").out == "Redone: run 2 (season-book.xlsx).\nUndo: scrub undo 2\n"
    assert cli("run", "unseal", "season-book.xlsx").code == 0
    assert Path("season-book.xlsx").read_bytes() == before
    assert "Nothing to change in season-book.xlsx." in cli("run", "unseal", "season-book.xlsx").out


def test_json_is_for_machines(cli: Cli, book: Path) -> None:
    file, run = map(json.loads, cli("run", "show every", book, "--json").out.splitlines())
    assert run["run"] == 1
    assert file["state"] == "changed"
    assert file["changes"][0] == {"place": "Kite Hut", "what": "hidden", "before": "yes", "after": "no"}
    assert file["log"][0] == "showed Kite Hut"
    assert json.loads(cli("changes", "--json").out)["files"][0]["changes"] == file["changes"]
    assert json.loads(cli("history", "--json").out)[0]["title"] == "Show every hidden sheet"
    assert json.loads(cli("catalog", "protect", "--json").out)[0]["written"] == "protect"
    assert json.loads(cli("macros", "--json").out)[0]["example"] is True


def test_own_macros_are_kept_found_and_mended(cli: Cli, book: Path, home: Path) -> None:
    Path("mine.scrub").write_text("macro Show the huts\nfor workbook\ngroup Huts\neach sheet\nsheet.hiden = no\nend\n")
    draft = cli("add", "mine.scrub")
    assert draft.code == 2
    assert 'no field "hiden"' in draft.err
    assert "Saved as a draft, with 1 error" in draft.err
    assert "Drafts to fix\n  Show the huts" in cli("macros").out
    assert cli("run", "show the huts", book).code == 2
    assert "It cannot run yet: 1 error" in cli("show", "show the huts").out
    Path("mine.scrub").write_text("macro Show the huts\nfor workbook\ngroup Huts\neach sheet\nsheet.hidden = no\nend\n")
    added = cli("add", "mine.scrub")
    assert added.code == 0
    assert added.out.startswith('Added "Show the huts": ')
    assert "Drafts to fix" not in cli("macros").out
    assert cli("macros").out.startswith("Huts\n  Show the huts")
    assert (home / "library" / "Show the huts.scrub").read_text() == Path("mine.scrub").read_text()
    assert cli("add", "mine.scrub").code == 0
    Path("mine.scrub").write_text("macro SHOW the huts\nfor workbook\n")
    assert 'mine.scrub would replace your macro "Show the huts"' in cli("add", "mine.scrub").err
    assert cli("run", "huts", book).code == 0
    assert "Show the huts" in cli("macros", "hidden", "= no").out
    assert cli("macros", "zebra").code == 1
    assert cli("check", "show the huts", "seal").out == "No errors in show the huts.\nNo errors in seal.\n"


def test_odd_titles_and_a_broken_library(cli: Cli, home: Path) -> None:
    Path("a.scrub").write_text("macro In/Out: the " + "long " * 60 + 'list?\nfor workbook\nsay "a"\n')
    assert cli("add", "a.scrub").code == 0
    (name,) = (path.name for path in (home / "library").iterdir())
    assert name.startswith("In-Out- the long")
    assert cli("show", "in/out").code == 0
    (home / "library" / "broken.scrub").write_bytes(b"\xff\xfe\xff")
    assert "cannot be read" in cli("macros").out


@pytest.mark.parametrize(
    ("words", "first"),
    [
        ("protect", "protect"), ("lock cells", "protect"), ("unhide", "sheet.hidden"), ("double spaces", "single-spaces"),
        ("accents", ".without-accents"), ("tab colour", "sheet.tab-colour"), ("sheets", "sheet"), ("text to number", "read-numbers"),
    ],
)  # fmt: skip
def test_the_catalog_is_searched_in_everyday_words(cli: Cli, words: str, first: str) -> None:
    assert cli("catalog", *words.split()).out.split()[0] == first


def test_the_catalog_says_what_it_lacks(cli: Cli) -> None:
    assert cli("catalog", "zebra").code == 1
    assert "sheet.hidden  (field of a sheet, yes or no)" in cli("catalog").out


def test_names_from_standard_input_and_patterns(book: Path) -> None:
    for name in ("one.xlsx", "two [x].xlsx"):
        Path(name).write_bytes(SAMPLE.read_bytes())
    scrub = [sys.executable, "-m", "scrub"]
    done = subprocess.run(
        [*scrub, "run", "show every", "-"],
        input="one.xlsx\n\ntwo [x].xlsx\n",
        text=True,
        capture_output=True,
        check=False,
    )
    assert done.returncode == 0, done.stderr
    assert "Saved two [x].xlsx: 4 changes" in done.stdout
    again = subprocess.run([*scrub, "run", "show every", "*.xlsx"], text=True, capture_output=True, check=False)
    assert "Nothing to change in 2 files." in again.stdout


def test_many_files_get_short_lists_and_one_summary(cli: Cli) -> None:
    for number in range(5):
        Path(f"book{number}.xlsx").write_bytes(SAMPLE.read_bytes())
    found = cli("run", "ready", *(f"book{number}.xlsx" for number in range(5)), "book1.xlsx").out
    assert found.count("\nbook") + found.startswith("book") == 5
    assert "Saved 5 files: 10 changes." in found


def typed(words: list[str], lines: list[str], program: tuple[str, ...] = ("-m", "scrub")) -> str:
    """Runs a command at a real terminal, types lines when it asks, and gives all that was shown."""
    child, handle = pty.fork()
    if child == 0:
        os.execv(sys.executable, [sys.executable, *program, *words])
    shown, answered = b"", 0
    waiting = list(lines)
    end = time.monotonic() + FOR_EVER
    while time.monotonic() < end:
        if select.select([handle], [], [], 0.1)[0]:
            try:
                data = os.read(handle, 4096)
            except OSError:
                break
            if not data:
                break
            shown += data
        elif shown[answered:].rstrip().endswith((b":", b"?", b"]")):
            if not waiting:
                break
            answered = len(shown)
            os.write(handle, waiting.pop(0).encode() + b"\n")
    with contextlib.suppress(ProcessLookupError):
        os.kill(child, signal.SIGTERM)  # one that still waits for an answer would wait for ever
    os.waitpid(child, 0)
    return shown.decode().replace("\r\n", "\n")


def test_a_person_at_a_terminal_is_asked(book: Path) -> None:
    shown = typed(["run", "seal", str(book)], ["larch 7", "larch 7"])
    assert "Password (sheet-code):" in shown
    assert "larch 7" not in shown
    assert "10 of 11 sheets sealed." in shown
    assert load(book)["Totals"].protection.sheet
    Path("ask.scrub").write_text(
        'macro Ask\nfor workbook\nwho = ask("Which sheet", default: "Lists")\nin sheet(who)\nsheet.hidden = no\nend\n'
    )
    assert "Lists" in typed(["run", "ask.scrub", str(book)], [""])
    assert states(book)["Lists"] == "visible"


def test_a_bar_is_shown_for_what_takes_long(book: Path) -> None:
    Path("other.xlsx").write_bytes(SAMPLE.read_bytes())
    scrub.home().settings.set("bar-after", "0")
    assert " of 2 " in typed(["run", "show every", str(book), "other.xlsx"], [])
    scrub.home().settings.set("bar-after", str(10 * FOR_EVER))
    assert " of 2 " not in typed(["run", "ready", str(book), "other.xlsx"], [])


def test_no_colour_unless_a_terminal_wants_it(book: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    assert "\x1b[" in typed(["macros"], [])
    monkeypatch.setenv("NO_COLOR", "1")
    assert "\x1b[" not in typed(["macros"], [])


def test_changes_become_a_table(cli: Cli) -> None:
    import csv

    import xlsxwriter

    made = xlsxwriter.Workbook("odd.xlsx")
    made.add_worksheet("First")
    made.add_worksheet("=1+1").hide()
    made.close()
    cli("run", "show every", "odd.xlsx")
    assert cli("changes", "--to", "table.csv").out == "1 change in table.csv\n"
    with open("table.csv", encoding="utf-8-sig", newline="") as stream:
        rows = list(csv.reader(stream))
    assert rows[0] == ["run", "title", "file", "place", "what", "before", "after"]
    assert rows[1][3:] == ["'=1+1", "hidden", "yes", "no"]
    assert "does not overwrite it" in cli("changes", "--to", "table.csv").err
    assert cli("changes", "--to", "no/such/folder.csv").code == 1


def test_a_file_in_a_folder_is_no_macro(cli: Cli) -> None:
    os.mkdir("sub")
    Path("sub/book.xlsx").write_bytes(SAMPLE.read_bytes())
    assert "The macro comes first, then the file" in cli("run", "sub/book.xlsx", "seal").err
    Path("sub/plain.txt").write_text("macro Plain\nfor workbook\neach sheet\nsheet.hidden = no\nend\n")
    assert cli("run", "sub/plain.txt", "sub/book.xlsx").code == 0
