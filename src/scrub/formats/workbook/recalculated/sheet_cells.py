"""The cells of one finished sheet as formulas see them: values as numbers, texts and errors, and what is calculated."""

from __future__ import annotations

import math
import re
from collections.abc import Callable, Iterable, Iterator
from functools import cached_property

from scrub.formats.spans import parse
from scrub.formats.workbook.cells.decode import Decoder, iso_day
from scrub.formats.workbook.cells.searched import Searched
from scrub.formats.workbook.cells.sheet_data import Stored
from scrub.formats.workbook.cells.stored_cell import StoredCell
from scrub.formats.workbook.part import SheetPart, without_cells
from scrub.formats.xmltext import attributes_of, is_on, plain_text, text_of, unescaped
from scrub.formulas.calculation import DIRTY, Calculated, Form, Held, Lost
from scrub.formulas.forms import Forms, form_of
from scrub.formulas.reach import Run
from scrub.formulas.values import ERRORS, ErrorValue
from scrub.model.core.area import Area, area_of, column_of, letters_of
from scrub.model.core.lazy_pattern import lazy_pattern
from scrub.model.core.named import NamedTuple
from scrub.model.core.problem import Failure

_FORMULA = lazy_pattern(rb'<c r="([A-Z]{1,3})([1-9]\d{0,6})"[^>]*><f([^>]*?)(?:/>|>([^<]*)</f>)(<v>[^<]*</v>)?')
_HIDDEN_ROW = lazy_pattern(rb'<row r="(\d+)"[^>]*\shidden\s*=\s*["\'](?:1|true)')
#: The most cells that one array formula may fill.
_MOST_CELLS = 1_000_000


def _cells_of(column: int) -> re.Pattern[bytes]:
    """Finds the cells of a column: row, attributes, slash of an empty one, formula, value, `t` element, end tag."""
    return re.compile(
        rb'<c r="' + letters_of(column).encode() + rb'(\d+)"([^>]*?)(/?)>'
        rb"(?:(<f)[^>]*?(?:/>|>[^<]*</f>))?(?:<v>([^<]*)</v>|<v/>|<is>(<t[^>]*>[^<]*</t>)</is>)?(</c>)?"
    )


class FormulaCell(NamedTuple):
    """A cell with a formula: what it says, what it is part of, and whether it has a result."""

    row: int
    column: int
    text: str
    type: str
    ref: str
    si: str
    has_result: bool


