"""Formulas cut into pieces (ISO/IEC 29500-1, 18.17.2)."""

from __future__ import annotations

from collections.abc import Iterator

from scrub.model.core.lazy_pattern import lazy_pattern
from scrub.model.core.named import NamedTuple

_SHEET = r"(?:'(?P<quoted>(?:[^']|'')+)'|(?P<plain>(?:\[\d+\])?[^\W\d][\w.]*(?::[^\W\d][\w.]*)?))!"
_CELL = r"\$?[A-Za-z]{1,3}\$?\d{1,7}"
_TOKEN = lazy_pattern(
    rf"""(?P<text>"(?:[^"]|"")*")"""
    rf"|(?P<blank>\s+)"
    rf"|(?:{_SHEET})?(?:"
    rf"(?P<error>\#(?:REF!|N/A|NAME\?|VALUE!|DIV/0!|NUM!|NULL!|SPILL!|CALC!|GETTING_DATA))|"
    rf"(?P<range>{_CELL}(?::{_CELL})?|\$?[A-Za-z]{{1,3}}:\$?[A-Za-z]{{1,3}}|\$?\d{{1,7}}:\$?\d{{1,7}})(?![\w.(\[])"
    rf"|(?P<function>[^\W\d][\w.]*)(?=\()"
    rf"|(?P<table>[^\W\d][\w.]*)(?=\[)"
    rf"|(?P<name>[^\W\d][\w.?\\]*|\\[\w.?\\]*))"
    rf"|(?P<number>\d+(?:\.\d*)?(?:[eE][+-]?\d+)?|\.\d+(?:[eE][+-]?\d+)?)"
    rf"|(?P<operator><=|>=|<>|[-+*/^&=<>%:@#])"
    rf"|(?P<mark>[(),;{{}}\[\]!])",
)


#: Functions whose last range is as large as the first, whatever is written (ISO/IEC 29500-1, 18.17.7).
SHAPED_ALIKE = frozenset(("SUMIF", "AVERAGEIF"))
#: How deep names may refer to names.
DEEPEST_NAMES = 20


class FormulaPiece(NamedTuple):
    """A piece of a formula: what it is, its text, the sheet before it, if any, and the characters it takes."""

    sort: str
    text: str
    sheet: str
    start: int
    end: int


def pieces_of(formula: str) -> Iterator[FormulaPiece]:
    """The pieces of a formula without its equals sign; one of sort "unknown" ends what cannot be read."""
    at = 0
    while at < len(formula):
        match = _TOKEN.match(formula, at)
        if match is None or not match[0]:
            yield FormulaPiece("unknown", formula[at:], "", at, len(formula))
            return
        sheet = (match["quoted"] or "").replace("''", "'") or match["plain"] or ""
        sort = match.lastgroup or ""  # what is after the sheet closes last
        if match[0] == "[":  # of the table that the formula is in: [[#This Row],[Nights]]
            end = _closing(formula, at)
            yield FormulaPiece("table" if end > 0 else "unknown", formula[at:end] if end > 0 else "[", "", at, end)
            if end < 0:
                return
            at = end
            continue
        end = match.end()
        if sort == "table":  # what is in its brackets is not looked at
            end = _closing(formula, end)
            if end < 0:
                yield FormulaPiece("unknown", "[", "", match.end(), len(formula))
                return
        if sort != "blank":
            yield FormulaPiece(sort, match[sort], sheet, at, end)
        at = end


def _closing(formula: str, start: int) -> int:
    """After the bracket that closes the one at `start`; -1 when none does. What is after a `'` is just a character."""
    depth = 0
    for at in range(start, len(formula)):
        if formula[at - 1] == "'" and at > start and formula[at - 2] != "'":
            continue
        depth += {"[": 1, "]": -1}.get(formula[at], 0)
        if not depth:
            return at + 1
    return -1
