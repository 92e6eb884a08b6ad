"""A watched folder: each file once, none lost, whatever happens."""

from __future__ import annotations

import contextlib
import os
import random
import shutil
import signal
import subprocess
import sys
import threading
from collections.abc import Callable, Iterator
from pathlib import Path

import pytest
from conftest import EVERYTHING, SAMPLE, Output, macro
from screens import pause, until

import scrub
from scrub import watching
from scrub.touch.arrivals import Arrivals, is_closed

Cli = Callable[..., Output]
SPACES = macro("single-spaces", "document", "Single spaces")


@pytest.fixture
def inbox(home: Path) -> Path:
    folder = Path("Inbox").resolve()
    folder.mkdir()
    scrub.home().library.add(SPACES, "spaces.scrub")
    return folder


@contextlib.contextmanager
def watched(folder: Path, title: str = "Single spaces", **options: object) -> Iterator[watching.WatchedFolder]:
    found = watching.WatchedFolder(scrub.home(), str(folder), title, **options)  # type: ignore[arg-type]
    try:
        yield found
    finally:
        found.close()


def taken(folder: watching.WatchedFolder) -> list[tuple[str, str]]:
    return [(each.what, each.name) for each in folder.look()]


def test_a_file_is_done_once_by_its_contents(inbox: Path) -> None:
    (inbox / "one.txt").write_text("6  kg\n")
    with watched(inbox) as folder:
        assert taken(folder) == [("done", "one.txt")]
        assert (inbox / "Done" / "one.txt").read_text() == "6 kg\n"
        assert (inbox / "Done" / "originals" / "one.txt").read_text() == "6  kg\n"
        (inbox / "two.txt").write_text("6  kg\n")
        assert [(each.what, each.name, each.text) for each in folder.look()] == [("same", "two.txt", "one.txt")]
        (inbox / "one.txt").write_text("7  kg\n")  # another file of the same name
        assert taken(folder) == [("done", "one.txt")]
        assert (inbox / "Done" / "one (2).txt").read_text() == "7 kg\n"
    with watched(inbox) as folder:  # the next day
        (inbox / "three.txt").write_text("6  kg\n")
        assert taken(folder) == [("same", "three.txt")]
    assert sorted(each.name for each in inbox.iterdir()) == ["Done"]
    scrub.home().library.replace(scrub.home().library.find("Single spaces"), SPACES + "upper\n")
    with watched(inbox) as folder:  # another text: it is other work
        (inbox / "four.txt").write_text("6  kg\n")
        assert taken(folder) == [("done", "four.txt")]
    scrub.undo()
    assert not (inbox / "Done" / "four.txt").exists()


def test_what_fails_is_put_aside_with_its_reason(inbox: Path) -> None:
    (inbox / "bad.docx").write_text("no document")
    (inbox / "book.xlsx").write_bytes(SAMPLE.read_bytes())
    with watched(inbox) as folder:
        assert taken(folder) == [("failed", "bad.docx"), ("left", "book.xlsx")]
        assert taken(folder) == []
        assert (inbox / "Done" / "failed" / "bad.docx").read_text() == "no document"
        assert "not an office file" in (inbox / "Done" / "failed" / "bad.docx.reason.txt").read_text()
        (inbox / "bad.docx").write_text("no document")  # somebody tries again
        assert taken(folder) == [("failed", "bad.docx")]
    assert (inbox / "book.xlsx").exists()


def test_only_whole_files_are_taken(inbox: Path) -> None:
    for name in (".hidden.txt", "~lock.txt", "a.txt.part", "b.tmp", ".~lock.c.txt#"):
        (inbox / name).write_text("6  kg\n")
    Path("elsewhere.txt").write_text("6  kg\n")
    (inbox / "link.txt").symlink_to(Path("elsewhere.txt").resolve())
    (inbox / "empty.txt").write_text("")
    os.mkfifo(inbox / "pipe.txt")
    with watched(inbox) as folder:
        assert taken(folder) == []
        with (inbox / "slow.txt").open("w") as stream:
            stream.write("6  ")
            stream.flush()
            assert taken(folder) == []
            stream.write(" kg\n")
            stream.flush()
            assert taken(folder) == []
        if is_closed(str(inbox / "slow.txt")) is None:
            pause(1.2)
            taken(folder)
            pause(1.2)
        assert taken(folder) == [("done", "slow.txt")]
        assert (inbox / "Done" / "slow.txt").read_text() == "6 kg\n"


