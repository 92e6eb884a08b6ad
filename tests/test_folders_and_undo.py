"""Folders with files that cannot be opened, files that come in a folder, and undo after a run that changed nothing."""

from __future__ import annotations

import os
import subprocess
import sys
from collections.abc import Callable
from pathlib import Path

import openpyxl
import pytest
from conftest import Output, macro
from mails import Approving

import scrub

Cli = Callable[..., Output]


@pytest.fixture
def folder(home: Path) -> Path:
    found = Path("huts")
    found.mkdir()
    for name in ("alder", "birch", "larch"):
        book = openpyxl.Workbook()
        assert book.active is not None
        book.active["A1"] = f"{name}  hut"
        book.save(found / f"{name}.xlsx")
    (found / "broken.xlsx").write_bytes(b"this is no workbook")
    (found / "cut.xlsx").write_bytes((found / "alder.xlsx").read_bytes()[:900])
    (found / "sealed.xlsx").write_bytes(bytes.fromhex("d0cf11e0a1b11ae1") + bytes(600))
    return found


BODY = "each workbook\nattempt\nsingle-spaces\nif it fails\nend\nend"


def test_files_that_cannot_be_opened_are_left_and_named(folder: Path) -> None:
    for preview in (True, False):
        found = scrub.run(macro(BODY, "folder"), [str(folder)], preview=preview, host=Approving()).files[0]
        assert found.problem is None, str(found.problem)
        assert found.left == 3
        for name in ("broken.xlsx", "cut.xlsx", "sealed.xlsx"):
            assert any(each.startswith("skipped ") and name in each for each in found.log), found.log
    for name in ("alder", "birch", "larch"):
        assert openpyxl.load_workbook(folder / f"{name}.xlsx").active["A1"].value == f"{name} hut"  # type: ignore[index]
    assert (folder / "broken.xlsx").read_bytes() == b"this is no workbook"


def test_without_an_attempt_a_broken_file_stops_the_run(folder: Path) -> None:
    before = {each.name: each.read_bytes() for each in folder.iterdir()}
    found = scrub.run(macro("each workbook\nsingle-spaces\nend", "folder"), [str(folder)], host=Approving()).files[0]
    assert "broken.xlsx" in str(found.problem)
    assert {each.name: each.read_bytes() for each in folder.iterdir()} == before


def test_files_that_come_in_a_folder_are_named(folder: Path, cli: Cli) -> None:
    for name in ("broken", "cut", "sealed"):
        (folder / f"{name}.xlsx").unlink()
    body = 'each workbook where workbook.name is "birch.xlsx"\nsave-copy to: "copies", name: "birch copy"\nend\neach file where file.name starts with "alder"\nrename to: "ash.xlsx"\nend\nlist = new-file("list.csv")\nin list.sheet("list")\ncell("A1").value = 1\nend'
    Path("m.scrub").write_text(macro(body, "folder"))
    preview = scrub.run("m.scrub", ["huts"], preview=True, host=Approving()).files[0]
    made = scrub.run("m.scrub", ["huts"], host=Approving()).files[0]
    assert made.problem is None, str(made.problem)
    names = [os.path.relpath(each, "huts") for each in made.made]
    assert sorted(names) == ["../list.csv", "copies/birch copy.xlsx"]
    assert preview.made == made.made
    assert all((folder / each).is_file() for each in names)
    scrub.undo()
    told = cli("changes")
    assert "list.csv" in told.out


# -- undo


def test_undo_after_a_run_that_changed_nothing_says_so(book: Path, cli: Cli) -> None:
    before = book.read_bytes()
    cli("run", "show every hidden", str(book))
    after = book.read_bytes()
    assert after != before
    cli("run", "show every hidden", str(book))
    undone = cli("undo")
    assert undone.code == 2
    assert 'Run 2, "Show every hidden sheet", changed nothing' in undone.err
    assert "scrub undo 1" in undone.err
    assert book.read_bytes() == after
    assert cli("undo", "1").code == 0
    assert book.read_bytes() == before
    assert cli("undo").code == 2


def test_undo_after_a_run_that_failed_says_so(book: Path, cli: Cli) -> None:
    cli("run", "show every hidden", str(book))
    after = book.read_bytes()
    scrub.run(macro('log "x"\nfail "no"'), [str(book)])
    with pytest.raises(scrub.BadCall, match="changed nothing"):
        scrub.undo()
    assert book.read_bytes() == after


def test_who_waits_for_another_run_is_told(book: Path, home: Path) -> None:
    """The lock of the library is held by another process until this one was told to wait."""
    (home / "runs").mkdir(parents=True, exist_ok=True)
    code = "import fcntl, sys\nlock = open(sys.argv[1], 'ab')\nfcntl.flock(lock, fcntl.LOCK_EX)\nprint('held', flush=True)\nsys.stdin.readline()\n"
    holder = subprocess.Popen(
        [sys.executable, "-c", code, str(home / "lock")], stdin=subprocess.PIPE, stdout=subprocess.PIPE, text=True
    )
    assert holder.stdout is not None
    assert holder.stdin is not None
    assert holder.stdout.readline() == "held\n"
    runs = subprocess.Popen(
        [sys.executable, "-m", "scrub", "run", "show every hidden", str(book)],
        stdout=subprocess.PIPE,
        stderr=subprocess.PIPE,
        text=True,
    )
    assert runs.stderr is not None
    assert runs.stderr.readline() == "Another run of Scrub is busy here; waiting for it. To stop waiting: Ctrl+C\n"
    assert runs.poll() is None
    holder.stdin.write("\n")
    holder.stdin.flush()
    out, err = runs.communicate()
    assert runs.returncode == 0, err
    holder.wait()
    assert "Saved" in out
