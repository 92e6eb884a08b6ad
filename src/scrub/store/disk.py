"""Every operation on the disk goes through one object, so that a test can stop a run after each of them."""

from __future__ import annotations

import contextlib
import errno
import os
import stat
import sys
from collections.abc import Callable, Iterable, Iterator, Sequence
from contextvars import ContextVar
from typing import BinaryIO, NamedTuple

from scrub.store import system_lock
from scrub.store.hashing import Hash, new_hash
from scrub.store.stamps import KNOWN, Stamp, lasts, stamp_of

CHUNK = 1 << 20
#: Is told when another process contains a lock, before it is waited for.
WAITING: ContextVar[Callable[[], None]] = ContextVar("waiting", default=lambda: None)


def only_files(path: str, flags: int) -> int:
    """For `open(path, …, opener=only_files)`: opens a file and nothing else. At a pipe that somebody laid in a folder,
    one would wait without end.
    """
    handle = os.open(path, flags | getattr(os, "O_NONBLOCK", 0), 0o666)
    mode = os.fstat(handle).st_mode
    if not stat.S_ISREG(mode):
        os.close(handle)
        if stat.S_ISDIR(mode):
            raise IsADirectoryError(errno.EISDIR, os.strerror(errno.EISDIR), path)
        raise OSError(errno.EINVAL, "not a file: a pipe or a device", path)
    return handle


def digest_of(stream: BinaryIO) -> str:
    """The BLAKE2b hash (RFC 7693, 32 bytes, hexadecimal) of an open file, read from its start."""
    stream.seek(0)
    found = new_hash()
    while chunk := stream.read(CHUNK):
        found.update(chunk)
    return found.hexdigest()


def digest_known(stream: BinaryIO) -> str:
    """The same, without reading a file whose hash is known since it changed last; see `stamps`."""
    known = KNOWN.find(stream.fileno())
    if known is not None:
        return known
    before = stamp_of(os.fstat(stream.fileno()))
    trusted = lasts(before)
    found = digest_of(stream)
    if trusted and stamp_of(os.fstat(stream.fileno())) == before:
        KNOWN.keep(before, found)
    return found


def hashed(chunks: Iterable[bytes], into: Hash) -> Iterator[bytes]:
    """The chunks, hashed as they pass."""
    for chunk in chunks:
        into.update(chunk)
        yield chunk


class Dress(NamedTuple):
    """Mode, user, group, time of the last change (in nanoseconds) and extended attributes of a file; each of these is
    its name and its value in hexadecimal digits.
    """

    mode: int
    user: int
    group: int
    time: int
    attributes: Sequence[Sequence[str]] = ()


def _attributes_of(path: str) -> list[tuple[str, bytes]]:
    """The extended attributes of a file; none where the file system has none."""
    attributes = []
    if sys.platform == "linux":
        with contextlib.suppress(OSError):
            for name in os.listxattr(path):
                with contextlib.suppress(OSError):
                    attributes.append((name, os.getxattr(path, name)))
    return attributes


def private_folder(path: str) -> None:
    """Makes a folder and those above it that are missing, all for their owner alone; one that is there is fine."""
    missing = []
    while path and not os.path.isdir(path):
        missing.append(path)
        path = os.path.dirname(path)
    for folder in reversed(missing):
        with contextlib.suppress(FileExistsError):
            os.mkdir(folder, 0o700)


