"""What the components of a sheet need of each other and of the sheet. Only type checkers read this, not a run."""

from __future__ import annotations

import re
from collections.abc import Collection, Iterable, Iterator, Mapping, Sequence
from typing import Protocol

from scrub.formats.opc.parts import Parts
from scrub.formats.put import Changed
from scrub.formats.workbook.cells.overlay import SheetOverlay
from scrub.formats.workbook.part import SheetPart, Skeleton
from scrub.model.cells.grid import ColumnValues, Noted, TablePlace
from scrub.model.core.area import Area
from scrub.model.core.change import Undo
from scrub.model.core.values import Value


class Written(Protocol):
    """A piece of a sheet that writes itself."""

    @property
    def touched(self) -> bool:
        """Whether it must be written."""

    def elements(self, skeleton: Skeleton, parts: Parts) -> Mapping[str, bytes]:
        """The elements of the sheet's part that must change for it; parts beside it are changed or added."""


class Calculated(Protocol):
    """A sheet with formulas, as others depend on it."""

    @property
    def name(self) -> str:
        """The sheet's name."""

    @property
    def has_formulas(self) -> bool | None:
        """Whether it contains any; None where nobody looked."""

    def where(self, row: int, column: int) -> str:
        """How a person names a cell of it."""

    def formula(self, row: int, column: int) -> str | None:
        """The formula of a cell."""

    def formulas_in(self, area: Area) -> Iterable[tuple[int, int]]:
        """The cells of a range that are calculated."""

    def changed_in(self, area: Area) -> tuple[int, int] | None:
        """A cell of a range that was changed in this run."""

    def hidden_in(self, area: Area) -> int:
        """A row of a range that was hidden or shown in this run; 0 for none."""


class Changing(Protocol):
    """A workbook whose cells are being changed."""

    version: int
    version_back: bool

    def results_of(self, name: str) -> Calculated | None:
        """A sheet by its name, without regard to case; None for none."""

    def first_change(self) -> str:
        """A cell that was changed, as a person names it."""

    def resolve(self, name: str, sheet: str) -> str | None:
        """What a name means on a sheet."""


class SharedResults(Calculated, Protocol):
    """Which of the cells of a sheet were changed, and which results may be old."""

    def mark_all(self) -> None:
        """Is told of the first change of the run: what was read so far is in doubt now."""

    def still_right(self, row: int, column: int) -> Value:
        """The saved result of a formula where it still holds; None where it does not, or there is none."""


class SharedFormulas(Protocol):
    """The formulas of a sheet."""

    @property
    def may_be_there(self) -> bool:
        """Whether the sheet may contain any."""

    def every(self) -> Iterator[tuple[int, int, str]]:
        """The cells that are calculated: row, column, formula without its equals sign."""

    def uses_of_name(self, word: re.Pattern[str]) -> str:
        """Where the sheet uses a word in a formula or a rule."""


class SharedPart(Protocol):
    """A sheet as the file has it."""

    @property
    def part(self) -> SheetPart:
        """Its part, with its name and its place in the file."""


class Sharing(Protocol):
    """A sheet, as the others know it."""

    @property
    def name(self) -> str:
        """What it is called."""

    @property
    def hidden(self) -> bool:
        """Whether its tab is not shown."""

    @property
    def stale(self) -> SharedResults:
        """Its results."""

    @property
    def formulas(self) -> SharedFormulas:
        """The texts and areas of formulas that cells share (18.3.1.40)."""

    @property
    def is_rearranged(self) -> bool:
        """Whether it is a copy of this run, or its lines came, went or moved."""

    def used(self) -> Area | None:
        """The smallest range with all that contains something."""

    def style(self, row: int, column: int) -> int:
        """The number of a cell's format."""

    def column_values(self, column: int) -> ColumnValues:
        """The values from row 1 to the last filled one."""

    def has_formula(self, row: int, column: int) -> bool:
        """Whether a cell is calculated."""

    def raw_value(self, row: int, column: int) -> Value:
        """The value of a cell, or a `CellError`."""

    def array_ranges(self) -> Sequence[Area]:
        """The ranges of array formulas and data tables."""

    def hides_row(self, row: int, filtered_only: bool) -> bool:
        """Whether a row is hidden; or, of those, by a filter."""

    @property
    def saved(self) -> SharedPart:
        """It as the file has it."""

    def where(self, row: int, column: int) -> str:
        """How a person names a cell of it."""

    def tables(self) -> Iterator[TablePlace]:
        """Tables of the file (18.5), not areas of plain cells."""


