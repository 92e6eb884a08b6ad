"""The formulas of one finished sheet: which columns they refer to, and the forms of those of a column.

Two readers give the same: one strikes the digits from the bytes, and finds the few formulas that are then left of
hundreds of thousands by one search; the other asks each cell, where the first is not certainly exact.
"""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Iterable, Iterator, Sequence

from scrub.formats.workbook.cells.searched import Searched, found_in_column
from scrub.formats.workbook.cells.sheet_data import Stored
from scrub.formats.xmltext import attributes_of, plain_text
from scrub.formulas.calculation import Calculated, Form
from scrub.formulas.forms import form_if_filled, form_of, forms_of_column
from scrub.model.core.area import Area, area_of, column_of, letters_of
from scrub.model.core.lazy_pattern import lazy_pattern
from scrub.model.core.named import NamedTuple
from scrub.model.core.problem import Failure

#: A formula in bytes without digits; and its letters, attributes and text.
_WITHOUT_DIGITS = lazy_pattern(rb'<c r="([A-Z]{1,3}"[^>]*><f[^>]*?(?:/>|>[^<]*</f>))')
_PARTS = lazy_pattern(rb'([A-Z]{1,3})"[^>]*><f([^>]*?)(?:/>|>([^<]*)</f>)')
_ARRAY = lazy_pattern(
    rb'<c r="([A-Z]{1,3})([1-9]\d{0,6})"[^>]*><f([^>]*\bt="(?:array|dataTable)"[^>]*?)(?:/>|>([^<]*)</f>)(<v>[^<])?'
)
_SHARED = lazy_pattern(rb'<c r="([A-Z]{1,3})([1-9]\d{0,6})"[^>]*><f([^>]*\bt="shared"[^>]*)>([^<]+)</f>')
#: The most cells that one array formula may fill.
_MOST_CELLS = 1_000_000


class ColumnRun(NamedTuple):
    """The cells of a column that have one form; the range of an array formula."""

    column: int
    form: Form
    rows: Sequence[int]
    area: Area | None = None


def _formulas_of(column: int) -> re.Pattern[bytes]:
    """Finds the formulas of a column: row, attributes of the formula, its text."""
    return re.compile(rb'<c r="' + letters_of(column).encode() + rb'([1-9]\d{0,6})"[^>]*><f([^>]*?)(?:/>|>([^<]*)</f>)')


def _plain_formulas_of(column: int) -> re.Pattern[bytes]:
    """Finds formulas of a column that are written alone and gave numbers: row, text and number."""
    letters = letters_of(column).encode()
    return re.compile(rb'<c r="' + letters + rb'([1-9]\d{0,6})"(?: s="\d+")?><f>([^<]*)</f><v>([^<]*)</v></c>')


