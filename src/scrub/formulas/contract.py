"""What the evaluator needs from a workbook, and what it hands to functions."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from datetime import datetime
from typing import Protocol

from scrub.formulas.tree import Node
from scrub.formulas.values import Array, Value, ensure_size
from scrub.model.core.named import NamedTuple


class Needed(Exception):
    """Cells have to be calculated first: sheet, row and column of each."""

    def __init__(self, cells: Sequence[tuple[int, int, int]]) -> None:
        super().__init__()
        self.cells = cells


class TablePlace(NamedTuple):
    """Where a table is, with the words of its columns; `headings` and `totals` are numbers of rows."""

    sheet: int
    top: int
    left: int
    bottom: int
    right: int
    headings: int
    totals: int
    columns: tuple[str, ...]


class Cells(Protocol):
    """A workbook as formulas see it. Sheets go by numbers from 0, rows and columns by numbers from 1."""

    @property
    def from_1904(self) -> bool:
        """Whether days are counted from 1904."""

    @property
    def moment(self) -> datetime:
        """What NOW gives, one moment in a run."""

    @property
    def last_row(self) -> int:
        """The last row of all sheets with anything in it."""

    @property
    def last_column(self) -> int:
        """The last column of all sheets with anything in it."""

    def value(self, sheet: int, row: int, column: int) -> Value:
        """The value of a cell. Raises `Needed` where it has to be calculated first."""

    def column(self, sheet: int, column: int, top: int, bottom: int) -> Sequence[Value]:
        """The values of a column from one row to another; what is missing at the end is empty. Raises `Needed`."""

    def sheet(self, name: str) -> int | None:
        """The number of a sheet, whatever the case of its letters; None for no such sheet."""

    def sheet_name(self, sheet: int) -> str:
        """The name of a sheet."""

    @property
    def sheet_count(self) -> int:
        """How many sheets there are."""

    def name(self, word: str, sheet: int) -> Node | None:
        """What a defined name means on a sheet; None for no such name."""

    def table(self, name: str, sheet: int, row: int, column: int) -> TablePlace | None:
        """A table by its name; without one, the table that a cell is in."""

    def is_hidden(self, sheet: int, row: int, filtered_only: bool) -> bool:
        """Whether a row is hidden; or, of those, by a filter."""

    def has_subtotal(self, sheet: int, row: int, column: int) -> bool:
        """Whether the formula of a cell is itself a subtotal, which another one passes by."""

    def formula(self, sheet: int, row: int, column: int) -> str | None:
        """The formula of a cell, with its equals sign."""


class Range:
    """A rectangle of cells."""

    __slots__ = ("bottom", "cells", "left", "right", "sheet", "top")

    def __init__(self, cells: Cells, sheet: int, top: int, left: int, bottom: int, right: int) -> None:
        self.cells, self.sheet = cells, sheet
        self.top, self.left, self.bottom, self.right = top, left, bottom, right

    @property
    def height(self) -> int:
        """Its number of rows."""
        return self.bottom - self.top + 1

    @property
    def width(self) -> int:
        """Its number of columns."""
        return self.right - self.left + 1

    def at(self, row: int, column: int) -> Value:
        """The value at a place of it, from 0."""
        return self.cells.value(self.sheet, self.top + row, self.left + column)

    def columns(self) -> Iterator[Sequence[Value]]:
        """The values of each column, as far as anything is filled."""
        cells = self.cells
        for column in range(self.left, min(self.right, cells.last_column) + 1):
            yield cells.column(self.sheet, column, self.top, self.bottom)

    def __iter__(self) -> Iterator[Value]:
        """The values that are filled in, and some that are not; column by column."""
        for column in self.columns():
            yield from column

    def by_rows(self) -> Iterator[Value]:
        """The values row by row, as far as anything is filled."""
        return iter(self.array())

    def array(self) -> Array:
        """Its values, cut at the last filled row and column of the workbook."""
        bottom, right = min(self.bottom, self.cells.last_row), min(self.right, self.cells.last_column)
        height, width = max(1, bottom - self.top + 1), max(1, right - self.left + 1)
        ensure_size(height * width)
        columns = [
            self.cells.column(self.sheet, column, self.top, self.top + height - 1)
            for column in range(self.left, self.left + width)
        ]
        full = [[*column, *[None] * (height - len(column))] for column in columns]
        return Array([list(row) for row in zip(*full, strict=True)])

    def resized(self, height: int, width: int) -> Range:
        """A rectangle with the same first cell."""
        return Range(self.cells, self.sheet, self.top, self.left, self.top + height - 1, self.left + width - 1)


class Ranges:
    """Several rectangles: a union, or the same cells of several sheets."""

    __slots__ = ("each",)

    def __init__(self, each: Sequence[Range]) -> None:
        self.each = each
