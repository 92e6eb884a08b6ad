"""Comparisons as they run: each fails with a sentence where its two values do not go together."""

from __future__ import annotations

import operator
from collections.abc import Callable
from datetime import date, datetime
from decimal import Decimal
from typing import Any

from scrub.model.core.amounts import Amount
from scrub.model.core.patterns import fits, pattern_of
from scrub.model.core.preferences import DateOrder
from scrub.model.core.problem import Failure
from scrub.model.core.values import Value, alphabetical, loosen, same, type_name
from scrub.model.operations import as_date
from scrub.runner.execution import Frame

Evaluate = Callable[[Frame], Value]
Told = Callable[[Failure, Frame], Failure]


class NoText(Failure):
    """A value of which only a text can be asked something is none."""


#: What tells of two values how they are to each other.
Compares = Callable[[Value, Value, Frame], bool]

ORDER: dict[str, Callable[[Any, Any], bool]] = {
    "<": operator.lt, "<=": operator.le, ">": operator.gt, ">=": operator.ge,
}  # fmt: skip


def _reads_as_number(value: Value) -> bool:
    try:
        Decimal(value.strip())
    except (ArithmeticError, AttributeError):
        return False
    return True


def misread(value: Value) -> str:
    """Advice for a number or a date that is stored as a text, or for nothing, as the end of a sentence; none for other
    values.
    """
    if value is None:
        return ". Check first: where record.nights is not empty and record.nights > 3"
    if not isinstance(value, str):
        return ""
    if _reads_as_number(value):
        return ", which looks like a number. Convert such text first: read-numbers, or .as-number"
    try:
        as_date(value, DateOrder.DAY_FIRST)
    except Failure:
        return ""
    return ", which looks like a date. Convert such text first: read-dates, or .as-date"


_ORDERED = (Decimal, date, Amount)


def quoted(value: Value) -> str:
    """A text as the end of a sentence about it; nothing for other values."""
    return f' "{value[:40]}"' if isinstance(value, str) else ""


def ordered(
    name: str, left: Evaluate, right: Evaluate, compare: Compares, fixed: Decimal | None = None
) -> Callable[[Frame], bool]:
    """`<`, `<=`, `>` and `>=`, by what compares any two values."""
    work = ORDER[name]

    def test_number(frame: Frame) -> bool:
        """Against a number that is written in the macro, as most comparisons are."""
        one = left(frame)
        return work(one, fixed) if type(one) is Decimal else test(frame)

    def test(frame: Frame) -> bool:
        return compare(left(frame), right(frame), frame)

    return test if fixed is None else test_number


def in_order(name: str, one: Value, other: Value) -> bool:
    """Compares two values of one kind. Raises `Failure` for others."""
    work = ORDER[name]
    if type(one) is type(other) and (type(one) is Decimal or isinstance(one, _ORDERED)):
        return work(one, other)
    if isinstance(one, str) and isinstance(other, str) and not (_reads_as_number(one) and _reads_as_number(other)):
        return work(alphabetical(one), alphabetical(other))
    for value in (one, other):
        if not isinstance(value, _ORDERED):
            what = (
                f'"{name}" compares two numbers, two dates or two pieces of text; this is '
                f"{type_name(value)}{quoted(value)}"
            )
            raise Failure(what + misread(value))
    if isinstance(one, datetime) and isinstance(other, date):  # a time and a date compare by the day
        one = one.date()
    elif isinstance(other, datetime) and isinstance(one, date):
        other = other.date()
    try:
        return work(one, other)
    except (Failure, TypeError):
        raise Failure(f"{type_name(one)} cannot be compared with {type_name(other)}") from None


def matching(exactly: bool, known: Any, left: Evaluate, right: Evaluate) -> Callable[[Frame], bool]:
    """`matches`, limited in time; `known` is the pattern where it was compiled before."""

    def test(frame: Frame) -> bool:
        value, pattern = left(frame), known
        if value is None:
            return False
        if not isinstance(value, str):
            raise NoText(f'"matches" needs text; this is {type_name(value)}')
        return fits(pattern_of(right(frame), exactly) if pattern is None else pattern, loosen(value))

    return test


def is_in(value: Value, values: Value, exactly: bool, unlike: Compares, frame: Frame) -> bool:
    """`is in`."""
    if not isinstance(values, list):
        raise Failure(f'"is in" needs a list, not {type_name(values)}')
    return any(same(value, each, exactly) for each in values) or any(unlike(value, each, frame) for each in values)


def text_test(name: str, one: Value, other: Value, fix: Callable[[str], str]) -> bool:
    """`contains`, `starts with` and `ends with`; `fix` makes texts alike that count as equal."""
    if name == "contains" and isinstance(one, list):
        return any(same(each, other, fix is loosen) for each in one)
    if one is None:
        return False
    for value in (one, other):
        if not isinstance(value, str):
            raise NoText(f'"{name}" needs text; this is {type_name(value)}')
    text, mark = fix(one), fix(other)
    if name == "contains":
        return mark in text
    return text.startswith(mark) if name == "starts with" else text.endswith(mark)
