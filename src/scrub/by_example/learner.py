"""Learns a macro: finds steps, writes them, runs them on a copy, and says what they do not explain."""

from __future__ import annotations

import os
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from time import process_time
from typing import Any, NamedTuple, Protocol

from scrub.by_example.beside import Beside, name_for
from scrub.by_example.conditions import family
from scrub.by_example.differences import Difference, differences
from scrub.by_example.lists import ListFinder
from scrub.by_example.seen import SeenBook, SeenList, seen
from scrub.by_example.steps import Step, written
from scrub.by_example.time_limit import OutOfTime, within
from scrub.by_example.workbooks import BookFinder
from scrub.model.core.problem import BadCall, ScrubError, counted, with_article
from scrub.model.vocabulary import Vocabulary

#: Of what is other, the share that a macro has to explain to be shown.
_EXPLAINED = 0.6
#: Readings of one step that are told.
_TOLD = 8
#: Macros with another reading that are tried on a second pair.
_TRIED = 24
#: CPU seconds of a trial run above which other readings are told without a run of their own.
_QUICK = 5.0
#: How a step begins that gives paragraphs a style.
_STYLE = "paragraph.style = "
#: Words of the language that cannot be names.
_WORDS = frozenset("and attempt by each else end for give if in is it last log not or place say skip while".split())


class Ran(NamedTuple):
    """What comes of a macro: the item of the copy, and those of the mailboxes that it filed messages in, by name."""

    item: Any
    filed: dict[str, Any]


class Trials(Protocol):
    """What opens files and runs macros for trial; nothing of it is kept."""

    def item(self, path: str) -> Any:
        """The item of a file. Raises `FileProblem`."""

    def named(self, path: str) -> str:
        """How a macro names a file beside the first one."""

    def run(self, text: str, path: str) -> Ran:
        """What comes of a copy of a file. Raises `ScrubError` where the macro fails."""


class LearnOptions(NamedTuple):
    """How a macro is to be learned; see `scrub.learn`."""

    also: Sequence[tuple[str, str]] = ()
    beside: Sequence[str] = ()
    title: str = "Learned"
    seconds: float = 60.0
    tell: Callable[[str], None] = lambda text: None


class Reading(NamedTuple):
    """Something else that an example may mean: the loops that differ, and the whole macro."""

    told: str
    text: str


@dataclass
class Learned:
    """A macro that was learned from an example."""

    text: str
    #: How many places are other in the two files, and those that the macro does not explain.
    total: int
    left: list[Difference] = field(default_factory=list)
    #: What the example does not tell: for each choice the readings, the one in the macro first.
    readings: list[list[str]] = field(default_factory=list)
    #: The choice that matters for most items of the first file, the one in the macro first; each was run on a copy.
    choice: list[Reading] = field(default_factory=list)
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
            "choice": [each._asdict() for each in self.choice],
            "notes": self.notes,
            "left-out": self.left_out,
        }


def learn(before: str, after: str, vocabulary: Vocabulary, trials: Trials, options: LearnOptions) -> Learned:
    """Learns from one pair of files. Raises `BadCall` for two files that have nothing to do with each other."""
    options.tell("reading")
    one, other = _read(before, vocabulary, trials), _read(after, vocabulary, trials)
    if one.kind != other.kind:
        raise BadCall(
            f"{before} is {with_article(one.kind)} and {after} {with_article(other.kind)}. Save both in the same format"
        )
    beside = _beside(options.beside, vocabulary, trials)
    if isinstance(one, SeenList) and isinstance(other, SeenList):
        other.note_filed({each.path: each.seen for each in beside if isinstance(each.seen, SeenList)}, one)
    start = differences(one, other)
    if not start:
        raise BadCall("no difference that a macro could see between the two files")
    finder = _finder(one, other, vocabulary, beside)
    steps, is_whole = _searched(finder, options)
    learned = Learned("", len(start), start, notes=list(dict.fromkeys(finder.notes)), left_out=finder.left_out)
    if steps:
        options.tell("proving")
        _Proof(before, other, options.title, vocabulary, trials).prove(learned, steps, options.also)
    if not is_whole:
        learned.notes.append(
            f"Stopped after {options.seconds:g} seconds: {learned.explained:,} of "
            f"{counted(learned.total, 'difference')} explained so far. Allow more time: --minutes 5"
        )
    return learned


def _searched(finder: BookFinder | ListFinder, options: LearnOptions) -> tuple[list[Step], bool]:
    """The steps that were found in time, and whether all were looked for."""
    steps: list[Step] = []
    options.tell("searching")
    try:
        with within(options.seconds):
            for step in finder.steps():
                steps.append(step)
                options.tell(f"searching, {counted(len(steps), 'step')} found")
    except OutOfTime:
        return steps, False
    return steps, True


def _beside(paths: Sequence[str], vocabulary: Vocabulary, trials: Trials) -> list[Beside]:
    taken = {*vocabulary.kinds, *_WORDS}
    found = []
    for path in paths:
        name = name_for(path, taken)
        taken.add(name)
        one = Beside(trials.named(path), _read(path, vocabulary, trials), name)
        if isinstance(one.seen, SeenList) and one.path == os.path.abspath(path):
            raise BadCall(f"{path}: to learn what is filed there, put it in the folder of the first file, or below")
        found.append(one)
    return found


def _readings(step: Step) -> list[tuple[str, ...]]:
    """The loops that a step could have which say something else, not the same in other words; its own come first."""
    found: dict[frozenset[str], tuple[str, ...]] = {}
    own = family(step.loops)
    one = [each for each in step.readings if sum(a != b for a, b in zip(each, step.loops, strict=False)) == 1]
    inner = [each for each in one if each[-1] != step.loops[-1]]  # what is done to what says more than where
    for loops in (step.loops, *(inner or one or step.readings)):
        if own < family(loops):  # a further part only explains away what may be a slip
            continue
        found.setdefault(family(loops) if not step.note else frozenset(loops), loops)
    return list(found.values())[:_TOLD]


