"""Formulas of a sheet whose rows are sorted: those in the rows follow them, and none comes to mean something else."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence

from scrub.formats.workbook.formulas.syntax import area_at
from scrub.formulas.tokens import FormulaPiece, pieces_of
from scrub.model.core.area import Area
from scrub.model.core.lazy_pattern import lazy_pattern
from scrub.model.core.problem import Failure
from scrub.model.core.values import fold

#: Functions that make references of texts or numbers, so that nobody can say which cells they look at.
_BUILT = frozenset(("INDIRECT", "OFFSET"))
_DIGITS = lazy_pattern(r"\d+")


class RowSorting:
    """Rows of one sheet that change places, from one column to another."""

    def __init__(self, sheet: str, places: Mapping[int, int], left: int, right: int, name: str = "") -> None:
        """`sheet` is the name of their sheet in the file, `name` what it is called now; `places` are the new rows of
        those that change places, by their rows so far.
        """
        self.sheet = sheet
        self._names = {fold(sheet), fold(name or sheet)}
        self.places = places
        self.columns = left, right
        self._all = Area(min(places), left, max(places), right)

    def moved(self, formula: str, row: int, where: str) -> str:
        """A formula without its equals sign as it reads in its new row. Raises `Failure` for one that would come to
        mean something else; `where` is its cell.
        """
        found, at = [], 0
        for piece in pieces_of(formula):
            if piece.sort == "unknown" or (piece.sort == "operator" and piece.text in ":#"):
                raise Failure(f"{where}: Scrub cannot read this formula, so its rows cannot be sorted")
            if piece.sort == "function" and piece.text.upper() in _BUILT:
                raise Failure(f"{where} finds its cells with {piece.text.upper()}, so its rows cannot be sorted")
            area = self._own(piece, self.sheet)
            if area is None:
                continue
            if area.top == area.bottom == row:
                self._ensure_within(area, where, piece)
                start = formula.index(piece.text, piece.start)
                found += [formula[at:start], _DIGITS.sub(str(self.places[row]), piece.text)]
                at = start + len(piece.text)
            elif self._is_torn(area):
                raise Failure(f"{where} refers to {piece.text}, another row. Sorting would change its result")
        return "".join([*found, formula[at:]])

    def _ensure_within(self, area: Area, where: str, piece: FormulaPiece) -> None:
        left, right = self.columns
        if not left <= area.left <= area.right <= right:
            raise Failure(
                f"{where} refers to {piece.text}, beside the cells to be sorted. Sorting would change its result"
            )

    def ensure_outside(
        self, formulas: Iterable[tuple[int, int, str]], sheet: str, where: Callable[[int, int], str]
    ) -> None:
        """Raises `Failure` for a formula outside the rows that refers to single rows of them. `formulas` are those of
        a sheet: row, column, text without the equals sign; `where` names a cell of it.
        """
        for row, column, formula in formulas:
            if self.holds(sheet, row, column):
                continue
            for piece in pieces_of(formula):
                area = self._own(piece, sheet)
                if area is not None and self._is_torn(area):
                    raise Failure(
                        f"{where(row, column)} refers to {piece.text}, single rows. Sorting would change its result"
                    )

    def ensure_names(self, names: Iterable[tuple[str, str, Area]]) -> None:
        """Raises `Failure` for a defined name of single rows; each comes with its sheet and range."""
        for name, sheet, area in names:
            if fold(sheet) in self._names and self._is_torn(area):
                raise Failure(
                    f'the name "{name}" refers to {area}, some of the rows to be sorted, and would refer to other cells'
                )

    def holds(self, sheet: str, row: int, column: int) -> bool:
        """Whether a cell is among those that are sorted."""
        left, right = self.columns
        return fold(sheet) in self._names and row in self.places and left <= column <= right

    def _own(self, piece: FormulaPiece, sheet: str) -> Area | None:
        """The range that a piece of a formula refers to, where it meets the cells that are sorted."""
        if piece.sort != "range" or piece.sheet.startswith("["):
            return None
        named = piece.sheet or sheet
        if ":" not in named and fold(named) not in self._names:
            return None
        area = area_at(piece.text)
        return area if area is not None and area.meets(self._all) else None

    def _is_torn(self, area: Area) -> bool:
        """Whether a range has some of the rows in it, and not others."""
        if area.top <= self._all.top and area.bottom >= self._all.bottom:
            return False
        return any(area.top <= row <= area.bottom for row in self.places)


#: Rows of totals below the records, at most; where more look like that, each row adds up those above it.
_MOST_TOTALS = 6


def totals_below(rows: Sequence[int], formulas: Callable[[int], Iterable[str]], sheet: str) -> set[int]:
    """The last of some rows, as far as each has a formula over all the rows that are left then; `formulas` gives those
    of a row.
    """
    limit = min(_MOST_TOTALS, (len(rows) + 1) // 2)
    areas = {row: list(_ranges(formulas(row), sheet)) for row in rows[-limit:]}
    counts = [
        count
        for count in range(1, limit + 1)
        if count < len(rows)
        and all(
            any(area.top <= rows[0] and rows[-count - 1] <= area.bottom < row for area in areas[row])
            for row in rows[-count:]
        )
    ]
    return set(rows[-counts[-1] :]) if counts and counts[-1] < limit else set()


def _ranges(formulas: Iterable[str], sheet: str) -> Iterator[Area]:
    """The ranges of their own sheet that formulas refer to."""
    for formula in formulas:
        for piece in pieces_of(formula):
            if piece.sort == "range" and ":" in piece.text and (not piece.sheet or fold(piece.sheet) == fold(sheet)):
                area = area_at(piece.text)
                if area is not None:
                    yield area
