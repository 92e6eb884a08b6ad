"""What a run changed in the cells of one sheet, over what is stored."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Callable, Sequence
from typing import Any
from weakref import WeakValueDictionary

from scrub.model.cells.grid import ColumnValues
from scrub.model.core.area import MOST_COLUMNS, Area
from scrub.model.core.change import Undo
from scrub.model.core.values import Value

#: What means "no value was changed here", where nothing is a value.
UNCHANGED = object()
#: Takes the changes of a column that nobody has read yet.
NOBODYS = ColumnValues()
#: The range of nothing.
NOWHERE = Area(0, 0, 0, 0)


def key_of(row: int, column: int) -> int:
    """Row and column in one number."""
    return row << 15 | column - 1


def place_of(key: int) -> tuple[int, int]:
    """Row and column of a key."""
    return key >> 15, (key & 0x7FFF) + 1


class CellOverlay:
    """Values as they should be, each by its key, and the columns that somebody holds, which show them at once."""

    def __init__(self) -> None:
        self._values: dict[int, Value] = {}
        self.first: dict[int, Value] = {}  # what was in the cells that were changed
        self.live: WeakValueDictionary[int, ColumnValues] = WeakValueDictionary()
        self._grown: Area | None = None  # what the changed values span; None when all must be looked at
        self._since: list[int] = []  # keys that were changed since then
        #: The keys that were ever changed, by column, and those that are still to be put there: a column that is read
        #: after many changes of others must not look at them all.
        self._changed_in: defaultdict[int, list[int]] = defaultdict(list)
        self._to_sort: list[int] = []

    @property
    def values(self) -> dict[int, Value]:
        """The values that were changed, by key."""
        return self._values

    @property
    def has_values(self) -> bool:
        """Whether any value was changed."""
        return bool(self._values)

    # -- changing

    def change(self, key: int, value: Value, column_values: ColumnValues, before: Value) -> Value:
        """Changes a value; gives what `restore` takes to undo that. `before` is the value that is seen so far."""
        values = self.values
        former = values.get(key, UNCHANGED)
        if former is UNCHANGED:
            self.first[key] = before
            self._to_sort.append(key)
        values[key] = value
        keep(column_values, key >> 15, value)
        if value is None:
            self._grown = None
        else:
            self._since.append(key)
        return former

    def is_changed(self, column: int) -> bool:
        """Whether a value of a column was ever changed."""
        changed = self._changed_in
        for key in self._to_sort:
            changed[key & 0x7FFF].append(key)
        self._to_sort.clear()
        return (column - 1) in changed

    def change_many(
        self, keys: Sequence[int], values: Sequence[Value], before: Sequence[Value], column_values: ColumnValues | None
    ) -> None:
        """Changes values of one column that were not changed so far; none of them is nothing."""
        self.first.update(zip(keys, before, strict=True))
        self._values.update(zip(keys, values, strict=True))
        self._to_sort += keys
        self._since += keys
        if column_values is not None:
            column_values.update(zip((key >> 15 for key in keys), values, strict=True))
            column_values.version += len(keys)

    def restore(self, key: int, former: Value, before: Value) -> None:
        """Takes one change back; `before` is the value that was seen."""
        row, column = place_of(key)
        put_back(self.values, key, former)
        self._grown = None
        live = self.live.get(column)
        if live is not None:
            keep(live, row, before)

    def took(self, keys: Sequence[int]) -> None:
        """Is told of keys of values that were put at once."""
        self._to_sort += keys

    def reorder(
        self, values: ColumnValues, column: int, moves: Sequence[tuple[int, int]], moved: Callable[[int, Value], Value]
    ) -> Undo:
        """Moves the values of a column from row to row (place, row), as `change` would, all together; returns how to
        undo it. `moved` is a value on its way, which may fail.
        """
        held = self.values
        seen = {row: moved(row, values.get(row)) for _, row in moves}
        fresh = [
            (key_of(place, column), place, seen[row], seen[place])
            for place, row in moves
            if type(seen[row]) is not type(seen[place]) or seen[row] != seen[place]
        ]
        former = {key: held[key] for key, *_ in fresh if key in held}
        for key, place, value, before in fresh:
            if key not in former:
                self.first[key] = before
                self._to_sort.append(key)
            held[key] = value
            _show(values, place, value)
        values.version += 1
        self._grown = None

        def back() -> None:
            for key, place, _, before in fresh:
                del held[key]
                _show(values, place, before)
            held.update(former)
            values.version += 1
            self._grown = None

        return back

    # -- changes that were taken back

    def went_back(self, key: int) -> bool:
        """Whether a changed value is again what it was at first, to the letter."""
        value, first = self.values.get(key, UNCHANGED), self.first.get(key, UNCHANGED)
        return type(value) is type(first) and bool(value == first)

    def forget_there_and_back(self) -> None:
        """Forgets the values that were changed and changed back: they do not count as changes."""
        of, every = self.first.get, self._values.items()
        same = [key for key, value in every if type(was := of(key, UNCHANGED)) is type(value) and was == value]
        for key in same:
            self.let_go(key)

    def let_go(self, key: int) -> None:
        """Forgets one changed value."""
        del self._values[key]

    # -- reading

    def show_in(self, found: ColumnValues, column: int) -> None:
        """Puts the values that were changed into those of a column as they are stored."""
        values, changed = self.values, self._changed_in
        for key in self._to_sort:
            changed[key & 0x7FFF].append(key)
        self._to_sort.clear()
        for key in changed.get(column - 1, ()):
            if key in values:
                keep(found, key >> 15, values[key])

    def forget_span(self) -> None:
        """Is told when lines go, come or change places: what the changed values span is looked up again."""
        self._grown = None

    def row_grew(self, row: int, left: int, right: int) -> None:
        """Notes that the cells at both ends of a row hold something now, and none beyond them does."""
        grown = self._grown
        if grown is None or self._since:
            self._since += (key_of(row, left), key_of(row, right))
        else:
            self._grown = _around(grown, row, left, row, right) if grown.bottom else Area(row, left, row, right)

    def span(self, stored: Area | None, is_placed: Callable[[int], bool] | None) -> Area | None:
        """The range of what is stored, made wide enough for what was changed, as far as it has a place; None for
        nowhere. Without `is_placed`, all has.
        """
        grown, keys = self._grown, self._since
        if grown is None:
            grown, keys = NOWHERE, [key for key, value in self.values.items() if value is not None]
        if is_placed is not None:
            keys = [key for key in keys if is_placed(key)]
        if keys:
            top, left, bottom, right = grown if grown.bottom else (keys[0] >> 15, MOST_COLUMNS, 0, 0)
            for key in keys:
                row, column = key >> 15, (key & 0x7FFF) + 1
                top, left = min(top, row), min(left, column)
                bottom, right = max(bottom, row), max(right, column)
            grown = Area(top, left, bottom, right)
        self._grown = grown
        if self._since:
            self._since = []
        return _around(stored, *grown) if stored and grown.bottom else grown if grown.bottom else stored


def keep(values: ColumnValues, row: int, value: Value) -> None:
    """Notes a changed value of a column."""
    if values is NOBODYS:
        return
    values.version += 1
    _show(values, row, value)


def _show(values: ColumnValues, row: int, value: Value) -> None:
    if value is None:
        values.pop(row, None)
    else:
        values[row] = value


def put_back(kept: dict[int, Any], key: int, former: object) -> None:
    """Gives a place its earlier value, or none."""
    if former is UNCHANGED:
        kept.pop(key, None)
    else:
        kept[key] = former


def _around(area: Area, top: int, left: int, bottom: int, right: int) -> Area:
    """The smallest range with both."""
    was_top, was_left, was_bottom, was_right = area
    return Area(
        top if top < was_top else was_top,
        left if left < was_left else was_left,
        bottom if bottom > was_bottom else was_bottom,
        right if right > was_right else was_right,
    )
