"""What is noted of very many changes: on disk where memory is short, and the same as in memory."""

from __future__ import annotations

import json
from datetime import date
from decimal import Decimal
from pathlib import Path
from typing import Any

import pytest
from bases import Base
from conftest import Output, examples, macro
from hypothesis import given
from hypothesis import strategies as st

import scrub
from scrub.model.core import memory
from scrub.model.core.long_json import json_of
from scrub.model.core.memory import LongDict, LongList

VALUES = st.one_of(st.integers(), st.text(max_size=3), st.none(), st.just(Decimal("1.50")), st.just(date(2026, 5, 1)))
#: What is done to a list: a value is put at the end, many are, the last one is taken away.
DEEDS = st.lists(st.one_of(VALUES.map(lambda value: ("append", value)), st.lists(VALUES, max_size=9).map(lambda values: ("extend", values)),
                           st.just(("pop", None))), max_size=30)  # fmt: skip


@pytest.fixture(params=[True, False], ids=["on disk", "in memory"])
def small(request: pytest.FixtureRequest, monkeypatch: pytest.MonkeyPatch) -> None:
    """A few values are many; they go to the disk, or not."""
    monkeypatch.setattr(memory, "_CHUNK", 4)
    monkeypatch.setattr(memory, "_is_too_much", lambda: request.param)


@examples(200)
@given(deeds=DEEDS, place=st.integers(-40, 40))
def test_a_long_list_is_a_list(small: None, deeds: list[tuple[str, Any]], place: int) -> None:
    found: LongList[Any] = LongList()
    plain: list[Any] = []
    for word, value in deeds:
        if word == "pop":
            if plain:
                assert found.pop() == plain.pop()
        else:
            getattr(found, word)(value)
            getattr(plain, word)(value)
    assert (list(found), len(found), list(reversed(found)), bool(found)) == (
        plain,
        len(plain),
        plain[::-1],
        bool(plain),
    )
    assert found == plain
    assert [list(found[::-1]), list(found[1:5:2])] == [plain[::-1], plain[1:5:2]]
    if -len(plain) <= place < len(plain):
        assert found[place] == plain[place]
    else:
        with pytest.raises(IndexError):
            found[place]
    texts = LongList([str(each) for each in plain])
    told = {"a": [1, texts, {"b": texts}], "c": "\0long 0\0"}
    assert json.loads(json_of(told)) == {"a": [1, list(texts), {"b": list(texts)}], "c": "\0long 0\0"}


KEYS = st.one_of(st.tuples(st.integers(0, 20)), st.tuples(st.sampled_from("abc"), st.integers(0, 3)))


@examples(200)
@given(
    deeds=st.lists(st.tuples(st.sampled_from(["put", "put", "put", "take"]), KEYS, VALUES), max_size=40),
    ascending=st.booleans(),
)
def test_a_long_dictionary_is_a_dictionary(small: None, deeds: list[tuple[str, Any, Any]], ascending: bool) -> None:
    found: LongDict[Any, Any] = LongDict()
    plain: dict[Any, Any] = {}
    for number, (word, key, value) in enumerate(deeds):
        key = (number,) if ascending and number % 5 else key
        if word == "put":
            found[key] = plain[key] = value
        else:
            assert found.pop(key, "none") == plain.pop(key, "none")
        assert found.get(key) == plain.get(key)
        assert (key in found) == (key in plain)
    assert list(found) == list(plain)
    assert list(found.pairs()) == list(plain.items())
    assert (len(found), bool(found)) == (len(plain), bool(plain))


BODY = """each record in table("night") where record.nights >= 3
    record.note = "long"
end
each record in table("night") where record.nights is 5
    if record.id > 3
        record.note = "five"
        record.price = record.price + 1
    end
end
attempt
    each record in table("night") where record.nights < 3
        record.note = "short"
    end
    fail "not these"
if it fails
    each record in table("night") where record.hut is "Kite"
        record.hut = "Red Kite"
    end
end
each record in table("night") where record.nights is 4
    if record.id < 30
        delete
    end
end
say "{count(record in table("night") where record.note is "five")}"
"""


def test_a_database_is_changed_alike_with_little_memory(home: Path, small: None, tmp_path: Path, cli: Any) -> None:
    base = Base("sqlite", str(tmp_path / "huts.sqlite"))
    with base.link() as link:
        link.execute(
            "CREATE TABLE night (id INTEGER PRIMARY KEY, hut TEXT, nights INTEGER, price DECIMAL(8,2), note TEXT)"
        )
        rows = [(number, ("Larch", "Kite")[number % 2], number % 7, number / 4, None) for number in range(1, 80)]
        link.executemany("INSERT INTO night VALUES (?, ?, ?, ?, ?)", rows)
    before = base.all_of("night")
    file = scrub.run(macro(BODY, "database"), [base.address]).files[0]
    assert file.problem is None, str(file.problem)
    wanted = []
    for number, hut, nights, price, _ in before:
        if nights == 4 and number < 30:
            continue
        five = nights == 5 and number > 3
        note = "five" if five else "long" if nights >= 3 else None
        wanted.append((number, "Red Kite" if hut == "Kite" else hut, nights, price + 1 if five else price, note))
    assert base.all_of("night") == wanted
    assert file.said == [str(sum(row[4] == "five" for row in wanted))]
    assert [each.as_dict() for each in scrub.changes(1).files[0].changes] == [each.as_dict() for each in file.changes]
    assert len(cli("changes", "--all").out.splitlines()) > 100
    scrub.undo(1)
    assert base.all_of("night") == before


def test_how_much_memory_changes_may_take_is_a_setting(home: Path, cli: Any) -> None:
    told: Output = cli("settings", "max-memory", "64")
    assert told.code == 0
    assert scrub.home().preferences.most_memory == 64
