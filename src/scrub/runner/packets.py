"""What goes to a worker and comes back: one line of JSON, and the bytes that it mentions after it. It contains no code,
and whoever reads it runs none.
"""

from __future__ import annotations

import json
from collections.abc import Mapping, Sequence
from typing import Any


def packet(head: Mapping[str, object], blobs: Sequence[bytes] = ()) -> bytes:
    """A packet of a JSON object and bytes."""
    line = json.dumps({**head, "sizes": [len(blob) for blob in blobs]}, separators=(",", ":")).encode()
    return b"".join([line, b"\n", *blobs])


def unpacked(data: bytes) -> tuple[dict[str, Any], list[bytes]]:
    """The object and the bytes of a packet. Raises `ValueError`, `KeyError` or `TypeError` for what is none."""
    line, _, rest = data.partition(b"\n")
    head = json.loads(line)
    blobs: list[bytes] = []
    at = 0
    for size in head.pop("sizes"):
        blobs.append(rest[at : at + size])
        at += size
    if at != len(rest):
        raise ValueError("a packet was cut short")
    return head, blobs
