"""Results of formulas written beside them (ISO/IEC 29500-1, 18.3.1.4): the formula stays byte for byte."""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator, Sequence
from operator import itemgetter

from scrub.formats.spans import Splice, spliced, tag_end, with_attributes
from scrub.formats.workbook.cells.searched import Searched
from scrub.formats.workbook.cells.sheet_data import Stored
from scrub.formats.workbook.recalculated.sheet_cells import SheetCells
from scrub.formats.workbook.recalculated.told import ResultColumn
from scrub.formats.xmltext import xstring
from scrub.formulas.calculation import Held, Lost
from scrub.formulas.values import ErrorValue, number_text
from scrub.model.core.area import address_of, letters_of
from scrub.model.core.lazy_pattern import lazy_pattern

#: How many results of a column are written in one pass, at the least; and bytes that are packed together.
_MANY, _PIECE = 64, 1 << 18
_PLACE = itemgetter(0, 1)
_VALUE = lazy_pattern(rb"<((?:[A-Za-z_][\w.-]*:)?)v(?:\s[^>]*)?(?:/>|>[^<]*</(?:[A-Za-z_][\w.-]*:)?v\s*>)")
_FORMULA_END = lazy_pattern(rb"<(?:[A-Za-z_][\w.-]*:)?f(?:\s[^>]*)?(?:/>|>[^<]*</(?:[A-Za-z_][\w.-]*:)?f\s*>)")


def typed(value: Held) -> tuple[str | None, str | None]:
    """The type of a cell and the text of its value; neither for a result that is lost."""
    if isinstance(value, Lost):
        return None, None
    if isinstance(value, bool):
        return "b", str(int(value))
    if isinstance(value, str):
        return "str", xstring(value)
    if isinstance(value, ErrorValue):
        return "e", value.code
    return None, number_text(value if isinstance(value, float) else 0.0)


def _with_numbers(data: bytes, result: ResultColumn) -> bytes | None:
    """A part with numbers in the place of those that formulas of a column gave; None where a cell is written otherwise.
    All is done by one split, as a step for each cell takes its time.
    """
    letters = letters_of(result.column).encode()
    parts: list[bytes] = re.split(
        rb'(<c r="' + letters + rb'([1-9]\d{0,6})"(?: s="\d+")?><f(?:>[^<]*</f>|/>| [^>]*/>| [^>]*>[^<]*</f>)<v>)'
        rb"([^<]*)(?=</v></c>)",
        data,
    )
    rows = list(map(int, parts[2::4]))
    texts = [number_text(value).encode() for value in result.after]  # type: ignore[arg-type]
    if rows != list(result.rows):
        fresh = dict(zip(result.rows, texts, strict=True))
        if not fresh.keys() <= set(rows):
            return None
        texts = [fresh.get(row, was) for row, was in zip(rows, parts[3::4], strict=True)]
    parts[3::4] = texts
    del parts[2::4]
    return b"".join(parts)


class ResultWriter:
    """Makes the splices of one sheet."""

    def __init__(self, cells: SheetCells) -> None:
        self._data = cells.data
        self._stored: Stored = cells.stored
        self._prefix = cells.stored.prefix

    def pieces(self, results: Sequence[ResultColumn]) -> list[bytes | memoryview] | None:
        """The part with results in its cells; None where none differs from what is written."""
        whole: list[ResultColumn] = []
        rest: list[ResultColumn] = []
        for result in results:
            (whole if self._is_plain(result) else rest).append(result)
        splices = list(self._splices(rest))
        data = self._data if not splices else spliced(self._data, splices)
        for result in whole:
            put = _with_numbers(data, result)
            if put is None:
                splices = list(self._splices(results))
                data = spliced(self._data, splices)
                break
            data = put
        if data == self._data:
            return None
        first = data.find(b'<row r="%d"' % min(min(result.rows) for result in results))
        start = first if first > 0 else 0
        view = memoryview(data)
        return [view[:start], *(view[at : at + _PIECE] for at in range(start, len(data), _PIECE))]

    def _is_plain(self, result: ResultColumn) -> bool:
        """Whether many numbers come in the places of others."""
        many = len(result.rows) >= _MANY and isinstance(self._stored, Searched)
        return many and set(map(type, result.after)) == {float} == set(map(type, result.before))

    def _splices(self, results: Iterable[ResultColumn]) -> Iterator[Splice]:
        """What writes results into cells one by one; only what differs is written."""
        rest = [
            (row, result.column, value)
            for result in results
            for row, value in zip(result.rows, result.after, strict=True)
        ]
        missing: dict[int, dict[int, bytes]] = {}
        for row, column, value in sorted(rest, key=_PLACE):
            cell = self._stored.cell(row, column)
            if cell is None:
                if not isinstance(value, Lost):
                    missing.setdefault(row, {})[column] = self._new(row, column, value)
                continue
            old = self._data[cell.start : cell.end]
            new = self._changed(old, value)
            if new != old:
                yield Splice(cell.start, cell.end, new)
        yield from self._inserted(missing)

    def _changed(self, cell: bytes, value: Held) -> bytes:
        type_, text = typed(value)
        open_end = tag_end(cell, 0)
        tag, inside = cell[:open_end], cell[open_end:]
        prefix = self._prefix
        if tag.endswith(b"/>"):  # of an array formula, a cell that held nothing
            name = re.match(rb"<([\w.:-]+)", tag)
            assert name is not None
            tag, inside = tag[:-2].rstrip() + b">", b"</" + name[1] + b">"
        tag = with_attributes(tag, {"t": type_, "vm": None})
        written = f"<{prefix}v>{text}</{prefix}v>".encode() if text is not None else b""
        value_match = _VALUE.search(inside)
        if value_match is not None:
            return tag + inside[: value_match.start()] + written + inside[value_match.end() :]
        formula = _FORMULA_END.search(inside)
        at = formula.end() if formula is not None else 0
        return tag + inside[:at] + written + inside[at:]

    def _new(self, row: int, column: int, value: Held) -> bytes:
        type_, text = typed(value)
        p = self._prefix
        kind = f' t="{type_}"' if type_ else ""
        return f'<{p}c r="{address_of(row, column)}"{kind}><{p}v>{text}</{p}v></{p}c>'.encode()

    def _inserted(self, missing: dict[int, dict[int, bytes]]) -> Iterator[Splice]:
        """Cells of array formulas that are not stored yet."""
        p, fresh = self._prefix, dict[int, list[bytes]]()
        for row in sorted(missing):
            made = missing[row]
            index = self._stored.index(row)
            if index < 0:
                inside = b"".join(made[column] for column in sorted(made))
                whole = f'<{p}row r="{row}">'.encode() + inside + f"</{p}row>".encode()
                fresh.setdefault(self._stored.following(row), []).append(whole)
                continue
            span = self._stored.row_span(index)
            if span.open_end == span.end:
                opening = self._data[span.start : span.open_end - 2].rstrip() + b">"
                inside = b"".join(made[column] for column in sorted(made))
                yield Splice(span.start, span.end, opening + inside + f"</{p}row>".encode())
                continue
            by_place: dict[int, list[bytes]] = {}
            stored = self._stored.cells(index)
            for column in sorted(made):
                at = next((cell.start for cell in stored if cell.column > column), span.close_start)
                by_place.setdefault(at, []).append(made[column])
            yield from (Splice(at, at, b"".join(cells)) for at, cells in by_place.items())
        yield from (Splice(at, at, b"".join(rows)) for at, rows in fresh.items())
