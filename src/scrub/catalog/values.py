"""Actions that turn texts into what they say: numbers and dates that were stored as text."""

from __future__ import annotations

import re
from collections.abc import Callable

from scrub.catalog.holders import CELL_KINDS, HoldsCells, used_columns
from scrub.model.declare import Reach, action
from scrub.model.operations.dates import as_date
from scrub.model.operations.numbers import as_number
from scrub.model.preferences import DateOrder, Mark
from scrub.model.problem import Failure
from scrub.model.values import Value

_CODE = re.compile(r"[+-]?0\d|[+-]?[\d.,' \u00a0\u202f]{17,}|\+")


def _number(text: str, mark: Mark | None) -> Value:
    if _CODE.match(text.strip()):
        raise Failure(f'"{text}" looks like a code or a telephone number, whose digits would be lost')
    return as_number(text, mark)


def _convert(item: HoldsCells, read: Callable[[str], Value]) -> None:
    """Puts what a text says in its place; one that could be read in two ways stays, and the record says so."""
    for sheet, column, values in used_columns(item):
        for row, text in sorted((row, text) for row, text in values if isinstance(text, str)):
            if sheet.formula(row, column) is not None:
                continue
            try:
                value = read(text)
            except Failure as failure:
                if re.search("two ways|two digits|code or", failure.what):
                    reason = failure.what.split(". ")[0]
                    item.file.recorder.remarks.append(f"left {sheet.where(row, column)}: {reason}")
                continue
            if sheet.look(row, column, "number-form") == "@":
                sheet.put_look(row, column, "number-form", "General")
            sheet.put(row, column, value)


@action(Reach.CHANGE)
def read_numbers(item: HoldsCells, mark: Mark | None = None) -> None:
    """Turns texts that read as a number into numbers. What can be read in two ways, and codes such as 007, are left,
    and the run's record names them.

    mark: the decimal mark, point or comma; left out, the one of the settings.
    Example: read-numbers
    Also: text to number, convert, stored as text, green triangle
    """
    _convert(item, lambda text: _number(text, mark))


@action(Reach.CHANGE)
def read_dates(item: HoldsCells, order: DateOrder | None = None) -> None:
    """Turns texts that read as a date into dates. What can be read in two ways is left, and the run's record names it.

    order: which part comes first; left out, the order of the settings.
    Example: read-dates order: day-first
    Also: text to date, convert, stored as text
    """
    _convert(item, lambda text: as_date(text, order))


ACTIONS = [(function, CELL_KINDS) for function in (read_numbers, read_dates)]
