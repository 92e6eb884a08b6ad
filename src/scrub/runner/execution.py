"""One execution of a macro: what its statements share while they run."""

from __future__ import annotations

import os
import time
from collections.abc import Callable, Iterator, Mapping
from contextlib import contextmanager
from typing import Any

from scrub.model.core.declare import Item, Reach
from scrub.model.core.files import IfExists, ensure_file_name, placed
from scrub.model.core.host import Host
from scrub.model.core.memory import memory_used
from scrub.model.core.preferences import CURRENT
from scrub.model.core.problem import Failure, counted
from scrub.model.core.recorder import ReadOnly
from scrub.model.core.types import ADDRESS, TEXT, list_of
from scrub.model.core.values import Pairs, Value
from scrub.model.operations.mistaken import twins
from scrub.runner.fitting import fitted
from scrub.runner.opened import Opened, Opens
from scrub.store.access import note_access
from scrub.store.patch import claim, free_path, is_claimed, release

#: Statements that one execution may run in its loops. A million turns of a long loop fit; an endless one ends.
BUDGET = 20_000_000
#: Statements between two looks at the clock.
_OFTEN = 100


#: Bytes of memory by which an execution may grow: the system ends a process that takes all there is.
_MOST_MEMORY = 4_000_000_000


#: Seconds of work between two looks at the memory: one takes longer than some statements.
_WEIGHING = 0.05


def not_allowed(word: str, reach: Reach) -> Failure:
    """The failure for what goes further than a run may."""
    return Failure(f'"{word}" needs your approval: it {reach.sentence}')


