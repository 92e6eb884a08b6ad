"""SQLite, in one file. While it is open, nothing else here opens the file: closing it would drop its locks."""

from __future__ import annotations

import contextlib
import os
import re
import sqlite3
import time
from collections.abc import Iterator, Mapping, Sequence
from urllib.parse import quote

from scrub.formats.database.dialects import SqliteDialect, named
from scrub.formats.database.engine import Layout, Refusing, batches, cascades
from scrub.formats.database.row_changes import Key, RowColumns, RowValues, is_one, key_columns
from scrub.formats.database.values import Column, Sort
from scrub.formats.database.where import EVERY, YES, Where, both
from scrub.model.core.lazy_pattern import lazy_pattern
from scrub.model.core.preferences import CURRENT
from scrub.model.core.problem import FileProblem
from scrub.store.disk import only_files
from scrub.store.errors import InUse, ReadOnly, StoreError

#: Seconds that another program may hold the database.
_PATIENCE = 5.0
_BATCH = 400
#: Rows with the same values, on the average, from which on they are found together.
_SAME = 50
#: More rows than any table has.
_UNKNOWN = 1 << 32
#: Rows that are read back together.
_READ = 5_000
_HEAD = b"SQLite format 3\0"
#: What the engine keeps beside a database (its "Temporary Files", 2).
_BESIDE = ("-journal", "-wal", "-shm")


