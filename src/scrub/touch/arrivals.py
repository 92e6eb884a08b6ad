"""Files that arrive in a folder: which are whole, and what became of each, by its contents."""

from __future__ import annotations

import contextlib
import hashlib
import json
import os
import stat
import sys
import time
from collections.abc import Iterator
from typing import Any, BinaryIO

from scrub.store.disk import private_folder
from scrub.store.system_lock import take

#: Seconds for which a file must be still where nobody tells who has it open, and for which an empty one is waited for.
_STILL, _EMPTY = 1.0, 30.0
#: Endings of what programs write before they give it its name.
_UNFINISHED = (".part", ".partial", ".tmp", ".crdownload", ".download", "#")
#: File systems of other machines, where changes are not told.
_REMOTE = ("nfs", "cifs", "smb", "fuse.sshfs", "9p", "afs", "davfs")


def is_passed_over(name: str) -> bool:
    """Whether a name tells that it is hidden, a lock, or unfinished."""
    return name.startswith((".", "~")) or name.lower().endswith(_UNFINISHED)


class Arrivals:
    """The files of one folder, each looked at until it is whole. Files in folders inside it are passed over."""

    def __init__(self, folder: str) -> None:
        self.folder = folder
        self._seen: dict[str, tuple[int, int, float]] = {}  # size, time of change, and since when

    def whole(self) -> Iterator[str]:
        """The paths of the files that are whole now, in the order of their names."""
        with os.scandir(self.folder) as entries:
            there = sorted((each for each in entries if not is_passed_over(each.name)), key=lambda each: each.name)
        for name in self._seen.keys() - {each.name for each in there}:
            del self._seen[name]
        for each in there:
            with contextlib.suppress(FileNotFoundError):
                if self._is_whole(each):
                    yield each.path

    def _is_whole(self, entry: os.DirEntry[str]) -> bool:
        found = entry.stat(follow_symlinks=False)
        if not stat.S_ISREG(found.st_mode):
            return False
        now = time.monotonic()
        size, changed, since = self._seen.get(entry.name, (-1, -1, now))
        if (size, changed) != (found.st_size, found.st_mtime_ns):
            since = now
            self._seen[entry.name] = (found.st_size, found.st_mtime_ns, now)
        if not found.st_size:
            return now - since >= _EMPTY
        closed = is_closed(entry.path)
        return closed if closed is not None else now - since >= _STILL


def is_closed(path: str) -> bool | None:
    """Whether nobody has a file open for writing; None where the system does not tell. Linux gives a lease for reading
    to the owner of a file only while nobody writes it (fcntl(2), F_SETLEASE).
    """
    if sys.platform != "linux":
        return None
    import fcntl

    try:
        handle = os.open(path, os.O_RDONLY | os.O_NOFOLLOW | os.O_NONBLOCK)
    except OSError:
        return False  # it is gone, or cannot be read yet
    try:
        fcntl.fcntl(handle, fcntl.F_SETLEASE, fcntl.F_RDLCK)
        fcntl.fcntl(handle, fcntl.F_SETLEASE, fcntl.F_UNLCK)
    except BlockingIOError:
        return False
    except OSError:  # somebody else's file, or a file system without leases
        return None
    finally:
        os.close(handle)
    return True


def is_remote(folder: str) -> bool:
    """Whether a folder is on another machine."""
    best, kind = "", ""
    with contextlib.suppress(OSError), open("/proc/self/mounts", encoding="utf-8", errors="replace") as stream:
        for text in stream:
            words = text.split()
            if len(words) > 2 and f"{folder}/".startswith(words[1].rstrip("/") + "/") and len(words[1]) >= len(best):
                best, kind = words[1], words[2]
    return kind.startswith(_REMOTE)


def digest_of_file(path: str) -> str:
    """The hash of what is in a file. Raises `OSError`."""
    with open(path, "rb") as stream:
        return hashlib.file_digest(stream, "blake2b").hexdigest()[:64]


class Journal:
    """What became of each file of a watched folder, one line of JSON each, on the disk before it is acted on."""

    def __init__(self, path: str, macro: str) -> None:
        """`macro` is the hash of the text that runs: what another one did is not done for this one."""
        private_folder(os.path.dirname(path))
        self._path, self._macro = path, macro
        self._stream: BinaryIO = open(path, "ab")  # noqa: SIM115 - the lock lasts as long as it is open
        #: Whether this process alone watches.
        self.is_own = take(self._stream)
        self.done: dict[str, str] = {}  # what was done, by contents: the name under which it came
        self.begun: dict[str, Any] | None = None  # what was begun and not finished
        if self.is_own:
            self._read()

    def _read(self) -> None:
        with open(self._path, "rb") as stream:
            data = stream.read()
        if data and not data.endswith(b"\n"):  # the last line was cut short, so it was never acted on
            whole = data.rfind(b"\n") + 1
            os.truncate(self._path, whole)
            data = data[:whole]
        for text in data.splitlines():
            try:
                entry = json.loads(text)
            except ValueError:
                continue
            if "begun" in entry:
                self.begun = entry
            elif "done" in entry:
                if entry.get("macro") == self._macro:
                    self.done[entry["done"]] = entry["name"]
                self.begun = None
            elif "failed" in entry:
                self.begun = None

    def begin(self, contents: str, name: str, last_run: int) -> None:
        """Notes that a file is about to be worked on."""
        self.begun = {"begun": contents, "name": name, "after": last_run}
        self._write(self.begun)

    def end(self, contents: str, name: str, run: int | None) -> None:
        """Notes that it was done."""
        self.done[contents], self.begun = name, None
        self._write({"done": contents, "name": name, "run": run, "macro": self._macro})

    def fail(self, contents: str, name: str, why: str) -> None:
        """Notes that it failed; the same contents may come again."""
        self.begun = None
        self._write({"failed": contents, "name": name, "why": why})

    def _write(self, entry: dict[str, Any]) -> None:
        self._stream.write(json.dumps(entry).encode() + b"\n")
        self._stream.flush()
        os.fsync(self._stream.fileno())

    def close(self) -> None:
        """Lets others watch."""
        self._stream.close()
