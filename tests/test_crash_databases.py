"""A stop after any disk operation, or on either side of COMMIT, leaves old rows and files or new ones, and says which."""

from __future__ import annotations

import sqlite3
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any

import pytest
import test_crash
from bases import Base, sqlite_base
from test_crash import Cut, CutDisk

from scrub.formats.database.changes import TableChanges
from scrub.formats.database.opening import kept_changes
from scrub.formats.database.row_changes import Group, RowChange
from scrub.formats.database.sqlite import SqliteEngine
from scrub.store.disk import Disk
from scrub.store.errors import StoreError, Unfinished
from scrub.store.patch import Effect, whole
from scrub.store.store import Store

NEW = b"made beside the rows"


def effects(folder: Path) -> list[Effect]:
    """A file that is made, rows that change, one that comes and one that goes."""
    base = str(folder / "huts.sqlite")
    gone = Base("sqlite", base).run("SELECT * FROM night WHERE id = 20")[0]
    groups = [
        Group("guest", ("name",), [RowChange(None, None, ("Dee Vale",))]),
        Group("night", ("note",), [RowChange((number,), (None,), ("x",)) for number in (1, 2, 3)], ("hut",),
              [("Gañet",), ("Tarn",), ("Larch",)]),
        Group("night", ("id", "guest_id", "hut", "arrival", "nights", "price", "paid", "note"), [RowChange((20,), gone, None)]),
    ]  # fmt: skip
    rows = TableChanges(base, groups, lambda: SqliteEngine(base))
    return [Effect(str(folder / "made.txt"), whole(NEW), None), Effect(base, None, "rows", rows=rows)]


def state(folder: Path) -> tuple[bool, bool]:
    """Whether the file is there, and whether the rows are new; never something between."""
    base = Base("sqlite", str(folder / "huts.sqlite"))
    marks = (
        base.run("SELECT count(*) FROM guest WHERE name = 'Dee Vale'")[0][0] == 1,
        base.run("SELECT count(*) FROM night WHERE note = 'x'")[0][0] == 3,
        base.run("SELECT count(*) FROM night WHERE id = 20")[0][0] == 0,
    )
    assert len(set(marks)) == 1, marks
    return (folder / "made.txt").exists(), marks[0]


def act(store: Store, folder: Path, what: str) -> None:
    test_crash.act(store, folder, what, effects)


def store(home: Path, disk: Disk | None = None) -> Store:
    return Store(str(home), disk, kept_changes)


@pytest.fixture
def ready(tmp_path: Path) -> Callable[[object], tuple[Path, Path]]:
    """Makes a folder with a database, and a home, by a name."""

    def make(name: object) -> tuple[Path, Path]:
        work = tmp_path / f"w{name}"
        work.mkdir()
        sqlite_base(str(work / "huts.sqlite"))
        return work, tmp_path / f"h{name}"

    return make


def resolved(work: Path, home: Path, what: str) -> bool:
    """Recovers, again and again; gives whether all is new."""
    for inner in range(40):
        try:
            disk = CutDisk(inner)
            store(home, disk).recover()
            disk.tidy()
            break
        except Cut:
            continue
    assert store(home).recover() == []
    file, rows = state(work)
    assert file == rows
    assert Disk().names(str(home / "pending")) == []
    if what == "save" and (home / "runs").exists():
        kept = store(home).runs()
        assert bool(kept and kept[0].commits) == rows
    return rows


@pytest.mark.parametrize("what", ["save", "undo", "redo"])
def test_a_cut_after_every_operation(ready: Callable[[object], tuple[Path, Path]], what: str) -> None:
    seen = set()
    for after in range(200):
        work, home = ready(after)
        for former in ("save", "undo")[: ("save", "undo", "redo").index(what)]:
            act(store(home), work, former)
        disk = CutDisk(after)
        try:
            act(store(home, disk), work, what)
        except Cut:
            seen.add(resolved(work, home, what))
        else:
            disk.tidy()
            assert state(work) == ((False, False) if what == "undo" else (True, True))
            break
        if what == "save" and state(work) == (True, True):
            store(home).undo(1)
            assert state(work) == (False, False)
    else:
        raise AssertionError("never came to the end")
    assert seen == {False, True}


@pytest.mark.parametrize("committed", [False, True])
def test_a_cut_beside_the_commit(
    ready: Callable[[object], tuple[Path, Path]], monkeypatch: pytest.MonkeyPatch, committed: bool
) -> None:
    work, home = ready("c")
    with _cut_at_commit(monkeypatch, committed), pytest.raises(Cut):
        act(store(home), work, "save")
    assert state(work) == (False, committed)
    assert resolved(work, home, "save") is committed
    if committed:
        store(home).undo(1)
        assert state(work) == (False, False)


