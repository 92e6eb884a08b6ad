"""Passwords of servers that files are on: whoever opens one asks here, and nothing of them is kept."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from contextlib import contextmanager
from contextvars import ContextVar

from scrub.model.core.values import Secret

#: Gives the password that is kept under a name, or asks for it; None where nobody has it.
Asks = Callable[[str], Secret | None]

_ASKED: ContextVar[Asks] = ContextVar("passwords", default=lambda name: None)

#: The name under which the password of a person's mail is kept.
MAIL = "mail-password"


def password(name: str) -> Secret | None:
    """The password that is kept under a name; None where there is none."""
    return _ASKED.get()(name)


@contextmanager
def knowing(asks: Asks) -> Iterator[None]:
    """Lets passwords be asked for inside the block."""
    token = _ASKED.set(asks)
    try:
        yield
    finally:
        _ASKED.reset(token)
