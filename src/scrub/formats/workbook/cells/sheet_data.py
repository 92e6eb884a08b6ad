"""The cells of a sheet as they are stored (ISO/IEC 29500-1, 18.3.1.80): found in the bytes, no object a cell.

Two readers give the same: `Searched`, in a module of its own, finds rows and cells by searching the bytes, where that
is certainly exact; `Parsed` asks the span tree, for every other part.
"""

from __future__ import annotations

from bisect import bisect_left
from collections.abc import Callable, Iterator, Mapping, Sequence

from scrub.formats.spans import NotReadable, Span, number_in, whole
from scrub.formats.workbook.cells.stored_cell import StoredCell, content_of, holds
from scrub.formats.xmltext import attributes_of
from scrub.model.core.area import MOST_COLUMNS, MOST_ROWS, column_of, letters_of
from scrub.model.core.change import cut
from scrub.model.core.named import NamedTuple
from scrub.model.core.required import required


class RowSpan(NamedTuple):
    """The byte ranges of one row's tags."""

    start: int
    open_end: int
    close_start: int
    end: int


class Stored:
    """The stored rows and cells of one part; all places are in its bytes."""

    data: bytes
    prefix: str
    numbers: Sequence[int]
    #: Where rows go: inside `sheetData`, and the range of that element when it is an empty one.
    body: tuple[int, int]
    empty_tag: Span | None = None

    def index(self, row: int) -> int:
        """The place of a row among those that are stored, or -1."""
        at = bisect_left(self.numbers, row)
        return at if at < len(self.numbers) and self.numbers[at] == row else -1

    def following(self, row: int) -> int:
        """Where in the bytes a new row goes."""
        at = bisect_left(self.numbers, row)
        return self.row_span(at).start if at < len(self.numbers) else self.body[1]

    @required
    def row_span(self, index: int) -> RowSpan:
        """The byte ranges of a stored row."""
        raise NotImplementedError

    def row_attributes(self, row: int) -> Mapping[str, str]:
        """What the element of a row says (18.3.1.73)."""
        index = self.index(row)
        if index < 0:
            return {}
        span = self.row_span(index)
        return attributes_of(self.data[span.start : span.open_end])

    @required
    def cells(self, index: int) -> list[StoredCell]:
        """The cells of a stored row, from the left."""
        raise NotImplementedError

    def cell(self, row: int, column: int) -> StoredCell | None:
        """One cell, or None where none is stored."""
        index = self.index(row)
        return next((each for each in self.cells(index) if each.column == column), None) if index >= 0 else None

    def column(self, column: int) -> Iterator[StoredCell]:
        """The cells of a column, from above."""
        for index in range(len(self.numbers)):
            yield from (cell for cell in self.cells(index) if cell.column == column)

    def all_cells(self) -> Iterator[StoredCell]:
        """Every cell, row by row."""
        for index in range(len(self.numbers)):
            yield from self.cells(index)

    def misplaced(self) -> set[tuple[int, int]]:
        """Row and column of the cells whose address is of another row than the one they are in."""
        return set()

    def columns(self) -> Sequence[int]:
        """The first and the last column in which a cell contains something, or fewer."""
        found = sorted({cell.column for cell in self.all_cells() if holds(cell)})
        return found[:1] + found[-1:]

    def stored_columns(self) -> list[int]:
        """The columns in which cells are stored, empty ones too."""
        return sorted({cell.column for cell in self.all_cells()})

    def holding(self, first: int, last: int) -> Sequence[int]:
        """The rows that hold anything, of those from one place to before another."""
        return [self.numbers[index] for index in range(first, last) if self.holds(index)]

    def holds(self, index: int) -> bool:
        """Whether a stored row contains anything."""
        return any(holds(cell) for cell in self.cells(index))


class Parsed(Stored):
    """Read with the span tree."""

    def __init__(self, data: bytes, root: Span, problem: Callable[[str], Exception], beyond: bool = False) -> None:
        """`problem` makes the exception for a cell that cannot be read; `beyond` lets lines are after the last one,
        which have no place yet.
        """
        self.data = data
        self._problem = problem
        self._most = (2 * MOST_ROWS, 2 * MOST_COLUMNS) if beyond else (MOST_ROWS, MOST_COLUMNS)
        holder = root.child("sheetData")
        self.numbers: list[int] = []
        self._rows: list[Span] = []
        self._cells: dict[int, list[StoredCell]] = {}
        if holder is None:
            self.prefix, self.body = root.prefix, (root.close_start, root.close_start)
            return
        self.prefix = holder.prefix
        self.body = (holder.open_end, holder.close_start)
        self.empty_tag = holder if holder.open_end == holder.end else None
        number = 0
        for span in holder.all("row"):
            before, number = number, _row_number(span, number)
            if not before < number <= self._most[0]:
                raise NotReadable(f"row {number} comes after row {before}, so the file cannot be read reliably")
            self.numbers.append(number)
            self._rows.append(span)

    def row(self, index: int) -> Span:
        """The element of a stored row."""
        return self._rows[index]

    def row_span(self, index: int) -> RowSpan:
        """The byte ranges of a stored row."""
        row = self._rows[index]
        return RowSpan(row.start, row.open_end, row.close_start, row.end)

    def cells(self, index: int) -> list[StoredCell]:
        """The cells of a stored row. One without an address is right of the one before it (18.3.1.4)."""
        known = self._cells.get(index)
        if known is None:
            try:
                known = self._cells[index] = self._read_cells(index)
            except (NotReadable, ValueError) as problem:
                raise self._problem(str(problem)) from None
        return known

    def _read_cells(self, index: int) -> list[StoredCell]:
        number, column, found = self.numbers[index], 0, []
        for cell in self._rows[index].all("c"):
            address = cell.attributes.get("r", "").replace("$", "")
            letters = address.rstrip("0123456789")
            if letters and not (letters.isascii() and letters.isalpha()):
                raise NotReadable(f'in row {number}, "{cut(address)}" is not a cell address')
            if letters and int(address[len(letters) :] or "0") != number:
                raise NotReadable(f"the cell {address} is in row {number}")
            before, column = column, column_of(letters) if letters else column + 1
            if not before < column <= self._most[1]:
                raise NotReadable(f"in row {number}, {letters_of(column)} comes after {letters_of(before)}")
            value, formula, inline, tail = content_of(self.data, cell)
            style, type_ = number_in(cell.attributes, "s"), cell.attributes.get("t", "n")
            found.append(StoredCell(number, column, cell.start, cell.end, style, type_, value, formula, inline, tail))
        return found


def _row_number(row: Span, before: int) -> int:
    """The number of a row: its own, or that of its cells, or the next one (18.3.1.73)."""
    own = row.attributes.get("r", "")
    if own:
        return int(own)
    first = next((span.attributes["r"] for span in row.all("c") if span.attributes.get("r")), "")
    digits = first.lstrip("$ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz")
    return whole(digits, MOST_ROWS) or before + 1
