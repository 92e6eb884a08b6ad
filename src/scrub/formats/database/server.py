"""Databases on servers, PostgreSQL, MariaDB and MySQL, through SQLAlchemy."""

from __future__ import annotations

import contextlib
import os
import re
import ssl
from collections.abc import Iterator, Mapping, Sequence
from functools import cached_property
from typing import Any

from scrub.formats.database import holders, server_place
from scrub.formats.database.dialects import ServerDialect
from scrub.formats.database.engine import Layout, Refusing, batches
from scrub.formats.database.holders import Patience
from scrub.formats.database.row_changes import Key, RowColumns, RowValues, key_columns
from scrub.formats.database.server_columns import Given
from scrub.formats.database.server_place import DRIVERS, DatabaseAddress
from scrub.formats.database.server_tables import layouts_of, needed, read_as_texts
from scrub.formats.database.where import EVERY, YES, Where, both
from scrub.model.core.lazy_pattern import lazy_pattern
from scrub.model.core.passwords import password
from scrub.model.core.problem import FileProblem
from scrub.store.errors import InUse, StoreError

_BATCH, _PAGE = 1_000, 5_000
#: What servers call a lock that was not given up in time: SQLSTATE of PostgreSQL, and numbers of MariaDB and MySQL.
_BUSY = ("55P03", "40P01", "40001", 1205, 1213)
_REFUSED = ("28P01", "28000", 1045, 1044, 1698)


