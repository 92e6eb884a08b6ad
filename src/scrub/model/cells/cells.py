"""Ranges of cells, what a person picked, and merged ranges."""

from __future__ import annotations

from collections.abc import Iterable, Iterator

from scrub.model.cells.cell import Cell
from scrub.model.cells.cell_fields import CellFields, Place
from scrub.model.cells.grid import Alignment, Grid, HoldsColumns
from scrub.model.cells.lines import Column, Row, columns_of, rows_of
from scrub.model.core.area import Area
from scrub.model.core.declare import FileItem, Reach, action, field, holds, needs
from scrub.model.core.problem import Failure


class Cells(CellFields, HoldsColumns):
    """A range of cells."""

    kind_word = "cells"
    called = "a range of cells"

    def __init__(self, areas: Iterable[tuple[Grid, Area]]) -> None:
        self._areas = list(areas)

    def __eq__(self, other: object) -> bool:
        return isinstance(other, Cells) and self._areas == other._areas

    def __hash__(self) -> int:
        return hash(tuple(area for _, area in self._areas))

    @property
    def file(self) -> FileItem:
        """The workbook."""
        return self._areas[0][0].file

    @property
    def label(self) -> str:
        """Its sheet and address."""
        return ", ".join(f"{sheet.name} {area}" for sheet, area in self._areas)

    def areas(self) -> Iterable[tuple[Grid, Area]]:
        """The ranges it is made of."""
        return self._areas

    def places(self) -> Iterator[Place]:
        """Its cells, row by row; of whole rows and columns those in the used part of the sheet."""
        for sheet, area in self._areas:
            if area.bottom - area.top > 100_000 or area.right - area.left > 1_000:
                used = sheet.used()
                if used is None:
                    continue
                area = area.within(used)
            for row in range(area.top, area.bottom + 1):
                for column in range(area.left, area.right + 1):
                    yield sheet, row, column

    @property
    @field
    def name(self) -> str | None:
        """The defined name of exactly this range; nothing for none. Set to nothing, the name is deleted.

        Example: KIND.name = "Prices"
        Also: defined name, named range
        """
        sheet, area = self._single()
        return sheet.range_name(area)

    @name.setter
    @needs("put_range_name")
    def name(self, value: str | None) -> None:
        sheet, area = self._single()
        sheet.put_range_name(area, value or None)

    @action(Reach.CHANGE)
    @needs("put_look")
    def centre_over(self) -> None:
        """Centres the text of the first cell across all of them, without merging; cells already merged are unmerged.

        Example: centre-over
        Also: merge and center, centred title, heading, unmerge
        """
        sheet, area = self._single()
        centre_over(sheet, area)

    @action(Reach.CHANGE)
    @needs("merge")
    def merge(self) -> None:
        """Merges the cells. All but the first must be empty.

        Example: merge
        Also: join cells, combine
        """
        sheet, area = self._single()
        if area.single:
            raise Failure(f"{self.label} is one cell; merging needs a range such as B1:F1")
        for row, column in ((row, column) for _, row, column in self.places()):
            if (row, column) != (area.top, area.left) and sheet.raw_value(row, column) is not None:
                raise Failure(f"{sheet.where(row, column)} contains a value, which merging would delete")
        sheet.merge(area)

    def _single(self) -> tuple[Grid, Area]:
        if len(self._areas) != 1:
            raise Failure("this works on one range, but several are selected")
        return self._areas[0]

    @holds
    def cells(self) -> Iterator[Cell]:
        """Its cells, the empty ones too."""
        return (Cell(sheet, row, column) for sheet, row, column in self.places())

    @holds
    def merged_ranges(self) -> Iterator[MergedRange]:
        """The merged ranges that begin in it."""
        for sheet, area in self._areas:
            yield from (range_ for range_ in merged_in(sheet) if area.holds(range_.area.top, range_.area.left))

    @holds
    def rows(self) -> Iterator[Row]:
        """The rows it is in, down to the last used one."""
        for sheet, area in self._areas:
            yield from rows_of(sheet, area)

    @holds
    def columns(self) -> Iterator[Column]:
        """The columns it is in, as far as they are used."""
        for sheet, area in self._areas:
            yield from columns_of(sheet, area)


