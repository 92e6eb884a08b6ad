"""Where the rows and columns of a sheet come to be when some go, come or change places.

Lines are rows or columns, by the numbers that they have in the file. One that comes has a number after the last that a
sheet can have until it gets its place.
"""

from __future__ import annotations

from bisect import bisect_left, bisect_right
from collections.abc import Iterable, Mapping, Sequence

from scrub.model.core.area import MOST_COLUMNS, MOST_ROWS, Area, letters_of
from scrub.model.core.named import NamedTuple
from scrub.model.core.problem import Failure


class Shift:
    """What becomes of the lines of one sheet, of one kind."""

    def __init__(
        self, gone: Iterable[int] = (), put: Mapping[int, Sequence[int]] | None = None, most: int = MOST_ROWS
    ) -> None:
        """`gone` are lines that go; `put` are those that come, or leave their place, by the line before which they are
        put, from the first to the last of them; `most` is the last line of a sheet.
        """
        self.gone = frozenset(gone)
        self.put = {before: tuple(lines) for before, lines in sorted((put or {}).items()) if lines}
        self.most = most
        moved = {line for lines in self.put.values() for line in lines}
        #: Lines that are nolonger where they were: those that go, and those that were put elsewhere.
        self._left = sorted(self.gone | {line for line in moved if line <= most})
        self._moved = sorted(line for line in moved if line <= most and line not in self.gone)
        self._marks = list(self.put)
        self._counts = [0]
        for lines in self.put.values():
            self._counts.append(self._counts[-1] + len(lines))
        self._placed: dict[int, int] = {}
        for before, lines in self.put.items():
            first = self._at(before) - len(lines)
            self._placed.update((line, first + place) for place, line in enumerate(lines))

    def __bool__(self) -> bool:
        return bool(self.gone or self.put)

    def is_new(self, line: int) -> bool:
        """Whether it is a line that was not there."""
        return line > self.most and line in self._placed

    def _at(self, line: int) -> int:
        """The new position of a line that stays between its neighbours."""
        return line - bisect_left(self._left, line) + self._counts[bisect_right(self._marks, line)]

    def place(self, line: int) -> int:
        """The new position of a line; 0 for a deleted one."""
        placed = self._placed.get(line)
        if placed is not None:
            return placed
        return 0 if line in self.gone else self._at(line)

    def nearest(self, line: int) -> int:
        """The new position of a line; for a deleted one, that of the line that takes its place."""
        placed = self._placed.get(line)
        return placed if placed is not None else max(1, self._at(line))

    def span(self, first: int, last: int) -> tuple[int, int] | None:
        """Where the lines from one to another come to be; None when all of them go.

        Lines that still are together are just these, in whatever order. Else what comes between them belongs to them
        from then on, and one of them that was put elsewhere no longer does. All lines of a sheet stay all. Raises
        `Failure` for lines that were all put to different places.
        """
        if first == 1 and last >= self.most:
            return first, last
        left = self._left[bisect_left(self._left, first) : bisect_right(self._left, last)]
        if len(left) == last - first + 1:  # none of them stays
            places = sorted(place for place in map(self.place, left) if place)
            if not places:
                return None
            if places[-1] - places[0] >= len(places):
                raise Failure(f"lines {first} to {last} belong together and would be separated")
            return places[0], places[-1]
        count, left_out = last - first + 1, set(left)
        while first in left_out:
            first += 1
        while last in left_out:
            last -= 1
        start, end = self._at(first), self.most if last == self.most else self._at(last)
        moved = [place for place in map(self.place, left) if place]
        if moved:
            least, most = min(start, *moved), max(end, *moved)
            if most - least + 1 == count - len(left) + len(moved):
                return least, most
        return start, end

    @property
    def moves(self) -> bool:
        """Whether lines that were there change places."""
        return bool(self._moved)

    def exchanges(self, first: int, last: int) -> bool:
        """Whether the lines from one to another come to be others, since a line was moved out of them or into them."""
        if first == last or (first == 1 and last >= self.most):
            return False
        span = self.span(first, last)
        return span is not None and any(
            (first <= line <= last) != (span[0] <= self._placed[line] <= span[1]) for line in self._moved
        )

    def leader(self, first: int, last: int) -> int:
        """Which of the lines from one to another is first afterwards; the first one if all of them are deleted."""
        found = self.span(first, last)
        if found is None:
            return first
        known = self._left[bisect_left(self._left, first) : bisect_right(self._left, last)]
        line = next((each for each in known if self.place(each) == found[0]), 0)
        if line:
            return line
        left_out = set(known)
        while first in left_out:
            first += 1
        return first

    def crosses(self, first: int, last: int) -> bool:
        """Whether anything happens among the lines from one to another, so that they are nolonger just these."""
        found = self.span(first, last)
        if found is None or found[1] - found[0] != last - first:
            return True
        return any(self.place(line) != found[0] + line - first for line in self._concerned(first, last))

    def _concerned(self, first: int, last: int) -> list[int]:
        """The lines of a range at which something may change."""
        left = self._left[bisect_left(self._left, first) : bisect_right(self._left, last)]
        marks = self._marks[bisect_left(self._marks, first) : bisect_right(self._marks, last)]
        return [first, *left, *marks, last]


class SheetShift(NamedTuple):
    """What becomes of the rows and the columns of one sheet."""

    rows: Shift
    columns: Shift

    def __bool__(self) -> bool:
        return bool(self.rows) or bool(self.columns)

    def area(self, area: Area) -> Area | None:
        """The new position of a range; None if all of it is deleted. Raises `Failure` if it would leave the sheet."""
        rows = self.rows.span(area.top, area.bottom) if self.rows else (area.top, area.bottom)
        columns = self.columns.span(area.left, area.right) if self.columns else (area.left, area.right)
        if rows is None or columns is None:
            return None
        self.ensure_inside(rows[1], columns[1])
        return Area(rows[0], columns[0], rows[1], columns[1])

    def cell(self, row: int, column: int) -> tuple[int, int] | None:
        """The new position of a cell; None if it is deleted."""
        row, column = self.rows.place(row), self.columns.place(column)
        return (row, column) if row and column else None

    @staticmethod
    def ensure_inside(row: int, column: int) -> None:
        """Raises `Failure` for a place outside every sheet."""
        if row > MOST_ROWS or column > MOST_COLUMNS:
            where = f"row {row:,}" if row > MOST_ROWS else f"column {letters_of(column)}"
            raise Failure(
                f"{where} would be needed, but a sheet ends at row {MOST_ROWS:,} and column {letters_of(MOST_COLUMNS)}"
            )


#: Nothing changes.
STILL = SheetShift(Shift(), Shift(most=MOST_COLUMNS))
