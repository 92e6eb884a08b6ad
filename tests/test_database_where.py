"""A condition handed to a database finds what the macro's own condition finds: the same records, failures and remarks."""

from __future__ import annotations

import re
from collections.abc import Callable
from decimal import Decimal
from pathlib import Path
from typing import Any, NamedTuple

import pytest
from bases import Base
from conftest import examples, macro
from hypothesis import Phase, given, settings
from hypothesis import strategies as st
from test_databases import started  # noqa: F401 - a fixture

import scrub
from scrub.formats.database.where import TURNING
from scrub.model.core.values import fold
from scrub.runner import pushdown as sifting

#: Texts that SQL, Python and people compare in different ways; each line is about one of them.
WORDS: list[list[Any]] = [
    ["Larch", "larch", "LARCH", "larch ", " larch", "larches"], ["ſtove", "stove", "STOVE", "Stove"],
    ["Straße", "STRASSE", "strasse", "stra"], ["É", "é", "é", "e"], ["K", "k", "K", "kk"],
    ["it's", "it’s", "IT'S"], ["la rch", "la rch", "LA RCH", "la"], ["12", "12.0", " 12", "1e3", "x"],
    ["", " ", "\t", "​", " "], ["İ", "ı", "I", "i"], ["a%b", "a_b", "aXb", "%s"], ["ﬁ", "fi", "FI", "f"],
    ["Ω", "ω", "w"],
    ["Gañet", "GAÑET", "ga", "et"], ["ŉ", "n", "ʼn", "'n"], ["yes", "no", "2026-05-01", "1"], ["a\nb", "a b", "'", "\\"],
]  # fmt: skip
NUMBERS: list[list[Any]] = [
    [0, 1, -1, 12], [12, 12.0, 1, 1000], [2**53 + 1, 2**53, 2**53 + 2, 1], [10**15, 10**15 - 1, 10**15 + 1, 10**16], [2**62, 2**62 + 1, -(2**62)],
    [0.1, 0.3, 0.30000000000000004, 0.2], [1.5, 2.5, -0.25], [123456789012345.6, 123456789012345.7], [1e-7, 1e-20, 0, 5e-324],
    [float("inf"), float("-inf"), 1e300, 1],
]  # fmt: skip
DAYS: list[list[Any]] = [
    ["2026-05-01", "2026-05-02", "2026-05-01 10:00:00", "2026-05-01 00:00"], ["2026-02-28", "2026-02-30", "2026-03-01", "2026-03-02"],
    ["2024-02-29", "2024-2-29", "20240229", "soon"], ["0001-01-01", "0000-12-31", "1999-12-31", "9999-12-31"],
]  # fmt: skip


def written(value: Any) -> str:
    """A value as a macro writes it."""
    if isinstance(value, bool):
        return "yes" if value else "no"
    if isinstance(value, str):
        if re.fullmatch(r"\d{4}-\d\d-\d\d", value) and value not in ("2026-02-30", "0000-12-31"):
            return value
        return '"' + re.sub(r"[\n\t​ \\\\]", " ", value).replace("{", "{{").replace('"', "'") + '"'
    return f"{Decimal(repr(value)):f}" if abs(value) < 1e30 else "5"


class Theme(NamedTuple):
    """What may be under each heading: values that are hard to tell from each other."""

    values: dict[str, list[Any]]

    def constants(self, heading: str) -> st.SearchStrategy[str]:
        """What a heading is compared with: most often a value of its own sort."""
        own = st.sampled_from(self.values[heading]).filter(
            lambda value: value is not None and not isinstance(value, bytes)
        )
        other = st.sampled_from(["word", "many", "real", "paid", "day"]).flatmap(
            lambda each: st.sampled_from(self.values[each])
        )
        return (
            st.one_of(own, own, own, own, other)
            .filter(lambda value: value is not None and not isinstance(value, bytes))
            .map(written)
        )


