"""What there is on a server: its tables, the types of their columns, and how values of these types are read."""

from __future__ import annotations

from typing import Any

from scrub.formats.database.engine import Layout, cascades
from scrub.formats.database.values import Column, Sort
from scrub.formats.extras import module


def needed(name: str) -> Any:
    """A module of the packages for servers; see `extras.module`."""
    return module(name, "databases on servers", "servers")


def layouts_of(link: object, postgres: bool) -> list[Layout]:
    """The tables and views that a connection of SQLAlchemy sees, by their names."""
    looks = needed("sqlalchemy").inspect(link)
    views = set(looks.get_view_names())
    columns = looks.get_multi_columns(kind=needed("sqlalchemy.engine.reflection").ObjectKind.ANY)
    keys = looks.get_multi_pk_constraint()
    links = looks.get_multi_foreign_keys()
    triggers = _triggers(link, postgres)
    closed = {} if postgres else _without_transactions(link)
    ruled = _ruled(link, postgres)
    kept: dict[str, str] = {}
    parents: dict[str, tuple[str, ...]] = {}
    for (_, table), found in links.items():
        parents[table] = tuple(each["referred_table"] for each in found)
        for each in found:
            deed = str(each["options"].get("ondelete") or "").upper()
            if deed in ("CASCADE", "SET NULL", "SET DEFAULT"):
                kept[each["referred_table"]] = cascades(table, deed)
    made, inexact = [], needed("sqlalchemy").Float
    for (schema, table), found in sorted(columns.items(), key=lambda item: item[0][1]):
        key: tuple[str, ...] = ()
        what = "is a view. Change the tables behind it" if table in views else closed.get(table, "")
        if table not in views:
            key = tuple((keys.get((schema, table)) or {}).get("constrained_columns") or ())
        parts = [each["type"] for each in found if each["name"] in key]
        vague = next((part for part in parts if isinstance(part, inexact) or _kind(part) == "BIT"), None)
        if vague is not None:  # what is read of it is not what it is compared with
            key, what = (), what or f"has a key of the type {vague}, by which records cannot be found exactly"
        ordered = all(_kind(part) in _ORDERED for part in parts)
        layout = Layout(table, tuple(map(_column, found)), key, what, kept.get(table, ""), triggers.get(table, ()))
        made.append(layout._replace(parents=parents.get(table, ()), ruled=table in ruled, ordered=ordered))
    return made


def _triggers(link: Any, postgres: bool) -> dict[str, tuple[str, ...]]:
    schema = "current_schema()" if postgres else "database()"
    triggers: dict[str, tuple[str, ...]] = {}
    for table, name in link.exec_driver_sql(
        "SELECT DISTINCT event_object_table, trigger_name FROM information_schema.triggers "
        f"WHERE event_object_schema = {schema} ORDER BY 1, 2"
    ):
        triggers[table] = (*triggers.get(table, ()), name)
    return triggers


def _ruled(link: Any, postgres: bool) -> set[str]:
    """The tables with rules that a row of them may break all the same, as they were added or switched off later."""
    sql = (
        "SELECT DISTINCT c.relname FROM pg_constraint r JOIN pg_class c ON c.oid = r.conrelid "
        "WHERE c.relnamespace = current_schema()::regnamespace AND (r.contype = 'f' OR NOT r.convalidated)"
        if postgres
        else "SELECT DISTINCT table_name FROM information_schema.table_constraints "
        "WHERE table_schema = database() AND constraint_type IN ('CHECK', 'FOREIGN KEY')"
    )
    return {table for (table,) in link.exec_driver_sql(sql)}


def _without_transactions(link: Any) -> dict[str, str]:
    return {
        table: f"uses {engine}, which has no transactions. Convert it to InnoDB"
        for table, engine in link.exec_driver_sql(
            "SELECT table_name, engine FROM information_schema.tables "
            "WHERE table_schema = database() AND engine IS NOT NULL AND engine <> 'InnoDB'"
        )
    }


#: What a type of SQLAlchemy is to a macro; the first that fits counts, as some are kinds of others.
_SORTS = (
    ("Boolean", Sort.YES_NO), ("Integer", Sort.WHOLE), ("Float", Sort.REAL), ("Numeric", Sort.NUMBER),
    ("DateTime", Sort.MOMENT), ("Date", Sort.DATE), ("Time", Sort.TIME), ("LargeBinary", Sort.CLOSED),
    ("String", Sort.TEXT),
)  # fmt: skip


def read_as_texts(link: Any) -> None:
    """Lets types come as the texts that PostgreSQL writes and reads, where what Python makes of them loses something:
    JSON, lists, ranges, addresses, and spans with months.
    """
    text = needed("psycopg.types.string").TextLoader
    for each in link.adapters.types:
        if each.array_oid:
            link.adapters.register_loader(each.array_oid, text)
        if each.name in ("json", "jsonb", "inet", "cidr") or each.name.endswith(("range", "multirange")):
            link.adapters.register_loader(each.oid, text)
    spans = needed("psycopg.types.datetime").IntervalLoader

    class Span(spans):  # type: ignore[misc,valid-type]
        """A span of days and less; months and years have no length, and stay a text."""

        def load(self, data: Any) -> object:
            written = bytes(data)
            return written.decode() if b"mon" in written or b"year" in written else super().load(data)

    link.adapters.register_loader("interval", Span)


def _kind(kind: Any) -> str:
    """The word by which SQL knows a type."""
    return str(kind.__visit_name__).upper()


#: Types of keys whose rows are sorted as they are compared, with what the driver gives and takes of them.
_ORDERED = frozenset(
    "INTEGER SMALLINT BIGINT TINYINT MEDIUMINT NUMERIC DECIMAL VARCHAR TEXT CHAR DATE TIMESTAMP DATETIME UUID".split()
)


def _column(found: Any) -> Column:
    """A column as SQLAlchemy describes it."""
    types, kind = needed("sqlalchemy.types"), found["type"]
    identity = found.get("identity")
    numbered = bool(identity and identity.get("always"))
    own = bool(found.get("computed")) or numbered
    automatic = own or identity or found.get("default") is not None or found.get("autoincrement") is True
    sort = next((each for name, each in _SORTS if isinstance(kind, getattr(types, name))), Sort.CLOSED)
    truth = isinstance(kind, types.Boolean)
    if getattr(kind, "display_width", None) == 1:  # how MariaDB and MySQL declare yes and no
        sort = Sort.YES_NO
    exact = {Sort.REAL: types.Double, Sort.TEXT: types.Text | types.VARCHAR}.get(sort)
    return Column(
        found["name"], sort, not found["nullable"] and not automatic, own,
        (kind.precision, kind.scale or 0) if sort is Sort.NUMBER and kind.precision else None,
        kind.length if sort is Sort.TEXT else None,
        as_text=sort is Sort.YES_NO and not truth,
        loose=exact is not None and not isinstance(kind, exact),
        numbered=numbered,
        zoned=sort is Sort.MOMENT and bool(getattr(kind, "timezone", False)),
    )  # fmt: skip
