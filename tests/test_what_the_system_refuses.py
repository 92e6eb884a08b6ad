"""A full disk, folders that are none, no memory: a message with the name of the file, and nothing left behind."""

from __future__ import annotations

import builtins
import errno
import os
from collections.abc import Callable
from pathlib import Path
from typing import Any

import pytest
from conftest import Output, macro, some

import scrub
from scrub.store import system_lock
from scrub.store.disk import Disk

COMMANDS = [("add", "w.scrub"), ("settings", "encoding", "latin1")]


@pytest.fixture
def words(home: Path) -> Path:
    path = Path("w.scrub")
    path.write_text(macro('single-spaces\nopen("b.xlsx")', title="Week"))
    return path


@pytest.mark.parametrize("command", some(COMMANDS))
@pytest.mark.parametrize("what", ["file", "folder"])
def test_a_home_that_is_none_is_named(
    words: Path, cli: Callable[..., Output], monkeypatch: pytest.MonkeyPatch, command: tuple[str, ...], what: str
) -> None:
    other = Path("other")
    if what == "file":
        other.write_text("mine")
    else:
        (other / ".lock").mkdir(parents=True)
    monkeypatch.setenv("SCRUB_HOME", str(other.resolve()))
    told = cli(*command)
    assert told.code == 1
    assert str(other.resolve()) in told.err
    assert "Rename or remove what is in the way, and run again." in told.err
    assert "bug" not in told.err
    assert (other.read_text() == "mine") if what == "file" else (os.listdir(other) == [".lock"])


def test_a_lock_that_is_a_folder_is_named_by_a_run(book: Path, home: Path) -> None:
    (Path(os.environ["SCRUB_HOME"]) / "lock").mkdir(parents=True)
    problem = scrub.run(macro('each sheet\ncell("Z99").value = "x"\nend'), [str(book)]).files[0].problem
    assert f"{os.path.join(os.environ['SCRUB_HOME'], 'lock')}: this file of Scrub cannot be used" in str(problem)


@pytest.mark.parametrize("command", some(COMMANDS))
def test_a_full_disk_leaves_nothing(
    words: Path, cli: Callable[..., Output], monkeypatch: pytest.MonkeyPatch, command: tuple[str, ...]
) -> None:
    home = Path(os.environ["SCRUB_HOME"])
    cli("settings", "show-progress", "no")

    def files() -> dict[str, bytes]:
        return {str(path): path.read_bytes() for root in (home, Path()) for path in root.rglob("*") if path.is_file()}

    before = files()
    real = builtins.open

    class Full:
        """A file of which every write fails, as the disk is full."""

        def __init__(self, stream: Any) -> None:
            self._stream = stream

        def __getattr__(self, name: str) -> Any:
            return getattr(self._stream, name)

        def __enter__(self) -> Full:
            return self

        def __exit__(self, *_: object) -> None:
            self._stream.close()

        def write(self, data: Any) -> int:
            raise OSError(errno.ENOSPC, "No space left on device", self._stream.name)

    def opened(path: Any, mode: str = "r", *rest: Any, **more: Any) -> Any:
        stream = real(path, mode, *rest, **more)
        return Full(stream) if set(mode) & set("wx") else stream

    with monkeypatch.context() as patched:
        patched.setattr(builtins, "open", opened)
        told = cli(*command)
    assert told.code != 0
    assert "No space left on device" in told.err
    assert "bug" not in told.err
    after = {name: data for name, data in files().items() if not name.endswith(".lock")}
    assert after == {name: data for name, data in before.items() if not name.endswith(".lock")}


def test_no_memory_is_told(words: Path, cli: Callable[..., Output], monkeypatch: pytest.MonkeyPatch) -> None:
    def none(*_: object, **__: object) -> None:
        raise MemoryError

    monkeypatch.setattr("scrub.library.text.write_whole", none)
    told = cli("add", "w.scrub")
    assert "Not enough memory. Close other programs" in told.err


