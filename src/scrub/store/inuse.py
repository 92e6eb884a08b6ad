"""Whether another program has a file open, and whether it can be written at all."""

from __future__ import annotations

import os
import stat

from scrub.store.disk import only_files
from scrub.store.errors import InUse, ReadOnly


def lock_name(path: str) -> str:
    """The file that says that a mailbox is in use, as mail programs lay it beside one (RFC 4155, section 3)."""
    return f"{path}.lock"


def is_mailbox(path: str) -> bool:
    """Whether a file begins as a mailbox does (RFC 4155)."""
    try:
        with open(path, "rb", opener=only_files) as stream:
            return stream.read(5) == b"From "
    except OSError:
        return False


def mailbox_in_use(path: str) -> InUse:
    """What is told of a mailbox that a mail program uses."""
    return InUse(
        path,
        (f"a mail program is using it. Close it and run again, or delete an old lock file: {lock_name(path)}"),
    )


def ensure_free(path: str) -> None:
    """Raises `InUse` or `ReadOnly` when the file should not, or cannot, be changed now."""
    mode = os.stat(path).st_mode
    if not mode & (stat.S_IWUSR | stat.S_IWGRP | stat.S_IWOTH) or not os.access(path, os.W_OK):
        raise ReadOnly(path, "the file is read-only. Allow writing in its properties, or work on a copy")
    folder, name = os.path.split(path)
    if not os.access(folder or ".", os.W_OK):
        raise ReadOnly(path, "its folder cannot be written. Copy the file to a folder of your own")
    if _is_sticky_for_us(folder or ".", path):
        raise ReadOnly(
            path, "its folder lets only the owner of a file replace it (sticky bit). Copy the file to your own folder"
        )
    for owner in _owner_files(folder, name):
        if os.path.exists(owner):
            who = _who(owner)
            raise InUse(
                path,
                (
                    f"another program has it open{f' ({who})' if who else ''}. "
                    f"Close it and run again, or delete an old lock file: {owner}"
                ),
            )
    if is_mailbox(path) and os.path.exists(lock_name(path)):
        raise mailbox_in_use(path)
    if _locked(path):
        raise InUse(path, "another program has locked it. Close it and run again")


def _is_sticky_for_us(folder: str, path: str) -> bool:
    """Whether a folder shared by several people refuses us a file of somebody else, though it can be written."""
    there = os.stat(folder)
    if not there.st_mode & stat.S_ISVTX or not hasattr(os, "geteuid"):
        return False
    return os.geteuid() not in (0, there.st_uid, os.lstat(path).st_uid)


def _owner_files(folder: str, name: str) -> list[str]:
    """The files that office programs was beside one that they have open."""
    names = [f"~${name}", f"~${name[2:]}", f".~lock.{name}#"]
    return [os.path.join(folder, each) for each in names]


def marks(path: str) -> str:
    """The name of the file that a file beside it marks as open; an empty text for any other file."""
    name = os.path.basename(path)
    if name.startswith(".~lock.") and name.endswith("#"):
        return name.removeprefix(".~lock.").removesuffix("#")
    if not name.startswith("~$"):
        return ""
    try:
        beside = os.listdir(os.path.dirname(path) or ".")
    except OSError:
        beside = []
    return next((each for each in sorted(beside) if name in (f"~${each}", f"~${each[2:]}")), name[2:])


def _who(owner: str) -> str:
    """The person an owner file names, in one line, where that is easily read."""
    try:
        with open(owner, "rb", opener=only_files) as stream:
            data = stream.read(512)
    except OSError:
        return ""
    if os.path.basename(owner).startswith(".~lock."):
        found = data.split(b",")[0].decode("utf-8", "replace")
    else:
        found = data[1 : 1 + data[0]].decode("latin-1") if data and data[0] < 54 else ""
    return " ".join(found.split())


def _locked(path: str) -> bool:
    try:
        import fcntl
    except ImportError:  # Windows: opening a file that is held for writing fails on its own
        try:
            with open(path, "rb+"):
                return False
        except OSError:
            return True
    with open(path, "rb+", opener=only_files) as stream:
        try:
            fcntl.lockf(stream, fcntl.LOCK_EX | fcntl.LOCK_NB)
            fcntl.lockf(stream, fcntl.LOCK_UN)
        except OSError:
            return True
    return False
