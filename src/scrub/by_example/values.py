"""Values as a macro writes them, and whether two are the same to a person."""

from __future__ import annotations

import re
from datetime import date, datetime, time
from decimal import Decimal

from scrub.model.core.choice import Choice
from scrub.model.core.values import as_written, fold


def alike(one: object, other: object) -> bool:
    """Whether two values are the same to a person: programs write "nothing" and times in several ways."""
    if one is other:
        return True
    kind = type(one)
    if kind is type(other) and kind in (str, Decimal):  # as most are
        return one == other or (kind is Decimal and _near(one, other))  # type: ignore[arg-type]
    if is_empty(one) or is_empty(other):
        return is_empty(one) and is_empty(other)
    if isinstance(one, bool) or isinstance(other, bool):
        return one is other
    if isinstance(one, date) and isinstance(other, date):
        return moment(one) == moment(other)
    if isinstance(one, str) and isinstance(other, str):
        return str(one) == str(other)
    return type(one) is type(other) and one == other


def _near(one: Decimal, other: Decimal) -> bool:
    return abs(one - other) <= Decimal("1e-9") * max(Decimal(1), abs(one))


def is_empty(value: object) -> bool:
    """Whether nothing is there."""
    return value is None or value == "" or value == []


def moment(value: date) -> datetime:
    """A date, or a date and time, as the latter."""
    return value if isinstance(value, datetime) else datetime.combine(value, time())


def literal(value: object) -> str | None:
    """A value as a macro writes it; None for one that it cannot write. A text of a file stays a text."""
    if value is None:
        return "nothing"
    if value is True or value is False:
        return "yes" if value else "no"
    if isinstance(value, Choice):
        return str(value)
    if isinstance(value, str):
        return as_written(value) if value.isprintable() else None
    if isinstance(value, Decimal):
        text = f"{value:f}"
        return text.rstrip("0").rstrip(".") if "." in text else text
    if isinstance(value, int):
        return str(value)
    if isinstance(value, datetime):
        return f"{value:%Y-%m-%d}" if value.time() == time() else None
    if isinstance(value, date):
        return f"{value:%Y-%m-%d}"
    if isinstance(value, list):
        parts = [literal(each) for each in value]
        return None if None in parts else f"[{', '.join(part for part in parts if part)}]"
    return None


def cost_of(value: object) -> float:
    """How long a value is to say."""
    if isinstance(value, str) and not isinstance(value, Choice):
        return 2 + len(value) / 4
    if isinstance(value, Decimal | int) and not isinstance(value, bool):
        return 1 + len(re.sub(r"\D", "", literal(value) or "")) / 3
    return 1.5


def same_word(one: str, other: str) -> bool:
    """Whether two names are the same in any case."""
    return fold(one) == fold(other)
