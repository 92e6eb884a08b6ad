"""Mailboxes that are files are locked as mail programs lock them, from the last look at them to the rename."""

from __future__ import annotations

import contextlib
import os
from collections.abc import Iterable, Iterator
from typing import BinaryIO

from scrub.store.disk import Disk
from scrub.store.errors import InUse

#: What our own lock files say, by which recovery knows them again.
_OURS = b"scrub\n"


def lock_name(path: str) -> str:
    """The file that says that a mailbox is in use, as mail programs lay it beside one (RFC 4155, section 3)."""
    return f"{path}.lock"


def is_mailbox(path: str) -> bool:
    """Whether a file begins as a mailbox does (RFC 4155)."""
    try:
        with open(path, "rb") as stream:
            return stream.read(5) == b"From "
    except OSError:
        return False


@contextlib.contextmanager
def locked(disk: Disk, paths: Iterable[str]) -> Iterator[dict[str, BinaryIO]]:
    """Holds the lock file and the record lock of each mailbox among these files, and gives them, open. Raises `InUse`
    where a mail program holds one.
    """
    with contextlib.ExitStack() as held:
        yield {path: _lock(disk, path, held) for path in sorted(paths) if is_mailbox(path)}


def _lock(disk: Disk, path: str, held: contextlib.ExitStack) -> BinaryIO:
    beside = lock_name(path)
    if not disk.claim_file(beside, _OURS):
        raise InUse(
            path, f"a mail program works on it. If none does, a crash left its lock behind; delete it: {beside}"
        )
    held.callback(disk.remove, beside)
    stream = held.enter_context(open(path, "rb+"))  # noqa: SIM115 - the stack closes it
    with contextlib.suppress(ImportError):  # there is no record lock on Windows
        import fcntl

        try:
            fcntl.lockf(stream, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except OSError:
            raise InUse(path, "a mail program has locked it. Close it there, and run again") from None
    return stream


def unlock_after_crash(disk: Disk, path: str) -> None:
    """Removes a lock file that a run of ours left behind; that of another program stays."""
    beside = lock_name(path)
    with contextlib.suppress(OSError):
        if os.path.exists(beside) and disk.read(beside) == _OURS:
            disk.remove(beside)