@pytest.mark.parametrize(
    "charset", ["rot13", "idna", "punycode", "hex", "base64", "undefined", "unicode_escape", "mbcs", "zlib", "no-such"]
)
def test_a_charset_that_is_none_leaves_the_message(home: Path, charset: str) -> None:
    path = Path("one.eml")
    path.write_bytes(
        f"From: a@b.example\r\nTo: c@d.example\r\nSubject: =?{charset}?q?Hello_x?=\r\n"
        f"Content-Type: text/plain; charset={charset}\r\n\r\nHello  there \\x41 you\r\n".encode()
    )
    before = path.read_bytes()
    file = scrub.run(macro("single-spaces\nlog message.subject", "message"), [str(path)]).files[0]
    assert file.problem is None
    assert path.read_bytes() == before
    assert file.log[0].startswith("skipped message 1, a@b.example: its text has an unknown encoding")
    assert file.log[1] == f"=?{charset}?q?Hello_x?="
    file = scrub.run(macro('message.text = "Grüße"', "message"), [str(path)]).files[0]
    assert "unexpected" not in str(file.problem)
    if file.problem is None:
        assert "charset" in path.read_text("utf-8")
        assert "Grüße" in path.read_text("utf-8")


def test_the_setting_takes_character_sets_only(home: Path, cli: Callable[..., Output]) -> None:
    for name in ("rot13", "idna", "base64", "unicode_escape"):
        assert f'Unknown encoding "{name}"' in cli("settings", "encoding", name).err
    for name in ("latin1", "windows-1252", "utf-16", "utf-32", "shift-jis", "cp037"):
        assert cli("settings", "encoding", name).code == 0


@pytest.mark.skipif(not hasattr(os, "setxattr"), reason="only Linux has these calls")
def test_what_hangs_on_a_file_stays(book: Path) -> None:
    book.chmod(0o640)
    os.setxattr(book, "user.seen", b"Ann")
    text = macro('each sheet\ncell("Z99").value = "x"\nend')
    for number in range(2):
        file = scrub.run(text.replace('"x"', f'"{number}"'), [str(book)]).files[0]
        assert (file.problem, file.state) == (None, "changed")
        assert (os.getxattr(book, "user.seen"), book.stat().st_mode & 0o777) == (b"Ann", 0o640)
    scrub.undo()
    assert (os.getxattr(book, "user.seen"), book.stat().st_mode & 0o777) == (b"Ann", 0o640)


@pytest.mark.skipif(not hasattr(os, "setxattr"), reason="only Linux has these calls")
def test_what_hangs_on_a_file_comes_back_with_it(home: Path, cli: Callable[..., Output]) -> None:
    folder = Path("huts")
    folder.mkdir()
    (folder / "old.txt").write_text("wood")
    (folder / "old.txt").chmod(0o640)
    os.setxattr(folder / "old.txt", "user.seen", b"Ann")
    Path("m.scrub").write_text(macro("each file\ndelete\nend", "folder"))
    assert cli("approve", "m.scrub", "--yes").code == 0
    assert cli("run", "m.scrub", "huts").code == 0
    assert not (folder / "old.txt").exists()
    assert cli("undo").code == 0
    assert os.getxattr(folder / "old.txt", "user.seen") == b"Ann"
    assert (folder / "old.txt").stat().st_mode & 0o777 == 0o640


def test_a_full_disk_embeds_nothing(book: Path, cli: Callable[..., Output], monkeypatch: pytest.MonkeyPatch) -> None:
    before = book.read_bytes()

    def full(*_: object, **__: object) -> None:
        raise OSError(errno.ENOSPC, "No space left on device")

    with monkeypatch.context() as patched:
        patched.setattr(Disk, "write", full)
        told = cli("embed", "show every", book)
    assert told.code != 0
    assert "the disk is full" in told.err
    assert "bug" not in told.err
    assert book.read_bytes() == before
    assert [each for each in os.listdir() if each != book.name] == []
    assert cli("embed", "show every", book).code == 0


