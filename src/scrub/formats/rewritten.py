"""A file that gets other bytes as a whole."""

from __future__ import annotations

from scrub.formats.source import Source
from scrub.formats.zip import common_start
from scrub.store.patch import Copy, Patch, Piece


def rewritten(source: Source, fresh: bytes) -> Patch:
    """What makes other bytes of the old ones; what both begin and end with is kept."""
    old = source.read(0, source.size)
    start = common_start(old, fresh)
    most = min(len(old), len(fresh)) - start
    same = common_start(old[len(old) - most :][::-1], fresh[len(fresh) - most :][::-1])
    pieces: list[Piece] = [Copy(0, start), fresh[start : len(fresh) - same], Copy(len(old) - same, same)]
    return Patch(source.digest, source.size, pieces)
