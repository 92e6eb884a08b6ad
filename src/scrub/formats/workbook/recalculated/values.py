"""Values of macros as formulas have them."""

from __future__ import annotations

from datetime import date
from decimal import Decimal

from scrub.formats.overlay import CellOverlay, key_of
from scrub.formats.workbook.cells.decode import Decoder
from scrub.formulas.calculation import Held, Lost
from scrub.formulas.values import ERRORS, ErrorValue
from scrub.model.cells.grid import CellError
from scrub.model.core.amounts import Duration

_SECONDS = Decimal(86_400)


def held(value: object, decoder: Decoder) -> Held:
    """A value of a macro as formulas have it."""
    if isinstance(value, bool | str) or value is None:
        return value
    if isinstance(value, Decimal):
        return float(value)
    if isinstance(value, date):
        return float(decoder.serial(value))
    if isinstance(value, Duration):
        return float(value.in_unit("seconds") / _SECONDS)
    if isinstance(value, CellError) and value.error:
        return ERRORS.get(value.error) or ErrorValue(value.error)
    return Lost("a cell is damaged")


def first_value(overlay: CellOverlay, decoder: Decoder, row: int, column: int) -> Held:
    """What a cell that was changed held in the file; `Lost` for one that got a formula."""
    key = key_of(row, column)
    return held(overlay.first[key], decoder) if key in overlay.first else Lost("it had another formula")