@st.composite
def themes(draw: st.DrawFn) -> Theme:
    """One for an example."""
    words, numbers, days = draw(st.sampled_from(WORDS)), draw(st.sampled_from(NUMBERS)), draw(st.sampled_from(DAYS))
    whole = [number for number in draw(st.sampled_from(NUMBERS[:4])) if isinstance(number, int)]
    return Theme({"word": words, "many": whole, "real": list(map(float, numbers)), "paid": [True, False], "day": days,
                  "any": [*words[:2], *numbers[:2], days[0], b"x"], "at": days})  # fmt: skip


@st.composite
def comparisons(draw: st.DrawFn, theme: Theme) -> str:
    """A comparison."""
    heading = draw(st.sampled_from(["word", "many", "real", "paid", "day", "any", "at", "word", "many", "real", "day"]))
    operators = {"word": ["is", "is", "is not", "is empty", "is not empty", "contains", "starts with", "ends with", "is in", "<"],
                 "paid": ["is", "is not", "bare", "bare", "is empty", "<"]}  # fmt: skip
    operator = draw(
        st.sampled_from(
            operators.get(heading, ["is", "is not", "<", "<=", ">", ">=", "is empty", "is in", "between", "contains"])
        )
    )
    constants = theme.constants(heading)
    if operator == "bare":
        return f"record.{heading}"
    if operator.endswith("empty"):
        return f"record.{heading} {operator}"
    if operator == "between":
        return f"record.{heading} is between {draw(constants)} and {draw(constants)}"
    if operator == "is in":
        return f"record.{heading} is in [{', '.join(draw(st.lists(constants, min_size=1, max_size=5)))}]"
    return f"record.{heading} {operator} {draw(constants)}"


def conditions(theme: Theme) -> st.SearchStrategy[str]:
    """A comparison, or a few with `and`, `or` and `not`."""
    return st.recursive(
        comparisons(theme),
        lambda inner: st.one_of(
            st.tuples(inner, st.sampled_from(["and", "or"]), inner).map(
                lambda parts: f"({parts[0]} {parts[1]} {parts[2]})"
            ),
            inner.map(lambda part: f"not ({part})"),
        ),
        max_leaves=3,
    )


@st.composite
def rows(draw: st.DrawFn, theme: Theme, odd: bool) -> list[dict[str, Any]]:
    """Rows; where it is `odd` anything may be under any heading, as SQLite lets it."""
    found = []
    for _ in range(draw(st.integers(2, 9))):
        row = {name: draw(st.sampled_from([None, *values, *values])) for name, values in theme.values.items()}
        if odd and draw(st.integers(0, 3)) == 0:
            row[draw(st.sampled_from(sorted(row)))] = draw(
                st.sampled_from([each for values in theme.values.values() for each in values])
            )
        found.append(row)
    return found


CREATE = {
    "sqlite": "CREATE TABLE t (id INTEGER PRIMARY KEY, word TEXT, many INTEGER, real REAL, paid BOOLEAN, day DATE, any, at TIMESTAMP)",
    "postgresql": "CREATE TABLE t (id INTEGER PRIMARY KEY, word TEXT, many BIGINT, real DOUBLE PRECISION, paid BOOLEAN, day DATE, "
                  "\"any\" NUMERIC(20,3), at TIMESTAMP)",
    "mariadb": "CREATE TABLE t (id INTEGER PRIMARY KEY, word TEXT, many BIGINT, `real` DOUBLE, paid BOOLEAN, day DATE, `any` DECIMAL(20,3), at DATETIME)",
}  # fmt: skip


#: Types of columns of which a database can tell whether the very same is in them.
EXACT = {
    " any,": " any NUMERIC,", "DOUBLE PRECISION": "NUMERIC(20,3)", "`real` DOUBLE": "`real` DECIMAL(20,3)",
    "at TIMESTAMP": "at DATE", "at DATETIME": "at DATE",
}  # fmt: skip


def fill(base: Base, rows: list[dict[str, Any]], exact: bool = False) -> None:
    create = CREATE[base.engine]
    for loose, strict in EXACT.items() if exact else ():
        create = create.replace(loose, strict)
    with base.link() as link:
        cursor = link.cursor()
        cursor.execute("DROP TABLE IF EXISTS t")
        cursor.execute(create)
        base.add(cursor, "t", [
            (number, *(row[name] for name in ("word", "many", "real", "paid", "day")), row.get("any"), row["at"])
            for number, row in enumerate(rows, 1)
        ])  # fmt: skip


