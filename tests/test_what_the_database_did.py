"""Databases that ignore, replace or rewrite: what is told is what they did, and what is saved can be undone."""

from __future__ import annotations

import sqlite3
from importlib.resources import files
from pathlib import Path
from typing import Any

import pytest
from bases import Base, sqlite_base
from test_databases import base, run, started, told  # noqa: F401 - fixtures

import scrub

NOTE = 'each record in table("t") where record.id is 2\nrecord.note = "new"\nend'
DELETE = 'each record in table("t") where record.id is 2\ndelete\nend'
ADD = 'in table("t")\nadd-record id: 9, note: "new"\nend'
SHOUTS = 'each record in table("t")\nrecord.note = "new"\nend'


def table(found: Base, *more: str, columns: str = "id INTEGER PRIMARY KEY, note VARCHAR(20)") -> None:
    """The table "t" with three rows, and what else the database is told."""
    for sql in (
        "DROP TABLE IF EXISTS t",
        f"CREATE TABLE t ({columns})",
        "INSERT INTO t (id, note) VALUES (1, 'a'), (2, 'b'), (3, 'c')",
        *more,
    ):
        found.run(sql)


def trigger(engine: str, deed: str, does: str) -> list[str]:
    """Statements for a trigger before `deed`. `does` sets the note, or is "ignore"."""
    if engine == "postgresql":
        old = "OLD" if deed == "DELETE" else "NEW"
        body = "RETURN NULL;" if does == "ignore" else f"NEW.note := {does}(NEW.note); RETURN {old};"
        return [
            f"CREATE OR REPLACE FUNCTION meddle() RETURNS trigger LANGUAGE plpgsql AS $$ BEGIN {body} END $$",
            f"CREATE TRIGGER meddles BEFORE {deed} ON t FOR EACH ROW EXECUTE FUNCTION meddle()",
        ]
    if engine == "mariadb":
        return [f"CREATE TRIGGER meddles BEFORE {deed} ON t FOR EACH ROW SET NEW.note = {does}(NEW.note)"]
    if does == "ignore":
        return [f"CREATE TRIGGER meddles BEFORE {deed} ON t BEGIN SELECT RAISE(IGNORE); END"]
    return [
        f"CREATE TRIGGER meddles AFTER {deed} ON t BEGIN UPDATE t SET note = {does}(NEW.note) WHERE id = NEW.id; END"
    ]


@pytest.mark.parametrize("base", ["sqlite", "postgresql"], indirect=True)
@pytest.mark.parametrize(
    ("deed", "body", "what"),
    [
        ("UPDATE", NOTE, 'the database did not change record 2 of "t" (a trigger, rule or conflict clause)'),
        ("DELETE", DELETE, 'the database did not delete record 2 of "t" (a trigger, rule or conflict clause)'),
        ("INSERT", ADD, "not"),
    ],
)
def test_what_a_trigger_ignores_is_refused(base: Base, deed: str, body: str, what: str) -> None:  # noqa: F811
    table(base, *trigger(base.engine, deed, "ignore"))
    file = run(base, body)
    assert what in str(file.problem)
    assert "Nothing was saved" in str(file.problem)
    assert base.all_of("t") == [(1, "a"), (2, "b"), (3, "c")]


@pytest.mark.parametrize("base", ["postgresql"], indirect=True)
def test_a_rule_that_does_something_else_is_refused(base: Base) -> None:  # noqa: F811
    for deed, body in (("UPDATE", NOTE), ("DELETE", DELETE)):
        table(base, f"CREATE RULE meddles AS ON {deed} TO t DO INSTEAD NOTHING")
        assert f"the database did not {'change' if deed == 'UPDATE' else 'delete'} record 2" in str(
            run(base, body).problem
        )
        assert len(base.all_of("t")) == 3
    table(base, "CREATE RULE meddles AS ON INSERT TO t DO INSTEAD NOTHING")
    assert run(base, ADD).problem is not None
    assert len(base.all_of("t")) == 3


