"""Rows that are found by a condition and changed alike: read, and looked at, a column at a time."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from datetime import date
from decimal import Decimal
from itertools import compress, islice
from operator import itemgetter, ne

from scrub.formats.database.engine import Engine, Layout
from scrub.formats.database.row_changes import Key
from scrub.formats.database.values import Column, Sort, fitted
from scrub.formats.database.where import Where
from scrub.model.cells.grid import CellError
from scrub.model.core.memory import LongList
from scrub.model.core.values import Value

#: Rows that are looked at together.
_SOME = 5_000


class FoundRows:
    """Some columns of rows for which a condition certainly holds."""

    def __init__(self, keys: Sequence[Key], values: Sequence[tuple[object, ...]], places: Mapping[str, int]) -> None:
        self.keys, self.values, self.places = keys, values, places

    def __len__(self) -> int:
        return len(self.keys)

    def column(self, name: str) -> Sequence[object]:
        """What is in one of the columns."""
        return LongList(map(itemgetter(self.places[name]), self.values))


def rows_found(engine: Engine, layout: Layout, names: Sequence[str], where: Where | None) -> FoundRows | None:
    """The rows; None where there is one for which the macro has to test the condition itself."""
    width, end = len(layout.key), len(layout.key) + len(names)
    keys: LongList[Key] = LongList()
    values: LongList[tuple[object, ...]] = LongList()
    rows = engine.rows(layout, names, (), where)
    while some := list(islice(rows, _SOME)):
        if where is not None and not all(map(itemgetter(end), some)):
            return None
        keys.extend([row[:width] for row in some])
        values.extend([row[width:end] for row in some])
    return FoundRows(keys, values, {name: place for place, name in enumerate(names)})


class NewValues:
    """What is put into one column, and into which rows: those in which it is something else."""

    def __init__(self, keys: Sequence[Key], before: Sequence[object], after: Sequence[object]) -> None:
        self.keys, self.before, self.after = keys, before, after
        self.picked: Sequence[object] | None = None  # which of the rows; None for all

    def pick(self, picked: Sequence[object]) -> None:
        """Leaves the others as they are."""
        if not all(picked):
            self.picked = picked
            self.keys = LongList(compress(self.keys, picked))
            self.before, self.after = (LongList(compress(each, picked)) for each in (self.before, self.after))


def made_values(
    found: FoundRows,
    sources: Sequence[tuple[str, Callable[[object], Value]]],
    make: Callable[[Sequence[Value]], Value],
    column: Column,
) -> Sequence[object]:
    """What is put into a column, made of what is in others: once for rows in which these are the same. Raises `Failure`
    where it cannot be made, or does not fit.
    """
    known: dict[tuple[object, ...], object] = {}
    result: LongList[object] = LongList()
    marks = zip(*(_marks(found.column(name)) for name, _ in sources), strict=True)
    for number, mark in enumerate(marks):
        if mark not in known:
            row = found.values[number]
            known[mark] = fitted(column, make([read(row[found.places[name]]) for name, read in sources]))
        result.append(known[mark])
    return result


def read_once(values: Sequence[object], read: Callable[[object], str]) -> Sequence[str]:
    """What is read of each value, found once for those that are the same."""
    known: dict[object, str] = {}
    marks = _marks(values)
    for mark, value in zip(marks, values, strict=True):
        if mark not in known:
            known[mark] = read(value)
    return LongList(map(known.__getitem__, marks))


def _marks(values: Sequence[object]) -> Sequence[object]:
    """What tells values apart that are not the same all through: 1.0 and 1.00 are equal and are not."""
    kinds = set(map(type, values))
    if kinds <= {str, type(None), date}:
        return values
    return [(type(value), str(value)) for value in values] if len(kinds) > 1 else list(map(str, values))


#: Types, in sets: two values of one set differ for a macro exactly if they differ in the database.
_UNLIKE = (frozenset((str, int, type(None))), frozenset((str, Decimal, type(None))))
_MOMENTS = (Sort.DATE, Sort.MOMENT, Sort.TIME)


def new_values(
    column: Column,
    read: Callable[[object], Value],
    keys: Sequence[Key],
    before: Sequence[object],
    after: Sequence[object],
) -> NewValues | None:
    """What is put into a column; None where something that is there cannot be read."""
    result = NewValues(keys, before, after)
    kinds = set(map(type, before)) | set(map(type, after))
    finite = Decimal not in kinds or all(value.is_finite() for value in before if isinstance(value, Decimal))
    if column.sort not in _MOMENTS and finite and any(kinds <= each for each in _UNLIKE):
        result.pick(bytearray(map(ne, before, after)))
        return result
    picked = bytearray()
    for old, new in zip(map(read, before), map(read, after), strict=True):
        if type(old) is CellError:
            return None
        picked.append(type(old) is not type(new) or old != new)
    result.pick(picked)
    return result
