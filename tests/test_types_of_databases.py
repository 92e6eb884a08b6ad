"""Each encoding, collation and type that a server offers: what is found, how rows are sorted, and what undo restores."""

from __future__ import annotations

import re
from collections.abc import Callable
from pathlib import Path
from typing import Any

import pytest
from bases import Base
from conftest import FOR_EVER
from test_database_where import agree
from test_databases import base, run, started, told  # noqa: F401 - fixtures

import scrub

#: Letters of several encodings; each table takes those that its own has.
LETTERS = [
    "Müller",
    "MULLER",
    "muller",
    "Gañet",
    "İzmir",
    "ıce",
    "ſtove",
    "Кит",
    "山",
    "é",
    "x",
    "",
    " ",
    "a-b",
    "ab",
    "[",
    "Ä",
]
CONDITIONS = [
    'record.word is "Müller"', 'record.word is not "Müller"', 'record.word contains "a"', 'record.word starts with "m"',
    'record.word is "muller"', 'not (record.word ends with "t")', "record.word is empty", 'record.word is "k"', 'record.word is "["',
    'record.word is "stove"', 'record.word contains "-"', 'record.word is in ["ab", "ä"]',
]  # fmt: skip


def words(found: Base, kind: str) -> None:
    """Fills the table "t" with the letters that a column of this type takes."""
    found.run("DROP TABLE IF EXISTS t")
    found.run(f"CREATE TABLE t (id INTEGER PRIMARY KEY, word {kind})")
    for number, letters in enumerate([*LETTERS, None], 1):
        try:
            found.run("INSERT INTO t VALUES (?, ?)", number, letters)
        except Exception as error:
            if not re.search("equivalent|ncorrect string|encod", str(error)):
                raise
    assert len(found.run("SELECT id FROM t")) >= 8  # the encoding does not have the others


@pytest.mark.timeout(FOR_EVER)
@pytest.mark.parametrize("base", ["mariadb"], indirect=True)
@pytest.mark.parametrize("part", range(6))
def test_every_character_set_of_mariadb(base: Base, part: int, monkeypatch: pytest.MonkeyPatch) -> None:  # noqa: F811
    sets = [name for name, *_ in base.run("SHOW CHARACTER SET") if name != "binary"]
    assert {"latin1", "utf8mb4", "swe7", "sjis", "utf16", "ucs2"} <= set(sets)
    for number, name in list(enumerate(sets))[part::6]:
        words(base, f"VARCHAR(20) CHARACTER SET {name}")
        for condition in CONDITIONS if name in ("latin1", "swe7", "utf16") else CONDITIONS[number % 3 :: 3]:
            agree(base, condition, monkeypatch)


@pytest.mark.parametrize("base", ["mariadb"], indirect=True)
@pytest.mark.parametrize(
    "collation", ["latin1_german2_ci", "utf8mb4_turkish_ci", "utf8mb4_bin", "utf8mb4_unicode_ci", "latin5_turkish_ci"]
)
def test_collations_of_mariadb(base: Base, collation: str, monkeypatch: pytest.MonkeyPatch) -> None:  # noqa: F811
    words(base, f"VARCHAR(20) CHARACTER SET {collation.partition('_')[0]} COLLATE {collation}")
    for condition in CONDITIONS:
        agree(base, condition, monkeypatch)


@pytest.mark.parametrize("encoding", ["LATIN1", "WIN1252", "SQL_ASCII", "EUC_JP", "KOI8R"])
def test_encodings_of_postgresql(
    encoding: str,
    home: Path,
    monkeypatch: pytest.MonkeyPatch,
    started: Callable[[str], str],  # noqa: F811
) -> None:
    import psycopg

    monkeypatch.setenv("SCRUB_SECRET_HUTS", "stove")
    address = started("postgresql")
    name = f"huts_{encoding.lower()}"
    monkeypatch.setenv(f"SCRUB_SECRET_{name.upper()}", "stove")
    host, _, port = address.partition("@")[2].partition("/")[0].partition(":")
    with psycopg.connect(
        f"host={host} port={port} user=office password=stove dbname=postgres", autocommit=True
    ) as link:
        link.execute(f"DROP DATABASE IF EXISTS {name}")
        link.execute(f"CREATE DATABASE {name} TEMPLATE template0 ENCODING '{encoding}' LOCALE 'C'")
    found = Base("postgresql", address.replace("/huts", f"/{name}"))
    words(found, "TEXT")
    for condition in CONDITIONS:
        agree(found, condition, monkeypatch)


