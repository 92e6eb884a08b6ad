"""The cells of a sheet of a workbook, read from its bytes, with what was changed since."""

from __future__ import annotations

from bisect import bisect_left
from collections.abc import Callable, Iterable, Mapping, Sequence
from functools import partial
from operator import itemgetter
from typing import Any

from scrub.formats.spans import number_in
from scrub.formats.workbook.formulas import translated
from scrub.formats.workbook.future_functions import shown_formula
from scrub.formats.workbook.number_formats import shown_as
from scrub.formats.workbook.part import SheetPart
from scrub.formats.workbook.results import SheetResults
from scrub.formats.workbook.row_form import Alike
from scrub.formats.workbook.searched import Searched
from scrub.formats.workbook.shared import Shared
from scrub.formats.workbook.sheet_data import Stored
from scrub.formats.workbook.stored_cell import StoredCell
from scrub.formats.workbook.strings import Run, runs_of
from scrub.formats.xmltext import attributes_of
from scrub.model.area import Area, address_of, area_of, letters_of
from scrub.model.grid import ColumnValues, settle
from scrub.model.problem import Failure
from scrub.model.required import required
from scrub.model.values import Value

#: Columns read one by one before a sheet is read as a whole.
_FEW = 16
#: Cells read one by one before whole columns are.
_SINGLE = 200


class Loaded:
    """What was read of a sheet's part; let go when other sheets are read."""

    def __init__(self, stored: Stored) -> None:
        self.stored = stored
        self.columns: dict[int, ColumnValues] = {}
        self.shared: dict[str, list[StoredCell]] | None = None  # the cells of each shared formula, from above
        self.singles = 0
        self.rich: bool | None = None  # whether some text may have several looks
        self.used: Area | None = None


#: Sheets whose cells are kept read at a time.
_SHEETS_KEPT = 2


class Loads:
    """Keeps what was read of the sheets used last; the one used longest ago is let go: big ones fill the memory."""

    def __init__(self) -> None:
        self._kept: dict[SheetPart, Loaded] = {}
        self.asked: set[bytes] = set()  # the letters of columns that were read in any sheet: others are like it

    def of(self, part: SheetPart) -> Loaded:
        """What was read of a sheet."""
        found = self._kept.get(part)
        if found is None:
            while len(self._kept) >= _SHEETS_KEPT:
                del self._kept[next(iter(self._kept))]
            found = self._kept[part] = Loaded(part.stored(wanted=self.asked))
        return found

    def forget(self, part: SheetPart) -> None:
        """Lets one sheet go: its bytes are other ones."""
        self._kept.pop(part, None)

    def clear(self) -> None:
        """Lets all go: packing needs the room."""
        self._kept.clear()


