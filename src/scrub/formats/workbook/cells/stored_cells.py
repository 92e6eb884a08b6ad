"""The cells of a sheet as the file contains them, read in the way that is quickest for what is asked."""

from __future__ import annotations

from bisect import bisect_left
from collections.abc import Callable, Collection, Iterable, Sequence
from functools import partial
from operator import itemgetter
from typing import Any

from scrub.formats.spans import number_in
from scrub.formats.workbook.cells.row_form import Alike
from scrub.formats.workbook.cells.searched import Searched
from scrub.formats.workbook.cells.sheet_data import Stored
from scrub.formats.workbook.cells.stored_cell import StoredCell
from scrub.formats.workbook.cells.strings import Run, runs_of
from scrub.formats.workbook.formulas.syntax import translated
from scrub.formats.workbook.part import SheetPart
from scrub.formats.workbook.shared import Shared
from scrub.formats.xmltext import attributes_of
from scrub.model.cells.grid import ColumnValues
from scrub.model.core.area import Area, address_of, area_of, letters_of
from scrub.model.core.problem import Failure
from scrub.model.core.values import Value

#: Columns read one by one before a sheet is read as a whole.
_FEW = 16
#: Cells read one by one before whole columns are.
SINGLE = 200
#: Sheets whose cells are kept read at a time.
_SHEETS_KEPT = 2


class Loaded:
    """What was read of a sheet's part; let go when other sheets are read."""

    def __init__(self, stored: Stored) -> None:
        self.stored = stored
        self.columns: dict[int, ColumnValues] = {}
        self.shared: dict[str, list[StoredCell]] | None = None  # the cells of each shared formula, from above
        self.singles = 0
        self.styles: dict[int, dict[int, int]] = {}  # the formats of columns that were read as a whole
        self.single_styles = 0
        self.rich: bool | None = None  # whether some text may have several looks
        self.used: Area | None = None
        self.filled: Collection[int] | None = None  # the columns that hold any value; None before all were read

    @property
    def has_many_columns(self) -> bool:
        """Whether enough columns were read one by one: from then on, all others are read together."""
        return len(self.columns) >= _FEW


class Loads:
    """Keeps what was read of the sheets used last; the one used longest ago is let go: big ones fill the memory."""

    def __init__(self) -> None:
        self._kept: dict[SheetPart, Loaded] = {}
        self.asked: set[bytes] = set()  # the letters of columns that were read in any sheet: others are like it

    def of(self, part: SheetPart) -> Loaded:
        """What was read of a sheet."""
        result = self._kept.get(part)
        if result is None:
            while len(self._kept) >= _SHEETS_KEPT:
                del self._kept[next(iter(self._kept))]
            result = self._kept[part] = Loaded(part.stored(wanted=self.asked))
        return result

    def forget(self, part: SheetPart) -> None:
        """Lets one sheet go: its bytes are other ones."""
        self._kept.pop(part, None)

    def clear(self) -> None:
        """Lets all go: packing needs the room."""
        self._kept.clear()


