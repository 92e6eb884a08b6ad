"""A file with four times as many of a thing takes about four times the steps, whatever the thing is; counted, not timed."""

from __future__ import annotations

import sys
from pathlib import Path
from types import FrameType
from typing import Any

import pytest
from extremes import SHAPES, Shape

import scrub

#: Of how many things the smaller file of a shape has, where it is not this.
_FEW = 60
_COUNTS = {"columns.xlsx": 120, "corner.xlsx": 1, "wide.csv": 8, "narrow.csv": 8, "sheets.xlsx": 30}
#: Steps of a run that have nothing to do with the size, in tenths of those of the smaller file: at four times the size
#: this many times the steps are still in proportion.
_MOST = 5.5


def _steps(shape: Shape, count: int, folder: Path) -> int:
    """Lines of our own code that are run for a macro on one file of a shape."""
    folder.mkdir()
    made = folder / shape.name
    shape.make(made, count)
    text = f"macro Extreme\nfor {shape.kind}\n{shape.lines}"
    steps = 0

    def line(frame: FrameType, event: str, _: Any) -> Any:
        nonlocal steps
        steps += event == "line"
        return line

    def call(frame: FrameType, event: str, _: Any) -> Any:
        return line if "scrub" in frame.f_code.co_filename else None

    before = sys.gettrace()
    sys.settrace(call)
    try:
        result = scrub.run(text, [str(made)], preview=True)
    finally:
        sys.settrace(before)
    found = result.files[0]
    assert found.problem is None
    assert found.changes, "the macro did nothing"
    return steps


@pytest.mark.parametrize("shape", SHAPES, ids=lambda each: each.says)
def test_steps_grow_in_proportion(shape: Shape, home: Path, tmp_path: Path) -> None:
    count = _COUNTS.get(shape.name, _FEW)
    _steps(shape, 2, tmp_path / "first")  # what is loaded once
    small, large = _steps(shape, count, tmp_path / "small"), _steps(shape, 4 * count, tmp_path / "large")
    assert large <= _MOST * small
