"""A run that is prepared, shown, and saved as it was shown."""

from __future__ import annotations

import os
import random
import shutil
import sqlite3
from pathlib import Path

import pytest
from conftest import SAMPLE, macro, portion
from mails import Approving
from sheets import states

import scrub
from scrub.runner.results import Prepared
from scrub.runner.saver import Saver

SHOW = macro("each sheet\nsheet.hidden = no\nend", title="Show all")


def copies(count: int) -> list[str]:
    names = [f"week {number}%F;.xlsx" for number in range(count)]
    for name in names:
        shutil.copyfile(SAMPLE, name)
    return names


def test_what_was_shown_is_saved_and_undone(home: Path) -> None:
    names = copies(3)
    preview = scrub.run(SHOW, names, preview=True)
    held = scrub.prepare(SHOW, names)
    assert [file.as_dict() for file in held.files] == [file.as_dict() for file in preview.files]
    assert all(Path(name).read_bytes() == SAMPLE.read_bytes() for name in names)
    assert scrub.history() == []
    result = held.commit(only=names[1:])
    assert [os.path.basename(file.path) for file in result.files] == names[1:]
    assert (result.exit_code, result.preview, result.number) == (0, False, 1)
    assert Path(names[0]).read_bytes() == SAMPLE.read_bytes()
    assert all(state == "visible" for name in names[1:] for state in states(Path(name)).values())
    kept = scrub.changes(1)
    assert [len(file.changes) for file in kept.files] == [len(file.changes) for file in held.files[1:]]
    scrub.undo()
    assert all(Path(name).read_bytes() == SAMPLE.read_bytes() for name in names)
    with pytest.raises(scrub.BadCall, match="saved already"):
        held.commit()


def test_the_same_as_a_run(home: Path) -> None:
    """Byte for byte, and in the history."""
    text = (SAMPLE.parent / "macros" / "Sort out who pays.scrub").read_text()
    found = []
    for number in range(2):
        Path("book.xlsx").write_bytes(SAMPLE.read_bytes())
        if number:
            scrub.prepare(text, ["book.xlsx"]).commit()
        else:
            scrub.run(text, ["book.xlsx"])
        record = scrub.changes().as_dict()
        found.append((Path("book.xlsx").read_bytes(), {**record, "run": 0, "when": ""}))
    assert found[0] == found[1]


def test_nothing_is_saved_over_a_file_that_was_changed_in_between(home: Path) -> None:
    names = copies(3)
    held = scrub.prepare(SHOW, names)
    with open(names[1], "ab") as stream:
        stream.write(b"\0")
    changed = Path(names[1]).read_bytes()
    result = held.commit()
    assert [file.state for file in result.files] == ["changed", "failed", "changed"]
    assert Path(names[1]).read_bytes() == changed
    assert "edited" in str(result.files[1].problem) or "changed" in str(result.files[1].problem)
    assert result.exit_code == 1


def test_what_depends_on_a_file_of_the_same_run_is_not_saved_as_it_was_shown(home: Path) -> None:
    """Each table takes a number from the one before it, which this very run changes."""
    text = macro(
        'n = 0\neach record in open("t0.csv").sheet("t0")\nn = n + record.nights\nend\n'
        "each record\nrecord.nights = record.nights + n\nend"
    )
    for number in range(3):
        Path(f"t{number}.csv").write_text("Guest,Nights\nMoss,1\n")
    names = [f"t{number}.csv" for number in range(3)]
    held = scrub.prepare(text, names, host=Approving())
    result = held.commit()
    assert [file.state for file in result.files] == ["changed", "failed", "failed"]
    assert "depends on a file that this run changes" in str(result.files[1].problem)
    assert Path("t1.csv").read_text() == "Guest,Nights\nMoss,1\n"


