"""A file that gets other bytes as a whole."""

from __future__ import annotations

from scrub.formats.source import Source
from scrub.formats.zip import common_start
from scrub.store.patch import Copy, Patch, Piece

#: Bytes that are compared at once, from the end on.
_BLOCK = 1 << 16


def rewritten(source: Source, fresh: bytes) -> Patch:
    """What makes other bytes of the old ones; what both begin and end with is kept."""
    old = source.read(0, source.size)
    start = common_start(old, fresh)
    same = _common_end(old, fresh, min(len(old), len(fresh)) - start)
    pieces: list[Piece] = [Copy(0, start), fresh[start : len(fresh) - same], Copy(len(old) - same, same)]
    return Patch(source.digest, source.size, pieces)


def _common_end(old: bytes, fresh: bytes, most: int) -> int:
    """How many bytes two byte strings have in common at their end, not more than `most`."""
    one, other = memoryview(old), memoryview(fresh)
    same = 0
    while same < most:
        step = min(_BLOCK, most - same)
        parts = [each[len(each) - same - step : len(each) - same] for each in (one, other)]
        if parts[0] != parts[1]:
            return same + common_start(*(bytes(part)[::-1] for part in parts))
        same += step
    return same
