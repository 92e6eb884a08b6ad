"""Rows of a database as a part of a commit: they are written within one transaction of the database itself.

They are written before the journal and end with the journal's decision: after it the transaction is committed, and then
the files are renamed. Whether it was is looked up in the rows, should nobody have been told.
"""

from __future__ import annotations

from typing import Protocol


class RowChanges(Protocol):
    """Changes of the rows of one database."""

    #: Where the database is: its path, or its address without a password.
    address: str
    #: What the database made of them, where that is something else; known once they were applied.
    remarks: list[str]

    def apply(self) -> None:
        """Writes them in a transaction that is held open. Raises `Changed` where a row is not what it was."""

    def finish(self) -> None:
        """Commits the transaction. Raises a `StoreError` where the database refuses, and then nothing was written."""

    def drop(self) -> None:
        """Lets everything go; what was applied and not finished never was."""

    def dump(self) -> bytes:
        """What is kept of them, once they were applied."""

    def back(self) -> RowChanges:
        """Those that take these back, once they were applied."""

    def look(self) -> bool | None:
        """Whether they were made: the rows are all new (True), or all old (False); None where they are neither."""


class OpensRows(Protocol):
    """What makes changes of what was kept of them."""

    def __call__(self, address: str, kept: bytes) -> RowChanges:
        """Raises `ValueError` or `TypeError` for what is damaged."""
