"""The element of one sheet as it is to be: rows and columns that nothing happens to keep their bytes."""

from __future__ import annotations

import re
from bisect import bisect_left
from collections.abc import Callable, Iterator, Mapping, Sequence
from typing import Any, Protocol

from scrub.formats.opendocument.read import TABLE
from scrub.formats.opensheets.rows import CellElement, SearchedRows, TableRows
from scrub.formats.opensheets.segments import Segment, arranged, marks_of, split
from scrub.formats.opensheets.table_edits import TableEdits
from scrub.formats.opensheets.writing import STAYS, CellEdit, CellWriter
from scrub.formats.shift import STILL, SheetShift
from scrub.formats.spans import parse_element, with_attributes
from scrub.formats.xmltext import plain_text
from scrub.model.core.area import MOST_COLUMNS, MOST_ROWS, Area
from scrub.model.core.lazy_pattern import lazy_pattern

_WRAPPER = rb"</?(?:[\w.-]+:)?table-(?:rows|header-rows|row-group)(?:\s[^>]*)?>"
_STYLE = lazy_pattern(rb' table:style-name="([^"]*)"')
_EMPTY = re.compile(rb"<((?:[\w.-]+:)?table-(?:header-rows|row-group|rows))(?:\s[^>]*)?>\s*</\1>")
#: The last row of sheets that programs write in full.
_FULL = (MOST_ROWS, 65_536)


class RowStyles(Protocol):
    """Makes styles of rows."""

    def row_style(self, base: str | None, said: Mapping[str, str | None], breaks: bool | None) -> str | None:
        """The name of the style of a row that is like another one but for its height and its break."""