@pytest.mark.parametrize("base", ["postgresql"], indirect=True)
def test_collations_of_postgresql(base: Base, monkeypatch: pytest.MonkeyPatch) -> None:  # noqa: F811
    base.run(
        "CREATE COLLATION IF NOT EXISTS loose (provider = icu, locale = 'und-u-ka-shifted-ks-level1', deterministic = false)"
    )
    base.run("CREATE COLLATION IF NOT EXISTS turkish (provider = icu, locale = 'tr-TR')")
    for collation in ("loose", "turkish", '"C"'):
        words(base, f"TEXT COLLATE {collation}")
        for condition in CONDITIONS:
            agree(base, condition, monkeypatch)


KEYS = {
    "mariadb": [
        "ENUM('z','b','a','c')", "SET('z','b','a')", "VARCHAR(9)", "VARCHAR(9) CHARACTER SET latin1", "DECIMAL(9,3)", "DATE",
        "DATETIME(6)", "BIGINT UNSIGNED",
    ],
    "postgresql": ["mood", "VARCHAR(9)", "NUMERIC(9,3)", "DATE", "TIMESTAMP", "TIMESTAMPTZ", "UUID", "CHAR(9)"],
}  # fmt: skip


@pytest.mark.parametrize("base", ["postgresql", "mariadb"], indirect=True)
def test_each_row_comes_once_whatever_its_key(base: Base, monkeypatch: pytest.MonkeyPatch) -> None:  # noqa: F811
    from scrub.formats.database import server

    monkeypatch.setattr(server, "_PAGE", 2)
    if base.engine == "postgresql":
        base.run("DROP TYPE IF EXISTS mood CASCADE")
        base.run("CREATE TYPE mood AS ENUM ('z', 'b', 'a', 'c')")
    values: dict[str, list[Any]] = {
        "ENUM": ["a", "b", "c", "z"], "SET(": ["a", "b", "z", "z,b", "b,a", "z,b,a"], "mood": ["a", "b", "c", "z"],
        "VARC": ["a", "B", "é", "Z", "a-b", "_"], "CHAR": ["a", "B", "Z"], "DECI": ["0.1", "-1", "2.5"], "NUME": ["0.1", "-1", "2.5"],
        "DATE": ["2026-01-02", "2025-03-01", "2026-01-01"], "TIME": ["2026-01-02 01:00:00.5", "2026-01-02 01:00:00"],
        "BIGI": [1, 2**64 - 1, 7], "UUID": [f"{digit * 8}-0000-0000-0000-000000000000" for digit in "1fa"],
    }  # fmt: skip
    for kind in KEYS[base.engine]:
        base.run("DROP TABLE IF EXISTS t")
        base.run(f"CREATE TABLE t (id {kind}, n INTEGER, PRIMARY KEY (id))")
        keys = values[kind[:4] if kind != "mood" else kind]
        for key in keys:
            base.run("INSERT INTO t VALUES (?, 0)", key)
        body = 'each record in table("t") where record.n < 3\nrecord.n = record.n + 1\nend'
        assert len(told(run(base, body))) == len(keys), kind
        assert base.run("SELECT DISTINCT n FROM t") == [(1,)], kind
        scrub.undo()
        assert base.run("SELECT DISTINCT n FROM t") == [(0,)], kind


@pytest.mark.parametrize("base", ["postgresql", "mariadb"], indirect=True)
def test_keys_that_are_not_exact_are_not_written_by(base: Base) -> None:  # noqa: F811
    for kind, values in {
        "REAL" if base.engine == "postgresql" else "FLOAT": (0.1, 0.2),
        "DOUBLE PRECISION": (0.5, 1.5),
    }.items():
        base.run("DROP TABLE IF EXISTS t")
        base.run(f"CREATE TABLE t (id {kind} PRIMARY KEY, n INTEGER)")
        for value in values:
            base.run("INSERT INTO t VALUES (?, 0)", value)
        assert run(base, 'say "{count(record in table("t") where record.n is 0)}"').said == ["2"]
        file = run(base, 'each record in table("t")\nrecord.n = 1\nend')
        assert "by which records cannot be found exactly" in str(file.problem)


