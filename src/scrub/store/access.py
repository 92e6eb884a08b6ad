"""The paths that a prepared file depends on: files that were read, names that were free or taken, folders that were
listed. A file that was prepared in advance is prepared again if one of these has changed since.
"""

from __future__ import annotations

import contextlib
import os
from collections.abc import Iterator
from contextvars import ContextVar

_LOOKED: ContextVar[set[str] | None] = ContextVar("looked", default=None)


@contextlib.contextmanager
def noting_access() -> Iterator[set[str]]:
    """Collects the paths that are used inside the block."""
    found: set[str] = set()
    token = _LOOKED.set(found)
    try:
        yield found
    finally:
        _LOOKED.reset(token)


def note_access(path: str) -> None:
    """Adds a path: a file, the contents of a folder (`folder/*`), or a name that may be free."""
    found = _LOOKED.get()
    if found is not None:
        found.add(path)


class PathKeys:
    """Unique keys of paths, with the links of their folders resolved."""

    def __init__(self) -> None:
        self._folders: dict[str, str] = {}

    def of(self, path: str) -> str:
        """The key of a path."""
        folder, name = os.path.split(path)
        known = self._folders.get(folder)
        if known is None:
            known = self._folders[folder] = os.path.realpath(folder)
        return os.path.normcase(os.path.join(known, name))
