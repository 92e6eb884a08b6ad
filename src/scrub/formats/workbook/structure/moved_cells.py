"""The cells of a sheet's part where lines go, come or change places: first the formulas, then the cells."""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping

from scrub.formats.shift import SheetShift
from scrub.formats.spans import Splice, spliced, tag_end, with_attributes
from scrub.formats.workbook.cells.searched import Searched
from scrub.formats.workbook.cells.sheet_data import Parsed, Stored
from scrub.formats.workbook.cells.stored_cell import Formula
from scrub.formats.workbook.formulas.syntax import translated
from scrub.formats.workbook.part import SheetPart
from scrub.formats.workbook.structure.moves import LOST, Moves
from scrub.formats.xmltext import attributes_of, escaped_text, plain_text
from scrub.model.core.area import Area, address_of, area_of, column_of
from scrub.model.core.lazy_pattern import lazy_pattern
from scrub.model.core.named import NamedTuple
from scrub.model.core.problem import Failure
from scrub.model.core.values import fold

#: A cell with a formula in a part that is searched: column, row, attributes of the formula, its text.
_FORMULA = lazy_pattern(rb'<c r="([A-Z]+)(\d+)"[^>]*><f((?:\s[^>]*?)?)(?:/>|>([^<]*)</f>)')


class Calculated(NamedTuple):
    """A cell with a formula, and where the element of that begins and ends."""

    row: int
    column: int
    formula: Formula
    start: int
    end: int
    prefix: str


class CellMoves:
    """What becomes of the cells of one sheet."""

    def __init__(self, part: SheetPart, moves: Moves) -> None:
        self.part = part
        self.moves = moves
        self.sheet = part.sheet
        self.shift = moves.shift(part.sheet)
        self.lost: list[str] = []  # cells whose formulas refer to what is gone
        self.exchanged: list[str] = []  # cells whose formulas have other rows or columns in a range than before

    def done(self, data: bytes) -> bytes:
        """The part as it is to be; `data` is what it would be without the moves. Raises `Failure`."""
        stored = self.part.found(data, sees_formulas)
        splices = list(self._formulas(stored))
        if splices:
            data = spliced(data, splices)
        return data if self.shift is None else rearranged(self.part.found(data) if splices else stored, self.shift)

    def _formulas(self, stored: Stored) -> Iterator[Splice]:
        if b"<f" not in stored.data and b":f" not in stored.data:
            return
        firsts = _firsts(stored)
        for cell in calculated(stored):
            if self.shift is not None and self.shift.cell(cell.row, cell.column) is None:
                self._ensure_array_goes(cell.formula)
                continue
            fresh = self._element(cell, firsts, stored.data[cell.start : cell.end])
            if fresh is not None:
                yield Splice(cell.start, cell.end, fresh)

    def _ensure_array_goes(self, of: Formula) -> None:
        """Raises `Failure` where the first cell of an array goes, and others of it stay."""
        assert self.shift is not None
        if of.type in ("array", "dataTable") and of.ref and self.shift.area(area_of(of.ref)):
            raise self._is_array(of)

    def _is_array(self, of: Formula) -> Failure:
        return Failure(f"{self.sheet} {of.ref} is one array formula; its rows and columns cannot be added or deleted")

    def _element(self, cell: Calculated, firsts: Mapping[str, Calculated], written: bytes) -> bytes | None:
        """The element of a formula as it is to be; None where it stays."""
        of = cell.formula
        text = of.text
        first = firsts.get(of.si) if of.type == "shared" else None
        if first is not None:
            text = translated(first.formula.text, cell.row - first.row, cell.column - first.column)
        try:
            fresh = self.moves.formula(text, self.sheet)
        except Failure as failure:
            if self.shift is None and not any(name in fold(text) for name in self.moves.concerned()):
                return None  # it cannot be read, and names no sheet that changes
            raise failure.at(f"{self.sheet} {address_of(cell.row, cell.column)}") from None
        if self.moves.covers_others(text, self.sheet):
            self.exchanged.append(f"{self.sheet} {address_of(cell.row, cell.column)}")
        if LOST in fresh and LOST not in text:
            self.lost.append(f"{self.sheet} {address_of(cell.row, cell.column)}")
        if of.type == "shared":
            # It is one for all its cells as long as all move alike. Written out it is right whatever they do.
            if self.shift is None and fresh == text:
                return None
            return f"<{cell.prefix}f>{escaped_text(fresh)}</{cell.prefix}f>".encode()
        places = self._places(of)
        if fresh == text and not places:
            return None
        close = written.index(b">") + 1
        tag = with_attributes(written[:close], dict(places)) if places else written[:close]
        if fresh == text:
            return tag + written[close:]
        return tag.removesuffix(b"/>").removesuffix(b">") + f">{escaped_text(fresh)}</{cell.prefix}f>".encode()

    def _places(self, of: Formula) -> list[tuple[str, str]]:
        """The attributes of a formula that name cells (18.3.1.40)."""
        if self.shift is None or of.type not in ("array", "dataTable") or not of.ref:
            return []
        area = area_of(of.ref)
        moved = self.shift.area(area)
        torn = self.shift.rows.crosses(area.top, area.bottom) or self.shift.columns.crosses(area.left, area.right)
        if moved is None or torn:
            raise self._is_array(of)
        if of.type == "dataTable" and moved != area:
            raise Failure(f"{self.sheet} {of.ref} is a data table, which cannot move")
        return [("ref", moved.corners)] if moved != area else []


