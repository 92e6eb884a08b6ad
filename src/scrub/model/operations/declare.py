"""How an operation of a value is declared."""

from __future__ import annotations

from collections.abc import Callable
from typing import TypeVar

F = TypeVar("F", bound=Callable[..., object])

#: Every operation, by the word of its type and its own word.
OPERATIONS: dict[tuple[str, str], Callable[..., object]] = {}


def operation(*types: str) -> Callable[[F], F]:
    """Declares an operation of values of these types; its name is the function's, with hyphens."""

    def mark(function: F) -> F:
        word = function.__name__.rstrip("_").replace("_", "-")
        for name in types:
            OPERATIONS[name, word.removeprefix(f"{name}-")] = function
        return function

    return mark
