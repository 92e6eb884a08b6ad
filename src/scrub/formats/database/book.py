"""A database as a macro sees it. Nothing is written; `effects` says what is to become of which rows."""

from __future__ import annotations

import os
from collections.abc import Callable, Iterator, Mapping, Sequence
from contextlib import contextmanager
from functools import partial

from scrub.formats.database.changes import TableChanges
from scrub.formats.database.draft import ChangedAlike, Draft, Fresh
from scrub.formats.database.engine import Engine
from scrub.formats.database.row_changes import Group, Key, RowChange, RowColumns, RowValues
from scrub.formats.database.rows import DatabaseRows
from scrub.formats.database.sqlite import SqliteEngine
from scrub.formats.file import copy_path
from scrub.formats.opened_item import OpenedItem
from scrub.model.cells.records import Table
from scrub.model.core.declare import may_lack
from scrub.model.core.files import FilePath
from scrub.model.core.memory import LongDict, LongList
from scrub.model.core.problem import Failure, FileProblem
from scrub.model.database import Database
from scrub.store.errors import ReadOnly, StoreError
from scrub.store.patch import Effect, release, whole


class DatabaseFile(OpenedItem, Database):
    """An open database, whichever engine keeps it."""

    save_copy = may_lack(Database.save_copy)  # one in a file can be saved once more

    def __init__(self, shown: str, address: str, engine: Engine, connect: Callable[[], Engine]) -> None:
        """`connect` opens it once more, to write what was changed."""
        super().__init__()
        self.shown, self._address, self._connect = shown, address, connect
        self._engine = engine
        self._tables: list[Table] | None = None

    @property
    def address(self) -> str:
        """Where it is: its path, or its address without a password."""
        return self._address

    @property
    def name(self) -> str:
        """The last part of its path or address."""
        return os.path.basename(self.shown.rstrip("/"))

    @property
    def engine(self) -> str:
        """What keeps it."""
        return self._engine.said

    def lacking(self, what: str = "that") -> str:
        """A database keeps rows, and nothing else."""
        return f"{self.label}: a database stores records only, not {what}"

    def arrange_rows(self) -> None:
        """Rows can come and go."""

    def embed(self, title: str, text: str) -> None:
        """Nothing can be put inside."""
        raise Failure(f"{self.name}: macros cannot be embedded in a database")

    # -- tables

    def _rows(self) -> list[DatabaseRows]:
        return [table.rows for table in self.tables() if isinstance(table.rows, DatabaseRows)]

    def tables(self) -> Iterator[Table]:
        """Made once, so that everybody asks the same ones."""
        if self._tables is None:
            self._tables = [Table(DatabaseRows(self, self._engine, layout)) for layout in self._engine.layouts()]
        return iter(self._tables)

    def count_of(self, table: Table) -> int:
        """How many records a table has."""
        return len(table.rows.filled())

    def key_of(self, table: Table) -> list[str]:
        """Under which headings is what tells its records apart."""
        rows = table.rows
        return list(rows.layout.key) if isinstance(rows, DatabaseRows) and not rows.layout.hidden_key else []

    @property
    def notes(self) -> list[str]:
        """The triggers of the tables that are changed."""
        return [
            (f"The table \"{rows.name}\" has triggers ({', '.join(rows.layout.triggers)}): the database may change "
"more than the macro does. Undo restores only what the macro changed.")
            for rows in self._rows()
            if rows.draft and rows.layout.triggers
        ]  # fmt: skip

    # -- saving

    def groups(self) -> list[Group]:
        """What is to become of which rows: those that come, those that stay, those that go."""
        drafts = [(rows, rows.draft) for rows in _parents_first(self._rows()) if rows.draft]
        fresh = [group for rows, draft in drafts for group in _added(rows, draft)]
        kept = [group for rows, draft in drafts for group in _changed(rows, draft)]
        gone = [group for rows, draft in reversed(drafts) for group in _deleted(rows, draft)]
        return [*fresh, *kept, *gone]

    def effects(self, into: str | None = None) -> list[Effect]:
        """What saving it comes to."""
        if into is not None:
            raise Failure(f"{self.name} is on a server, so it cannot be moved")
        groups = self.groups()
        if not groups:
            return []
        return [Effect(self.address, None, "rows", rows=TableChanges(self.address, groups, self._connect))]

    def close(self) -> None:
        """Lets it go."""
        self._engine.close()


class SqliteFile(DatabaseFile):
    """A database of SQLite, in a file."""

    def __init__(self, path: str) -> None:
        """Raises `StoreError` for what is not a database, and `FileProblem` for one that is damaged."""
        address = os.path.realpath(path)
        self._sqlite = SqliteEngine(address, path)
        super().__init__(path, address, self._sqlite, partial(SqliteEngine, address))
        self._copies: list[str] = []

    def save_copy(self, to: FilePath | None = None, name: FilePath | None = None) -> None:
        """Saves it once more."""
        path = copy_path(self.address, self.name, to, name, self._copies)
        self._copies.append(path)

        def revert() -> None:
            self._copies.remove(path)
            release(path)

        said = f"copy saved: {os.path.relpath(path)}"
        self.changed(f"copy {path}", None, path, revert, said)

    def ensure_free(self) -> None:
        """Raises `ReadOnly` when it cannot be changed now."""
        folder = os.path.dirname(self.address)
        if not os.access(self.address, os.W_OK) or not os.access(folder, os.W_OK):
            raise ReadOnly(self.address, "the file or its folder is read-only. Allow writing, or work on a copy")

    def effects(self, into: str | None = None) -> list[Effect]:
        """What saving it comes to. A copy is one whole file, whatever was beside the database."""
        result = [] if into is not None else super().effects()
        targets = [*self._copies, *([into] if into is not None else [])]
        if targets:
            data = whole(self._copied())
            result = [*(Effect(path, data, None) for path in targets), *result]
        return result

    def _copied(self) -> bytes:
        """A copy with the changes in it."""
        with told_of(self.shown):
            groups = self.groups()
            data = self._sqlite.bytes_now()
            if not groups:
                return data
            copy = SqliteEngine.in_memory(data, self.address)
            try:
                layouts = {layout.name: layout for layout in copy.layouts()}
                TableChanges(self.address, groups, self._connect).write(copy, layouts)
                copy.commit()
                made = copy.bytes_now()
            finally:
                copy.close()
        return made[:18] + data[18:20] + made[20:]


