"""What all formats of sheets have in common: the values that were changed, over those that are stored."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Callable, Mapping, Sequence
from functools import lru_cache
from typing import Any
from weakref import WeakValueDictionary

from scrub.formats.arranged import Arranged
from scrub.model.area import MOST_COLUMNS, MOST_ROWS, Area, letters_of, new_line
from scrub.model.cell_fields import CellFields
from scrub.model.declare import default_of
from scrub.model.grid import ColumnValues, Trouble, settle, texts_to_edit
from scrub.model.problem import Failure
from scrub.model.progress import over
from scrub.model.required import required
from scrub.model.sheet import Sheet
from scrub.model.text import Edit, Editing
from scrub.model.values import Value, shown

#: What means "no value was changed here", where nothing is a value.
UNCHANGED = object()
#: Takes the changes of a column that nobody has read yet.
NOBODYS = ColumnValues()


class OpenSheet(Sheet):
    """Cells as they should be. A key is row and column in one number."""

    def __init__(self) -> None:
        super().__init__()
        self._values: dict[int, Value] = {}
        self.first: dict[int, Value] = {}  # what was in the cells that were changed
        self.live: WeakValueDictionary[int, ColumnValues] = WeakValueDictionary()
        self._grown: Area | None = None  # what the changed values span; None when all must be looked at
        self._since: list[int] = []  # keys that were changed since then
        #: The keys that were ever changed, by column, and those that are still to be put there: a column that is read
        #: after many changes of others must not look at them all.
        self._changed_in: defaultdict[int, list[int]] = defaultdict(list)
        self.to_sort: list[int] = []
        self._taken: dict[int, list[tuple[ColumnValues, Value]]] = {}  # the values of these rows, taken from columns
        self.rows = Arranged(MOST_ROWS)
        self.columns = Arranged(MOST_COLUMNS)
        self.gone = self.rows.gone  # rows that go when the file is saved; until then the others keep their numbers
        self._taken_columns: dict[int, list[tuple[ColumnValues, dict[int, Any]]]] = {}

    def look(self, row: int, column: int, word: str) -> Any:
        """How a cell looks; in a format without looks, as the field declares it."""
        return default_of(CellFields, word)

    @property
    def values(self) -> dict[int, Value]:
        """The values that were changed, by key."""
        return self._values

    @property
    def has_values(self) -> bool:
        """Whether any value was changed."""
        return bool(self._values)

    @staticmethod
    def key(row: int, column: int) -> int:
        """Row and column in one number."""
        return row << 15 | column - 1

    @staticmethod
    def place(key: int) -> tuple[int, int]:
        """Row and column of a key."""
        return key >> 15, (key & 0x7FFF) + 1

    def with_changes(self, found: ColumnValues, column: int) -> ColumnValues:
        """The stored values of a column with those that were changed."""
        values, changed = self.values, self._changed_in
        for key in self.to_sort:
            changed[key & 0x7FFF].append(key)
        self.to_sort.clear()
        for key in changed.get(column - 1, ()):
            if key in values:
                keep(found, key >> 15, values[key])
        for row in self.gone:
            if row in found:
                self._taken.setdefault(row, []).append((found, found.pop(row)))
        if column in self.columns.gone:
            self._take_column(found, column)
        return found

    # -- lines that go, come or change places

    @property
    def shaped(self) -> bool:
        """Whether lines go, come or change places."""
        return bool(self.rows) or bool(self.columns)

    def lines(self, is_row: bool) -> Arranged:
        """Its rows or its columns."""
        return self.rows if is_row else self.columns

    def where(self, row: int, column: int) -> str:
        """How a person names a cell of it; new lines have no number yet."""
        if row <= MOST_ROWS and column <= MOST_COLUMNS:
            return super().where(row, column)
        return f"{self.name} {Area(row, column, row, column)}"

    def is_gone(self, row: int) -> bool:
        """Whether a row was deleted in this run."""
        return not self.rows.holds(row)

    def is_column_gone(self, column: int) -> bool:
        """Whether a column was deleted in this run."""
        return not self.columns.holds(column)

    def ensure_line_moves(self, line: int, is_row: bool) -> None:
        """Raises `Failure` for a line that can neither go nor change its place, or at which none can come."""

    def insert_line(self, line: int, is_row: bool, behind: bool) -> int:
        """Makes a row or a column before another one, or after it, which looks like that one; gives its number for the
        time being.
        """
        self.ensure_line_moves(line, is_row)
        fresh, back = self.lines(is_row).insert(line, behind)
        self._shape_changed()
        unlike = self.look_like_line(fresh, line, is_row)

        def revert() -> None:
            unlike()
            back()
            self._shape_changed(back=True)

        side = ("below" if behind else "above") if is_row else "right of" if behind else "left of"
        called = line_name(fresh, is_row)
        self.changed("made", False, True, revert, f"{called} {side} {line_name(line, is_row)}", (called,))
        return fresh

    def ensure_whole_after(self, is_row: bool) -> None:
        """Raises `Failure` where a line that was moved tears what belongs together."""

    def look_like_line(self, fresh: int, line: int, is_row: bool) -> Callable[[], None]:
        """Gives a new line the looks of another one; returns how to undo it."""
        return lambda: None

    def move_line(self, line: int, to: int, is_row: bool, behind: bool) -> None:
        """Puts a row or a column before another one, or after it."""
        self.ensure_line_moves(line, is_row)
        if to == line:
            return
        back = self.lines(is_row).move(line, to, behind)
        try:
            self.ensure_whole_after(is_row)
        except Failure:
            back()
            raise
        self._shape_changed()

        def revert() -> None:
            back()
            self._shape_changed(back=True)

        side = "behind" if behind else "before"
        called = line_name(line, is_row)
        self.changed("place", False, True, revert, f"{called} moved {side} {line_name(to, is_row)}", (called,))

    def delete_column(self, column: int) -> None:
        """Takes a column out when the file is saved; what refers to the others follows them."""
        self.ensure_line_moves(column, False)
        used = self.used()
        rows = range(used.top, min(used.bottom, used.top + 12) + 1) if used is not None else range(0)
        values = (settle(self.raw_value(row, column)) for row in rows)
        said = next((shown(each) for each in values if each is not None and not isinstance(each, Trouble)), "")
        back = self.columns.delete(column)
        self._taken_columns[column] = []
        live = self.live.get(column)
        if live is not None:
            self._take_column(live, column)
        self._shape_changed()

        def revert() -> None:
            back()
            for held, values in self._taken_columns.pop(column):
                held.update(values)
                held.version += 1
            self._shape_changed(back=True)

        called = line_name(column, False)
        self.changed("deleted", False, True, revert, f"{called} deleted" + (f": {said}" if said else ""), (called,))

    def _take_column(self, live: ColumnValues, column: int) -> None:
        """Empties the values of a column that goes, which somebody may hold."""
        self._taken_columns.setdefault(column, []).append((live, dict(live)))
        live.clear()
        live.version += 1

    def ensure_row_goes(self, row: int) -> None:
        """Raises `Failure` for a row that cannot be deleted."""
        self.ensure_line_moves(row, True)

    def delete_row(self, row: int) -> None:
        """Takes a row out when the file is saved; what refers to the others follows them."""
        self.ensure_row_goes(row)
        used = self.used() or Area(row, 1, row, 1)
        values = (
            settle(self.raw_value(row, column)) for column in range(used.left, min(used.right, used.left + 12) + 1)
        )
        said = " | ".join("" if isinstance(each, Trouble) else shown(each) for each in values).strip(" |")
        again = self.rows.delete(row)
        self._taken[row] = [(live, live.pop(row)) for live in list(self.live.values()) if row in live]
        self._row_taken(row)

        def back() -> None:
            again()
            for live, value in self._taken.get(row, ()):
                live[row] = value
            self._row_taken(row, back=True)
            del self._taken[row]

        called = line_name(row, True)
        self.changed("deleted", False, True, back, f"{called} deleted" + (f": {said}" if said else ""), (called,))

    def _row_taken(self, row: int, back: bool = False) -> None:
        for live, _ in self._taken[row]:
            live.version += 1
        self.row_changed(row)
        self._row_went(back)

    def _row_went(self, back: bool) -> None:
        """Is told of each row that goes, or comes back."""
        self._grown = None

    def _shape_changed(self, back: bool = False) -> None:
        """Is told when lines come or change places, or columns go; and when that is undone."""
        self._row_went(back)
        self._known_table = None
        self.heads = {}

    # -- rows in another order

    def order_rows(self, rows: Sequence[int], left: int, right: int) -> Callable[[], None]:
        """Puts what is in some rows, from one column to another, into an order: their places are filled from above
        with the rows as they come. Returns how to undo it.
        """
        moves = [(place, row) for place, row in zip(sorted(rows), rows, strict=True) if place != row]
        for place, _ in moves:
            self.ensure_row_moves(place, left, right)
        backs: list[Callable[[], None]] = []

        def back() -> None:
            for each in reversed(backs):
                each()

        try:
            for column in range(left, right + 1):
                self._order_column(column, moves, backs)
        except Failure:
            back()
            raise
        return back

    def ensure_row_moves(self, row: int, left: int, right: int) -> None:
        """Raises `Failure` for a row whose cells cannot change places with those of others."""

    def _order_column(self, column: int, moves: Sequence[tuple[int, int]], backs: list[Callable[[], None]]) -> None:
        """Moves the values of a column, as `change` would, all together."""
        values, held, low = self.column_values(column), self.values, column - 1
        seen = {row: self._moved_value(row, column, values.get(row)) for _, row in moves}
        fresh = [
            (place << 15 | low, place, seen[row], seen[place])
            for place, row in moves
            if type(seen[row]) is not type(seen[place]) or seen[row] != seen[place]
        ]
        former = {key: held[key] for key, *_ in fresh if key in held}
        for key, place, value, before in fresh:
            if key not in former:
                self.first[key] = before
                self.to_sort.append(key)
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
        """Those of some rows that stay; new ones have no place yet."""
        return [row for row in rows if row not in self.gone and row <= MOST_ROWS]

    def _kept_places(self, places: Sequence[tuple[int, int]]) -> list[tuple[int, int]]:
        """Those of some cells that stay."""
        return [
            (row, column)
            for row, column in places
            if row <= MOST_ROWS and column <= MOST_COLUMNS and row not in self.gone and column not in self.columns.gone
        ]

    def change(self, key: int, value: Value, column_values: ColumnValues, before: Value) -> Value:
        """Changes a value; gives what `restore` takes to undo that. `before` is the value that is seen so far."""
        values = self.values
        former = values.get(key, UNCHANGED)
        if former is UNCHANGED:
            self.first[key] = before
            self.to_sort.append(key)
        values[key] = value
        keep(column_values, key >> 15, value)
        if value is None:
            self._grown = None
        else:
            self._since.append(key)
        if self._known_table is not None:
            self.row_changed(key >> 15)
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
        """Lets go of the values that were changed and changed back: they are not change."""
        of, every = self.first.get, self._values.items()
        same = [key for key, value in every if type(was := of(key, UNCHANGED)) is type(value) and was == value]
        for key in same:
            self.let_go(key)

    def let_go(self, key: int) -> None:
        """Forgets one changed value."""
        del self._values[key]

    def texts_of(self, column: int) -> Mapping[int, str]:
        """The texts of a column by row."""
        return {row: text for row, text in self.column_values(column).items() if type(text) is str}

    def ensure_there(self, row: int, column: int) -> None:
        """Raises `Failure` for a cell outside the sheet, or of a row or column that was deleted."""
        inside = 1 <= row <= MOST_ROWS and 1 <= column <= MOST_COLUMNS
        if inside and not self.rows.gone and not self.columns.gone:
            return
        if not self.rows.holds(row) or not self.columns.holds(column):
            with_it = "row" if not self.rows.holds(row) else "column"
            said = f"{self.where(row, column)} was deleted in a line above, with its {with_it}"
            known = inside or row in self._taken or column in self._taken_columns
            failure = Failure(said if known else f"row {row}, column {column} is outside the sheet")
            failure.placed = known
            raise failure

    @required
    def edit_text(self, row: int, column: int, text: str, edits: Sequence[Edit]) -> None:
        """Edits one text, where it may be."""
        raise NotImplementedError

    def edit_area(self, area: Area, editing: Editing) -> None:
        """Edits every text in a range; formulas, numbers and headings of tables are passed by."""
        used = self.used()
        if used is None:
            return
        if area.top <= MOST_ROWS:  # a row without a number yet is beside all that is used
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
        shaped = self.shaped
        if shaped:
            keys = [key for key in keys if self._is_placed(key)]
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
        found = _around(stored, *grown) if stored and grown.bottom else grown if grown.bottom else stored
        return self._without_gone(found) if shaped and found is not None else found

    def row_grew(self, row: int, left: int, right: int) -> None:
        """Notes that the cells at both ends of a row hold something now, and none beyond them does."""
        grown = self._grown
        if grown is None or self._since:
            self._since += (self.key(row, left), self.key(row, right))
        else:
            self._grown = _around(grown, row, left, row, right) if grown.bottom else Area(row, left, row, right)

    def _is_placed(self, key: int) -> bool:
        """Whether a cell has a place: new lines have none before the file is saved."""
        row, column = self.place(key)
        return row <= MOST_ROWS and column <= MOST_COLUMNS

    def _without_gone(self, area: Area) -> Area | None:
        """A range without the lines at its ends that go."""
        rows = _trimmed(area.top, area.bottom, self.rows.gone)
        columns = _trimmed(area.left, area.right, self.columns.gone)
        return Area(rows[0], columns[0], rows[1], columns[1]) if rows and columns else None


_NOWHERE = Area(0, 0, 0, 0)


def _around(area: Area, top: int, left: int, bottom: int, right: int) -> Area:
    """The smallest range with both."""
    was_top, was_left, was_bottom, was_right = area
    return Area(
        top if top < was_top else was_top,
        left if left < was_left else was_left,
        bottom if bottom > was_bottom else was_bottom,
        right if right > was_right else was_right,
    )


def _trimmed(first: int, last: int, gone: set[int]) -> tuple[int, int] | None:
    while last >= first and last in gone:
        last -= 1
    while first <= last and first in gone:
        first += 1
    return (first, last) if first <= last else None


def line_name(line: int, is_row: bool) -> str:
    """How a person calls a row or a column."""
    if is_row:
        return new_line(line, MOST_ROWS) or f"row {line}"
    return new_line(line, MOST_COLUMNS) or f"column {letters_of(line)}"


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
    """Gives a place its earlier value, or none."""
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