class Disk:
    """The disk as it is. Every method that changes something is one step of the commit protocol."""

    #: Whether no file that is open can be replaced or removed here, and folders cannot be synced.
    windows = os.name == "nt"

    def digest(self, path: str) -> str | None:
        """The hash of a file, or None where there is none."""
        try:
            with open(path, "rb", opener=only_files) as stream:
                return digest_known(stream)
        except FileNotFoundError:
            return None

    def digest_afresh(self, path: str) -> str | None:
        """The same, of what is read of it now."""
        try:
            with open(path, "rb", opener=only_files) as stream:
                return digest_of(stream)
        except FileNotFoundError:
            return None

    def stamp(self, path: str) -> Stamp | None:
        """What the system notes of a file, by which it is known again."""
        try:
            return stamp_of(os.stat(path, follow_symlinks=False))
        except OSError:
            return None

    def read(self, path: str, start: int = 0, length: int = -1) -> bytes:
        """The bytes of a file, or of a part of it."""
        with open(path, "rb", opener=only_files) as stream:
            stream.seek(start)
            return stream.read(length)

    def names(self, folder: str) -> list[str]:
        """The names in a folder, sorted; none where there is not a folder."""
        try:
            return sorted(os.listdir(folder))
        except (FileNotFoundError, NotADirectoryError):
            return []

    def exists(self, path: str) -> bool:
        """Whether something is there."""
        return os.path.lexists(path)

    def make_folder(self, path: str) -> None:
        """Makes a folder and those above it, for its owner alone; one that is there is fine."""
        private_folder(path)

    def make_missing(self, path: str) -> list[str]:
        """Makes a folder and those above it for people's files; gives those that were not there."""
        missing = []
        while path and not os.path.isdir(path):
            missing.append(path)
            path = os.path.dirname(path)
        for folder in reversed(missing):
            os.mkdir(folder)
        return missing

    def remove_empty(self, path: str) -> None:
        """Removes a folder that contains nothing; any other stays."""
        with contextlib.suppress(OSError):
            os.rmdir(path)

    def entries(self, folder: str) -> dict[str, os.stat_result]:
        """The files in a folder, with what the system knows of them; none where there is not a folder."""
        try:
            with os.scandir(folder) as found:
                return {each.name: each.stat() for each in found}
        except (FileNotFoundError, NotADirectoryError):
            return {}

    def claim_folder(self, path: str) -> bool:
        """Makes a folder that nobody else has made; False when it is there already."""
        try:
            os.mkdir(path)
        except FileExistsError:
            return False
        return True

    def claim_file(self, path: str, data: bytes) -> bool:
        """Makes a file that nobody else has made; False when it is there already."""
        try:
            handle = os.open(path, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600)
        except FileExistsError:
            return False
        with open(handle, "wb") as stream:
            stream.write(data)
        return True

    def write(
        self, path: str, chunks: Iterable[bytes], like: str | None = None, lasting: bool = True, fresh: bool = False
    ) -> None:
        """Writes a file, and syncs it if `lasting`. With `like`, it takes over that file's mode, owner and extended
        attributes. One that is `fresh` must not be there yet, under no link, and is private while it is written.
        """
        flags = os.O_WRONLY | os.O_CREAT | getattr(os, "O_BINARY", 0)
        flags |= os.O_EXCL | getattr(os, "O_NOFOLLOW", 0) if fresh else os.O_TRUNC
        with open(os.open(path, flags, 0o600 if fresh else 0o666), "wb") as stream:
            for chunk in chunks:
                stream.write(chunk)
            if like is not None:
                self._take_over(stream.fileno(), like)
            elif fresh:
                self._usual_mode(stream.fileno())
            if lasting:
                stream.flush()
                os.fsync(stream.fileno())

    def rename(self, old: str, new: str) -> None:
        """Puts a file in the place of another, in one step."""
        os.replace(old, new)

    def rename_new(self, old: str, new: str) -> None:
        """Gives a file a name that none has. Raises `FileExistsError` where one has it now."""
        try:
            os.link(old, new, follow_symlinks=False)
        except FileExistsError:
            raise
        except (OSError, NotImplementedError, AttributeError):  # no such links in this file system
            if os.path.lexists(new):
                raise FileExistsError(errno.EEXIST, os.strerror(errno.EEXIST), new) from None
            os.rename(old, new)
            return
        os.remove(old)

    def dress(self, path: str, dress: Dress) -> None:
        """Gives a file mode, owner and times that another one had."""
        os.chmod(path, dress.mode)
        if hasattr(os, "chown"):
            with contextlib.suppress(PermissionError):
                os.chown(path, dress.user, dress.group)
        if sys.platform == "linux":
            for name, value in dress.attributes:
                with contextlib.suppress(OSError):  # one that only the system sets, or that no file has here
                    os.setxattr(path, name, bytes.fromhex(value))
        os.utime(path, ns=(dress.time, dress.time))

    def dress_of(self, path: str) -> Dress:
        """Mode, owner and times of a file."""
        found = os.stat(path)
        attributes = tuple((name, value.hex()) for name, value in _attributes_of(path))
        return Dress(stat.S_IMODE(found.st_mode), found.st_uid, found.st_gid, found.st_mtime_ns, attributes)

    def remove(self, path: str) -> None:
        """Removes a file; one that is gone is fine."""
        with contextlib.suppress(FileNotFoundError):
            os.remove(path)

    def sync_folder(self, path: str) -> None:
        """Makes renames in a folder last. Where the system cannot open folders, renames last by themselves."""
        if self.windows:
            return
        handle = os.open(path, os.O_RDONLY)
        try:
            os.fsync(handle)
        except OSError as error:  # some network file systems have no sync of folders
            if error.errno not in (errno.EINVAL, errno.ENOTSUP):
                raise
        finally:
            os.close(handle)

    @contextlib.contextmanager
    def locked(self, path: str) -> Iterator[None]:
        """Waits until no other process contains this lock, and contains it; the system lets go when a process dies."""
        with open(path, "ab") as stream:
            if not system_lock.take(stream):
                WAITING.get()()
                system_lock.take(stream, wait=True)
            yield

    def is_locked(self, path: str) -> bool:
        """Whether another process contains this lock at the moment."""
        with open(path, "ab") as stream:
            return not system_lock.take(stream)

    @staticmethod
    def _usual_mode(handle: int) -> None:
        """The mode that new files have here."""
        if hasattr(os, "fchmod"):
            mask = os.umask(0o077)
            os.umask(mask)
            os.fchmod(handle, 0o666 & ~mask)

    @staticmethod
    def _take_over(handle: int, like: str) -> None:
        try:
            was = os.stat(like)
        except FileNotFoundError:
            return
        if hasattr(os, "fchown"):
            with contextlib.suppress(PermissionError):
                os.fchown(handle, was.st_uid, was.st_gid)
        if hasattr(os, "fchmod"):
            os.fchmod(handle, stat.S_IMODE(was.st_mode))
        if sys.platform == "linux":
            for name, value in _attributes_of(like):
                with contextlib.suppress(OSError):  # one that only the system sets
                    os.setxattr(handle, name, value)
