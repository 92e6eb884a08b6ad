"""Many rows of a server that are changed alike, written at once: the values go into a table of this connection."""

from __future__ import annotations

import os
from collections.abc import Callable, Iterable, Sequence
from datetime import date
from decimal import Decimal
from typing import Any

from scrub.formats.database.engine import Layout
from scrub.formats.database.values import Column, Sort

#: What columns contain that a server compares as Python does, and whose values it takes as they are. A moment or a time
#: may be rounded on its way in.
_EXACT = frozenset((Sort.TEXT, Sort.WHOLE, Sort.NUMBER, Sort.YES_NO, Sort.DATE))
_ESCAPED = str.maketrans({"\\": r"\\", "\t": r"\t", "\n": r"\n", "\r": r"\r"})
#: What a value of a type is in a stream of PostgreSQL ("COPY", "Text Format").
_WRITTEN: dict[type, Callable[[Any], str]] = {
    type(None): lambda _: r"\N",
    bool: lambda value: "t" if value else "f",
    int: str,
    Decimal: str,
    date: date.isoformat,
    str: lambda value: value.translate(_ESCAPED),
}
_CHUNK = 10_000


class Given:
    """The table with the keys, what is to be there so far, and the new values. Without the former, rows come; without
    the latter, they go.
    """

    def __init__(
        self, link: Any, quote: Callable[[str], str], layout: Layout, old: Sequence[str], new: Sequence[str]
    ) -> None:
        """`old` and `new` are the columns of both."""
        self.link, self._quote = link, quote
        self._name = f"scrub_{os.urandom(8).hex()}"  # no table of theirs has this name
        self._layout = layout
        self._known = {column.name: column for column in layout.columns}
        pairs = [(name, "kept") for name in layout.key]
        pairs += [(name, "old") for name in old] + [(name, "new") for name in new]
        self._pairs = [(name, f"{word}_{number}") for number, (name, word) in enumerate(pairs)]

    @property
    def is_exact(self) -> bool:
        """Whether the server can tell of all these columns whether something else is in them, and takes any value."""
        columns = [self._known[name] for name, _ in self._pairs]
        is_whole = self._places("old") or not any(column.own and not column.numbered for column in columns)
        return bool(is_whole) and all(column.sort in _EXACT and not column.loose for column in columns)

    def _places(self, word: str) -> list[tuple[str, str]]:
        return [(name, own) for name, own in self._pairs if own.startswith(word)]

    @property
    def _table(self) -> str:
        return self._quote(self._layout.name)

    def _equal(self, pairs: Iterable[tuple[str, str]], equal: Callable[[str, str, Column], str]) -> str:
        return " AND ".join(
            equal(f"{self._table}.{self._quote(name)}", f"{self._name}.{own}", self._known[name]) for name, own in pairs
        )

    @property
    def _same_key(self) -> str:
        return self._equal(self._places("kept"), lambda one, other, _: f"{one} = {other}")

    def _made(self, end: str) -> str:
        parts = ", ".join(f"{self._quote(name)} AS {own}" for name, own in self._pairs)
        return f"AS SELECT {parts} FROM {self._table} {end}"

    def in_postgres(self, values: Sequence[Sequence[object]], count: int) -> bool:
        """Writes the values, given by column; tells whether all rows were as they had to be, and are as given."""
        link, given = self.link, self._name
        link.exec_driver_sql(f"CREATE TEMPORARY TABLE {given} ON COMMIT DROP {self._made('WITH NO DATA')}")
        with link.connection.cursor() as cursor, cursor.copy(f"COPY {given} FROM STDIN") as stream:
            for start in range(0, count, _CHUNK):
                written = [_column(column[start : start + _CHUNK]) for column in values]
                stream.write("".join(f"{line}\n" for line in map("\t".join, zip(*written, strict=True))))
        old, new = (self._equal(self._places(word), _same_in_postgres) for word in ("old", "new"))
        if not new:
            sql = f"DELETE FROM {self._table} USING {given} WHERE {self._same_key} AND {old}"
        elif not old:
            sql = self._inserted(" OVERRIDING SYSTEM VALUE")
        else:
            puts = ", ".join(f"{self._quote(name)} = {given}.{own}" for name, own in self._places("new"))
            sql = f"UPDATE {self._table} SET {puts} FROM {given} WHERE {self._same_key} AND {old}"
        changed = link.exec_driver_sql(sql).rowcount
        asked = f"SELECT count(*) FROM {self._table}, {given} WHERE {' AND '.join(filter(None, (self._same_key, new)))}"
        right = changed == count and link.exec_driver_sql(asked).scalar() == (count if new else 0)
        link.exec_driver_sql(f"DROP TABLE {given}")
        return bool(right)

    def _inserted(self, told: str = "") -> str:
        names, given = zip(*((self._quote(name), own) for name, own in self._places("new")), strict=True)
        return f"INSERT INTO {self._table} ({', '.join(names)}){told} SELECT {', '.join(given)} FROM {self._name}"

    def in_mariadb(self, values: Sequence[Sequence[object]], count: int) -> bool:
        """The same on MariaDB and MySQL."""
        link, given = self.link, self._name
        link.exec_driver_sql(f"CREATE TEMPORARY TABLE {given} {self._made('LIMIT 0')}")
        try:
            places = ", ".join(["%s"] * len(values))
            link.exec_driver_sql(f"INSERT INTO {given} VALUES ({places})", list(zip(*values, strict=True)))
            both = f"{self._table} JOIN {given} ON {self._same_key}"
            old, new = (self._equal(self._places(word), _same_in_mariadb) for word in ("old", "new"))
            if not new:
                sql = f"DELETE {self._table} FROM {both} WHERE {old}"
            elif not old:
                sql = self._inserted()
            else:
                puts = (f"{self._table}.{self._quote(name)} = {given}.{own}" for name, own in self._places("new"))
                sql = f"UPDATE {both} SET {', '.join(puts)} WHERE {old}"
            changed = link.exec_driver_sql(sql).rowcount
            asked = f"SELECT count(*) FROM {both}{f' WHERE {new}' if new else ''}"
            return bool(changed == count and link.exec_driver_sql(asked).scalar() == (count if new else 0))
        finally:
            link.exec_driver_sql(f"DROP TEMPORARY TABLE {given}")


def _column(values: Sequence[object]) -> list[str]:
    """A column as a stream has it. Raises `KeyError` for a value of another type."""
    kinds = set(map(type, values))
    if len(kinds) == 1:
        return list(map(_WRITTEN[kinds.pop()], values))
    return [_WRITTEN[type(value)](value) for value in values]


def _same_in_postgres(one: str, other: str, column: Column) -> str:
    bare = ' COLLATE "C"' if column.sort is Sort.TEXT else ""
    return f"{one}{bare} IS NOT DISTINCT FROM {other}{bare}"


def _same_in_mariadb(one: str, other: str, column: Column) -> str:
    return f"BINARY {one} <=> BINARY {other}" if column.sort is Sort.TEXT else f"{one} <=> {other}"
