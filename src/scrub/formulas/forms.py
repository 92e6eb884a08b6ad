"""Formulas that were filled down recognised by their texts, without parsing each."""

from __future__ import annotations

import re

from scrub.formulas.calculation import Form
from scrub.formulas.tokens import pieces_of
from scrub.formulas.tree import parse
from scrub.formulas.values import Unsupported

_DIGITS = re.compile(r"\d+")
#: Of a text of which each is another one, so many forms are tried.
_MOST_FORMS = 64
_CORNER = re.compile(r"(\$?)([A-Za-z]{1,3})?(\$?)(\d{1,7})")


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