def test_a_folder_that_lets_only_owners_replace_files_is_told_before_anything_is_written(
    book: Path, cli: Callable[..., Output], monkeypatch: pytest.MonkeyPatch
) -> None:
    """It is a shared folder with the sticky bit, such as /tmp, and the file is somebody else's."""
    before = book.read_bytes()
    Path().chmod(0o1777)
    monkeypatch.setattr(os, "geteuid", lambda: 12345)
    text = macro('each sheet\ncell("Z99").value = "x"\nend')
    problem = str(scrub.run(text, [str(book)]).files[0].problem)
    assert "its folder lets only the owner of a file replace it (sticky bit)" in problem
    assert (book.read_bytes(), os.listdir()) == (before, [book.name])
    assert scrub.recover() == []
    monkeypatch.setattr("scrub.store.inuse._is_sticky_for_us", lambda folder, path: False)

    def refused(old: str, new: str) -> None:
        raise PermissionError(errno.EPERM, "Operation not permitted", new)

    real = os.replace
    monkeypatch.setattr(
        os, "replace", lambda old, new: refused(old, new) if str(new).endswith(".xlsx") else real(old, new)
    )
    problem = str(scrub.run(text, [str(book)]).files[0].problem)
    assert "its folder does not allow replacing it: Operation not permitted" in problem
    assert (book.read_bytes(), os.listdir()) == (before, [book.name])
    assert scrub.recover() == []


def test_a_file_system_without_locks_takes_changes_all_the_same(book: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    real = system_lock.take

    def take(stream: Any, wait: bool = False) -> bool:
        if stream.name.endswith(".xlsx"):  # on a network drive; the home is on this machine
            raise OSError(errno.ENOLCK, "No locks available")
        return real(stream, wait)

    monkeypatch.setattr(system_lock, "take", take)
    file = scrub.run(macro('each sheet\ncell("Z99").value = "x"\nend'), [str(book)]).files[0]
    assert (file.problem, file.state) == (None, "changed")


def test_other_names_of_a_file_are_told(book: Path) -> None:
    text = macro('each sheet\ncell("Z99").value = "x"\nend')
    before = book.read_bytes()
    os.link(book, "too.xlsx")
    file = scrub.run(text, [str(book)]).files[0]
    note = "This file has 2 names (hard links): the other one keeps the earlier contents."
    assert note in file.notes
    assert Path("too.xlsx").read_bytes() == before
    assert note not in scrub.run(text, [str(book)]).files[0].notes
    os.link("too.xlsx", "third.xlsx")
    os.link("too.xlsx", "fourth.xlsx")
    assert any("the other 2 keep" in each for each in scrub.run(text, ["third.xlsx"]).files[0].notes)
    assert not any("hard" in each for each in scrub.run(text, ["fourth.xlsx"], into="out").files[0].notes)


@pytest.mark.parametrize(
    "body",
    some(
        [
            'p = pairs(otherwise: "")\nk = 0\nwhile k >= 0\nk = k + 1\np("a long key number {k}") = "a long value {k}"\nend',
            'while 1 is 1\nlog "a line and so on and so on and so on"\nend',
            'l = [["a"]]\nwhile 1 is 1\nl = l.with(["some text", "and more"])\nend',
        ]
    ),
)
def test_what_grows_without_end_is_stopped_before_the_system_does(
    home: Path, monkeypatch: pytest.MonkeyPatch, body: str
) -> None:
    monkeypatch.setattr("scrub.runner.execution._MOST_MEMORY", 2_000_000_000 // 40)
    file = scrub.run(macro(body, "nothing"), []).files[0]
    assert "GB of memory. Look for a list, pairs or a log that grows without end" in str(file.problem)
