"""What all formats of sheets have in common: the values that were changed, over those that are stored."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from functools import lru_cache
from typing import Any
from weakref import WeakValueDictionary

from scrub.model.area import Area
from scrub.model.grid import ColumnValues, texts_to_edit
from scrub.model.progress import over
from scrub.model.sheet import Sheet
from scrub.model.text import Edit, Editing
from scrub.model.values import Value, shown

#: What stands for "no value was changed here", where nothing is a value.
UNCHANGED = object()
#: Takes the changes of a column that nobody has read yet.
NOBODYS = ColumnValues()


class OpenSheet(Sheet):
    """Cells as they should be. A key is row and column in one number."""

    def __init__(self) -> None:
        super().__init__()
        self.values: dict[int, Value] = {}
        self.first: dict[int, Value] = {}  # what stood in the cells that were changed
        self.live: WeakValueDictionary[int, ColumnValues] = WeakValueDictionary()
        self._grown: Area | None = None  # what the changed values span; None when all must be looked at
        self._since: list[int] = []  # keys that were changed since then

    @staticmethod
    def key(row: int, column: int) -> int:
        """Row and column in one number."""
        return row << 14 | column - 1

    @staticmethod
    def place(key: int) -> tuple[int, int]:
        """Row and column of a key."""
        return key >> 14, (key & 0x3FFF) + 1

    def with_changes(self, found: ColumnValues, column: int) -> ColumnValues:
        """The stored values of a column with those that were changed."""
        for key, value in self.values.items():
            if (key & 0x3FFF) + 1 == column:
                keep(found, key >> 14, value)
        return found

    def change(self, key: int, value: Value, column_values: ColumnValues, before: Value) -> Value:
        """Changes a value; gives what `restore` takes to undo that. `before` is the value that is seen so far."""
        former = self.values.get(key, UNCHANGED)
        if former is UNCHANGED:
            self.first[key] = before
        self.values[key] = value
        keep(column_values, key >> 14, value)
        if value is None:
            self._grown = None
        else:
            self._since.append(key)
        if self._known_table is not None:
            self.row_changed(key >> 14)
        return former

    def restore(self, key: int, former: Value, before: Value) -> None:
        """Takes one change back; `before` is the value that was seen."""
        row, column = self.place(key)
        put_back(self.values, key, former)
        self._grown = None
        live = self.live.get(column)
        if live is not None:
            keep(live, row, before)
        self.row_changed(row)

    def went_back(self, key: int) -> bool:
        """Whether a changed value is again what it was at first, to the letter."""
        value, first = self.values.get(key, UNCHANGED), self.first.get(key, UNCHANGED)
        return type(value) is type(first) and bool(value == first)

    def forget_there_and_back(self) -> None:
        """Lets go of the values that were changed and changed back: they are no change."""
        for key in [key for key in self.values if self.went_back(key)]:
            self.let_go(key)

    def let_go(self, key: int) -> None:
        """Forgets one changed value."""
        del self.values[key]

    def texts_of(self, column: int) -> Mapping[int, str]:
        """The texts of a column by row."""
        return {row: text for row, text in self.column_values(column).items() if type(text) is str}

    def edit_text(self, row: int, column: int, text: str, edits: Sequence[Edit]) -> None:
        """Edits one text, where it may be."""
        raise NotImplementedError

    def edit_area(self, area: Area, editing: Editing) -> None:
        """Edits every text in a range; formulas, numbers and headings of tables are passed by."""
        used = self.used()
        if used is None:
            return
        area = area.within(used)
        known: dict[str, Sequence[Edit]] = {}
        for column in over(range(area.left, area.right + 1)):
            for row, text, edits in texts_to_edit(self.texts_of(column), area, editing, known):
                self.edit_text(row, column, text, edits)
        if self.values:
            self.note_headings()

    def spanning(self, stored: Area | None) -> Area | None:
        """The range of what is stored, made wide enough for what was changed."""
        grown, keys = self._grown, self._since
        if grown is None:
            grown, keys = _NOWHERE, [key for key, value in self.values.items() if value is not None]
        for key in keys:
            grown = spanned(grown, *self.place(key))
        self._grown, self._since = grown, []
        if stored is None or grown == _NOWHERE:
            return stored if grown == _NOWHERE else grown
        return spanned(spanned(stored, grown.top, grown.left), grown.bottom, grown.right)


_NOWHERE = Area(0, 0, 0, 0)


def spanned(area: Area, row: int, column: int) -> Area:
    """A range made wide enough for a cell."""
    if area == _NOWHERE:
        return Area(row, column, row, column)
    if area.holds(row, column):
        return area
    return Area(min(area.top, row), min(area.left, column), max(area.bottom, row), max(area.right, column))


def keep(values: ColumnValues, row: int, value: Value) -> None:
    """Notes a changed value of a column."""
    if values is NOBODYS:
        return
    values.version += 1
    if value is None:
        values.pop(row, None)
    else:
        values[row] = value


def put_back(kept: dict[int, Any], key: int, former: Any) -> None:
    """Gives a place its former value, or none."""
    if former is UNCHANGED:
        kept.pop(key, None)
    else:
        kept[key] = former


@lru_cache(maxsize=512)
def _quoted(text: str) -> str:
    return f'"{text}"'


def told(value: Value) -> Any:
    """A value as the list of changes shows it; texts between quotes."""
    if type(value) is str:
        return _quoted(value)
    return value if value is None else shown(value)
