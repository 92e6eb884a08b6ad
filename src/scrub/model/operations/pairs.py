"""Operations of pairs."""

from __future__ import annotations

from scrub.model.core.values import Pairs
from scrub.model.operations.declare import operation


@operation("pairs")
def keys(pairs: Pairs) -> list[object]:
    """The keys with a value, in the order they were added.

    Example: nights.keys.sorted
    Also: names, unique values, groups, categories
    """
    return pairs.keys()


@operation("pairs")
def values(pairs: Pairs) -> list[object]:
    """The values, in the order of the keys.

    Example: nights.values.sum
    Also: all values, totals
    """
    return pairs.values()


@operation("pairs")
def count(pairs: Pairs) -> int:
    """The number of keys with a value.

    Example: nights.count
    Also: length, number of groups, how many
    """
    return len(pairs)