@pytest.mark.parametrize("base", ["postgresql"], indirect=True)
def test_a_moment_has_a_zone(base: Base, monkeypatch: pytest.MonkeyPatch) -> None:  # noqa: F811
    import time

    base.run("ALTER DATABASE huts SET timezone = 'Pacific/Apia'")
    monkeypatch.setenv("TZ", "Europe/Vienna")
    time.tzset()
    try:
        base.run("DROP TABLE IF EXISTS t")
        base.run("CREATE TABLE t (id INTEGER PRIMARY KEY, at TIMESTAMPTZ, too TIMESTAMPTZ)")
        for number, at in enumerate(("2026-05-01 10:11:00+01", "2026-10-25 00:30:00+00", "2026-10-25 01:30:00+00"), 1):
            base.run("INSERT INTO t VALUES (?, ?, NULL)", number, at)
        before = base.all_of("t")
        assert run(base, 'each record in table("t")\nrecord.too = record.at\nend').problem is None
        assert base.run("SELECT count(*) FROM t WHERE at = too") == [(3,)]
        assert run(base, 'each record in table("t") where record.id is 1\nrecord.at = 2026-01-01\nend').problem is None
        assert base.run("SELECT count(*) FROM t WHERE id = 1 AND at = '2025-12-31 23:00:00+00'") == [(1,)]
        scrub.undo()
        scrub.undo()
        assert base.all_of("t") == before
        assert run(base, 'each record in table("t")\ndelete\nend').problem is None
        scrub.undo()
        assert base.all_of("t") == before
    finally:
        base.run("ALTER DATABASE huts RESET timezone")
        monkeypatch.undo()
        time.tzset()


TYPES: dict[str, list[tuple[str, Any]]] = {
    "postgresql": [
        ("JSON", '{"b": 1.0, "a":  [1e400, 2], "a": null}'), ("JSONB", '{"a": 12345678901234567890.10}'), ("INTERVAL", "1 year 2 mons 3 days 04:05:06"),
        ("INTERVAL", "3 days 04:00:00"), ("NUMERIC[]", "{1.50,NULL,-2}"), ("TEXT[]", '{a,"b, c",NULL}'), ("INT4RANGE", "[1,5)"), ("INET", "10.0.0.1/8"),
        ("NUMERIC", "NaN"), ("DOUBLE PRECISION", "NaN"), ("DOUBLE PRECISION", "Infinity"), ("REAL", "0.1"), ("CHAR(5)", "ab"), ("BYTEA", "\\x0001ff"),
        ("TIMESTAMP(0)", "2026-05-01 10:11:12"), ("TIMETZ", "10:11:12+05:30"), ("BIT(5)", "10101"), ("POINT", "(1.5,2)"), ("MONEY", "12.50"), ("XML", "<a>1</a>"),
        ("DATE", "2026-05-01"), ("TIME", "10:11:12.5"), ("UUID", "11111111-0000-0000-0000-000000000000"), ("TSVECTOR", "'a' 'b'"), ("DATERANGE", "[2026-01-01,)"),
    ],
    "mariadb": [
        ("JSON", '{"a":  1.0}'), ("FLOAT", "0.1"), ("DOUBLE(5,2)", "1.25"), ("CHAR(5)", "ab"), ("BINARY(4)", "ab"), ("BIT(5)", 21), ("YEAR", 2026),
        ("TIME(6)", "-10:11:12.5"), ("DATETIME(6)", "2026-05-01 10:11:12.25"), ("TIMESTAMP NULL", "2026-05-01 10:11:12"), ("SET('a','b')", "b,a"),
        ("ENUM('x','y')", "y"), ("BLOB", b"\0\xff"), ("DECIMAL(30,10)", "12345678901234567890.5"), ("UUID", "11111111-0000-0000-0000-000000000000"),
        ("INET6", "::1"), ("BIGINT UNSIGNED", 2**64 - 1), ("TINYINT(1)", 1),
    ],
}  # fmt: skip


