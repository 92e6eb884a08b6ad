"""One part of a package unpacked in blocks, for parts that are too large to be held (RFC 1951)."""

from __future__ import annotations

import zlib
from collections.abc import Iterator
from typing import Any, Protocol

from scrub.formats.packing import engine
from scrub.formats.source import Source
from scrub.formats.zip import STORED, Place, ReadsParts

#: Packed bytes that are unpacked in one step; unpacked bytes after which the state of the unpacking is kept; and the
#: unpacked bytes that one step gives at the most.
_STEP, _MARK, _BLOCK = 1 << 16, 4 << 20, 1 << 20


class PlacesParts(ReadsParts, Protocol):
    """What gives the parts of a package, and tells where they are packed."""

    source: Source

    def place(self, name: str) -> Place:
        """Where the packed bytes of a part are."""

    def is_utf8(self, name: str) -> bool:
        """Whether a part is in UTF-8."""


class PackedPart:
    """A part that is read from any place in it: the state of the unpacking is kept every few megabytes."""

    def __init__(self, package: PlacesParts, name: str) -> None:
        self._package = package
        self._name = name
        place = package.place(name)
        self._at, self._packed, self.size = place.start, place.packed, place.size
        self._crc = place.crc
        self._marks: list[tuple[int, int, Any]] = []  # unpacked and packed place, and the state there
        self._whole: bytes | None = None
        self._quick = engine(self.size)
        if place.method == STORED or self.size <= _BLOCK or not package.is_utf8(name):
            self._whole = package.read(name)
            self.size = len(self._whole)

    @property
    def is_converted(self) -> bool:
        """Whether it was written in another encoding than UTF-8: places are those of its bytes in UTF-8."""
        return not self._package.is_utf8(self._name)

    def whole(self) -> bytes:
        """All of it."""
        if self._whole is None:
            self._whole = self._package.read(self._name)
            self._marks.clear()
        return self._whole

    def blocks(self) -> Iterator[bytes]:
        """All of it in blocks, once; its checksum is checked at the end. Raises `FileProblem`."""
        if self._whole is not None:
            yield self._whole
            return
        crc = count = 0
        self._marks = []
        for block in self._unpacked(0, 0, self._quick.decompressobj(-15), True):
            crc = self._quick.crc32(block, crc)
            count += len(block)
            if count > self.size:
                break
            yield block
        if count != self.size or crc != self._crc:
            raise self._package.problem(f'its part "{self._name}" is damaged: its checksum is wrong')

    def _unpacked(self, at: int, packed: int, state: Any, marks: bool = False) -> Iterator[bytes]:
        """What follows from a place on, in blocks."""
        rest, last = b"", at
        while not state.eof:
            if not rest:
                if marks and (at - last >= _MARK or not self._marks):
                    self._marks.append((at, packed, state.copy()))
                    last = at
                length = min(_STEP, self._packed - packed)
                rest = self._package.source.read(self._at + packed, length)
                packed += length
                if not rest:
                    return
            try:
                block = state.decompress(rest, _BLOCK)
            except (zlib.error, self._quick.error):
                raise self._package.problem(f'its part "{self._name}" is damaged and cannot be unpacked') from None
            rest = state.unconsumed_tail
            at += len(block)
            if block:
                yield block

    def pieces(self, start: int, end: int) -> Iterator[bytes]:
        """What is between two places, in pieces."""
        if self._whole is not None:
            yield self._whole[start:end]
            return
        if not self._marks:
            for _ in self.blocks():
                pass
        at, packed, state = next(mark for mark in reversed(self._marks) if mark[0] <= start)
        for block in self._unpacked(at, packed, state.copy()):
            if at + len(block) > start:
                yield block[max(0, start - at) : end - at]
            at += len(block)
            if at >= end:
                return

    def read(self, start: int, end: int) -> bytes:
        """What is between two places."""
        return b"".join(self.pieces(start, end)) if end > start else b""
