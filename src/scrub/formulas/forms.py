"""Formulas that were filled down recognised by their texts, without parsing each."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence

from scrub.formulas.calculation import Form
from scrub.formulas.tokens import pieces_of
from scrub.formulas.tree import parse
from scrub.formulas.values import Unsupported
from scrub.model.core.lazy_pattern import lazy_pattern

_DIGITS = lazy_pattern(r"\d+")
#: Of a text of which each is another one, so many forms are tried.
_MOST_FORMS = 64
_CORNER = lazy_pattern(r"(\$?)([A-Za-z]{1,3})?(\$?)(\d{1,7})")


class Forms:
    """The forms of the formulas of one sheet. The text without its digits is the key; where the numbers of another
    text differ from those of the first just by the rows between, in references that move along, both have one tree.
    """

    def __init__(self) -> None:
        self._known: dict[tuple[int, str], list[_First]] = {}

    def of(self, text: str, row: int, column: int) -> Form:
        """The form of a formula without its equals sign, which is in a cell."""
        digits = _DIGITS.findall(text)
        firsts = self._known.setdefault((column, _DIGITS.sub("#", text)), [])
        for first in firsts:
            if first.is_form_of(digits, row):
                return first.form
        form = form_of(text, row, column)
        if len(firsts) < _MOST_FORMS:
            firsts.append(_First(form, text, digits, row))
        return form


def forms_of_column(cells: Sequence[tuple[int, str]], column: int) -> Iterator[tuple[Form, list[int]]]:
    """The forms of the formulas of a column, given by row and text, with the rows of each. The text of the first one
    is filled with the row of each other: what is equal to that has its form.
    """
    left = list(cells)
    tries = 0
    while left and tries < _MOST_FORMS:
        tries += 1
        row, text = left[0]
        form, pattern, offsets = form_of(text, row, column), *_pattern_of(text, row)
        if not offsets:
            own = [other for other, said in left if said == text]
            left = [cell for cell in left if cell[1] != text]
        else:
            own, rest = [], []
            for cell in left:
                other = cell[0]
                if cell[1] == pattern % tuple([other + offset for offset in offsets]):
                    own.append(other)
                else:
                    rest.append(cell)
            left = rest
        yield form, own
    for row, text in left:
        yield form_of(text, row, column), [row]


def form_if_filled(joined: str, rows: Sequence[int], column: int) -> Form | None:
    """The form of formulas in rows of a column, one in each line of a text, where all were filled from the first."""
    text = joined.partition("\n")[0]
    pattern, offsets = _pattern_of(text, rows[0])
    filled: Iterable[str] = [text] * len(rows)
    if offsets:
        filled = map(pattern.__mod__, zip(*([row + offset for row in rows] for offset in offsets), strict=True))
    return form_of(text, rows[0], column) if "\n".join(filled) == joined else None


def _pattern_of(text: str, row: int) -> tuple[str, list[int]]:
    """A formula with a gap for each row that moves along, and how far each is from that of the cell."""
    parts: list[str] = []
    offsets: list[int] = []
    at = 0
    for match, moves in zip(_DIGITS.finditer(text), _moving(text), strict=True):
        if moves and not match[0].startswith("0"):
            parts.append(text[at : match.start()].replace("%", "%%"))
            offsets.append(int(match[0]) - row)
            at = match.end()
    return "%d".join([*parts, text[at:].replace("%", "%%")]), offsets


def form_of(text: str, row: int, column: int, array: bool = False) -> Form:
    """The form of one formula; one without a tree where it cannot be read."""
    try:
        return Form(parse(text, row, column), array)
    except Unsupported as problem:
        return Form(None, array, problem.reason)


class _First:
    """The first text of a form."""

    __slots__ = ("_digits", "_moves", "_row", "_text", "form")

    def __init__(self, form: Form, text: str, digits: list[str], row: int) -> None:
        self.form = form
        self._text = text
        self._digits = digits
        self._row = row
        self._moves: list[bool] | None = None

    def is_form_of(self, digits: list[str], row: int) -> bool:
        """Whether another text, with the same letters, has the same tree in its row."""
        if digits == self._digits:
            return row == self._row or not any(self._moving())
        by = row - self._row
        return all(
            other == (str(int(own) + by) if moves else own)
            for other, own, moves in zip(digits, self._digits, self._moving(), strict=True)
        )

    def _moving(self) -> list[bool]:
        if self._moves is None:
            self._moves = _moving(self._text)
        return self._moves


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
