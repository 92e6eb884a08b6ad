"""A system that behaves as Windows does where files are concerned, on this one: what is open can neither be replaced nor
removed, some names are refused, others mean a device, and much that is asked of the system elsewhere is not there.
"""

from __future__ import annotations

import builtins
import contextlib
import errno
import importlib.util
import io
import os
import re
import stat
import sys
from collections.abc import Callable, Iterator
from pathlib import Path
from types import ModuleType
from typing import Any

import pytest

from scrub.store import inuse, system_lock
from scrub.store.disk import Disk

#: What other systems offer, and Windows does not.
_LACKING = (
    "fchmod", "fchown", "chown", "link", "geteuid", "getuid", "O_NOFOLLOW", "O_NONBLOCK",
    "mkfifo", "fork",
)  # fmt: skip
_BAD = re.compile(r'[<>:"|?*\x00-\x1f]|[ .]$|^(?:CON|PRN|AUX|NUL|COM\d|LPT\d)(?:\.|$)', re.IGNORECASE)


def _opened() -> set[str]:
    """The files that this process has open."""
    found = set()
    for name in os.listdir("/proc/self/fd"):
        with contextlib.suppress(OSError):
            found.add(os.readlink(f"/proc/self/fd/{name}"))
    return found


def _ensure_closed(*paths: str) -> None:
    opened = _opened()
    for path in paths:
        if os.path.realpath(path) in opened:
            raise PermissionError(errno.EACCES, "The process cannot access the file because it is being used", path)


def _ensure_name(path: str) -> None:
    """Raises `OSError` for a name that a test made, or a run, and that no file can have there."""
    name = os.path.basename(path)
    if _BAD.search(name) and name not in (".", ".."):
        raise OSError(errno.EINVAL, "The filename, directory name, or volume label syntax is incorrect", path)


def _as_it_is(path: str) -> str:
    """The name of a file that is there, whatever case it is asked for in."""
    folder, name = os.path.split(path)
    with contextlib.suppress(OSError):
        for each in os.listdir(folder or "."):
            if each.lower() == name.lower():
                return os.path.join(folder, each)
    return path


def _fake_locks() -> ModuleType:
    """The locks of the store as they are on Windows, over a stand-in of its library."""
    import fcntl

    stand_in: Any = ModuleType("msvcrt")
    stand_in.LK_NBLCK = 2

    def locking(handle: int, mode: int, count: int) -> None:
        try:
            fcntl.flock(handle, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except OSError:
            raise PermissionError(errno.EACCES, "Permission denied") from None

    stand_in.locking = locking
    spec = importlib.util.spec_from_file_location("locks_of_windows", system_lock.__file__)
    assert spec is not None
    assert spec.loader is not None
    found = importlib.util.module_from_spec(spec)
    before = sys.platform
    sys.modules["msvcrt"] = stand_in
    sys.platform = "win32"
    try:
        spec.loader.exec_module(found)
    finally:
        sys.platform = before
        del sys.modules["msvcrt"]
    return found


@contextlib.contextmanager
def windows() -> Iterator[None]:
    """For the time of a test, this system behaves as Windows does."""
    take: Callable[..., bool] = _fake_locks().take
    with pytest.MonkeyPatch.context() as patch:
        real_replace, real_rename, real_remove, real_open, real_mkdir = (
            os.replace,
            os.rename,
            os.remove,
            os.open,
            os.mkdir,
        )
        real_exists, real_open_file = os.path.lexists, builtins.open

        def replace(old: Any, new: Any, **more: Any) -> None:
            _ensure_name(os.fspath(new))
            there = _as_it_is(os.fspath(new))
            _ensure_closed(os.fspath(old), there)
            if real_exists(there) and not os.stat(there).st_mode & stat.S_IWUSR:
                raise PermissionError(errno.EACCES, "Access is denied", there)
            real_replace(old, new, **more)
            if there != os.fspath(new) and real_exists(there) and not os.path.samefile(there, new):
                real_remove(there)

        def rename(old: Any, new: Any, **more: Any) -> None:
            _ensure_name(os.fspath(new))
            there = _as_it_is(os.fspath(new))
            if real_exists(there) and os.path.realpath(there) != os.path.realpath(old):
                raise FileExistsError(errno.EEXIST, "Cannot create a file when that file already exists", there)
            _ensure_closed(os.fspath(old))
            real_rename(old, new, **more)

        def remove(path: Any, **more: Any) -> None:
            _ensure_closed(os.fspath(path))
            if real_exists(path) and not os.lstat(path).st_mode & stat.S_IWUSR:
                raise PermissionError(errno.EACCES, "Access is denied", path)
            real_remove(path, **more)

        def open_(path: Any, flags: int, *more: Any, **others: Any) -> int:
            if flags & os.O_CREAT:
                _ensure_name(os.fspath(path))
                if flags & os.O_EXCL and real_exists(_as_it_is(os.fspath(path))):
                    raise FileExistsError(errno.EEXIST, "File exists", path)
            if os.path.isdir(path):
                raise PermissionError(errno.EACCES, "Permission denied", path)
            return real_open(path, flags, *more, **others)

        def open_file(path: Any, mode: str = "r", *more: Any, **others: Any) -> Any:
            if isinstance(path, str | os.PathLike):
                if any(letter in mode for letter in "wxa") and str(path).startswith(os.sep + "tmp"):
                    _ensure_name(os.fspath(path))
                if "x" in mode and real_exists(_as_it_is(os.fspath(path))):
                    raise FileExistsError(errno.EEXIST, "File exists", path)
            return real_open_file(path, mode, *more, **others)

        def mkdir(path: Any, *more: Any, **others: Any) -> None:
            _ensure_name(os.fspath(path))
            real_mkdir(path, *more, **others)

        for name, function in (
            ("replace", replace), ("rename", rename), ("remove", remove), ("unlink", remove), ("open", open_), ("mkdir", mkdir),
        ):  # fmt: skip
            patch.setattr(os, name, function)
        patch.setattr(builtins, "open", open_file)
        patch.setattr(io, "open", open_file)
        patch.setattr(os.path, "lexists", lambda path: real_exists(_as_it_is(os.fspath(path))))
        patch.setattr(os.path, "normcase", lambda path: os.fspath(path).lower())
        for name in _LACKING:
            patch.delattr(os, name, raising=False)
        patch.setitem(sys.modules, "fcntl", None)
        patch.setattr(system_lock, "take", take)
        patch.setattr(Disk, "windows", True)
        patch.setattr(inuse, "_is_sticky_for_us", lambda folder, path: False)
        yield


def crlf(path: Path) -> None:
    """Gives a text file the line ends of Windows."""
    path.write_bytes(path.read_bytes().replace(b"\r\n", b"\n").replace(b"\n", b"\r\n"))