@contextmanager
def told_of(shown: str) -> Iterator[None]:
    """What an engine refuses is a problem with the file."""
    try:
        yield
    except StoreError as error:
        raise FileProblem(shown, error.what) from None


def _parents_first(every: Sequence[DatabaseRows]) -> list[DatabaseRows]:
    """Tables in an order in which each comes after those that it refers to, as far as there is one."""
    by_name = {rows.name.lower(): rows for rows in every}
    found: dict[str, DatabaseRows] = {}
    for rows in every:
        waiting, under = [rows], set[str]()
        while waiting:
            at = waiting[-1]
            under.add(at.name)
            parents = [by_name[parent.lower()] for parent in at.layout.parents if parent.lower() in by_name]
            missing = [parent for parent in parents if parent.name not in found and parent.name not in under]
            if missing:
                waiting += missing
            else:
                found.setdefault(waiting.pop().name, at)
    return list(found.values())


def _changed(rows: DatabaseRows, draft: Draft) -> list[Group]:
    """Rows that stay, by the columns that are set and those that were only read."""
    if not draft.changed_apart and len(draft.alike) == 1 and draft.alike[0].is_whole:
        return [_in_columns(rows, draft.alike[0])]
    columns = {name: changed for name, changed in draft.changed.items() if changed}
    alike = _alike(rows, draft, columns) if columns else None
    if alike is not None:
        return [alike]
    puts: dict[Key, dict[str, object]] = {}
    for name, changed in columns.items():
        for key, value in changed.pairs():
            puts.setdefault(key, {})[name] = value
    found: dict[tuple[tuple[str, ...], tuple[str, ...]], tuple[list[RowChange], list[tuple[object, ...]]]] = {}
    keys = frozenset(rows.layout.key)
    for key, own in puts.items():
        was = draft.was(key)
        names = (tuple(own), tuple(was))
        group = found.get(names)
        if group is None:
            group = found[names] = ([], [])
        group[0].append(RowChange(key, tuple([was[name] for name in own]), tuple(own.values())))
        group[1].append(tuple([each for name, each in was.items() if name not in own and name not in keys]))
    return [
        Group(rows.name, own, changes, tuple(name for name in was if name not in own and name not in keys), seen)
        for (own, was), (changes, seen) in found.items()
    ]


def _in_columns(rows: DatabaseRows, alike: ChangedAlike) -> Group:
    """Rows that were found and changed at once."""
    found, made = alike.found, alike.made
    old, new = ([getattr(values, side) for values in made.values()] for side in ("before", "after"))
    seen = [name for name in found.places if name not in made and name not in rows.layout.key]
    changes = RowColumns(found.keys, RowValues(old), RowValues(new))
    return Group(rows.name, tuple(made), changes, tuple(seen), RowValues([found.column(name) for name in seen]))


def _alike(rows: DatabaseRows, draft: Draft, columns: Mapping[str, LongDict[Key, object]]) -> Group | None:
    """The same in arrays, where the same columns of each row were set and read, as in a loop; None where not."""
    names, keys_of = tuple(columns), rows.layout.key
    first = next(iter(draft.read.values())).places
    seen = tuple(name for name in first if name not in columns and name not in keys_of)
    if draft.more or any(name not in first or len(columns[name]) != len(draft.read) for name in names):
        return None
    keys: LongList[Key] = LongList()
    old, new, kept = ([LongList[object]() for _ in each] for each in (names, names, seen))
    puts = [columns[name].pairs() for name in names]
    for (key, row), *values in zip(draft.read.pairs(), *puts, strict=False):
        if row.places != first or any(each[0] != key for each in values):
            return None
        keys.append(key)
        for name, before, after, (_, value) in zip(names, old, new, values, strict=True):
            before.append(row.values[first[name]])
            after.append(value)
        for name, before in zip(seen, kept, strict=True):
            before.append(row.values[first[name]])
    changes = RowColumns(keys, RowValues(old), RowValues(new))
    return Group(rows.name, names, changes, seen, RowValues(kept))


def _added(rows: DatabaseRows, draft: Draft) -> list[Group]:
    """Rows that come, in order; those that follow each other with the same columns are one group."""
    found: list[tuple[tuple[str, ...], list[RowChange]]] = []
    for values in draft.added.values():
        columns = tuple(values)
        if not found or found[-1][0] != columns:
            found.append((columns, []))
        found[-1][1].append(RowChange(None, None, tuple(values.values())))
    return [Group(rows.name, columns, some) for columns, some in found]


def _deleted(rows: DatabaseRows, draft: Draft) -> list[Group]:
    """Rows that go; all their columns were read."""
    columns = tuple(column.name for column in rows.layout.columns)
    found = draft.gone_alike
    if found is not None:
        old = RowValues([found.column(name) for name in columns])
        return [Group(rows.name, columns, RowColumns(found.keys, old, None))]
    keys: list[Key] = [key for key in draft.gone if not isinstance(key[0], Fresh)]
    if not keys:
        return []
    changes = [RowChange(key, tuple(draft.more[key][name] for name in columns), None) for key in keys]
    return [Group(rows.name, columns, changes)]