class SheetReading(SheetResults):
    """Cells as they are stored, with what was changed."""

    def __init__(self, shared: Shared, part: SheetPart, loads: Loads) -> None:
        super().__init__(shared)
        self.part = part
        self._loads = loads
        self.runs: dict[int, list[Run]] = {}
        self.styles: dict[int, int] = {}
        self._arrays: list[Area] | None = None

    def load(self) -> Loaded:
        """What was read of the part, kept for the sheets that were read last."""
        return self._loads.of(self.part)

    @property
    def has_formulas(self) -> bool | None:
        """Whether its part contains formulas."""
        return self.part.has_formulas

    def stored(self, row: int, column: int) -> StoredCell | None:
        """A cell as it is stored."""
        return self.load().stored.cell(row, column)

    def column_values(self, column: int) -> ColumnValues:
        """The values of a column."""
        loaded = self.load()
        found = loaded.columns.get(column)
        if found is None:
            self._loads.asked.add(letters_of(column).encode())
            found = self.live.get(column)
            if found is None:
                if len(loaded.columns) >= _FEW:
                    self._read_all(loaded)
                    found = loaded.columns.get(column)
                if found is None:
                    found = self._read_column(loaded.stored, column)
                    self.live[column] = found
            loaded.columns[column] = found
        return found

    def _read_column(self, stored: Stored, column: int) -> ColumnValues:
        found = ColumnValues()
        formulas: set[int] = set()

        if isinstance(stored, Searched):
            others: list[bytes] = []
            for rows, plain in stored.alike_or_plain(column):
                if isinstance(plain, Alike):
                    found.update(self.shared.decoder.alike(*plain, rows, partial(self.where, column=column)))
                    continue
                if not all(map(_ENDING, plain)):
                    others += [cell[0] for cell in plain if not cell[4] and not cell[1].endswith(b"/")]
                    plain = [cell for cell in plain if cell[4]]
                # As many cells as rows: then each row has one.
                numbers = rows if len(plain) == len(rows) else None
                found.update(self.shared.decoder.column(plain, partial(self.where, column=column), numbers))
            cells: Any = (stored.cell(int(row), column) for row in others)
        else:
            cells = stored.column(column)
        for cell in cells:
            if cell is not None:
                self._take(found, formulas, cell)
        self.formula_rows[column] = formulas
        return self.with_doubts(self.with_changes(found, column), column)

    def _take(self, found: ColumnValues, formulas: set[int], cell: StoredCell) -> None:
        value = self.shared.decoder.value(cell, lambda: self.where(cell.row, cell.column))
        if value is not None:
            found[cell.row] = value
        if cell.formula is not None:
            formulas.add(cell.row)

    def _read_all(self, loaded: Loaded) -> None:
        """All columns in one pass: a sheet that is read cell by cell would otherwise be searched once a column."""
        fresh: dict[int, ColumnValues] = {}
        formulas: dict[int, set[int]] = {}
        stored = loaded.stored
        if isinstance(stored, Searched):
            plain: dict[int, list[Any]] = {}
            for row, column, attributes, raw, text in stored.plain_cells():
                if attributes is not None:
                    plain.setdefault(column, []).append((row, attributes, raw, text))
                    continue
                cell = stored.cell(row, column)
                if cell is not None:
                    self._take(fresh.setdefault(column, ColumnValues()), formulas.setdefault(column, set()), cell)
            for column, cells in plain.items():
                fresh.setdefault(column, ColumnValues()).update(
                    self.shared.decoder.column(cells, partial(self.where, column=column))
                )
                formulas.setdefault(column, set())
        else:
            for cell in stored.all_cells():
                self._take(fresh.setdefault(cell.column, ColumnValues()), formulas.setdefault(cell.column, set()), cell)
        for column, found in fresh.items():
            if column not in loaded.columns and column not in self.live:
                self.formula_rows[column] = formulas[column]
                loaded.columns[column] = self.live[column] = self.with_doubts(self.with_changes(found, column), column)

    def raw_value(self, row: int, column: int) -> Value:
        """The value of a cell, or a `Trouble`."""
        loaded = self.load()
        if row in self.gone or column in self.columns.gone:
            return None
        known = loaded.columns.get(column)
        if known is not None:
            return settle(known.get(row))
        key = self.key(row, column)
        if key in self.values:
            return self.values[key]
        loaded.singles += 1
        if loaded.singles > _SINGLE or column in self.live:
            return settle(self.column_values(column).get(row))
        cell = loaded.stored.cell(row, column)
        found = self.shared.decoder.value(cell, lambda: self.where(row, column)) if cell is not None else None
        calculated = self.formulas.get(key, cell.formula if cell is not None else None) is not None
        return self.result(row, column, found) if calculated and self.shared.version else found

    def used(self) -> Area | None:
        """The smallest range with all that contains something."""
        loaded = self.load()
        if loaded.used is None:
            stored = loaded.stored
            filled = [index for index in _ends(stored) if index >= 0]
            columns = stored.columns() if filled else ()
            rows = [stored.numbers[index] for index in filled] if columns else []
            loaded.used = Area(rows[0], columns[0], rows[-1], columns[-1]) if rows else Area(0, 0, 0, 0)
        return self.spanning(loaded.used if loaded.used.bottom else None)

    def stored_rows(self) -> Sequence[int]:
        """The rows that are stored or were written."""
        rows = sorted({*self.load().stored.numbers, *(key >> 15 for key in (*self.values, *self.styles))})
        return self._kept_rows(rows) if self.shaped else rows

    def stored_places(self) -> Sequence[tuple[int, int]]:
        """Row and column of every cell that is stored or was written."""
        stored = self.load().stored
        if isinstance(stored, Searched):
            places = [(cell[0], cell[1]) for cell in stored.plain_cells(empty=True)]
        else:
            places = [(cell.row, cell.column) for cell in stored.all_cells()]
        changed = {self.place(key) for key in (*self.values, *self.styles)}
        found = sorted(changed.union(places)) if changed else places
        return self._kept_places(found) if self.shaped else found

    def filled_rows(self, area: Area, known: Iterable[ColumnValues] = ()) -> Sequence[int]:
        """The rows that hold a value in a range."""
        found = self._filled_rows(area, known)
        return self._kept_rows(found) if self.shaped else found

    def _filled_rows(self, area: Area, known: Iterable[ColumnValues]) -> Sequence[int]:
        used = self.used()
        if used is None:
            return []
        area = area.within(used)
        stored = self.load().stored
        first, last = bisect_left(stored.numbers, area.top), bisect_left(stored.numbers, area.bottom + 1)
        rows = stored.numbers[first:last]
        if not self.values and any(all(map(each.__contains__, rows)) for each in known):
            every = range(rows[0], rows[-1] + 1) if rows else rows
            return every if len(every) == len(rows) else rows
        changed = {key >> 15 for key in self.values}
        whole = area.left == used.left and area.right == used.right
        if whole and not changed:
            return stored.holding(first, last)
        found = stored.holding(first, last) if whole else rows
        found = [row for row in found if (whole and row not in changed) or self._row_holds(row, area)]
        changed -= set(found)
        fresh = [row for row in changed if area.top <= row <= area.bottom and self._row_holds(row, area)]
        return sorted([*found, *fresh]) if fresh else found

    def _row_holds(self, row: int, area: Area) -> bool:
        return any(self.raw_value(row, column) is not None for column in range(area.left, area.right + 1))

    def text(self, row: int, column: int) -> str:
        """What is seen in a cell."""
        value = self.value(row, column)
        if value is None or isinstance(value, str):
            return value or ""
        style = self.style(row, column)
        form = self.shared.styles.form(style)
        if self.shared.styles.is_local(style) and not isinstance(value, bool):
            raise Failure("how its date is shown depends on the reader's country. Use the value: cell.value").at(
                self.where(row, column)
            )
        try:
            return shown_as(value, form, self.shared.decoder)
        except Failure as failure:
            raise failure.at(self.where(row, column)) from None

    def arrays(self) -> list[Area]:
        """The ranges of array formulas and data tables, spills included (18.3.1.40)."""
        if self._arrays is None:
            data = self.load().stored.data
            self._arrays = []
            if self.has_formulas and (b"array" in data or b"dataTable" in data):
                for cell in self.load().stored.all_cells():
                    if cell.formula is not None and cell.formula.type in ("array", "dataTable"):
                        ref = cell.formula.ref or address_of(cell.row, cell.column)
                        self._arrays.append(area_of(ref))
        return self._arrays

    def has_formula(self, row: int, column: int) -> bool:
        """Whether a cell is calculated."""
        key = self.key(row, column)
        if row in self.gone or column in self.columns.gone:
            return False
        if key in self.formulas:
            return self.formulas[key] is not None
        if column not in self.formula_rows:
            self.column_values(column)
        return row in self.formula_rows.get(column, ())

    def formula(self, row: int, column: int) -> str | None:
        """The formula of a cell; one that is shared is written out."""
        key = self.key(row, column)
        if key in self.formulas:
            found = self.formulas[key]
            return None if found is None else f"={found}"
        if not self.has_formula(row, column):
            return None
        cell = self.stored(row, column)
        assert cell is not None
        return f"={shown_formula(self._written_out(cell))}"

    def _written_out(self, cell: StoredCell) -> str:
        of = cell.formula
        assert of is not None
        if of.type != "shared" or of.text:
            return of.text
        for other in self.sharing(of.si):
            if other.formula is not None and other.formula.text:
                return translated(other.formula.text, cell.row - other.row, cell.column - other.column)
        raise placed(f"{self.where(cell.row, cell.column)}: its formula is shared with a cell that is missing")

    def sharing(self, number: str) -> list[StoredCell]:
        """The cells that share a formula, from above; all are found in one pass, the one with the text first."""
        loaded = self.load()
        if loaded.shared is None:
            loaded.shared = {}
            for cell in loaded.stored.all_cells():
                if cell.formula is not None and cell.formula.type == "shared":
                    found = loaded.shared.setdefault(cell.formula.si, [])
                    found.insert(0 if cell.formula.text else len(found), cell)
        return loaded.shared.get(number, [])

    def texts_of(self, column: int) -> Mapping[int, str]:
        """The texts of a column by row; those of formulas can be among them."""
        loaded = self.load()
        if column not in self.live and not self.values and not self.shaped and isinstance(loaded.stored, Searched):
            found: dict[int, str] = {}
            for _, plain in loaded.stored.plain_column(column):
                if not all(map(_ENDING, plain)):  # there can be a formula among them
                    return super().texts_of(column)
                found.update(self.shared.decoder.column(plain, partial(self.where, column=column), texts_only=True))
            self.formula_rows.setdefault(column, set())
            return found
        return super().texts_of(column)

    def may_have_runs(self) -> bool:
        """Whether some text of the sheet may have several looks."""
        loaded = self.load()
        if loaded.rich is None:
            data = loaded.stored.data
            loaded.rich = not self.shared.strings().plain or b"<r>" in data or b":r>" in data
        return loaded.rich or bool(self.runs)

    def runs_in(self, row: int, column: int) -> list[Run] | None:
        """The runs of a text with several looks; None for a plain one."""
        key = self.key(row, column)
        if key in self.values:
            return self.runs.get(key)
        if not self.may_have_runs():
            return None
        cell = self.stored(row, column)
        if cell is None:
            return None
        if cell.inline is not None:
            return runs_of(cell.inline)
        if cell.type == "s" and cell.value:
            return self.shared.strings().runs(int(cell.value))
        return None

    def style(self, row: int, column: int) -> int:
        """The number of a cell's format; a cell that is not stored has its row's or its column's."""
        found = self.styles.get(self.key(row, column))
        return self.stored_style(row, column) if found is None else found

    def styles_of(self, column: int) -> Callable[[int], int]:
        """What gives the number of a cell's format by its row, as `style` does, for who asks it of a whole column."""
        stored = self.load().stored
        if not isinstance(stored, Searched):
            return lambda row: self.style(row, column)
        found = _styles_in(stored, column)

        def style(row: int) -> int:
            changed = self.styles.get(self.key(row, column))
            if changed is not None:
                return changed
            known = found.get(row)
            return self.inherited_style(row, column) if known is None else known

        return style

    def looks_alike(self, column: int, rows: Iterable[int]) -> bool:
        """Whether the cells of a column certainly look the same in all of some rows, or none of them is stored."""
        stored = self.load().stored
        if self.styles or not isinstance(stored, Searched):
            return False
        return len(set(map(_styles_in(stored, column).get, rows))) < 2

    def stored_style(self, row: int, column: int) -> int:
        """The number of the format that a cell had when the file was opened."""
        cell = self.stored(row, column)
        return cell.style if cell is not None else self.inherited_style(row, column)

    @required
    def inherited_style(self, row: int, column: int) -> int:
        """The format that a new cell gets from its row or column."""
        raise NotImplementedError

    def look(self, row: int, column: int, word: str) -> Any:
        """How a cell looks."""
        return self.shared.styles.look(self.style(row, column), word)


def _styles_in(stored: Searched, column: int) -> dict[int, int]:
    """The numbers of the formats of the stored cells of a column, by row."""
    numbers: dict[bytes, int] = {}
    found: dict[int, int] = {}
    for _, cells in stored.plain_column(column):
        for row, attributes, *_ in cells:
            number = numbers.get(attributes)
            if number is None:
                number = numbers[attributes] = number_in(attributes_of(attributes), "s")
            found[int(row)] = number
    return found


_ENDING = itemgetter(4)


def placed(what: str) -> Failure:
    """A failure that names its cell itself."""
    found = Failure(what)
    found.placed = True
    return found


def _ends(stored: Stored) -> Iterable[int]:
    """The first and the last stored row that contains something."""
    last = len(stored.numbers)
    first = next((index for index in range(last) if stored.holds(index)), -1)
    return first, next((index for index in range(last - 1, -1, -1) if stored.holds(index)), -1)
