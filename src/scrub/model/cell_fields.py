"""What cells and everything made of cells have in common. In an example, KIND stands for the word of the kind."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from typing import Any

from scrub.model.colours import Colour
from scrub.model.declare import Reach, action, field, needs
from scrub.model.grid import Alignment, Grid, HoldsCells
from scrub.model.looks import LetterLooks
from scrub.model.problem import Failure
from scrub.model.values import same

Place = tuple[Grid, int, int]


class CellFields(LetterLooks, HoldsCells):
    """What one cell and a range of cells have in common. Set on a range, a field is set on each of its cells."""

    __slots__ = ()

    def places(self) -> Iterable[Place]:
        """Its cells: sheet, row and column."""
        raise NotImplementedError

    def _one(self, word: str, values: Iterator[Any]) -> Any:
        """What all cells have in common. Raises `Failure` where they differ."""
        first = next(values, None)
        if any(not same(first, other, True) for other in values):
            raise Failure(f'"{word}" is not the same in all cells of {self.label}. Ask each cell: each cell')
        return first

    def _look(self, word: str) -> Any:
        return self._one(word, (sheet.look(row, column, word) for sheet, row, column in self.places()))

    def _set_look(self, word: str, value: Any) -> None:
        for sheet, row, column in self.places():
            sheet.put_look(row, column, word, value)

    @property
    @field
    def value(self) -> object | None:
        """What stands in it: a number, a text, a date, yes or no, or nothing; of a formula its last result.

        Example: KIND.value = 12
        Also: content, contents, fill in, enter, write
        """
        found: object | None = self._one("value", (sheet.value(row, column) for sheet, row, column in self.places()))
        return found

    @value.setter
    def value(self, value: object | None) -> None:
        for sheet, row, column in self.places():
            sheet.put(row, column, value)

    @property
    @field
    def formula(self) -> str | None:
        """Its formula with the equals sign, as the file has it; nothing for a plain value. Set to nothing, the last
        result stays as a plain value. Set on a range, its references move along from the first cell on.

        Example: KIND.formula = nothing
        Also: calculation, freeze values, paste values
        """
        found = self._one("formula", (sheet.formula(row, column) for sheet, row, column in self.places()))
        return None if found is None else str(found)

    @formula.setter
    @needs("put_formula")
    def formula(self, formula: str | None) -> None:
        first: tuple[int, int] | None = None
        for sheet, row, column in self.places():
            first = first or (row, column)
            sheet.put_formula(row, column, formula, row - first[0], column - first[1])

    @property
    @field
    def locked(self) -> bool:
        """yes when it cannot be changed while its sheet is protected. Input cells are set to no.

        Example: KIND.locked = no
        Also: open, input cell, editable, unlock, protect
        """
        return bool(self._look("locked"))

    @locked.setter
    @needs("put_look")
    def locked(self, value: bool) -> None:
        self._set_look("locked", value)

    @property
    @field
    def fill(self) -> str | None:
        """The colour behind it, as "#fff8e1" or a plain word such as "yellow"; nothing without one.

        Example: KIND.fill = "#fff8e1"
        Also: background, highlight, shade, color
        """
        found = self._look("fill")
        return None if found is None else Colour(found)

    @fill.setter
    @needs("put_look")
    def fill(self, value: str | None) -> None:
        self._set_look("fill", value)

    @property
    @field
    def number_form(self) -> str:
        """How its number or date is shown, in the codes of the file: "0.00", "d mmm yyyy", "General".

        Example: KIND.number-form = "0.00"
        Also: number format, decimals, currency, date format, percent
        """
        return str(self._look("number-form"))

    @number_form.setter
    @needs("put_look")
    def number_form(self, value: str) -> None:
        self._set_look("number-form", value)

    @property
    @field
    def alignment(self) -> Alignment:
        """Where its text stands from left to right; centre-over centres it over the empty cells beside it.

        Example: KIND.alignment = right
        Also: align, center, centre, left, right, justify
        """
        return Alignment(self._look("alignment"))

    @alignment.setter
    @needs("put_look")
    def alignment(self, value: Alignment) -> None:
        self._set_look("alignment", value)

    @property
    @field
    def wrapped(self) -> bool:
        """yes when a long text goes on in further lines of the cell.

        Example: KIND.wrapped = yes
        Also: wrap text, line break
        """
        return bool(self._look("wrapped"))

    @wrapped.setter
    @needs("put_look")
    def wrapped(self, value: bool) -> None:
        self._set_look("wrapped", value)

    @property
    @field
    def link(self) -> str | None:
        """Where a click on it leads: an address, or a place in the workbook such as "#Totals!A1"; nothing for none.

        Example: KIND.link = "https://huts.example/larch"
        Also: hyperlink, url, web address
        """
        found = self._one("link", (sheet.link(row, column) for sheet, row, column in self.places()))
        return None if found is None else str(found)

    @link.setter
    @needs("put_link")
    def link(self, value: str | None) -> None:
        for sheet, area in self.areas():
            used = sheet.used()
            many = area.bottom - area.top > 100_000 or area.right - area.left > 1_000
            sheet.put_link(area.within(used) if many and used is not None else area, value)

    @property
    @field
    def address(self) -> str:
        """Where it is on its sheet.

        Example: log KIND.address
        Also: position, place, reference
        """
        return ", ".join(str(area) for _, area in self.areas())

    @action(Reach.CHANGE)
    def clear(self) -> None:
        """Empties it; how it looks stays. A formula goes too.

        Example: clear
        Also: delete contents, empty, remove values, delete row, empty a row
        """
        for sheet, row, column in self.places():
            sheet.empty(row, column)