class ServerEngine:
    """A connection to one database of a server. All is read as it was when the first row was."""

    alone = False

    def __init__(self, place: DatabaseAddress) -> None:
        self.place = place
        self._alchemy = needed("sqlalchemy")
        self._driver = needed(DRIVERS[place.scheme].partition("+")[2])
        self._link: Any = None
        self._writing = False
        self._patience: Patience | None = None
        self._layouts: list[Layout] | None = None
        self.said = place.scheme

    # -- the connection

    @cached_property
    def _engine(self) -> Any:
        """What makes connections; it asks for the password."""
        place, known = self.place, password(self.place.database)
        url = self._alchemy.URL.create(
            DRIVERS[place.scheme], place.user or None, known.reveal() if known is not None else None,
            place.host, place.port, place.database,
        )  # fmt: skip
        return self._alchemy.create_engine(
            url,
            poolclass=needed("sqlalchemy.pool").NullPool,
            connect_args=server_place.how_to_connect(place),
            hide_parameters=True,
        )

    def _connect(self) -> Any:
        """A connection, of which nothing is asked so far."""
        with self._told():
            link = self._engine.connect()
        try:
            server_place.ensure_secure(self.place, link.connection.driver_connection)
        except BaseException:
            link.close()
            raise
        if self.place.is_postgres:  # the other driver ends its waiting itself
            self._patience = Patience(holders.LONGEST, link.connection.driver_connection.fileno())
        return link

    def _ready(self, link: Any) -> None:
        """Makes a connection read values as they can be written again; before, SQLAlchemy asks it what there is."""
        if self.place.is_postgres:
            read_as_texts(link.connection.driver_connection)

    @contextlib.contextmanager
    def _told(self) -> Iterator[None]:
        """What the server or the driver refuses, as a sentence; what it says of other people's data stays out."""
        patience = self._patience
        try:
            with contextlib.nullcontext() if patience is None else patience.waiting():
                yield
        except (self._alchemy.exc.SQLAlchemyError, self._driver.Error) as error:
            said = self._said(error)
        except UnicodeDecodeError:
            said = StoreError(self.place.address, "it contains text that is not in the encoding of the database")
        except (OSError, ssl.SSLError) as error:
            said = StoreError(self.place.address, f"the server cannot be reached: {error.strerror or error}")
        else:
            return
        # What is only read is told as any file is.
        raise said if self._writing else FileProblem(self.place.address, said.what)

    def _said(self, error: object) -> StoreError:
        address, inner = self.place.address, getattr(error, "orig", error)
        code, said = self._first(inner)
        timed_out = code == 2013 and "timed out" in said
        if timed_out or (self._patience is not None and self._patience.ended):
            what = f"the server did not answer for {holders.LONGEST:.0f} seconds"
            return StoreError(address, f"{what}. Ask its administrator")
        if code in _BUSY:
            who = self._holder()
            return InUse(
                address,
                f"another program is using these records{f': {who}' if who else ''}. Wait until it is done, then run "
                "again",
            )
        if code in _REFUSED or "password" in str(inner):
            name = self.place.database
            return StoreError(
                address,
                f"the server rejected the user name or the password. Save the password: scrub secret set {name}",
            )
        if isinstance(error, self._alchemy.exc.IntegrityError):
            return Refusing(address, f"the database rejected the changes: {own_words(inner)}. Nothing was saved")
        if getattr(error, "connection_invalidated", False) or code in (2002, 2003, 2006, 2013) or not self._writing:
            first = (said or str(error)).strip().split("\n")[0]
            return StoreError(address, f"unexpected answer from the server: {first[:160]}")
        return Refusing(address, f"the database rejected the changes: {own_words(inner) or code}. Nothing was saved")

    def _first(self, error: Any) -> tuple[object, str]:
        """The code of an error and what it says. A driver may meet another error while it clears up after the first
        one: that one counts.
        """
        while isinstance(error.__context__, self._driver.Error):
            error = error.__context__
        arguments = getattr(error, "args", None) or (0,)
        # The other driver has an SQLSTATE too, which says less than the number.
        return (getattr(error, "sqlstate", None) if self.place.is_postgres else None) or arguments[0], str(
            arguments[-1]
        )

    def _holder(self) -> str:
        """Who keeps the records from us; nothing where the server does not tell."""
        try:
            inner = self._link.connection.driver_connection if self._link is not None else None
            own = 0 if inner is None else inner.info.backend_pid if self.place.is_postgres else inner.thread_id()
            with self._engine.connect() as link:
                return holders.holder(link, self.place.is_postgres, own)
        except Exception:  # whatever goes wrong here, the reason itself is known
            return ""

    @property
    def _connection(self) -> Any:
        if self._link is None:
            link = self._connect()
            with self._told():
                if self.place.is_postgres:
                    link = link.execution_options(isolation_level="REPEATABLE READ", postgresql_readonly=True)
                else:
                    link.exec_driver_sql("SET SESSION TRANSACTION ISOLATION LEVEL REPEATABLE READ")
                    link.exec_driver_sql("START TRANSACTION WITH CONSISTENT SNAPSHOT, READ ONLY")
                version = link.exec_driver_sql("SELECT version()").scalar()
                name = {"postgresql": "PostgreSQL"}.get(self.place.scheme) or (
                    "MariaDB" if "maria" in str(version).lower() else "MySQL"
                )
                words = str(version).split()
                self.said = f"{name} {words[1] if self.place.is_postgres else words[0].split('-')[0]}"
            if self._layouts is not None:
                self._ready(link)
            self._link = link
        return self._link

    def begin(self) -> None:
        """Begins the transaction in which all is written."""
        self.close()
        self._writing = True
        link = self._connect()
        with self._told():
            if self.place.is_postgres:
                link.exec_driver_sql("SET CONSTRAINTS ALL DEFERRED")
            else:
                link.exec_driver_sql("SET SESSION TRANSACTION ISOLATION LEVEL READ COMMITTED")
                link.exec_driver_sql(
                    "SET SESSION sql_mode = 'STRICT_ALL_TABLES,NO_ENGINE_SUBSTITUTION,NO_AUTO_VALUE_ON_ZERO'"
                )
                link.rollback()
        self._ready(link)
        self._link = link

    def hold(self, name: str) -> None:
        """Begins a part of the transaction that is let go again, or kept."""
        with self._told():
            self._link.exec_driver_sql(f"SAVEPOINT {name}")

    def keep(self, name: str) -> None:
        """Ends such a part; it counts."""
        with self._told():
            self._link.exec_driver_sql(f"RELEASE SAVEPOINT {name}")

    def ensure_rules(self, layouts: Sequence[Layout], keys: Mapping[str, set[Key]]) -> None:
        """Raises `StoreError` for what PostgreSQL looks at with COMMIT alone; other servers look at it at once."""
        if self.place.is_postgres:
            with self._told():
                self._link.exec_driver_sql("SET CONSTRAINTS ALL IMMEDIATE")

    def let_go(self, name: str) -> None:
        """Undoes what was written since `hold`."""
        with self._told():
            self._link.exec_driver_sql(f"ROLLBACK TO SAVEPOINT {name}")
            self._link.exec_driver_sql(f"RELEASE SAVEPOINT {name}")

    def mark(self) -> str:
        """How PostgreSQL calls this transaction; other servers do not tell afterwards what became of one."""
        return str(self._rows("SELECT txid_current()")[0][0]) if self.place.is_postgres else ""

    def fate(self, mark: str) -> bool | None:
        """Whether PostgreSQL committed the transaction of that name."""
        try:
            said = self._rows("SELECT txid_status(%s)", (int(mark),))[0][0]
        except StoreError:  # a number from another server, or from its future
            return None
        if said == "in progress":
            raise InUse(self.place.address, "the server has not ended the interrupted run yet. Run again later")
        return None if said is None else bool(said == "committed")

    def commit(self) -> None:
        """All that was written counts."""
        with self._told():
            self._link.commit()

    def close(self) -> None:
        """Lets it go."""
        if self._link is not None:
            with contextlib.suppress(self._alchemy.exc.SQLAlchemyError, OSError):
                self._link.close()
        if self._patience is not None:
            self._patience.close()
        self._link, self._writing, self._patience = None, False, None

    # -- what there is

    def layouts(self) -> Sequence[Layout]:
        """Its tables and views, by their names."""
        if self._layouts is None:
            link = self._connection
            with self._told():
                self._layouts = layouts_of(link, self.place.is_postgres)
            self._ready(link)
        return self._layouts

    @cached_property
    def _quote(self) -> Any:
        return self._engine.dialect.identifier_preparer.quote_identifier

    def _names(self, names: Sequence[str]) -> str:
        return ", ".join(map(self._quote, names))

    # -- reading

    def _rows(self, sql: str, values: Sequence[Any] | Mapping[str, object] = ()) -> list[tuple[Any, ...]]:
        link = self._connection
        given = dict(values) if isinstance(values, Mapping) else tuple(values)
        with self._told():
            return list(link.exec_driver_sql(sql, given).cursor.fetchall())  # tuples, as the driver makes them

    def count(self, layout: Layout) -> int:
        """How many rows a table has."""
        return int(self._rows(f"SELECT count(*) FROM {self._table(layout)}")[0][0])

    def _table(self, layout: Layout) -> str:
        return str(self._quote(layout.name))

    def rows(
        self, layout: Layout, columns: Sequence[str], after: Key = (), where: Where | None = None
    ) -> Iterator[tuple[object, ...]]:
        """The rows in the order of the key, page by page; see `Engine.rows`."""
        table, dialect = self._table(layout), ServerDialect(self._quote, self.place.is_postgres)
        found = EVERY if where is None else where.predicates(dialect)
        wanted = ", ".join((*map(self._quote, (*layout.key, *columns)), f"CASE WHEN {found.sure} THEN 1 ELSE 0 END"))
        if not layout.key:
            yield from self._rows(f"SELECT {wanted} FROM {table} WHERE {found.sent}", dialect.values)
            return
        key, width = self._names(layout.key), len(layout.key)
        if not layout.ordered:
            yield from self._counted(f"SELECT {wanted} FROM {table} WHERE {found.sent} ORDER BY {key}", dialect, after)
            return
        while True:
            values = {f"k{at}": each for at, each in enumerate(after)}
            behind = f"({key}) > ({', '.join(f'%({value})s' for value in values)})" if after else YES
            sql = f"SELECT {wanted} FROM {table} WHERE {both(behind, found.sent)} ORDER BY {key} LIMIT {_PAGE}"
            page = self._rows(sql, {**dialect.values, **values})
            yield from page
            if len(page) < _PAGE:
                return
            after = page[-1][:width]

    def _counted(self, sql: str, dialect: ServerDialect, after: Key) -> Iterator[tuple[object, ...]]:
        """Rows page by page, by their number: nothing changes them while they are read."""
        start, there = 0, not after
        while True:
            page = self._rows(f"{sql} LIMIT {_PAGE} OFFSET {start}", dialect.values)
            for row in page:
                if there:
                    yield row
                elif row[: len(after)] == after:
                    there = True
            if len(page) < _PAGE:
                return
            start += _PAGE

    def how_many(self, layout: Layout, where: Where) -> tuple[int, int]:
        """For how many rows a condition may hold, and for how many it certainly does."""
        dialect = ServerDialect(self._quote, self.place.is_postgres)
        found = where.predicates(dialect)
        sure = f"count(CASE WHEN {found.sure} THEN 1 END)"
        sql = f"SELECT count(*), {sure} FROM {self._table(layout)} WHERE {found.sent}"
        ((sent, many),) = self._rows(sql, dialect.values)
        return int(sent), int(many)

    def row(self, layout: Layout, key: Key, columns: Sequence[str]) -> tuple[object, ...] | None:
        """One row, by its key."""
        table = self._table(layout)
        where = " AND ".join(f"{self._quote(each)} = %s" for each in layout.key)
        found = self._rows(f"SELECT {self._names(columns) or 'NULL'} FROM {table} WHERE {where}", key)
        return found[0] if found else None

    def now(self, layout: Layout, keys: Sequence[Key], columns: Sequence[str]) -> dict[Key, tuple[object, ...]]:
        """Rows as they are, held until the end where something is written."""
        result: dict[Key, tuple[object, ...]] = {}
        table, width = self._table(layout), len(layout.key)
        wanted, held = self._names([*layout.key, *columns]), " FOR UPDATE" if self._writing else ""
        for some in batches(keys, _BATCH):
            sql = f"SELECT {wanted} FROM {table} WHERE {self._among(layout, len(some))}{held}"
            for row in self._rows(sql, [each for key in some for each in key]):
                result[row[:width]] = row[width:]
        return result

    def _among(self, layout: Layout, count: int) -> str:
        if len(layout.key) == 1:
            return f"{self._quote(layout.key[0])} IN ({', '.join(['%s'] * count)})"
        return f"({self._names(layout.key)}) IN ({', '.join([_places(len(layout.key))] * count)})"

    # -- writing

    def update(self, layout: Layout, columns: Sequence[str], rows: Sequence[tuple[Key, Sequence[object]]]) -> None:
        """Gives rows other values in some columns."""
        table = self._table(layout)
        with self._told():
            if self.place.is_postgres and len(rows) > 20 and self._may_stream:
                self._update_at_once(layout, columns, rows)
                return
            puts = ", ".join(f"{self._quote(column)} = %s" for column in columns)
            where = " AND ".join(f"{self._quote(each)} = %s" for each in layout.key)
            sql = f"UPDATE {table} SET {puts} WHERE {where}"
            self._link.exec_driver_sql(sql, [(*values, *key) for key, values in rows])

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
        given = Given(self._link, self._quote, layout, (*columns, *read), columns)
        return self._write_given(given, [*rows.old.columns, *seen.columns, *rows.new.columns], rows)

    def take_out(self, layout: Layout, columns: Sequence[str], rows: RowColumns) -> bool:
        """Takes many rows out at once; see `Engine.take_out`."""
        assert rows.old is not None
        return self._write_given(Given(self._link, self._quote, layout, columns, ()), rows.old.columns, rows)

    def put_in(self, layout: Layout, columns: Sequence[str], rows: RowColumns) -> bool:
        """Adds many rows with their keys at once; see `Engine.put_in`."""
        assert rows.new is not None
        return self._write_given(Given(self._link, self._quote, layout, (), columns), rows.new.columns, rows)

    def _write_given(self, given: Given, values: Sequence[Sequence[object]], rows: RowColumns) -> bool:
        if not given.is_exact or (self.place.is_postgres and not self._may_stream):
            return False
        with self._told():
            write = given.in_postgres if self.place.is_postgres else given.in_mariadb
            return write([*key_columns(rows.keys), *values], len(rows))

    @cached_property
    def _may_stream(self) -> bool:
        """Whether this user may make tables of a transaction."""
        return bool(self._rows("SELECT has_database_privilege(current_database(), 'TEMP')")[0][0])

    def _update_at_once(
        self, layout: Layout, columns: Sequence[str], rows: Sequence[tuple[Key, Sequence[object]]]
    ) -> None:
        """The same through a table of this transaction, which takes the values as one stream."""
        table, link = self._table(layout), self._link
        names = self._names([*layout.key, *columns])
        given = f"scrub_{os.urandom(8).hex()}"  # no table of theirs has this name
        link.exec_driver_sql(
            f"CREATE TEMPORARY TABLE {given} ON COMMIT DROP AS SELECT {names} FROM {table} WITH NO DATA"
        )
        with link.connection.cursor() as cursor, cursor.copy(f"COPY {given} ({names}) FROM STDIN") as stream:
            for key, values in rows:
                stream.write_row((*key, *values))
        puts = ", ".join(f"{self._quote(column)} = {given}.{self._quote(column)}" for column in columns)
        where = " AND ".join(f"{table}.{self._quote(each)} = {given}.{self._quote(each)}" for each in layout.key)
        link.exec_driver_sql(f"UPDATE {table} SET {puts} FROM {given} WHERE {where}")
        link.exec_driver_sql(f"DROP TABLE {given}")

    def insert(self, layout: Layout, values: dict[str, object]) -> Key:
        """Adds a row, and gives its key."""
        table, given = self._table(layout), tuple(values.values())
        numbered = any(column.numbered and column.name in values for column in layout.columns)
        told = " OVERRIDING SYSTEM VALUE" if numbered else ""
        what = f"({self._names(list(values))}){told} VALUES {_places(len(values))}"
        if not values:
            what = "DEFAULT VALUES" if self.place.is_postgres else "() VALUES ()"
        with self._told():
            if self.place.is_postgres or self._engine.dialect.insert_returning:
                sql = f"INSERT INTO {table} {what} RETURNING {self._names(layout.key)}"
                made = self._link.exec_driver_sql(sql, given).fetchone()
                if made is None:
                    what = f'the database did not add the new record of "{layout.name}"'
                    raise StoreError(self.place.address, f"{what} (a trigger or rule). Nothing was saved")
                return tuple(made)
            number = self._link.exec_driver_sql(f"INSERT INTO {table} {what}", given).lastrowid
            return tuple(values.get(each, number) for each in layout.key)

    def delete(self, layout: Layout, keys: Sequence[Key]) -> None:
        """Takes rows out."""
        table = self._table(layout)
        with self._told():
            for some in batches(keys, _BATCH):
                sql = f"DELETE FROM {table} WHERE {self._among(layout, len(some))}"
                self._link.exec_driver_sql(sql, tuple(each for key in some for each in key))


#: What a server quotes of people's data when it refuses a value.
_DATA = lazy_pattern(
    r"(?<=entry )'.*'(?= for key)|(?<=value: )'.*'(?= for )|(?<=value: )'.*'$|(?<== )\(.*\)", re.DOTALL
)
_QUOTED = lazy_pattern(r'"([^"]*)"')


def own_words(error: object) -> str:
    """What a server says of why it refused, without the data that it quotes."""
    diagnosis = getattr(error, "diag", None)
    if diagnosis is not None:
        names = ("schema_name", "table_name", "column_name", "datatype_name", "constraint_name")
        known = {getattr(diagnosis, name, None) for name in names}
        said = str(getattr(diagnosis, "message_primary", "") or "")
        # A name of the database is told, and a quoted value is not.
        said = _QUOTED.sub(lambda found: found[0] if found[1] in known else '"…"', said)
    else:
        arguments = getattr(error, "args", None) or ("",)
        said = _DATA.sub("…", str(arguments[-1]))
    return said.strip().split("\n")[0].rstrip(".")[:200]


def _places(count: int) -> str:
    return f"({', '.join(['%s'] * count)})"
