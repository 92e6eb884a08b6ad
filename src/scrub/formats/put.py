"""A value that was put into a cell, as it is noted: there can be a million of them, so that each is small."""

from __future__ import annotations

from array import array
from collections.abc import Hashable, Sequence
from typing import TYPE_CHECKING, Generic, Protocol, TypeVar

from scrub.formats.overlay import UNCHANGED, place_of
from scrub.formats.sheet import told
from scrub.model.cells.grid import CellError
from scrub.model.core.area import Area
from scrub.model.core.change import VALUE, Change
from scrub.model.core.changes import ChangeColumn, Changes
from scrub.model.core.edit_columns import EditColumn
from scrub.model.core.edits import RecordedEdit
from scrub.model.core.values import Value

if TYPE_CHECKING:

    class Changed(Protocol):
        """A sheet whose cells are changed."""

        @property
        def name(self) -> str:
            """What it is called now."""

        def restore(self, key: int, former: Value, before: Value) -> None:
            """Takes the change of a value back."""


S = TypeVar("S", bound="Changed")


class PutPlainly(RecordedEdit, Generic[S]):
    """A value that was put into a cell, which had no other in this run."""

    __slots__ = ("_after", "_before", "_key", "_name", "_sheet")

    def __init__(self, sheet: S, key: int, before: Value, after: Value) -> None:
        self._sheet = sheet
        self._name = sheet.name  # as it is called now
        self._key = key
        self._before = before
        self._after = after

    @property
    def thing(self) -> tuple[Hashable, Hashable]:
        """What was changed: of which sheet, and what of it."""
        return (self._sheet, self._name), self._key

    @property
    def change(self) -> Change:
        """As it is listed and stored."""
        row, column = place_of(self._key)
        return Change((self._name, Area(row, column, row, column)), VALUE, *self._sides)

    @property
    def _sides(self) -> tuple[object, object]:
        """What was there and what is, as it is told."""
        return as_told(self._before), told(self._after)

    def tell(self, changes: Changes) -> None:
        """Puts it after other changes, unless it changed nothing."""
        before, after = self._sides
        if before != after:
            row, column = place_of(self._key)
            changes.append_value(self._name, row, column, before, after)

    def revert(self) -> None:
        """Undoes it."""
        self._sheet.restore(self._key, UNCHANGED, self._before)


class PutOver(PutPlainly[S]):
    """A value that was put over another one of the same run."""

    __slots__ = ("_former",)

    def __init__(self, sheet: S, key: int, before: Value, after: Value, former: Value) -> None:
        super().__init__(sheet, key, before, after)
        self._former = former

    def revert(self) -> None:
        """Undoes it."""
        self._sheet.restore(self._key, self._former, self._before)


def as_told(seen: Value) -> object:
    """What was in a cell, as a list of changes tells it."""
    return told(seen.error or "damaged" if isinstance(seen, CellError) else seen)


class PutsPlainly(EditColumn, Generic[S]):
    """Values that were put into cells of one sheet, which had no others in this run."""

    __slots__ = ("_sheet", "name")

    def __init__(self, sheet: S) -> None:
        super().__init__()
        self.keys = array("Q")
        self._sheet, self.name = sheet, sheet.name  # as it is called now

    @property
    def within(self) -> Hashable:
        """The sheet."""
        return self._sheet, self.name

    def edit(self, key: int, before: Value, after: Value) -> RecordedEdit:
        """One of them by itself."""
        return PutPlainly(self._sheet, key, before, after)

    def told(self, keys: Sequence[int], before: Sequence[Value], after: Sequence[Value]) -> ChangeColumn:
        """They, or some of them, as they are listed."""
        rows, columns = array("I", [key >> 15 for key in keys]), array("I", [(key & 0x7FFF) + 1 for key in keys])
        return ChangeColumn(self.name, VALUE, before, after, (), (rows, columns), as_told)
