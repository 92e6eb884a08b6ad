"""A few hundred damaged inputs; `make soak` goes on for an hour."""

from __future__ import annotations

from itertools import islice
from pathlib import Path

import pytest
from fuzzing import inputs


@pytest.mark.parametrize("block", range(8))
def test_no_damaged_input_ends_in_a_bug(home: Path, block: int) -> None:
    for number, chance, check in islice(inputs(block * 1000), 40):
        try:
            check(chance, Path())
        except Exception as error:
            raise AssertionError(f"input {number}: {error!r}") from error
