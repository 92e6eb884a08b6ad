"""Any sequence of runs, undos, redos and edits by hand keeps every file at a state that it really had."""

from __future__ import annotations

import os
import shutil
import tempfile
from pathlib import Path

import pytest
import xlsxwriter
from conftest import examples, macro
from hypothesis import settings
from hypothesis import strategies as st
from hypothesis.stateful import RuleBasedStateMachine, initialize, invariant, rule

import scrub

NAMES = ("a.xlsx", "b.xlsx")


class Histories(RuleBasedStateMachine):
    """Two small workbooks, and what each of them should be byte for byte."""

    def __init__(self) -> None:
        super().__init__()
        self.folder = Path(tempfile.mkdtemp())
        self.former = os.environ.get("SCRUB_HOME")
        os.environ["SCRUB_HOME"] = str(self.folder / "home")
        # Each run: its number, whether it is done, and for each file it changed the bytes before and after.
        self.runs: dict[int, tuple[bool, dict[str, tuple[bytes, bytes]]]] = {}
        self.now: dict[str, bytes] = {}

    def path(self, name: str) -> str:
        return str(self.folder / name)

    @initialize()
    def files(self) -> None:
        for name in NAMES:
            book = xlsxwriter.Workbook(self.path(name))
            for number in range(3):
                sheet = book.add_worksheet(f"Hut {number}")
                sheet.write(0, 0, name)
            sheet.hide()
            book.close()
            self.now[name] = (self.folder / name).read_bytes()

    @rule(names=st.lists(st.sampled_from(NAMES), min_size=1, unique=True), number=st.integers(0, 2), hide=st.booleans())
    def run(self, names: list[str], number: int, hide: bool) -> None:
        body = f'in sheet("Hut {number}")\nsheet.hidden = {"yes" if hide else "no"}\nend'
        result = scrub.run(macro(body), [self.path(name) for name in names])
        changed: dict[str, tuple[bytes, bytes]] = {}
        for name, found in zip(names, result.files, strict=True):
            after = (self.folder / name).read_bytes()
            assert (after != self.now[name]) == (found.state == "changed")
            if found.state == "changed":
                changed[name] = (self.now[name], after)
                self.now[name] = after
        assert result.number is not None
        self.runs[result.number] = (True, changed)

    @rule(name=st.sampled_from(NAMES))
    def edit_by_hand(self, name: str) -> None:
        self.now[name] += b" "
        (self.folder / name).write_bytes(self.now[name])

    @rule(which=st.integers(0, 30), redo=st.booleans())
    def turn(self, which: int, redo: bool) -> None:
        numbers = [number for number, (done, changed) in self.runs.items() if changed and done != redo]
        if not numbers:
            with pytest.raises(scrub.BadCall):
                scrub.redo() if redo else scrub.undo()
            return
        number = numbers[which % len(numbers)]
        _, changed = self.runs[number]
        at, to = (0, 1) if redo else (1, 0)
        if any(self.now[name] != states[at] for name, states in changed.items()):
            with pytest.raises(scrub.Refused):
                scrub.redo(number) if redo else scrub.undo(number)
            return
        restored = scrub.redo(number) if redo else scrub.undo(number)
        assert sorted(os.path.basename(path) for path in restored.paths) == sorted(changed)
        for name, states in changed.items():
            self.now[name] = states[to]
        self.runs[number] = (redo, changed)

    @invariant()
    def files_are_what_they_should_be(self) -> None:
        for name, data in self.now.items():
            assert (self.folder / name).read_bytes() == data
        left = {path.name for path in self.folder.iterdir()} - {"home"}
        assert left == set(self.now)
        if self.runs:
            listed = {record.number: record for record in scrub.history()}
            for number, (done, changed) in self.runs.items():
                assert listed[number].undone == (bool(changed) and not done)
                assert {os.path.basename(f.path) for f in listed[number].files if f.state == "changed"} == set(changed)

    def teardown(self) -> None:
        if self.former is None:
            os.environ.pop("SCRUB_HOME", None)
        else:
            os.environ["SCRUB_HOME"] = self.former
        shutil.rmtree(self.folder)


Histories.TestCase.settings = settings(examples(25), stateful_step_count=14)
TestHistories = Histories.TestCase
