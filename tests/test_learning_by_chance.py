"""Macros by chance, learned from what they did to one workbook and judged on another one."""

from __future__ import annotations

import random
import shutil
from collections import Counter
from pathlib import Path

import pytest
from conftest import FOR_EVER, portion
from learn_chance import body, workbook
from test_learning import is_right

import scrub

#: Records on each sheet.
RECORDS = 30


def outcome(seed: int, folder: Path) -> tuple[str, str]:
    """What became of one macro: right; told, if one of the readings or limits that are named is right; or wrong."""
    chance = random.Random(seed)
    wanted = body(chance)
    folder.mkdir()
    pairs = []
    for name in ("first", "second"):
        before, after = workbook(folder / f"{name}.xlsx", chance, RECORDS), folder / f"{name}-after.xlsx"
        shutil.copyfile(before, after)
        assert scrub.run(f"macro Wanted\nfor workbook\n\n{wanted}\n", [str(after)]).exit_code == 0
        pairs.append((before, after))
    try:
        learned = scrub.learn(*map(str, pairs[0]))
    except scrub.BadCall:
        return "without a difference", wanted
    text = f"{wanted}\n--\n{learned.text}\n{learned.readings}{learned.choice}{learned.notes}"
    if not learned.text:
        return "not found", text
    if not is_right(learned, *pairs[1]):
        return "right", text
    others = [each.text for each in learned.choice]
    for first, *rest in learned.readings:
        others += [learned.text.replace(first, each) for each in rest]
    if any(not is_right(scrub.Learned(each, 0), *pairs[1]) for each in others):
        return "told", text
    if any("any limit between" in note for note in learned.notes):
        return "told", text
    return ("wrong" if learned.proved else "not proved"), text


@pytest.mark.timeout(FOR_EVER)
def test_what_was_learned_is_right_on_another_file_or_its_doubts_are_told(home: Path, tmp_path: Path) -> None:
    count = portion(60)
    found = [outcome(seed, tmp_path / str(seed)) for seed in range(count)]
    assert [text for what, text in found if what in ("wrong", "not found")] == []
    counts = Counter(what for what, _ in found)
    decided = count - counts["without a difference"]
    assert counts["right"] + counts["told"] >= 0.9 * decided, counts
    assert counts["right"] >= 0.8 * decided, counts
