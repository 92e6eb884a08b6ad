"""What an execution looked at on the disk: the files that it read, the names that it found free or taken, the folders
that it listed. What was prepared ahead of its turn is prepared again where one of these has changed since.
"""

from __future__ import annotations

import contextlib
import os
from collections.abc import Iterator
from contextvars import ContextVar

_LOOKED: ContextVar[set[str] | None] = ContextVar("looked", default=None)


@contextlib.contextmanager
def looking() -> Iterator[set[str]]:
    """Gathers what is looked at inside the block."""
    found: set[str] = set()
    token = _LOOKED.set(found)
    try:
        yield found
    finally:
        _LOOKED.reset(token)


def looked_at(path: str) -> None:
    """Notes a file, what is in a folder (`folder/*`), or a name at which nothing may be."""
    found = _LOOKED.get()
    if found is not None:
        found.add(path)


class Places:
    """Gives paths by which files are known again, whatever links lead to their folders."""

    def __init__(self) -> None:
        self._folders: dict[str, str] = {}

    def of(self, path: str) -> str:
        """The one of a path."""
        folder, name = os.path.split(path)
        known = self._folders.get(folder)
        if known is None:
            known = self._folders[folder] = os.path.realpath(folder)
        return os.path.normcase(os.path.join(known, name))
