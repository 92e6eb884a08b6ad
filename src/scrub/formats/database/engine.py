"""What a database offers, whichever engine keeps it: its tables, reads in the order of their keys, one transaction."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from typing import Protocol, TypeVar

from scrub.formats.database.row_changes import Key, RowColumns, RowValues
from scrub.formats.database.values import Column
from scrub.formats.database.where import Where
from scrub.model.core.named import NamedTuple
from scrub.store.errors import StoreError

T = TypeVar("T")


class Layout(NamedTuple):
    """A table as the engine knows it."""

    name: str
    columns: tuple[Column, ...]
    #: The names of what tells its rows apart; none where nothing does.
    key: tuple[str, ...]
    #: Why nothing can be written here, as the end of a sentence; empty where it can.
    closed: str = ""
    #: Why no row can be deleted, as the end of a sentence.
    kept: str = ""
    #: Its triggers, which do more than a macro says.
    triggers: tuple[str, ...] = ()
    #: Whether the key is not a column, but what the engine numbers its rows by.
    hidden_key: bool = False
    #: The tables to which its rows refer.
    parents: tuple[str, ...] = ()
    #: The columns by which they do; empty where nobody asks.
    refers: frozenset[str] = frozenset()
    #: Whether a row may break a rule that holds for new ones (CHECK, a foreign key), so that it could not be put back.
    ruled: bool = False
    #: Whether "greater than" on its key is the order in which its rows are sorted.
    ordered: bool = True


class Refusing(StoreError):
    """The database does not take what was written."""


def batches(rows: Sequence[T], size: int) -> Iterator[Sequence[T]]:
    """So many at a time."""
    for start in range(0, len(rows), size):
        yield rows[start : start + size]


def cascades(table: str, deed: str) -> str:
    """Why rows cannot be deleted to which those of another table hang."""
    return (
        f'records cannot be deleted: the database would also change "{table}" ({deed}), and that cannot be undone. '
        f'Delete first the records of "{table}" that refer to them'
    )


class Engine(Protocol):
    """A connection to one database. What an engine or its server refuses is raised as a `FileProblem`, and from `begin`
    on as a `StoreError`.
    """

    #: What keeps it, with its version.
    said: str
    #: Whether no other program can write into it from `begin` on, so that its rows can be counted.
    alone: bool

    def layouts(self) -> Sequence[Layout]:
        """Its tables, by their names."""

    def count(self, layout: Layout) -> int:
        """How many rows a table has."""

    def rows(
        self, layout: Layout, columns: Sequence[str], after: Key = (), where: Where | None = None
    ) -> Iterator[tuple[object, ...]]:
        """The rows in the order of the key: what is in the key, then in the columns, and then whether a condition is
        certainly true. Those after a key; with a condition those for which it may hold.
        """

    def how_many(self, layout: Layout, where: Where) -> tuple[int, int]:
        """For how many rows a condition may hold, and for how many of them it certainly does."""

    def row(self, layout: Layout, key: Key, columns: Sequence[str]) -> tuple[object, ...] | None:
        """One row, by its key."""

    def begin(self) -> None:
        """Begins the transaction in which all is written."""

    def now(self, layout: Layout, keys: Sequence[Key], columns: Sequence[str]) -> dict[Key, tuple[object, ...]]:
        """Rows as they are within the transaction, held until it ends."""

    def update(self, layout: Layout, columns: Sequence[str], rows: Sequence[tuple[Key, Sequence[object]]]) -> None:
        """Gives rows other values in some columns."""

    def insert(self, layout: Layout, values: dict[str, object]) -> Key:
        """Adds a row, and gives its key."""

    def delete(self, layout: Layout, keys: Sequence[Key]) -> None:
        """Takes rows out."""

    def replace(
        self,
        layout: Layout,
        columns: Sequence[str],
        rows: RowColumns,
        read: Sequence[str],
        seen: RowValues,
    ) -> bool:
        """Gives many rows other values in some columns at once, each where it is what it was: in these columns, and in
        those that were only read. Tells whether all were, and each value was stored as given; where not, or
        where the engine cannot tell that of the types of these columns, it may have written some of them.
        """

    def take_out(self, layout: Layout, columns: Sequence[str], rows: RowColumns) -> bool:
        """Takes many rows out at once, each where it is what it was. Tells whether all were; see `replace`."""

    def put_in(self, layout: Layout, columns: Sequence[str], rows: RowColumns) -> bool:
        """Adds many rows with their keys at once. Tells whether each was, and was stored as given; see `replace`."""

    def hold(self, name: str) -> None:
        """Begins a part of the transaction that `let_go` ends as if it had never been, and `keep` as a part of it."""

    def keep(self, name: str) -> None:
        """Ends what `hold` began; all of it counts."""

    def ensure_rules(self, layouts: Sequence[Layout], keys: Mapping[str, set[Key]]) -> None:
        """Raises `StoreError` where rows with these keys, which came or refer to others now, break a rule that only the
        end of the transaction looks at.
        """

    def let_go(self, name: str) -> None:
        """Ends what `hold` began; nothing of it counts."""

    def mark(self) -> str:
        """How the database calls this transaction; nothing where it has no name for it."""

    def fate(self, mark: str) -> bool | None:
        """Whether the transaction of that name was committed; None where the database does not know it any more.
        Raises `InUse` while it is not decided.
        """

    def commit(self) -> None:
        """Ends the transaction: all that was written counts."""

    def close(self) -> None:
        """Lets it go; what was begun and not ended never was."""
