"""Arithmetic as a macro means it: numbers, and beyond them dates and amounts."""

from __future__ import annotations

import decimal
import operator
from collections.abc import Callable
from datetime import date
from decimal import Decimal

from scrub.model.core.amounts import Amount, combine
from scrub.model.core.problem import Failure
from scrub.model.core.values import Value, type_name
from scrub.runner.comparisons import misread, quoted

#: The work of each sign on plain numbers.
ARITHMETIC: dict[str, Callable[[object, object], object]] = {
    "+": operator.add, "-": operator.sub, "*": operator.mul, "/": operator.truediv,
}  # fmt: skip


def no_number(error: decimal.DecimalException) -> Failure:
    """The failure for a calculation without a result."""
    if isinstance(error, decimal.DivisionByZero):
        return Failure("division by zero")
    if isinstance(error, decimal.InvalidOperation):
        return Failure("division of zero by zero")
    return Failure("the number is too large")


def combined(sign: str, one: Value, other: Value) -> Value:
    """Arithmetic with dates and amounts."""
    try:
        result = combine(sign, one, other)
    except decimal.DecimalException as error:
        raise no_number(error) from None
    if result is not NotImplemented:
        return result
    wrong = next((each for each in (one, other) if not isinstance(each, Decimal | date | Amount)), None)
    if wrong is None and not (one is None or other is None):
        raise Failure(f'"{sign}" has no meaning between {type_name(one)} and {type_name(other)}')
    raise Failure(f'"{sign}" needs numbers; this is {type_name(wrong)}{quoted(wrong)}{misread(wrong)}')
