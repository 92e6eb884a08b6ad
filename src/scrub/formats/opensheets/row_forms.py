"""Rows that are written alike, found by one search: what is in a column of a hundred thousand rows is read together.

The form of most rows is taken from a few of them: for each place, the sequences of attributes that its cells have. A
row of that form is read by the search; every other one is read on its own, so that no row is read wrongly or twice.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Collection, Iterable, Sequence

from scrub.model.core.lazy_pattern import lazy_pattern
from scrub.model.core.named import NamedTuple

#: Rows that are looked at for their form; fewer rows than this are read one by one.
_SAMPLE, FEW = 48, 64
_ATTRIBUTE = lazy_pattern(rb' ([^\s=]+)="[^"<]*"')
_CELL_TAG = lazy_pattern(rb"<table:(?:covered-)?table-cell")
_PARAGRAPH = rb'<text:p>[^<]*(?:<text:s(?: text:c="\d+")?/>[^<]*)*</text:p>'
#: Attributes whose value decides what an element means: they are part of its form.
_FIXED = (b"office:value-type", b"calcext:value-type", b"table:number-columns-repeated")


class SampledRow(NamedTuple):
    """A row whose form is looked for: its start tag, and the elements of its cells with how many columns each is."""

    tag: bytes
    cells: Sequence[tuple[bytes, int]]


class RowForm:
    """The form of most rows of a sheet: what finds such a row, and what is in its places."""

    def __init__(self, places: Sequence[set[bytes]], counts: Sequence[int], opening: bytes) -> None:
        """`places` are the forms of the cells in each place, as patterns, `counts` how many columns each is."""
        self._places = places
        self._opening = opening
        self._columns: dict[int, int] = {}  # the place of each column that has one of its own
        column = 1
        for place, count in enumerate(counts):
            if count == 1:
                self._columns[column] = place
            column += count
        self.width = column - 1
        filled = [place for place, forms in enumerate(places) if any(b"office:" in form for form in forms)]
        firsts = [1 + sum(counts[:place]) for place in range(len(counts))]
        self.filled = (
            (firsts[filled[0]], firsts[filled[-1]] + counts[filled[-1]] - 1) if filled else (0, 0)
        )  # the first and the last column in which something is
        self.is_empty = not filled

    def has(self, column: int) -> bool:
        """Whether a column has an element of its own in such rows."""
        return column in self._columns

    def pattern(self, columns: Sequence[int]) -> re.Pattern[bytes]:
        """Finds such a row, with the elements of some columns."""
        wanted = {self._columns[column] for column in columns}
        made = [self._opening]
        for place, forms in enumerate(self._places):
            either = b"|".join(_longest_first(forms))
            made.append((b"(" if place in wanted else b"(?:") + either + b")")
        made.append(rb"</table:table-row>")
        return re.compile(b"".join(made))


def form_of(count: int, sampled: Callable[[int], SampledRow | None]) -> RowForm | None:
    """The form of most rows of a sheet with that many rows; None where they are too few, or too different."""
    if count < FEW:
        return None
    step = max(1, count // _SAMPLE)
    shapes: dict[tuple[object, ...], list[list[bytes]]] = {}
    for place in range(min(step // 2, count - 1), count, step):
        row = sampled(place)
        shape = _shape(row) if row is not None else None
        if shape is not None:
            shapes.setdefault(shape[0], []).append(shape[1])
    if not shapes:
        return None
    commonest = max(shapes, key=lambda shape: len(shapes[shape]))
    if 3 * len(shapes[commonest]) < sum(map(len, shapes.values())):
        return None
    opening, *counts = commonest
    places = [set(forms) for forms in zip(*shapes[commonest], strict=True)]
    assert isinstance(opening, bytes)
    return RowForm(places, [int(str(each)) for each in counts], opening)


def _shape(row: SampledRow) -> tuple[tuple[object, ...], list[bytes]] | None:
    """How a row is written: its tag and the columns that each of its elements is; and the form of each element."""
    opening = _as_pattern(row.tag, b"<table:table-row", ())
    forms = [_cell_form(cell) for cell, _ in row.cells]
    if opening is None or None in forms:
        return None
    return (opening, *(count for _, count in row.cells)), [form for form in forms if form is not None]


def _cell_form(cell: bytes) -> bytes | None:
    """The pattern of an element of a cell; None for one that is written in another way."""
    name = _CELL_TAG.match(cell)
    if name is None:
        return None
    end = cell.index(b">") + 1
    tag = _as_pattern(cell[:end], name[0], _FIXED)
    if tag is None or cell[end - 2 : end] == b"/>":
        return tag
    closing = b"</" + name[0][1:] + b">"
    inside = cell[end : -len(closing)]
    if not inside:
        return tag + re.escape(closing)
    return tag + _PARAGRAPH + re.escape(closing) if re.fullmatch(_PARAGRAPH, inside) else None


def _as_pattern(tag: bytes, name: bytes, fixed: Collection[bytes]) -> bytes | None:
    """A start tag with its attributes in that order, whatever they say; those that decide something say the same."""
    at, made = len(name), [re.escape(name)]
    while (found := _ATTRIBUTE.match(tag, at)) is not None:
        made.append(re.escape(found[0]) if found[1] in fixed else b" " + re.escape(found[1]) + b'="[^"<]*"')
        at = found.end()
    rest = tag[at:]
    if rest not in (b">", b"/>"):
        return None
    return b"".join(made) + rest


def _longest_first(forms: Iterable[bytes]) -> list[bytes]:
    return [form for _, form in sorted((-len(form), form) for form in forms)]
