"""Rows of a database as a part of a commit: they are written within one transaction of the database itself.

They are written before the journal and end with the journal's decision: after it the transaction is committed, and then
the files are renamed. Whether it was is looked up in the rows, should nobody have been told.
"""

from __future__ import annotations

from typing import NamedTuple, Protocol


class Look(NamedTuple):
    """What is found of changes in the rows: how many are what they were, how many what they were to be, and how many
    are neither, because somebody else changed them since.
    """

    old: int
    new: int
    other: int

    @property
    def made(self) -> bool | None:
        """Whether they were made: a transaction is there whole or not at all, so that most rows tell. None where they
        do not.
        """
        return None if self.old == self.new else self.new > self.old

    def changed(self, made: bool | None) -> int:
        """How many rows somebody else changed, if the transaction was committed, or was not."""
        return self.other + (0 if made is None else self.old if made else self.new)


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

    def look(self) -> Look:
        """Looks at each row separately. A transaction that may still end is waited for, or an `InUse` raised."""

    def fate(self) -> bool | None:
        """Whether the transaction was committed in which they were first made, as the database tells; None where it
        cannot. One that takes others back tells of theirs. Raises `InUse` for one that may still be.
        """

    def still(self, made: bool) -> RowChanges | None:
        """Those of them that `look` found made, or not made, and looks first if nobody did; None if there are none."""


class OpensRows(Protocol):
    """What makes changes of what was kept of them."""

    def __call__(self, address: str, kept: bytes) -> RowChanges:
        """Raises `ValueError` or `TypeError` for what is damaged."""
