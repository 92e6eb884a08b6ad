"""Stepping: before each statement somebody looks, and says how to go on."""

from __future__ import annotations

from collections.abc import Callable
from enum import Enum
from typing import Protocol

from scrub.model.core.named import NamedTuple


class Go(Enum):
    """How to go on: to the next statement of this macro, into a macro that it runs, over the block, to the end."""

    NEXT = "next"
    INTO = "into"
    OVER = "over"
    END = "end"
    STOP = "stop"


class View(NamedTuple):
    """What is seen before a statement: the macro's title, the line and its text, the current item, the values."""

    title: str
    line: int
    text: str
    item: str
    values: dict[str, str]


class Stepper(Protocol):
    """Who looks at each statement."""

    def step(self, view: View) -> Go:
        """Is shown a statement that is next."""


class Stopped(Exception):
    """The person stopped: nothing is saved."""


class Watch:
    """Decides which statements are shown: all of them, those of this block, or none any more."""

    def __init__(self, stepper: Stepper) -> None:
        self.stepper = stepper
        self.deepest: float = float("inf")
        self.title = ""

    def before(self, depth: int, title: str, view: Callable[[], View]) -> None:
        """Shows a statement, unless it is deeper, or in another macro, than the person wants to see."""
        if depth > self.deepest or (self.title and title != self.title):
            return
        go = self.stepper.step(view())
        if go == Go.STOP:
            raise Stopped
        self.deepest = {Go.OVER: depth, Go.END: -1}.get(go, float("inf"))
        self.title = title if go == Go.NEXT else ""
