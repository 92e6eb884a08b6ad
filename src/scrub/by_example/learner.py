"""Learns a macro: finds steps, writes them, runs them on a copy, and says what they do not explain."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from typing import Any, Protocol

from scrub.by_example.conditions import family
from scrub.by_example.differences import Difference, differences
from scrub.by_example.lists import ListFinder
from scrub.by_example.seen import SeenBook, SeenList, seen
from scrub.by_example.steps import Step, written
from scrub.by_example.workbooks import BookFinder
from scrub.model.core.problem import BadCall, ScrubError, counted, with_article
from scrub.model.vocabulary import Vocabulary

#: Of what is other, the share that a macro has to explain to be shown.
_EXPLAINED = 0.6
#: Readings of one step that are told.
_TOLD = 4
#: Macros with another reading that are tried on a second pair.
_TRIED = 24


class Trials(Protocol):
    """What opens files and runs macros for trial; nothing of it is kept."""

    def item(self, path: str) -> Any:
        """The item of a file. Raises `FileProblem`."""

    def run(self, text: str, path: str) -> Any:
        """What comes of a copy of a file: its item. Raises `ScrubError` where the macro fails."""


@dataclass
class Learned:
    """A macro that was learned from an example."""

    text: str
    #: How many places are other in the two files, and those that the macro does not explain.
    total: int
    left: list[Difference] = field(default_factory=list)
    #: What the example does not tell: for each choice the readings, the one in the macro first.
    readings: list[list[str]] = field(default_factory=list)
    notes: list[str] = field(default_factory=list)
    #: What programs change on their own, which was left out.
    left_out: list[str] = field(default_factory=list)

    #: Whether the example is too small to tell which of several rules is meant.
    is_open: bool = False

    @property
    def proved(self) -> bool:
        """Whether the macro, run on a copy of the first file, gives the second one, and the example tells it."""
        return bool(self.text) and not self.left and not self.is_open

    @property
    def explained(self) -> int:
        """How many places it explains."""
        return max(0, self.total - len(self.left))

    def as_dict(self) -> dict[str, object]:
        """The same as JSON shows it."""
        return {
            "macro": self.text,
            "proved": self.proved,
            "open": self.is_open,
            "explained": self.explained,
            "of": self.total,
            "left": [str(each) for each in self.left],
            "readings": self.readings,
            "notes": self.notes,
            "left-out": self.left_out,
        }


def learn(
    before: str,
    after: str,
    vocabulary: Vocabulary,
    trials: Trials,
    also: Sequence[tuple[str, str]] = (),
    title: str = "Learned",
    tell: Callable[[str], None] = lambda text: None,
) -> Learned:
    """Learns from one pair of files; `also` are further pairs, which decide between readings. Raises `BadCall` for two
    files that have nothing to do with each other.
    """
    tell("reading")
    one, other = _read(before, vocabulary, trials), _read(after, vocabulary, trials)
    if one.kind != other.kind:
        raise BadCall(
            f"{before} is {with_article(one.kind)} and {after} {with_article(other.kind)}. Save both in the same format"
        )
    start = differences(one, other)
    if not start:
        raise BadCall("no difference that a macro could see between the two files")
    tell("searching")
    finder = _finder(one, other, vocabulary)
    steps = finder.steps()
    learned = Learned("", len(start), start, notes=list(dict.fromkeys(finder.notes)), left_out=finder.left_out)
    if not steps:
        return learned
    tell("proving")
    proof = _Proof(before, other, title, vocabulary, trials)
    if also:
        text, steps, left = proof.decided(steps, also, learned)
    else:
        text, left = proof.of(steps)
    if left is None:
        return learned
    if len(start) - len(left) < _EXPLAINED * len(start):
        learned.notes.append(
            f"{counted(len(start) - len(left), 'difference')} of {len(start):,} could be explained: too few for a rule."
        )
        return learned
    learned.text, learned.left = text, left
    told = (_told(step) for step in steps if step.readings)
    learned.readings = [list(each) for each in dict.fromkeys(tuple(each) for each in told if len(each) > 1)]
    learned.notes += [step.note for step in steps if step.note]
    learned.is_open = any(step.note for step in steps)
    return learned


def _told(step: Step) -> list[str]:
    """The readings of a step that say something else, not the same in other words."""
    found: dict[frozenset[str], str] = {}
    for loops in (step.loops, *step.readings):
        found.setdefault(family(loops), " > ".join(loops))
    return list(found.values())[:_TOLD]


def _read(path: str, vocabulary: Vocabulary, trials: Trials) -> SeenBook | SeenList:
    item = trials.item(path)
    found = seen(item, vocabulary)
    if found is None:
        raise BadCall(f"{path}: nothing can be learned from {with_article(item.kind_word)} yet")
    return found


def _finder(one: SeenBook | SeenList, other: SeenBook | SeenList, vocabulary: Vocabulary) -> BookFinder | ListFinder:
    if isinstance(one, SeenBook) and isinstance(other, SeenBook):
        return BookFinder(one, other, vocabulary)
    assert isinstance(one, SeenList)
    assert isinstance(other, SeenList)
    return ListFinder(one, other, vocabulary)


class _Proof:
    """Runs macros on copies of the first file, and counts what is other than in the second one."""

    def __init__(
        self, before: str, goal: SeenBook | SeenList, title: str, vocabulary: Vocabulary, trials: Trials
    ) -> None:
        self._before, self._goal, self._title = before, goal, title
        self._vocabulary, self._trials = vocabulary, trials

    def _text(self, steps: Sequence[Step]) -> str:
        return written(steps, self._goal.kind, self._title)

    def _left(self, text: str, before: str, goal: SeenBook | SeenList) -> list[Difference] | None:
        """What is other after a macro ran; None where it fails."""
        try:
            result = seen(self._trials.run(text, before), self._vocabulary)
        except ScrubError:
            return None
        return None if result is None else differences(result, goal)

    def of(self, steps: Sequence[Step]) -> tuple[str, list[Difference] | None]:
        """The macro, and what is other after it ran; steps that do harm are dropped."""
        kept, text = list(steps), self._text(steps)
        left = self._left(text, self._before, self._goal)
        if left == []:
            return text, left
        for step in steps:
            fewer = [each for each in kept if each is not step]
            if not fewer:
                break
            shorter = self._text(fewer)
            other = self._left(shorter, self._before, self._goal)
            if other is not None and (left is None or len(other) < len(left)):
                kept, left, text = fewer, other, shorter
        return text, left

    def decided(
        self, steps: list[Step], also: Sequence[tuple[str, str]], learned: Learned
    ) -> tuple[str, list[Step], list[Difference] | None]:
        """The reading that further pairs fit."""
        goals = [(self._before, self._goal)]
        goals += [(one, _read(other, self._vocabulary, self._trials)) for one, other in also]
        tried = [steps]
        for number, step in enumerate(steps):
            for reading in step.readings:
                changed = step._replace(loops=reading, readings=())
                tried.append([*steps[:number], changed, *steps[number + 1 :]])
        best: tuple[int, str, list[Step], list[Difference]] | None = None
        for place, each in enumerate(tried[:_TRIED]):
            text = self._text(each)
            lefts = [self._left(text, path, goal) for path, goal in goals]
            known = [left for left in lefts if left is not None]
            if len(known) < len(lefts):
                continue
            count = sum(map(len, known))
            if best is None or count < best[0]:
                best = (count, text, each, known[0])
            if count == 0:
                if place:
                    learned.notes.append(f"The further pair fits reading {place + 1} only.")
                break
        if best is None:
            return self._text(steps), steps, None
        return best[1], [step._replace(readings=()) for step in best[2]], best[3]
