"""The cells of a workbook that is about to be saved as formulas see them, and their results (part 3, 9.1.4)."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import datetime
from typing import Any

from scrub.formats.opensheets.content import rows_in
from scrub.formats.opensheets.finished import Finished
from scrub.formats.opensheets.rows import TableRows
from scrub.formats.opensheets.sheet_part import TablePart, seconds_of
from scrub.formats.opensheets.table_edits import TableEdits
from scrub.formats.opensheets.table_writer import RowsWriter
from scrub.formats.workbook.cells.stored_cell import StoredCell
from scrub.formats.workbook.recalculated.book_cells import BookCells
from scrub.formats.workbook.recalculated.finished import FinishedPackage
from scrub.formats.workbook.recalculated.recalculation import Place, Recalculation
from scrub.formats.workbook.recalculated.sheet_cells import SheetCells
from scrub.formats.workbook.recalculated.told import ResultColumn
from scrub.formats.workbook.sheet import OfficeSheet
from scrub.formulas.calculation import Held, Lost
from scrub.formulas.contract import TablePlace
from scrub.formulas.tree import Node
from scrub.formulas.tree import parse as parse_formula


class OpenSheetCells(SheetCells):
    """The cells of one sheet."""

    @property
    def may_calculate(self) -> bool:
        """Whether it may hold formulas."""
        return b"formula" in self.data

    def _take(self, values: list[Held], lacking: list[int], cell: StoredCell) -> None:
        if cell.row > len(values):
            values += [None] * (cell.row - len(values))
        if cell.formula is not None and (self.untrusted or cell.value is None):
            lacking.append(cell.row)
        if cell.value is not None:
            values[cell.row - 1] = self._typed(cell.type, cell.value)

    def _typed(self, type_: str, text: str) -> Held:
        """What a stored text means for formulas."""
        if type_ == "float":
            return self._reader("n")(text.encode())
        if type_ == "time":
            seconds = seconds_of(text)
            return Lost("a cell is damaged") if seconds is None else float(seconds / 86_400)
        if type_ == "str":
            return text
        return super()._typed(type_, text)


class OpenBookCells(BookCells):
    """The cells of a workbook; names are those of the model."""

    meaning: Any = None

    def name(self, word: str, sheet: int) -> Node | None:
        """What a defined name means on a sheet; None for no such name."""
        key = (word.casefold(), sheet)
        if key not in self._names:
            target = self.meaning(word, sheet)
            self._names[key] = parse_formula(target.strip().removeprefix("="), 1, 1) if target is not None else None
        return self._names[key]

    def table(self, name: str, sheet: int, row: int, column: int) -> TablePlace | None:
        """The format has no formulas with the headings of tables."""
        return None


class OpenRecalculation(Recalculation):
    """One pass over a workbook that is about to be saved."""

    def __init__(self, finished: Finished, places: Sequence[Place], sheets: Sequence[OfficeSheet]) -> None:
        saving = finished.saving
        super().__init__(saving.projection, None, "", places, saving.shared.decoder)  # type: ignore[arg-type]
        self._finished = finished
        self._sheets = sheets
        self._has_book = False  # whether the workbook as it is to be was made: the next one is that of the file

    def _cells_now(self, finished: FinishedPackage, place: Place, as_before: bool) -> SheetCells:
        sheet = self._sheets[self._places.index(place)]
        return OpenSheetCells(place.part, self._finished.table(sheet), place.name, self._decoder)

    def _cells_before(self, place: Place, name: str) -> SheetCells:
        empty = b"<x/>" if not place.first else place.part.data()
        return OpenSheetCells(place.part, empty, name, self._decoder)

    def _book(self, package: FinishedPackage, sheets: Sequence[SheetCells], moment: datetime) -> BookCells:
        cells = OpenBookCells(package, "", sheets, self._decoder.from_1904, moment)
        saving = self._finished.saving
        moves = saving.moves if not self._has_book else None
        self._has_book = True

        def meaning(word: str, sheet: int) -> str | None:
            target = saving.shared.names.meaning(word, self._sheets[sheet].saved.part.number)
            return moves.formula(target, "") if target is not None and moves else target

        cells.meaning = meaning
        return cells

    def _put(self, number: int, sheet: SheetCells, results: Sequence[ResultColumn]) -> None:
        """Notes what writes the results of a sheet when it is saved."""
        edits = TableEdits()
        for result in results:
            for row, value in zip(result.rows, result.after, strict=True):
                edits.cell(row, result.column).result = value
        self._finished.results[self._sheets[number]] = Results(self._finished, self._sheets[number], edits)


class Results:
    """Writes the results of one sheet into its element."""

    def __init__(self, finished: Finished, sheet: OfficeSheet, edits: TableEdits) -> None:
        self._finished = finished
        self._sheet = sheet
        self._edits = edits

    def __call__(self, data: bytes) -> bytes:
        """The element with the results in its cells."""
        saving, part = self._finished.saving, self._sheet.saved.part
        assert isinstance(part, TablePart)
        content = saving.projection.content
        start, end = rows_in(data, content.element, content.is_plain)
        rows = part.stored(data)
        assert isinstance(rows, TableRows)
        writer = RowsWriter(rows, (start, end), self._edits, saving.cells, saving.styles, lambda number: None)
        writer.default_style = lambda row, column: saving.projection.styles.names[part.default_number(column)] or None
        return data[:start] + b"".join(writer.pieces()) + data[end:]
