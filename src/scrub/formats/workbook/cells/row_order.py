"""Rows in another order, as bytes: the way for whole rows of plain cells, which are many."""

from __future__ import annotations

from collections.abc import Mapping

from scrub.formats.workbook.cells.searched import Searched
from scrub.model.core.lazy_pattern import lazy_pattern

_ROW, _END = b'<row r="', b"</row>"
_ADDRESS = lazy_pattern(rb'(<c r="[A-Z]{1,3})(\d+)(?=")')
_SPANS = lazy_pattern(rb"""\sspans\s*=\s*(?:"[^"]*"|'[^']*')""")


def in_order(stored: Searched, moves: Mapping[int, int]) -> bytes | None:
    """A part where each of some rows contains what another one held; `moves` gives that by the number of the row. The
    rows themselves stay, with their heights. None where a row is not stored, or contains cells of another row.
    """
    start, end = stored.body
    before = stored.data[start:end].split(_ROW)
    places = {number: place for place, number in enumerate(stored.numbers, 1)}
    after = list(before)
    for row, source in moves.items():
        if row not in places or source not in places:
            return None
        here, there = before[places[row]], before[places[source]]
        number, old = b"%d" % row, b"%d" % source
        pieces = _ADDRESS.split(there)
        if pieces[2::3] != [old] * (len(pieces) // 3):
            return None
        opened = here.index(b">") + 1
        alike = pieces[0] == old + here[len(number) : opened]  # but for the number: most rows begin in the same way
        if alike and there.endswith(_END) and here.endswith(_END):
            pieces[0] = here[:opened]
        elif not _between(pieces, here, there, opened):
            return None
        pieces[2::3] = [number] * (len(pieces) // 3)
        after[places[row]] = b"".join(pieces)
    return stored.data[:start] + _ROW.join(after) + stored.data[end:]


def _between(pieces: list[bytes], here: bytes, there: bytes, opened: int) -> bool:
    """Lets the pieces of a row are between the tags of another, which says what they span. False where one of the two
    is a tag only.
    """
    close, other_opened, other_close = here.rfind(_END), there.index(b">") + 1, there.rfind(_END)
    if close < opened or other_close < other_opened:
        return False
    tag, other = here[:opened], there[:other_opened]
    if b"spans" in tag or b"spans" in other:
        says = _SPANS.search(other)
        tag = _SPANS.sub(b"", tag)[:-1] + (says[0] if says else b"") + b">"
    pieces[-1] = pieces[-1][: len(pieces[-1]) - (len(there) - other_close)]
    pieces[0] = tag + pieces[0][other_opened:]
    pieces[-1] += here[close:]
    return True
