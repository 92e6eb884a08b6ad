"""How databases are opened: to be worked on, and to write or take back what was changed."""

from __future__ import annotations

import os

from scrub.formats.database.book import SqliteFile, told_of
from scrub.formats.database.changes import TableChanges
from scrub.formats.database.sqlite import SqliteEngine, ensure_sqlite


def open_sqlite(path: str) -> SqliteFile:
    """Opens one in a file. Raises `FileProblem`."""
    with told_of(path):
        ensure_sqlite(os.path.realpath(path))
        found = SqliteFile(path)
        next(found.tables(), None)
    return found


def kept_changes(address: str, kept: bytes) -> TableChanges:
    """Changes of rows as they were kept. Raises `ValueError` or `TypeError` for what is damaged."""
    return TableChanges.load(address, kept, lambda: SqliteEngine(address))
