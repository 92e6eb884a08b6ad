"""What all formats of sheets have in common: the values that were changed, over those that are stored."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from functools import lru_cache
from itertools import compress

from scrub.formats.line_changes import LineChanges, line_name
from scrub.formats.overlay import CellOverlay, key_of
from scrub.model.cells.cell_fields import CellFields
from scrub.model.cells.grid import CellError, ColumnValues, resolve, texts_to_edit
from scrub.model.cells.sheet import Sheet
from scrub.model.core.area import MOST_COLUMNS, MOST_ROWS, Area
from scrub.model.core.change import Undo
from scrub.model.core.declare import default_of
from scrub.model.core.edit_columns import EditColumn, note_in_turn
from scrub.model.core.problem import Failure
from scrub.model.core.progress import over
from scrub.model.core.required import required
from scrub.model.core.text import Edit, Editing
from scrub.model.core.values import Value, shown


class OpenSheet(Sheet):
    """Cells as they should be: what is stored, an overlay of changed values over it, and lines that go, come or move.

    A format gives the stored values, through `with_changes` and `spanning`, and changes one with `change`.
    """

    def __init__(self, overlay: CellOverlay | None = None) -> None:
        super().__init__()
        self.overlay = overlay if overlay is not None else CellOverlay()
        self.line_changes = LineChanges()

    def look(self, row: int, column: int, word: str) -> object:
        """How a cell looks; in a format without looks, as the field declares it."""
        return default_of(CellFields, word)

    def styles_of(self, column: int) -> Callable[[int], object]:
        """The same for all cells; a format with looks tells them apart here too."""
        return lambda row: 0

    def where(self, row: int, column: int) -> str:
        """How a person names a cell of it; new lines have no number yet."""
        if row <= MOST_ROWS and column <= MOST_COLUMNS:
            return super().where(row, column)
        return f"{self.name} {Area(row, column, row, column)}"

    # -- what a format builds on

    def with_changes(self, found: ColumnValues, column: int) -> ColumnValues:
        """The stored values of a column with those that were changed."""
        self.overlay.show_in(found, column)
        self.line_changes.hide_in(found, column)
        return found

    def spanning(self, stored: Area | None) -> Area | None:
        """The range of what is stored, made wide enough for what was changed."""
        lines = self.line_changes
        if not lines:
            return self.overlay.span(stored, None)
        area = self.overlay.span(stored, lines.is_placed)
        return lines.without_gone(area) if area is not None else None

    def change(self, key: int, value: Value, column_values: ColumnValues, before: Value) -> Value:
        """Changes a value; gives what `restore` takes to undo that. `before` is the value that is seen so far."""
        former = self.overlay.change(key, value, column_values, before)
        if self._known_table is not None:
            self.row_changed(key >> 15)
        return former

    def _put_together(
        self,
        rows: Sequence[int],
        column: int,
        before: Sequence[Value],
        values: Sequence[Value],
        opened: Callable[[], EditColumn | None],
    ) -> bool:
        """Gives cells of a column in which nothing was changed other values, none of them nothing; tells whether any is
        another. `opened` gives the arrays that take them.
        """
        differs = bytearray(type(old) is not type(new) or old != new for old, new in zip(before, values, strict=True))
        keys = [key_of(row, column) for row in compress(rows, differs)]
        if not keys:
            return False
        was, now = list(compress(before, differs)), list(compress(values, differs))
        self.overlay.change_many(keys, now, was, self.overlay.live.get(column))
        puts = opened()
        assert puts is not None
        note_in_turn([(puts, keys, was, now, None)], len(keys))
        return True

    def restore(self, key: int, former: Value, before: Value) -> None:
        """Takes one change back; `before` is the value that was seen."""
        self.overlay.restore(key, former, before)
        self.row_changed(key >> 15)

    @required
    def edit_text(self, row: int, column: int, text: str, edits: Sequence[Edit]) -> None:
        """Edits one text, where it may be."""
        raise NotImplementedError

    # -- lines that go, come or change places

    def is_gone(self, row: int) -> bool:
        """Whether a row was deleted in this run."""
        return not self.line_changes.rows.holds(row)

    def deletion_test(self) -> Callable[[int], bool]:
        """The same of rows that are there now; without new ones a look into the deleted ones is enough."""
        rows = self.line_changes.rows
        return self.is_gone if any(rows.new) else rows.gone.__contains__

    def is_column_gone(self, column: int) -> bool:
        """Whether a column was deleted in this run."""
        return not self.line_changes.columns.holds(column)

    def is_cell_gone(self, row: int, column: int) -> bool:
        """Whether the row or the column of a cell was deleted in this run: asked of every cell that a loop visits."""
        lines = self.line_changes
        if row > MOST_ROWS or column > MOST_COLUMNS:
            return not (lines.rows.holds(row) and lines.columns.holds(column))
        return row in lines.gone_rows or column in lines.gone_columns

    def _ensure_line_moves(self, line: int, is_row: bool) -> None:
        """Raises `Failure` for a line that can neither go nor change its place, or at which none can come."""

    def insert_line(self, line: int, is_row: bool, behind: bool) -> int:
        """Makes a row or a column before another one, or after it, which looks like that one; gives its number for the
        time being.
        """
        self._ensure_line_moves(line, is_row)
        fresh, back = self.line_changes.of(is_row).insert(line, behind)
        self._shape_changed()
        unlike = self._look_like_line(fresh, line, is_row)

        def revert() -> None:
            unlike()
            back()
            self._shape_changed(back=True)

        side = ("below" if behind else "above") if is_row else "right of" if behind else "left of"
        called = line_name(fresh, is_row)
        self.changed("made", False, True, revert, f"{called} {side} {line_name(line, is_row)}", (called,))
        return fresh

    def _ensure_whole_after(self, is_row: bool) -> None:
        """Raises `Failure` where a line that was moved tears what belongs together."""

    def _look_like_line(self, fresh: int, line: int, is_row: bool) -> Undo:
        """Gives a new line the looks of another one; returns how to undo it."""
        return lambda: None

    def move_line(self, line: int, to: int, is_row: bool, behind: bool) -> None:
        """Puts a row or a column before another one, or after it."""
        self._ensure_line_moves(line, is_row)
        if to == line:
            return
        back = self.line_changes.of(is_row).move(line, to, behind)
        try:
            self._ensure_whole_after(is_row)
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
        self._ensure_line_moves(column, False)
        used = self.used()
        rows = range(used.top, min(used.bottom, used.top + 12) + 1) if used is not None else range(0)
        values = (resolve(self.raw_value(row, column)) for row in rows)
        said = next((shown(value) for value in values if value is not None and not isinstance(value, CellError)), "")
        back = self.line_changes.delete_column(column, self.overlay.live.get(column))
        self._shape_changed()

        def revert() -> None:
            back()
            self._shape_changed(back=True)

        called = line_name(column, False)
        self.changed("deleted", False, True, revert, f"{called} deleted" + (f": {said}" if said else ""), (called,))

    def _ensure_row_goes(self, row: int) -> None:
        """Raises `Failure` for a row that cannot be deleted."""
        self._ensure_line_moves(row, True)

    def delete_row(self, row: int) -> None:
        """Takes a row out when the file is saved; what refers to the others follows them."""
        self._ensure_row_goes(row)
        used = self.used() or Area(row, 1, row, 1)
        values = (
            resolve(self.raw_value(row, column)) for column in range(used.left, min(used.right, used.left + 12) + 1)
        )
        said = " | ".join("" if isinstance(value, CellError) else shown(value) for value in values).strip(" |")
        back = self.line_changes.delete_row(row, self.overlay.live.values())
        self.row_changed(row)
        self._row_went()

        def revert() -> None:
            back()
            self.row_changed(row)
            self._row_went(back=True)

        called = line_name(row, True)
        self.changed("deleted", False, True, revert, f"{called} deleted" + (f": {said}" if said else ""), (called,))

    def _row_went(self, back: bool = False) -> None:
        """Is told of each row that goes, or comes back."""
        self.overlay.forget_span()

    def _shape_changed(self, back: bool = False) -> None:
        """Is told when lines come or change places, or columns go; and when that is undone."""
        self._row_went(back)
        self._known_table = None
        self.heads = {}

    # -- rows in another order

    def order_rows(self, rows: Sequence[int], left: int, right: int) -> Undo:
        """Puts what is in some rows, from one column to another, into an order: their places are filled from above
        with the rows as they come. Returns how to undo it.
        """
        moves = [(place, row) for place, row in zip(sorted(rows), rows, strict=True) if place != row]
        for place, _ in moves:
            self._ensure_row_moves(place, left, right)
        backs: list[Undo] = []

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

    def _ensure_row_moves(self, row: int, left: int, right: int) -> None:
        """Raises `Failure` for a row whose cells cannot change places with those of others."""

    def _order_column(self, column: int, moves: Sequence[tuple[int, int]], backs: list[Undo]) -> None:
        """Moves the values of a column from row to row; adds how to undo it to the others."""
        values = self.column_values(column)
        back = self.overlay.reorder(values, column, moves, lambda row, value: self._moved_value(row, column, value))
        self._rows_moved(moves)

        def revert() -> None:
            back()
            self._rows_moved(moves)

        backs.append(revert)

    def _rows_moved(self, moves: Sequence[tuple[int, int]]) -> None:
        for place, _ in moves[:1]:
            self.row_changed(place)

    def _moved_value(self, row: int, column: int, value: Value) -> Value:
        """A value on its way to another row."""
        if isinstance(value, CellError):
            raise value.failure()
        return value

    # -- texts

    def _texts_of(self, column: int) -> Mapping[int, str]:
        """The texts of a column by row."""
        return {row: text for row, text in self.column_values(column).items() if type(text) is str}

    def edit_area(self, area: Area, editing: Editing) -> None:
        """Edits every text in a range; formulas, numbers and headings of tables are passed by."""
        used = self.used()
        if used is None:
            return
        if area.top <= MOST_ROWS:  # a row without a number yet is beside all that is used
            area = area.within(used)
        known: dict[str, Sequence[Edit]] = {}
        for column in over(range(area.left, area.right + 1)):
            for row, text, edits in texts_to_edit(self._texts_of(column), area, editing, known):
                self.edit_text(row, column, text, edits)
        if self.overlay.values:
            self.note_headings()


@lru_cache(maxsize=512)
def _quoted(text: str) -> str:
    return f'"{text}"'


def told(value: Value) -> object:
    """A value as the list of changes shows it; texts between quotes."""
    if type(value) is str:
        return _quoted(value)
    return value if value is None else shown(value)