class RowsWriter:
    """Writes the rows of one sheet."""

    def __init__(
        self,
        rows: TableRows,
        region: tuple[int, int],
        edits: TableEdits,
        cells: CellWriter,
        styles: RowStyles,
        style_number: Callable[[str], str | None],
        refit: Callable[[bytes], bytes] | None = None,
        shift: SheetShift = STILL,
    ) -> None:
        """`region` is where rows begin and end in the bytes, with what is around them; `style_number` gives the name of
        a style by the number that a row says; `refit` lets formulas of a row follow what moves.
        """
        self.rows = rows
        self._region = region
        self.edits = edits
        self.writer = cells
        self.styles = styles
        self._style_number = style_number
        self._refit = refit
        self.shift = shift
        self.p = cells.prefixes
        self._areas = [*edits.areas, *_merge_edits(edits)]
        self._marks = self._row_marks()
        self._column_marks = sorted(marks_of(shift.columns)) if shift.columns else []

    def _row_marks(self) -> list[int]:
        marks: set[int] = set()
        for row in (*self.edits.cells, *self.edits.rows, *self.edits.breaks[True]):
            marks |= {row, row + 1}
        for area, _ in self._areas:
            marks |= {area.top, area.bottom + 1}
        return sorted(marks | marks_of(self.shift.rows))

    # -- the rows in order

    def pieces(self, wrap: Callable[[int], tuple[int, bool]] | None = None) -> Iterator[bytes]:
        """The rows, with what is between them. `wrap` tells in how many groups a row is now, by the number that it has
        in the file, and whether it is a heading.
        """
        if wrap is None and not self.shift and not self._areas:
            yield from self._few()
            return
        rows = self.rows
        segments: list[Segment[int]] = []
        first, last, full = 0, len(rows.places) - 1, 0
        for place in rows.places:
            element = rows.row_element(place)
            segments.append(Segment(element.number, element.count, place))
            full = element.number + element.count - 1
            first = first or element.start
        end = segments[-1].first + segments[-1].count if segments else 1
        after = [
            row for row in (*self.edits.cells, *self.edits.rows, *self.edits.breaks[True]) if end <= row <= MOST_ROWS
        ]
        after += [area.bottom for area, _ in self._areas if end <= area.bottom <= MOST_ROWS and area.bottom < MOST_ROWS]
        before_last = [line for line in self.shift.rows.put if line > end]
        most = max([*after, *(line - 1 for line in before_last if line - 1 <= MOST_ROWS)], default=0)
        if most >= end:
            segments.append(Segment(end, most - end + 1, -1))
        order = list(arranged(split(segments, self._marks), self.shift.rows, -1))
        order = _within(order, full)
        yield from self._with_gaps(order, wrap, last)

    def _few(self) -> Iterator[bytes]:
        """The rows where single ones change: what is between those keeps its bytes in one piece."""
        rows, (at, end) = self.rows, self._region
        wanted = sorted({*self.edits.cells, *self.edits.rows, *self.edits.breaks[True]})
        later: list[int] = []
        done = -1
        for row in wanted:
            place = rows.place(row)
            if place < 0:
                later.append(row)
                continue
            if place == done:
                continue
            done = place
            element = rows.row_element(place)
            yield self._followed(rows.data[at : element.start])
            at = element.end
            if element.count == 1:
                yield from self._segment(Segment(row, 1, place))
            else:
                for segment in split([Segment(element.number, element.count, place)], self._marks):
                    yield from self._segment(segment)
        if not later:
            yield self._followed(rows.data[at:end])
            return
        last = rows.row_element(len(rows.places) - 1) if rows.places else None
        after = last.end if last is not None else at
        yield self._followed(rows.data[at:after])
        first = last.number + last.count if last is not None else 1
        for segment in split([Segment(first, later[-1] - first + 1, -1)], self._marks):
            yield from self._segment(segment)
        yield rows.data[after:end]

    def _followed(self, data: bytes) -> bytes:
        return self._refit(data) if self._refit is not None and data else data

    def _with_gaps(
        self, order: Sequence[Segment[int]], wrap: Callable[[int], tuple[int, bool]] | None, last: int
    ) -> Iterator[bytes]:
        done = -1  # the place whose gap before was written
        levels: _Wrapping | None = _Wrapping(self.p[TABLE]) if wrap is not None else None
        for segment in order:
            in_place = segment.of >= 0 and segment.of > done and self._stays_in_place(segment)
            if in_place:
                for place in range(done + 1, segment.of + 1):
                    yield self._gap(place, levels is not None)
                done = segment.of
            if levels is not None and wrap is not None:
                for at, count, said in _runs(segment, wrap):
                    yield levels.to(*said)
                    yield from self._segment(Segment(at, count, segment.of))
                continue
            yield from self._segment(segment)
        for place in range(done + 1, last + 2):
            yield self._gap(place, levels is not None)
        if levels is not None:
            yield levels.to(0, False)

    def _stays_in_place(self, segment: Segment[int]) -> bool:
        return segment.first <= MOST_ROWS and segment.first not in self._moved

    @property
    def _moved(self) -> set[int]:
        return {line for lines in self.shift.rows.put.values() for line in lines}

    def _gap(self, place: int, without: bool) -> bytes:
        """What is between a row and the one before it."""
        rows, (first, last) = self.rows, self._region
        start = rows.row_element(place - 1).end if place > 0 else first
        gap = rows.data[start : rows.row_element(place).start if place < len(rows.places) else last]
        return re.sub(_WRAPPER, b"", gap) if without else gap

    def _segment(self, segment: Segment[int]) -> Iterator[bytes]:
        """One or several equal rows."""
        rows, row = self.rows, segment.first
        cells = self.edits.cells.get(row, {}) if segment.count == 1 else {}
        said = self.edits.rows.get(row) if segment.count == 1 else None
        breaks = self.edits.breaks[True].get(row) if segment.count == 1 else None
        covering = [(area, edit) for area, edit in self._areas if area.top <= row <= area.bottom]
        if segment.of >= 0:
            element = rows.row_element(segment.of)
            plain = not cells and said is None and breaks is None and not covering and not self.shift.columns
            if plain:
                data = rows.data[element.start : element.end]
                if segment.count != element.count:
                    data = self.writer.counted(data, segment.count, "number-rows-repeated")
                yield self._refit(data) if self._refit is not None else data
                return
            opening = rows.data[element.start : element.open_end]
            if segment.count != element.count:
                opening = self.writer.counted(opening, segment.count, "number-rows-repeated")
        else:
            opening = f"<{self.p[TABLE]}table-row>".encode()
            if segment.count > 1:
                opening = self.writer.counted(opening, segment.count, "number-rows-repeated")
        if said is not None or breaks is not None:
            opening = self._row_tag(opening, said or {}, breaks)
        quick = None
        if segment.of >= 0 and cells and not covering and not self.shift.columns:
            quick = self._quickly(segment, cells)
        inside = self._cells(segment, cells, covering) if quick is None else quick
        opening = opening.rstrip().removesuffix(b"/>").removesuffix(b">").rstrip() + b">"
        name = re.match(rb"<([^\s/>]+)", opening)
        assert name is not None
        data = opening + inside + b"</" + name[1] + b">"
        yield self._refit(data) if self._refit is not None else data

    def _row_tag(self, opening: bytes, said: Mapping[str, str | None], breaks: bool | None) -> bytes:
        """The tag of a row that looks otherwise."""
        p = self.p
        of = parse_element(_closed(opening), 0, len(_closed(opening)), p.namespaces)
        values: dict[str, str | None] = {}
        if "hidden" in said:
            values[p.attribute(TABLE, "visibility")] = "collapse" if said["hidden"] else None
        if "s" in said or "customFormat" in said:
            values[p.attribute(TABLE, "default-cell-style-name")] = self._style_number(said.get("s") or "0")
        if "ht" in said or "customHeight" in said or breaks is not None:
            values[p.attribute(TABLE, "style-name")] = self.styles.row_style(of.of("style-name", TABLE), said, breaks)
        return with_attributes(opening, values)

    # -- the cells of a row

    def _quickly(self, segment: Segment[int], cells: Mapping[int, CellEdit]) -> bytes | None:
        """The cells of a row where single ones change; None where one of them is several or missing."""
        rows = self.rows
        if isinstance(rows, SearchedRows) and all(edit.is_plain for edit in cells.values()):
            columns = tuple(sorted(cells))
            spans = rows.element_spans(segment.of, columns)
            if spans is not None:
                return self._spliced(segment, spans, [cells[column] for column in columns], columns)
        elements = {each.column: each for each in rows.elements(segment.of) if each.count == 1}
        if not cells.keys() <= elements.keys():
            return None
        row = rows.row_element(segment.of)
        data, at = rows.data, row.open_end
        made = []
        for column in sorted(cells):
            element = elements[column]
            made += [
                data[at : element.start],
                self._cell(Segment(column, 1, element), segment.first, cells, ()),
            ]
            at = element.end
        return b"".join(made) + data[at : row.close_start]

    def _spliced(
        self,
        segment: Segment[int],
        spans: Sequence[tuple[int, int]],
        edits: Sequence[CellEdit],
        columns: Sequence[int],
    ) -> bytes:
        """The cells of a row with other values in the places of elements."""
        row = self.rows.row_element(segment.of)
        data, at = self.rows.data, row.open_end
        made = []
        for (start, end), edit, column in zip(spans, edits, columns, strict=True):
            element = data[start:end]
            found = _STYLE.search(element)
            style = plain_text(found[1]) if found is not None else self.default_style(segment.first, column)
            made += [data[at:start], self.writer.changed(element, edit, style)]
            at = end
        return b"".join(made) + data[at : row.close_start]

    def _cells(
        self, segment: Segment[int], cells: Mapping[int, CellEdit], covering: Sequence[tuple[Area, CellEdit]]
    ) -> bytes:
        elements = self.rows.elements(segment.of) if segment.of >= 0 else []
        segments: list[Segment[CellElement | None]] = [Segment(each.column, each.count, each) for each in elements]
        end = segments[-1].first + segments[-1].count if segments else 1
        wanted = [column for column in cells if column <= MOST_COLUMNS]
        wanted += [min(area.right, MOST_COLUMNS) for area, _ in covering if area.right < MOST_COLUMNS or not segments]
        wanted += [line - 1 for line in self.shift.columns.put if line > 1 and self._puts_into(line, cells)]
        most = max(wanted, default=0)
        if most >= end:
            segments.append(Segment(end, most - end + 1, None))
        full = end - 1
        marks = set(self._column_marks)
        for column in cells:
            marks |= {column, column + 1}
        for area, _ in covering:
            marks |= {area.left, area.right + 1}
        order = arranged(split(segments, sorted(marks)), self.shift.columns, None)
        made = [self._cell(each, segment.first, cells, covering) for each in _within_columns(list(order), full)]
        return b"".join(made)

    def _puts_into(self, line: int, cells: Mapping[int, CellEdit]) -> bool:
        return any(column in cells for column in self.shift.columns.put[line])

    def _cell(
        self,
        segment: Segment[CellElement | None],
        row: int,
        cells: Mapping[int, CellEdit],
        covering: Sequence[tuple[Area, CellEdit]],
    ) -> bytes:
        old = segment.of
        element = self.rows.data[old.start : old.end] if old is not None else self.writer.blank(segment.count)
        count = old.count if old is not None else segment.count
        if segment.count != count:
            element = self.writer.counted(element, segment.count)
        edit = self._edit(segment, row, cells, covering)
        if edit is None:
            return element
        style = old.attributes.get("table:style-name") if old is not None else None
        if edit.style is not STAYS:
            style = edit.style
        elif style is None:
            style = self.default_style(row, segment.first)
        if edit.result is not STAYS:
            return self.writer.result(element, edit.result, style)
        return self.writer.changed(element, edit, style)

    #: What gives the name of the style that a cell gets from its column.
    default_style: Callable[[int, int], str | None] = staticmethod(lambda row, column: None)

    @staticmethod
    def _edit(
        segment: Segment[Any],
        row: int,
        cells: Mapping[int, CellEdit],
        covering: Sequence[tuple[Area, CellEdit]],
    ) -> CellEdit | None:
        """What is to be done to a cell, or to several equal ones."""
        edit = cells.get(segment.first) if segment.count == 1 else None
        for area, other in covering:
            if area.left <= segment.first <= area.right:
                merged = CellEdit()
                for name in CellEdit.__slots__:
                    own = getattr(edit, name) if edit is not None else getattr(merged, name)
                    given = getattr(other, name)
                    setattr(merged, name, given if (given is not STAYS and given is not None) or own is STAYS else own)
                if other.spans == "from":
                    first = (row, segment.first) == (area.top, area.left)
                    merged.spans = (area.right - area.left + 1, area.bottom - area.top + 1) if first else "covered"
                edit = merged
        return edit


