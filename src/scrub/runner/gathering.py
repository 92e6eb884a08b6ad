"""What is worked out of a value of each item: sums, the smallest, the largest, the average, all of them."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping
from decimal import Decimal

from scrub.model.core.values import Value
from scrub.model.operations import lists
from scrub.runner.fitting import within


def _sum(values: Iterator[Value]) -> Value:
    """Added up while they are read, so that one that cannot be added is told with its cell."""
    total: Value = None
    for value in values:
        if type(value) is Decimal and type(total) is Decimal:
            total = total + value
        elif value is not None:
            total = lists.added(total, value)
    return Decimal(0) if total is None else total


GATHERED: Mapping[str, Callable[[Iterator[Value]], Value]] = {
    "sum": _sum,
    "smallest": lambda values: lists.smallest(list(values)),
    "largest": lambda values: lists.largest(list(values)),
    "average": lambda values: lists.average(list(values)),
    "list": lambda values: within(list(values)),
}
