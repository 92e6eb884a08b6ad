"""The cells of one finished sheet as formulas see them: values as numbers, texts and errors, and what is calculated."""

from __future__ import annotations

import math
import re
from collections.abc import Callable, Iterable, Sequence
from functools import cached_property

from scrub.formats.workbook.cells.decode import Decoder, iso_day
from scrub.formats.workbook.cells.row_form import Alike
from scrub.formats.workbook.cells.searched import Searched, found_in_column
from scrub.formats.workbook.cells.sheet_data import Stored
from scrub.formats.workbook.cells.stored_cell import StoredCell
from scrub.formats.workbook.part import SheetPart
from scrub.formats.workbook.recalculated.formula_cells import SheetFormulas
from scrub.formats.xmltext import attributes_of, is_on, plain_text, text_of, unescaped
from scrub.formulas.calculation import DIRTY, Calculated, Held, Lost
from scrub.formulas.reach import Run
from scrub.formulas.values import ERRORS, ErrorValue
from scrub.model.core.area import Area, letters_of
from scrub.model.core.lazy_pattern import lazy_pattern
from scrub.model.core.problem import Failure

_HIDDEN_ROW = lazy_pattern(rb'<row r="(\d+)"[^>]*\shidden\s*=\s*["\'](?:1|true)')


def _cells_of(column: int) -> re.Pattern[bytes]:
    """Finds the cells of a column: row, attributes, slash of an empty one, formula, value, `t` element, end tag."""
    return re.compile(
        rb'<c r="' + letters_of(column).encode() + rb'(\d+)"([^>]*?)(/?)>'
        rb"(?:(<f)[^>]*?(?:/>|>[^<]*</f>))?(?:<v>([^<]*)</v>|<v/>|<is>(<t[^>]*>[^<]*</t>)</is>)?(</c>)?"
    )


def _starts_of(column: int) -> re.Pattern[bytes]:
    """Finds the cells of a column."""
    return re.compile(rb'<c r="' + letters_of(column).encode() + rb"\d")


def _results_of(column: int) -> re.Pattern[bytes]:
    """Finds the numbers of a column: row and number, with or without a formula."""
    return re.compile(
        rb'<c r="' + letters_of(column).encode() + rb'(\d+)"(?: s="\d+")?>(?:<f>[^<]*</f>)?<v>([^<]*)</v></c>'
    )


