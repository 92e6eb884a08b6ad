"""Comparisons as they run: each fails with a sentence where its two values do not go together."""

from __future__ import annotations

import operator
from collections.abc import Callable
from datetime import date
from decimal import Decimal
from typing import Any

from scrub.language import tree
from scrub.model.amounts import Amount
from scrub.model.problem import Failure
from scrub.model.values import Value, loosen, same, type_name
from scrub.runner.execution import Frame

Evaluate = Callable[[Frame], Value]

ORDER: dict[str, Callable[[Any, Any], bool]] = {
    "<": operator.lt, "<=": operator.le, ">": operator.gt, ">=": operator.ge,
}  # fmt: skip


def quoted(value: Value) -> str:
    """A text as the end of a sentence about it; nothing for other values."""
    return f' "{value[:40]}"' if isinstance(value, str) else ""


def ordered(name: str, left: Evaluate, right: Evaluate) -> Callable[[Frame], bool]:
    """`<`, `<=`, `>` and `>=`, between values of one sort."""
    work = ORDER[name]

    def test(frame: Frame) -> bool:
        one, other = left(frame), right(frame)
        if type(one) is type(other) and isinstance(one, Decimal | date | Amount):
            return work(one, other)
        for value in (one, other):
            if not isinstance(value, Decimal | date | Amount):
                raise Failure(f'"{name}" compares numbers and dates, this is {type_name(value)}{quoted(value)}')
        raise Failure(f"{type_name(one)} cannot be compared with {type_name(other)}")

    return test


#: How long one pattern may search one text, in seconds.
PATTERN_TIME = 1.0


def matching(node: tree.Compare, left: Evaluate, right: Evaluate) -> Callable[[Frame], bool]:
    """`matches`, limited in time."""
    import regex

    def test(frame: Frame) -> bool:
        value, pattern = left(frame), node.pattern
        if not isinstance(value, str):
            raise Failure(f'"matches" goes with texts, this is {type_name(value)}')
        try:
            if pattern is None:
                pattern = regex.compile(right(frame), 0 if node.exactly else regex.IGNORECASE)
            return pattern.fullmatch(loosen(value), timeout=PATTERN_TIME) is not None
        except TimeoutError:
            raise Failure("the pattern took too long: it can be read in too many ways. Make it plainer") from None
        except (regex.error, TypeError) as error:
            raise Failure(f"this pattern is not right: {error}") from None

    return test


def is_in(value: Value, values: Value, exactly: bool) -> bool:
    """`is in`."""
    if not isinstance(values, list):
        raise Failure(f'after "is in" stands a list, not {type_name(values)}')
    return any(same(value, each, exactly) for each in values)


def text_test(name: str, one: Value, other: Value, fix: Callable[[str], str]) -> bool:
    """`contains`, `starts with` and `ends with`; `fix` makes texts alike that count as equal."""
    if name == "contains" and isinstance(one, list):
        return any(same(each, other, fix is loosen) for each in one)
    for value in (one, other):
        if not isinstance(value, str):
            raise Failure(f'"{name}" goes with texts, this is {type_name(value)}')
    text, mark = fix(one), fix(other)
    if name == "contains":
        return mark in text
    return text.startswith(mark) if name == "starts with" else text.endswith(mark)
