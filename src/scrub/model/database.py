"""Databases: files, or places on a server, of tables with records."""

from __future__ import annotations

from collections.abc import Iterator

from scrub.model.cells.records import Record, Table
from scrub.model.core.declare import field, holds, selects
from scrub.model.core.files import WholeFile
from scrub.model.core.outline import Contents, Outline
from scrub.model.core.problem import Failure, did_you_mean
from scrub.model.core.required import required
from scrub.model.core.text import Editing, HoldsTexts


class Database(HoldsTexts, WholeFile):
    """A database: tables with records, in a file or on a server."""

    kind_word = "database"
    part_word = "table"

    # -- what each engine offers

    @property
    @field
    @required
    def engine(self) -> str:
        """The database system and its version.

        Example: log database.engine
        Also: server, SQLite, PostgreSQL, MariaDB, MySQL, version
        """
        raise NotImplementedError

    @holds
    @required
    def tables(self) -> Iterator[Table]:
        """Its tables, by their names."""
        raise NotImplementedError

    @required
    def count_of(self, table: Table) -> int:
        """How many records a table has."""
        raise NotImplementedError

    @required
    def key_of(self, table: Table) -> list[str]:
        """Under which headings is what tells its records apart."""
        raise NotImplementedError

    # -- what follows from that

    def edit_texts(self, editing: Editing, between: str = "") -> None:
        """Edits the texts in all its tables."""
        for table in self.tables():
            table.edit_texts(editing, between)

    @selects
    def selection(self, place: str | None) -> Table:
        """The table that a person picked. Raises `Failure` for one that is not there."""
        every = {table.label: table for table in self.tables()}
        if place is None:
            raise Failure(f'{self.label}: select a table with --at, such as --at "{next(iter(every), "table")}"')
        if place not in every:
            raise Failure(f'no table "{place}".{did_you_mean(place, every)} There are: {", ".join(every)}')
        return every[place]

    def contents(self) -> Contents:
        """Its tables with their keys, and what is under their headings."""
        rows, outlines = [], []
        for table in self.tables():
            rows.append(
                {"table": table.label, "records": self.count_of(table), "key": ", ".join(self.key_of(table)) or "none"}
            )
            outlines.append((table.label, Outline(f'each record in table("{table.label}")', table.sample())))
        hint = 'In a macro: each record in table("…"), or each table for all of them.'
        return Contents("table", rows, outlines, hint, {"table": [table.label for table in self.tables()]})


#: The kinds in databases.
KINDS = (Database, Table, Record)
