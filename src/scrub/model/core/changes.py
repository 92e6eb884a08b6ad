"""What was changed in a file, as it is listed, stored and undone.

A run can make a hundred thousand changes of one field: an object for each would take more room than the file, so they
are kept in arrays, and somebody who looks at one gets an object for that one.
"""

from __future__ import annotations

import operator
from array import array
from bisect import bisect_right
from collections import Counter
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from decimal import Decimal
from itertools import accumulate, compress, repeat
from typing import Any, overload

from scrub.model.core.area import Area
from scrub.model.core.change import VALUE, Change, Where, plain
from scrub.model.core.memory import LongList


class ChangeColumn(Sequence[Change]):
    """Changes of one field, one after another, in arrays: of cells of one sheet, or of what has a label in one place.

    `rows` and `columns` are those of cells, else `labels` has what is between the place and the field.
    """

    def __init__(
        self,
        place: str,
        field: str,
        before: Sequence[object],
        after: Sequence[object],
        labels: Sequence[str] = (),
        cells: tuple[array[int], array[int]] | None = None,
        told: Callable[[object], object] | None = None,
        said: Sequence[str] = (),
    ) -> None:
        """`told` makes what is listed of a value on either side; None where that was done. `said` is how each change is
        told, where the two sides do not say it.
        """
        self.place, self.field, self.said = place, field, said
        self._labels, self.cells = labels, cells
        self._values, self._told = (before, after), told

    @property
    def sides(self) -> tuple[Sequence[str], Sequence[str]]:
        """What was there, and what is, as texts."""
        if self._told is not None:
            before, after = (_texts(values, self._told) for values in self._values)
            self._values, self._told = (before, after), None
        return self._values  # type: ignore[return-value]

    def __len__(self) -> int:
        return len(self._values[0])

    def at(self, number: int) -> Where:
        """Where the change of a number was made."""
        if self.cells is None:
            return self.place, self._labels[number]
        row, column = self.cells[0][number], self.cells[1][number]
        return self.place, Area(row, column, row, column)

    @overload
    def __getitem__(self, number: int) -> Change: ...
    @overload
    def __getitem__(self, number: slice) -> list[Change]: ...
    def __getitem__(self, number: int | slice) -> Change | list[Change]:
        if isinstance(number, slice):
            return [self[each] for each in range(*number.indices(len(self)))]
        before, after = self.sides
        said = self.said[number] if self.said else ""
        return Change(self.at(number), self.field, before[number], after[number], said)

    def differing(self) -> Sequence[object] | None:
        """Which of them read differently on their two sides; None for all of them."""
        before, after = self._values
        if set(map(type, before)) | set(map(type, after)) <= _DISTINCT and not any(map(operator.eq, before, after)):
            return None
        found = bytearray(map(operator.ne, *self.sides))
        return None if all(found) else found

    def picked(self, wanted: Sequence[object]) -> ChangeColumn:
        """Some of them."""
        labels = LongList(compress(self._labels, wanted)) if self.cells is None else ()
        cells = None if self.cells is None else _both(array("I", compress(each, wanted)) for each in self.cells)
        before, after = (LongList(compress(side, wanted)) for side in self.sides)
        said = LongList(compress(self.said, wanted)) if self.said else ()
        return ChangeColumn(self.place, self.field, before, after, labels, cells, None, said)

    def by_column(self) -> dict[int, ChangeColumn]:
        """Those of each column of a sheet; 0 where they are not of cells."""
        if self.cells is None:
            return {0: self}
        found = dict.fromkeys(self.cells[1])
        if len(found) == 1:
            return dict.fromkeys(found, self)
        return {column: self.picked([each == column for each in self.cells[1]]) for column in found}

    @property
    def first(self) -> Change:
        """The one that is first as people read."""
        rows = self.cells[0] if self.cells is not None else None
        return self[0 if rows is None else rows.index(min(rows))]

    def kept(self) -> dict[str, object]:
        """As the history keeps them; `of` brings them back."""
        found: dict[str, object] = {"place": self.place, "field": self.field}
        if self.cells is None:
            found["labels"] = self._labels
        else:
            found["rows"], found["columns"] = self.cells[0].tolist(), _short(self.cells[1].tolist())
        if self.said:
            found["said"] = self.said
        before, after = self.sides
        return {**found, "before": _short(before), "after": _short(after)}

    @classmethod
    def of(cls, kept: Mapping[str, Any]) -> ChangeColumn:
        """What the history kept; see `Changes.of`."""
        count = len(kept["labels"] if "labels" in kept else kept["rows"])
        before, after = (_long(kept[word], count) for word in ("before", "after"))
        labels, said = kept.get("labels", ()), kept.get("said", ())
        _ensure_texts(kept["place"], kept["field"], *before, *after, *labels, *said)
        cells = None
        if "rows" in kept:
            cells = array("I", kept["rows"]), array("I", _long(kept["columns"], count))
        wrong = (said and len(said) != count) or (cells is not None and len(cells[1]) != count)
        if wrong or {len(before), len(after)} != {count}:
            raise ValueError("columns of changes of several lengths")
        return cls(kept["place"], kept["field"], before, after, labels, cells, None, said)