def as_servers_take_them(engine: str, found: list[dict[str, Any]]) -> list[dict[str, Any]]:
    """Rows without what a server refuses."""
    for row in found:
        for name, pattern in (
            ("day", r"[12]\d{3}-\d\d-(?!30)\d\d"),
            ("at", r"[12]\d{3}-\d\d-(?!30)\d\d( \d\d:\d\d(:\d\d)?)?"),
        ):
            if row[name] is not None and not re.fullmatch(pattern, row[name]):
                row[name] = None
        row["any"] = None if row["many"] is None else row["many"] % 1000 / 8
        if engine == "mariadb" and row["real"] is not None and abs(row["real"]) == float("inf"):
            row["real"] = None
    return found


def outcome(base: Base, condition: str, body: str) -> tuple[list[str], list[str], str, list[str]]:
    text = macro(body.replace("CONDITION", condition), "database")
    if "://" in base.address:
        scrub.home().approvals.written(scrub.program(text).fingerprint, "Test")
    file = scrub.run(text, [base.address], preview=True).files[0]
    return (
        file.log,
        file.said,
        re.sub(r"^\S+ ", "", str(file.problem)),
        [re.sub(r"\d+ comparisons?", "", note) for note in file.notes],
    )


LOOP = 'each record in table("t") where CONDITION\nlog "{record.id}"\nend'
COUNT = 'say "{count(record in table("t") where CONDITION)}"'
LIST = 'say list(record.id in table("t") where CONDITION).joined(",")'


def agree(base: Base, condition: str, monkeypatch: pytest.MonkeyPatch) -> None:
    """Sifted by the database or not, the outcome is one."""
    for body in (LOOP, COUNT, LIST):
        try:
            found = outcome(base, condition, body)
        except scrub.MacroProblems:
            return  # two values that can never be compared: told before
        with monkeypatch.context() as patched:
            patched.setattr(sifting.Sieves, "sifts", lambda self, node: None)
            plain = outcome(base, condition, body)
        assert found == plain, (condition, base.all_of("t"))
        assert "bug in Scrub" not in found[2]


#: What may be set in a loop: values that fit and do not, what is under other headings, what depends on the other one.
SETTINGS = [
    'record.word = "set"', "record.word = nothing", "record.word = record.day", "record.many = 7", "record.many = 1.5",
    "record.many = record.id", "record.many = record.many + 1", "record.paid = no", "record.paid = record.word",
    "record.real = record.many", "record.day = 2026-05-01", "record.day = record.at", "record.any = record.many", "record.id = 5",
    'if record.paid is no\nrecord.word = "unpaid"\nend', "delete", "delete",
]  # fmt: skip
#: Gone through in its own order, which nobody does at once.
SLOWLY = 'each record in table("t") where CONDITION\nif record.id > 0\nSETTINGS\nend\nend'


def changed(base: Base, condition: str, settings: list[str], slowly: bool) -> tuple[Any, ...]:
    """What a run makes of the rows, what it tells, and what is there when it was undone."""
    text = SLOWLY if slowly else SLOWLY.replace("if record.id > 0\n", "").replace("\nend\nend", "\nend")
    before = base.all_of("t")
    text = macro(text.replace("CONDITION", condition).replace("SETTINGS", "\n".join(settings)), "database")
    if "://" in base.address:
        scrub.home().approvals.written(scrub.program(text).fingerprint, "Test")
    result = scrub.run(text, [base.address])
    file, after = result.files[0], base.all_of("t")
    if result.number is not None and file.state == "changed":
        scrub.undo(result.number)
    assert base.all_of("t") == before
    problem = re.sub(r"line \d+", "", str(file.problem))
    changes = [each.as_dict() for each in scrub.changes(result.number).files[0].changes] if file.changes else []
    assert [each.as_dict() for each in file.changes] == changes
    return after, problem, changes, file.state, file.notes


