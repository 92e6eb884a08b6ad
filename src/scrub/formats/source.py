"""The bytes of a picked file when it was opened."""

from __future__ import annotations

import io
import os
import threading
from collections.abc import Callable, Iterator, Mapping
from contextlib import contextmanager
from contextvars import ContextVar
from types import MappingProxyType
from typing import BinaryIO, TypeVar

from scrub.model.core.preferences import CURRENT
from scrub.model.core.problem import Failure, FileProblem
from scrub.store.access import note_access
from scrub.store.disk import digest_known, digest_of, only_files
from scrub.store.stamps import lasts, stamp_of

T = TypeVar("T")
#: The most bytes of a file that is put into another one.
_MOST = 1_000_000_000


#: Files that came as bytes, by the paths that they have elsewhere.
_SENT: ContextVar[Mapping[str, bytes]] = ContextVar("sent", default=MappingProxyType({}))


@contextmanager
def sending(files: Mapping[str, bytes]) -> Iterator[None]:
    """Inside the block, these files are there, by their paths, though no disk of this machine has them."""
    token = _SENT.set(files)
    try:
        yield
    finally:
        _SENT.reset(token)


class Source:
    """An open file with its hash. `path` is absolute, with links followed; `shown` is what the person wrote."""

    def __init__(self, path: str) -> None:
        self.shown = path
        self.path = os.path.realpath(path)
        note_access(self.path)
        sent = _SENT.get().get(path)
        if sent is not None:
            self._take(sent)
            return
        if os.path.isdir(self.path):
            raise FileProblem(path, "this is a folder. Name the files in it, for example with *.xlsx")
        if os.path.exists(self.path) and not os.path.isfile(self.path):
            raise FileProblem(path, "not a file: a pipe or a device")  # to open one may wait for ever
        try:
            self.stream: BinaryIO = open(self.path, "rb", opener=only_files)  # noqa: SIM115 - held until `close`
        except FileNotFoundError:
            raise FileProblem(path, "no such file") from None
        except OSError as error:
            raise FileProblem(path, f"the file cannot be read: {error.strerror}") from None
        self._lock = threading.Lock()  # several threads pack parts of one file
        self._resting = False
        self.fresh = False  # whether it is not there yet
        self.size = self.stream.seek(0, os.SEEK_END)
        most = CURRENT.get().most_gigabytes
        if self.size > most * 10**9:
            self.stream.close()
            raise FileProblem(
                path,
                f"it has {self.size / 10**9:,.0f} GB, and is read up to {most} GB. To read it all the same: "
                f"scrub settings max-gigabytes {-(-self.size // 10**9)}",
            )
        self._stamp = stamp_of(os.fstat(self.stream.fileno()))
        self._digest = "" if lasts(self._stamp) else digest_of(self.stream)

    @property
    def digest(self) -> str:
        """The hash of its bytes. Those of a file that was not changed for a while are read for it when somebody asks;
        raises `FileProblem` where another program changed it since.
        """
        if not self._digest:
            with self._lock:
                if self._resting:
                    self._open_again()
                if not self._digest:
                    self._digest = digest_known(self.stream)
                    self._ensure_same(stamp_of(os.fstat(self.stream.fileno())) == self._stamp)
        return self._digest

    def _ensure_same(self, same: bool) -> None:
        if not same:
            raise self.problem("another program changed the file in the meantime")

    def _take(self, data: bytes) -> None:
        """Takes the bytes of a file that this machine does not see."""
        self.stream = io.BytesIO(data)
        self._lock, self._resting = threading.Lock(), False
        self._digest, self.size = digest_of(self.stream), len(data)
        self.fresh = False

    def read(self, start: int, length: int) -> bytes:
        """A range of the file; shorter at its end."""
        with self._lock:
            if self._resting:
                self._open_again()
            self.stream.seek(start)
            return self.stream.read(length)

    def rest(self) -> None:
        """Lets the file go until it is read again: a system contains only that many files open."""
        if not isinstance(self.stream, io.BytesIO):
            self._resting = True
            self.stream.close()

    def _open_again(self) -> None:
        try:
            self.stream = open(self.path, "rb", opener=only_files)  # noqa: SIM115 - held until `close`
            self._resting = False
            if self._digest:
                same = digest_known(self.stream) == self._digest
            else:
                same = stamp_of(os.fstat(self.stream.fileno())) == self._stamp
        except OSError as error:
            raise self.problem(f"the file cannot be read: {error.strerror}") from None
        self._ensure_same(same)

    def problem(self, what: str) -> FileProblem:
        """A problem with this file."""
        return FileProblem(self.shown, what)

    def close(self) -> None:
        """Lets the file go."""
        self.stream.close()


class FreshSource(Source):
    """A file that is not there yet: what it is made of is known, and where it is to be."""

    def __init__(self, path: str, data: bytes) -> None:
        self.shown = self.path = path
        self._take(data)
        self.fresh = True


def data_of(path: str) -> bytes:
    """The bytes of another file, which a macro names. Raises `Failure` for one that cannot be read."""
    name = os.path.basename(path)
    note_access(path)
    try:
        with open(path, "rb", opener=only_files) as stream:
            if stream.seek(0, os.SEEK_END) > _MOST:
                raise Failure(f"{name} is larger than {_MOST // 10**6} MB, which is too large to embed")
            stream.seek(0)
            return stream.read()
    except FileNotFoundError:
        raise Failure(f"{name} cannot be read: no such file") from None
    except OSError as error:
        raise Failure(f"{name} cannot be read: {error.strerror}") from None


def opened(path: str, make: Callable[[Source], T]) -> T:
    """A file opened by a format, which lets it go again where it cannot read it."""
    source = Source(path)
    try:
        return make(source)
    except BaseException:
        source.close()
        raise