class SqliteEngine:
    """One database file. It is opened for reading; `begin` opens it for writing."""

    alone = True

    def __init__(self, path: str, shown: str = "") -> None:
        """`shown` is how the person wrote the path. Raises `StoreError` for what is not a database."""
        ensure_sqlite(path)
        self._begin_at(path, shown or path)

    def _begin_at(self, path: str, shown: str) -> None:
        self.path, self._shown = path, shown
        self._minutes = CURRENT.get().most_minutes
        self._end = time.process_time() + self._minutes * 60
        self.said = f"SQLite {sqlite3.sqlite_version}"
        self._link: sqlite3.Connection | None = None
        self._layouts: list[Layout] | None = None
        self._writing = False

    def _open(self, mode: str) -> sqlite3.Connection:
        for beside in (f"{self.path}{ending}" for ending in _BESIDE):
            if os.path.lexists(beside) and not os.path.isfile(beside):  # SQLite would wait at a pipe without end
                what = f"{os.path.basename(beside)} beside it is not a file. Remove it and run again"
                raise StoreError(self.path, what) if mode == "rw" else FileProblem(self._shown, what)
        with self._told():
            link = sqlite3.connect(
                f"file:{quote(self.path)}?mode={mode}", uri=True, timeout=_PATIENCE, isolation_level=None
            )
            self._prepare(link)
        return link

    def _prepare(self, link: sqlite3.Connection) -> None:
        link.set_progress_handler(lambda: time.process_time() > self._end, 1_000_000)  # a view may never end
        link.execute("PRAGMA foreign_keys = ON")
        link.execute("PRAGMA trusted_schema = OFF")

    @contextlib.contextmanager
    def _told(self) -> Iterator[None]:
        """What the engine refuses, as a sentence."""
        try:
            yield
        except sqlite3.IntegrityError as error:
            raise Refusing(self.path, f"the database rejected the changes: {error}. Nothing was saved") from None
        except (sqlite3.Error, UnicodeDecodeError) as error:
            said = self._said("its text is damaged" if isinstance(error, UnicodeDecodeError) else str(error))
            # What is only read is told as any file is.
            raise (said if self._writing else FileProblem(self._shown, said.what)) from None

    def _said(self, what: str) -> StoreError:
        if "locked" in what:
            return InUse(self.path, "another program is using the database. Wait until it is done, then run again")
        if what == "interrupted":
            return StoreError(
                self.path,
                f"a table or view takes more than {self._minutes} minutes to read. Raise the limit: scrub settings "
                "max-minutes",
            )
        if "readonly" in what:
            return ReadOnly(self.path, "the file is read-only. Allow writing in its properties, or work on a copy")
        if "unable to open" in what:
            return StoreError(
                self.path,
                "the database cannot be opened. Its folder must be writable, because the database keeps a journal "
                "there",
            )
        return StoreError(self.path, f"the database cannot be read: {what}")

    @property
    def _connection(self) -> sqlite3.Connection:
        """The connection. Unless something is written, all is read as it was when the first row was."""
        if self._link is None:
            self._link = self._open("ro")
            with self._told():
                self._link.execute("BEGIN")
        return self._link

    # -- what there is

    def layouts(self) -> Sequence[Layout]:
        """Its tables and views, by their names."""
        if self._layouts is None:
            with self._told():
                found = self._connection.execute(
                    "SELECT name, type, coalesce(sql, '') FROM sqlite_schema WHERE type IN ('table', 'view') "
                    "AND name NOT LIKE 'sqlite\\_%' ESCAPE '\\' ORDER BY name"
                ).fetchall()
                # An extension keeps tables of its own beside each of its kind, whose names begin like that.
                kept = tuple(f"{name}_" for name, _, sql in found if _is_virtual(sql))
                self._layouts = self._hanging([self._layout(*each) for each in found if not each[0].startswith(kept)])
        return self._layouts

    def _layout(self, name: str, kind: str, sql: str) -> Layout:
        link = self._connection
        asked = 'SELECT name, type, "notnull", dflt_value, pk, hidden FROM pragma_table_xinfo(?)'
        columns, parts = [], []
        every = link.execute(asked, (name,)).fetchall()
        # Of a key, only one column that is just INTEGER gets its number from the engine ("Rowid Tables").
        own_number = [str(declared).upper() for _, declared, _, _, place, _ in every if place] == ["INTEGER"]
        for column, declared, needed, default, place, hidden in every:
            if hidden == 1:
                continue
            needs = default is None and (not own_number if place else bool(needed))
            columns.append(Column(column, sort_of(declared), needs, hidden in (2, 3)))
            if place:
                parts.append((place, column))
        key = tuple(column for _, column in sorted(parts))
        asked = "SELECT name FROM sqlite_schema WHERE type = 'trigger' AND tbl_name = ? COLLATE NOCASE ORDER BY name"
        triggers = tuple(each for (each,) in link.execute(asked, (name,)))
        closed, hidden_key = "", False
        plain = _NOT_PLAIN.sub(" ", sql)
        if kind == "view":
            closed, key = "is a view of other tables. Change those", ()
        elif _is_virtual(sql):
            closed, key = "is a virtual table of an extension, which Scrub does not change", ()
        elif not key:
            taken = {each.name.lower() for each in columns}
            key = tuple(each for each in ("rowid", "_rowid_", "oid") if each not in taken)[:1]
            hidden_key = bool(key)
        if not closed and _REPLACES.search(plain):
            closed = "has the conflict clause ON CONFLICT REPLACE, which can delete other records"
        ruled = bool(_RULES.search(plain))
        return Layout(name, tuple(columns), key, closed, "", triggers, hidden_key, ruled=ruled)

    def _hanging(self, layouts: Sequence[Layout]) -> list[Layout]:
        """The tables with those that they refer to, and with what would follow from a deleted row."""
        kept: dict[str, str] = {}
        parents: dict[str, list[str]] = {}
        refers: dict[str, list[str]] = {}
        asked = 'SELECT "table", on_delete, "from" FROM pragma_foreign_key_list(?)'
        for layout in layouts:
            for other, deed, column in self._connection.execute(asked, (layout.name,)):
                parents.setdefault(layout.name, []).append(other)
                refers.setdefault(layout.name, []).append(column)
                if deed in ("CASCADE", "SET NULL", "SET DEFAULT"):
                    kept[str(other).lower()] = cascades(layout.name, deed)
        return [
            each._replace(
                kept=kept.get(each.name.lower(), ""),
                parents=tuple(parents.get(each.name, ())),
                refers=frozenset(refers.get(each.name, ())),
            )
            for each in layouts
        ]

    # -- reading

    def count(self, layout: Layout) -> int:
        """How many rows a table has."""
        with self._told():
            return int(self._connection.execute(f"SELECT count(*) FROM {named(layout.name)}").fetchone()[0])

    def rows(
        self, layout: Layout, columns: Sequence[str], after: Key = (), where: Where | None = None
    ) -> Iterator[tuple[object, ...]]:
        """The rows in the order of the key; see `Engine.rows`."""
        dialect, key = SqliteDialect(), ", ".join(map(named, layout.key))
        found = EVERY if where is None else where.predicates(dialect)
        sure, sent = found.sure, found.sent
        if where is not None and not where.unsure:
            sure, sent = f"({found.verdict}) IS 1", f"({found.verdict}) IS NOT 0"
        wanted = ", ".join((*map(named, (*layout.key, *columns)), sure))
        after_key = f"({key}) > ({', '.join(map(dialect.bind, after))})" if after else YES
        test = both(after_key, sent)
        order = f" ORDER BY {key}" if key else ""
        with self._told():
            sql = f"SELECT {wanted} FROM {named(layout.name)} WHERE {test}{order}"
            yield from self._connection.execute(sql, dialect.values)

    def how_many(self, layout: Layout, where: Where) -> tuple[int, int]:
        """For how many rows a condition may hold, and for how many it certainly does."""
        dialect = SqliteDialect()
        found, table = where.predicates(dialect), named(layout.name)
        with self._told():
            # Asked once for each row; a row that nobody knows yet counts more than all others together.
            sql = f"SELECT sum(coalesce({found.verdict}, {_UNKNOWN})) FROM {table}"
            ((many,),) = self._connection.execute(sql, dialect.values)
            if many is None or many < _UNKNOWN:
                return many or 0, many or 0
            sql = f"SELECT count(*), count(nullif({found.sure}, 0)) FROM {table} WHERE {found.sent}"
            sent, sure = self._connection.execute(sql, dialect.values).fetchone()
        return sent, sure

    def row(self, layout: Layout, key: Key, columns: Sequence[str]) -> tuple[object, ...] | None:
        """One row, by its key."""
        where = " AND ".join(f"{named(each)} = ?" for each in layout.key)
        wanted = ", ".join(map(named, columns)) or "NULL"
        with self._told():
            found = self._connection.execute(f"SELECT {wanted} FROM {named(layout.name)} WHERE {where}", key)
            return found.fetchone()  # type: ignore[no-any-return]

    # -- writing

    def begin(self) -> None:
        """Opens it for writing: no other program writes until the end."""
        self.close()
        self._write_to(self._open("rw"))

    def _write_to(self, link: sqlite3.Connection) -> None:
        self._link, self._writing = link, True
        with self._told():
            link.execute("BEGIN IMMEDIATE")
            link.execute("PRAGMA defer_foreign_keys = ON")

    @classmethod
    def in_memory(cls, data: bytes, path: str) -> SqliteEngine:
        """A copy of one that is held in memory, to be written into."""
        engine = cls.__new__(cls)
        engine._begin_at(path, path)
        link = sqlite3.connect(":memory:", isolation_level=None)
        with engine._told():
            # As one without a log beside it (1.3.3 of its format).
            link.deserialize(data[:18] + b"\1\1" + data[20:])
            engine._prepare(link)
        engine._write_to(link)
        return engine

    def bytes_now(self) -> bytes:
        """All of it, as one file."""
        with self._told():
            return bytes(self._connection.serialize())

    def now(self, layout: Layout, keys: Sequence[Key], columns: Sequence[str]) -> dict[Key, tuple[object, ...]]:
        """Rows as they are."""
        result: dict[Key, tuple[object, ...]] = {}
        width = len(layout.key)
        wanted = ", ".join(map(named, (*layout.key, *columns)))
        left = ", ".join(map(named, layout.key))
        with self._told():
            for some in batches(keys, _BATCH):
                if width == 1:
                    where = f"{left} IN ({', '.join('?' * len(some))})"
                else:
                    where = f"({left}) IN (VALUES {', '.join([_places(width)] * len(some))})"
                values = [each for key in some for each in key]
                for row in self._connection.execute(f"SELECT {wanted} FROM {named(layout.name)} WHERE {where}", values):
                    result[row[:width]] = row[width:]
        return result

    def update(self, layout: Layout, columns: Sequence[str], rows: Sequence[tuple[Key, Sequence[object]]]) -> None:
        """Gives rows other values in some columns."""
        puts = ", ".join(f"{named(column)} = ?" for column in columns)
        where = " AND ".join(f"{named(each)} = ?" for each in layout.key)
        with self._told():
            self._connection.executemany(
                f"UPDATE {named(layout.name)} SET {puts} WHERE {where}", ((*values, *key) for key, values in rows)
            )

    def insert(self, layout: Layout, values: dict[str, object]) -> Key:
        """Adds a row, and gives its key."""
        names = ", ".join(map(named, values))
        what = f"({names}) VALUES {_places(len(values))}" if values else "DEFAULT VALUES"
        with self._told():
            link = self._connection
            number = link.execute(f"INSERT INTO {named(layout.name)} {what}", tuple(values.values())).lastrowid
            if all(each in values and values[each] is not None for each in layout.key):
                return tuple(values[each] for each in layout.key)
            key = ", ".join(map(named, layout.key))
            result: Key | None = link.execute(
                f"SELECT {key} FROM {named(layout.name)} WHERE rowid = ?", (number,)
            ).fetchone()
        if result is None:
            raise StoreError(self.path, "the database is damaged: a record that was just added is missing")
        return result

    def delete(self, layout: Layout, keys: Sequence[Key]) -> None:
        """Takes rows out."""
        where = " AND ".join(f"{named(each)} = ?" for each in layout.key)
        with self._told():
            self._connection.executemany(f"DELETE FROM {named(layout.name)} WHERE {where}", keys)

    def replace(
        self,
        layout: Layout,
        columns: Sequence[str],
        rows: RowColumns,
        read: Sequence[str],
        seen: RowValues,
    ) -> bool:
        """Gives many rows other values at once; see `Engine.replace`."""
        assert rows.old is not None
        assert rows.new is not None
        same = _same(layout, (*columns, *read))
        if not same:
            return False
        sql = f"UPDATE {named(layout.name)} SET {', '.join(f'{named(column)} = ?' for column in columns)} WHERE "
        one = rows.new[0] if all(map(is_one, rows.new.columns)) else None
        alike = None if one is None else _alike(rows.keys, (*rows.old.columns, *seen.columns))
        with self._told():
            if one is not None and alike is not None:
                sql += " AND ".join((f"{named(layout.key[0])} IN (SELECT value FROM json_each(?))", *same))
                given = ((*one, str(keys), *values) for values, keys in alike.items())
                changed = sum(self._connection.execute(sql, each).rowcount for each in given)
            else:
                sql += " AND ".join((*_of_key(layout), *same))
                sides = (*rows.new.columns, *key_columns(rows.keys), *rows.old.columns, *seen.columns)
                changed = self._connection.executemany(sql, zip(*sides, strict=True)).rowcount
        if changed != len(rows):
            return False
        # What it makes of a value, it makes of the same value everywhere.
        new = rows.new.columns
        some = 1 if one is not None else len(rows)
        kinds = (map(type, column[:some]) for column in new)
        unlike_values = zip(*(column[:some] for column in new), *kinds, strict=True)
        unlike = dict(zip(unlike_values, rows.keys[:some], strict=True))
        found = self.now(layout, list(unlike.values()), columns)
        width = len(columns)
        return all(
            found.get(key) == wanted[:width] and tuple(map(type, found[key])) == wanted[width:]
            for wanted, key in unlike.items()
        )

    def take_out(self, layout: Layout, columns: Sequence[str], rows: RowColumns) -> bool:
        """Takes many rows out at once; see `Engine.take_out`."""
        assert rows.old is not None
        same = _same(layout, columns)
        if not same:
            return False
        values = zip(*key_columns(rows.keys), *rows.old.columns, strict=True)
        with self._told():
            sql = f"DELETE FROM {named(layout.name)} WHERE {' AND '.join((*_of_key(layout), *same))}"
            return self._connection.executemany(sql, values).rowcount == len(rows)

    def put_in(self, layout: Layout, columns: Sequence[str], rows: RowColumns) -> bool:
        """Adds many rows with their keys at once; see `Engine.put_in`."""
        assert rows.new is not None
        if any(column.own for column in layout.columns):
            return False
        hidden = layout.key if layout.hidden_key else ()
        names = (*columns, *hidden)
        values = zip(*rows.new.columns, *(key_columns(rows.keys) if hidden else ()), strict=True)
        with self._told():
            what = f"({', '.join(map(named, names))}) VALUES {_places(len(names))}"
            self._connection.executemany(f"INSERT INTO {named(layout.name)} {what}", values)
        for keys, wanted in zip(batches(rows.keys, _READ), batches(rows.new, _READ), strict=True):
            stored = self.now(layout, keys, columns)
            found = [stored.get(key, ()) for key in keys]
            if found != list(wanted) or not all(map(_same_types, found, wanted)):
                return False
        return True

    def hold(self, name: str) -> None:
        """Begins a part that is let go again, or kept."""
        with self._told():
            self._connection.execute(f"SAVEPOINT {name}")

    def keep(self, name: str) -> None:
        """Ends such a part; it counts."""
        with self._told():
            self._connection.execute(f"RELEASE {name}")

    def ensure_rules(self, layouts: Sequence[Layout], keys: Mapping[str, set[Key]]) -> None:
        """Raises `StoreError` for rows whose foreign keys lead nowhere: COMMIT looks at them alone."""
        link = self._connection
        for layout in layouts:
            if not layout.parents:
                continue
            with self._told():
                for _, number, parent, _ in link.execute(f"PRAGMA foreign_key_check({named(layout.name)})").fetchall():
                    key = self._key_at(layout, number)
                    if key is None or key in keys[layout.name]:
                        raise StoreError(self.path, f'it refers to a record of "{parent}" that does not exist')

    def _key_at(self, layout: Layout, number: int | None) -> Key | None:
        if number is None:
            return None
        names = ", ".join(map(named, layout.key))
        result: Key | None = self._connection.execute(
            f"SELECT {names} FROM {named(layout.name)} WHERE rowid = ?", (number,)
        ).fetchone()
        return result

    def let_go(self, name: str) -> None:
        """Undoes what was written since `hold`."""
        with self._told():
            self._connection.execute(f"ROLLBACK TO {name}")
            self._connection.execute(f"RELEASE {name}")

    def mark(self) -> str:
        """It has no name for a transaction; a stopped process holds none."""
        return ""

    def fate(self, mark: str) -> bool | None:
        """It does not know."""
        return None

    def commit(self) -> None:
        """All that was written counts."""
        with self._told():
            self._connection.execute("COMMIT")

    def close(self) -> None:
        """Lets it go."""
        if self._link is not None:
            self._link.close()
        self._link, self._writing = None, False


