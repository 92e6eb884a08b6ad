"""Deflate (RFC 1951) by whatever does it fastest: half the time of a run over a big workbook goes into it."""

from __future__ import annotations

import zlib
from typing import Any

#: Bytes from which on it pays to load the quicker library.
_MANY = 30_000
_quick: Any = None


def engine(size: int) -> Any:
    """What has `compressobj`, `decompressobj`, `crc32` and `error` as `zlib` does, for so many bytes unpacked."""
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


def level(of: Any) -> int:
    """How hard an engine tries, where a third of the time saves no more than a fiftieth of the room."""
    return 6 if of is zlib else 5
