"""How formulas read when rows and columns go, come or change places, or a sheet gets another name."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from functools import lru_cache
from types import MappingProxyType

from scrub.formats.shift import STILL, SheetShift, Shift
from scrub.formats.spans import escaped
from scrub.formats.workbook.formulas.syntax import area_at
from scrub.formats.workbook.names.names import Names
from scrub.formulas.tokens import pieces_of
from scrub.model.core.area import MOST_COLUMNS, MOST_ROWS, column_of, letters_of
from scrub.model.core.lazy_pattern import lazy_pattern
from scrub.model.core.problem import Failure
from scrub.model.core.values import fold

#: What is in the place of a reference whose cells are gone (ISO/IEC 29500-1, 18.17.3).
LOST = "#REF!"


class Moves:
    """What changes of the shape of a workbook: by the names that its sheets have in the file, without case."""

    def __init__(
        self,
        sheets: Sequence[str],
        shifts: Mapping[str, SheetShift],
        renamed: Mapping[str, str],
        tables: Mapping[str, str] = MappingProxyType({}),
    ) -> None:
        """`sheets` are the names in the order of the tabs, `shifts` what becomes of the lines of a sheet, `renamed` new
        names of sheets, `tables` those of tables.
        """
        self._order = [fold(name) for name in sheets]
        self._shifts = {fold(name): shift for name, shift in shifts.items() if shift}
        self._renamed = {fold(name): fresh for name, fresh in renamed.items()}
        self._tables = {fold(name): fresh for name, fresh in tables.items()}
        self.formula = lru_cache(maxsize=65536)(self._formula)

    def __bool__(self) -> bool:
        return bool(self._shifts or self._renamed or self._tables)

    def shift(self, sheet: str) -> SheetShift | None:
        """What becomes of the lines of a sheet; None where they stay."""
        return self._shifts.get(fold(sheet))

    def new_name(self, sheet: str) -> str | None:
        """The new name of a sheet; None where it keeps its own."""
        return self._renamed.get(fold(sheet))

    def concerned(self) -> set[str]:
        """The sheets to which a reference may have to change, without case."""
        return {*self._shifts, *self._renamed}

    def _formula(self, formula: str, sheet: str, base: tuple[int, int] | None = None) -> str:
        """A formula of a sheet as it is to read, without its equals sign.

        `base` is the cell that it was written for, where it applies to many: a reference that moves along with the
        cell keeps its distance. Raises `Failure` for what cannot be read certainly.
        """
        if "!" not in formula and fold(sheet) not in self._shifts and not self._tables:
            return formula  # it stays on its own sheet, where nothing moves
        made: list[str] = []
        done = 0
        for piece in pieces_of(formula):
            if piece.sort == "unknown":
                raise Failure(f'"{formula[piece.start : piece.start + 30]}" in it cannot be read')
            table = self._tables.get(fold(piece.text)) if piece.sort in ("table", "name") and not piece.sheet else None
            if table is not None:
                made += [formula[done : piece.start], table]
                done = piece.start + len(piece.text)
            if not piece.sheet and piece.sort != "range":
                continue
            prefix = _prefix(formula, piece.start) if piece.sheet else ""
            start = piece.start + len(prefix)
            text = piece.text
            if piece.sort == "range":
                text = self._range(text, piece.sheet or sheet, base)
            fresh = self._prefix(prefix, piece.sheet) + text
            if fresh != prefix + piece.text:
                made += [formula[done : piece.start], fresh]
                done = start + len(piece.text)
        return "".join(made) + formula[done:] if made else formula

    def covers_others(self, formula: str, sheet: str) -> bool:
        """Whether a range in a formula comes to have other lines in it, since one was moved out of it or into it."""
        if not any(each.rows.moves or each.columns.moves for each in self._shifts.values()):
            return False
        for piece in pieces_of(formula):
            if piece.sort != "range" or ":" not in piece.text or "[" in piece.sheet:
                continue
            shift, area = self._shifts.get(fold(piece.sheet or sheet)), area_at(piece.text)
            if shift is not None and area is not None:
                if shift.rows.exchanges(area.top, area.bottom) or shift.columns.exchanges(area.left, area.right):
                    return True
        return False

    def _prefix(self, written: str, sheets: str) -> str:
        """The names of sheets before a reference; those of other files stay."""
        if not written or "[" in sheets:
            return written
        names = sheets.split(":")
        fresh = [self._renamed.get(fold(name), name) for name in names]
        if fresh == names:
            return written
        together = ":".join(fresh)
        return (Names.quoted(together) if Names.quoted(together) != together or ":" not in together else together) + "!"

    def _range(self, text: str, sheets: str, base: tuple[int, int] | None) -> str:
        if "[" in sheets:
            return text
        first, _, last = sheets.partition(":")
        shift = self._shifts.get(fold(first))
        if last:
            shift = self._shift_of_all(text, fold(first), fold(last))
        return text if shift is None else moved_range(text, shift, base)

    def _shift_of_all(self, text: str, first: str, last: str) -> SheetShift | None:
        """What becomes of the lines of several sheets; a reference to all of them needs the same of each."""
        if first not in self._order or last not in self._order:
            return None
        start, end = sorted((self._order.index(first), self._order.index(last)))
        shifts = [self._shifts.get(name) or STILL for name in self._order[start : end + 1]]
        if len({moved_range(text, shift) for shift in shifts}) > 1:
            raise Failure("it refers to the same cells of several sheets, but only some of them gain or lose rows")
        return shifts[0]


def _prefix(formula: str, start: int) -> str:
    """The names of sheets that are at a place, with the exclamation mark."""
    if formula[start] != "'":
        return formula[start : formula.index("!", start) + 1]
    end = start + 1
    while formula[end] != "'" or formula[end + 1 : end + 2] == "'":
        end += 2 if formula[end] == "'" else 1
    return formula[start : end + 2]


_RANGE = lazy_pattern(r"(\$?)([A-Za-z]{0,3})(\$?)(\d*)(?::(\$?)([A-Za-z]{0,3})(\$?)(\d*))?")


def moved_range(text: str, shift: SheetShift, base: tuple[int, int] | None = None) -> str:
    """A reference such as `$B$2:C4`, `B:D` or `3:5` where lines go, come or change places."""
    match = _RANGE.fullmatch(text)
    if match is None:
        return text
    columns, rows = (match[2], match[6]), (match[4], match[8])
    one, other = (int(row) if row else 0 for row in rows)
    left, right = (column_of(column) if column else 0 for column in columns)
    no_row = max(one, other) > MOST_ROWS and not (shift.rows.is_new(one) and shift.rows.is_new(other or one))
    if no_row or max(left, right) > MOST_COLUMNS:
        return text  # a name such as ABC9999999, no reference
    alone = match[0].find(":") < 0
    down = _ends(one, other or one, shift.rows, not match[3] and alone, base[0] if base else 0)
    across = _ends(left, right or left, shift.columns, not match[1] and alone, base[1] if base else 0)
    if down is None or across is None:
        return LOST
    shift.ensure_inside(max(down), max(across))
    first = f"{match[1]}{_letters(columns[0], across[0])}{match[3]}{down[0] or ''}"
    return first if alone else f"{first}:{match[5]}{_letters(columns[1], across[1])}{match[7]}{down[1] or ''}"


def _letters(written: str, column: int) -> str:
    """Characters as they were written, where they stay."""
    return written if not column or column_of(written) == column else letters_of(column)


def _ends(one: int, other: int, shift: Shift, follows: bool, base: int) -> tuple[int, int] | None:
    """Where the two ends of a reference come to be; 0 means no end. None when all between them goes.

    `follows` tells that it moves along with its cell, whose line is `base`.
    """
    if not one or not shift:
        return one, other
    if shift.is_new(one) and shift.is_new(other):
        return shift.place(one), shift.place(other)
    if base and follows and one == other and not shift.place(one) and shift.place(base):
        line = shift.place(base) + one - base
        return (line, line) if line >= 1 else None
    found = shift.span(min(one, other), max(one, other))
    return found if found is None or one <= other else (found[1], found[0])


def names_sheet(text: str) -> re.Pattern[bytes]:
    """A pattern for a sheet's name as parts write it, whatever is round it."""
    plain = text.replace("'", "''")
    forms = {escaped(plain), escaped(plain).replace("'", "&apos;"), plain.replace("&", "&amp;").replace("<", "&lt;")}
    forms |= {escaped(text), text.replace("&", "&amp;")}
    return re.compile("|".join(sorted(map(re.escape, forms))).encode(), re.IGNORECASE)
