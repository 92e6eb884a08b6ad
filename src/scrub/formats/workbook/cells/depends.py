"""Whether the saved result of a formula still contains after cells were changed in this run.

A cautious answer is right: what a formula refers to is followed through other formulas, and what cannot be parsed
counts as depending on everything.
"""

from __future__ import annotations

from typing import TYPE_CHECKING

from scrub.formats.workbook.formulas.syntax import references, sees_hidden_rows
from scrub.model.core.area import Area

if TYPE_CHECKING:
    from scrub.formats.workbook.contracts import Calculated, Changing


_Cell = tuple[str, int, int]


class Dependence:
    """Follows the references of one workbook's formulas."""

    def __init__(self, book: Changing) -> None:
        self.book = book
        self._version = -1
        self._known: dict[_Cell, str] = {}  # the changed cell that a formula depends on, or an empty text
        self._parsed: dict[_Cell, list[tuple[Calculated, Area]] | None] = {}

    def changed_below(self, sheet: Calculated, row: int, column: int) -> str:
        """The changed cell that the formula of a cell depends on, as a person names it; an empty text for none."""
        if self._version != self.book.version:
            # A formula that depends on a change still does after a further one; unless that took changes back.
            stale = {} if self.book.version_back else {cell: what for cell, what in self._known.items() if what}
            self._version, self._known, self.book.version_back = self.book.version, stale, False
        start = (sheet.name, row, column)
        waiting: list[tuple[_Cell, Calculated, list[tuple[Calculated, int, int]] | None]] = [(start, sheet, None)]
        on_the_way: set[_Cell] = set()
        while waiting:
            cell, of, inner = waiting.pop()
            if cell in self._known:
                continue
            if inner is None:
                found, inner = self._direct(of, cell)
                if found:
                    self._known[cell] = found
                    continue
                on_the_way.add(cell)
                waiting.append((cell, of, inner))
                for other, other_row, other_column in inner:
                    key = (other.name, other_row, other_column)
                    if key not in self._known and key not in on_the_way:
                        waiting.append((key, other, None))
                continue
            self._known[cell] = next(filter(None, map(self._state, inner)), "")
        return self._known[start]

    def _state(self, formula: tuple[Calculated, int, int]) -> str:
        """What is known of a formula; one of which nothing is known now refers back to itself: nothing is sure."""
        sheet, row, column = formula
        known = self._known.get((sheet.name, row, column))
        return self.book.first_change() if known is None else known

    def _direct(self, sheet: Calculated, cell: _Cell) -> tuple[str, list[tuple[Calculated, int, int]]]:
        """The changed cell that a formula itself refers to, and the other formulas that it refers to."""
        targets = self._parsed.get(cell)
        if cell not in self._parsed:
            targets = self._parsed[cell] = self._targets(sheet, cell)
        if targets is None:
            return self.book.first_change(), []
        inner: list[tuple[Calculated, int, int]] = []
        sees_hidden = sees_hidden_rows(sheet.formula(cell[1], cell[2]) or "")
        for other, area in targets:
            row = other.hidden_in(area) if sees_hidden else 0
            if row:
                return f"row {row} of {other.name}", []
            changed = other.changed_in(area)
            if changed:
                return other.where(*changed), []
            if other.has_formulas is not False:
                inner += [(other, row, column) for row, column in other.formulas_in(area)]
        return "", inner

    def _targets(self, sheet: Calculated, cell: _Cell) -> list[tuple[Calculated, Area]] | None:
        formula = sheet.formula(cell[1], cell[2])
        found = references(formula[1:], sheet.name, self.book.resolve) if formula else []
        if found is None:
            return None
        targets = [(self.book.results_of(name), area) for name, area in found]
        known: list[tuple[Calculated, Area]] = [(other, area) for other, area in targets if other is not None]
        return known if len(known) == len(targets) else None


def old_result(where: str, changed: str) -> str:
    """The sentence for a formula whose saved result no longer contains."""
    return (
        f"{where} is calculated from {changed}, which this run changed, so its saved result is outdated. "
        "Calculate it in the macro, or save the workbook in its own program between two runs"
    )