#: Types of which equal values read the same.
_EQUAL = frozenset((Decimal, type(None)))
#: Types whose values read differently unless they are equal.
_DISTINCT = frozenset((str, type(None), bool))


def _both(parts: Iterable[array[int]]) -> tuple[array[int], array[int]]:
    one, other = parts
    return one, other


def _is_one(values: Sequence[object]) -> bool:
    """Whether all values are the very same."""
    return not values or all(map(operator.is_, values, repeat(values[0])))


def _texts(values: Sequence[object], told: Callable[[object], object]) -> Sequence[str]:
    if values and _is_one(values):
        return [plain(told(values[0]))] * len(values)
    if set(map(type, values)) <= _EQUAL:
        known = {value: plain(told(value)) for value in set(values)}
        return LongList(map(known.__getitem__, values))
    return LongList(each if type(each) is str else plain(each) for each in map(told, values))


def _short(values: Sequence[object]) -> object:
    """A column as JSON has it: once where it is the same all the way down."""
    one = len(values) > 1 and all(map(operator.eq, values, repeat(values[0])))
    return {"every": values[0]} if one else values


def _long(kept: Any, count: int) -> list[Any]:
    if isinstance(kept, dict):
        return [kept["every"]] * count
    if not isinstance(kept, list):
        raise TypeError("changes are kept in columns")
    return kept


def _ensure_texts(*values: object) -> None:
    if not all(isinstance(value, str) for value in values):
        raise TypeError("a change is told in texts")


class ChangeBlock(Sequence[Change]):
    """Columns of changes, and in which of them each change is, in the order in which they were made."""

    def __init__(self, columns: Sequence[ChangeColumn], order: array[int] | None = None) -> None:
        """`order` has the numbers of the columns; None where there is one."""
        self.columns, self._order = columns, order

    @classmethod
    def differing(cls, columns: Sequence[ChangeColumn], order: array[int] | None) -> ChangeBlock:
        """One without the changes that read the same on both sides."""
        picks = [column.differing() for column in columns]
        if not any(pick is not None for pick in picks):
            return cls(columns, order)
        whole = [[True] * len(column) if pick is None else pick for column, pick in zip(columns, picks, strict=True)]
        kept = [column.picked(pick) for column, pick in zip(columns, whole, strict=True)]
        if order is not None:
            wanted = list(map(iter, whole))
            order = array("H", [each for each in order if next(wanted[each])])
        return cls(kept, order)

    def __len__(self) -> int:
        return sum(map(len, self.columns))

    def __iter__(self) -> Iterator[Change]:
        if self._order is None:
            yield from (self.columns[0][number] for number in range(len(self)))
            return
        places = [iter(range(len(column))) for column in self.columns]
        for each in self._order:
            yield self.columns[each][next(places[each])]

    @overload
    def __getitem__(self, number: int) -> Change: ...
    @overload
    def __getitem__(self, number: slice) -> list[Change]: ...
    def __getitem__(self, number: int | slice) -> Change | list[Change]:
        if isinstance(number, slice):
            return [self[each] for each in range(*number.indices(len(self)))]
        if self._order is None:
            return self.columns[0][number]
        which = self._order[number]
        return self.columns[which][self._order[:number].count(which)]

    @property
    def places(self) -> Iterator[str]:
        """The outermost place of each."""
        return (place for column in self.columns for place in repeat(column.place, len(column)))

    def kept(self) -> dict[str, object]:
        """As the history keeps them."""
        order = [] if self._order is None else self._order.tolist()
        return {"fields": [column.kept() for column in self.columns], "order": order}

    @classmethod
    def of(cls, kept: Mapping[str, Any]) -> ChangeBlock:
        """What the history kept. See `Changes.of`."""
        columns = [ChangeColumn.of(each) for each in kept["fields"]]
        order = array("H", kept["order"]) if kept["order"] or len(columns) != 1 else None
        if order is not None and [order.count(at) for at in range(len(columns))] != list(map(len, columns)):
            raise ValueError("an order of other columns")
        return cls(columns, order)