def _merge_edits(edits: TableEdits) -> Iterator[tuple[Area, CellEdit]]:
    """Ranges that are split, then those that are merged."""
    for area in edits.merges_gone:
        edit = CellEdit()
        edit.spans = None
        yield area, edit
    for area in edits.merges_new:
        edit = CellEdit()
        edit.spans = "from"
        first = area._replace(bottom=area.top, right=area.left)
        yield first, edit
        yield area, edit


def _closed(tag: bytes) -> bytes:
    """A start tag as an empty element."""
    return tag if tag.rstrip().endswith(b"/>") else tag.rstrip().removesuffix(b">") + b"/>"


def _within(order: list[Segment[int]], full: int) -> list[Segment[int]]:
    """Rows, none of them beyond the end of the sheet: the empty ones at the end give way."""
    if full not in _FULL:
        return order
    return _cut(order, full)


def _within_columns(order: list[Segment[Any]], full: int) -> list[Segment[Any]]:
    return _cut(order, full) if full in (MOST_COLUMNS, 1024, 256) else order


def _cut(order: list[Segment[Any]], most: int) -> list[Segment[Any]]:
    over = sum(segment.count for segment in order) - most
    while over > 0 and order and order[-1].count > 0:
        last = order[-1]
        taken = min(over, last.count - (len(order) == 1))
        if taken <= 0:
            break
        over -= taken
        order[-1:] = [last._replace(count=last.count - taken)] if taken < last.count else []
    return order