#: Each example runs several macros, which takes its time.
UNSHRUNK = [phase for phase in Phase if phase is not Phase.shrink]


def test_what_turns_into_ascii_is_known() -> None:
    letters = (chr(code) for code in range(128, 0x110000) if not 0xD800 <= code < 0xE000)
    assert {letter for letter in letters if any(each.isascii() for each in fold(letter))} == set(TURNING)


@settings(examples(100), phases=UNSHRUNK)
@given(data=st.data())
def test_sqlite_finds_what_the_macro_finds(home: Path, monkeypatch: pytest.MonkeyPatch, data: st.DataObject) -> None:
    theme = data.draw(themes())
    base = Base("sqlite", "t.sqlite")
    fill(base, data.draw(rows(theme, odd=True)))
    for _ in range(3):
        agree(base, data.draw(conditions(theme)), monkeypatch)


@pytest.mark.parametrize("engine", ["postgresql", "mariadb"])
def test_servers_find_what_the_macro_finds(
    engine: str,
    home: Path,
    monkeypatch: pytest.MonkeyPatch,
    started: Callable[[str], str],  # noqa: F811
) -> None:
    monkeypatch.setenv("SCRUB_SECRET_HUTS", "stove")
    base = Base(engine, started(engine))

    @settings(examples(15), phases=UNSHRUNK)
    @given(data=st.data())
    def check(data: st.DataObject) -> None:
        theme = data.draw(themes())
        found = as_servers_take_them(engine, data.draw(rows(theme, odd=False)))
        fill(base, found)
        for _ in range(4):
            agree(base, data.draw(conditions(theme)), monkeypatch)

    check()


