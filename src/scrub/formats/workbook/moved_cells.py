"""The cells of a sheet's part after rows went and formulas changed: first the formulas, then the rows."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from typing import NamedTuple

from scrub.formats.spans import Splice, set_attributes, spliced, with_attributes
from scrub.formats.workbook.formulas import translated
from scrub.formats.workbook.moves import LOST, Gone, Moves
from scrub.formats.workbook.part import SheetPart
from scrub.formats.workbook.sheet_data import Parsed, Searched, Stored
from scrub.formats.workbook.stored_cell import Formula
from scrub.formats.xmltext import attributes_of, escaped_text, plain_text
from scrub.model.area import address_of, area_of, column_of
from scrub.model.late import late
from scrub.model.problem import Failure
from scrub.model.values import fold

#: A cell with a formula in a part that is searched: column, row, attributes of the formula, its text.
_FORMULA = late(rb'<c r="([A-Z]+)(\d+)"[^>]*><f((?:\s[^>]*?)?)(?:/>|>([^<]*)</f>)')


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
        self.gone = moves.gone_from(part.sheet)
        self.lost: list[str] = []  # cells whose formulas refer to what is gone

    def done(self, data: bytes) -> bytes:
        """The part as it is to be; `data` is what it would be without the moves. Raises `Failure`."""
        stored = self.part.found(data, sees_formulas)
        splices = list(self._formulas(stored))
        if splices:
            data = spliced(data, splices)
        return data if self.gone is None else without_rows(self.part.found(data) if splices else stored, self.gone)

    def _formulas(self, stored: Stored) -> Iterator[Splice]:
        if b"<f" not in stored.data and b":f" not in stored.data:
            return
        firsts = _firsts(stored)
        for cell in calculated(stored):
            if self.gone is not None and not self.gone.row(cell.row):
                self._ensure_array_goes(cell.formula)
                continue
            fresh = self._element(cell, firsts, stored.data[cell.start : cell.end])
            if fresh is not None:
                yield Splice(cell.start, cell.end, fresh)

    def _ensure_array_goes(self, of: Formula) -> None:
        """Raises `Failure` where the first row of an array goes, and others of it stay."""
        assert self.gone is not None
        if of.type in ("array", "dataTable") and of.ref and self.gone.area(area_of(of.ref)):
            raise self._is_array(of)

    def _is_array(self, of: Formula) -> Failure:
        return Failure(f"{self.sheet} {of.ref} is one array formula, of which rows cannot be deleted one by one")

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
            if self.gone is None and not any(name in fold(text) for name in self.moves.concerned()):
                return None  # it cannot be read, and names no sheet that changes
            raise failure.at(f"{self.sheet} {address_of(cell.row, cell.column)}") from None
        if LOST in fresh and LOST not in text:
            self.lost.append(f"{self.sheet} {address_of(cell.row, cell.column)}")
        if of.type == "shared":
            # It is one for all its cells as long as all move alike. Written out it is right whatever they do.
            if self.gone is None and fresh == text:
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
        if self.gone is None or of.type not in ("array", "dataTable") or not of.ref:
            return []
        area = area_of(of.ref)
        moved = self.gone.area(area)
        if moved is None or moved.bottom - moved.top != area.bottom - area.top:
            raise self._is_array(of)
        if of.type == "dataTable" and moved != area:
            raise Failure(f"{self.sheet} {of.ref} is a data table, above which no rows can be deleted")
        return [("ref", moved.corners)] if moved != area else []


def sees_formulas(stored: Searched) -> bool:
    """Whether a search finds every formula of a part: some writers put blanks or comments before it."""
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
_NUMBER = late(rb'(<(?:c r="[A-Z]+|row r="))\d+(?=")')


def without_rows(stored: Stored, gone: Gone) -> bytes:
    """A part without some of its rows; those below get their new numbers."""
    data, first = stored.data, gone.rows[0]
    index = next((at for at, number in enumerate(stored.numbers) if number >= first), -1)
    if index < 0:
        return data
    at = stored.row_span(index).start
    pieces = [data[:at]]
    for place in range(index, len(stored.numbers)):
        span, number = stored.row_span(place), gone.row(stored.numbers[place])
        pieces.append(data[at : span.start])  # what stands between rows stays
        at = span.end
        if number and isinstance(stored, Searched):
            fresh = b"%d" % number
            pieces.append(_NUMBER.sub(lambda found: found[1] + fresh, data[span.start : span.end]))  # noqa: B023
        elif number:
            assert isinstance(stored, Parsed)
            pieces.append(_renumbered(stored, place, number))
    pieces.append(data[at:])
    return b"".join(pieces)


def _renumbered(stored: Parsed, place: int, number: int) -> bytes:
    """A row read with the span tree, with another number in it and in its cells."""
    row = stored.row(place)
    splices = set_attributes(stored.data, row, [("r", str(number))])
    for cell in row.all("c"):
        address = cell.attributes.get("r")
        if address:
            splices += set_attributes(stored.data, cell, [("r", address.rstrip("0123456789") + str(number))])
    moved = [Splice(each.start - row.start, each.end - row.start, each.new) for each in splices]
    return spliced(stored.data[row.start : row.end], moved)
