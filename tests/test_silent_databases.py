# ruff: noqa: F811 - a fixture of another module is named in each test
"""Servers that wait, are silent or stop: what is said, how long it takes, and what was saved."""

from __future__ import annotations

import os
import signal
import ssl
import threading
from collections.abc import Callable
from contextlib import suppress
from pathlib import Path
from typing import Any

import pytest
from bases import Base
from conftest import Output
from test_databases import base, run, started  # noqa: F401 - fixtures

import scrub
from scrub.formats.database import holders, server_place
from scrub.formats.database.server import ServerEngine

SET = 'each record in table("night")\nrecord.note = "x"\nend'
READ = 'say "{count(record in table("night") where record.nights is not empty and record.nights > 3)}"'

servers_alone = pytest.mark.parametrize("base", ["postgresql", "mariadb"], indirect=True)


def marked(base: Base) -> int:
    return int(base.run("SELECT count(*) FROM night WHERE note = 'x'")[0][0])


@servers_alone
@pytest.mark.parametrize(("body", "whole"), [(SET, False), (SET, True), (READ, True)])
def test_a_lock_of_somebody_else_is_waited_for_a_while_and_told(
    base: Base,
    monkeypatch: pytest.MonkeyPatch,
    body: str,
    whole: bool,
) -> None:
    monkeypatch.setattr(server_place, "_LOCK_WAIT", 1)
    with base.link() as link:
        cursor = link.cursor()
        if whole:
            cursor.execute(
                "LOCK TABLE night IN ACCESS EXCLUSIVE MODE"
                if base.engine == "postgresql"
                else "LOCK TABLES night WRITE"
            )
        else:
            cursor.execute("UPDATE night SET note = 'mine' WHERE id = 3")
        problem = str(run(base, body).problem)
        assert "another program is using these records" in problem
        assert problem.endswith("Wait until it is done, then run again")
        assert ('records: "office", since' in problem) == (base.engine == "postgresql")
        link.rollback()
    assert marked(base) == 0
    assert run(base, SET).problem is None
    assert marked(base) == 20


def _words(process: int | str) -> bytes:
    with suppress(OSError):
        return Path(f"/proc/{process}/cmdline").read_bytes()
    return b""


def _field(process: int | str, name: str) -> str:
    with suppress(OSError):
        for line in Path(f"/proc/{process}/status").read_text().splitlines():
            if line.startswith(f"{name}:"):
                return line.split()[1]
    return ""


def _workers(base: Base) -> list[int]:
    """The processes of this server that work for us: tests beside this one have servers of their own."""
    port = base.address.rpartition(":")[2].partition("/")[0].encode()
    found = []
    for folder in Path("/proc").iterdir():
        words = _words(folder.name) if folder.name.isdecimal() else b""
        if base.engine == "mariadb":
            ours = b"mariadbd" in words and b"--port=" + port in words
        else:
            ours = words.startswith(b"postgres: office huts") and port in _words(_field(folder.name, "PPid")).split(
                b"\0"
            )
        if ours:
            found.append(int(folder.name))
    return found


def _stop(process: int) -> None:
    """Stops a process; it is stopped when this returns, with all its threads."""
    os.kill(process, signal.SIGSTOP)
    while any(_field(f"{process}/task/{each}", "State") != "T" for each in os.listdir(f"/proc/{process}/task")):
        pass


@servers_alone
@pytest.mark.parametrize("step", ["replace", "commit"])
def test_a_server_that_falls_silent_is_left_and_nobody_is_told_more_than_is_known(
    base: Base,
    cli: Callable[..., Output],
    monkeypatch: pytest.MonkeyPatch,
    step: str,
) -> None:
    monkeypatch.setattr(holders, "LONGEST", 2.0)
    monkeypatch.setattr(server_place, "_LOCK_WAIT", 1)
    stopped: list[int] = []
    real = getattr(ServerEngine, step)

    def falls_silent(self: ServerEngine, *words: Any) -> Any:
        if not stopped:
            stopped.extend(_workers(base))
            for each in stopped:
                _stop(each)
        return real(self, *words)

    with monkeypatch.context() as patched:
        patched.setattr(ServerEngine, step, falls_silent)
        try:
            problem = str(run(base, SET).problem)
        finally:
            for each in stopped:
                os.kill(each, signal.SIGCONT)
    assert stopped
    if step == "replace":
        assert "the server did not answer for 2 seconds" in problem
    else:
        assert "The next run of Scrub finds out whether it was saved" in problem
    told = cli("history")
    while "could not be completed" in told.out + told.err:  # the server goes on with what it had begun
        told = cli("history")
    assert scrub.recover() == []
    assert marked(base) in ((0,) if step == "replace" else (0, 20))
    kept = [run_ for run_ in scrub.home().store.runs() if run_.commits]
    assert bool(kept) == (marked(base) == 20)
    if kept:
        scrub.undo(kept[0].number)
        assert marked(base) == 0


@servers_alone
def test_a_connection_that_is_not_encrypted_is_not_used(base: Base, monkeypatch: pytest.MonkeyPatch) -> None:
    """The server is on this machine, and offers no encryption; were it elsewhere, nothing would be read."""
    real = server_place.how_to_connect
    monkeypatch.setattr(server_place, "_HERE", ())
    assert "SSL" in str(run(base, READ).problem) or "TLS" in str(run(base, READ).problem)

    def stripped(place: server_place.DatabaseAddress) -> dict[str, Any]:
        secure = ("ssl", "sslmode", "sslrootcert")
        return {word: value for word, value in real(place).items() if word not in secure}

    monkeypatch.setattr(server_place, "how_to_connect", stripped)
    problem = str(run(base, READ).problem)
    assert "the connection to the server is not encrypted. Nothing was read" in problem
    assert ssl.create_default_context().check_hostname  # what is asked of a server elsewhere


def test_nobody_waits_in_the_background_when_a_server_was_left(
    base: Base,
    cli: Callable[..., Output],
) -> None:
    before = threading.active_count()
    for _ in range(3):
        assert run(base, READ).problem is None
    assert threading.active_count() <= before + 3
