"""Which columns changes may reach, by formulas without their digits. A cautious answer is right: columns that may be
reached are then looked at cell by cell.
"""

from __future__ import annotations

import re
from collections.abc import Iterable, Mapping, Sequence

from scrub.formulas.functions import FUNCTIONS
from scrub.formulas.tokens import SHAPED_ALIKE
from scrub.model.core.area import MOST_COLUMNS, column_of
from scrub.model.core.lazy_pattern import lazy_pattern

#: A sheet and a column.
Node = tuple[int, int]

_TEXT = lazy_pattern(r'"[^"]*"')
_PIECE = lazy_pattern(
    r"(?:(?:'((?:[^']|'')+)'|([^\W\d][\w.]*(?::[^\W\d][\w.]*)?|:?))!)?"
    r"(?:(?P<function>[^\W\d][\w.]*)(?=\()"
    r"|(?P<columns>\$?([A-Za-z]{1,3})\$?(?::\$?([A-Za-z]{1,3})\$?)?)(?![\w.(\[])"
    r"|(?P<name>[^\W\d][\w.?\\]*|\\[\w.?\\]*|\[)"
    r"|(?P<rows>\$?:\$?))"
)
_CONSTANTS = ("TRUE", "FALSE")


def sources_of(text: str, sheet: int, names: Mapping[str, Sequence[int]]) -> list[tuple[int, int, int]] | None:
    """The columns that a formula without digits refers to: sheet, first, last. None where it may be any.

    `names` gives the sheets whose names, without digits and in small letters, are one.
    """
    found: list[tuple[int, int, int]] = []
    for match in _PIECE.finditer(_TEXT.sub("", text)):
        function = match["function"]
        if function is not None:
            known = FUNCTIONS.get(function.upper().removeprefix("_XLFN.").removeprefix("_XLWS."))
            # A name such as LOG10 has lost its digits; no function that looks elsewhere has any.
            if function.upper() in SHAPED_ALIKE or (known is not None and known.dynamic):
                return None
            continue
        on = [sheet]
        if match[1] is not None or match[2] is not None:
            named = (match[1] or "").replace("''", "'") or match[2] or ""
            if ":" in named or named.startswith("["):
                return None
            on = list(names.get(named.casefold(), ()))
        if match["columns"] is not None:
            if match["columns"].upper() in _CONSTANTS:
                continue
            first = column_of(match[5].upper())
            last = column_of(match[6].upper()) if match[6] else first
            if max(first, last) > MOST_COLUMNS:
                return None  # a name
            found += [(each, min(first, last), max(first, last)) for each in on]
        elif match["rows"] is not None:
            found += [(each, 1, MOST_COLUMNS) for each in on]
        elif (match["name"] or "").upper() not in _CONSTANTS:
            return None
    return found


def reachable(
    texts: Sequence[Mapping[int, Sequence[str]]], sheets: Sequence[str], touched: Iterable[tuple[int, int, int]]
) -> set[Node]:
    """The columns with formulas that changes may reach. `texts` are the formulas of each sheet by columns, `touched`
    sheets with the first and last column that changed; formulas in these are reached too.
    """
    names: dict[str, list[int]] = {}
    for number, name in enumerate(sheets):
        names.setdefault(re.sub(r"\d", "", name).casefold(), []).append(number)
    reached: set[Node] = set()
    by_source: dict[int, list[tuple[int, int, Node]]] = {}
    anything: list[Node] = []
    for sheet, columns in enumerate(texts):
        for column, every in columns.items():
            node = (sheet, column)
            for text in every:
                sources = None if text.startswith("\0") else sources_of(text, sheet, names)
                if sources is None:
                    anything.append(node)
                    continue
                for on, first, last in sources:
                    by_source.setdefault(on, []).append((first, last, node))
    waiting = list(touched)
    if waiting:
        for node in anything:
            if node not in reached:
                reached.add(node)
                waiting.append((node[0], node[1], node[1]))
    for sheet, first, last in tuple(waiting):
        for column in texts[sheet]:
            if first <= column <= last:
                reached.add((sheet, column))
    while waiting:
        sheet, first, last = waiting.pop()
        for start, end, node in by_source.get(sheet, ()):
            if start <= last and first <= end and node not in reached:
                reached.add(node)
                waiting.append((node[0], node[1], node[1]))
    return reached