class _Listed(Sequence[Change]):
    """Changes of any sort."""

    __slots__ = ("_after", "_before", "_columns", "_fields", "_places", "_rows", "_said")

    def __init__(self) -> None:
        self._places: list[str | Where] = []  # of one cell the sheet, of anything else where it is
        self._rows = array("I")  # of one cell its row, of anything else 0
        self._columns = array("I")
        self._fields: list[str] = []
        self._before: list[object] = []
        self._after: list[object] = []
        self._said: list[str] = []

    def append(self, change: Change) -> None:
        """Puts one after the others."""
        at = change.at
        cell = at[1] if len(at) == 2 and type(at[0]) is str else None
        if type(cell) is Area and cell[:2] == cell[2:]:
            self._places.append(str(at[0]))
            self._rows.append(cell.top)
            self._columns.append(cell.left)
        else:
            self._places.append(at)
            self._rows.append(0)
            self._columns.append(0)
        self._fields.append(change.field)
        self._said.append(change.said)
        self._before.append(change.before)
        self._after.append(change.after)

    def append_value(self, sheet: str, row: int, column: int, before: object, after: object) -> None:
        """Adds the changed value of a cell; there can be a hundred thousand."""
        self._places.append(sheet)
        self._rows.append(row)
        self._columns.append(column)
        self._fields.append(VALUE)
        self._said.append("")
        self._before.append(before)
        self._after.append(after)

    def __len__(self) -> int:
        return len(self._places)

    @overload
    def __getitem__(self, number: int) -> Change: ...
    @overload
    def __getitem__(self, number: slice) -> list[Change]: ...
    def __getitem__(self, number: int | slice) -> Change | list[Change]:
        if isinstance(number, slice):
            return [self[each] for each in range(*number.indices(len(self)))]
        place, row = self._places[number], self._rows[number]
        if isinstance(place, str):
            column = self._columns[number]
            place = (place, Area(row, column, row, column))
        return Change(place, self._fields[number], self._before[number], self._after[number], self._said[number])

    def __iter__(self) -> Iterator[Change]:
        sides = zip(self._before, self._after, strict=True)
        every = zip(self._places, self._rows, self._columns, self._fields, sides, self._said, strict=True)
        for place, row, column, field, (before, after), said in every:
            at = (place, Area(row, column, row, column)) if isinstance(place, str) else place
            yield Change(at, field, before, after, said)

    @property
    def places(self) -> Iterator[str]:
        """The outermost place of each."""
        return (place if isinstance(place, str) else str(place[0]) if place else "" for place in self._places)

    def kept(self) -> dict[str, object]:
        """The changes as the history keeps them; `of` brings them back."""
        return {
            "places": self._places,
            "rows": self._rows.tolist(),
            "columns": self._columns.tolist(),
            "fields": self._fields if set(self._fields) - {VALUE} else [],
            "before": list(map(plain, self._before)),
            "after": list(map(plain, self._after)),
            "said": self._said if any(self._said) else [],
        }

    @classmethod
    def of(cls, kept: Mapping[str, Any]) -> _Listed:
        """What the history kept; see `Changes.of`."""
        changes = cls()
        columns = [kept[word] for word in ("places", "rows", "columns", "before", "after")]
        columns += [kept["fields"] or [VALUE] * len(columns[0]), kept["said"] or [""] * len(columns[0])]
        for place, row, column, before, after, field, said in zip(*columns, strict=True):
            if isinstance(place, str):
                at: Where = (place, Area(row, column, row, column))
            else:
                at = tuple(each if isinstance(each, str) else Area(*each) for each in place)
            _ensure_texts(field, before, after, said)
            changes.append(Change(at, field, before, after, said))
        return changes