@pytest.mark.parametrize("deed", ["UPDATE", "INSERT"])
def test_a_value_that_the_database_rewrites_is_told_and_undone(base: Base, deed: str) -> None:  # noqa: F811
    table(base, *trigger(base.engine, deed, "upper"))
    file = run(base, NOTE if deed == "UPDATE" else ADD)
    assert file.problem is None, file.problem
    key = 2 if deed == "UPDATE" else 9
    assert f't {key} note: the database stored "NEW" instead of "new".' in file.notes
    assert (key, "NEW") in base.all_of("t")
    scrub.undo()
    assert [row[0] for row in base.all_of("t")] == [1, 2, 3]
    assert base.all_of("t")[0] == (1, "a")


def test_a_value_that_the_database_turns_back_is_refused(base: Base) -> None:  # noqa: F811
    table(base, "UPDATE t SET note = 'new'", *trigger(base.engine, "UPDATE", "lower"))
    body = 'each record in table("t")\nrecord.note = "NEW"\nend'
    assert "the database did not change record 1" in str(run(base, body).problem)
    assert base.all_of("t") == [(1, "new"), (2, "new"), (3, "new")]


def test_a_trigger_that_deletes_is_refused(home: Path) -> None:
    found = sqlite_base()
    for what in ("AFTER", "BEFORE"):
        table(found, f"CREATE TRIGGER meddles {what} UPDATE ON t BEGIN DELETE FROM t WHERE id = 3; END")
        assert 'the database deleted other records of "t" as well' in str(run(found, NOTE).problem)
        assert found.all_of("t") == [(1, "a"), (2, "b"), (3, "c")]
    table(found, "CREATE TRIGGER meddles AFTER UPDATE ON t BEGIN DELETE FROM t WHERE id = NEW.id; END")
    assert 'the database deleted record 2 of "t"' in str(run(found, NOTE).problem)
    table(found, "CREATE TRIGGER meddles AFTER INSERT ON t BEGIN INSERT INTO t VALUES (NEW.id + 1, 'too'); END")
    file = run(found, ADD)
    assert 'The database added 1 other record to "t".' in file.notes


@pytest.mark.parametrize(
    "columns",
    [
        "id INTEGER PRIMARY KEY, note TEXT UNIQUE ON CONFLICT REPLACE",
        "id INTEGER PRIMARY KEY on  /* so */ conflict\nREPLACE, note TEXT",
        "id INTEGER, note TEXT, PRIMARY KEY (id) ON CONFLICT REPLACE",
        "id INTEGER PRIMARY KEY, note TEXT, UNIQUE (note) -- both\n ON CONFLICT REPLACE",
        "id INTEGER PRIMARY KEY, note TEXT NOT NULL ON CONFLICT REPLACE DEFAULT 'x'",
    ],
)
def test_a_table_that_replaces_is_not_written_to(home: Path, columns: str) -> None:
    found = sqlite_base()
    table(found, columns=columns)
    for body in (NOTE, DELETE, ADD, SHOUTS):
        assert '"t" has the conflict clause ON CONFLICT REPLACE' in str(run(found, body).problem)
    assert found.all_of("t") == [(1, "a"), (2, "b"), (3, "c")]
    assert len(told(run(found, 'each record in table("guest")\nrecord.email = "x"\nend'))) == 3


@pytest.mark.parametrize(
    "columns",
    [
        """id INTEGER PRIMARY KEY, note TEXT DEFAULT 'on conflict replace', "on conflict replace" TEXT""",
        "id INTEGER PRIMARY KEY, note TEXT /* on conflict replace */",
        "id INTEGER PRIMARY KEY, note TEXT, [on conflict replace] TEXT, `on conflict replace ``s` TEXT -- on conflict replace",
    ],
)
def test_a_name_or_a_text_is_no_conflict_clause(home: Path, columns: str) -> None:
    found = sqlite_base()
    table(found, columns=f"{columns}\n")
    assert len(told(run(found, NOTE))) == 1


