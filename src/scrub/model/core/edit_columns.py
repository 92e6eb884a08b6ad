"""Changes of one field of many things that were just made, one after another, in arrays."""

from __future__ import annotations

from array import array
from collections.abc import Hashable, Sequence
from itertools import compress, islice, repeat
from operator import gt
from typing import Any

from scrub.model.core.changes import ChangeBlock, ChangeColumn
from scrub.model.core.edits import RecordedEdit
from scrub.model.core.required import required

#: What stands for "there was no other value of this run".
NONE_BEFORE = object()


class EditColumn:
    """Changes of one field: what was changed, and what it was before and after. `block` is in whose order they are."""

    __slots__ = ("after", "before", "block", "keys", "number")

    def __init__(self) -> None:
        self.keys: Any = []  # or an array of numbers
        self.before: Any = []
        self.after: Any = []
        self.block: EditBlock | None = None
        self.number = 0

    def note(self, key: Any, before: object, after: object) -> None:
        """Notes one more."""
        self.keys.append(key)
        self.before.append(before)
        self.after.append(after)
        block = self.block
        assert block is not None
        if block.order is not None:
            block.order.append(self.number)

    @property
    @required
    def within(self) -> Hashable:
        """In what they are changed; see `RecordedEdit.thing`."""
        raise NotImplementedError

    @required
    def edit(self, key: Any, before: object, after: object) -> RecordedEdit:
        """One of them by itself."""
        raise NotImplementedError

    @required
    def told(self, keys: Sequence[Any], before: Sequence[Any], after: Sequence[Any]) -> ChangeColumn:
        """They, or some of them, as they are listed."""
        raise NotImplementedError

    def net(self) -> ChangeColumn:
        """What they come to, each thing once."""
        keys = self.keys
        if not self.repeats():
            return self.told(keys, self.before, self.after)
        first: dict[Any, int] = {}
        last: dict[Any, int] = {}
        for place, key in enumerate(keys):
            first.setdefault(key, place)
            last[key] = place
        before, after = ([side[place] for place in places.values()] for side, places in self._sides(first, last))
        return self.told(list(first), before, after)

    def _sides(
        self, first: dict[Any, int], last: dict[Any, int]
    ) -> tuple[tuple[Sequence[Any], dict[Any, int]], tuple[Sequence[Any], dict[Any, int]]]:
        return (self.before, first), (self.after, {key: last[key] for key in first})

    def repeats(self) -> bool:
        """Whether something was changed several times."""
        return not _ascends(self.keys) and len(set(self.keys)) != len(self.keys)


def _ascends(keys: Sequence[Any]) -> bool:
    """Whether each key is greater than the one before it, as where rows are gone through by their keys."""
    try:
        return all(map(gt, islice(keys, 1, None), keys))
    except TypeError:  # of several types
        return False


class EditBlock:
    """Columns of changes that were made between two of another sort."""

    __slots__ = ("_edits", "columns", "order")

    def __init__(self) -> None:
        self.columns: list[EditColumn] = []
        self.order: array[int] | None = None  # the number of the column of each change, where there are several
        self._edits: dict[int, RecordedEdit] = {}  # those that somebody asked for: each is one object

    def __len__(self) -> int:
        if self.order is not None:
            return len(self.order)
        return len(self.columns[0].keys) if self.columns else 0

    def add(self, column: EditColumn) -> None:
        """Takes one more column."""
        if self.columns and self.order is None:
            self.order = array("H", bytes(2 * len(self)))
        column.block, column.number = self, len(self.columns)
        self.columns.append(column)

    def edits(self, start: int = 0) -> list[RecordedEdit]:
        """The changes from a number on, each by itself."""
        places = [iter(range(len(column.keys))) for column in self.columns]
        order = self.order if self.order is not None else bytes(len(self))
        found = []
        for number, which in enumerate(order):
            place, column = next(places[which]), self.columns[which]
            if number < start:
                continue
            edit = self._edits.get(number)
            if edit is None:
                edit = column.edit(column.keys[place], column.before[place], column.after[place])
                self._edits[number] = edit
            found.append(edit)
        return found

    def take_back(self, count: int) -> None:
        """Undoes the last changes, until so many are left."""
        for number in range(len(self) - 1, count - 1, -1):
            column = self.columns[self.order.pop() if self.order is not None else 0]
            key, before, after = column.keys.pop(), column.before.pop(), column.after.pop()
            self._edits.pop(number, None)
            column.edit(key, before, after).revert()

    def net(self) -> ChangeBlock | None:
        """What they come to, where nothing was changed several times; None where the order decides."""
        if len(self.columns) > 1 and any(column.repeats() for column in self.columns):
            return None
        return ChangeBlock.differing([column.net() for column in self.columns], self.order)


#: A column, what was changed in it, with what it was before and after, and in which of the turns; None for in each.
ManyEdits = tuple[EditColumn, Sequence[Any], Sequence[object], Sequence[object], "Sequence[object] | None"]


def note_in_turn(edits: Sequence[ManyEdits], turns: int) -> None:
    """Notes changes of columns of one block as if they had been made turn by turn, in each turn those of the first
    column first.
    """
    for column, keys, before, after, _ in edits:
        column.keys.extend(keys)
        column.before.extend(before)
        column.after.extend(after)
    first = edits[0][0]
    order = first.block.order if first.block is not None else None
    if order is None:
        return
    if len(edits) == 1:
        order.extend(repeat(first.number, len(edits[0][1])))
        return
    numbers = [column.number for column, *_ in edits]
    picks = [repeat(True, turns) if picked is None else picked for *_, picked in edits]
    for turn in zip(*picks, strict=True):
        order.extend(compress(numbers, turn))
