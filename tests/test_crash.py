"""A stop after any disk operation, a killed process or a full disk leaves the old files or the new ones."""

from __future__ import annotations

import errno
import json
import os
import shutil
import signal
import subprocess
import sys
from collections.abc import Callable, Iterable
from pathlib import Path
from typing import Any

import pytest
from conftest import SAMPLE

from scrub.store.disk import Disk
from scrub.store.patch import Copy, Effect, Patch, whole
from scrub.store.store import Saving, Store


class Cut(BaseException):
    """The machine stops here."""


class CutDisk(Disk):
    """A disk that stops the machine after that many operations, and loses what was not yet synced.

    A file written without a sync is left half written; a rename whose folder was not synced is undone.
    """

    def __init__(self, after: int) -> None:
        self.left = after
        self.loose: dict[str, list[tuple[str, str]]] = {}

    def step(self) -> None:
        self.left -= 1
        if self.left < 0:
            for renames in self.loose.values():
                for old, new in reversed(renames):
                    if os.path.exists(new + ".was"):
                        os.rename(new, old)
                        os.rename(new + ".was", new)
            raise Cut

    def make_folder(self, path: str) -> None:
        super().make_folder(path)

    def write(
        self, path: str, chunks: Iterable[bytes], like: str | None = None, lasting: bool = True, fresh: bool = False
    ) -> None:
        data = b"".join(chunks)
        if self.left < 1:
            super().write(path, [data[: len(data) // 2]], like, lasting, fresh)
        self.step()
        super().write(path, [data], like, lasting, fresh)

    def rename_new(self, old: str, new: str) -> None:
        self.step()
        super().rename_new(old, new)
        self.loose.setdefault(os.path.dirname(new), []).append((old, new))

    def claim_file(self, path: str, data: bytes) -> bool:
        self.step()
        return super().claim_file(path, data)

    def rename(self, old: str, new: str) -> None:
        self.step()
        if os.path.exists(new):
            shutil.copy2(new, new + ".was")
        super().rename(old, new)
        self.loose.setdefault(os.path.dirname(new), []).append((old, new))

    def remove(self, path: str) -> None:
        self.step()
        super().remove(path)

    def sync_folder(self, path: str) -> None:
        self.step()
        for _, new in self.loose.pop(path, []):
            if os.path.exists(new + ".was"):
                os.remove(new + ".was")
        super().sync_folder(path)

    def tidy(self) -> None:
        """Removes this disk's own notes."""
        for renames in self.loose.values():
            for _, new in renames:
                if os.path.exists(new + ".was"):
                    os.remove(new + ".was")


OLD = {"a.txt": b"first old " * 50, "b.txt": b"second old " * 50, "gone.txt": b"third old"}
NEW = {"a.txt": b"first new and first old " * 20, "b.txt": b"second old " * 49, "made.txt": b"made"}


def setup(folder: Path) -> None:
    folder.mkdir()
    for name, data in OLD.items():
        (folder / name).write_bytes(data)


def content(folder: Path) -> dict[str, bytes]:
    return {path.name: path.read_bytes() for path in folder.iterdir()}


def effects(folder: Path) -> list[Effect]:
    disk = Disk()

    def path(name: str) -> str:
        return str(folder / name)

    def hashed(name: str) -> str | None:
        return disk.digest(path(name))

    return [
        Effect(path("a.txt"), Patch(hashed("a.txt"), 500, [NEW["a.txt"]]), hashed("a.txt")),
        Effect(path("b.txt"), Patch(hashed("b.txt"), 550, [Copy(0, 539)]), hashed("b.txt")),
        Effect(path("gone.txt"), None, hashed("gone.txt")),
        Effect(path("made.txt"), whole(NEW["made.txt"]), None),
    ]


def parts(folder: Path) -> list[list[Effect]]:
    """The same as three commits, that of two files in the middle."""
    first, second, gone, made = effects(folder)
    return [[first], [second, gone], [made]]


PARTS = (("a.txt",), ("b.txt", "gone.txt"), ("made.txt",))


def of(content: dict[str, bytes], names: tuple[str, ...]) -> list[bytes | None]:
    return [content.get(name) for name in names]


def act(store: Store, folder: Path, what: str, made: Callable[[Path], list[Effect]] = effects) -> None:
    if what == "save":
        store.save(store.begin({}), "1", made(folder), b"{}")
    elif what == "save many":
        commits = [Saving(str(number), each, b"{}") for number, each in enumerate(parts(folder), 1)]
        assert store.save_many(store.begin({}), commits) == {}
    elif what == "undo":
        store.undo(1)
    else:
        store.redo(1)


def ready(tmp_path: Path, after: int, what: str, save: str) -> tuple[Path, Path]:
    """A folder and a home in which all is done that comes before what is to be cut."""
    work, home = tmp_path / f"w{after}", tmp_path / f"h{after}"
    setup(work)
    for former in (save, "undo")[: (save, "undo", "redo").index(what)]:
        act(Store(str(home)), work, former)
    return work, home


@pytest.mark.parametrize("what", ["save", "undo", "redo"])
def test_a_cut_after_every_operation_leaves_old_or_new(tmp_path: Path, what: str) -> None:
    cut_somewhere = 0
    for after in range(200):
        work, home = ready(tmp_path, after, what, "save")
        before = content(work)
        disk = CutDisk(after)
        try:
            act(Store(str(home), disk), work, what)
        except Cut:
            cut_somewhere += 1
        else:
            disk.tidy()
            expected = OLD if what == "undo" else NEW
            assert content(work) == expected
            break
        for inner in range(40):  # recovery is cut after each of its operations too
            try:
                again = CutDisk(inner)
                Store(str(home), again).recover()
                again.tidy()
                break
            except Cut:
                continue
        assert Store(str(home)).recover() == []
        after_all = content(work)
        assert after_all in (before, OLD, NEW)
        assert Disk().names(str(home / "pending")) == []
        if what == "save" and (home / "runs").exists():
            kept = Store(str(home)).runs()
            done = bool(kept and kept[0].commits)
            assert done == (after_all == NEW)
        if what == "save" and after_all == NEW:
            Store(str(home)).undo(1)
            assert content(work) == OLD
    else:
        raise AssertionError("never came to the end")
    assert cut_somewhere > 15


@pytest.mark.parametrize("what", ["save many", "undo", "redo"])
def test_a_cut_leaves_each_file_of_a_group_old_or_new(tmp_path: Path, what: str) -> None:
    """Several commits share the journal; somebody edits a file while the machine is down."""
    mixed = cut_somewhere = 0
    for after in range(200):
        work, home = ready(tmp_path, after, what, "save many")
        disk = CutDisk(after)
        try:
            act(Store(str(home), disk), work, what)
        except Cut:
            cut_somewhere += 1
        else:
            break
        edited = after % 2 == 1 and (work / "b.txt").exists()
        if edited:
            (work / "b.txt").write_bytes(b"edited meanwhile")
        for inner in range(60):
            try:
                Store(str(home), CutDisk(inner)).recover()
                break
            except Cut:
                continue
        Store(str(home)).recover()
        there = content(work)
        if edited:
            assert there["b.txt"] == b"edited meanwhile"
        states = [
            of(there, names) == of(NEW, names)
            for names in PARTS
            if not (edited and "b.txt" in names)
            if of(there, names) in (of(NEW, names), of(OLD, names))
            or pytest.fail(f"{names} is half done after {after}")
        ]
        mixed += edited and len(states) == 2 and states[0] == states[1] == (what != "undo")
        assert not [name for name in there if name.endswith(".scrub-new")]
        assert Disk().names(str(home / "pending")) == []
        if not edited:  # what the history says of each is so, and it can be undone
            assert len(set(states)) == 1
            commits = {commit.name: commit.state for run in Store(str(home)).runs() for commit in run.commits}
            assert commits in ([{}] if what == "save many" else []) or set(commits.values()) == {
                "done" if states[0] else "undone"
            }
            if states[0]:
                Store(str(home)).undo()
                assert content(work) == OLD
    else:
        raise AssertionError("never came to the end")
    assert cut_somewhere > 15
    assert mixed, "no group was finished beside a file that was edited meanwhile"


class FullDisk(Disk):
    """A disk that is full from a certain write on."""

    def __init__(self, writes: int) -> None:
        self.left = writes

    def write(
        self, path: str, chunks: Iterable[bytes], like: str | None = None, lasting: bool = True, fresh: bool = False
    ) -> None:
        self.left -= 1
        if self.left < 0:
            super().write(path, [b"".join(chunks)[:3]], like, False, fresh)
            raise OSError(errno.ENOSPC, "No space left on device", path)
        super().write(path, chunks, like, lasting, fresh)


def test_a_full_disk_leaves_all_as_it_was(tmp_path: Path) -> None:
    for writes in range(1, 30):
        work, home = tmp_path / f"w{writes}", tmp_path / f"h{writes}"
        setup(work)
        store = Store(str(home), FullDisk(writes))
        if writes > 6:  # its own record, the plan, three new versions, what undoes them, the journal
            act(store, work, "save")
            assert content(work) == NEW
            return
        with pytest.raises(OSError, match="No space left"):
            act(store, work, "save")
        assert content(work) == OLD
        assert os.listdir(home / "pending") == []
    raise AssertionError("never came to the end")


def test_recovery_never_writes_over_a_file_it_does_not_know(tmp_path: Path) -> None:
    stopped_between = 0
    for after in range(4, 40):
        work, home = tmp_path / f"w{after}", tmp_path / f"h{after}"
        setup(work)
        try:
            act(Store(str(home), CutDisk(after)), work, "save")
            break
        except Cut:
            pass
        if not any(name.endswith(".json") for name in os.listdir(home / "pending")):
            continue
        if (work / "b.txt").read_bytes() != OLD["b.txt"]:
            continue
        stopped_between += 1
        (work / "b.txt").write_bytes(b"edited meanwhile")
        told = Store(str(home)).recover()
        assert len(told) == 1
        assert "b.txt was edited after a run was interrupted" in told[0]
        left = content(work)
        assert left["b.txt"] == b"edited meanwhile"
        assert left["b (from the run).txt"] == NEW["b.txt"]
        assert {name: left[name] for name in ("a.txt", "gone.txt")} == {
            name: OLD[name] for name in ("a.txt", "gone.txt")
        }
        assert "made.txt" not in left
    assert stopped_between


KILLED = """
import os, signal, sys
import scrub.store.store as module
from scrub.store.disk import Disk

class Deadly(Disk):
    left = int(sys.argv[1])
    def rename(self, old, new):
        super().rename(old, new)
        Deadly.left -= 1
        if Deadly.left == 0:
            os.kill(os.getpid(), signal.SIGKILL)

real = module.Store.__init__
module.Store.__init__ = lambda self, home, **more: real(self, home, Deadly(), **more)
import scrub
scrub.run(sys.argv[3], [sys.argv[2]])
"""


@pytest.mark.parametrize(
    ("name", "title"),
    [("season-book.xlsx", "show every"), ("season-book.xlsx", "gather the late"), ("bookings.csv", "clean a list")],
)
@pytest.mark.parametrize("renames", [2, 3, 4])
def test_a_killed_process_leaves_old_or_new(name: str, title: str, renames: int, home: Path) -> None:
    """The renames of a run: its record, the journal, the file itself, the journal again."""
    sample, book = SAMPLE.parent / name, Path(name).absolute()
    shutil.copyfile(sample, book)
    words = [sys.executable, "-c", KILLED, str(renames), str(book), title]
    found = subprocess.run(words, capture_output=True, check=False)
    assert found.returncode == -signal.SIGKILL
    is_new = book.read_bytes() != sample.read_bytes()
    assert is_new == (renames > 2)
    import scrub

    assert scrub.recover() == []
    assert book.read_bytes() != sample.read_bytes()
    scrub.undo(1)
    assert book.read_bytes() == sample.read_bytes()
    assert sorted(path.name for path in book.parent.iterdir()) == [book.name]


def test_a_full_disk_is_told_in_a_sentence(book: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    import scrub

    def full(*_: Any, **__: Any) -> None:
        raise OSError(errno.ENOSPC, "No space left on device")

    monkeypatch.setattr(Disk, "write", full)
    monkeypatch.setattr(Store, "begin", lambda self, record: 1)
    found = scrub.run("show every", [str(book)]).files[0]
    assert str(found.problem) == "season-book.xlsx: the file could not be saved and is unchanged: the disk is full"
    assert book.read_bytes() == SAMPLE.read_bytes()


def test_a_half_written_plan_is_cleared(tmp_path: Path) -> None:
    home = tmp_path / "home"
    (home / "pending").mkdir(parents=True)
    temporary = tmp_path / ".a.txt.1-1.scrub-new"
    temporary.write_bytes(b"left over")
    (home / "pending" / "1-1.plan").write_text(json.dumps([str(temporary)]))
    (home / "pending" / "2-1.plan").write_text('["cut sho')
    (home / "pending" / "3-1.json.new").write_text("{")
    assert Store(str(home)).recover() == []
    assert os.listdir(home / "pending") == []
    assert not temporary.exists()
