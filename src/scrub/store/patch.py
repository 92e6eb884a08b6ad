"""A Patch: a new file as ranges copied from the old one and new bytes between them; its inverse is the undo.

As a file it is one line of JSON, `{"format": "scrub patch 1", "before": …, "after": …, "pieces": […]}`, where a
piece is `[start, length]` of the old file or a plain number of new bytes, and then the new bytes in order.
"""

from __future__ import annotations

import contextlib
import json
import os
from collections.abc import Callable, Iterable, Iterator
from contextvars import ContextVar
from typing import BinaryIO, NamedTuple

from scrub.store.access import note_access
from scrub.store.disk import CHUNK, Dress, digest_of, only_files
from scrub.store.hashing import hash_of
from scrub.store.rows import RowChanges

FORMAT = "scrub patch 1"

#: Up to this size in bytes the undo keeps the old file whole, so that it survives later edits of the new one.
WHOLE_UP_TO = 1 << 21


class Copy(NamedTuple):
    """A range of the old file, in bytes."""

    start: int
    length: int


class Borrowed(NamedTuple):
    """A range of another file, in bytes, which must have this hash when the patch is used."""

    path: str
    digest: str
    start: int
    length: int


Piece = Copy | Borrowed | bytes


class Patch:
    """How to make a new file from an old one.

    `before` is the hash of the old file, or None where there was none; `size` is the old file's, in bytes.
    """

    def __init__(self, before: str | None, size: int, pieces: Iterable[Piece]) -> None:
        self.before = before
        self.size = size
        self.pieces = list(_joined(pieces))

    def chunks(self, old: BinaryIO | None) -> Iterator[bytes]:
        """The new file, in chunks."""
        return _gathered(self._parts(old))

    def _parts(self, old: BinaryIO | None) -> Iterator[bytes]:
        with contextlib.ExitStack() as others:
            last, stream = "", old  # of other files, mostly one is read again and again
            for piece in self.pieces:
                if isinstance(piece, bytes):
                    yield piece
                elif isinstance(piece, Borrowed):
                    if piece.path != last:
                        others.close()
                        last, stream = piece.path, others.enter_context(open(piece.path, "rb", opener=only_files))
                    assert stream is not None
                    yield from _range(stream, piece.start, piece.length)
                else:
                    assert old is not None
                    yield from _range(old, piece.start, piece.length)

    @property
    def borrowed(self) -> set[tuple[str, str]]:
        """The other files that it reads from, each with the hash that it must have."""
        return {(piece.path, piece.digest) for piece in self.pieces if isinstance(piece, Borrowed)}

    def inverse(self, old: BinaryIO | None, after: str, after_size: int) -> Patch:
        """The patch that makes the old file from the new one: what was not copied is kept as bytes."""
        if old is not None and self.size <= WHOLE_UP_TO:
            return Patch(after, after_size, _range(old, 0, self.size))
        spans: list[tuple[int, int, int]] = []  # start in the old file, length, start in the new one
        at = 0
        for piece in self.pieces:
            if isinstance(piece, bytes):
                at += len(piece)
            elif isinstance(piece, Borrowed):
                at += piece.length
            else:
                spans.append((piece.start, piece.length, at))
                at += piece.length
        pieces: list[Piece] = []
        done = 0
        for start, length, new_start in sorted(spans):
            skipped = max(0, done - start)  # two copies may overlap in the old file
            start, length, new_start = start + skipped, length - skipped, new_start + skipped
            if length <= 0:
                continue
            if start > done and old is not None:
                pieces.extend(_range(old, done, start - done))
            pieces.append(Copy(new_start, length))
            done = start + length
        if done < self.size and old is not None:
            pieces.extend(_range(old, done, self.size - done))
        return Patch(after, after_size, pieces)

    @property
    def is_whole(self) -> bool:
        """Whether it contains the new file whole and needs nothing of the old one."""
        return all(isinstance(piece, bytes) for piece in self.pieces)

    def dump(self) -> Iterator[bytes]:
        """The patch as a file, in chunks."""
        head = {
            "format": FORMAT,
            "before": self.before,
            "size": self.size,
            "pieces": [len(piece) if isinstance(piece, bytes) else list(piece) for piece in self.pieces],
        }
        assert not self.borrowed, "undo data contains all that it needs"
        yield json.dumps(head, separators=(",", ":")).encode() + b"\n"
        for piece in self.pieces:
            if isinstance(piece, bytes):
                yield piece

    def settled(self) -> Patch:
        """The same patch with all that it makes in its pieces, so that it can go to another process."""
        return self

    @property
    def fresh_bytes(self) -> int:
        """How many bytes it contains that are in no other file."""
        return sum(len(piece) for piece in self.pieces if isinstance(piece, bytes))

    @property
    def is_copy(self) -> bool:
        """Whether it makes the very file that it is made of."""
        return self.pieces == [Copy(0, self.size)]

    @classmethod
    def load(cls, data: bytes) -> Patch:
        """Reads a patch back. Raises `ValueError` when it is damaged."""
        line, _, body = data.partition(b"\n")
        head = json.loads(line)
        if head.get("format") != FORMAT:
            raise ValueError("not a patch of this version")
        pieces: list[Piece] = []
        at = 0
        for piece in head["pieces"]:
            if isinstance(piece, int):
                pieces.append(body[at : at + piece])
                at += piece
            else:
                pieces.append(Copy(*piece))
        if at != len(body):
            raise ValueError("the patch is cut short")
        return cls(head["before"], head["size"], pieces)