def sees_formulas(stored: Searched) -> bool:
    """Whether a search finds every formula of a part: some writers put spaces or comments before it."""
    data, (start, end) = stored.data, stored.body
    there = sum(data.count(b"<f" + rest, start, end) for rest in (b">", b" ", b"/", b"\t", b"\n", b"\r"))
    return there == (len(_FORMULA.findall(data, start, end)) if there else 0)


def calculated(stored: Stored) -> Iterator[Calculated]:
    """Each cell with a formula."""
    if isinstance(stored, Searched):
        for found in _FORMULA.finditer(stored.data, *stored.body):
            letters, row, attributes, text = found.groups()
            of = attributes_of(attributes) if attributes else {}
            formula = Formula(plain_text(text or b""), of.get("t", "normal"), of.get("ref", ""), of.get("si", ""))
            yield Calculated(int(row), column_of(letters.decode()), formula, found.start(3) - 2, found.end(), "")
        return
    assert isinstance(stored, Parsed)
    for index in range(len(stored.numbers)):
        for cell, element in zip(stored.cells(index), stored.row(index).all("c"), strict=True):
            inner = element.child("f")
            if cell.formula is not None and inner is not None:
                yield Calculated(cell.row, cell.column, cell.formula, inner.start, inner.end, inner.prefix)


def _firsts(stored: Stored) -> dict[str, Calculated]:
    """The cell with the text of each shared formula."""
    if b"shared" not in stored.data:
        return {}
    return {cell.formula.si: cell for cell in calculated(stored) if cell.formula.type == "shared" and cell.formula.text}


#: The number of a row, and the addresses of its cells, in a part that is searched.
_NUMBER = lazy_pattern(rb'(<(?:c r="[A-Z]+|row r="))\d+(?=")')
#: What a row says of the columns that it uses: other readers do without (18.3.1.73).
_USED = lazy_pattern(rb"""\sspans\s*=\s*(?:"[^"]*"|'[^']*')""")
_ADDRESS = lazy_pattern(rb"""(\sr\s*=\s*)(?:"[^"]*"|'[^']*')""")


def rearranged(stored: Stored, shift: SheetShift) -> bytes:
    """A part with its cells where they come to be, in the order of rows and columns. Raises `Failure` where one would
    leave the sheet.
    """
    data, rows, numbers = stored.data, shift.rows, stored.numbers
    first = min([*rows.gone, *rows.put, *(line for lines in rows.put.values() for line in lines)], default=0)
    index = 0 if shift.columns else next((at for at, number in enumerate(numbers) if number >= first), -1)
    if index < 0 or not numbers:
        return data
    if not shift.columns and not rows.put and isinstance(stored, Searched):
        return _closed_up(stored, shift, index)
    at = stored.row_span(index).start
    pieces, between, made = [data[:at]], [], []
    for place in range(index, len(numbers)):
        span, number = stored.row_span(place), rows.place(numbers[place])
        between.append(data[at : span.start])  # what is between rows stays
        at = span.end
        if number:
            made.append((number, _row_made(stored, place, number, shift)))
    made.sort()
    if made:
        shift.ensure_inside(made[-1][0], 1)
    return b"".join([*pieces, *between, *(row for _, row in made), data[at:]])


def extent(stored: Stored) -> Area | None:
    """The smallest range with all rows and columns that are stored; None for no cell."""
    columns = stored.stored_columns()
    return Area(stored.numbers[0], columns[0], stored.numbers[-1], columns[-1]) if columns else None


def _closed_up(stored: Searched, shift: SheetShift, index: int) -> bytes:
    """A part where rows go and nothing else changes: those below get their new numbers."""
    data, rows = stored.data, shift.rows
    at = stored.row_span(index).start
    pieces = [data[:at]]
    for place in range(index, len(stored.numbers)):
        span, number = stored.row_span(place), rows.place(stored.numbers[place])
        pieces.append(data[at : span.start])
        at = span.end
        if number:
            fresh = b"%d" % number
            pieces.append(_NUMBER.sub(lambda found: found[1] + fresh, data[span.start : span.end]))  # noqa: B023
    return b"".join([*pieces, data[at:]])


def _row_made(stored: Stored, place: int, number: int, shift: SheetShift) -> bytes:
    """A stored row with another number, and its cells where they come to be."""
    data, span, cells = stored.data, stored.row_span(place), stored.cells(place)
    if number == stored.numbers[place] and not shift.columns:
        return data[span.start : span.end]
    tag = _numbered(data[span.start : span.open_end], str(number).encode())
    made, at = [], span.open_end
    for cell in cells:
        column = shift.columns.place(cell.column)
        if column:
            end = tag_end(data, cell.start)
            tag_made = _numbered(data[cell.start : end], address_of(number, column).encode())
            made.append((column, data[at : cell.start] + tag_made + data[end : cell.end]))
        at = cell.end
    made.sort()
    if made:
        shift.ensure_inside(1, made[-1][0])
    if shift.columns:
        tag = _USED.sub(b"", tag)
    return b"".join([tag, *(cell for _, cell in made), data[at : span.end]])


def _numbered(tag: bytes, fresh: bytes) -> bytes:
    """The start tag of a row or a cell with another number or address; one without has its place by its order, which
    may be another one now.
    """
    if _ADDRESS.search(tag):
        return _ADDRESS.sub(lambda found: b'%b"%b"' % (found[1], fresh), tag, count=1)
    name = re.match(rb"<[^\s/>]+", tag)
    assert name is not None
    return b'%b r="%b"%b' % (name[0], fresh, tag[name.end() :])
