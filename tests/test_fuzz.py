"""A few hundred damaged inputs, and every value of our own records damaged; `make soak` goes on for an hour."""

from __future__ import annotations

import json
import random
from collections.abc import Iterator
from itertools import islice
from pathlib import Path
from typing import Any

import pytest
from conftest import SAMPLE, portion, some
from fuzzing import READERS, command, inputs
from hypothesis import given
from hypothesis import strategies as st

import scrub
from scrub.model.core.text import edited

SET = {
    "name": "Fuzz", "date-order": "day-first", "decimal-mark": "comma", "encoding": "windows-1252", "author": "Ann",
    "address": "ann@huts.example", "subject-prefixes": "Antwoord", "max-sent": "30", "max-elements": "700000", "max-minutes": "5", "max-gigabytes": "2", "max-memory": "300",
    "keep-undo": "40", "keep-undo-mb": "300", "mail-server": "smtps://ann@mail.huts.example",
}  # fmt: skip
INSTEAD: tuple[Any, ...] = (None, 7, -1.5, "x", [], {}, [None], {"x": None})


@pytest.mark.parametrize("block", some(range(8)))
def test_no_damaged_input_ends_in_a_bug(home: Path, block: int) -> None:
    for number, chance, check in islice(inputs(block * 1000), portion(40)):
        try:
            check(chance, Path())
        except Exception as error:
            raise AssertionError(f"input {number}: {error!r}") from error


def holders(value: Any) -> Iterator[tuple[Any, Any]]:
    """Every place in a value: what contains it, and its key or number there."""
    pairs = value.items() if isinstance(value, dict) else enumerate(value) if isinstance(value, list) else ()
    for key, inner in list(pairs):
        yield value, key
        yield from holders(inner)


def test_every_value_of_every_record_may_be_lost_or_another(home: Path) -> None:
    """The command says what is damaged or leaves it out, and the runs that are whole are told all the same."""
    Path("notice.txt").write_text("a  b\n")
    for _ in range(2):
        scrub.run('macro Fuzz\nfor document\nsingle-spaces\nsay "done"\nlog "done"\n', ["notice.txt"])
        scrub.run("macro Whole\nfor document\nsingle-spaces\n", ["notice.txt"])
        Path("notice.txt").write_text("a  b\n")
    for name, value in SET.items():
        command("settings", name, value)
    command("library", "join", ".")
    command("pin", "seal", "s")
    Path("m.scrub").write_text("macro Made\nfor document\nsave-copy\n")
    command("approve", "--yes", "m.scrub")
    command("run", "seal", str(SAMPLE), "--preview")
    command("run", "List the bookings", str(SAMPLE.parent / "bookings.mbox"), "--preview")
    chance, told = random.Random(1), 0
    readers = [words for words in READERS if words != ("undo",)]
    readers += [("run", "m.scrub", "notice.txt", "--preview"), ("run", "m.scrub", "notice.txt"), ("secret", "list")]
    for path in sorted(home.rglob("*.json")):
        before = path.read_bytes()
        for number in some(range(len(list(holders(json.loads(before)))))):
            for fresh in (..., *chance.sample(INSTEAD, 3)):
                value = json.loads(before)
                holder, key = list(holders(value))[number]
                if fresh is ...:
                    del holder[key]
                else:
                    holder[key] = fresh
                path.write_text(json.dumps(value))
                for words in chance.sample(readers, 2):
                    command(*words)
                told += {1, 2, 3, 4} <= {run.number for run in scrub.history()}
        path.write_bytes(before)
    assert told > portion(200)


def test_what_is_damaged_in_a_record_can_be_taken_back(home: Path) -> None:
    Path("notice.txt").write_text("a  b\n")
    scrub.run("macro Fuzz\nfor document\nsingle-spaces\n", ["notice.txt"])
    (path,) = home.rglob("1.json")
    kept = json.loads(path.read_text())
    kept["parts"][0]["record"] = {"files": [{"file": None}]}
    path.write_text(json.dumps(kept))
    (run,) = scrub.history()
    assert [(Path(file.path).name, file.state) for file in run.files] == [("notice.txt", "its record is damaged")]
    scrub.undo()
    assert Path("notice.txt").read_text() == "a  b\n"


@pytest.mark.parametrize("word", ["macro", "about", "group", "into"])
@pytest.mark.parametrize("rest", ["--x", " -x", "+1", " 5", '"x"', " x"])
def test_a_word_of_the_head_is_no_action(word: str, rest: str) -> None:
    (first, *_) = scrub.check_text(f"macro A\nfor document\nsingle-spaces\n{word}{rest}\n")
    assert f'"{word}' in str(first)
    with pytest.raises(scrub.ScrubError):
        scrub.tidy(f"macro A\nfor document\nsingle-spaces\n{word}{rest}\n")


@given(st.text("ab", max_size=30), st.lists(st.tuples(st.integers(0, 30), st.text("xy", max_size=3)), max_size=6))
def test_edits_in_one_go_are_those_done_one_by_one(text: str, cuts: list[tuple[int, str]]) -> None:
    cuts = sorted((min(at, len(text)), fresh) for at, fresh in cuts)
    ends = [at for at, _ in cuts[1:]] + [len(text)]
    edits = [(at, min(at + 2, end), fresh) for (at, fresh), end in zip(cuts, ends, strict=False)]
    plain = text
    for start, end, fresh in reversed(edits):
        plain = plain[:start] + fresh + plain[end:]
    assert edited(text, edits) == plain