def _told(readings: Sequence[tuple[str, ...]]) -> list[str]:
    """What differs in some readings of a step: the loops in which they do, or only the conditions of these."""
    if len({len(each) for each in readings}) > 1:
        return [" > ".join(each) for each in readings]
    places = [place for place, loops in enumerate(zip(*readings, strict=True)) if len(set(loops)) > 1]
    if len(places) == 1:
        parts = [each[places[0]].partition(" where ") for each in readings]
        if len({part[0] for part in parts}) == 1:
            return [f"where {part[2]}" if part[2] else part[0] for part in parts]
    return [" > ".join(each[place] for place in places) for each in readings]


def _read(path: str, vocabulary: Vocabulary, trials: Trials) -> SeenBook | SeenList:
    item = trials.item(path)
    found = seen(item, vocabulary)
    if found is None:
        raise BadCall(f"{path}: nothing can be learned from {with_article(item.kind_word)} yet")
    return found


def _finder(
    one: SeenBook | SeenList, other: SeenBook | SeenList, vocabulary: Vocabulary, beside: Sequence[Beside]
) -> BookFinder | ListFinder:
    if isinstance(one, SeenBook) and isinstance(other, SeenBook):
        return BookFinder(one, other, vocabulary, beside)
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
        self._problem = ""  # why the last macro failed

    def _text(self, steps: Sequence[Step]) -> str:
        return written(steps, self._goal.kind, self._title)

    def _left(self, text: str, before: str, goal: SeenBook | SeenList) -> list[Difference] | None:
        """What is other after a macro ran; None where it fails."""
        try:
            ran = self._trials.run(text, before)
        except ScrubError as problem:
            self._problem = str(problem)
            return None
        result = seen(ran.item, self._vocabulary)
        if isinstance(result, SeenList) and isinstance(goal, SeenList) and goal.filed:
            boxes = {name: seen(item, self._vocabulary) for name, item in ran.filed.items()}
            result.note_filed({name: box for name, box in boxes.items() if isinstance(box, SeenList)}, None)
        return None if result is None else differences(result, goal)

    def prove(self, learned: Learned, steps: list[Step], also: Sequence[tuple[str, str]]) -> None:
        """Runs the steps, and tells what comes of it and what else could be meant."""
        start = learned.left
        began = process_time()
        if also:
            text, steps, left = self.decided(steps, also, learned)
        else:
            text, steps, left = self.of(steps)
        is_quick = process_time() - began < _QUICK
        if left is None:
            learned.notes.append(f"A rule was found, but the macro fails: {self._problem}")
            return
        if len(start) - len(left) < _EXPLAINED * len(start):
            learned.notes.append(
                f"{counted(len(start) - len(left), 'difference')} of {len(start):,} could be explained: too few for a "
                "rule."
            )
            return
        learned.text, learned.left = text, left
        several = [step for step in steps if len(_readings(step)) > 1]
        doubtful = [step for step in several if step.note or any(step.doubts)]
        if doubtful and is_quick and not also:
            asked = max(doubtful, key=lambda step: (bool(step.note), sum(step.doubts)))
            learned.choice = self._choice(text, len(left), steps, asked)
            if learned.choice:
                several.remove(asked)
        learned.readings = list(map(list, dict.fromkeys(tuple(_told(_readings(step))) for step in several)))
        learned.notes += [step.note for step in steps if step.note]
        learned.notes += dict.fromkeys(gap for step in steps for gap in step.gaps)
        learned.is_open = any(step.note for step in steps)

    def _choice(self, text: str, left: int, steps: Sequence[Step], step: Step) -> list[Reading]:
        """The readings of a step that explain as much and treat some items otherwise, each with its macro; none where
        there is only one.
        """
        others = step.readings
        if not step.note:
            others = tuple(each for each, items in zip(step.readings, step.doubts, strict=True) if items)
        readings = _readings(step._replace(readings=others))
        told = _told(readings)
        found = [Reading(told[0], text)]
        for loops, line in zip(readings[1:], told[1:], strict=True):
            other = self._text([each._replace(loops=loops) if each is step else each for each in steps])
            rest = self._left(other, self._before, self._goal)
            if rest is not None and len(rest) <= left:
                found.append(Reading(line, other))
        return found if len(found) > 1 else []

    def of(self, steps: list[Step]) -> tuple[str, list[Step], list[Difference] | None]:
        """The macro, its steps, and what is other after it ran; steps that do harm are dropped."""
        kept, text = steps, self._text(steps)
        left = self._left(text, self._before, self._goal)
        if left == []:
            return self._without_what_follows(text, kept)
        for step in steps:
            fewer = [each for each in kept if each is not step]
            if not fewer:
                break
            shorter = self._text(fewer)
            other = self._left(shorter, self._before, self._goal)
            if other is not None and (left is None or len(other) < len(left)):
                kept, left, text = fewer, other, shorter
        return text, kept, left

    def _without_what_follows(self, text: str, steps: list[Step]) -> tuple[str, list[Step], list[Difference]]:
        """The same without the looks that come with a style, where this explains everything too."""
        styled = {step.loops for step in steps if step.lines[0].startswith(_STYLE)}
        fewer = [step for step in steps if step.loops not in styled or step.lines[0].startswith(_STYLE)]
        if len(fewer) < len(steps):
            shorter = self._text(fewer)
            if self._left(shorter, self._before, self._goal) == []:
                return shorter, fewer, []
        return text, steps, []

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
