"""Which cells of a workbook a run changed, where they are when it is saved."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from typing import TYPE_CHECKING

from scrub.formats.overlay import place_of
from scrub.model.core.area import MOST_COLUMNS, MOST_ROWS

if TYPE_CHECKING:
    from scrub.formats.workbook.cells.stale_results import StaleResults
    from scrub.formats.workbook.saved_sheet import SavedSheet

Touch = tuple[int, int, int, int, int]


def whole(sheet: int) -> Touch:
    """All cells of a sheet."""
    return sheet, 1, 1, MOST_ROWS, MOST_COLUMNS


def touched_in(sheet: int, saved: SavedSheet, stale: StaleResults, hidden: bool) -> Iterator[Touch]:
    """What was changed in one sheet; `hidden` tells that it matters which rows are hidden."""
    if saved.part.is_new or saved.lines:
        yield whole(sheet)
        return
    yield from ((sheet, *block) for block in stale.ordered_blocks)
    overlay = saved.overlay
    # A formula that goes leaves its result, and one that is written out says what it did.
    fresh = {key for key, formula in overlay.formulas.items() if formula and key not in overlay.written_out}
    yield from _areas(sheet, {*overlay.values_above, *fresh})
    if overlay.appended is not None:
        yield sheet, *overlay.appended.area
    if hidden:
        yield from ((sheet, row, 1, row, MOST_COLUMNS) for row in saved.pieces.lines.hidden_rows())


def _areas(sheet: int, keys: Iterable[int]) -> Iterator[Touch]:
    """Single cells as areas of a column each, as far as they are below each other."""
    places = sorted((column, row) for row, column in map(place_of, keys))
    start = 0
    for at in range(1, len(places) + 1):
        if at == len(places) or places[at] != (places[at - 1][0], places[at - 1][1] + 1):
            column, top = places[start]
            yield sheet, top, column, places[at - 1][1], column
            start = at
