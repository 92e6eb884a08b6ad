"""The fonts of this machine."""

from __future__ import annotations

import os
from functools import lru_cache

#: Where systems keep fonts, and the families that hold most characters.
_FOLDERS = (
    "/usr/share/fonts", "/usr/local/share/fonts", os.path.expanduser("~/.local/share/fonts"),
    os.path.expanduser("~/.fonts"), "/System/Library/Fonts", "/Library/Fonts", "C:\\Windows\\Fonts",
)  # fmt: skip
_FAMILIES = ("DejaVuSans.ttf", "NotoSans-Regular.ttf", "LiberationSans-Regular.ttf", "Arial Unicode.ttf", "arial.ttf")


@lru_cache(maxsize=1)
def fonts() -> tuple[str, ...]:
    """The fonts of this machine that hold most characters."""
    found: dict[str, str] = {}
    for folder in _FOLDERS:
        for where, _, names in os.walk(folder):
            for name in names:
                if name in _FAMILIES:
                    found.setdefault(name, os.path.join(where, name))
    return tuple(found[name] for name in _FAMILIES if name in found)
