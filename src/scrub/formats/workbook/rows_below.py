"""Rows that a macro puts below all others of a sheet, one after the other."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from datetime import date
from decimal import Decimal
from typing import Any

from scrub.formats.sheet import keep
from scrub.formats.workbook.done import RowAdded
from scrub.formats.workbook.laid import LaidRows
from scrub.formats.workbook.part import SheetPart
from scrub.formats.workbook.reading import Loads, SheetReading
from scrub.formats.workbook.shared import Shared
from scrub.model.amounts import Duration
from scrub.model.area import MOST_COLUMNS, MOST_ROWS, Area
from scrub.model.required import required
from scrub.model.values import Value

#: The most characters that a cell contains.
MOST_CHARACTERS = 32_767


class RowsBelow(SheetReading):
    """Cells below which rows can be put. They are kept as they come; as soon as somebody looks at a changed value, they
    are taken up, and their cells are like any others.
    """

    def __init__(self, shared: Shared, part: SheetPart, loads: Loads) -> None:
        super().__init__(shared, part, loads)
        self.laid: LaidRows | None = None  # those that were not taken up

    @required
    def is_free(self) -> bool:
        """Whether nothing on the sheet keeps a cell from being changed."""
        raise NotImplementedError

    @required
    def storable(self, row: int, column: int, value: Value) -> Value:
        """A value as a cell contains it. Raises `Failure` for one that it cannot contain."""
        raise NotImplementedError

    @required
    def show_as_moment(self, row: int, column: int, value: Value) -> Callable[[], None] | None:
        """Gives a cell a form in which a date or a duration is seen as one; returns how to undo it."""
        raise NotImplementedError

    def add_row(self, values: list[Any]) -> None:
        """Writes values into the first row below all that is used, from the first used column on."""
        laid = self.laid
        if laid is None or not values:
            super().add_row(values)
            return
        row = laid.top + len(laid.rows)
        for value in values:
            if type(value) is not Decimal and (type(value) is not str or not 0 < len(value) <= MOST_CHARACTERS):
                break
        else:  # as most rows are, and what goes before applies to this one too
            if row <= MOST_ROWS and laid.left + len(values) - 1 <= MOST_COLUMNS:
                fresh, shared = tuple(values), self.shared
                laid.rows.append(fresh)
                if shared.version:
                    shared.version += 1
                else:
                    shared.cells_changed()
                shared.file.recorder.note(RowAdded(self, row, laid.left, fresh, ()))
                return
        self.put_row(row, laid.left, values)

    def put_row(self, row: int, left: int, values: Sequence[Value]) -> None:
        """Gives the cells of a row below all others their values: one change for all of them."""
        is_open = self.laid is not None or (not self.shaped and self.is_free())
        if not is_open or not 1 <= row <= MOST_ROWS or left + len(values) - 1 > MOST_COLUMNS:
            super().put_row(row, left, values)
            return
        fresh = [self.storable(row, left + place, each) for place, each in enumerate(values)]
        moments = [place for place, each in enumerate(fresh) if isinstance(each, date | Duration)]
        while fresh and fresh[-1] is None:
            fresh.pop()
        if not fresh:
            return
        if self.laid is None or self.laid.left != left or self.laid.top + len(self.laid.rows) != row or self.live:
            self.take_up()
            self.laid = LaidRows(row, left)
        if None in fresh:
            self.laid.gapped.add(row)
        self.laid.rows.append(tuple(fresh))
        if fresh[0] is None or self.live:
            self.take_up()
        back = [self.show_as_moment(row, left + place, fresh[place]) for place in moments]
        self.shared.cells_changed()
        self.row_changed(row)
        self.file.recorder.note(RowAdded(self, row, left, tuple(values), [each for each in back if each is not None]))

    @property
    def values(self) -> dict[int, Value]:
        """The values that were changed, by key."""
        if self.laid is not None:
            self.take_up()
        return self._values

    @property
    def values_above(self) -> dict[int, Value]:
        """Those of them that are not in rows laid below all others."""
        return self._values

    @property
    def has_values(self) -> bool:
        """Whether any value was changed."""
        return bool(self._values) or self.laid is not None

    def spanning(self, stored: Area | None) -> Area | None:
        """The range of what is stored, made wide enough for what was changed."""
        self.take_up()
        return super().spanning(stored)

    def filled(self) -> Area | None:
        """The range of the changed values, as far as they have a place and are not nothing."""
        laid = self.laid
        if laid is not None and not self._values:
            return laid.area
        keys = [key for key, value in self.values.items() if value is not None]
        if self.shaped:
            keys = [key for key in keys if self._is_placed(key)]
        if not keys:
            return None
        columns = {(key & 0x7FFF) + 1 for key in keys}  # as `place` takes it apart
        return Area(min(keys) >> 15, min(columns), max(keys) >> 15, max(columns))

    def take_up(self) -> None:
        """Takes the rows that were laid below all others for cells like any other."""
        laid, self.laid = self.laid, None
        if laid is None:
            return
        for row, values in laid.numbered():
            start = self.key(row, laid.left)
            filled = {start + place: value for place, value in enumerate(values) if value is not None}
            for key in filled:
                self.first.setdefault(key, None)
            self._values.update(filled)
            self.to_sort += filled
            for column, known in self.live.items() if self.live else ():
                if self.key(row, column) in filled:
                    keep(known, row, filled[self.key(row, column)])
            self.row_grew(row, self.place(min(filled))[1], self.place(max(filled))[1])
