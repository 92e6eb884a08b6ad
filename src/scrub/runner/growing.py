"""Lists that loops make longer."""

from __future__ import annotations

import sys
from collections.abc import Callable

from scrub.model.core.values import LONGEST_LIST, Value
from scrub.runner.execution import Frame

#: How often an object is referred to, where Python counts that.
_references: Callable[[object], int] = getattr(sys, "getrefcount", lambda value: sys.maxsize)


def _alone() -> int:
    """What is counted for an object that only one name contains."""
    values: list[Value] = []
    return _references(values)


_ALONE = _alone()


def lengthened(slot: int, added: Callable[[Frame], Value], plain: Callable[[Frame], Value]) -> Callable[[Frame], None]:
    """`names = names.with(…)`, as `plain` does it, which copies the list: with a copy at each turn, twice as many
    turns took four times as long. A list that nothing else contains takes the value in itself, since nobody can see
    that.
    """

    def run(frame: Frame) -> None:
        values = frame[slot]
        if type(values) is not list or len(values) >= LONGEST_LIST:
            frame[slot] = plain(frame)
            return
        value = added(frame)
        frame[slot] = None
        if _references(values) > _ALONE:
            values = [*values]
        values.append(value)
        frame[slot] = values

    return run
