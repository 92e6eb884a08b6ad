"""JSON with lists that may be longer than the memory."""

from __future__ import annotations

import json
import os
import re

from scrub.model.core.memory import LongList


def json_of(value: object) -> bytes:
    """A value as JSON, as short as it can be; long lists are written some values at a time."""
    lists: list[LongList[object]] = []
    name = os.urandom(12).hex()  # what stands for a long list while the rest is written: no text has it in it

    def noted(each: object) -> str:
        if not isinstance(each, LongList):
            raise TypeError(f"a {type(each).__name__} cannot be written as JSON")
        lists.append(each)
        return f"{name} {len(lists) - 1}"

    whole = json.dumps(value, default=noted, separators=(",", ":"))
    if not lists:
        return whole.encode()
    parts = re.split(rf'"{name} (\d+)"', whole)
    found: list[bytes] = []
    for number, part in enumerate(parts):
        found += _pieces(lists[int(part)]) if number % 2 else [part.encode()]
    return b"".join(found)


def _pieces(values: LongList[object]) -> list[bytes]:
    pieces = [b"["]
    for chunk in values.chunks():
        if chunk:
            pieces += [json.dumps(chunk, separators=(",", ":"))[1:-1].encode(), b","]
    if len(pieces) > 1:
        pieces.pop()
    return [*pieces, b"]"]
