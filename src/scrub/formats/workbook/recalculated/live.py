"""A result that is asked for while a macro runs, from the cells as they are now."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from datetime import datetime
from functools import cached_property
from typing import TYPE_CHECKING, Protocol

from scrub.formats.workbook.recalculated.results import typed
from scrub.formats.workbook.recalculated.values import held
from scrub.formulas.calculation import DIRTY, Calculated, Calculation, Cell, Columns, Form, Held, Lost
from scrub.formulas.contract import TablePlace
from scrub.formulas.forms import Forms, form_of
from scrub.formulas.tree import Node, parse
from scrub.formulas.values import Value
from scrub.model.cells.grid import CellError, resolve
from scrub.model.core.area import Area

if TYPE_CHECKING:
    from scrub.formats.workbook.cells.decode import Decoder
    from scrub.formats.workbook.contracts import Sharing
    from scrub.formats.workbook.names.names import Names

_INSTEAD = "Calculate it in the macro, or save the workbook in its own program between two runs"


class LiveBook(Protocol):
    """A workbook, as far as its results need it."""

    version: int
    sheets: Sequence[Sharing]

    @property
    def decoder(self) -> Decoder:
        """Reads stored values."""

    @property
    def names(self) -> Names:
        """The defined names."""

    @property
    def by_name(self) -> Mapping[str, Sharing]:
        """The sheets by their names, without regard to case."""


class _LiveColumns(Columns):
    """Values that are read one by one; a column is read as a whole where a range is asked for."""

    def __init__(self, cells: LiveCells) -> None:
        super().__init__(cells.read)
        self._cells = cells
        self._single: dict[Cell, Held] = {}

    def held(self, cell: Cell) -> Held:
        """What a cell holds now."""
        if cell not in self._single:
            self._single[cell] = self._cells.single(cell)
        return self._single[cell]

    def value(self, sheet: int, row: int, column: int) -> Value:
        """The value of a cell. Raises `Needed`, or `Unsupported` where it could not be calculated."""
        return self.given_value((sheet, row, column), self.held((sheet, row, column)))

    def known(self, sheet: int, column: int) -> list[tuple[int, Held]]:
        """The cells of a column that were read or calculated one by one, by row."""
        return [(cell[1], value) for cell, value in self._single.items() if (cell[0], cell[2]) == (sheet, column)]

    def put(self, cell: Cell, value: Value | Lost) -> None:
        """Gives a cell its result."""
        self._single[cell] = value
        if (cell[0], cell[2]) in self._columns:
            super().put(cell, value)


class LiveCells:
    """The cells of a workbook while a macro runs; good for as long as nothing changes."""

    def __init__(self, shared: LiveBook, moment: datetime, former: LiveCells | None = None) -> None:
        """`former` are the cells before a change, whose formulas are read already."""
        self.moment = moment
        self.from_1904 = shared.decoder.from_1904
        self.version = shared.version
        self._shared = shared
        self._sheets: Sequence[Sharing] = list(shared.sheets)
        self._numbers = {id(sheet): number for number, sheet in enumerate(self._sheets)}
        self.forms: list[Forms] = former.forms if former is not None else [Forms() for _ in self._sheets]
        self._names: dict[tuple[str, int], Node | None] = {}
        self.columns = _LiveColumns(self)
        self.value = self.columns.value
        self.column = self.columns.column
        self._calculation = _Asked(self)

    def seen(self, sheet: Sharing, row: int, column: int) -> object:
        """The result of the formula of a cell as a macro sees it: what is read of the text that will be written. A
        `CellError` where it cannot be calculated.
        """
        cell = (self._numbers[id(sheet)], row, column)
        self._calculation.calculate([cell])
        value, where = self.columns.held(cell), sheet.where(row, column)
        if isinstance(value, Lost):
            what = f"{where} cannot be calculated here: {value.reason}. {_INSTEAD}"
            return CellError(what, lost=True)
        type_, text = typed(value)
        return self._shared.decoder.typed(type_ or "n", sheet.style(row, column), text or "", lambda: where)

    # -- what the evaluator asks

    @cached_property
    def last_row(self) -> int:
        """The last row of all sheets with anything in it."""
        return max((used.bottom for used in self._used), default=1)

    @cached_property
    def last_column(self) -> int:
        """The last column of all sheets with anything in it."""
        return max((used.right for used in self._used), default=1)

    @cached_property
    def _used(self) -> list[Area]:
        return [used for sheet in self._sheets if (used := sheet.used()) is not None]

    def sheet(self, name: str) -> int | None:
        """The number of a sheet, whatever the case of its letters; None for no such sheet."""
        known = self._shared.by_name.get(name.casefold())
        return self._numbers.get(id(known)) if known is not None else None

    def sheet_name(self, sheet: int) -> str:
        """The name of a sheet."""
        return self._sheets[sheet].name

    @property
    def sheet_count(self) -> int:
        """How many sheets there are."""
        return len(self._sheets)

    def name(self, word: str, sheet: int) -> Node | None:
        """What a defined name means on a sheet; None for no such name."""
        key = (word.casefold(), sheet)
        if key not in self._names:
            target = self._shared.names.meaning(word, self._sheets[sheet].saved.part.number)
            self._names[key] = parse(target.strip().removeprefix("="), 1, 1) if target is not None else None
        return self._names[key]

    def table(self, name: str, sheet: int, row: int, column: int) -> TablePlace | None:
        """A table by its name; without one, the table that a cell is in."""
        for number, other in enumerate(self._sheets):
            for place in other.tables():
                is_meant = (
                    place.name.casefold() == name.casefold()
                    if name
                    else number == sheet and place.area.holds(row, column)
                )
                if not is_meant:
                    continue
                words = tuple(
                    str(resolve(other.column_values(at).get(place.area.top)) or "")
                    for at in range(place.area.left, place.area.right + 1)
                )
                return TablePlace(number, *place.area, 1, place.area.bottom - place.bottom, words)
        return None

    def is_hidden(self, sheet: int, row: int, filtered_only: bool) -> bool:
        """Whether a row is hidden; or, of those, by a filter."""
        return self._sheets[sheet].hides_row(row, filtered_only)

    def has_subtotal(self, sheet: int, row: int, column: int) -> bool:
        """Whether the formula of a cell is itself a subtotal, which another one passes by."""
        known = self.calculated((sheet, row, column))
        return known is not None and known.form.is_subtotal

    def formula(self, sheet: int, row: int, column: int) -> str | None:
        """The formula of a cell, with its equals sign; None for none."""
        return self._sheets[sheet].stale.formula(row, column)

    def calculated(self, cell: Cell) -> Calculated | None:
        """What a cell is calculated by; None for a plain one."""
        sheet, row, column = cell
        array = next((area for area in self._sheets[sheet].array_ranges() if area.holds(row, column)), None)
        if array is not None:
            text = self._sheets[sheet].stale.formula(array.top, array.left)
            form = form_of((text or "=")[1:], array.top, array.left, True)
            return Calculated(form if text else Form(None, reason="it is a data table"), array)
        text = self._sheets[sheet].stale.formula(row, column)
        return Calculated(self.forms[sheet].of(text[1:], row, column)) if text else None

    # -- values

    def single(self, cell: Cell) -> Held:
        """What one cell holds."""
        sheet, row, column = cell
        on = self._sheets[sheet]
        if on.has_formula(row, column):
            return DIRTY
        return held(on.raw_value(row, column), self._shared.decoder)

    def read(self, sheet: int, column: int) -> list[Held]:
        """The values of a column."""
        on = self._sheets[sheet]
        known = on.column_values(column)
        used = on.used()
        values: list[Held] = [None] * max(used.bottom if used is not None else 0, max(known, default=0))
        for row, value in known.items():
            is_calculated = type(value) is CellError and value.stale is not None
            values[row - 1] = DIRTY if is_calculated else held(value, self._shared.decoder)
        if used is not None:
            for row, _ in on.stale.formulas_in(Area(1, column, len(values), column)):
                values[row - 1] = DIRTY
        for row, value in self.columns.known(sheet, column):
            values += [None] * (row - len(values))
            values[row - 1] = value
        return values

    def saved(self, cell: Cell) -> Held | None:
        """The saved result of a cell where nothing changed that it depends on; None where it has to be calculated."""
        sheet, row, column = cell
        value = self._sheets[sheet].stale.still_right(row, column)
        if value is None or (isinstance(value, CellError) and not value.error):
            return None
        return held(value, self._shared.decoder)


class _Asked(Calculation):
    """Calculates what is asked for; results that still hold are taken as they are."""

    def __init__(self, cells: LiveCells) -> None:
        super().__init__(cells, cells.columns, cells.calculated)
        self._live = cells

    def _put(self, cell: Cell) -> None:
        known = self._live.saved(cell)
        if known is None:
            super()._put(cell)
        else:
            self._columns.put(cell, known)  # type: ignore[arg-type]