class SheetCells:
    """The cells of one sheet."""

    def __init__(self, part: SheetPart, data: bytes, name: str, decoder: Decoder, as_before: bool = False) -> None:
        """`data` are the bytes of the part as it is to be, `name` is that of the sheet. `as_before` tells that its rows
        are those of the file, and others below them: then what is known of these need not be found out again.
        """
        self._as_before = as_before
        self.name = name
        self.part = part
        self.data = data
        self.untrusted = False  # whether saved results may be old
        self.saved: dict[tuple[int, int], Held] = {}  # what cells held that are calculated whatever they held
        self._decoder = decoder

    @property
    def from_1904(self) -> bool:
        """Whether days are counted from 1904."""
        return self._decoder.from_1904

    @cached_property
    def stored(self) -> Stored:
        """The cells as they are stored."""
        known = self.part.still_exact(self.data) if self._as_before else None
        return known if known is not None else self.part.found(self.data)

    @property
    def may_calculate(self) -> bool:
        """Whether it may hold formulas."""
        return b"<f" in self.data or b":f" in self.data

    @cached_property
    def used(self) -> tuple[int, int]:
        """The last row and the last column in which cells are stored; 0 for none."""
        stored = self.stored
        columns = stored.stored_columns() if stored.numbers else []
        return (stored.numbers[-1], columns[-1]) if columns else (0, 0)

    # -- formulas

    @cached_property
    def formulas(self) -> SheetFormulas:
        """What its cells calculate."""
        return SheetFormulas(self.stored)

    def runs(self, sheet: int, columns: Iterable[int]) -> list[Run]:
        """The formulas of some columns by their forms; `sheet` is the number of this one."""
        return [
            Run(sheet, run.column, run.form, run.rows, *((run.area.height, run.area.width) if run.area else (1, 1)))
            for column in columns
            for run in self.formulas.runs(column)
        ]

    def calculated(self, row: int, column: int) -> Calculated | None:
        """What a cell is calculated by; None for a plain one."""
        return self.formulas.calculated(row, column) if self.may_calculate else None

    def formula(self, row: int, column: int) -> str | None:
        """The text of a formula, for one that is asked for it."""
        cell = self.stored.cell(row, column)
        if cell is None or cell.formula is None:
            return None
        return f"={cell.formula.text}" if cell.formula.text else None

    def has_subtotal(self, row: int, column: int) -> bool:
        """Whether the formula of a cell is a subtotal."""
        of = self.calculated(row, column)
        return of is not None and of.form.is_subtotal

    # -- values

    def column(self, column: int) -> list[Held]:
        """The values of a column from row 1 on."""
        values: list[Held] = [None] * self.used[0]
        lacking: list[int] = []  # rows whose formulas have no result, or one that may be old
        stored = self.stored
        if isinstance(stored, Searched):
            if not self._alike(values, stored, column):
                self._search(values, lacking, stored, column)
        else:
            for cell in stored.column(column):
                self._take(values, lacking, cell)
        for row in lacking:
            self.saved[row, column] = values[row - 1]
            values[row - 1] = DIRTY
        for area, _, has_result in self.formulas.arrays() if self.may_calculate else ():
            if area.left <= column <= area.right and (self.untrusted or not has_result):
                values += [None] * (area.bottom - len(values))
                rows = range(area.top, area.bottom + 1)
                self.saved.update({(row, column): values[row - 1] for row in rows if values[row - 1] is not DIRTY})
                values[area.top - 1 : area.bottom] = [DIRTY] * area.height
        return values

    def _alike(self, values: list[Held], stored: Searched, column: int) -> bool:
        """Reads a column of plain numbers, or of formulas that gave numbers, at once; False where it is another one."""
        for rows, plain in stored.alike_or_plain(column):
            if isinstance(plain, Alike):
                if attributes_of(plain.form).get("t", "n") != "n" or not self._fill(values, rows, plain.values):
                    return False
            elif rows and plain:
                return self._results(values, stored, column)
        return True

    def _results(self, values: list[Held], stored: Searched, column: int) -> bool:
        if self.untrusted:
            return False
        letters = letters_of(column).encode()
        count = len(found_in_column(_starts_of(column), letters, stored.data, *stored.body))
        known = self.formulas.numbers.get(column) if self.may_calculate else None
        if known is not None and len(known[0]) == count:
            return self._fill(values, *known)
        found = found_in_column(_results_of(column), letters, stored.data, *stored.body)
        if len(found) != count:
            return False
        return self._fill(values, [int(row) for row, _ in found], [raw for _, raw in found])

    @staticmethod
    def _fill(values: list[Held], rows: Sequence[int], raw: Sequence[bytes]) -> bool:
        try:
            numbers = list(map(float, raw))
        except ValueError:
            return False
        if not all(map(math.isfinite, numbers)):
            return False
        if rows and rows[-1] - rows[0] + 1 == len(rows):
            values[rows[0] - 1 : rows[-1]] = numbers
        else:
            for row, number in zip(rows, numbers, strict=True):
                values[row - 1] = number
        return True

    def _search(self, values: list[Held], lacking: list[int], stored: Searched, column: int) -> None:
        read: dict[bytes, Callable[[bytes], Held]] = {}
        letters = letters_of(column).encode()
        cells = found_in_column(_cells_of(column), letters, stored.data, *stored.body)
        for row, form, empty, formula, raw, text, end in cells:
            if empty:
                continue
            if not end:
                cell = stored.cell(int(row), column)
                if cell is not None:
                    self._take(values, lacking, cell)
                continue
            if formula and (self.untrusted or (not raw and not text and b't="str"' not in form)):
                lacking.append(int(row))
            if text:
                values[int(row) - 1] = unescaped(text_of(text))
                continue
            reader = read.get(form)
            if reader is None:
                reader = read[form] = self._reader(attributes_of(form).get("t", "n"))
            values[int(row) - 1] = reader(raw)

    def _take(self, values: list[Held], lacking: list[int], cell: StoredCell) -> None:
        if cell.formula is not None and (self.untrusted or (not cell.value and cell.type != "str")):
            lacking.append(cell.row)
        if cell.inline is not None:
            values[cell.row - 1] = self._decoder_text(cell)
        elif cell.value is not None:
            values[cell.row - 1] = self._typed(cell.type, cell.value)

    def _decoder_text(self, cell: StoredCell) -> str:
        value = self._decoder.value(cell._replace(formula=None), lambda: "")
        return value if isinstance(value, str) else ""

    def _reader(self, type_: str) -> Callable[[bytes], Held]:
        """What reads the raw values of cells of one type."""
        if type_ == "n":

            def number(raw: bytes) -> Held:
                try:
                    value = float(raw)
                except ValueError:
                    return None if not raw.strip() else Lost("a cell is damaged")
                return value if math.isfinite(value) else Lost("a cell is damaged")

            return number
        known: dict[bytes, Held] = {}

        def typed(raw: bytes) -> Held:
            if raw not in known:
                known[raw] = self._typed(type_, plain_text(raw))
            return known[raw]

        return typed

    def _typed(self, type_: str, text: str) -> Held:
        """What a stored text means for formulas (18.3.1.4, 18.18.11)."""
        if type_ == "n":
            return self._reader("n")(text.encode())
        if type_ == "s":
            found = self._decoder.text(text)
            return found if found is not None else Lost("a cell is damaged")
        if type_ == "b":
            return text.strip() in ("1", "true")
        if type_ == "e":
            return ERRORS.get(text.strip().upper()) or ErrorValue(text.strip())
        if type_ == "d":
            return self._day(text)
        return unescaped(text)

    def _day(self, text: str) -> Held:
        try:
            day = iso_day(text)
            return float(self._decoder.serial(day))
        except (ValueError, Failure):
            return Lost("a cell is damaged")

    # -- rows that are hidden

    @cached_property
    def hidden(self) -> frozenset[int]:
        """The rows that are not shown."""
        stored = self.stored
        if isinstance(stored, Searched):
            return frozenset(map(int, _HIDDEN_ROW.findall(stored.data, *stored.body)))
        return frozenset(row for row in stored.numbers if is_on(stored.row_attributes(row).get("hidden")))

    @cached_property
    def filters(self) -> list[Area]:
        """The ranges whose filters hide anything."""
        return self.part.filtered_areas(self.data)
