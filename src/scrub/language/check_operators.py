"""What operators mean: which types they go with, and the type of what they give."""

from __future__ import annotations

import re
from collections.abc import Iterable, Sequence
from contextlib import AbstractContextManager
from typing import Any

from scrub.language import tree
from scrub.language.meanings import Meanings
from scrub.language.tree import Expression, Place
from scrub.model.patterns import pattern_of
from scrub.model.problem import Failure
from scrub.model.types import (
    ADDRESS,
    ANY,
    DATE,
    DURATION,
    LENGTH,
    NOTHING,
    NUMBER,
    SECRET,
    SIZE,
    TEXT,
    TIME,
    YES_NO,
    Type,
    unit_missing,
)

_AMOUNTS = (DURATION, LENGTH, SIZE)
_ORDERED = (NUMBER, DATE, TIME, *_AMOUNTS)


class Operators:
    """Gives comparisons, arithmetic and logic their types; what reads all other expressions builds on it."""

    means: Meanings

    def type(self, node: Expression) -> Type:
        """The type of an expression."""
        raise NotImplementedError

    def note(
        self, place: Place, message: str, code: str = "meaning", near: tuple[str, Iterable[str]] | None = None
    ) -> None:
        """Notes a problem."""
        raise NotImplementedError

    def asked_sort(self, left: Expression, right: Expression) -> str:
        """Advice for who asks of a value itself of which sort it is: `cell.value is number`; nothing for others."""
        raise NotImplementedError

    def instead(self, *wrong: Type, of: Sequence[Type] = ()) -> str:
        """The field that was meant where an item itself is written, as the end of a sentence; of one of these types."""
        raise NotImplementedError

    def can_be_empty(self, of: Type) -> bool:
        """Whether an item of this kind is empty when nothing is in it."""
        raise NotImplementedError

    def printing(self, allowed: bool) -> AbstractContextManager[None]:
        """Allows holes for page numbers inside the block."""
        raise NotImplementedError

    @staticmethod
    def _is_printed(node: Expression) -> bool:
        """Whether a header or footer is compared, which may hold page numbers."""
        return isinstance(node, tree.Dot) and node.word in ("header", "footer")

    def condition(self, node: Expression) -> None:
        """Checks an expression that must be yes or no."""
        found = self.type(node)
        if found not in (YES_NO, ANY):
            self.note(node.place, f"expected a condition, found {found}. Compare it: … is …", "wrong-type")

    def _compare(self, node: tree.Compare) -> Type:
        left = self.type(node.left)
        operator = node.operator
        if operator == "exists":
            looked_up = self.means[node.left].lookup if isinstance(node.left, tree.Dot) else node.left
            if isinstance(looked_up, tree.Call) and (left.item or self.means[looked_up].pairs):
                self.let_be_missing(node.left)
            elif isinstance(looked_up, tree.Name) and self.may_be_missing(looked_up):
                pass
            else:
                self.note(node.place, 'only an item can exist or be missing: sheet("Totals") exists')
        if node.right is None:
            if operator == "is empty" and left.item and not self.can_be_empty(left):
                how = self.instead(left)  # the name of an item is never empty either
                self.note(node.place, f"{left} is never empty{'' if how.endswith(('.name', '.title')) else how}")
            return YES_NO
        choices = left.of.choices if left.of is not None and operator == "contains" else left.choices
        if choices and isinstance(node.right, tree.Name) and node.right.word in choices:
            self.means[node.right].choice = node.right.word
            return YES_NO
        asked = self.asked_sort(node.left, node.right) if operator == "is" else ""
        if asked:
            self.note(node.right.place, asked)
            return YES_NO
        with self.printing(self._is_printed(node.left)):
            right = self.type(node.right)
        if operator == "matches":
            self._pattern(node, left, right)
        elif SECRET in (left, right):
            self.note(node.place, "a secret cannot be compared")
        elif operator in ("contains", "starts with", "ends with"):
            self._text_comparison(node, left, right)
        elif operator == "is in":
            if right.word not in ("list", "anything"):
                self.note(node.right.place, f'"is in" needs a list: ["a", "b"], not {right}')
        elif operator == "is" and self._is_one_list(left, right):
            value = "" if left.word != "list" or not isinstance(node.right, tree.Constant) else node.right.value
            how = f': contains "{value}"' if isinstance(value, str) and value else ": contains"
            self.note(node.place, f"{left} is never {right}. To ask for one of its values write{how}")
        elif operator == "is":
            alike = left.fits(right) or right.fits(left) or {left, right} == {DATE, TIME}  # these compare by the day
            if not alike and not (left.choices or right.choices):
                unit = unit_missing(left, right, getattr(node.right, "value", None)) or unit_missing(right, left)
                self.note(node.place, f"{left} is never {right}{unit or self.instead(left, right)}")
        else:
            self._ordered(operator, (node.left, left), (node.right, right))
        if node.exactly and right not in (TEXT, ANY):
            self.note(node.place, '"exactly" needs text')
        return YES_NO

    @staticmethod
    def _is_one_list(left: Type, right: Type) -> bool:
        """Whether one side is a list, and the other is certainly none."""
        return (left.word == "list") != (right.word == "list") and not {ANY, NOTHING} & {left, right}

    def let_be_missing(self, node: Expression) -> None:
        """Notes that somebody asks whether something is there, and so may everything be that it is looked up in."""
        while isinstance(node, tree.Dot):
            lookup = self.means[node].lookup
            if lookup is not None:
                self.means[lookup].may_be_missing = True
            node = node.target
        if isinstance(node, tree.Call):
            self.means[node].may_be_missing = True

    def may_be_missing(self, name: tree.Name) -> bool:
        """Notes that somebody asks whether what was looked up under a name is there; False where nothing was."""
        raise NotImplementedError

    def _between(self, node: tree.Between) -> Type:
        value = node.value, self.type(node.value)
        for end in (node.low, node.high):
            self._ordered("is between", value, (end, self.type(end)))
        return YES_NO

    def _ordered(self, operator: str, left: tuple[Expression, Type], right: tuple[Expression, Type]) -> None:
        """Checks two sides that have an order: numbers, dates and amounts by size, texts by the alphabet."""
        for side, found in (left, right):
            if found not in (*_ORDERED, TEXT, ADDRESS, ANY):
                self.note(
                    side.place,
                    (
                        f'"{operator}" compares two numbers, two dates or two pieces of text; this is '
                        f"{found}{self.instead(found)}"
                    ),
                )
                return
            if _plain(side):
                self.note(side.place, f'"{operator}" compares text here{_plain(side)}')
                return
        (_, one), (side, other) = left, right
        if not one.fits(other) and {one, other} != {DATE, TIME}:  # these compare by the day
            unit = unit_missing(one, other, getattr(side, "value", None)) or unit_missing(other, one)
            self.note(side.place, f"{one} cannot be compared with {other}{unit}")

    def _pattern(self, node: tree.Compare, left: Type, right: Type) -> None:
        """A pattern written out is compiled now, so that a slip in it is found before any file is touched."""
        self._text_comparison(node, left, right)
        if node.right is not None:
            self.means[node].pattern = self.compiled(node.right, node.exactly)

    def compiled(self, node: Expression, exactly: bool = False) -> Any:
        """The pattern that is written out; None for any other, and after noting a slip in it."""
        if isinstance(node, tree.Constant) and isinstance(node.value, str):
            try:
                return pattern_of(node.value, exactly)
            except Failure as failure:
                self.note(node.place, failure.what)
        return None

    def _text_comparison(self, node: tree.Compare, left: Type, right: Type) -> None:
        assert node.right is not None
        if left.word == "list" and node.operator == "contains":
            return
        for side, found in ((node.left, left), (node.right, right)):
            if found not in (TEXT, ANY):
                self.note(side.place, f'"{node.operator}" needs text; this is {found}{self.instead(found)}')

    def _arithmetic(self, node: tree.Arithmetic) -> Type:
        left, right = self.type(node.left), self.type(node.right)
        if node.operator == "+" and TEXT in (left, right):
            self.note(node.place, 'join text with braces: "{first} {second}"')
            return TEXT
        if ANY in (left, right):
            other = right if left == ANY else left
            if other not in (*_ORDERED, ANY):
                how = self.instead(other, of=(NUMBER, ANY))
                told = f'"{node.operator}" needs numbers, dates or amounts, not {other}{how}'
                self.note(node.place, told)
            return ANY
        found = _result(node.operator, left, right)
        if found is None:
            side = node.right if left in _ORDERED else node.left
            wrong = right if left in _ORDERED else left
            if wrong in _ORDERED:
                self.note(node.place, f'"{node.operator}" has no meaning between {left} and {right}')
            else:
                how = self.instead(wrong, of=(NUMBER, ANY))
                if wrong == TEXT and node.operator == "-":
                    how = '. To remove words from text: text.replaced("Fwd:", by: "")'
                self.note(side.place, f'"{node.operator}" needs numbers; this is {wrong}{how}')
            return ANY
        return found

    def _negative(self, node: tree.Negative) -> Type:
        found = self.type(node.value)
        if found not in (NUMBER, *_AMOUNTS, ANY):
            self.note(node.place, f"a minus needs a number; this is {found}")
        return found

    def _not(self, node: tree.Not) -> Type:
        self.condition(node.value)
        return YES_NO

    def _both(self, node: tree.Both) -> Type:
        for side in (node.left, node.right):
            found = self.type(side)
            if found not in (YES_NO, ANY):
                self.note(
                    side.place,
                    (
                        f'both sides of "{node.operator}" must be conditions; this is {found}. Write both '
                        f'comparisons: … is "a" {node.operator} … is "b"'
                    ),
                )
        return YES_NO


def _result(sign: str, left: Type, right: Type) -> Type | None:
    """The type of a calculation, or None where it has no meaning."""
    if left == right:
        if left == NUMBER:
            return NUMBER
        if left in _AMOUNTS:
            return left if sign in "+-" else NUMBER if sign == "/" else None
        return DURATION if sign == "-" and left in (DATE, TIME) else None
    if left in _AMOUNTS and right == NUMBER and sign in "*/":
        return left
    if left == NUMBER and right in _AMOUNTS and sign == "*":
        return right
    if left in (DATE, TIME) and right == DURATION and sign in "+-":
        return left
    if left == DURATION and right in (DATE, TIME) and sign == "+":
        return right
    return None


def _plain(node: Expression) -> str:
    """Advice for a date or a number that is written between quotes."""
    value = node.value if isinstance(node, tree.Constant) else None
    if isinstance(value, str) and re.fullmatch(r"\d{4}-\d{2}-\d{2}(T\d{2}:\d{2})?|\d+(\.\d+)?", value):
        return f". Write it without quotes: {value}"
    return ""