@pytest.mark.parametrize("clause", ["IGNORE", "FAIL", "ROLLBACK", "ABORT"])
def test_a_conflict_clause_saves_nothing_that_is_not_told(home: Path, clause: str) -> None:
    found = sqlite_base()
    table(found, columns=f"id INTEGER PRIMARY KEY, note TEXT UNIQUE ON CONFLICT {clause}")
    before = found.all_of("t")
    for body in (NOTE.replace('"new"', '"a"'), ADD.replace('"new"', '"a"'), SHOUTS):
        file = run(found, body)
        assert "Nothing was saved" in str(file.problem)
        assert found.all_of("t") == before
    assert len(told(run(found, NOTE))) == 1


def broken(found: Base) -> None:
    """Rows that break a rule: they were there before it, or while it did not hold."""
    if found.engine == "sqlite":
        with sqlite3.connect(found.address) as link:
            link.execute(
                "CREATE TABLE t (id INTEGER PRIMARY KEY, note TEXT, n INTEGER CHECK (n < 9), g REFERENCES guest)"
            )
            link.execute("PRAGMA ignore_check_constraints = ON")
            link.execute("INSERT INTO t VALUES (1, 'a', 1, 1), (2, 'b', 99, 1), (3, 'c', 2, 77)")
        link.close()
    elif found.engine == "postgresql":
        table(found, columns="id INTEGER PRIMARY KEY, note VARCHAR(20), n INTEGER DEFAULT 1, g INTEGER DEFAULT 1")
        found.run("UPDATE t SET n = 99 WHERE id = 2")
        found.run("UPDATE t SET g = 77 WHERE id = 3")
        found.run("ALTER TABLE t ADD CONSTRAINT few CHECK (n < 9) NOT VALID")
        found.run("ALTER TABLE t ADD CONSTRAINT whose FOREIGN KEY (g) REFERENCES guest (id) NOT VALID")
    else:
        table(found, columns="id INTEGER PRIMARY KEY, note VARCHAR(20), n INTEGER DEFAULT 1, g INTEGER DEFAULT 1")
        with found.link() as link:
            cursor = link.cursor()
            cursor.execute("UPDATE t SET n = 99 WHERE id = 2")
            cursor.execute("UPDATE t SET g = 77 WHERE id = 3")
            cursor.execute("SET check_constraint_checks = 0, foreign_key_checks = 0")
            cursor.execute("ALTER TABLE t ADD CONSTRAINT few CHECK (n < 9)")
            cursor.execute("ALTER TABLE t ADD CONSTRAINT whose FOREIGN KEY (g) REFERENCES guest (id)")


@pytest.mark.parametrize("key", [2, 3])
def test_a_row_that_could_not_come_back_is_not_taken(base: Base, key: int) -> None:  # noqa: F811
    broken(base)
    before: list[Any] = base.all_of("t")
    file = run(base, f'each record in table("t") where record.id is {key}\ndelete\nend')
    assert "the change could not be undone: " in str(file.problem)
    assert "Nothing was saved" in str(file.problem)
    file = run(base, f'each record in table("t") where record.id is {key}\nrecord.{"n" if key == 2 else "g"} = 2\nend')
    assert "the change could not be undone: " in str(file.problem)
    assert base.all_of("t") == before
    assert run(base, 'each record in table("t") where record.id is 1\ndelete\nend').problem is None
    scrub.undo()
    assert base.all_of("t") == before


def test_the_sample_has_such_a_row(home: Path) -> None:
    Path("huts.sqlite").write_bytes((files("scrub") / "demo" / "huts.sqlite").read_bytes())
    found = Base("sqlite", "huts.sqlite")
    body = 'each record in table("night") where record.id is 70\n{}\nend'
    assert len(told(run(found, body.format('record.note = "x"')))) == 1  # it says nothing of whom it refers to
    scrub.undo()
    what = 'the change could not be undone: it refers to a record of "guest" that does not exist'
    for deed in ("delete", "record.guest-id = 1"):
        assert what in str(run(found, body.format(deed)).problem)
    assert found.run("SELECT count(*) FROM night WHERE id = 70") == [(1,)]
