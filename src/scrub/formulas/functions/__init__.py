"""The functions, by topic. Importing this package marks them all."""

from scrub.formulas.functions import (
    bases,
    conditions,
    days,
    information,
    logic,
    lookups,
    money,
    numbers,
    shown,
    statistics,
    sums,
    texts,
)
from scrub.formulas.functions.registry import FUNCTIONS, Function

__all__ = [
    "FUNCTIONS",
    "Function",
    "bases",
    "conditions",
    "days",
    "information",
    "logic",
    "lookups",
    "money",
    "numbers",
    "shown",
    "statistics",
    "sums",
    "texts",
]
