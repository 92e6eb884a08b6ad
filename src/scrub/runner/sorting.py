"""The order in which a loop visits what it goes through."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from scrub.model.core.declare import Item
from scrub.model.core.values import Value
from scrub.model.operations.lists import NoOrder, in_order
from scrub.runner.comparisons import Evaluate
from scrub.runner.execution import Frame


def sorting(
    slot: int, where: Callable[[Frame], bool] | None, orders: Sequence[tuple[Evaluate, bool]]
) -> Callable[[Frame, Sequence[Value]], list[Value]]:
    """What puts the candidates of a loop in order: those that fit when it begins, numbers by size and texts by the
    alphabet, empty ones last; those that are alike stay as before.
    """

    def ordered(frame: Frame, candidates: Sequence[Value]) -> list[Value]:
        found: list[Value] = []
        keys: list[list[Value]] = [[] for _ in orders]
        for value in candidates:
            frame[slot] = value
            if where is None or where(frame):
                found.append(value)
                for of, (by, _) in zip(keys, orders, strict=True):
                    of.append(by(frame))
        descending = [each for _, each in orders]
        try:
            return [found[place] for place in in_order(len(found), list(zip(keys, descending, strict=True)))]
        except NoOrder as failure:
            unlike = found[failure.place]
            raise failure.at(unlike.label) if isinstance(unlike, Item) else failure from None

    return ordered
