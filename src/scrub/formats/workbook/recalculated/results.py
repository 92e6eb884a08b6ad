"""Results of formulas written beside them (ISO/IEC 29500-1, 18.3.1.4): the formula stays byte for byte."""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator

from scrub.formats.spans import Splice, tag_end, with_attributes
from scrub.formats.workbook.cells.sheet_data import Stored
from scrub.formats.workbook.recalculated.sheet_cells import SheetCells
from scrub.formats.xmltext import xstring
from scrub.formulas.calculation import Lost
from scrub.formulas.values import ErrorValue, Value
from scrub.model.core.area import address_of
from scrub.model.core.lazy_pattern import lazy_pattern

_VALUE = lazy_pattern(rb"<((?:[A-Za-z_][\w.-]*:)?)v(?:\s[^>]*)?(?:/>|>[^<]*</(?:[A-Za-z_][\w.-]*:)?v\s*>)")
_FORMULA_END = lazy_pattern(rb"<(?:[A-Za-z_][\w.-]*:)?f(?:\s[^>]*)?(?:/>|>[^<]*</(?:[A-Za-z_][\w.-]*:)?f\s*>)")
_EXACT_WHOLE = 1e15


def number_text(number: float) -> str:
    """The shortest text of a number that reads back as the same."""
    if number == int(number) and abs(number) < _EXACT_WHOLE:
        return str(int(number))
    return repr(number).replace("e", "E")


def typed(value: Value | Lost) -> tuple[str | None, str | None]:
    """The type of a cell and the text of its value; neither for a result that is lost."""
    if isinstance(value, Lost):
        return None, None
    if isinstance(value, bool):
        return "b", str(int(value))
    if isinstance(value, str):
        return "str", xstring(value)
    if isinstance(value, ErrorValue):
        return "e", value.code
    return None, number_text(value if value is not None else 0.0)


class ResultWriter:
    """Makes the splices of one sheet."""

    def __init__(self, cells: SheetCells) -> None:
        self._data = cells.data
        self._stored: Stored = cells.stored
        self._prefix = cells.stored.prefix

    def splices(self, results: Iterable[tuple[int, int, Value | Lost]]) -> Iterator[Splice]:
        """What writes results into cells, given by rows and columns; only what differs is written."""
        missing: dict[int, dict[int, bytes]] = {}
        for row, column, value in results:
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

    def _changed(self, cell: bytes, value: Value | Lost) -> bytes:
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

    def _new(self, row: int, column: int, value: Value) -> bytes:
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
