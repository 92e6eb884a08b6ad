"""Files that another program has open, and runs that nobody watches."""

from __future__ import annotations

import os
import subprocess
import sys
from collections.abc import Callable
from pathlib import Path

import pytest
from conftest import FOR_EVER, Output, macro
from test_cli import typed

import scrub

Cli = Callable[..., Output]
SPACES = macro("single-spaces", "document", title="Spaces")


@pytest.fixture
def names(home: Path) -> list[str]:
    for name in ("first.txt", "busy.txt", "last.txt"):
        Path(name).write_text("6  kg\n")
    Path(".~lock.busy.txt#").write_bytes(b"Ann Moss,")
    Path("spaces.scrub").write_text(SPACES)
    return ["first.txt", "busy.txt", "last.txt"]


def test_what_is_saved_while_a_file_is_waited_for_is_kept(
    cli: Cli, names: list[str], monkeypatch: pytest.MonkeyPatch
) -> None:
    """The program that has it removes it, writes it anew and closes it. What was done before is saved first."""
    steps: list[Callable[[], object]] = [
        lambda: Path("busy.txt").unlink(),
        lambda: Path("busy.txt").write_text("20  kg, as Ann wrote\n"),
        lambda: Path(".~lock.busy.txt#").unlink(),
    ]
    first = []

    def step(seconds: float) -> None:
        first.append(Path("first.txt").read_text())
        steps.pop(0)()

    monkeypatch.setattr("scrub.runner.run.time.sleep", step)
    done = cli("run", "spaces.scrub", "--wait", "5m", *names)
    assert (done.code, done.err) == (0, "")
    assert [Path(name).read_text() for name in names] == ["6 kg\n", "20 kg, as Ann wrote\n", "6 kg\n"]
    assert first == ["6 kg\n"] * 3
    scrub.undo()
    assert Path("busy.txt").read_text() == "20  kg, as Ann wrote\n"


def test_a_person_is_asked_once_and_then_waits(names: list[str], monkeypatch: pytest.MonkeyPatch) -> None:
    asked = []

    def wait(path: str, why: str) -> str:
        asked.append(path)
        return "wait"

    sleeps: list[float] = []

    def sleep(seconds: float) -> None:
        sleeps.append(seconds)
        if len(sleeps) == 3:
            Path(".~lock.busy.txt#").unlink()

    monkeypatch.setattr("scrub.runner.run.time.sleep", sleep)
    assert scrub.run(SPACES, names, in_use=wait).exit_code == 0
    assert asked == ["busy.txt"]


@pytest.mark.parametrize("jobs", [1, 2])
def test_no_file_is_waited_for_longer_than_was_said(names: list[str], jobs: int) -> None:
    result = scrub.run(SPACES, names, in_use=0.7, jobs=jobs)
    assert [file.state for file in result.files] == ["changed", "failed", "changed"]
    assert "another program has it open (Ann Moss)" in str(result.files[1].problem)
    assert Path("busy.txt").read_text() == "6  kg\n"
    for wrong in ("wiat", -1, float("nan")):
        with pytest.raises(scrub.BadCall, match="Choose"):
            scrub.run(SPACES, names, in_use=wrong)
    assert scrub.run(SPACES, names, in_use=lambda path, why: "wiat").files[1].state == "failed"


def test_a_time_may_follow_wait_or_a_file(cli: Cli, names: list[str]) -> None:
    Path(".~lock.busy.txt#").unlink()
    Path("5m.txt").write_text("6  kg\n")
    for words, changed in (
        (["--wait", "busy.txt"], "busy.txt"), (["first.txt", "--wait"], "first.txt"),
        (["--wait=30s", "last.txt"], "last.txt"), (["--wait", "1.5 H", "--", "5m.txt"], "5m.txt"),
    ):  # fmt: skip
        assert cli("run", "spaces.scrub", *words).code == 0
        assert Path(changed).read_text() == "6 kg\n"
        scrub.undo()
    shown = cli("run", "spaces.scrub", "busy.txt", "--preview", "--wait").out
    assert "To apply: scrub run spaces.scrub busy.txt --wait\n" in shown
    wrong = cli("run", "spaces.scrub", "busy.txt", "--wait=soon")
    assert (wrong.code, "Write: --wait 30s" in wrong.err) == (2, True)


def test_only_failures_are_told_where_nobody_watches(names: list[str]) -> None:
    """As a timetable starts it: no terminal, no language, hardly any variables."""
    Path("Hütte.txt").write_text("6  kg\n", encoding="utf-8")
    bare = {name: os.environ[name] for name in ("HOME", "SCRUB_HOME", "PYTHONPATH") if name in os.environ}

    def started(*words: str) -> tuple[int, str, str]:
        command = [sys.executable, "-m", "scrub", "run", "spaces.scrub", *words, "--quiet", "--no-questions"]
        done = subprocess.run(
            command,
            env={**bare, "PATH": "/usr/bin:/bin"},
            stdin=subprocess.DEVNULL,
            capture_output=True,
            timeout=FOR_EVER,
        )
        return done.returncode, done.stdout.decode(), done.stderr.decode()

    assert started("first.txt", "Hütte.txt") == (0, "", "")
    assert Path("Hütte.txt").read_text() == "6 kg\n"
    code, out, err = started("first.txt", "busy.txt", "Hütte.odt")
    assert (code > 0, out) == (True, "")
    assert "Failed: 2 of 3 files" in err
    assert "another program has it open" in err
    assert "Hütte.odt" in err


def test_quiet_is_not_a_way_to_ask(names: list[str]) -> None:
    assert "--ask does not go with --quiet, which" in typed(
        ["run", "spaces.scrub", "first.txt", "--ask", "--quiet"], []
    )