class SheetFormulas:
    """The formulas of one sheet, read by columns."""

    def __init__(self, stored: Stored) -> None:
        self._stored = stored
        self._columns: dict[int, list[ColumnRun]] = {}
        self._by_cell: dict[int, dict[int, Calculated]] = {}
        self._arrays: list[tuple[Area, Calculated, bool]] | None = None
        self._shared: dict[str, Form] | None = None
        self._texts: dict[int, list[str]] | None = None
        #: The numbers that the formulas of a column gave, as they are written, where all did.
        self.numbers: dict[int, tuple[list[int], Sequence[bytes]]] = {}
        self._counts: dict[int, int] = {}  # how many formulas each column has
        self._every: dict[int, list[tuple[int, str, str, str, str]]] = {}  # by columns, where each cell was asked

    @property
    def _is_searched(self) -> bool:
        self.texts()
        return not self._every

    def texts(self) -> dict[int, list[str]]:
        """The formulas of each column that has any, without digits, each once."""
        if self._texts is None:
            self._texts = self._search() if isinstance(self._stored, Searched) else None
            if self._texts is None:
                self._texts = self._ask()
        return self._texts

    def _search(self) -> dict[int, list[str]] | None:
        data = self._stored.data[slice(*self._stored.body)].translate(None, b"0123456789")
        if b"<f" not in data:
            return {}
        # Without digits most rows are alike, and each sort of row is searched once.
        found: Counter[bytes] = Counter()
        for row, times in Counter(data.split(b"</row>")).items():
            formulas = _WITHOUT_DIGITS.findall(row)
            if len(formulas) != row.count(b"<f"):
                return None
            for formula in formulas:
                found[formula] += times
        texts: dict[int, list[str]] = {}
        for whole, count in found.items():
            letters, attributes, text = _PARTS.fullmatch(whole).groups(b"")  # type: ignore[union-attr]
            column = column_of(letters.decode())
            self._counts[column] = self._counts.get(column, 0) + count
            said = plain_text(text) if text or b"shared" not in attributes else _ANYTHING
            if said not in texts.setdefault(column, []):
                texts[column].append(said)
        return texts

    def _ask(self) -> dict[int, list[str]]:
        texts: dict[int, set[str]] = {}
        for cell in self._stored.all_cells():
            of = cell.formula
            if of is not None:
                self._every.setdefault(cell.column, []).append((cell.row, of.text, of.type, of.ref, of.si))
                said = re.sub(r"\d", "", of.text) if of.text else _ANYTHING
                texts.setdefault(cell.column, set()).add(said)
        return {column: sorted(every) for column, every in texts.items()}

    # -- arrays and shared formulas

    def arrays(self) -> list[tuple[Area, Calculated, bool]]:
        """The ranges of array formulas and data tables, and whether they have a result."""
        if self._arrays is None:
            self._arrays = [self._array(*each) for each in self._array_cells()]
        return self._arrays

    def _array_cells(self) -> Iterator[tuple[int, int, str, str, str, bool]]:
        if self._is_searched:
            data, body = self._stored.data, self._stored.body
            if data.find(b't="array"', *body) < 0 and data.find(b't="dataTable"', *body) < 0:
                return
            for letters, row, attributes, text, result in _ARRAY.findall(data, *body):
                of = attributes_of(attributes)
                yield int(row), column_of(letters.decode()), plain_text(text), of["t"], of.get("ref", ""), bool(result)
            return
        for column, cells in self._every.items():
            for row, text, type_, ref, _ in cells:
                if type_ in ("array", "dataTable"):
                    cell = self._stored.cell(row, column)
                    yield row, column, text, type_, ref, bool(cell is not None and cell.value)

    @staticmethod
    def _array(row: int, column: int, text: str, type_: str, ref: str, result: bool) -> tuple[Area, Calculated, bool]:
        area = Area(row, column, row, column)
        try:
            whole = area_of(ref) if ref else area
        except Failure:
            return area, Calculated(Form(None, reason="its range cannot be read"), area), result
        if whole.height * whole.width > _MOST_CELLS:
            return area, Calculated(Form(None, reason="too big"), area), result
        form = form_of(text, row, column, True) if type_ == "array" else Form(None, reason="it is a data table")
        return whole, Calculated(form, whole), result

    def _shared_forms(self) -> dict[str, Form]:
        if self._shared is None:
            self._shared = {}
            for row, column, text, si in self._shared_cells():
                self._shared[si] = form_of(text, row, column)
        return self._shared

    def _shared_cells(self) -> Iterator[tuple[int, int, str, str]]:
        if self._is_searched:
            for letters, row, attributes, text in _SHARED.findall(self._stored.data, *self._stored.body):
                yield int(row), column_of(letters.decode()), plain_text(text), attributes_of(attributes).get("si", "")
            return
        for column, cells in self._every.items():
            for row, text, type_, _, si in cells:
                if type_ == "shared" and text:
                    yield row, column, text, si

    # -- columns

    def runs(self, column: int) -> list[ColumnRun]:
        """The formulas of a column by their forms."""
        known = self._columns.get(column)
        if known is None:
            known = self._columns[column] = self._read(column) if column in self.texts() else []
            known += [
                ColumnRun(column, calculated.form, [area.top], area)
                for area, calculated, _ in self.arrays()
                if area.left == column
            ]
        return known

    def _alike(self, column: int) -> list[ColumnRun] | None:
        """Formulas that were all filled from one, held against that at once; None where they are others."""
        if not self._is_searched or len(self.texts().get(column, ())) != 1:
            return None
        data, body = self._stored.data, self._stored.body
        found = found_in_column(_plain_formulas_of(column), letters_of(column).encode(), data, *body)
        if len(found) != self._counts.get(column) or not found:
            return None
        numbers, texts, raw = zip(*found, strict=True)
        rows, joined = list(map(int, numbers)), b"\n".join(texts)
        self.numbers[column] = rows, raw
        if b"&" in joined or b"\r" in joined:
            return None
        form = form_if_filled(joined.decode(), rows, column)
        return [ColumnRun(column, form, rows)] if form is not None else None

    def _read(self, column: int) -> list[ColumnRun]:
        alike = self._alike(column)
        if alike is not None:
            return alike
        plain: list[tuple[int, str]] = []
        rows: dict[Form, list[int]] = {}
        for row, text, type_, si in self._cells(column):
            if type_ == "normal":
                plain.append((row, text))
            elif type_ == "shared":
                missing = Form(None, reason="it is shared with a cell that is missing")
                rows.setdefault(self._shared_forms().get(si, missing), []).append(row)
        for form, own in forms_of_column(plain, column):
            rows.setdefault(form, []).extend(own)
        return [ColumnRun(column, form, sorted(own)) for form, own in rows.items()]

    def _cells(self, column: int) -> Iterable[tuple[int, str, str, str]]:
        if not self._is_searched:
            yield from ((row, text, type_, si) for row, text, type_, _, si in self._every.get(column, ()))
            return
        kinds: dict[bytes, tuple[str, str]] = {b"": ("normal", "")}
        letters, data, body = letters_of(column).encode(), self._stored.data, self._stored.body
        for row, attributes, text in found_in_column(_formulas_of(column), letters, data, *body):
            kind = kinds.get(attributes)
            if kind is None:
                of = attributes_of(attributes)
                kind = kinds[attributes] = of.get("t", "normal"), of.get("si", "")
            yield int(row), (plain_text(text) if b"&" in text else text.decode()), *kind

    def calculated(self, row: int, column: int) -> Calculated | None:
        """What a cell is calculated by; None for a plain one."""
        known = self._by_cell.get(column)
        if known is None:
            known = self._by_cell[column] = {}
            for run in self.runs(column):
                if run.area is None:
                    calculated = Calculated(run.form)
                    known.update(dict.fromkeys(run.rows, calculated))
        found = known.get(row)
        if found is None and self.arrays():
            return next((of for area, of, _ in self.arrays() if area.holds(row, column)), None)
        return found


#: Instead of a formula that shares another one's text: it can refer to anything.
_ANYTHING = "\0"