class StoredCells:
    """The stored cells of one sheet; `where` says how a person names one of them."""

    def __init__(self, shared: Shared, part: SheetPart, loads: Loads, where: Callable[[int, int], str]) -> None:
        self.part = part
        self.formula_rows: dict[int, set[int]] = {}  # rows with formulas, by the columns that were read
        self._shared = shared
        self._loads = loads
        self._where = where
        self._arrays: list[Area] | None = None

    def loaded(self) -> Loaded:
        """What was read of the part, kept for the sheets that were read last."""
        return self._loads.of(self.part)

    def forget(self) -> None:
        """Is told that the part is another one."""
        self._loads.forget(self.part)

    def cell(self, row: int, column: int) -> StoredCell | None:
        """A cell as it is stored."""
        return self.loaded().stored.cell(row, column)

    @property
    def has_formulas(self) -> bool | None:
        """Whether the part contains formulas; None where nobody looked."""
        return self.part.has_formulas

    # -- values

    def read_column(self, column: int) -> ColumnValues:
        """The values of a column; notes the rows of its formulas."""
        filled = self.loaded().filled
        if filled is not None and column not in filled:  # a sheet can have thousands of them
            self.formula_rows[column] = set()
            return ColumnValues()
        self._loads.asked.add(letters_of(column).encode())
        stored = self.loaded().stored
        values = ColumnValues()
        formulas: set[int] = set()
        if isinstance(stored, Searched):
            decoder, where = self._shared.decoder, partial(self._in_column, column)
            others: list[bytes] = []
            for rows, plain in stored.alike_or_plain(column):
                if isinstance(plain, Alike):
                    values.update(decoder.alike(*plain, rows, where))
                    continue
                if not all(map(_ENDING, plain)):
                    others += [cell[0] for cell in plain if not cell[4] and not cell[1].endswith(b"/")]
                    plain = [cell for cell in plain if cell[4]]
                # As many cells as rows: then each row has one.
                numbers = rows if len(plain) == len(rows) else None
                values.update(decoder.column(plain, where, numbers))
            cells: Any = (stored.cell(int(row), column) for row in others)
        else:
            cells = stored.column(column)
        for cell in cells:
            if cell is not None:
                self._take(values, formulas, cell)
        self.formula_rows[column] = formulas
        return values

    def values_at(self, column: int, rows: Sequence[int]) -> Sequence[Value] | None:
        """What is in a column in stored rows, without a table of it; None where that must be made: rows are missing
        between others, or cells contain more than a value.
        """
        stored = self.loaded().stored
        if not isinstance(stored, Searched) or not isinstance(stored.numbers, range) or not rows:
            return None
        if min(rows) not in stored.numbers or max(rows) not in stored.numbers:
            return None
        decoder, where = self._shared.decoder, partial(self._in_column, column)
        values: list[Value] = []
        for numbers, plain in stored.alike_or_plain(column, as_keys=False):
            if isinstance(plain, Alike):
                values += decoder.values_alike(*plain, numbers, where)
                continue
            if not all(map(_ENDING, plain)):
                return None
            known = decoder.column(plain, where, numbers if len(plain) == len(numbers) else None)
            values += map(known.get, numbers)
        self.formula_rows.setdefault(column, set())
        first = stored.numbers[0]
        return [values[row - first] for row in rows] if values else [None] * len(rows)

    def read_all(self) -> dict[int, tuple[ColumnValues, set[int]]]:
        """All columns in one pass, each with the rows of its formulas: a sheet that is read cell by cell would be
        searched once a column otherwise.
        """
        result: dict[int, tuple[ColumnValues, set[int]]] = {}
        stored = self.loaded().stored
        if isinstance(stored, Searched):
            plain: dict[int, list[Any]] = {}
            for row, column, attributes, raw, text in stored.plain_cells():
                if attributes is not None:
                    plain.setdefault(column, []).append((row, attributes, raw, text))
                    continue
                cell = stored.cell(row, column)
                if cell is not None:
                    self._take(*result.setdefault(column, (ColumnValues(), set())), cell)
            for column, cells in plain.items():
                values, _ = result.setdefault(column, (ColumnValues(), set()))
                values.update(self._shared.decoder.column(cells, partial(self._in_column, column)))
        else:
            for cell in stored.all_cells():
                self._take(*result.setdefault(cell.column, (ColumnValues(), set())), cell)
        self.loaded().filled = result.keys()
        return result

    def _in_column(self, column: int, row: int) -> str:
        return self._where(row, column)

    def _take(self, found: ColumnValues, formulas: set[int], cell: StoredCell) -> None:
        value = self._shared.decoder.value(cell, lambda: self._where(cell.row, cell.column))
        if value is not None:
            found[cell.row] = value
        if cell.formula is not None:
            formulas.add(cell.row)

    def texts_of(self, column: int) -> dict[int, str] | None:
        """The texts of a column by row; None where its values are needed: a formula can be among them."""
        stored = self.loaded().stored
        if not isinstance(stored, Searched):
            return None
        texts: dict[int, str] = {}
        for _, plain in stored.plain_column(column):
            if not all(map(_ENDING, plain)):
                return None
            texts.update(self._shared.decoder.column(plain, partial(self._in_column, column), texts_only=True))
        self.formula_rows.setdefault(column, set())
        return texts

    # -- where something is

    def used(self) -> Area | None:
        """The smallest range with all that contains something; None for nothing."""
        loaded = self.loaded()
        if loaded.used is None:
            stored = loaded.stored
            filled = [index for index in _ends(stored) if index >= 0]
            columns = stored.columns() if filled else ()
            rows = [stored.numbers[index] for index in filled] if columns else []
            loaded.used = Area(rows[0], columns[0], rows[-1], columns[-1]) if rows else Area(0, 0, 0, 0)
        return loaded.used if loaded.used.bottom else None

    def places(self) -> list[tuple[int, int]]:
        """Row and column of every cell that is stored, row by row."""
        stored = self.loaded().stored
        if isinstance(stored, Searched):
            return [(cell[0], cell[1]) for cell in stored.plain_cells(empty=True)]
        return [(cell.row, cell.column) for cell in stored.all_cells()]

    def rows_between(self, top: int, bottom: int) -> tuple[Sequence[int], Callable[[], Sequence[int]]]:
        """The rows that are stored between two, and what gives those of them that hold anything."""
        stored = self.loaded().stored
        first, last = bisect_left(stored.numbers, top), bisect_left(stored.numbers, bottom + 1)
        return stored.numbers[first:last], lambda: stored.holding(first, last)

    def arrays(self) -> list[Area]:
        """The ranges of array formulas and data tables, spills included (18.3.1.40)."""
        if self._arrays is None:
            data = self.loaded().stored.data
            self._arrays = []
            if self.has_formulas and (b"array" in data or b"dataTable" in data):
                for cell in self.loaded().stored.all_cells():
                    if cell.formula is not None and cell.formula.type in ("array", "dataTable"):
                        ref = cell.formula.ref or address_of(cell.row, cell.column)
                        self._arrays.append(area_of(ref))
        return self._arrays

    # -- formulas

    def formula(self, cell: StoredCell) -> str:
        """The formula of a cell that has one; one that is shared is written out."""
        of = cell.formula
        assert of is not None
        if of.type != "shared" or of.text:
            return of.text
        for other in self.sharing(of.si):
            if other.formula is not None and other.formula.text:
                return translated(other.formula.text, cell.row - other.row, cell.column - other.column)
        raise placed(f"{self._where(cell.row, cell.column)}: its formula is shared with a cell that is missing")

    def sharing(self, number: str) -> list[StoredCell]:
        """The cells that share a formula, from above; all are found in one pass, the one with the text first."""
        loaded = self.loaded()
        if loaded.shared is None:
            loaded.shared = {}
            for cell in loaded.stored.all_cells():
                if cell.formula is not None and cell.formula.type == "shared":
                    cells = loaded.shared.setdefault(cell.formula.si, [])
                    cells.insert(0 if cell.formula.text else len(cells), cell)
        return loaded.shared.get(number, [])

    # -- how cells look

    def may_have_runs(self) -> bool:
        """Whether some text of the sheet may have several looks."""
        loaded = self.loaded()
        if loaded.rich is None:
            data = loaded.stored.data
            loaded.rich = not self._shared.strings().plain or b"<r>" in data or b":r>" in data
        return loaded.rich

    def runs_in(self, row: int, column: int) -> list[Run] | None:
        """The runs of a text with several looks; None for a plain one."""
        cell = self.cell(row, column)
        if cell is None:
            return None
        if cell.inline is not None:
            return runs_of(cell.inline)
        if cell.type == "s" and cell.value:
            return self._shared.strings().runs(int(cell.value))
        return None

    def styles_in(self, column: int) -> dict[int, int] | None:
        """The numbers of the formats of the stored cells of a column, by row; None where each is looked up."""
        loaded = self.loaded()
        known, stored = loaded.styles.get(column), loaded.stored
        if known is not None or not isinstance(stored, Searched):
            return known
        numbers: dict[bytes, int] = {}
        styles: dict[int, int] = {}
        for _, cells in stored.plain_column(column):
            for row, attributes, *_ in cells:
                number = numbers.get(attributes)
                if number is None:
                    number = numbers[attributes] = number_in(attributes_of(attributes), "s")
                styles[int(row)] = number
        loaded.styles[column] = styles
        return styles

    def style(self, row: int, column: int) -> int | None:
        """The number of the format of a cell; None for one that is not stored. When many were asked for one by one,
        whole columns are read.
        """
        loaded = self.loaded()
        known = loaded.styles.get(column)
        if known is None:
            loaded.single_styles += 1
            known = self.styles_in(column) if loaded.single_styles > SINGLE else None
            if known is None:
                cell = loaded.stored.cell(row, column)
                return cell.style if cell is not None else None
        return known.get(row)

    def look_alike(self, column: int, rows: Iterable[int]) -> bool:
        """Whether the cells of a column certainly look the same in all of some rows, or none of them is stored."""
        styles = self.styles_in(column)
        return styles is not None and len(set(map(styles.get, rows))) < 2


_ENDING = itemgetter(4)


def placed(what: str) -> Failure:
    """A failure that names its cell itself."""
    failure = Failure(what)
    failure.placed = True
    return failure


def _ends(stored: Stored) -> Iterable[int]:
    """The first and the last stored row that contains something."""
    last = len(stored.numbers)
    first = next((index for index in range(last) if stored.holds(index)), -1)
    return first, next((index for index in range(last - 1, -1, -1) if stored.holds(index)), -1)
