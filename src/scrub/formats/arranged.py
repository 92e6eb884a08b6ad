"""The rows and columns of an open sheet that go, come or change places: they keep their numbers until it is saved."""

from __future__ import annotations

from collections.abc import Iterator

from scrub.formats.shift import Shift
from scrub.model.core.area import MOST_COLUMNS, MOST_ROWS
from scrub.model.core.change import Undo
from scrub.model.core.problem import Failure

#: New columns that can be distinguished from others while they have no place yet.
_MOST_NEW = {MOST_COLUMNS: 1_000, MOST_ROWS: MOST_ROWS}


class Arranged:
    """The lines of one sheet, of one kind, as they should be."""

    def __init__(self, most: int) -> None:
        self.most = most
        self.gone: set[int] = set()
        self._put: dict[int, list[int]] = {}
        self._before: dict[int, int] = {}  # the line before which each line is put that has no place of its own
        self._made = most

    def __bool__(self) -> bool:
        return bool(self.gone or self._before)

    def is_new(self, line: int) -> bool:
        """Whether a line was made in this run, and is not gone again."""
        return line > self.most and line in self._before

    def holds(self, line: int) -> bool:
        """Whether there is such a line."""
        return (1 <= line <= self.most and line not in self.gone) or self.is_new(line)

    @property
    def new(self) -> Iterator[int]:
        """The lines that were made in this run."""
        return (line for line in self._before if line > self.most)

    def shift(self) -> Shift:
        """What becomes of each line."""
        return Shift(self.gone, self._put, self.most)

    def place(self, line: int) -> int:
        """The line of the file before which a line comes: itself, unless it was made or moved in this run."""
        return self._before.get(line, line)

    def moved_into(self, first: int, last: int) -> list[int]:
        """The lines from elsewhere, or made in this run, that come among those from one to another."""
        return [
            line
            for before, lines in self._put.items()
            if first < before <= last
            for line in lines
            if not first <= line <= last
        ]

    def first_kept(self, first: int, last: int) -> int:
        """The first line from one to another that was not deleted; 0 if all were."""
        return next((line for line in range(first, last + 1) if line not in self.gone), 0)

    def touched_in(self, first: int, last: int) -> int:
        """A line of a range that goes, or at which others come or leave; 0 for none."""
        if not self:
            return 0
        found = (line for line in (*self.gone, *self._before) if first <= line <= last)
        line = next(found, 0)
        return line or next((before for before, lines in self._put.items() if lines and first < before <= last), 0)

    def insert(self, line: int, behind: bool) -> tuple[int, Undo]:
        """Makes a line before another one, or after it; gives its number for now, and how to undo it."""
        if self._made - self.most >= _MOST_NEW[self.most]:
            raise Failure(f"a run can make at most {_MOST_NEW[self.most]:,} new columns")
        self._made += 1
        fresh = self._made
        self._place(fresh, line, behind)
        return fresh, lambda: self._displace(fresh)

    def move(self, line: int, to: int, behind: bool) -> Undo:
        """Puts a line before another one, or after it; returns how to undo it."""
        former = self._former(line)
        self._displace(line)
        self._place(line, to, behind)

        def back() -> None:
            self._displace(line)
            former()

        return back

    def delete(self, line: int) -> Undo:
        """Takes a line out; returns how to undo it."""
        former = self._former(line)
        self._displace(line)
        if line <= self.most:
            self.gone.add(line)

        def back() -> None:
            self.gone.discard(line)
            former()

        return back

    def _former(self, line: int) -> Undo:
        """What puts a line where it is now, once it was displaced."""
        before = self._before.get(line)
        if before is None:
            return lambda: None
        at = self._put[before].index(line)

        def again() -> None:
            self._put[before].insert(at, line)
            self._before[line] = before

        return again

    def _place(self, line: int, other: int, behind: bool) -> None:
        before = self._before.get(other)
        if before is not None:  # the other one has no place of its own either
            lines = self._put[before]
            lines.insert(lines.index(other) + behind, line)
        else:
            before = other + behind
            lines = self._put.setdefault(before, [])
            lines.insert(0 if behind else len(lines), line)
        self._before[line] = before

    def _displace(self, line: int) -> None:
        before = self._before.pop(line, None)
        if before is not None:
            self._put[before].remove(line)
