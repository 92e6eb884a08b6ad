"""A workbook as formulas see it: its sheets, names and tables, by the finished parts of a package."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import datetime
from functools import cached_property

from scrub.formats.opc.relationships import related_trees, relationships
from scrub.formats.spans import number_in, parse
from scrub.formats.workbook.around.tables import name_of
from scrub.formats.workbook.names.names import Names
from scrub.formats.workbook.recalculated.finished import FinishedPackage
from scrub.formats.workbook.recalculated.sheet_cells import SheetCells
from scrub.formats.xmltext import unescaped
from scrub.formulas.calculation import Calculated, Cell, Columns, Held
from scrub.formulas.contract import TablePlace
from scrub.formulas.tree import Node
from scrub.formulas.tree import parse as parse_formula
from scrub.formulas.values import Unsupported
from scrub.model.core.area import area_of


class BookCells:
    """The cells of a workbook. Sheets go by their place among the tabs, from 0."""

    def __init__(
        self, package: FinishedPackage, main: str, sheets: Sequence[SheetCells], from_1904: bool, moment: datetime
    ) -> None:
        """`main` is the name of the workbook part."""
        self.from_1904 = from_1904
        self.moment = moment
        self.sheets = sheets
        self._package = package
        self._main = main
        self._by_name = {sheet.name.casefold(): number for number, sheet in enumerate(sheets)}
        self._names: dict[tuple[str, int], Node | None] = {}
        self._like: BookCells | None = None  # whose last row and column are its own too
        self.columns = Columns(self._read)
        self.value = self.columns.value
        self.column = self.columns.column

    def use(self, columns: Columns, like: BookCells) -> None:
        """Reads values in another way; its sheets are as large as those of another workbook."""
        self._like = like
        self.columns, self.value, self.column = columns, columns.value, columns.column

    def _read(self, sheet: int, column: int) -> list[Held]:
        return self.sheets[sheet].column(column)

    @cached_property
    def last_row(self) -> int:
        """The last row of all sheets with anything in it."""
        return self._like.last_row if self._like is not None else max(sheet.used[0] for sheet in self.sheets)

    @cached_property
    def last_column(self) -> int:
        """The last column of all sheets with anything in it."""
        return self._like.last_column if self._like is not None else max(sheet.used[1] for sheet in self.sheets)

    @property
    def sheet_count(self) -> int:
        """How many sheets there are."""
        return len(self.sheets)

    def sheet(self, name: str) -> int | None:
        """The number of a sheet, whatever the case of its letters; None for no such sheet."""
        return self._by_name.get(name.casefold())

    def sheet_name(self, sheet: int) -> str:
        """The name of a sheet."""
        return self.sheets[sheet].name

    def calculated(self, cell: Cell) -> Calculated | None:
        """What a cell is calculated by; None for a plain one."""
        return self.sheets[cell[0]].calculated(cell[1], cell[2])

    def formula(self, sheet: int, row: int, column: int) -> str | None:
        """The formula of a cell, with its equals sign; None for none. Raises `Unsupported` for one that is shared."""
        if self.sheets[sheet].calculated(row, column) is None:
            return None
        text = self.sheets[sheet].formula(row, column)
        if text is None:
            raise Unsupported("it asks for the text of a shared formula")
        return text

    def has_subtotal(self, sheet: int, row: int, column: int) -> bool:
        """Whether the formula of a cell is itself a subtotal, which another one passes by."""
        return self.sheets[sheet].has_subtotal(row, column)

    # -- names and tables

    @cached_property
    def _defined(self) -> Names:
        data = self._package.read(self._main)
        return Names(data, parse(data))

    def name(self, word: str, sheet: int) -> Node | None:
        """What a defined name means on a sheet; None for no such name."""
        key = (word.casefold(), sheet)
        if key not in self._names:
            target = self._defined.meaning(word, sheet + 1)
            self._names[key] = parse_formula(target.strip().removeprefix("="), 1, 1) if target is not None else None
        return self._names[key]

    @cached_property
    def _tables(self) -> dict[str, TablePlace]:
        found: dict[str, TablePlace] = {}
        for number, sheet in enumerate(self.sheets):
            related = relationships(self._package, sheet.part.name or "").values()
            for _, root in related_trees(self._package, related, "table"):
                of = root.attributes
                area = area_of(of.get("ref", "A1"))
                columns = root.child("tableColumns")
                words = tuple(
                    unescaped(column.attributes.get("name", "")) for column in (columns.children if columns else ())
                )
                headings = 0 if of.get("headerRowCount", "1") == "0" else 1
                totals = number_in(of, "totalsRowCount")
                place = TablePlace(number, *area, headings, totals, words)
                found[name_of(root).casefold()] = place
        return found

    def table(self, name: str, sheet: int, row: int, column: int) -> TablePlace | None:
        """A table by its name; without one, the table that a cell is in."""
        if name:
            return self._tables.get(name.casefold())
        return next((place for place in self._tables.values() if _holds(place, sheet, row, column)), None)

    # -- hidden rows

    def is_hidden(self, sheet: int, row: int, filtered_only: bool) -> bool:
        """Whether a row is hidden; or, of those, by a filter."""
        if row not in self.sheets[sheet].hidden:
            return False
        return not filtered_only or any(area.top < row <= area.bottom for area in self.sheets[sheet].filters)


def _holds(place: TablePlace, sheet: int, row: int, column: int) -> bool:
    return place.sheet == sheet and place.top <= row <= place.bottom and place.left <= column <= place.right