class Changes(Sequence[Change]):
    """Changes in their order."""

    __slots__ = ("_parts", "_starts")

    def __init__(self) -> None:
        self._parts: list[_Listed | ChangeBlock] = []
        self._starts: list[int] | None = None  # the number of the first change of each part; None until it is asked for

    def _repr_html_(self) -> str:
        """The first ones, for notebooks."""
        from scrub.model.core import html

        rows = (
            [each.place, each.said or each.what, *(["", ""] if each.said else [plain(each.before), plain(each.after)])]
            for each in self
        )
        return html.table(["Place", "What", "Before", "After"], rows, len(self))

    @property
    def parts(self) -> Sequence[Sequence[Change]]:
        """Those that are kept alike, in their order; a `ChangeBlock` knows them by their fields."""
        return self._parts

    def _last(self) -> _Listed:
        self._starts = None
        last = self._parts[-1] if self._parts else None
        if not isinstance(last, _Listed):
            last = _Listed()
            self._parts.append(last)
        return last

    def append(self, change: Change) -> None:
        """Puts one after the others."""
        self._last().append(change)

    def append_value(self, sheet: str, row: int, column: int, before: object, after: object) -> None:
        """Adds the changed value of a cell; there can be a hundred thousand."""
        self._last().append_value(sheet, row, column, before, after)

    def append_block(self, block: ChangeBlock) -> None:
        """Puts those of some fields after the others."""
        if len(block):
            self._starts = None
            self._parts.append(block)

    def __len__(self) -> int:
        return sum(map(len, self._parts))

    @overload
    def __getitem__(self, number: int) -> Change: ...
    @overload
    def __getitem__(self, number: slice) -> list[Change]: ...
    def __getitem__(self, number: int | slice) -> Change | list[Change]:
        if isinstance(number, slice):
            return [self[each] for each in range(*number.indices(len(self)))]
        if self._starts is None:
            self._starts = [0, *accumulate(map(len, self._parts))]
        number += len(self) if number < 0 else 0
        if not 0 <= number < len(self):
            raise IndexError(number)
        part = bisect_right(self._starts, number) - 1
        return self._parts[part][number - self._starts[part]]

    def __iter__(self) -> Iterator[Change]:
        for part in self._parts:
            yield from part

    @property
    def places(self) -> Iterator[str]:
        """The outermost place of each."""
        return (place for part in self._parts for place in part.places)

    def place_counts(self) -> Mapping[str, int]:
        """The outermost places, each with how many changes it has."""
        found: Counter[str] = Counter()
        for part in self._parts:
            if isinstance(part, ChangeBlock):
                for column in part.columns:
                    found[column.place] += len(column)
            else:
                found.update(part.places)
        return found

    def __eq__(self, other: object) -> bool:
        return isinstance(other, Sequence) and list(self) == list(other)

    def __repr__(self) -> str:
        return repr(list(self))

    def kept(self) -> dict[str, object]:
        """The changes as the history keeps them; `of` brings them back."""
        if not self._parts:
            return _Listed().kept()
        return self._parts[0].kept() if len(self._parts) == 1 else {"parts": [part.kept() for part in self._parts]}

    @staticmethod
    def count_of(kept: Mapping[str, Any]) -> int:
        """How many changes the history kept, without making any."""
        return sum(
            sum(len(column["labels"] if "labels" in column else column["rows"]) for column in part["fields"])
            if "order" in part
            else len(part["places"])
            for part in kept.get("parts", [kept])
        )

    @classmethod
    def of(cls, kept: Mapping[str, Any]) -> Changes:
        """What the history kept. Raises `TypeError`, `KeyError`, `ValueError`, `OverflowError` or `IndexError` for what
        is damaged.
        """
        if not isinstance(kept, Mapping):
            raise TypeError("changes are kept in columns")
        changes = cls()
        for part in kept.get("parts", [kept]):
            changes._parts.append(ChangeBlock.of(part) if "order" in part else _Listed.of(part))
        return changes
