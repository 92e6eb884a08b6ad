"""One execution of a macro: what its statements share while they run."""

from __future__ import annotations

import os
from typing import Any

from scrub.model.change import ReadOnly
from scrub.model.declare import Item, Reach
from scrub.model.host import Host
from scrub.model.problem import Failure
from scrub.runner.opened import Opened, Opens

#: Statements that one execution may run in its loops. A million turns of a long loop fit; an endless one ends.
BUDGET = 20_000_000


class Execution:
    """The state of one execution: the first place of every frame holds it."""

    def __init__(self, host: Host, reach: Reach, budget: int = BUDGET) -> None:
        self.host = host
        self.roots: list[Opened] = []
        self.reach = reach
        self.budget = budget
        self.steps = budget
        self.log: list[str] = []
        self.said: list[str] = []
        self.remarks = 0
        self.unequal: dict[str, tuple[int, str]] = {}  # what was compared in vain: how often, and where first
        self.at: str | None = None
        self.opener: Opens | None = None
        self.opened: dict[str, Opened] = {}
        self._selected: Item | None = None

    def spend(self, steps: int) -> None:
        """Counts statements about to run. Raises `Failure` when the budget is spent."""
        self.steps -= steps
        if self.steps < 0:
            raise Failure(
                f"the macro ran {self.budget:,} lines without coming to an end. "
                "Look for a loop whose condition never changes"
            )

    def open(self, path: str) -> Item:
        """Another file, for reading; a relative path counts from the first picked file. Opened once."""
        if self.opener is None:
            raise Failure("no other file can be opened here")
        folder = os.path.dirname(self.roots[0].address) if self.roots else os.getcwd()
        full = os.path.normpath(os.path.join(folder, os.path.expanduser(str(path).replace("\\", "/"))))
        if full not in self.opened:
            found = self.opener.open(full)
            found.recorder = ReadOnly(f"{os.path.basename(full)} was opened for reading; only picked files are changed")
            self.opened[full] = found
        return self.opened[full].item

    def selection(self) -> Item:
        """What the person picked in the first file, or the whole of it."""
        if self._selected is None:
            self._selected = self.roots[0].selected(self.at)
        return self._selected

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

    def remark(self, text: str) -> None:
        """Writes into the record what an action left undone; the person is told how often."""
        self.remarks += 1
        self.note(text)

    def unlike(self, what: str, where: str) -> None:
        """Counts a comparison of two values that are not equal only because one is stored as a text."""
        times, first = self.unequal.get(what, (0, where))
        self.unequal[what] = (times + 1, first)

    def note(self, text: str) -> None:
        """Writes a line of the record."""
        self.log.append(text)
        self.host.log(text)


#: The places of one running macro: the execution, then its names and items.
Frame = list[Any]
