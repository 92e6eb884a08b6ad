"""Rows and columns of an open sheet that go, come or change places, and the values that go with them."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence

from scrub.formats.arranged import Arranged
from scrub.formats.overlay import place_of
from scrub.formats.shift import SheetShift
from scrub.model.cells.grid import ColumnValues
from scrub.model.core.area import MOST_COLUMNS, MOST_ROWS, Area, letters_of, new_line
from scrub.model.core.change import Undo
from scrub.model.core.problem import Failure
from scrub.model.core.values import Value


class LineChanges:
    """The rows and the columns of a sheet as they should be; until it is saved, they keep their numbers."""

    def __init__(self) -> None:
        self.rows = Arranged(MOST_ROWS)
        self.columns = Arranged(MOST_COLUMNS)
        self.gone_rows = self.rows.gone
        self.gone_columns = self.columns.gone
        self._taken: dict[int, list[tuple[ColumnValues, Value]]] = {}  # the values of these rows, taken from columns
        self._taken_columns: dict[int, list[tuple[ColumnValues, dict[int, object]]]] = {}

    def __bool__(self) -> bool:
        """Whether lines go, come or change places."""
        return bool(self.rows) or bool(self.columns)

    def of(self, is_row: bool) -> Arranged:
        """Its rows or its columns."""
        return self.rows if is_row else self.columns

    def shift(self) -> SheetShift:
        """What becomes of each line."""
        return SheetShift(self.rows.shift(), self.columns.shift())

    # -- what goes

    def hide_in(self, found: ColumnValues, column: int) -> None:
        """Takes the values of what goes out of those of a column."""
        for row in self.gone_rows:
            if row in found:
                self._taken.setdefault(row, []).append((found, found.pop(row)))
        if column in self.gone_columns:
            self._take_column(found, column)

    def delete_row(self, row: int, live: Iterable[ColumnValues]) -> Undo:
        """Takes a row out, and out of the columns that somebody holds; returns how to undo it."""
        again = self.rows.delete(row)
        self._taken[row] = [(values, values.pop(row)) for values in list(live) if row in values]
        self._changed(row)

        def back() -> None:
            again()
            for each, value in self._taken.get(row, ()):
                each[row] = value
            self._changed(row)
            del self._taken[row]

        return back

    def _changed(self, row: int) -> None:
        for live, _ in self._taken[row]:
            live.version += 1

    def delete_column(self, column: int, live: ColumnValues | None) -> Undo:
        """Takes a column out; returns how to undo it. `live` are its values, which somebody may hold."""
        again = self.columns.delete(column)
        self._taken_columns[column] = []
        if live is not None:
            self._take_column(live, column)

        def back() -> None:
            again()
            for held, values in self._taken_columns.pop(column):
                held.update(values)
                held.version += 1

        return back

    def _take_column(self, live: ColumnValues, column: int) -> None:
        self._taken_columns.setdefault(column, []).append((live, dict(live)))
        live.clear()
        live.version += 1

    # -- what stays

    def ensure_there(self, row: int, column: int, where: Callable[[int, int], str]) -> None:
        """Raises `Failure` for a cell outside the sheet, or of a row or column that was deleted."""
        inside = 1 <= row <= MOST_ROWS and 1 <= column <= MOST_COLUMNS
        if inside and not self.gone_rows and not self.gone_columns:
            return
        if not self.rows.holds(row) or not self.columns.holds(column):
            with_it = "row" if not self.rows.holds(row) else "column"
            said = f"{where(row, column)} was deleted in a line above, with its {with_it}"
            known = inside or row in self._taken or column in self._taken_columns
            failure = Failure(said if known else f"row {row}, column {column} is outside the sheet")
            failure.placed = known
            raise failure

    def kept_rows(self, rows: Sequence[int]) -> Sequence[int]:
        """Those of some rows that stay; new ones have no place yet."""
        return [row for row in rows if row not in self.gone_rows and row <= MOST_ROWS] if self else rows

    def kept_places(self, places: Sequence[tuple[int, int]]) -> Sequence[tuple[int, int]]:
        """Those of some cells that stay."""
        return [place for place in places if self._stays(*place)] if self else places

    def _stays(self, row: int, column: int) -> bool:
        is_placed = row <= MOST_ROWS and column <= MOST_COLUMNS
        return is_placed and row not in self.gone_rows and column not in self.gone_columns

    @staticmethod
    def is_placed(key: int) -> bool:
        """Whether a cell has a place: new lines have none before the file is saved."""
        row, column = place_of(key)
        return row <= MOST_ROWS and column <= MOST_COLUMNS

    def without_gone(self, area: Area) -> Area | None:
        """A range without the lines at its ends that go; None for none."""
        rows = _trimmed(area.top, area.bottom, self.gone_rows)
        columns = _trimmed(area.left, area.right, self.gone_columns)
        return Area(rows[0], columns[0], rows[1], columns[1]) if rows and columns else None


def _trimmed(first: int, last: int, gone: set[int]) -> tuple[int, int] | None:
    while last >= first and last in gone:
        last -= 1
    while first <= last and first in gone:
        first += 1
    return (first, last) if first <= last else None


def line_name(line: int, is_row: bool) -> str:
    """How a person calls a row or a column."""
    if is_row:
        return new_line(line, MOST_ROWS) or f"row {line}"
    return new_line(line, MOST_COLUMNS) or f"column {letters_of(line)}"