class Execution:
    """The state of one execution: the first place of every frame contains it."""

    def __init__(self, host: Host, reach: Reach, budget: int = BUDGET) -> None:
        self.host = host
        self.roots: list[Opened] = []
        self.reach = reach
        self.budget = budget
        self.steps = budget
        self.look_at = budget  # the statements left at which the clock is looked at
        self._minutes = CURRENT.get().most_minutes
        self._end = time.process_time() + self._minutes * 60  # of work: nobody is hurried who is asked something
        self._memory = memory_used()
        self._clock_at = 0.0  # the time at which the processor time is looked at again
        self._weigh_at = 0.0  # the processor time at which memory is looked at again
        self.log: list[str] = []
        self.said: list[str] = []
        self.remarks = 0
        #: What was compared in vain, and under which heading: how often, and where first.
        self.unequal: dict[tuple[str, str], tuple[int, str]] = {}
        self.at: str | None = None
        self.opener: Opens | None = None
        self.opened: dict[str, Opened] = {}
        self.made: list[tuple[Opened, str]] = []  # new files, and where each is to be
        self.replaced: set[str] = set()  # those of them that replace a file that exists
        self.given: Value = None  # what the macro that ended last gives to the one that runs it
        self.attempts = 0  # those that are under way
        self._pairs: list[
            tuple[Pairs, Value, tuple[Value, Value] | None]
        ] = []  # what these attempts set, and what it was
        self._selected: Item | None = None

    def spend(self, steps: int) -> None:
        """Counts statements about to run. Raises `Failure` when the budget of statements or of minutes is spent."""
        self.steps -= steps
        if self.steps >= self.look_at:
            return
        self.look_at = max(0, self.steps - _OFTEN)
        if self.steps >= 0 and time.monotonic() < self._clock_at:
            return  # to ask how long it worked costs a call of the system
        self._clock_at = time.monotonic() + _WEIGHING / 2
        now = time.process_time()
        if now > self._end:
            raise Failure(
                f"the macro worked {counted(self._minutes, 'minute')} on this file without finishing. To allow more: "
                f"scrub settings max-minutes {self._minutes * 10}"
            )
        if now >= self._weigh_at:
            self._weigh_at = now + _WEIGHING
            if memory_used() - self._memory > _MOST_MEMORY:
                raise Failure(
                    f"the macro uses more than {_MOST_MEMORY / 1e9:.0f} GB of memory. Look for a list, pairs or a log "
                    "that grows without end"
                )
        if self.steps < 0:
            raise Failure(
                f"the macro ran {self.budget:,} lines without finishing. Look for a loop whose condition never changes"
            )

    def open(self, path: str) -> Item:
        """Another file, for reading; a relative path counts from the first picked file. Opened once."""
        if self.opener is None:
            raise Failure("other files cannot be opened here")
        full = self._whole(path)
        if full not in self.opened:
            opened = self.opener.open(full)
            opened.recorder = ReadOnly(
                f"{os.path.basename(full)} was opened for reading only. To change it, name it in the command"
            )
            self.opened[full] = opened
        return self.opened[full].item

    def _whole(self, path: str) -> str:
        """A path as it is meant: a relative one counts from the first picked file."""
        here = not self.roots or "://" in self.roots[0].address
        folder = os.getcwd() if here else os.path.dirname(self.roots[0].address)
        return placed(folder, path)

    def copy(self, path: str, name: str, to: str | None) -> Item:
        """A new file made of another one, as an item that can be changed; it is there when the run is saved."""
        opener = self._making("copy-of")
        source = self._whole(path)
        ending = os.path.splitext(source)[1]
        own = str(name) if str(name).lower().endswith(ending.lower()) else f"{name}{ending}"
        target = self._free(own, to)
        self.made.append((opener.open(source), target))
        return self.made[-1][0].item

    def new_file(self, name: str, to: str | None, if_exists: str = IfExists.NUMBER) -> Item:
        """A new file with nothing in it, as an item that can be changed; it is there when the run is saved. Its sheet
        has the name that was asked for, whatever number the file gets.
        """
        opener = self._making("new-file")
        wanted = self._place(str(name), to)
        note_access(wanted)
        there = os.path.lexists(wanted)
        if if_exists == IfExists.FAIL and (there or is_claimed(wanted)):
            raise Failure(f'"{name}" exists already')
        if if_exists == IfExists.REPLACE and there and not is_claimed(wanted):
            self._ensure_replaceable(wanted)
            target = claim(wanted)
            self.replaced.add(target)
        else:
            target = free_path(wanted)
        self.made.append((opener.new(wanted), target))
        return self.made[-1][0].item

    def _ensure_replaceable(self, path: str) -> None:
        """Raises `Failure` for what is not a file, or is open in this run."""
        real = os.path.realpath(path)
        if not os.path.isfile(real):
            raise Failure(f'"{os.path.basename(path)}" is not a file, so it cannot be replaced')
        if real in [os.path.realpath(root.address) for root in (*self.roots, *self.opened.values())]:
            raise Failure(f'"{os.path.basename(path)}" is open in this run, so it cannot be replaced')

    def new_message(self, given: Mapping[str, object]) -> Item:
        """A new message as a draft; it is there when the run is saved."""
        opener = self._making("new-message")
        values = {
            word: fitted(given[word], type_, f'"{word}"')
            for word, type_ in (("to", list_of(ADDRESS)), ("subject", TEXT), ("text", TEXT))
        }
        nothing = next((word for word, value in values.items() if value is None), None)
        if nothing is not None:
            raise Failure(f'"{nothing}" of a new message is nothing')
        self.made.append((opener.message(self._whole("."), **values), ""))
        return self.made[-1][0].item

    def _making(self, word: str) -> Opens:
        if self.opener is None:
            raise Failure("other files cannot be opened here")
        if self.reach < Reach.FILES:
            raise not_allowed(word, Reach.FILES)
        return self.opener

    def _free(self, name: str, to: str | None) -> str:
        """Where a new file can be, under its name or with a number."""
        return free_path(self._place(name, to))

    def _place(self, name: str, to: str | None) -> str:
        ensure_file_name(name)
        return os.path.join(self._whole(to) if to else self._whole("."), name)

    def selection(self) -> Item:
        """What the person picked in the first file, or the whole of it."""
        if self._selected is None:
            self._selected = self.roots[0].selected(self.at)
        return self._selected

    def changing(self) -> list[Opened]:
        """The files that the run may change, and those that it makes."""
        return [*self.roots, *(file for file, _ in self.made)]

    def savepoint(self) -> list[int]:
        """A mark in the changes of every open file."""
        return [file.recorder.savepoint() for file in self.changing()]

    def rollback(self, marks: list[int]) -> None:
        """Undoes every change since the mark; files made since then are not made."""
        while len(self.made) > len(marks) - len(self.roots):
            file, target = self.made.pop()
            file.close()
            release(target)
            self.replaced.discard(target)
        for file, mark in zip(self.changing(), marks, strict=True):
            file.recorder.rollback(mark)

    def put_pair(self, pairs: Pairs, key: Value, value: Value) -> None:
        """Gives a key of pairs a value; an attempt that fails undoes that too."""
        former = pairs.put(key, value)
        if former is None and len(pairs.types) > 1:
            self._note_twin(pairs, key)
        if self.attempts:
            self._pairs.append((pairs, key, former))

    @contextmanager
    def trying(self) -> Iterator[Callable[[], None]]:
        """An attempt; gives what undoes all that was changed since it began."""
        marks, first = self.savepoint(), len(self._pairs)

        def back() -> None:
            self.rollback(marks)
            while len(self._pairs) > first:
                pairs, key, former = self._pairs.pop()
                pairs.put_back(key, former)

        self.attempts += 1
        try:
            yield back
        finally:
            self.attempts -= 1
            if not self.attempts:
                self._pairs.clear()

    def say(self, text: str) -> None:
        """Tells the person."""
        self.said.append(text)
        self.host.say(text)

    def remark(self, text: str) -> None:
        """Writes into the record what an action left undone; the person is told how often."""
        self.remarks += 1
        self.note(text)

    def unlike(self, what: str, where: str, heading: str = "") -> None:
        """Counts a comparison of two values that are not equal only because they are of different types."""
        times, first = self.unequal.get((what, heading), (0, where))
        self.unequal[what, heading] = (times + 1, first)

    def get_pair(self, pairs: Pairs, key: Value) -> Value:
        """The value of a key that pairs do not have. Raises `Failure` unless such keys have one."""
        self.missed(pairs, key)
        return pairs.get(key)

    def missed(self, pairs: Pairs, key: Value) -> None:
        """Notes a key that pairs do not have, where they have one of another type that reads the same."""
        if type(key) not in pairs.types and len(pairs):
            self._note_twin(pairs, key)

    def _note_twin(self, pairs: Pairs, key: Value) -> None:
        for what, other in twins(key):
            if pairs.has(other):
                self.unlike(what, "")

    def note(self, text: str) -> None:
        """Writes a line of the record."""
        self.log.append(text)
        self.host.log(text)


#: The places of one running macro: the execution, then its names and items.
Frame = list[Any]
