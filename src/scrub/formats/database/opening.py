"""How databases are opened: to be worked on, and to write or undo what was changed."""

from __future__ import annotations

from functools import partial

from scrub.formats.database.book import DatabaseFile, SqliteFile, told_of
from scrub.formats.database.changes import TableChanges
from scrub.formats.database.server import ServerEngine
from scrub.formats.database.server_place import place_of
from scrub.formats.database.sqlite import SqliteEngine


def open_sqlite(path: str) -> SqliteFile:
    """Opens one in a file. Raises `FileProblem`."""
    with told_of(path):
        sqlite_file = SqliteFile(path)
    sqlite_file.tables()  # says what is damaged
    return sqlite_file


def open_server(address: str) -> DatabaseFile:
    """Opens one on a server. Raises `FileProblem`."""
    connect = partial(ServerEngine, place_of(address))
    database_file = DatabaseFile(address, address, connect(), connect)
    database_file.tables()  # says who does not answer
    return database_file


def kept_changes(address: str, kept: bytes) -> TableChanges:
    """Changes of rows as they were kept. Raises `ValueError` or `TypeError` for what is damaged."""
    connect = partial(ServerEngine, place_of(address)) if "://" in address else partial(SqliteEngine, address)
    return TableChanges.load(address, kept, connect)
