"""Results of formulas as a list of changes shows them: made when somebody looks at one."""

from __future__ import annotations

from bisect import bisect_right
from collections.abc import Callable, Sequence
from itertools import accumulate
from typing import overload

from scrub.formulas.calculation import Held, Lost
from scrub.formulas.values import ErrorValue, number_text
from scrub.model.core.area import Area
from scrub.model.core.change import VALUE, Change
from scrub.model.core.named import NamedTuple


class ResultColumn(NamedTuple):
    """Results of one column that became others, by rows; `Lost` for one that cannot be calculated."""

    sheet: int
    column: int
    rows: Sequence[int]
    before: Sequence[Held]
    after: Sequence[Held]


class ToldResults(Sequence[Change]):
    """The results of a run as changes."""

    def __init__(self, columns: Sequence[ResultColumn], name: Callable[[int], str]) -> None:
        """`name` gives that of a sheet by its number."""
        self._columns = columns
        self._name = name
        self._ends = list(accumulate(len(column.rows) for column in columns))

    def __len__(self) -> int:
        return self._ends[-1] if self._ends else 0

    @overload
    def __getitem__(self, place: int) -> Change: ...
    @overload
    def __getitem__(self, place: slice) -> Sequence[Change]: ...
    def __getitem__(self, place: int | slice) -> Change | Sequence[Change]:
        if isinstance(place, slice):
            return [self[at] for at in range(*place.indices(len(self)))]
        if not -len(self) <= place < len(self):
            raise IndexError(place)
        place %= len(self)
        at = bisect_right(self._ends, place)
        of = self._columns[at]
        within = place - (self._ends[at - 1] if at else 0)
        row = of.rows[within]
        where = (self._name(of.sheet), Area(row, of.column, row, of.column))
        return Change(where, VALUE, told(of.before[within]), told(of.after[within]))


def told(value: Held) -> str:
    """A result as a person reads it."""
    if isinstance(value, Lost):
        return "no result"
    if isinstance(value, bool):
        return "yes" if value else "no"
    if isinstance(value, str):
        return f'"{value}"'
    if isinstance(value, ErrorValue):
        return value.code
    return number_text(value) if isinstance(value, float) else "no result"