def test_new_files_never_replace_what_appeared_in_between(home: Path) -> None:
    shutil.copyfile(SAMPLE, "book.xlsx")
    text = macro('list = new-file("late.csv")\nin list.sheet("late")\nadd-row ["a"]\nend')
    held = scrub.prepare(text, ["book.xlsx"], host=Approving())
    assert not Path("late.csv").exists()
    Path("late.csv").write_text("mine")
    result = held.commit()
    assert Path("late.csv").read_text() == "mine"
    assert result.files[0].problem is not None
    assert scrub.prepare(text, ["book.xlsx"], host=Approving()).commit().exit_code == 0
    assert Path("late 2.csv").exists() or Path("late (2).csv").exists() or len(list(Path().glob("late*.csv"))) == 2


def test_ctrl_c_while_it_is_saved_leaves_a_record(home: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    names = copies(3)
    held = scrub.prepare(SHOW, names)
    take = Saver.take
    taken: list[Prepared] = []

    def pressed(self: Saver, prepared: Prepared) -> None:
        if len(taken) == 2:
            raise KeyboardInterrupt
        taken.append(prepared)
        take(self, prepared)

    with monkeypatch.context() as patched:
        patched.setattr(Saver, "take", pressed)
        with pytest.raises(scrub.Interrupted) as stopped:
            held.commit()
    assert [file.state for file in stopped.value.result.files] == ["changed", "changed", "not done"]
    assert held.result is stopped.value.result
    assert scrub.history()[0].number == 1
    assert scrub.continue_run(1).exit_code == 0
    assert all(state == "visible" for name in names for state in states(Path(name)).values())
    scrub.undo()
    assert all(Path(name).read_bytes() == SAMPLE.read_bytes() for name in names)


def test_a_database_and_a_function_are_held_too(home: Path) -> None:
    shutil.copyfile(SAMPLE.parent / "huts.sqlite", "huts.sqlite")

    def mark(base: scrub.Database) -> None:
        for record in base.table("night").records(
            where=~scrub.heading("nights").is_empty() & (scrub.heading("nights") >= 7)
        ):
            record["note"] = "long"

    held = scrub.prepare(mark, ["huts.sqlite"])
    count = len(held.files[0].changes)
    assert count > 0
    base = sqlite3.connect("huts.sqlite")
    assert base.execute("select count(*) from night where note = 'long'").fetchone() == (0,)
    base.close()
    assert held.commit().number == 1
    base = sqlite3.connect("huts.sqlite")
    assert base.execute("select count(*) from night where note = 'long'").fetchone() == (count,)
    base.close()
    scrub.undo()


def test_what_cannot_be_prepared_is_told_at_once(home: Path) -> None:
    names = copies(1)
    for macro_text, answers, problem in (
        (macro('x = ask("Who")\nlog x'), {}, scrub.BadCall), (macro("each shet\nend"), {}, scrub.MacroProblems),
        (macro('x = new-file("a.csv")'), {}, scrub.Refused),
    ):  # fmt: skip
        with pytest.raises(problem):
            scrub.prepare(macro_text, names, answers=answers)
    held = scrub.prepare(SHOW, names)
    with pytest.raises(scrub.BadCall, match="not prepared"):
        held.commit(only=["other.xlsx"])
    assert "held, 1 files" in repr(held)


@pytest.mark.parametrize("seed", range(portion(20, 4)))
def test_any_choice_of_files_is_saved_and_no_other(seed: int, home: Path) -> None:
    chance = random.Random(seed)
    names = copies(6)
    chosen = [name for name in names if chance.random() < 0.5]
    edited = {name for name in names if chance.random() < 0.2}
    held = scrub.prepare(SHOW, names)
    for name in edited:
        with open(name, "ab") as stream:
            stream.write(b"\0")
    before = {name: Path(name).read_bytes() for name in names}
    held.commit(only=chosen)
    for name in names:
        now = Path(name).read_bytes()
        assert (now != before[name]) == (name in chosen and name not in edited)
