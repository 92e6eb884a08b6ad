"""Operations of a value, written after a dot. Each belongs to a type; `reply.trimmed.upper`."""

from scrub.model.operations import addresses, amounts, dates, lists, numbers, pairs, texts
from scrub.model.operations.dates import as_date
from scrub.model.operations.declare import OPERATIONS
from scrub.model.operations.numbers import as_number
from scrub.model.operations.texts import as_file_name

__all__ = [
    "OPERATIONS",
    "addresses",
    "amounts",
    "as_date",
    "as_file_name",
    "as_number",
    "dates",
    "lists",
    "numbers",
    "pairs",
    "texts",
]
