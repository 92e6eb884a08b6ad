"""The store after an attack: nobody guesses its names, what it says is true, and no journal stops another."""

from __future__ import annotations

import errno
import json
import os
import stat
import subprocess
import sys
from collections.abc import Callable, Iterable
from pathlib import Path
from typing import Any

import pytest
from conftest import Output
from mails import Approving
from test_crash import NEW, OLD, act, content, setup

import scrub
from scrub.formats import source
from scrub.store import disk, stamps
from scrub.store.disk import Disk
from scrub.store.errors import Changed, StoreError, Unfinished
from scrub.store.patch import Copy, Effect, Patch, digest
from scrub.store.store import Store

# -- temporaries


def test_a_link_where_a_temporary_would_be_is_never_followed(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    work, victim = tmp_path / "w", tmp_path / "victim"
    setup(work)
    victim.write_bytes(b"mine")
    monkeypatch.setattr(os, "urandom", lambda count: b"a" * count)
    (work / f".{(b'a' * 12).hex()}.scrub-new").symlink_to(victim)
    with pytest.raises(FileExistsError):
        act(Store(str(tmp_path / "home")), work, "save")
    assert victim.read_bytes() == b"mine"
    assert {name: data for name, data in content(work).items() if name in OLD} == OLD


def test_temporaries_have_names_that_nobody_guesses_and_are_private(tmp_path: Path) -> None:
    seen: list[tuple[str, int]] = []

    class Watching(Disk):
        def write(
            self, path: str, chunks: Iterable[bytes], like: str | None = None, lasting: bool = True, fresh: bool = False
        ) -> None:
            def watched() -> Iterable[bytes]:
                for chunk in chunks:
                    if fresh:
                        seen.append((os.path.basename(path), stat.S_IMODE(os.stat(path).st_mode)))
                    yield chunk

            super().write(path, watched(), like, lasting, fresh)

    for name in ("one", "two"):
        setup(tmp_path / name)
        (tmp_path / name / "a.txt").chmod(0o640)
        act(Store(str(tmp_path / f"home-{name}"), Watching()), tmp_path / name, "save")
        assert stat.S_IMODE((tmp_path / name / "a.txt").stat().st_mode) == 0o640
    assert {mode for _, mode in seen} == {0o600}
    assert len({name for name, _ in seen}) == len(seen) == 6


def test_a_file_with_the_longest_name_is_changed_too(tmp_path: Path) -> None:
    long = tmp_path / ("\u00fc" * 125 + ".csv")
    long.write_text("a,b\n1,2\n")
    scrub.run(
        'macro T\nfor workbook\nsheet("x").cell("A2").value = 3'.replace('sheet("x")', f'sheet("{long.stem}")'),
        [str(long)],
    )
    assert long.read_text() == "a,b\n3,2\n"


COUNTING = """
import scrub, sys
done = 0
for turn in range(int(sys.argv[2])):
    result = scrub.run('macro T\\nfor workbook\\nsheet("n").cell("A2").value = sheet("n").cell("A2").value + 1', [sys.argv[1]])
    done += result.files[0].problem is None
print(done)
"""


def test_several_homes_on_one_file_lose_nothing(tmp_path: Path) -> None:
    path = tmp_path / "n.csv"
    path.write_text("n\n0\n")
    runs = [
        subprocess.Popen(
            [sys.executable, "-c", COUNTING, str(path), "25"], stdout=subprocess.PIPE, text=True,
            env={**os.environ, "SCRUB_HOME": str(tmp_path / f"home{number}")},
        )
        for number in range(3)
    ]  # fmt: skip
    done = sum(int(run.communicate()[0]) for run in runs)
    assert done > 3
    assert path.read_text() == f"n\n{done}\n"
    assert [each.name for each in tmp_path.iterdir() if each.is_file()] == ["n.csv"]


def test_a_new_file_never_takes_the_place_of_one_that_came_meanwhile(tmp_path: Path) -> None:
    work = tmp_path / "w"
    setup(work)

    class Late(Disk):
        def rename_new(self, old: str, new: str) -> None:
            Path(new).write_bytes(b"theirs")
            super().rename_new(old, new)

    with pytest.raises(StoreError, match="made.txt"):
        act(Store(str(tmp_path / "home"), Late()), work, "save")
    assert content(work) == {**OLD, "made.txt": b"theirs"}
    assert Store(str(tmp_path / "home")).recover() == []


# -- undo


def test_a_flipped_bit_in_what_takes_back_is_noticed(tmp_path: Path) -> None:
    """The old contents come back, or nothing is touched."""
    refused = 0
    for share in range(0, 100, 4):
        work, home = tmp_path / f"w{share}", tmp_path / f"h{share}"
        setup(work)
        act(Store(str(home)), work, "save")
        (path,) = (home / "runs" / "1").glob("*.undo")
        whole = path.read_bytes()
        place = len(whole) * share // 100
        path.write_bytes(whole[:place] + bytes([whole[place] ^ 1]) + whole[place + 1 :])
        try:
            act(Store(str(home)), work, "undo")
        except StoreError:
            refused += 1
            assert content(work) == NEW
            path.write_bytes(whole)
            act(Store(str(home)), work, "undo")
        assert content(work) == OLD
    assert refused > 15


def test_what_was_moved_or_deleted_comes_back_with_mode_and_time(home: Path) -> None:
    folder = Path("papers")
    folder.mkdir()
    for name in ("keep.txt", "gone.txt"):
        (folder / name).write_text(name)
        (folder / name).chmod(0o600)
        os.utime(folder / name, (1_700_000_000, 1_700_000_000))
    body = 'each file\nif file.name is "gone.txt"\ndelete\nelse\nmove to: "a/b"\nend\nend'
    result = scrub.run(f"macro T\nfor folder\n{body}", [str(folder)], host=Approving())
    moved = (folder / "a" / "b" / "keep.txt").stat()
    assert (stat.S_IMODE(moved.st_mode), moved.st_mtime) == (0o600, 1_700_000_000)
    scrub.undo(result.number)
    assert sorted(path.name for path in folder.rglob("*")) == ["gone.txt", "keep.txt"]
    for name in ("keep.txt", "gone.txt"):
        found = (folder / name).stat()
        assert (stat.S_IMODE(found.st_mode), found.st_mtime) == (0o600, 1_700_000_000)


@pytest.mark.parametrize("words", [
    ("settings", "date-order", "day-first"), ("history",), ("add", "one.scrub"), ("pin", "seal", "s"), ("macros",), ("secret", "list"),
    ("run", "show", "season-book.xlsx"), ("library", "name", "Ours"), ("approve", "a letter", "--yes"),
])  # fmt: skip
def test_the_home_is_private_from_the_first_command_on(
    book: Path, home: Path, cli: Callable[..., Output], words: tuple[str, ...]
) -> None:
    Path("one.scrub").write_text('macro One\nfor nothing\nsay "x"\n')
    former = os.umask(0o022)
    try:
        cli(*words)
    finally:
        os.umask(former)
    if home.exists():
        assert stat.S_IMODE(home.stat().st_mode) == 0o700


# -- the truth


class Failing(Disk):
    """A disk on which one operation fails, and perhaps all after it."""

    def __init__(self, at: int, forever: bool) -> None:
        self.left, self.forever = at, forever

    def _step(self) -> None:
        self.left -= 1
        if self.left == -1 or (self.forever and self.left < 0):
            raise OSError(errno.EIO, "Input/output error")

    def __getattribute__(self, name: str) -> Any:
        found = super().__getattribute__(name)
        if name in ("write", "rename", "rename_new", "remove", "sync_folder", "digest", "dress", "read"):

            def failing(*words: Any, **named: Any) -> Any:
                self._step()
                return found(*words, **named)

            return failing
        return found


@pytest.mark.parametrize("what", ["save", "undo"])
@pytest.mark.parametrize("forever", [False, True])
def test_what_is_said_of_a_failing_disk_is_so(tmp_path: Path, what: str, forever: bool) -> None:
    ways = set()
    for at in range(300):
        work, home = tmp_path / f"w{at}", tmp_path / f"h{at}"
        setup(work)
        if what == "undo":
            act(Store(str(home)), work, "save")
        before, after = (OLD, NEW) if what == "save" else (NEW, OLD)
        disk = Failing(at, forever)
        try:
            act(Store(str(home), disk), work, what)
            said = "done"
        except Unfinished:
            said = "unfinished"
        except (OSError, StoreError):
            said = "as it was"
        ways.add(said)
        there = {name: data for name, data in content(work).items() if not name.endswith(".scrub-new")}
        if said == "as it was":
            assert there == before, at
        if said == "done":
            assert there == after, at
        told = Store(str(home)).recover()
        assert told == [], (at, told)
        assert content(work) == (before if said == "as it was" else after), (at, said)
        assert Disk().names(str(home / "pending")) == []
        if disk.left >= 0:
            assert ways == {"done", "unfinished", "as it was"}
            return
    raise AssertionError("the run never came to its end")


# -- journals


def waiting(tmp_path: Path, run: int = 1) -> tuple[Path, Path]:
    """A run that was cut short when it was decided and not yet done."""

    class Stopped(Disk):
        def sync_folder(self, path: str) -> None:
            if path.endswith("pending"):
                raise KeyboardInterrupt
            super().sync_folder(path)

    work, home = tmp_path / f"w{run}", tmp_path / "home"
    setup(work)
    store = Store(str(home), Stopped())
    with pytest.raises(KeyboardInterrupt):
        act(store, work, "save")
    return work, home


@pytest.mark.parametrize("damage", [b"", b"{", b"[]", b'{"steps": 1}', b'{"steps": [[1]], "run": "x"}', b"\xff\xfe"])
def test_a_damaged_journal_is_set_aside_and_stops_no_other(tmp_path: Path, damage: bytes) -> None:
    work, home = waiting(tmp_path)
    (home / "pending" / "0-1.json").write_bytes(damage)
    (told,) = Store(str(home)).recover()
    assert "cannot be read. It was moved to" in told
    assert content(work) == NEW
    assert (home / "aside" / "0-1.json").read_bytes() == damage
    assert Store(str(home)).recover() == []


def test_a_drive_that_is_away_waits_and_stops_no_other(tmp_path: Path) -> None:
    away, home = waiting(tmp_path, 1)
    here, _ = waiting(tmp_path, 2)
    away.rename(tmp_path / "pulled")
    (told,) = Store(str(home)).recover()
    assert "is completed when it is back" in told
    assert content(here) == NEW
    (tmp_path / "pulled").rename(away)
    assert Store(str(home)).recover() == []
    assert content(away) == NEW


@pytest.mark.parametrize("damage", ["[]", "{}", "", "null", '{"steps": [], "name": "x", "state": 1}'])
def test_a_damaged_record_hides_no_other_run(tmp_path: Path, damage: str) -> None:
    setup(tmp_path / "w")
    store = Store(str(tmp_path / "home"))
    act(store, tmp_path / "w", "save")
    other = store.begin({"title": "other"})
    for name in ("run.json", "1.json"):
        (tmp_path / "home" / "runs" / str(other) / name).write_text(damage)
    assert [run.number for run in store.runs()] == [2, 1]
    act(store, tmp_path / "w", "undo")
    assert content(tmp_path / "w") == OLD


ADDING = r"""
import scrub, sys
home, number = scrub.home(), sys.argv[1]
for turn in range(6):
    home.library.add(f"macro Macro {number} {turn}\nfor nothing\nsay 1\n", "m")
    home.pins.pin(f"Macro {number} {turn}", f"k{number}{turn}", ())
    home.approvals.approve(f"print-{number}-{turn}", f"Macro {number} {turn}")
    home.use.count("One")
    try:
        home.library.add(f"macro The same {turn}\nfor nothing\nsay {number}\n", "m")
    except scrub.BadCall:
        pass
home.settings.set(("author", "name", "editor", "encoding")[int(number)], "utf-8")
"""


def test_several_at_once_lose_no_record(home: Path) -> None:
    runs = [subprocess.Popen([sys.executable, "-c", ADDING, str(number)]) for number in range(4)]
    assert [run.wait() for run in runs] == [0] * 4
    found = scrub.home()
    titles = [entry.title for entry in found.library.entries() if not entry.example]
    assert sorted(titles) == sorted(
        [f"Macro {n} {t}" for n in range(4) for t in range(6)] + [f"The same {t}" for t in range(6)]
    )
    assert len(found.pins.all()) == 24
    assert sum(found.approvals.allows(f"print-{n}-{t}") for n in range(4) for t in range(6)) == 24
    assert found.use.of()["One"][0] == 24
    assert len(found.settings.load()) == 4
    assert not [path for path in home.rglob("*") if path.name.endswith((".new", ".gone"))]


def test_undo_of_many_goes_on_where_one_is_lost(home: Path, cli: Callable[..., Output]) -> None:
    for name in "abc":
        Path(f"{name}.txt").write_text("6  kg\n")
    scrub.run("macro T\nfor document\nsingle-spaces", ["a.txt", "b.txt", "c.txt"])
    kept = home / "runs" / "1" / "1.undo"  # that of all three
    assert kept.read_bytes().count(b"6  kg") == 3
    kept.write_bytes(
        b"6  lb".join(kept.read_bytes().rsplit(b"6  kg", 2)[:2]) + b"6  kg" + kept.read_bytes().rsplit(b"6  kg", 2)[2]
    )
    told = cli("undo")
    assert told.code == 0
    assert "b.txt" in told.out
    assert "its undo data is damaged" in told.out
    assert [Path(f"{name}.txt").read_text() for name in "abc"] == ["6  kg\n", "6 kg\n", "6  kg\n"]
    assert json.loads(cli("history", "--json").out)[0]["run"] == 1


# -- by what a file is known again


def hashing(monkeypatch: pytest.MonkeyPatch) -> list[str]:
    """The names of the files that are read to hash them from now on."""
    names: list[str] = []
    real = disk.digest_of

    def watched(stream: Any) -> str:
        names.append(os.path.basename(stream.name))
        return real(stream)

    for module in (disk, source):
        monkeypatch.setattr(module, "digest_of", watched)
    return names


def test_a_file_that_rests_is_hashed_once_and_one_that_is_only_read_never(
    home: Path, book: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    if not stamps._devices():
        pytest.skip("the stamps of this file system are not trusted")
    monkeypatch.setattr(stamps, "_AGE", -(10**9))  # as if it had been there for long
    names = hashing(monkeypatch)
    assert scrub.run("macro Read\nfor workbook\nsay workbook.name", [str(book)]).files[0].said == [book.name]
    assert names == []
    assert scrub.run("macro Show\nfor workbook\neach sheet\nsheet.hidden = no\nend", [str(book)]).files[0].changes
    assert names == [book.name]


def test_a_file_that_was_just_written_is_hashed_each_time(
    home: Path, book: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    names = hashing(monkeypatch)
    book.write_bytes(book.read_bytes())
    scrub.run("macro Show\nfor workbook\neach sheet\nsheet.hidden = no\nend", [str(book)])
    assert names == [book.name] * 2


@pytest.mark.parametrize("age", [-(10**9), 2 * 10**9])
def test_a_change_that_keeps_size_and_time_is_noticed(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch, age: int
) -> None:
    monkeypatch.setattr(stamps, "_AGE", age)
    path = tmp_path / "stays.csv"
    path.write_text("a,b\n1,2\n")
    was = path.stat()
    opened = source.Source(str(path))
    if age > 0:
        assert opened.digest
    path.write_text("a,b\n1,3\n")
    os.utime(path, ns=(was.st_atime_ns, was.st_mtime_ns))
    patch = Patch(digest(b"a,b\n1,2\n"), was.st_size, [Copy(0, 6), b"7\n"])
    store = Store(str(tmp_path / "home"))
    with pytest.raises(Changed):
        store.save(store.begin({}), "1", [Effect(str(path), patch, patch.before)], b"{}")
    if age < 0:
        with pytest.raises(scrub.ScrubError, match="another program changed the file"):
            opened.digest  # noqa: B018 - a property that reads the file
    assert path.read_text() == "a,b\n1,3\n"


def test_recovery_reads_what_it_hashes(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """A stamp says nothing of what a disk lost when the power went."""
    monkeypatch.setattr(stamps, "_AGE", -(10**9))
    path = tmp_path / "stays.csv"
    path.write_text("a,b\n1,2\n")
    found = disk.Disk()
    known = found.digest(str(path))
    names = hashing(monkeypatch)
    assert found.digest(str(path)) == known
    assert names == ([] if stamps._devices() else ["stays.csv"])
    names.clear()
    assert found.digest_afresh(str(path)) == known
    assert names == ["stays.csv"]