class Effect(NamedTuple):
    """What a commit does to one path. `patch` makes the new content; None removes the file.

    `before` is the hash of what is there now, None for nothing. `source` names the file that the patch copies from
    where that is another one. `after` is the hash that the new content must have, where that is known, and `dress` are
    the mode, owner and times that it gets. With `rows` it is a database that is changed row for row, and `path` is its
    address.
    """

    path: str
    patch: Patch | None
    before: str | None
    source: str | None = None
    after: str | None = None
    dress: Dress | None = None
    rows: RowChanges | None = None


#: The paths at which the run at hand makes files, whatever makes them; None outside of runs.
_CLAIMED: ContextVar[set[str] | None] = ContextVar("claimed", default=None)


@contextlib.contextmanager
def claiming(claimed: set[str]) -> Iterator[None]:
    """One run, in which no path is given to two files; `claimed` contains those that are given."""
    token = _CLAIMED.set(claimed)
    try:
        yield
    finally:
        _CLAIMED.reset(token)


def forgetting() -> Callable[[], None]:
    """What gives up all paths that are claimed from now on, where nothing of an execution is saved."""
    claimed = _CLAIMED.get()
    before = frozenset(claimed or ())

    def forget() -> None:
        if claimed is not None:
            claimed.intersection_update(before)

    return forget


def replacing(effect: Effect) -> Effect:
    """An effect that makes a file, as one that puts the file in the place of one that exists."""
    assert effect.patch is not None
    with open(effect.path, "rb", opener=only_files) as stream:
        size, before = os.fstat(stream.fileno()).st_size, digest_of(stream)
    return effect._replace(patch=Patch(before, size, effect.patch.pieces), before=before, source=None)


def is_claimed(path: str) -> bool:
    """Whether the run at hand makes a file at a path."""
    return _key(path) in (_CLAIMED.get() or ())


def claim(path: str) -> str:
    """Keeps a path for a file that the run at hand makes; gives the path."""
    claimed = _CLAIMED.get()
    if claimed is not None:
        claimed.add(_key(path))
    return path


def release(path: str) -> None:
    """Gives a path up."""
    claimed = _CLAIMED.get()
    if claimed is not None:
        claimed.discard(_key(path))


def _key(path: str) -> str:
    return os.path.normcase(os.path.abspath(path))


def free_path(path: str, taken: Callable[[str], bool] = os.path.lexists) -> str:
    """The path, with a number after its name if it is taken, also by a file that the run at hand makes. The path is
    claimed for the run: nothing is ever overwritten.
    """
    stem, ending = os.path.splitext(path)
    found, number = path, 2
    note_access(found)
    while taken(found) or is_claimed(found):
        found, number = f"{stem} ({number}){ending}", number + 1
        note_access(found)
    return claim(found)


def whole(data: bytes) -> Patch:
    """The patch that makes a file where none was."""
    return Patch(None, 0, [data])


def digest(data: bytes) -> str:
    """The hash of some bytes, as `Disk.digest` gives it for a file."""
    return hash_of(data)


def _gathered(parts: Iterable[bytes]) -> Iterator[bytes]:
    """Small parts put together: thousands of edits in a big file are thousands of them."""
    waiting: list[bytes] = []
    size = 0
    for part in parts:
        if size and size + len(part) > CHUNK:
            yield b"".join(waiting)
            waiting, size = [], 0
        waiting.append(part)
        size += len(part)
    if waiting:
        yield b"".join(waiting)


def _range(stream: BinaryIO, start: int, length: int) -> Iterator[bytes]:
    stream.seek(start)
    while length > 0:
        chunk = stream.read(min(CHUNK, length))
        if not chunk:
            raise ValueError("the file is shorter than it was")
        length -= len(chunk)
        yield chunk


def _joined(pieces: Iterable[Piece]) -> Iterator[Piece]:
    """Neighbouring pieces of one kind made one, empty ones dropped."""
    copy: Copy | None = None
    fresh: list[bytes] = []
    for piece in pieces:
        if isinstance(piece, bytes):
            if copy is not None and piece:
                yield copy
                copy = None
            if piece:
                fresh.append(piece)
        elif piece.length:
            if fresh:
                yield b"".join(fresh)
                fresh = []
            if isinstance(piece, Borrowed):
                if copy is not None:
                    yield copy
                    copy = None
                yield piece
            elif copy is not None and copy.start + copy.length == piece.start:
                copy = Copy(copy.start, copy.length + piece.length)
            else:
                if copy is not None:
                    yield copy
                copy = piece
    if fresh:
        yield b"".join(fresh)
    if copy is not None:
        yield copy