#: What a column is declared to hold where a row can hold anything.
_ANYTHING = (Sort.ANY, Sort.CLOSED)
#: A clause by which a new row deletes another one ("ON CONFLICT clause").
_REPLACES = lazy_pattern(r"\bon\s+conflict\s+replace\b", re.IGNORECASE)
#: Rules that a row may break that is there already: it was written while they did not hold.
_RULES = lazy_pattern(r"\b(?:check|references)\b", re.IGNORECASE)
#: What says nothing in the statement that made a table: comments, quoted names and texts ("Comment", "Keywords").
_NOT_PLAIN = lazy_pattern(
    r"--[^\n]*|/\*(?:[^*]|\*(?!/))*(?:\*/)?|'(?:[^']|'')*'|\"(?:[^\"]|\"\")*\"|`(?:[^`]|``)*`|\[[^\]]*\]"
)


def _head(path: str) -> bytes:
    with open(path, "rb", opener=only_files) as stream:
        return stream.read(len(_HEAD))


def ensure_sqlite(path: str) -> None:
    """Raises `StoreError` for a file that is not a database of SQLite. Not to be called while it is open."""
    if os.path.exists(path) and not os.path.isfile(path):
        raise StoreError(path, "not a file: a folder or a device")
    try:
        head = _head(path)
    except FileNotFoundError:
        raise StoreError(path, "no such file") from None
    except OSError as error:
        raise StoreError(path, f"the file cannot be read: {error.strerror}") from None
    if head and head != _HEAD:
        raise StoreError(path, "not an SQLite database, or it is encrypted")


