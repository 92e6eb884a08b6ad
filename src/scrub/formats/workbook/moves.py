"""Where cells come to stand when rows go or a sheet gets another name, and how formulas read then."""

from __future__ import annotations

import re
from bisect import bisect_left, bisect_right
from collections.abc import Iterable, Mapping, Sequence
from functools import lru_cache

from scrub.formats.spans import escaped
from scrub.formats.workbook.formulas import pieces_of
from scrub.formats.workbook.names import Names
from scrub.model.area import MOST_ROWS, Area
from scrub.model.late import late
from scrub.model.problem import Failure
from scrub.model.values import fold

#: What stands in the place of a reference whose cells are gone (ISO/IEC 29500-1, 18.17.3).
LOST = "#REF!"


class Gone:
    """Rows that go from a sheet."""

    def __init__(self, rows: Iterable[int]) -> None:
        self.rows: Sequence[int] = sorted(set(rows))

    def before(self, row: int) -> int:
        """How many of them stand above a row."""
        return bisect_left(self.rows, row)

    def row(self, row: int) -> int:
        """Where a row comes to stand; 0 for one that goes."""
        at = bisect_left(self.rows, row)
        return 0 if at < len(self.rows) and self.rows[at] == row else row - at

    def span(self, top: int, bottom: int) -> tuple[int, int] | None:
        """Where the rows from one to another come to stand; None when all of them go. Whole columns stay whole."""
        if top == 1 and bottom == MOST_ROWS:
            return top, bottom
        first = bisect_left(self.rows, top)
        left = bottom - top + 1 - (bisect_right(self.rows, bottom) - first)
        return (top - first, top - first + left - 1) if left > 0 else None

    def area(self, area: Area) -> Area | None:
        """Where a range comes to stand; None when all of it goes."""
        found = self.span(area.top, area.bottom)
        return None if found is None else area._replace(top=found[0], bottom=found[1])


_NONE = Gone(())


class Moves:
    """What changes of the shape of a workbook: by the names that its sheets have in the file, without case."""

    def __init__(self, sheets: Sequence[str], gone: Mapping[str, Iterable[int]], renamed: Mapping[str, str]) -> None:
        """`sheets` are the names in the order of the tabs, `gone` rows that go from a sheet, `renamed` new names."""
        self._order = [fold(name) for name in sheets]
        self._gone = {fold(name): Gone(rows) for name, rows in gone.items() if rows}
        self._renamed = {fold(name): fresh for name, fresh in renamed.items()}
        self.formula = lru_cache(maxsize=65536)(self._formula)

    def __bool__(self) -> bool:
        return bool(self._gone or self._renamed)

    def gone_from(self, sheet: str) -> Gone | None:
        """The rows that go from a sheet; None for none."""
        return self._gone.get(fold(sheet))

    def new_name(self, sheet: str) -> str | None:
        """The new name of a sheet; None where it keeps its own."""
        return self._renamed.get(fold(sheet))

    def concerned(self) -> set[str]:
        """The sheets to which a reference may have to change, without case."""
        return {*self._gone, *self._renamed}

    def _formula(self, formula: str, sheet: str, base: int = 0) -> str:
        """A formula of a sheet as it is to read, without its equals sign.

        `base` is the row that it was written for, where it holds for many cells: a reference that moves along with
        the cell keeps its distance. Raises `Failure` for what cannot be read surely.
        """
        if "!" not in formula and fold(sheet) not in self._gone:
            return formula  # it stays on its own sheet, where nothing moves
        made: list[str] = []
        done = 0
        for piece in pieces_of(formula):
            if piece.sort == "unknown":
                raise Failure(f'"{formula[piece.start : piece.start + 30]}" in it cannot be read')
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

    def _range(self, text: str, sheets: str, base: int) -> str:
        if "[" in sheets:
            return text
        first, _, last = sheets.partition(":")
        gone = self._gone.get(fold(first))
        if last:
            gone = self._gone_from_all(text, fold(first), fold(last))
        return text if gone is None else moved_range(text, gone, base)

    def _gone_from_all(self, text: str, first: str, last: str) -> Gone | None:
        """The rows that go from each of several sheets; a reference to all of them needs the same of each."""
        if first not in self._order or last not in self._order:
            return None
        start, end = sorted((self._order.index(first), self._order.index(last)))
        found = [self._gone.get(name) or _NONE for name in self._order[start : end + 1]]
        if len({moved_range(text, each, 0) for each in found}) > 1:
            raise Failure("it refers to the same cells of several sheets, and rows go from only some of these")
        return found[0]


def _prefix(formula: str, start: int) -> str:
    """The names of sheets that stand at a place, with the exclamation mark."""
    if formula[start] != "'":
        return formula[start : formula.index("!", start) + 1]
    end = start + 1
    while formula[end] != "'" or formula[end + 1 : end + 2] == "'":
        end += 2 if formula[end] == "'" else 1
    return formula[start : end + 2]


_RANGE = late(r"(\$?[A-Za-z]{0,3})(\$?)(\d+)(?::(\$?[A-Za-z]{0,3})(\$?)(\d+))?")


def moved_range(text: str, gone: Gone, base: int = 0) -> str:
    """A reference such as `$B$2:C4` or `3:5` where rows go; columns stay."""
    found = _RANGE.fullmatch(text)
    if found is None:  # whole columns
        return text
    one = int(found[3])
    other = int(found[6]) if found[6] else one
    if one > MOST_ROWS or other > MOST_ROWS:
        return text  # a name such as ABC9999999, no reference
    if base and not found[2] and one == other and not gone.row(one) and gone.row(base):
        row = gone.row(base) + one - base  # it moves along with its cell
        span = (row, row) if row >= 1 else None
    else:
        span = gone.span(min(one, other), max(one, other))
    if span is None:
        return LOST
    first, last = span if one <= other else span[::-1]
    start = f"{found[1]}{found[2]}{first}"
    return f"{start}:{found[4]}{found[5]}{last}" if found[6] else start


def names_sheet(text: str) -> re.Pattern[bytes]:
    """A pattern for a sheet's name as parts write it, whatever stands round it."""
    plain = text.replace("'", "''")
    forms = {escaped(plain), escaped(plain).replace("'", "&apos;"), plain.replace("&", "&amp;").replace("<", "&lt;")}
    forms |= {escaped(text), text.replace("&", "&amp;")}
    return re.compile("|".join(sorted(map(re.escape, forms))).encode(), re.IGNORECASE)