def _runs(
    segment: Segment[int], wrap: Callable[[int], tuple[int, bool]]
) -> Iterator[tuple[int, int, tuple[int, bool]]]:
    """The lines of a segment by what is around them."""
    if segment.count == 1:
        yield segment.first, 1, wrap(segment.first)
        return
    marks: Sequence[int] = getattr(wrap, "marks", ())
    at, end = segment.first, segment.first + segment.count
    for mark in [*marks[bisect_left(marks, at + 1) : bisect_left(marks, end)], end]:
        yield at, mark - at, wrap(at)
        at = mark


class _Wrapping:
    """The elements that are open around rows: groups, and headings inside them."""

    def __init__(self, prefix: str, line: str = "row") -> None:
        self._group = f"{prefix}table-{line}-group"
        self._header = f"{prefix}table-header-{line}s"
        self._depth = 0
        self._is_header = False

    def to(self, depth: int, header: bool) -> bytes:
        """What closes and opens elements, so that the next row is in that many groups."""
        if (depth, header) == (self._depth, self._is_header):
            return b""
        made = f"</{self._header}>" if self._is_header else ""
        made += f"</{self._group}>" * max(0, self._depth - depth)
        made += f"<{self._group}>" * max(0, depth - self._depth)
        made += f"<{self._header}>" if header else ""
        self._depth, self._is_header = depth, header
        return made.encode()


Wrapping = _Wrapping


def without_empty(data: bytes) -> bytes:
    """Rows without groups that nothing is in any more."""
    while True:
        fresh = _EMPTY.sub(b"", data)
        if fresh == data:
            return data
        data = fresh
