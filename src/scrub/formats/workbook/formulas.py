"""Formulas as text (ISO/IEC 29500-1, 18.17): moving the references of a shared formula to another cell."""

from __future__ import annotations

import re

from scrub.model.area import MOST_COLUMNS, MOST_ROWS, column_of, letters_of

_PIECES = re.compile(
    r"""("(?:[^"]|"")*"|'(?:[^']|'')*'!?|\[[^\]]*\])"""  # texts, names of sheets, pieces of structured references
    r"|(?<![\w.$])(\$?)([A-Za-z]{1,3})(\$?)(\d{1,7})(?![\w.(!])"
    r"|(?<![\w.$:])(\$?)([A-Za-z]{1,3}):(\$?)([A-Za-z]{1,3})(?![\w.(!])"
    r"|(?<![\w.$:])(\$?)(\d{1,7}):(\$?)(\d{1,7})(?![\w.(!])"
)


def translated(formula: str, rows: int, columns: int) -> str:
    """The formula as it reads so many rows below and columns to the right: references without $ move along."""

    def moved(found: re.Match[str]) -> str:
        if found[1] is not None:
            return found[0]
        if found[5] is not None:
            column, row = _column(found[2], found[3], columns), _row(found[4], found[5], rows)
            return f"{column}{row}" if column and row else "#REF!"
        if found[7] is not None:
            one, other = _column(found[6], found[7], columns), _column(found[8], found[9], columns)
        else:
            one, other = _row(found[10], found[11], rows), _row(found[12], found[13], rows)
        return f"{one}:{other}" if one and other else "#REF!"

    return _PIECES.sub(moved, formula)


def _column(fixed: str, letters: str, by: int) -> str:
    if fixed:
        return f"${letters}"
    number = column_of(letters)
    if number > MOST_COLUMNS:
        return letters  # a name such as ZZZ1, no reference
    number += by
    return letters_of(number) if 1 <= number <= MOST_COLUMNS else ""


def _row(fixed: str, digits: str, by: int) -> str:
    if fixed:
        return f"${digits}"
    number = int(digits) + by
    return str(number) if 1 <= number <= MOST_ROWS else ""
