"""Files are held from the last look at them to the rename, by the system's lock on the file, which every home and every
person of this machine sees; mailboxes also as mail programs hold them.
"""

from __future__ import annotations

import contextlib
import os
import time
from collections.abc import Iterable, Iterator
from typing import BinaryIO

from scrub.store import system_lock
from scrub.store.disk import Disk, only_files, private_folder
from scrub.store.errors import Changed, InUse
from scrub.store.hashing import hash_of
from scrub.store.inuse import is_mailbox, lock_name, mailbox_in_use

#: What our own lock files say, by which recovery knows them again.
_OURS = b"scrub\n"
#: Seconds that another run may hold a file before this one gives up.
_PATIENCE = 10.0


@contextlib.contextmanager
def locked(disk: Disk, paths: Iterable[str]) -> Iterator[dict[str, BinaryIO]]:
    """Holds these files, those that are there, and gives them, open. Raises `InUse` where another program contains
    one, and `Changed` for one that was put in the place of another in the meantime.
    """
    with contextlib.ExitStack() as held:
        every = [(path, _hold(disk, path, held)) for path in sorted(set(paths)) if os.path.isfile(path)]
        yield {path: stream for path, stream in every if stream is not None}


def _hold(disk: Disk, path: str, held: contextlib.ExitStack) -> BinaryIO | None:
    """A file that is held, open; None where it cannot be open while it is replaced."""
    mailbox = is_mailbox(path)
    if mailbox:
        beside = lock_name(path)
        if not disk.claim_file(beside, _OURS):
            raise mailbox_in_use(path)
        held.callback(disk.remove, beside)
    if disk.windows:
        _hold_by_name(path, held)
        return None
    try:
        stream: BinaryIO = held.enter_context(open(path, "rb+", opener=only_files))  # noqa: SIM115 - the stack closes it
    except PermissionError:
        stream = held.enter_context(open(path, "rb", opener=only_files))  # noqa: SIM115
    _lock(path, stream)
    if mailbox:
        _lock_for_mail(path, stream)
    if os.fstat(stream.fileno()).st_ino != os.stat(path).st_ino:
        raise Changed(path)
    return stream


def _hold_by_name(path: str, held: contextlib.ExitStack) -> None:
    """Holds another file in the name of this one, in a folder of the person: it stays there, empty."""
    import tempfile

    folder = os.path.join(tempfile.gettempdir(), "scrub-locks")
    private_folder(folder)
    name = hash_of(os.path.normcase(os.path.realpath(path)).encode("utf-8", "surrogatepass"))[:32]
    _lock(path, held.enter_context(open(os.path.join(folder, name), "ab")))  # noqa: SIM115 - the stack closes it


def _lock(path: str, stream: BinaryIO) -> None:
    until = time.monotonic() + _PATIENCE
    with contextlib.suppress(OSError):  # some network file systems have no such lock
        while not system_lock.take(stream):
            if time.monotonic() > until:
                raise InUse(path, "another run is using it. Wait until it is done, then run again")
            time.sleep(0.02)


def _lock_for_mail(path: str, stream: BinaryIO) -> None:
    """Takes the other lock that mail programs use (RFC 4155)."""
    with contextlib.suppress(ImportError):
        import fcntl

        try:
            fcntl.lockf(stream, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except OSError:
            raise InUse(path, "a mail program has locked it. Close it and run again") from None


def unlock_after_crash(disk: Disk, path: str) -> None:
    """Removes a lock file that a run of ours left after; that of another program stays."""
    beside = lock_name(path)
    with contextlib.suppress(OSError):
        if os.path.exists(beside) and disk.read(beside) == _OURS:
            disk.remove(beside)
