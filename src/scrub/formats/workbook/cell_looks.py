"""How the cells of one sheet look: what is set, and what a cell gets from its column."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING, Any

from scrub.formats.line_changes import line_name
from scrub.formats.overlay import key_of
from scrub.formats.workbook.formatting.colours import same_colour
from scrub.formats.workbook.shared import Shared
from scrub.model.core.area import Area
from scrub.model.core.problem import Failure

if TYPE_CHECKING:
    from scrub.formats.workbook.around.lines import Lines
    from scrub.formats.workbook.cells.overlay import SheetOverlay
    from scrub.formats.workbook.cells.stored_cells import StoredCells
    from scrub.formats.workbook.contracts import StyledCells


class CellLooks:
    """Sets how cells look: each has the number of a format, and formats are made as they are needed."""

    def __init__(
        self, sheet: StyledCells, shared: Shared, overlay: SheetOverlay, stored: StoredCells, lines: Lines
    ) -> None:
        self._sheet = sheet
        self._shared = shared
        self._overlay = overlay
        self._stored = stored
        self._lines = lines

    def styles_of(self, column: int) -> Callable[[int], int]:
        """What gives the number of a cell's format by its row, for who asks it of a whole column."""
        found = self._stored.styles_in(column)
        if found is None:
            return lambda row: self._sheet.style(row, column)
        stored, changed, inherited = found, self._overlay.styles, self._lines.inherited_style

        def style(row: int) -> int:
            fresh = changed.get(key_of(row, column))
            if fresh is not None:
                return fresh
            known = stored.get(row)
            return inherited(row, column) if known is None else known

        return style

    def put(self, row: int, column: int, word: str, value: Any) -> None:
        """Changes how a cell looks."""
        style = self._sheet.style(row, column)
        before = self._shared.styles.look(style, word)
        if word in ("fill", "colour"):
            value = same_colour(value)
        fresh = self._derived(style, word, value)
        if fresh is not None:
            back = self._overlay.put_style(key_of(row, column), fresh)
            self._sheet.changed(word, before, value, back, inner=(_cell(row, column),))

    def put_column(self, column: int, word: str, value: object) -> None:
        """Changes the format of a column, which its cells have that are not filled yet."""
        before = self._lines.column_style(column)
        seen = self._shared.styles.look(before, word)
        fresh = self._derived(before, word, value)
        if fresh is not None:
            back = self._lines.put_column_style(column, fresh)
            self._sheet.changed(word, seen, value, back, inner=(line_name(column, False),))

    def liken(self, place: tuple[int, int], other: tuple[int, int], field: str, said: str) -> None:
        """Gives a cell the format of another one; the change is of a field, and says what it was likened to."""
        style = self._sheet.style(*other)
        if style != self._sheet.style(*place):
            back = self._overlay.put_style(key_of(*place), style)
            self._sheet.changed(field, None, said, back, inner=(_cell(*place),))

    def _derived(self, style: int, word: str, value: Any) -> int | None:
        """A format with another look; None where it has that look. Raises `Failure` on a protected sheet."""
        styles = self._shared.styles
        if word in ("fill", "colour"):
            value = same_colour(value)
        if word == "number-format":
            from scrub.formats.workbook.cells.number_formats import ensure_number_format  # rarely needed

            ensure_number_format(value)
        same = styles.look(style, word) == value
        if same and not (word == "fill" and value is None and styles.is_filled(style)):
            return None
        if self._sheet.protected:
            raise Failure(f"{self._sheet.name}: the sheet is protected. Unprotect it first: unprotect")
        return styles.derived(style, word, value)


def _cell(row: int, column: int) -> Area:
    return Area(row, column, row, column)
