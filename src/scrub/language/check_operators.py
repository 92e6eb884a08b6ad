"""What operators mean: which types they go with, and the type of what they give."""

from __future__ import annotations

import re

from scrub.language import tree
from scrub.language.checking import Checking, types
from scrub.language.meant import asked_sort, can_be_empty, field_instead
from scrub.language.tree import Expression
from scrub.model.core.patterns import pattern_of
from scrub.model.core.problem import Failure
from scrub.model.core.types import (
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


def _is_printed(node: Expression) -> bool:
    """Whether a header or footer is compared, which may hold page numbers."""
    return isinstance(node, tree.Dot) and node.word in ("header", "footer")


def check_condition(on: Checking, node: Expression) -> None:
    """Checks an expression that must be yes or no."""
    found = on.type(node)
    if found not in (YES_NO, ANY):
        on.note(node.place, f"expected a condition, found {found}. Compare it: … is …", "wrong-type")


@types(tree.Compare)
def _compare(on: Checking, node: tree.Compare) -> Type:
    left = on.type(node.left)
    operator = node.operator
    if operator == "exists":
        _asked_for(on, node, left)
    if node.right is None:
        if operator == "is empty" and left.item and not can_be_empty(on, left):
            how = field_instead(on, left)  # the name of an item is never empty either
            on.note(node.place, f"{left} is never empty{'' if how.endswith(('.name', '.title')) else how}")
        return YES_NO
    choices = left.of.choices if left.of is not None and operator == "contains" else left.choices
    if choices and isinstance(node.right, tree.Name) and node.right.word in choices:
        on.means[node.right].choice = node.right.word
        return YES_NO
    asked = asked_sort(on, node.left, node.right) if operator == "is" else ""
    if asked:
        on.note(node.right.place, asked)
        return YES_NO
    with on.printing(_is_printed(node.left)):
        right = on.type(node.right)
    _both_sides(on, node, node.right, left, right)
    if node.exactly and right not in (TEXT, ANY):
        on.note(node.place, '"exactly" needs text')
    return YES_NO


def _asked_for(on: Checking, node: tree.Compare, left: Type) -> None:
    """Notes that somebody asks whether an item is there; a problem for anything else."""
    looked_up = on.means[node.left].lookup if isinstance(node.left, tree.Dot) else node.left
    if isinstance(looked_up, tree.Call) and (left.item or on.means[looked_up].pairs):
        let_be_missing(on, node.left)
    elif not (isinstance(looked_up, tree.Name) and may_be_missing(on, looked_up)):
        on.note(node.place, 'only an item can exist or be missing: sheet("Totals") exists')


def _both_sides(on: Checking, node: tree.Compare, side: Expression, left: Type, right: Type) -> None:
    """Checks that the types of both sides go with the operator."""
    operator = node.operator
    if operator == "matches":
        _matching(on, node, left, right)
    elif SECRET in (left, right):
        on.note(node.place, "a secret cannot be compared")
    elif operator in ("contains", "starts with", "ends with"):
        _text_comparison(on, node, left, right)
    elif operator == "is in":
        if right.word not in ("list", "anything"):
            on.note(side.place, f'"is in" needs a list: ["a", "b"], not {right}')
    elif operator == "is" and _is_one_list(left, right):
        value = "" if left.word != "list" or not isinstance(side, tree.Constant) else side.value
        how = f': contains "{value}"' if isinstance(value, str) and value else ": contains"
        on.note(node.place, f"{left} is never {right}. To ask for one of its values write{how}")
    elif operator == "is":
        alike = left.fits(right) or right.fits(left) or {left, right} == {DATE, TIME}  # these compare by the day
        if not alike and not (left.choices or right.choices):
            unit = unit_missing(left, right, getattr(side, "value", None)) or unit_missing(right, left)
            on.note(node.place, f"{left} is never {right}{unit or field_instead(on, left, right)}")
    else:
        _ordered(on, operator, (node.left, left), (side, right))


def _is_one_list(left: Type, right: Type) -> bool:
    """Whether one side is a list, and the other is certainly none."""
    return (left.word == "list") != (right.word == "list") and not {ANY, NOTHING} & {left, right}


def let_be_missing(on: Checking, node: Expression) -> None:
    """Notes that somebody asks whether something is there, and so may everything be that it is looked up in."""
    while isinstance(node, tree.Dot):
        lookup = on.means[node].lookup
        if lookup is not None:
            on.means[lookup].may_be_missing = True
        node = node.target
    if isinstance(node, tree.Call):
        on.means[node].may_be_missing = True


@types(tree.Between)
def _between(on: Checking, node: tree.Between) -> Type:
    value = node.value, on.type(node.value)
    for end in (node.low, node.high):
        _ordered(on, "is between", value, (end, on.type(end)))
    return YES_NO


def _ordered(on: Checking, operator: str, left: tuple[Expression, Type], right: tuple[Expression, Type]) -> None:
    """Checks two sides that have an order: numbers, dates and amounts by size, texts by the alphabet."""
    for side, found in (left, right):
        if found not in (*_ORDERED, TEXT, ADDRESS, ANY):
            on.note(
                side.place,
                (
                    f'"{operator}" compares two numbers, two dates or two pieces of text; this is '
                    f"{found}{field_instead(on, found)}"
                ),
            )
            return
        if _plain(side):
            on.note(side.place, f'"{operator}" compares text here{_plain(side)}')
            return
    (_, one), (side, other) = left, right
    if not one.fits(other) and {one, other} != {DATE, TIME}:  # these compare by the day
        unit = unit_missing(one, other, getattr(side, "value", None)) or unit_missing(other, one)
        on.note(side.place, f"{one} cannot be compared with {other}{unit}")


def _matching(on: Checking, node: tree.Compare, left: Type, right: Type) -> None:
    """A pattern written out is compiled now, so that a slip in it is found before any file is touched."""
    _text_comparison(on, node, left, right)
    if node.right is not None:
        on.means[node].pattern = compiled_pattern(on, node.right, node.exactly)


def compiled_pattern(on: Checking, node: Expression, exactly: bool = False) -> object:
    """The pattern that is written out; None for any other, and after noting a slip in it."""
    if isinstance(node, tree.Constant) and isinstance(node.value, str):
        try:
            return pattern_of(node.value, exactly)
        except Failure as failure:
            on.note(node.place, failure.what)
    return None


def _text_comparison(on: Checking, node: tree.Compare, left: Type, right: Type) -> None:
    assert node.right is not None
    if left.word == "list" and node.operator == "contains":
        return
    for side, found in ((node.left, left), (node.right, right)):
        if found not in (TEXT, ANY):
            on.note(side.place, f'"{node.operator}" needs text; this is {found}{field_instead(on, found)}')


@types(tree.Arithmetic)
def _arithmetic(on: Checking, node: tree.Arithmetic) -> Type:
    left, right = on.type(node.left), on.type(node.right)
    if node.operator == "+" and TEXT in (left, right):
        on.note(node.place, 'join text with braces: "{first} {second}"')
        return TEXT
    if ANY in (left, right):
        other = right if left == ANY else left
        if other not in (*_ORDERED, ANY):
            how = field_instead(on, other, of=(NUMBER, ANY))
            told = f'"{node.operator}" needs numbers, dates or amounts, not {other}{how}'
            on.note(node.place, told)
        return ANY
    result = _result(node.operator, left, right)
    if result is None:
        side = node.right if left in _ORDERED else node.left
        wrong = right if left in _ORDERED else left
        if wrong in _ORDERED:
            on.note(node.place, f'"{node.operator}" has no meaning between {left} and {right}')
        else:
            how = field_instead(on, wrong, of=(NUMBER, ANY))
            if wrong == TEXT and node.operator == "-":
                how = '. To remove words from text: text.replaced("Fwd:", by: "")'
            on.note(side.place, f'"{node.operator}" needs numbers; this is {wrong}{how}')
        return ANY
    return result


@types(tree.Negative)
def _negative(on: Checking, node: tree.Negative) -> Type:
    result = on.type(node.value)
    if result not in (NUMBER, *_AMOUNTS, ANY):
        on.note(node.place, f"a minus needs a number; this is {result}")
    return result


@types(tree.Not)
def _not(on: Checking, node: tree.Not) -> Type:
    check_condition(on, node.value)
    return YES_NO


@types(tree.Both)
def _both(on: Checking, node: tree.Both) -> Type:
    for side in (node.left, node.right):
        found = on.type(side)
        if found not in (YES_NO, ANY):
            on.note(
                side.place,
                (
                    f'both sides of "{node.operator}" must be conditions; this is {found}. Write both '
                    f'comparisons: … is "a" {node.operator} … is "b"'
                ),
            )
    return YES_NO


def may_be_missing(on: Checking, name: tree.Name) -> bool:
    """Notes that somebody asks whether what was looked up under a name is there; False where nothing was."""
    on.asked_for.add(name.word)
    return name.word in on.looked_up


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
