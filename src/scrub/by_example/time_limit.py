"""How long a search may take."""

from __future__ import annotations

import time
from collections.abc import Iterator
from contextlib import contextmanager
from contextvars import ContextVar


class OutOfTime(Exception):
    """The time for a search is over."""


_UNTIL: ContextVar[float] = ContextVar("until", default=float("inf"))


@contextmanager
def within(seconds: float) -> Iterator[None]:
    """Limits the searches inside to this time."""
    token = _UNTIL.set(time.monotonic() + seconds)
    try:
        yield
    finally:
        _UNTIL.reset(token)


def check_time() -> None:
    """Raises `OutOfTime` if the time for the search is over."""
    if time.monotonic() > _UNTIL.get():
        raise OutOfTime
