"""Actions on what is above and below each other."""

from __future__ import annotations

from decimal import Decimal

from scrub.catalog.columns_of_cells import used_columns
from scrub.model.cells.grid import CellError, HoldsColumns
from scrub.model.core.declare import Reach, action, needs
from scrub.model.core.values import Value, fold, is_empty

#: Rows or columns that nobody picks one by one.
_MANY = 10_000


@action(Reach.CHANGE, separate=True)
def fill_gaps(item: HoldsColumns) -> None:
    """Fills each empty cell with the nearest value above it, in every column.

    Example: fill-gaps
    Also: fill blanks, fill empty cells, repeat value, copy down
    """
    for sheet, area in item.areas():
        used = sheet.used()
        if used is None:
            continue
        if area.bottom - area.top > _MANY or area.right - area.left > _MANY:
            area = area.within(used)  # whole columns end with what is used
        for column in range(area.left, area.right + 1):
            above: Value = None
            filled = area.top  # where that value is
            for row in range(area.top, area.bottom + 1):
                value = sheet.raw_value(row, column)
                if isinstance(value, CellError):
                    above = None
                elif not is_empty(value):
                    above, filled = value, row
                elif above is not None and sheet.formula(row, column) is None:
                    sheet.put(row, column, above)
                    form = sheet.look(filled, column, "number-format")
                    if isinstance(above, Decimal) and sheet.look(row, column, "number-format") != form:
                        sheet.put_look(row, column, "number-format", form)


@action(Reach.CHANGE, separate=True)
@needs("put_look")
def mark_duplicates(item: HoldsColumns, fill: str = "#ffd9d9") -> None:
    """Colours cells whose value appears more than once in their column. Upper and lower case count as equal.

    fill: the fill colour.
    Example: mark-duplicates fill: "yellow"
    Also: duplicate values, twice, repeated, highlight, double
    """
    for sheet, column, values in used_columns(item):
        rows: dict[object, list[int]] = {}
        for row, value in values:
            if not isinstance(value, CellError) and not is_empty(value):
                key = ("text", fold(value).strip()) if isinstance(value, str) else (type(value), value)
                rows.setdefault(key, []).append(row)
        for same in rows.values():
            for row in same if len(same) > 1 else ():
                sheet.put_look(row, column, "fill", fill)


ACTIONS = (fill_gaps, mark_duplicates)
