"""Which columns changes may reach, by formulas without their digits. A cautious answer is right: columns that may be
reached are then looked at cell by cell.
"""

from __future__ import annotations

import re
from collections.abc import Collection, Iterable, Mapping, Sequence

from scrub.formulas.functions import FUNCTIONS
from scrub.formulas.tokens import SHAPED_ALIKE
from scrub.model.core.area import MOST_COLUMNS, column_of, letters_of
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


def is_plain(text: str) -> bool:
    """Whether a formula without digits refers to single cells only, spelled as programs spell them."""
    without = _TEXT.sub("", text)
    return ":" not in without and without.isascii() and not any("a" <= letter <= "z" for letter in without)


def reachable(
    texts: Sequence[Mapping[int, Sequence[str]]],
    sheets: Sequence[str],
    touched: Iterable[tuple[int, int, int]],
    naming: Collection[Node] | None = None,
) -> set[Node]:
    """The columns with formulas that changes may reach. `texts` are the formulas of each sheet by columns, `touched`
    sheets with the first and last column that changed; formulas in these are reached too. `naming` are the columns
    with a formula that names a changed cell, where these are a few and somebody looked.
    """
    names: dict[str, list[int]] = {}
    for number, name in enumerate(sheets):
        names.setdefault(re.sub(r"\d", "", name).casefold(), []).append(number)
    reached: set[Node] = set()
    by_source: dict[int, list[tuple[int, int, Node, bool]]] = {}  # the last tells whether the changes themselves count
    anything: list[Node] = []
    for sheet, columns in enumerate(texts):
        for column, every in columns.items():
            node = (sheet, column)
            for text in every:
                sources = None if text.startswith("\0") else sources_of(text, sheet, names)
                if sources is None:
                    anything.append(node)
                    continue
                direct = naming is None or node in naming or not is_plain(text)
                for on, first, last in sources:
                    by_source.setdefault(on, []).append((first, last, node, direct))
    waiting = [(*each, False) for each in touched]  # the last tells whether it is a column of formulas
    if waiting:
        reached |= set(anything)
        waiting += [(sheet, column, column, True) for sheet, column in reached]
    for sheet, first, last, _ in tuple(waiting):
        for column in texts[sheet]:
            if first <= column <= last and (sheet, column) not in reached:
                reached.add((sheet, column))
                waiting.append((sheet, column, column, True))
    while waiting:
        sheet, first, last, of_formulas = waiting.pop()
        for start, end, node, direct in by_source.get(sheet, ()):
            if start <= last and first <= end and node not in reached and (direct or of_formulas):
                reached.add(node)
                waiting.append((node[0], node[1], node[1], True))
    return reached


def naming_columns(data: bytes, row: int, column: int) -> set[int] | None:
    """The columns of a sheet in which a formula names a cell, on any sheet; None where a search could miss one."""
    if b"&#" in data:
        return None
    found: set[int] = set()
    for match in re.finditer(rb"%b\$?%d(?![0-9A-Z_.])" % (letters_of(column).encode(), row), data):
        at = match.start()
        if data[at - 1 : at] not in _BEFORE:
            cell = _ADDRESS.match(data, data.rfind(b'<c r="', 0, at))
            if cell is None:
                return None
            found.add(column_of(cell[1].decode()))
    return found


#: What makes another name of it, before it; a `"` begins the address of a cell.
_BEFORE = frozenset(bytes([each]) for each in b'0123456789ABCDEFGHIJKLMNOPQRSTUVWXYZ_."')
_ADDRESS = lazy_pattern(rb'<c r="([A-Z]{1,3})')
