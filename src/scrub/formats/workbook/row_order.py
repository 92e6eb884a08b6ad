"""Rows in another order, as bytes: the way for whole rows of plain cells, which are many."""

from __future__ import annotations

from collections.abc import Mapping

from scrub.formats.workbook.sheet_data import Searched
from scrub.model.late import late

_ROW, _END = b'<row r="', b"</row>"
_ADDRESS = late(rb'(<c r="[A-Z]{1,3})(\d+)(?=")')
_SPANS = late(rb"""\sspans\s*=\s*(?:"[^"]*"|'[^']*')""")


def in_order(stored: Searched, moves: Mapping[int, int]) -> bytes | None:
    """A part where each of some rows holds what another one held; `moves` gives that by the number of the row. The rows
    themselves stay, with their heights. None where a row is not stored, or holds cells of another row.
    """
    start, end = stored.body
    before = stored.data[start:end].split(_ROW)
    places = {number: place for place, number in enumerate(stored.numbers, 1)}
    after = list(before)
    for row, source in moves.items():
        if row not in places or source not in places:
            return None
        here, there = before[places[row]], before[places[source]]
        opened, close = here.index(b">") + 1, here.rfind(_END)
        other_opened, other_close = there.index(b">") + 1, there.rfind(_END)
        if close < opened or other_close < other_opened:  # without any cells
            return None
        pieces = _ADDRESS.split(there[other_opened:other_close])
        numbers = pieces[2::3]
        if numbers.count(b"%d" % source) != len(numbers):
            return None
        pieces[2::3] = [b"%d" % row] * len(numbers)
        tag, other = here[:opened], there[:other_opened]
        if b"spans" in tag or b"spans" in other:
            says = _SPANS.search(other)
            tag = _SPANS.sub(b"", tag)[:-1] + (says[0] if says else b"") + b">"
        after[places[row]] = b"".join([tag, *pieces, here[close:]])
    return stored.data[:start] + _ROW.join(after) + stored.data[end:]
