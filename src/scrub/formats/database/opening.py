"""How databases are opened: to be worked on, and to write or take back what was changed."""

from __future__ import annotations

import os
from collections.abc import Callable

from scrub.formats.database.book import DatabaseFile, SqliteFile, told_of
from scrub.formats.database.changes import TableChanges
from scrub.formats.database.engine import Engine
from scrub.formats.database.server import ServerEngine, place_of
from scrub.formats.database.sqlite import SqliteEngine, ensure_sqlite


def open_sqlite(path: str) -> SqliteFile:
    """Opens one in a file. Raises `FileProblem`."""
    with told_of(path):
        ensure_sqlite(os.path.realpath(path))
        found = SqliteFile(path)
        next(found.tables(), None)
    return found


def open_server(address: str) -> DatabaseFile:
    """Opens one on a server. Raises `FileProblem`."""
    place = place_of(address)
    found = DatabaseFile(address, address, ServerEngine(place), lambda: ServerEngine(place))
    with told_of(address):
        next(found.tables(), None)
    return found


def kept_changes(address: str, kept: bytes) -> TableChanges:
    """Changes of rows as they were kept. Raises `ValueError` or `TypeError` for what is damaged."""

    connect: Callable[[], Engine]
    if "://" in address:
        place = place_of(address)
        connect = lambda: ServerEngine(place)  # noqa: E731
    else:
        connect = lambda: SqliteEngine(address)  # noqa: E731
    return TableChanges.load(address, kept, connect)
