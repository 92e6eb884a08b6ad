"""The marker segments of a JPEG (ITU-T T.81, B.1.1)."""

from __future__ import annotations

import struct
from collections.abc import Iterator

from scrub.model.core.named import NamedTuple
from scrub.model.core.problem import Failure


class Frame(NamedTuple):
    """What a frame header says (B.2.2): bits of a part of a point, lines, pixels of a line, parts of a point."""

    depth: int
    high: int
    wide: int
    parts: int


def frame_of(data: bytes) -> Frame | None:
    """The frame header of a JPEG, of several the last; None where it has none before its scan."""
    frame = None
    for marker, start, _ in segments(data):
        if 0xC0 <= marker <= 0xCF and marker not in (0xC4, 0xC8, 0xCC):
            head = data[start : start + 6]
            if len(head) < 6:
                raise Failure("its segments are damaged")
            frame = Frame(*struct.unpack(">BHHB", head))
    return frame


def segments(data: bytes) -> Iterator[tuple[int, int, int]]:
    """The marker segments of a JPEG before its scan: marker, start of the content, end."""
    at = 2
    while at + 4 <= len(data):
        if data[at] != 0xFF:
            raise Failure("its segments are damaged")
        marker = data[at + 1]
        if marker == 0xFF:
            at += 1
            continue
        if marker in (0x01, *range(0xD0, 0xD9)):
            at += 2
            continue
        if marker == 0xD9:
            return
        length = int.from_bytes(data[at + 2 : at + 4], "big")
        if length < 2:
            raise Failure("its segments are damaged")
        yield marker, at + 4, at + 2 + length
        if marker == 0xDA:
            return
        at += 2 + length