@contextmanager
def _cut_at_commit(
    monkeypatch: pytest.MonkeyPatch, committed: bool, error: BaseException | None = None
) -> Iterator[None]:
    commit = SqliteEngine.commit

    def stopped(self: SqliteEngine) -> None:
        if committed:
            commit(self)
        self.close()
        raise error or Cut

    with monkeypatch.context() as patched:
        patched.setattr(SqliteEngine, "commit", stopped)
        yield


@pytest.mark.parametrize("committed", [False, True])
def test_a_database_that_does_not_say_whether_it_committed(
    ready: Callable[[object], tuple[Path, Path]], monkeypatch: pytest.MonkeyPatch, committed: bool
) -> None:
    """It is looked up in the rows; where that fails too, recovery does."""
    work, home = ready("l")
    lost = StoreError("huts.sqlite", "unexpected answer from the server")
    with _cut_at_commit(monkeypatch, committed, lost):
        if committed:
            act(store(home), work, "save")
        else:
            with pytest.raises(StoreError, match="huts.sqlite"):
                act(store(home), work, "save")
    assert state(work) == (committed, committed)
    assert store(home).recover() == []
    work, home = ready("m")

    def away(self: Any) -> bool:
        raise StoreError("huts.sqlite", "unexpected answer from the server")

    with _cut_at_commit(monkeypatch, committed, lost), monkeypatch.context() as patched:
        patched.setattr(TableChanges, "look", away)
        with pytest.raises(Unfinished):
            act(store(home), work, "save")
        assert "unexpected answer from the server" in store(home).recover()[0]
    assert state(work) == (False, committed)
    assert resolved(work, home, "save") is committed


@pytest.mark.parametrize("committed", [False, True])
@pytest.mark.parametrize(
    "theirs", ["UPDATE night SET note = 'mine' WHERE id = 2", "DELETE FROM night WHERE id = 2", "as it was"]
)
def test_a_colleague_changed_a_row_after_a_cut(
    ready: Callable[[object], tuple[Path, Path]], monkeypatch: pytest.MonkeyPatch, committed: bool, theirs: str
) -> None:
    """Each row is looked at by itself: nothing goes forward where the transaction is not there, and theirs stays."""
    work, home = ready("q")
    with _cut_at_commit(monkeypatch, committed), pytest.raises(Cut):
        act(store(home), work, "save")
    base = Base("sqlite", str(work / "huts.sqlite"))
    note = "NULL" if committed else "'x'"  # what the row is in the other case
    base.run(f"UPDATE night SET note = {note} WHERE id = 2" if theirs == "as it was" else theirs)
    told = store(home).recover()
    assert "other programs have since changed records of an interrupted run. They are unchanged" in told[0]
    assert store(home).recover() == []
    assert (work / "made.txt").exists() is committed
    now = dict(base.run("SELECT id, note FROM night WHERE id < 4"))
    mine = {1: "x", 3: "x"} if committed else {1: None, 3: None}
    if theirs.startswith("DELETE"):
        assert now == mine
    else:
        assert now == {**mine, 2: "mine" if "mine" in theirs else None if committed else "x"}
    assert bool(store(home).runs()[0].commits) is committed


def test_rows_that_were_changed_after_a_cut_are_left_and_told(
    ready: Callable[[object], tuple[Path, Path]], monkeypatch: pytest.MonkeyPatch
) -> None:
    work, home = ready("o")
    with _cut_at_commit(monkeypatch, True), pytest.raises(Cut):
        act(store(home), work, "save")
    link = sqlite3.connect(work / "huts.sqlite")
    link.execute("UPDATE night SET note = 'mine' WHERE id = 2")
    link.commit()
    link.close()
    told = store(home).recover()
    assert "records of an interrupted run. They" in told[0]
    assert store(home).recover() == []
    assert Base("sqlite", str(work / "huts.sqlite")).run("SELECT note FROM night WHERE id IN (1, 2)") == [
        ("x",),
        ("mine",),
    ]
    assert (work / "made.txt").exists()


def test_a_target_that_changed_after_the_commit_takes_the_rows_back(
    ready: Callable[[object], tuple[Path, Path]],
) -> None:
    """The file that is to be made came in the meantime: neither it nor the rows are changed."""
    work, home = ready("t")

    class Late(CutDisk):
        def rename_new(self, old: str, new: str) -> None:
            Path(new).write_bytes(b"somebody's")
            super().rename_new(old, new)

    disk = Late(10_000)
    with pytest.raises(StoreError):
        act(store(home, disk), work, "save")
    disk.tidy()
    assert (work / "made.txt").read_bytes() == b"somebody's"
    assert state(work) == (True, False)
    assert store(home).recover() == []
