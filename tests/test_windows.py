"""The store, the crash points, the locks, the library and the command line where files behave as on Windows."""

from __future__ import annotations

import gc
import ntpath
import os
import shutil
from collections.abc import Callable, Iterator
from pathlib import Path
from types import SimpleNamespace
from typing import Any

import pytest
import test_crash
import test_crash_databases
import test_folders_and_undo
import test_library
import test_store
from conftest import EVERYTHING, Output, macro
from mails import a_message, mbox
from windows import crlf, windows

import scrub
from scrub.model.core import files
from scrub.store import inuse, locks
from scrub.store.disk import Disk
from scrub.store.errors import InUse
from scrub.store.windows_names import windows_fault

DEMO = Path(scrub.__file__).parent / "demo"


@pytest.fixture(autouse=True)
def on_windows(home: Path) -> Iterator[None]:
    with windows():
        yield


def _tests_of(module: Any, *without: str) -> dict[str, Any]:
    return {
        name: value
        for name, value in vars(module).items()
        if (name.startswith("test_") or hasattr(value, "_fixture_function") or hasattr(value, "_pytestfixturefunction"))
        and callable(value)
        and name not in without
    }


#: What cannot be so there: a process that is killed is another one, and this one's system; modes of files are not there.
globals().update(_tests_of(test_crash, "test_a_killed_process_leaves_old_or_new"))
if EVERYTHING:
    globals().update(_tests_of(test_crash_databases))
    globals().update(_tests_of(test_store, "test_temporaries_have_names_that_nobody_guesses_and_are_private"))
    #: Two names of that test differ in their case alone.
    globals().update(_tests_of(test_library, "test_files_move_only_when_approved_and_come_back"))
    globals().update(_tests_of(test_folders_and_undo))


@pytest.mark.parametrize("late", [False, True])
def test_a_file_that_a_program_has_open_stays_and_so_do_the_others(
    cli: Callable[..., Output], monkeypatch: pytest.MonkeyPatch, late: bool
) -> None:
    """It may be opened after the look at it, too: then what was put in place already is turned back."""
    for name in ("a.mbox", "z.mbox"):
        mbox(Path(name), a_message(1))
    gc.collect()  # the library that wrote them leaves them open
    before = {name: Path(name).read_bytes() for name in ("a.mbox", "z.mbox")}
    Path("m.scrub").write_text(macro('each message\nmove to: "z.mbox"\nend', "mailbox"))
    assert cli("approve", "m.scrub", "--yes").code == 0
    with monkeypatch.context() as patched, Path("z.mbox").open("rb"):
        if not late:
            patched.setattr(inuse, "_locked", lambda path: path.endswith("z.mbox"))
        told = cli("run", "m.scrub", "a.mbox")
        assert told.code == 3
        assert "z.mbox: another program has" in " ".join((told.err + told.out).split())
    assert {name: Path(name).read_bytes() for name in before} == before
    assert sorted(os.listdir()) == ["a.mbox", "m.scrub", "z.mbox"]
    assert scrub.recover() == []
    assert cli("run", "m.scrub", "a.mbox").code == 0
    assert Path("z.mbox").read_bytes().count(b"\nFrom: Ann") == 2
    assert cli("undo").code == 0
    assert {name: Path(name).read_bytes() for name in before} == before


def test_two_runs_do_not_write_to_one_file_at_once(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(locks, "_PATIENCE", 0.05)
    Path("a.csv").write_text("x")
    path = os.path.abspath("a.csv")
    with locks.locked(Disk(), [path]) as held:
        assert held == {}  # an open file could not be replaced
        with pytest.raises(InUse) as refused, locks.locked(Disk(), [path]):
            pass
        assert "another run is using it" in refused.value.what
    with locks.locked(Disk(), [path]):
        pass


@pytest.mark.parametrize(
    ("name", "why"),
    [
        ("Larch: a hut.csv", '":" in a file name'),
        ("Why?.csv", '"?" in a file name'),
        ("con.csv", 'the file name "con.csv" (a device)'),
        ("Larch./a.csv", "a file name that ends with a point or a space"),
    ],
)
def test_names_that_windows_does_not_take_are_refused_before_anything_is_saved(
    cli: Callable[..., Output], name: str, why: str
) -> None:
    Path("a.csv").write_text("Hut\nLarch  Hut\n")
    Path("m.scrub").write_text(macro("single-spaces"))
    told = cli("run", "m.scrub", "a.csv", "--into", name)
    assert told.code == 1
    assert f"Windows does not allow {why}" in told.err + told.out
    assert Path("a.csv").read_text() == "Hut\nLarch  Hut\n"
    assert sorted(os.listdir()) == ["a.csv", "m.scrub"]


@pytest.mark.parametrize(
    ("path", "fine"),
    [
        ("C:\\Users\\ada\\season.xlsx", True),
        ("\\\\server\\share\\huts\\season.xlsx", True),
        ("\\\\?\\C:\\huts\\season.xlsx", True),
        ("C:/huts/console.xlsx", True),
        ("..\\huts\\a.b.c", True),
        ("C:\\huts\\season.xlsx:hidden", False),
        ("huts\\lpt1.txt", False),
        ("huts\\aux", False),
        ("huts\\Nul .csv", False),
        ("huts \\a.csv", False),
        ("a|b", False),
        ("tab\there.csv", False),
    ],
)
def test_drives_shares_and_devices_are_told_from_names(path: str, fine: bool) -> None:
    assert (windows_fault(path) == "") is fine


@pytest.mark.parametrize(
    "path",
    [
        "C:evil.csv",
        "C:\\evil.csv",
        "\\\\server\\share\\evil.csv",
        "..\\evil.csv",
        "a\\..\\..\\evil.csv",
        "//server/share/x",
        "~\\x",
    ],
)
def test_what_comes_from_data_leads_nowhere_by_a_drive_or_a_share(monkeypatch: pytest.MonkeyPatch, path: str) -> None:
    monkeypatch.setattr(files, "os", SimpleNamespace(path=ntpath, sep="\\"))
    with pytest.raises(scrub.Failure, match="leads to another folder"):
        files.placed("C:\\huts", files.FromData(path))
    assert files.placed("C:\\huts", files.FromData("2026/a.csv")) == "C:\\huts\\2026\\a.csv"
    assert files.placed("C:\\huts", "D:\\own.csv") == "D:\\own.csv"


def test_texts_with_the_line_ends_of_windows(cli: Callable[..., Output]) -> None:
    shutil.copy(DEMO / "bookings.csv", "bookings.csv")
    Path("m.scrub").write_text(macro("single-spaces"))
    crlf(Path("m.scrub"))
    crlf(Path("bookings.csv"))
    before = Path("bookings.csv").read_bytes()
    assert cli("check", "m.scrub").code == 0
    assert cli("add", "m.scrub").code == 0
    done = cli("run", "Test", "bookings.csv")
    assert done.code == 0, done.err
    after = Path("bookings.csv").read_bytes()
    assert after != before
    assert after.count(b"\r\n") == after.count(b"\n") == before.count(b"\n")
    assert cli("undo").code == 0
    assert Path("bookings.csv").read_bytes() == before
