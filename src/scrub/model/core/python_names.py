"""The names that the words of the language have in Python: a promise, held to the vocabulary by a test."""

from __future__ import annotations

import keyword

#: The operations whose words would hide what Python has already, or would say too little before their value.
_OPERATIONS = {
    "address": "address_of", "after": "part_after", "before": "part_before", "between": "part_between",
    "bytes": "in_bytes", "cm": "in_cm", "count": "count_of", "date": "date_of", "day": "day_of", "days": "in_days",
    "digits": "digits_of", "domain": "domain_of", "first": "first_of", "hour": "hour_of", "hours": "in_hours",
    "item": "item_at", "keys": "keys_of", "last": "last_of", "length": "length_of", "lines": "lines_of",
    "lower": "lower_case", "mb": "in_mb", "minute": "minute_of", "minutes": "in_minutes", "mm": "in_mm",
    "month": "month_of", "month-end": "month_end", "name": "name_of", "parts": "parts_of", "pieces": "pieces_of",
    "pt": "in_pt", "reversed": "backwards", "sorted": "in_order", "sum": "total", "upper": "upper_case",
    "values": "values_of", "week": "week_of", "weekday": "weekday_of", "with": "with_value", "words": "words_of",
    "year": "year_of",
}  # fmt: skip


def python_name(word: str) -> str:
    """The Python name of a word of the language."""
    name = word.replace("-", "_")
    return f"{name}_" if keyword.iskeyword(name) else name


def plural(word: str) -> str:
    """The Python name of several items of a kind."""
    name = python_name(word)
    return name if name.endswith("s") else f"{name}es" if name.endswith("x") else f"{name}s"


def outer_name(word: str, taken: bool) -> str:
    """The name of what an item is in; `taken` says that a field or a look-up has the word already."""
    return f"its_{python_name(word)}" if taken else python_name(word)


def operation_name(word: str) -> str:
    """The function of `scrub.words` for an operation."""
    return _OPERATIONS.get(word) or python_name(word)
