"""One execution of a macro: what its statements share while they run."""

from __future__ import annotations

from typing import Any

from scrub.model.declare import FileItem, Reach
from scrub.model.host import Host
from scrub.model.problem import Failure

#: Statements that one execution may run in its loops. A million turns of a long loop fit; an endless one ends.
BUDGET = 20_000_000


class Execution:
    """The state of one execution: the first place of every frame holds it."""

    def __init__(self, host: Host, reach: Reach, budget: int = BUDGET) -> None:
        self.host = host
        self.roots: list[FileItem] = []
        self.reach = reach
        self.budget = budget
        self.steps = budget
        self.log: list[str] = []
        self.said: list[str] = []

    def spend(self, steps: int) -> None:
        """Counts statements about to run. Raises `Failure` when the budget is spent."""
        self.steps -= steps
        if self.steps < 0:
            raise Failure(
                f"the macro ran {self.budget:,} lines without coming to an end. "
                "Look for a loop whose condition never changes"
            )

    def savepoint(self) -> list[int]:
        """A mark in the changes of every open file."""
        return [root.recorder.savepoint() for root in self.roots]

    def rollback(self, marks: list[int]) -> None:
        """Takes back every change since the mark."""
        for root, mark in zip(self.roots, marks, strict=True):
            root.recorder.rollback(mark)

    def say(self, text: str) -> None:
        """Tells the person."""
        self.said.append(text)
        self.host.say(text)

    def note(self, text: str) -> None:
        """Writes a line of the record."""
        self.log.append(text)
        self.host.log(text)


#: The places of one running macro: the execution, then its names and items.
Frame = list[Any]