class Selection(Cells):
    """What the person picked with `--at`, or the whole when they picked nothing."""

    kind_word = "selection"
    called = "a selection"

    def __init__(self, areas: Iterable[tuple[Grid, Area]], picked: bool, file: FileItem) -> None:
        super().__init__(areas)
        self._picked = picked
        self._file = file

    @property
    def file(self) -> FileItem:
        """The workbook."""
        return self._file

    @property
    @field
    def picked(self) -> bool:
        """Whether something was selected with `--at`.

        Example: if not selection.picked
        Also: selected, chosen
        """
        return self._picked


def centre_over(sheet: Grid, area: Area) -> None:
    """Centres the first cell's text over a range, without a merge."""
    if area.left == area.right:
        raise Failure(
            f"{sheet.name} {area} is one {'cell' if area.single else 'column'}. Select the cells to centre over "
            "too, such as B1:F1"
        )
    for column in range(area.left + 1, area.right + 1):
        for row in range(area.top, area.bottom + 1):
            if sheet.raw_value(row, column) is not None:
                raise Failure(f"{sheet.where(row, column)} contains a value, so text cannot be centred across it")
    if area in sheet.merged():
        sheet.unmerge(area)
    for row in range(area.top, area.bottom + 1):
        for column in range(area.left, area.right + 1):
            sheet.put_look(row, column, "alignment", Alignment.CENTRED_OVER)


class MergedRange(CellFields):
    """Cells that are merged into one."""

    kind_word = "merged-range"

    def __init__(self, sheet: Grid, area: Area) -> None:
        self.sheet = sheet
        self.area = area

    def __eq__(self, other: object) -> bool:
        return isinstance(other, MergedRange) and (self.sheet, self.area) == (other.sheet, other.area)

    def __hash__(self) -> int:
        return hash(self.area)

    @property
    def file(self) -> FileItem:
        """The workbook."""
        return self.sheet.file

    @property
    def label(self) -> str:
        """Its sheet and address."""
        return f"{self.sheet.name} {self.area}"

    @property
    def removed(self) -> bool:
        """Whether it was split."""
        return self.area not in self.sheet.merged()

    def places(self) -> Iterable[Place]:
        """Its first cell, which means all."""
        return ((self.sheet, self.area.top, self.area.left),)

    def areas(self) -> Iterable[tuple[Grid, Area]]:
        """The cells it covers."""
        return ((self.sheet, self.area),)

    @property
    @field
    def wide(self) -> int:
        """The number of columns.

        Example: if merged-range.wide > 1
        Also: columns, width
        """
        return self.area.right - self.area.left + 1

    @property
    @field
    def tall(self) -> int:
        """The number of rows.

        Example: if merged-range.tall is 1
        Also: rows, height
        """
        return self.area.bottom - self.area.top + 1

    @action(Reach.CHANGE)
    @needs("unmerge")
    def unmerge(self) -> None:
        """Unmerges the cells; the value stays in the first one.

        Example: unmerge
        Also: split cells
        """
        self.sheet.unmerge(self.area)

    @action(Reach.CHANGE)
    @needs("put_look")
    def centre_over(self) -> None:
        """Unmerges the cells and centres the text across them: the same appearance, but sortable and filterable.

        Example: centre-over
        Also: center across selection, title, unmerge
        """
        centre_over(self.sheet, self.area)


def merged_in(sheet: Grid) -> Iterator[MergedRange]:
    """The merged ranges of a sheet, in reading order."""
    return (MergedRange(sheet, area) for area in sorted(sheet.merged()))
