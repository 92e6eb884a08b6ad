"""What is noted of changes in cells: there can be a hundred thousand of them, so that each is small."""

from __future__ import annotations

from collections.abc import Callable, Hashable, Sequence
from typing import TYPE_CHECKING

from scrub.formats.overlay import UNCHANGED, key_of, put_back
from scrub.formats.put import PutPlainly, PutsPlainly
from scrub.formats.workbook.cells.strings import Run
from scrub.model.core.change import Change, cut
from scrub.model.core.edits import RecordedEdit
from scrub.model.core.values import Value, shown

if TYPE_CHECKING:
    from scrub.formats.workbook.contracts import TextCells


class Put(PutPlainly["TextCells"]):
    """A value that was put into a cell, which had no other in this run."""

    __slots__ = ()

    def revert(self) -> None:
        """Undoes it."""
        self._put_back(UNCHANGED, None)

    def _put_back(self, former: Value, runs: list[Run] | None) -> None:
        put_back(self._sheet.overlay.runs, self._key, UNCHANGED if runs is None else runs)
        self._sheet.restore(self._key, former, self._before)


class Puts(PutsPlainly["TextCells"]):
    """Many of them."""

    __slots__ = ()

    def edit(self, key: int, before: Value, after: Value) -> RecordedEdit:
        """One of them by itself."""
        return Put(self._sheet, key, before, after)


class RowAdded(RecordedEdit):
    """A row that was put below all others."""

    __slots__ = ("_left", "_name", "_restyled", "_row", "_sheet", "_values")

    def __init__(
        self,
        sheet: TextCells,
        row: int,
        left: int,
        values: tuple[Value, ...],
        restyled: Sequence[Callable[[], None]],
    ) -> None:
        self._sheet, self._row, self._left, self._values = sheet, row, left, values
        self._name = sheet.name  # as it is called now
        self._restyled = restyled

    @property
    def thing(self) -> tuple[Hashable, Hashable]:
        """What was changed: of which sheet, and what of it."""
        return (self._sheet, self._name, "added"), self._row

    @property
    def change(self) -> Change:
        """As it is listed and stored."""
        row = f"row {self._row}"
        said = " | ".join(["" if value is None else shown(value) for value in self._values])
        return Change((self._name, row), "added", False, True, f"{row} added: {cut(said)}")

    def revert(self) -> None:
        """Undoes it."""
        for each in self._restyled:
            each()
        for column in range(self._left, self._left + len(self._values)):
            self._sheet.restore(key_of(self._row, column), UNCHANGED, None)


class PutAgain(Put):
    """One that was put in the place of another one, or whose cell looks otherwise since."""

    __slots__ = ("_former", "_restyled", "_runs")

    def __init__(
        self,
        sheet: TextCells,
        key: int,
        before: Value,
        after: Value,
        former: Value,
        runs: list[Run] | None,
        restyled: Callable[[], None] | None,
    ) -> None:
        super().__init__(sheet, key, before, after)
        self._former = former
        self._runs = runs
        self._restyled = restyled

    def revert(self) -> None:
        """Undoes it."""
        if self._restyled is not None:
            self._restyled()
        self._put_back(self._former, self._runs)
