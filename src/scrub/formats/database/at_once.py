"""Rows that are found by a condition and changed alike: read, and looked at, a column at a time."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from itertools import compress
from operator import itemgetter

from scrub.formats.database.engine import Engine, Layout
from scrub.formats.database.row_changes import Key
from scrub.formats.database.values import Column, fitted
from scrub.formats.database.where import Where
from scrub.model.cells.grid import CellError
from scrub.model.core.problem import Failure
from scrub.model.core.values import Value


class FoundRows:
    """Some columns of rows for which a condition certainly holds."""

    def __init__(self, keys: Sequence[Key], values: Sequence[tuple[object, ...]], places: Mapping[str, int]) -> None:
        self.keys, self.values, self.places = keys, values, places

    def __len__(self) -> int:
        return len(self.keys)

    def column(self, name: str) -> list[object]:
        """What is in one of the columns."""
        return list(map(itemgetter(self.places[name]), self.values))


def rows_found(engine: Engine, layout: Layout, names: Sequence[str], where: Where | None) -> FoundRows | None:
    """The rows; None where there is one for which the macro has to test the condition itself."""
    width, end = len(layout.key), len(layout.key) + len(names)
    found = list(engine.rows(layout, names, (), where))
    if where is not None and not all(map(itemgetter(end), found)):
        return None
    places = {name: place for place, name in enumerate(names)}
    return FoundRows([row[:width] for row in found], [row[width:end] for row in found], places)


class NewValues:
    """What is put into one column, in rows of which each has its number: only where it is something else."""

    def __init__(self, keys: Sequence[Key], before: Sequence[object], after: Sequence[object]) -> None:
        self.keys, self.before, self.after = keys, before, after
        self.picked: Sequence[bool] | None = None  # which of the rows; None for all

    def pick(self, picked: Sequence[bool]) -> None:
        """Leaves the others as they are."""
        if not all(picked):
            self.picked = picked
            self.keys = list(compress(self.keys, picked))
            self.before, self.after = (list(compress(each, picked)) for each in (self.before, self.after))


#: Types of which two values of the database are two to a macro exactly if they are unlike.
_PLAIN = frozenset((str, type(None)))


def new_values(
    column: Column,
    read: Callable[[object], Value],
    keys: Sequence[Key],
    before: Sequence[object],
    given: Sequence[Value],
) -> NewValues | None:
    """What is put into a column, given for each row, or once for all; None where a value does not fit, or one that is
    there cannot be read.
    """
    try:
        after = [fitted(column, value) for value in given]
    except Failure:
        return None
    if len(after) == 1:
        after *= len(keys)
    result = NewValues(keys, before, after)
    if set(map(type, before)) | set(map(type, after)) <= _PLAIN:
        result.pick([old != new for old, new in zip(before, after, strict=True)])
        return result
    picked = []
    for old, new in zip(map(read, before), map(read, after), strict=True):
        if type(old) is CellError:
            return None
        picked.append(type(old) is not type(new) or old != new)
    result.pick(picked)
    return result