class SheetCells:
    """The cells of one sheet."""

    def __init__(self, part: SheetPart, data: bytes, name: str, decoder: Decoder) -> None:
        """`data` are the bytes of the part as it is to be, `name` is that of the sheet."""
        self.name = name
        self.part = part
        self.data = data
        self.untrusted = False  # whether saved results may be old
        self._decoder = decoder
        self._by_cell: dict[tuple[int, int], Calculated] = {}
        self._runs: list[tuple[int, Form, list[int], Area | None]] = []
        self._lacking: dict[int, set[int]] = {}  # rows with formulas that have no result, by column
        self._areas: list[tuple[Area, Calculated]] = []  # of array formulas
        self._is_read = False

    @cached_property
    def stored(self) -> Stored:
        """The cells as they are stored."""
        return self.part.found(self.data)

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

    def formula_cells(self) -> Iterator[FormulaCell]:
        """The cells that are calculated, row by row."""
        stored = self.stored
        if not self.may_calculate:
            return
        if isinstance(stored, Searched):
            data, (start, end) = stored.data, stored.body
            found = _FORMULA.findall(data, start, end)
            if len(found) == data.count(b"<f", start, end):
                yield from _formula_cells(found)
                return
        for cell in stored.all_cells():
            if cell.formula is not None:
                of = cell.formula
                has_result = bool(cell.value) or cell.type == "str"
                yield FormulaCell(cell.row, cell.column, of.text, of.type, of.ref, of.si, has_result)

    def runs(self, sheet: int) -> list[Run]:
        """The formulas by their forms; `sheet` is the number of this one."""
        self._read()
        return [
            Run(sheet, column, form, rows, *((area.height, area.width) if area is not None else (1, 1)))
            for column, form, rows, area in self._runs
        ]

    def _read(self) -> None:
        if self._is_read:
            return
        self._is_read = True
        forms = Forms()
        shared: dict[str, Form] = {}
        waiting: list[FormulaCell] = []
        rows: dict[tuple[int, Form], list[int]] = {}
        for cell in self.formula_cells():
            if not cell.has_result:
                self._lacking.setdefault(cell.column, set()).add(cell.row)
            if cell.type == "shared" and not cell.text:
                waiting.append(cell)
                continue
            if cell.type in ("array", "dataTable"):
                self._take_array(cell)
                continue
            form = forms.of(cell.text, cell.row, cell.column)
            if cell.type == "shared":
                shared[cell.si] = form
            rows.setdefault((cell.column, form), []).append(cell.row)
        for cell in waiting:
            missing = Form(None, reason="it is shared with a cell that is missing")
            rows.setdefault((cell.column, shared.get(cell.si, missing)), []).append(cell.row)
        for (column, form), own in rows.items():
            calculated = Calculated(form)
            for row in own:
                self._by_cell[row, column] = calculated
            self._runs.append((column, form, sorted(own), None))

    def _take_array(self, cell: FormulaCell) -> None:
        area = Area(cell.row, cell.column, cell.row, cell.column)
        form = Form(None, reason="it is a data table")
        try:
            area = area_of(cell.ref) if cell.ref else area
        except Failure:
            form = Form(None, reason="its range cannot be read")
        if cell.type == "array":
            form = form_of(cell.text, cell.row, cell.column, True)
        if area.height * area.width > _MOST_CELLS:
            area, form = Area(cell.row, cell.column, cell.row, cell.column), Form(None, reason="too big")
        calculated = Calculated(form, area)
        self._areas.append((area, calculated))
        self._runs.append((area.left, form, [area.top], area))

    def calculated(self, row: int, column: int) -> Calculated | None:
        """What a cell is calculated by; None for a plain one."""
        self._read()
        known = self._by_cell.get((row, column))
        if known is not None:
            return known
        return next((of for area, of in self._areas if area.holds(row, column)), None)

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
        if not self.used[0]:
            return []
        self._read()
        values: list[Held] = [None] * self.used[0]
        stored = self.stored
        if isinstance(stored, Searched):
            self._search(values, stored, column)
        else:
            for cell in stored.column(column):
                self._take(values, cell)
        rows: Iterable[int] = self._lacking.get(column, ())
        if self.untrusted:
            rows = [row for across, _, own, area in self._runs if across == column and area is None for row in own]
        for row in rows:
            values[row - 1] = DIRTY
        for area, _ in self._areas:
            if area.left <= column <= area.right and (self.untrusted or area.top in self._lacking.get(area.left, ())):
                values += [None] * (area.bottom - len(values))
                values[area.top - 1 : area.bottom] = [DIRTY] * area.height
        return values

    def _search(self, values: list[Held], stored: Searched, column: int) -> None:
        read: dict[bytes, Callable[[bytes], Held]] = {}
        for row, form, empty, _, raw, text, end in _cells_of(column).findall(stored.data, *stored.body):
            if empty:
                continue
            if not end:
                cell = stored.cell(int(row), column)
                if cell is not None:
                    self._take(values, cell)
                continue
            if text:
                values[int(row) - 1] = unescaped(text_of(text))
                continue
            reader = read.get(form)
            if reader is None:
                reader = read[form] = self._reader(attributes_of(form).get("t", "n"))
            values[int(row) - 1] = reader(raw)

    def _take(self, values: list[Held], cell: StoredCell) -> None:
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
        rows = set()
        for index, number in enumerate(stored.numbers):
            span = stored.row_span(index)
            if is_on(attributes_of(stored.data[span.start : span.open_end]).get("hidden")):
                rows.add(number)
        return frozenset(rows)

    def filters(self) -> list[Area]:
        """The ranges of the sheet's own filter, where it hides anything (18.3.1.2)."""
        skeleton, _, _ = without_cells(self.data)
        element = parse(skeleton).child("autoFilter")
        if element is None or element.child("filterColumn") is None:
            return []
        return [area_of(element.attributes.get("ref", "A1"))]


def _formula_cells(found: Iterable[tuple[bytes, bytes, bytes, bytes, bytes]]) -> Iterator[FormulaCell]:
    columns: dict[bytes, int] = {}
    kinds: dict[bytes, tuple[str, str, str]] = {}
    for letters, row, attributes, text, result in found:
        column = columns.get(letters)
        if column is None:
            column = columns[letters] = column_of(letters.decode())
        kind = kinds.get(attributes)
        if kind is None:
            of = attributes_of(attributes)
            kind = kinds[attributes] = of.get("t", "normal"), of.get("ref", ""), of.get("si", "")
        yield FormulaCell(int(row), column, plain_text(text), *kind, bool(result))
