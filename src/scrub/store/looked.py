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
    """Notes a file, a folder that was listed, or a name at which nothing may be."""
    found = _LOOKED.get()
    if found is not None:
        found.add(place_of(path))


def place_of(path: str) -> str:
    """A path by which a file is known again, whatever links lead to its folder."""
    folder, name = os.path.split(os.path.abspath(path))
    return os.path.normcase(os.path.join(os.path.realpath(folder), name))
