"""What all formats of sheets have in common: the values that were changed, over those that are stored."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from functools import lru_cache
from typing import Any
from weakref import WeakValueDictionary

from scrub.model.area import Area
from scrub.model.grid import ColumnValues, Trouble, settle, texts_to_edit
from scrub.model.problem import Failure
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
        self._taken: dict[int, list[tuple[ColumnValues, Value]]] = {}  # the values of these rows, taken out of columns
        self.gone: set[int] = set()  # rows that go when the file is saved; until then the others keep their numbers

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
        for row in self.gone:
            if row in found:
                self._taken.setdefault(row, []).append((found, found.pop(row)))
        return found

    # -- rows that go

    def is_gone(self, row: int) -> bool:
        """Whether a row was deleted in this run."""
        return row in self.gone

    def ensure_row_goes(self, row: int) -> None:
        """Raises `Failure` for a row that cannot be deleted."""

    def delete_row(self, row: int) -> None:
        """Takes a row out when the file is saved; what refers to the others follows them."""
        self.ensure_row_goes(row)
        used = self.used() or Area(row, 1, row, 1)
        values = (
            settle(self.raw_value(row, column)) for column in range(used.left, min(used.right, used.left + 12) + 1)
        )
        said = " | ".join("" if isinstance(each, Trouble) else shown(each) for each in values).strip(" |")
        self.gone.add(row)
        self._taken[row] = [(live, live.pop(row)) for live in list(self.live.values()) if row in live]
        self._shape_changed(row)

        def back() -> None:
            self.gone.discard(row)
            for live, value in self._taken.get(row, ()):
                live[row] = value
            self._shape_changed(row)
            del self._taken[row]

        said = f"row {row} deleted" + (f": {said}" if said else "")
        self.changed("deleted", False, True, back, said, (f"row {row}",))

    def _shape_changed(self, row: int) -> None:
        for live, _ in self._taken[row]:
            live.version += 1
        self._grown = None
        self.row_changed(row)

    # -- rows in another order

    def order_rows(self, rows: Sequence[int], left: int, right: int) -> Callable[[], None]:
        """Puts what stands in some rows, from one column to another, into an order: their places are filled from above
        with the rows as they come. Gives what takes that back.
        """
        moves = [(place, row) for place, row in zip(sorted(rows), rows, strict=True) if place != row]
        for place, _ in moves:
            self.ensure_row_moves(place, left, right)
        backs: list[Callable[[], None]] = []
        for column in range(left, right + 1):
            self._order_column(column, moves, backs)

        def back() -> None:
            for each in reversed(backs):
                each()

        return back

    def ensure_row_moves(self, row: int, left: int, right: int) -> None:
        """Raises `Failure` for a row whose cells cannot change places with those of others."""

    def _order_column(self, column: int, moves: Sequence[tuple[int, int]], backs: list[Callable[[], None]]) -> None:
        """Moves the values of a column, as `change` would, all together."""
        values, held, low = self.column_values(column), self.values, column - 1
        seen = {row: self._moved_value(row, column, values.get(row)) for _, row in moves}
        fresh = [
            (place << 14 | low, place, seen[row], seen[place])
            for place, row in moves
            if type(seen[row]) is not type(seen[place]) or seen[row] != seen[place]
        ]
        former = {key: held[key] for key, *_ in fresh if key in held}
        for key, place, value, before in fresh:
            if key not in former:
                self.first[key] = before
            held[key] = value
            _show(values, place, value)
        self._moved(values, moves)

        def back() -> None:
            for key, place, _, before in fresh:
                del held[key]
                _show(values, place, before)
            held.update(former)
            self._moved(values, moves)

        backs.append(back)

    def _moved(self, values: ColumnValues, moves: Sequence[tuple[int, int]]) -> None:
        values.version += 1
        self._grown = None
        for place, _ in moves[:1]:
            self.row_changed(place)

    def _moved_value(self, row: int, column: int, value: Value) -> Value:
        """A value on its way to another row."""
        if isinstance(value, Trouble):
            raise value.failure()
        return value

    def _kept_rows(self, rows: Sequence[int]) -> list[int]:
        """Those of some rows that stay."""
        return [row for row in rows if row not in self.gone]

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

    def ensure_there(self, row: int, column: int) -> None:
        """Raises `Failure` for a cell of a row that was deleted."""
        if row in self.gone:
            failure = Failure(f"{self.where(row, column)} was deleted above, with its row")
            failure.placed = True
            raise failure

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
            found = stored if grown == _NOWHERE else grown
        else:
            found = spanned(spanned(stored, grown.top, grown.left), grown.bottom, grown.right)
        return self._without_gone(found) if self.gone and found is not None else found

    def _without_gone(self, area: Area) -> Area | None:
        """A range without the rows at its ends that go."""
        top, bottom = area.top, area.bottom
        while bottom >= top and bottom in self.gone:
            bottom -= 1
        while top <= bottom and top in self.gone:
            top += 1
        return area._replace(top=top, bottom=bottom) if top <= bottom else None


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
    _show(values, row, value)


def _show(values: ColumnValues, row: int, value: Value) -> None:
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
