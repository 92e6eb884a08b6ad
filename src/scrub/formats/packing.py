"""Deflate (RFC 1951) by whatever does it fastest: half the time of a run over a big workbook goes into it."""

from __future__ import annotations

import io
import zlib
from collections.abc import Callable, Iterable, Iterator
from itertools import chain, islice
from typing import Any

#: Unpacked bytes that are packed in one call.
_CHUNK = 1 << 18
#: Unpacked bytes up to which a part is unpacked in one call.
_AT_ONCE = 8 << 20
#: Unpacked bytes that an old part and a new one have in common at their start.
_ALIKE = 1 << 17
_PIECE = 1 << 14  # of packed bytes, which come to 16 MB at the most
#: What makes the new bytes of a part, or pieces of them.
Maker = Callable[[], "bytes | Iterable[bytes | memoryview]"]


def whole_part(made: bytes | Iterable[bytes | memoryview]) -> bytes:
    """What a maker made, in one piece."""
    return made if isinstance(made, bytes) else b"".join(made)


#: Bytes from which on it pays to load the quicker library.
_MANY = 30_000
_quick: object = None


def engine(size: int) -> Any:
    """What has `compressobj`, `decompressobj`, `crc32` and `error` as `zlib` does, for that many bytes unpacked."""
    global _quick
    if size < _MANY:
        return zlib
    if _quick is None:
        try:
            from zlib_ng import zlib_ng

            _quick = zlib_ng
        except ImportError:  # it is not made for every machine
            _quick = zlib
    return _quick


def _level(of: Any) -> int:
    """How hard an engine tries, where a third of the time saves no more than a fiftieth of the room."""
    return 6 if of is zlib else 5


def checksum(data: bytes) -> int:
    """The checksum of unpacked bytes (CRC-32)."""
    result: int = engine(len(data)).crc32(data)
    return result


def inflated(packed: bytes, size: int) -> bytes:
    """The unpacked bytes, or a few more than there may be. A large part piece by piece into one buffer, which becomes
    the bytes themselves: unpacked in one call, it takes twice its room. Raises `zlib.error` where they are damaged.
    """
    quick, found = engine(size), io.BytesIO()
    inflater = quick.decompressobj(-15)
    try:
        if size <= _AT_ONCE:
            whole: bytes = inflater.decompress(packed, size + 1)
            return whole
        for at in range(0, len(packed), _PIECE):
            found.write(inflater.decompress(packed[at : at + _PIECE]))
            if found.tell() > size:
                break
    except quick.error as error:
        raise zlib.error(*error.args) from None
    return found.getvalue()


def packed_all(makers: list[Maker]) -> Iterable[tuple[bytes, int, int]]:
    """Each part made and deflated: its packed bytes, its size and its checksum. Several go on two threads."""
    if len(makers) < 3:
        return [packed_bytes(maker()) for maker in makers]
    from concurrent.futures import ThreadPoolExecutor

    with ThreadPoolExecutor(2) as pool:  # zlib works outside the interpreter's lock
        return list(pool.map(lambda maker: packed_bytes(maker()), makers))


def packed_bytes(data: bytes | Iterable[bytes | memoryview], is_new: bool = False) -> tuple[bytes, int, int]:
    """Some bytes deflated, or pieces of them; their size and their checksum. What begins as the old part does is
    packed as most writers do it, so that it begins alike when it is packed, and little is kept for undoing it.
    """
    pieces = iter((data,) if isinstance(data, bytes) else data)
    start = next(pieces, b"")
    blocks = _blocks(chain((start,), pieces))
    first = list(islice(blocks, 2))
    begins_alike = not is_new and (isinstance(data, bytes) or len(start) > _ALIKE)
    quick = zlib if begins_alike else engine(sum(map(len, first)))
    deflater = quick.compressobj(_level(quick), zlib.DEFLATED, -15)
    packed: list[bytes] = []
    size = crc = 0
    for piece in chain(first, blocks):
        packed.append(deflater.compress(piece))
        size += len(piece)
        crc = quick.crc32(piece, crc)
    packed.append(deflater.flush())
    return b"".join(packed), size, crc


def _blocks(pieces: Iterable[bytes | memoryview]) -> Iterator[bytes]:
    """Small pieces joined to larger ones."""
    waiting: list[bytes | memoryview] = []
    size = 0
    for piece in pieces:
        waiting.append(piece)
        size += len(piece)
        if size >= _CHUNK:  # each is one way out of the interpreter's lock, and a wait for it after
            yield b"".join(waiting)
            waiting, size = [], 0
    yield b"".join(waiting)