@pytest.mark.parametrize("base", ["postgresql", "mariadb"], indirect=True)
def test_a_deleted_row_comes_back_exactly_or_is_not_deleted(base: Base) -> None:  # noqa: F811
    refused = []
    for kind, value in TYPES[base.engine]:
        base.run("DROP TABLE IF EXISTS t")
        base.run(f"CREATE TABLE t (id INTEGER PRIMARY KEY, v {kind}, n INTEGER)")
        base.run("INSERT INTO t VALUES (1, ?, 1), (2, NULL, 1)", value)
        shown = (
            "SELECT id, CAST(v AS CHAR(60)), n FROM t"
            if base.engine == "mariadb"
            else "SELECT t::text FROM t ORDER BY id"
        )
        before = base.run(shown)
        file = run(base, 'each record in table("t")\ndelete\nend')
        if file.problem is None:
            assert base.run(shown) == []
            scrub.undo()
        else:
            assert "could not be undone" in str(file.problem)
            refused.append(kind)
        assert base.run(shown) == before, kind
        assert len(told(run(base, 'each record in table("t")\nrecord.n = 2\nend'))) == 2, kind
        scrub.undo()
        assert base.run(shown) == before, kind
    assert refused == []


@pytest.mark.parametrize("base", ["postgresql", "mariadb"], indirect=True)
def test_a_row_that_the_database_numbered_keeps_its_number(base: Base) -> None:  # noqa: F811
    base.run("DROP TABLE IF EXISTS t")
    if base.engine == "postgresql":
        base.run(
            "CREATE TABLE t (id INTEGER GENERATED ALWAYS AS IDENTITY PRIMARY KEY, n INTEGER, twice INTEGER GENERATED ALWAYS AS (n * 2) STORED)"
        )
        base.run("INSERT INTO t (n) VALUES (1), (2), (3)")
        base.run("DELETE FROM t WHERE n = 1")
    else:
        base.run("CREATE TABLE t (id INTEGER AUTO_INCREMENT PRIMARY KEY, n INTEGER, twice INTEGER AS (n * 2) STORED)")
        base.run("INSERT INTO t (n) VALUES (1), (2), (3)")
        base.run("UPDATE t SET id = 0 WHERE n = 1")
    before = base.all_of("t")
    assert run(base, 'each record in table("t")\ndelete\nend').problem is None
    assert base.all_of("t") == []
    scrub.undo()
    assert base.all_of("t") == before
    assert run(base, 'in table("t")\nadd-record n: 9\nend').problem is None
    assert base.run("SELECT twice FROM t WHERE n = 9") == [(18,)]
    scrub.undo()
    assert base.all_of("t") == before


@pytest.mark.parametrize("base", ["postgresql"], indirect=True)
def test_a_table_named_as_ours_might_be(base: Base) -> None:  # noqa: F811
    base.run("DROP TABLE IF EXISTS scrub_rows")
    base.run("CREATE TABLE scrub_rows (id INTEGER PRIMARY KEY, n INTEGER)")
    base.run("INSERT INTO scrub_rows SELECT each, 0 FROM generate_series(1, 50) AS each")
    try:
        assert len(told(run(base, 'each record in table("scrub_rows")\nrecord.n = 1\nend'))) == 50
        assert base.run("SELECT sum(n) FROM scrub_rows") == [(50,)]
    finally:
        base.run("DROP TABLE scrub_rows")


@pytest.mark.parametrize("base", ["postgresql"], indirect=True)
def test_a_user_who_may_make_no_tables(base: Base) -> None:  # noqa: F811
    base.run("DROP ROLE IF EXISTS clerk")
    base.run("CREATE ROLE clerk LOGIN PASSWORD 'stove'")
    base.run("GRANT SELECT, UPDATE ON ALL TABLES IN SCHEMA public TO clerk")
    base.run("REVOKE TEMP ON DATABASE huts FROM PUBLIC")
    for number in range(100, 140):
        base.run("INSERT INTO night (id, hut) VALUES (?, 'Kite')", number)
    clerk = Base("postgresql", base.address.replace("office@", "clerk@"))
    try:
        file = run(clerk, 'each record in table("night") where record.hut is "Kite"\nrecord.nights = 2\nend')
        assert file.problem is None, file.problem
        assert base.run("SELECT sum(nights) FROM night WHERE hut = 'Kite'") == [(80,)]
        scrub.undo()
    finally:
        base.run("GRANT TEMP ON DATABASE huts TO PUBLIC")
        base.run("DROP OWNED BY clerk")
        base.run("DROP ROLE clerk")
