"""Formulas that were filled down recognised by their texts, without parsing each."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence

from scrub.formulas.calculation import Form
from scrub.formulas.tokens import pieces_of
from scrub.formulas.tree import parse
from scrub.formulas.values import Unsupported
from scrub.model.core.area import MOST_ROWS
from scrub.model.core.lazy_pattern import lazy_pattern
from scrub.model.core.named import NamedTuple

_DIGITS = lazy_pattern(r"\d+")
#: How many forms are told apart of formulas that are the same but for their digits.
_MOST_FORMS = 64
_CORNER = lazy_pattern(r"(\$?)([A-Za-z]{1,3})?(\$?)(\d{1,7})")


class Forms:
    """The forms of the formulas of one sheet. The text without its digits is the key; where the numbers of another
    text differ from those of the first just by the rows between, in references that move along, both have one tree.
    """

    def __init__(self) -> None:
        self._known: dict[tuple[int, str], list[tuple[_Filled, Form]]] = {}

    def of(self, text: str, row: int, column: int) -> Form:
        """The form of a formula without its equals sign, which is in a cell."""
        known = self._known.setdefault((column, _DIGITS.sub("#", text)), [])
        for filled, form in known:
            if filled.text(row) == text:
                return form
        form = form_of(text, row, column)
        if len(known) < _MOST_FORMS:
            known.append((_filled_from(text, row), form))
        return form


def forms_of_column(cells: Sequence[tuple[int, str]], column: int) -> Iterator[tuple[Form, list[int]]]:
    """The forms of the formulas of a column, given by row and text, with the rows of each. The text of the first one
    is filled with the row of each other: what is equal to that has its form.
    """
    left = list(cells)
    for _ in range(_MOST_FORMS):
        if not left:
            return
        row, text = left[0]
        filled = _filled_from(text, row)
        own: list[int] = []
        rest: list[tuple[int, str]] = []
        for cell in left:
            if cell[1] == filled.text(cell[0]):
                own.append(cell[0])
            else:
                rest.append(cell)
        yield form_of(text, row, column), own
        left = rest
    for row, text in left:
        yield form_of(text, row, column), [row]


def form_if_filled(joined: str, rows: Sequence[int], column: int) -> Form | None:
    """The form of formulas in rows of a column, one in each line of a text, where all were filled from the first."""
    text = joined.partition("\n")[0]
    filled = _filled_from(text, rows[0])
    return form_of(text, rows[0], column) if "\n".join(filled.texts(rows)) == joined else None


class _Filled(NamedTuple):
    """A formula as it is filled down: its text with a gap for each row that moves along, and how far each of these is
    from the row of the cell.
    """

    pattern: str
    offsets: Sequence[int]
    first: int  # the first and last row it can be filled into: beyond the sheet, a reference is a name
    last: int

    def text(self, row: int) -> str | None:
        """What it says in a row; None where it cannot be."""
        if not self.first <= row <= self.last:
            return None
        return self.pattern % tuple([row + offset for offset in self.offsets])

    def texts(self, rows: Sequence[int]) -> Iterable[str]:
        """What it says in many rows; nothing where it cannot be in all of them."""
        if min(rows) < self.first or max(rows) > self.last:
            return ()
        if not self.offsets:
            return [self.pattern % ()] * len(rows)
        each = ([row + offset for row in rows] for offset in self.offsets)
        return map(self.pattern.__mod__, zip(*each, strict=True))


def _filled_from(text: str, row: int) -> _Filled:
    """How a formula that is in a row is filled down."""
    pattern = ""
    offsets: list[int] = []
    at = 0
    for match, moves in zip(_DIGITS.finditer(text), _moving(text), strict=True):
        if moves and 1 <= int(match[0]) <= MOST_ROWS:
            gap = f"%0{len(match[0])}d" if match[0].startswith("0") else "%d"
            pattern += text[at : match.start()].replace("%", "%%") + gap
            offsets.append(int(match[0]) - row)
            at = match.end()
    pattern += text[at:].replace("%", "%%")
    return _Filled(pattern, offsets, 1 - min(offsets, default=0), MOST_ROWS - max(offsets, default=0))


def form_of(text: str, row: int, column: int, array: bool = False) -> Form:
    """The form of one formula; one without a tree where it cannot be read."""
    try:
        return Form(parse(text, row, column), array)
    except Unsupported as problem:
        return Form(None, array, problem.reason)


def _moving(text: str) -> list[bool]:
    """Of each run of digits in a formula, whether it is a row that moves along with the cell."""
    starts: set[int] = set()
    for piece in pieces_of(text):
        if piece.sort == "range":
            offset = piece.end - len(piece.text)
            for match in _CORNER.finditer(piece.text):
                if not match[3] and not (match[1] and not match[2]):
                    starts.add(offset + match.start(4))
    return [match.start() in starts for match in _DIGITS.finditer(text)]