def sort_of(declared: str) -> Sort:
    """What a column is declared to hold (SQLite's "Datatypes", 3.1), and what people mean by the words for it."""
    word = (declared or "").upper()
    if "BOOL" in word:
        return Sort.YES_NO
    if "DATETIME" in word or "TIMESTAMP" in word:
        return Sort.MOMENT
    if word.startswith("DATE"):
        return Sort.DATE
    if word.startswith("TIME"):
        return Sort.TIME
    if "INT" in word:
        return Sort.WHOLE
    if any(each in word for each in ("CHAR", "CLOB", "TEXT")):
        return Sort.TEXT
    if not word or "BLOB" in word:
        return Sort.ANY
    return Sort.REAL if any(each in word for each in ("REAL", "FLOA", "DOUB")) else Sort.NUMBER


def _alike(keys: Sequence[Key], columns: Sequence[Sequence[object]]) -> dict[tuple[object, ...], list[int]] | None:
    """The keys of rows by what is in some columns; None where few rows share that, or a key is not a number."""
    found: dict[tuple[object, ...], list[int]] = {}
    most = len(keys) // _SAME if sqlite3.sqlite_version_info >= (3, 38) else -1  # which reads JSON everywhere
    for key, values in zip(keys, zip(*columns, strict=True), strict=True):
        number = key[0]
        if type(number) is not int or len(key) > 1 or len(found) > most:
            return None
        found.setdefault(values, []).append(number)
    return found


def _of_key(layout: Layout) -> list[str]:
    """What finds a row by its key."""
    return [f"{named(each)} = ?" for each in layout.key]


def _same(layout: Layout, columns: Sequence[str]) -> list[str]:
    """What tells whether a row is what it was, by these columns. Nothing where a column of them can hold anything: 1
    and 1.0 are equal to the engine.
    """
    if any(column.sort in _ANYTHING for column in layout.columns if column.name in columns):
        return []
    return [f"{named(column)} COLLATE BINARY IS ?" for column in columns]


def _same_types(found: Sequence[object], wanted: Sequence[object]) -> bool:
    return list(map(type, found)) == list(map(type, wanted))


def _places(count: int) -> str:
    return f"({', '.join('?' * count)})"


def _is_virtual(sql: str) -> bool:
    return sql.upper().startswith("CREATE VIRTUAL")


def is_sqlite(path: str) -> bool:
    """Whether a file begins as a database of SQLite does (1.3.1 of its format)."""
    try:
        return _head(path) == _HEAD
    except OSError:
        return False
