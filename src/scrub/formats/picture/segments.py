"""The marker segments of a JPEG (ITU-T T.81, B.1.1)."""

from __future__ import annotations

from collections.abc import Iterator

from scrub.model.problem import Failure


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
