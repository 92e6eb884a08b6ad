"""Changes of rows of one table: one by one, or in arrays where many rows are changed alike."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from itertools import repeat
from operator import is_, itemgetter
from typing import Any, overload

from scrub.formats.database.packed import packed, packed_column, unpacked, unpacked_column
from scrub.model.core.memory import LongList
from scrub.model.core.named import NamedTuple

#: What tells a row from the others of its table: the values of its key.
Key = tuple[object, ...]


class RowChange(NamedTuple):
    """A row: its expected and its new values. None where the row does not exist, before or after."""

    key: Key | None  # None for one that gets its key from the database
    old: tuple[object, ...] | None
    new: tuple[object, ...] | None


class Group(NamedTuple):
    """Changes of rows of one table in the same columns: all of them rows that come, that go, or that stay."""

    table: str
    columns: tuple[str, ...]
    rows: Sequence[RowChange]
    #: Columns that were read and stay, and what was in them in each row: that must be so still.
    read: tuple[str, ...] = ()
    seen: Sequence[tuple[object, ...]] = ()


class RowValues(Sequence[tuple[object, ...]]):
    """Values of many rows, kept by their columns."""

    def __init__(self, columns: Sequence[Sequence[object]]) -> None:
        self.columns = columns

    def __len__(self) -> int:
        return len(self.columns[0]) if self.columns else 0

    def __iter__(self) -> Iterator[tuple[object, ...]]:
        return zip(*self.columns, strict=True)

    @overload
    def __getitem__(self, place: int) -> tuple[object, ...]: ...
    @overload
    def __getitem__(self, place: slice) -> RowValues: ...
    def __getitem__(self, place: int | slice) -> tuple[object, ...] | RowValues:
        if isinstance(place, slice):
            return RowValues([column[place] for column in self.columns])
        return tuple([column[place] for column in self.columns])

    def kept(self) -> list[object]:
        """As undo data have them: a column that is the same all the way down has its value once."""
        return [{"every": packed(column[:1])} if is_one(column) else packed_column(column) for column in self.columns]

    @classmethod
    def of(cls, kept: Any, count: int) -> RowValues:
        """What was kept. Raises `ValueError` or `TypeError` for what is damaged."""
        columns: list[Sequence[object]] = []
        for each in kept:
            every = each.get("every") if isinstance(each, dict) else None
            columns.append(unpacked_column(each, count) if every is None else (unpacked(every) or ()) * count)
        if any(len(column) != count for column in columns):
            raise ValueError("columns of several lengths")
        return cls(columns)


def key_columns(keys: Sequence[Key]) -> list[Sequence[object]]:
    """Keys by their columns."""
    return [LongList(map(itemgetter(place), keys)) for place in range(len(keys[0]) if keys else 0)]


def is_one(column: Sequence[object]) -> bool:
    """Whether the very same value is all the way down."""
    return all(map(is_, column, repeat(column[0] if column else None)))


class RowColumns(Sequence[RowChange]):
    """Changes of many rows, in arrays. None for the values of rows that come or go, where they do not exist."""

    def __init__(self, keys: Sequence[Key], old: RowValues | None, new: RowValues | None) -> None:
        self.keys, self.old, self.new = keys, old, new

    def __len__(self) -> int:
        return len(self.keys)

    @overload
    def __getitem__(self, place: int) -> RowChange: ...
    @overload
    def __getitem__(self, place: slice) -> RowColumns: ...
    def __getitem__(self, place: int | slice) -> RowChange | RowColumns:
        old, new = self.old, self.new
        if isinstance(place, slice):
            return RowColumns(
                self.keys[place], None if old is None else old[place], None if new is None else new[place]
            )
        return RowChange(self.keys[place], None if old is None else old[place], None if new is None else new[place])

    def backward(self) -> RowColumns:
        """The changes that undo them, the last first."""
        turned = self[::-1]
        return RowColumns(turned.keys, turned.new, turned.old)

    def kept(self) -> list[object]:
        """As undo data have them."""
        keys = RowValues(key_columns(self.keys))
        return [len(self), keys.kept(), *(None if side is None else side.kept() for side in (self.old, self.new))]

    @classmethod
    def of(cls, kept: Any) -> RowColumns:
        """What was kept. Raises `ValueError` or `TypeError` for what is damaged."""
        count, *parts = kept
        keys, old, new = (None if part is None else RowValues.of(part, count) for part in parts)
        if keys is None or (old is None and new is None):
            raise ValueError("rows without keys, or that are nowhere")
        return cls(list(keys), old, new)


class Backward(Sequence[RowChange]):
    """What takes changes of rows back, the last first; each is made as it is asked for."""

    def __init__(self, rows: Sequence[RowChange]) -> None:
        self._rows = rows

    def __len__(self) -> int:
        return len(self._rows)

    @overload
    def __getitem__(self, place: int) -> RowChange: ...
    @overload
    def __getitem__(self, place: slice) -> list[RowChange]: ...
    def __getitem__(self, place: int | slice) -> RowChange | list[RowChange]:
        if isinstance(place, slice):
            return [self[each] for each in range(*place.indices(len(self)))]
        key, old, new = self._rows[~place]
        return RowChange(key, new, old)