class NamedCells(Protocol):
    """A sheet that can be named, and whose changes are noted."""

    @property
    def name(self) -> str:
        """What it is called."""

    def where(self, row: int, column: int) -> str:
        """How a person names a cell of it."""

    def changed(
        self,
        field: str,
        before: object,
        after: object,
        revert: Undo,
        said: str = "",
        inner: tuple[str | Area, ...] = (),
    ) -> None:
        """Notes a change of something on this sheet."""


class LockedCells(NamedCells, Protocol):
    """The sheet, as far as its locks need it."""

    @property
    def protected(self) -> bool:
        """Whether its locked cells cannot be changed."""

    def style(self, row: int, column: int) -> int:
        """The number of a cell's format."""

    def merged(self) -> Collection[Area]:
        """The merged ranges."""

    def tables(self) -> Iterator[TablePlace]:
        """Its tables."""


class ResultCells(NamedCells, Protocol):
    """The sheet, as far as its results need it."""

    def stored_result(self, row: int, column: int) -> Value:
        """The result of a formula as it is in the file."""

    def used(self) -> Area | None:
        """The smallest range with all that contains something."""

    def formula(self, row: int, column: int) -> str | None:
        """The formula of a cell."""

    def has_formula(self, row: int, column: int) -> bool:
        """Whether a cell is calculated."""

    def column_values(self, column: int) -> ColumnValues:
        """The values from row 1 to the last filled one."""


class StyledCells(NamedCells, Protocol):
    """The sheet, as far as the looks of its cells need it."""

    @property
    def protected(self) -> bool:
        """Whether its locked cells cannot be changed."""

    def style(self, row: int, column: int) -> int:
        """The number of a cell's format."""


class FormulaCells(NamedCells, Protocol):
    """The sheet, as far as its formulas need it."""

    def stored_result(self, row: int, column: int) -> Value:
        """The result of a formula as it is in the file."""

    def has_formula(self, row: int, column: int) -> bool:
        """Whether a cell is calculated."""

    def column_values(self, column: int) -> ColumnValues:
        """The values of a column."""

    def raw_value(self, row: int, column: int) -> Value:
        """The value of a cell, or a `CellError`."""

    def restore(self, key: int, former: Value, before: Value) -> None:
        """Takes the change of a value back."""


class OrderedCells(NamedCells, Protocol):
    """The sheet, as far as the order of its rows needs it."""

    def merged(self) -> Collection[Area]:
        """The merged ranges."""

    def comments(self) -> Iterator[Noted]:
        """Its comments, in reading order."""

    def link(self, row: int, column: int) -> str | None:
        """Where a click on a cell leads."""

    def column_values(self, column: int) -> ColumnValues:
        """The values of a column."""

    def has_formula(self, row: int, column: int) -> bool:
        """Whether a cell is calculated."""

    def change(self, key: int, value: Value, column_values: ColumnValues, before: Value) -> Value:
        """Changes a value; gives what `restore` takes to undo that."""

    def restore(self, key: int, former: Value, before: Value) -> None:
        """Takes one change back."""

    def row_changed(self, row: int) -> None:
        """Is told of every change in a row."""


class TextCells(Changed, Protocol):
    """A sheet whose texts can have several looks."""

    @property
    def overlay(self) -> SheetOverlay:
        """What was changed in its cells."""
