"""Values that are not the same only because they are of different types: 100 and "100", yes and 1."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from contextvars import ContextVar
from datetime import date
from decimal import Decimal

from scrub.model.core.problem import Failure
from scrub.model.core.values import Value, shown

#: Is told of two such values: what they are, the place, and the heading that it is under, where there is one.
Note = Callable[[str, str, str], None]
#: Who is told during the run at hand.
NOTED: ContextVar[Note] = ContextVar("noted", default=lambda what, where, heading: None)

_NUMBER, _DATE = "a number and text that looks like one", "a date and text that looks like one"
_YES, _YES_TEXT = "a number and a yes or no", "a yes or no and text"
_TRUTHS = {"yes": True, "true": True, "no": False, "false": False}
#: What to write instead.
REMEDIES = {
    _NUMBER: "Convert the text to numbers: read-numbers, or .as-number",
    _DATE: "Convert the text to dates: read-dates, or .as-date",
    _YES: "Compare with the number: is 1, or is 0",
    _YES_TEXT: 'Compare with the text: is "yes"',
}


def mistaken(one: Value, other: Value) -> str:
    """What is odd about two values that are not equal; an empty text for two that are just not equal."""
    for value, text in ((one, other), (other, one)):
        if isinstance(value, bool):
            if isinstance(text, Decimal) and text in (0, 1):
                return _YES
            if isinstance(text, str) and text.strip().lower() in _TRUTHS:
                return _YES_TEXT
        if not isinstance(text, str):
            continue
        if isinstance(value, Decimal) and number_in(text) is not None:
            return _NUMBER
        if isinstance(value, date) and _date_in(text) is not None:
            return _DATE
    return ""


def twins(value: Value) -> Iterator[tuple[str, Value]]:
    """Values of other types that read the same, each with what is odd about the two."""
    if isinstance(value, bool):
        yield _YES, Decimal(int(value))
        yield _YES_TEXT, shown(value)
    elif isinstance(value, Decimal):
        yield _NUMBER, shown(value)
        if value in (0, 1):
            yield _YES, bool(value)
    elif isinstance(value, date):
        yield _DATE, shown(value)
    elif isinstance(value, str):
        number, day = number_in(value), _date_in(value)
        if number is not None:
            yield _NUMBER, number
        elif day is not None:
            yield _DATE, day
        elif value.strip().lower() in _TRUTHS:
            yield _YES_TEXT, _TRUTHS[value.strip().lower()]


def number_in(text: str) -> Decimal | None:
    """The number that a text is when it is plainly written."""
    try:
        return Decimal(text.strip().replace("\u00a0", ""))
    except ArithmeticError:
        return None


def _date_in(text: str) -> date | None:
    from scrub.model.operations.dates import as_date  # lists ask this, too, and are loaded with dates

    try:
        return as_date(text)
    except Failure:
        return None
