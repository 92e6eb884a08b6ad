"""Actions that turn texts into what they say: numbers and dates that were stored as text."""

from __future__ import annotations

import re
from collections.abc import Callable
from datetime import date

from scrub.catalog.columns_of_cells import used_columns
from scrub.model.cells.grid import HoldsCells
from scrub.model.core.declare import Reach, action
from scrub.model.core.lazy_pattern import lazy_pattern
from scrub.model.core.preferences import DateOrder, Mark
from scrub.model.core.problem import Failure
from scrub.model.core.values import Value
from scrub.model.operations.dates import as_date
from scrub.model.operations.numbers import as_number

_CODE = lazy_pattern(r"[+-]?0\d|[+-]?[\d.,' \u00a0\u202f]{17,}|\+")


def _number(text: str, mark: Mark | None) -> Value:
    if _CODE.match(text.strip()):
        raise Failure(f'"{text}"looks like a code or a phone number; as a number it would lose digits')
    return as_number(text, mark)


def _convert(item: HoldsCells, read: Callable[[str], Value]) -> None:
    """Puts what a text says in its place. A text with digits that is not turned stays, and the record names it."""
    for sheet, column, values in used_columns(item):
        for row, text in sorted((row, text) for row, text in values if isinstance(text, str)):
            if sheet.formula(row, column) is not None:
                continue
            try:
                value = read(text)
                form = sheet.look(row, column, "number-format")
                sheet.put(row, column, value)
                fresh = _percent_form(text) if text.rstrip().endswith("%") else "General" if form == "@" else form
                if fresh != form and not isinstance(value, date) and form in ("@", "General"):
                    sheet.put_look(row, column, "number-format", fresh)
            except Failure as failure:
                if any(letter.isdigit() for letter in text):
                    reason = failure.what.split(". ")[0].removeprefix(f"{sheet.where(row, column)}: ")
                    item.file.recorder.remarks.append(f"skipped {sheet.where(row, column)}: {reason}")


def _percent_form(text: str) -> str:
    """The number format of a percentage, with as many decimals as the text has."""
    decimals = re.search(r"[.,](\d{1,2})\s*%", text)
    return f"0.{'0' * len(decimals[1])}%" if decimals else "0%"


@action(Reach.CHANGE, separate=True)
def read_numbers(item: HoldsCells, mark: Mark | None = None) -> None:
    """Converts text such as "€ 12.50", "(45.00)", "5-" and "12%" to numbers. Ambiguous numbers, codes such as 007, and
    other text with digits are skipped and listed in the log.

    mark: the decimal separator; default: the setting.
    Example: read-numbers
    Also: text to number, convert, stored as text, green triangle
    """
    _convert(item, lambda text: _number(text, mark))


@action(Reach.CHANGE, separate=True)
def read_dates(item: HoldsCells, order: DateOrder | None = None) -> None:
    """Converts text that looks like a date to dates. Ambiguous dates and other text with digits are skipped and listed
    in the log.

    order: which part comes first; default: the setting.
    Example: read-dates order: day-first
    Also: text to date, convert, stored as text
    """
    _convert(item, lambda text: as_date(text, order))


ACTIONS = (read_numbers, read_dates)