def test_where_nobody_tells_who_writes_a_file_has_to_be_still(inbox: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("scrub.touch.arrivals.is_closed", lambda path: None)
    now = [100.0]
    monkeypatch.setattr("scrub.touch.arrivals.time.monotonic", lambda: now[0])
    arrivals = Arrivals(str(inbox))
    (inbox / "one.txt").write_text("6")
    assert list(arrivals.whole()) == []
    now[0] += 0.9
    assert list(arrivals.whole()) == []
    (inbox / "one.txt").write_text("6 k")
    now[0] += 0.9
    assert list(arrivals.whole()) == []
    now[0] += 1.1
    assert list(arrivals.whole()) == [str(inbox / "one.txt")]


@pytest.mark.parametrize(
    "name", ["with blanks.txt", "quo'te \"s.txt", "new\nline.txt", "50%F;x.txt", "$(touch owned).txt", "-rf.txt"]
)
def test_names_pass_unharmed(inbox: Path, name: str) -> None:
    (inbox / name).write_text("6  kg\n")
    with watched(inbox) as folder:
        assert taken(folder) == [("done", name)]
    assert (inbox / "Done" / name).read_text() == "6 kg\n"
    assert (inbox / "Done" / "originals" / name).exists()
    assert not Path("owned").exists()


def test_what_needs_a_person_is_refused_at_the_start(inbox: Path, cli: Cli) -> None:
    with watched(inbox):
        again = cli("watch", inbox, "single spaces")
        assert (again.code, again.err.strip()) == (3, "This folder is watched already")
    for title, told in (
        ("seal every", "scrub secret set sheet-code"),
        ("pass it on and send", "nobody is there to answer. Add: --with who=..."),
        ("one pdf", "works on all files together"),
        ("pass it on and send --with who=ben@birch.example", "sends messages"),
        ("a letter", "needs your approval"),
    ):
        words, *given = title.split(" --with ")
        shown = cli("watch", inbox, words, "--for", "0s", *(word for each in given for word in ("--with", each)))
        assert (shown.code, told in shown.err) == (3, True), shown.err
    assert cli("watch", "nowhere", "single spaces").code == 2
    assert cli("watch", inbox, "single spaces", "--into", inbox).code == 2
    assert cli("watch", inbox, "single spaces", "--for", "soon").code == 2


def test_the_command_says_what_it_does_and_history_folds_its_runs(inbox: Path, cli: Cli) -> None:
    for number in range(4):
        (inbox / f"n{number}.txt").write_text(f"{number}  kg\n")
    shown = cli("watch", inbox, "single spaces", "--into", "Out", "--for", "0s")
    assert shown.code == 0
    lines = [line.partition(" ")[2] for line in shown.out.splitlines()]
    assert lines[0] == f'watching {inbox} with "Single spaces". Stop: Ctrl+C'
    assert lines[1:] == [*(f"done n{n}.txt: 1 change (run {n + 1})" for n in range(4)), "stopped: 4 done, 0 failed"]
    assert Path("Out/n3.txt").read_text() == "3 kg\n"
    listed = cli("history").out
    assert "1-4" in listed
    assert "Watched Inbox: 4 files" in listed
    scrub.run("Single spaces", ["Out/n1.txt"])
    (inbox / "more.txt").write_text("9  kg\n")
    cli("watch", inbox, "single spaces", "--into", "Out", "--for", "0s")
    rows = [line.split()[0] for line in cli("history").out.splitlines() if line[:1].isdigit()]
    assert rows == ["6", "5", "1-4"]


def test_a_unit_quotes_what_systemd_reads(inbox: Path, cli: Cli) -> None:
    odd = Path('In "50%" $HOME\\x').resolve()
    odd.mkdir()
    unit = cli("watch", odd, "single spaces", "--unit").out
    assert 'In \\"50%%\\" $$HOME\\\\x' in unit
    assert not (odd / "Done" / "originals" / "x").exists()
    if shutil.which("systemd-analyze"):
        Path("scrub-watch.service").write_text(unit)
        checked = subprocess.run(
            ["systemd-analyze", "verify", "--user", "--man=no", "scrub-watch.service"], capture_output=True, text=True
        )
        assert "ExecStart" not in checked.stderr


def test_a_crash_between_two_steps_does_nothing_twice(inbox: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """Killed after the result was saved, and before that was noted; and before it was saved."""

    class Killed(BaseException):
        pass

    def killed(*_: object) -> None:
        raise Killed

    (inbox / "one.txt").write_text("6  kg\n")
    with monkeypatch.context() as patch, watched(inbox) as folder:
        patch.setattr("scrub.touch.arrivals.Journal.end", killed)
        with pytest.raises(Killed):
            list(folder.look())
    assert (inbox / "Done" / "one.txt").exists()
    with watched(inbox) as folder:
        assert [each.what for each in folder.resume()] == ["done"]
        assert taken(folder) == [("same", "one.txt")]
    assert len(scrub.history()) == 1
    (inbox / "two.txt").write_text("7  kg\n")
    with monkeypatch.context() as patch, watched(inbox) as folder:
        patch.setattr("scrub.runner.holding.Held.commit", killed)
        with pytest.raises(Killed):
            list(folder.look())
    with watched(inbox) as folder:
        assert list(folder.resume()) == []
        assert taken(folder) == [("done", "two.txt")]
    assert len(scrub.history()) == 2


def test_many_files_copies_slow_writers_and_kills(inbox: Path, home: Path) -> None:
    """Files come while the watching process is killed again and again: each is done once, and none is lost."""
    count, kills = (400, 8) if EVERYTHING else (60, 3)
    chance = random.Random(7)
    words = [sys.executable, "-m", "scrub", "watch", str(inbox), "single spaces", "--into", "Out"]
    log = Path("log.txt").open("wb")  # noqa: SIM115 - several processes write into it
    finished = threading.Event()

    def write() -> None:
        for number in range(count):
            with (inbox / f"n{number:04}.txt").open("w") as stream:
                stream.write(f"{number}  ")
                if number % 20 == 0:
                    stream.flush()
                    pause(0.5)
                stream.write(" kg\n")
            if number % 10 == 0:
                shutil.copyfile(inbox / f"n{number:04}.txt", inbox / f"copy{number:04}.txt") if (
                    inbox / f"n{number:04}.txt"
                ).exists() else None
        finished.set()

    writer = threading.Thread(target=write)
    writer.start()
    for _ in range(kills):
        process = subprocess.Popen(words, stdout=log, stderr=log)
        pause(0.8 + chance.random())
        process.send_signal(signal.SIGKILL)
        process.wait()
    writer.join()
    assert finished.is_set()
    last = Path("last.txt").open("wb")  # noqa: SIM115 - the process writes into it
    process = subprocess.Popen(words, stdout=last, stderr=log)
    until(lambda: "watching" in Path("last.txt").read_text() and not any(inbox.glob("*.txt")))
    process.terminate()
    assert process.wait() == 0
    log.close()
    last.close()
    assert "stopped: " in Path("last.txt").read_text().splitlines()[-1]
    results = {path.name: path.read_text() for path in Path("Out").glob("*.txt")}
    assert sorted(results.values()) == sorted(f"{number} kg\n" for number in range(count))
    originals = [path.read_text() for path in Path("Out/originals").glob("*.txt")]
    assert {text.split()[0] for text in originals} == {str(number) for number in range(count)}
    assert not Path("Out/failed").exists()
    saved = [file for record in scrub.history() for file in record.files if file.state == "changed"]
    assert len(saved) == count