def test_a_change_elsewhere_in_the_table_is_seen_by_the_loop(home: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """What a loop passed over may be one of its own when it comes there."""
    base = Base("sqlite", "t.sqlite")
    empty = dict.fromkeys(("real", "paid", "day", "at", "any"))
    fill(base, [{**empty, "word": "a", "many": number % 3} for number in range(1, 13)])
    body = """each record as one in table("t") where one.many is 1
    log "{one.id}"
    each record as other in table("t") where other.id is one.id + 2
        other.many = 1
    end
    each record as other in table("t") where other.id is one.id + 1
        other.many = 5
    end
end
each record in table("t") where record.many is 5
    log "five {record.id}"
end
say "{count(record in table("t") where record.many is 1)}"
"""
    found = outcome(base, "", body)
    monkeypatch.setattr(sifting.Sieves, "sifts", lambda self, node: None)
    assert found == outcome(base, "", body)
    assert found[0][:6] == ["1", "3", "5", "7", "9", "11"]


@settings(examples(60), phases=UNSHRUNK)
@given(data=st.data())
def test_what_is_set_at_once_is_what_a_loop_sets(
    home: Path, monkeypatch: pytest.MonkeyPatch, data: st.DataObject
) -> None:
    theme = data.draw(themes())
    base = Base("sqlite", "t.sqlite")
    fill(base, data.draw(rows(theme, odd=data.draw(st.booleans()))), data.draw(st.booleans()))
    set_as_a_loop_does(base, theme, monkeypatch, data)


def set_as_a_loop_does(base: Base, theme: Theme, monkeypatch: pytest.MonkeyPatch, data: st.DataObject) -> None:
    condition = data.draw(conditions(theme))
    settings = data.draw(st.lists(st.sampled_from(SETTINGS), min_size=1, max_size=3))
    with monkeypatch.context() as patched:
        patched.setattr("scrub.formats.database.changes._FEW", data.draw(st.sampled_from([0, 20])))
        patched.setattr("scrub.formats.database.sqlite._SAME", data.draw(st.sampled_from([1, 50])))
        try:
            found = changed(base, condition, settings, slowly=False)
        except scrub.MacroProblems:
            return
    with monkeypatch.context() as patched:
        patched.setattr("scrub.formats.database.changes._FEW", 1000)
        assert found == changed(base, condition, settings, slowly=True), (condition, settings)


@pytest.mark.parametrize("engine", ["postgresql", "mariadb"])
def test_servers_set_at_once_what_a_loop_sets(
    engine: str,
    home: Path,
    monkeypatch: pytest.MonkeyPatch,
    started: Callable[[str], str],  # noqa: F811
) -> None:
    monkeypatch.setenv("SCRUB_SECRET_HUTS", "stove")
    base = Base(engine, started(engine))

    @settings(examples(12), phases=UNSHRUNK)
    @given(data=st.data())
    def check(data: st.DataObject) -> None:
        theme = data.draw(themes())
        found, exact = as_servers_take_them(engine, data.draw(rows(theme, odd=False))), data.draw(st.booleans())
        for row in found if exact else ():
            row["real"], row["at"] = row["any"], row["day"]
        fill(base, found, exact)
        set_as_a_loop_does(base, theme, monkeypatch, data)

    check()


def test_rows_deleted_at_once_are_listed_one_by_one_and_come_back(home: Path, cli: Any) -> None:
    """By an attempt that fails, by undo, and again by redo; what another program did to one of them is told."""
    base = Base("sqlite", "t.sqlite")
    row = {"word": "=\u00df", "many": 3, "real": 1.5, "paid": True, "day": "2026-05-01", "at": None, "any": 7}
    fill(base, [{**row, "many": number % 3} for number in range(1, 901)], exact=True)
    before = base.all_of("t")
    delete = 'each record in table("t") where record.many is 1\ndelete\nend\n'
    text = macro(f'attempt\n{delete}fail "no"\nif it fails\nlog "{{count(record in table("t"))}}"\nend\n', "database")
    file = scrub.run(text, [base.address]).files[0]
    assert (file.log, list(file.changes), base.all_of("t")) == (["900"], [], before)
    text = macro(f'{delete}log "{{count(record in table("t"))}}"', "database")
    result = scrub.run(text, [base.address])
    said = "record deleted: 4 | =\u00df | 1 | 1.5 | yes | 2026-05-01 | 7 | "
    assert (result.files[0].log, str(result.files[0].changes[1])) == (["600"], said)
    assert cli("changes", "--all").out.count("record deleted: ") == 300
    assert len(base.all_of("t")) == 600
    scrub.undo(result.number)
    assert base.all_of("t") == before
    scrub.redo(result.number)
    assert len(base.all_of("t")) == 600
    base.run("INSERT INTO t (id, word) VALUES (4, 'mine')")
    with pytest.raises(scrub.Refused, match="the record 4 of the table .t. was added by another program since"):
        scrub.undo(result.number)
    assert base.run("SELECT word FROM t WHERE id = 4") == [("mine",)]
    assert len(base.all_of("t")) == 601


@pytest.mark.parametrize("joined", [
    "record.word is in [TEXTS]", "record.word is not in [TEXTS]", "record.many is in [NUMBERS]", "record.word is in [TEXTS, NUMBERS]",
    "record.word is in [TEXTS] and record.many is in [NUMBERS]", "WORDS", "not (WORDS)", "record.many > 3 and (WORDS)",
])  # fmt: skip
def test_a_condition_may_be_long(home: Path, monkeypatch: pytest.MonkeyPatch, joined: str) -> None:
    """A database reads no expression of any depth; and a list of values is looked through once."""
    base = Base("sqlite", "t.sqlite")
    empty = dict.fromkeys(("real", "paid", "day", "at", "any"))
    fill(base, [{**empty, "word": f"Hut {at}" if at % 7 else None, "many": at if at % 5 else None} for at in range(60)])
    parts = (f'record.word is "hut {at}"' if at % 2 else f"record.id is {at}" for at in range(70))
    pieces = {
        "TEXTS": ", ".join(f'"hut {at}"' for at in range(0, 300, 3)),
        "NUMBERS": ", ".join(map(str, range(0, 300, 4))),
        "WORDS": " or ".join(parts),
    }
    condition = joined
    for word, piece in pieces.items():
        condition = condition.replace(word, piece)
    agree(base, condition, monkeypatch)
    assert outcome(base, condition, COUNT)[2] == "None" or "record.many >" in joined
