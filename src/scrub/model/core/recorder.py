"""The record of what was changed in a file, which is preview, report and undo list at once.

A run can make a hundred thousand changes. What is noted of each is one small object, or a place in arrays that changes
of one field share.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Hashable, Iterable, Iterator, Sequence
from contextlib import contextmanager
from typing import Protocol, TypeVar

from scrub.model.core.change import Change, Undo
from scrub.model.core.changes import ChangeBlock, Changes
from scrub.model.core.edit_columns import EditBlock, EditColumn
from scrub.model.core.edits import RecordedEdit
from scrub.model.core.problem import Failure

C = TypeVar("C", bound=EditColumn)


class _Noted(RecordedEdit):
    """A change of any sort."""

    __slots__ = ("_change", "_of", "_proof", "_revert")

    def __init__(self, change: Change, revert: Undo, of: Hashable, proof: object) -> None:
        self._change, self._revert, self._of, self._proof = change, revert, of, proof

    @property
    def proof(self) -> object:
        return self._proof

    @property
    def thing(self) -> tuple[Hashable, Hashable]:
        return self._change.field, (self._of, self._change.at)

    @property
    def change(self) -> Change:
        return self._change

    def revert(self) -> None:
        self._revert()


class Reviewer(Protocol):
    """Who decides about the changes of an action one by one."""

    def refuses(self, done: RecordedEdit) -> bool:
        """Whether a change that was just made is not wanted."""

    def wants(self, label: str) -> bool:
        """Whether the next of several independent pieces of work is wanted; its changes follow."""


class Recorder:
    """The changes made to one file so far, each with the way to undo it in memory."""

    #: Whether changes of one field may share arrays: not where each is looked at as it is made.
    in_columns = True

    def __init__(self) -> None:
        self._made: list[RecordedEdit | EditBlock] = []
        self._before = 0  # how many changes there are without those of the open block
        self._block: EditBlock | None = None  # the last of what was made, where changes can still be put into it
        self.remarks: list[str] = []  # what actions note for the run's record
        self._reviewer: Reviewer | None = None

    @property
    def reviewer(self) -> Reviewer | None:
        """Who decides about the changes of an action one by one."""
        return self._reviewer

    @reviewer.setter
    def reviewer(self, reviewer: Reviewer | None) -> None:
        self._reviewer = reviewer
        self._close()

    def add(self, change: Change, revert: Undo, of: Hashable, proof: object = None) -> None:
        """Notes a change that was just made, and whose change it is: another item of the same label is another one."""
        self.note(_Noted(change, revert, of, proof))

    def note(self, done: RecordedEdit) -> None:
        """Notes a change that was just made; one that somebody refuses is undone at once."""
        if self._reviewer is not None and self._reviewer.refuses(done):
            done.revert()
            return
        if self._block is not None:
            self._close()
        self._made.append(done)
        self._before += 1

    @property
    def takes_columns(self) -> bool:
        """Whether `column` gives arrays."""
        return self._reviewer is None and self.in_columns

    def column(self, known: C | None, start: Callable[[], C]) -> C | None:
        """The arrays into which changes of a field go now: those that took the last one, where they still can, or new
        ones; None where each is to be noted by itself.
        """
        if known is not None and known.block is self._block and self._block is not None:
            return known
        if not self.takes_columns:
            return None
        if self._block is None:
            self._block = EditBlock()
            self._made.append(self._block)
        column = start()
        self._block.add(column)
        return column

    def _close(self) -> None:
        """Ends the open block: what is noted next comes after it."""
        if self._block is not None:
            self._before += len(self._block)
            self._block = None

    @contextmanager
    def piece(self, label: str) -> Iterator[bool]:
        """A piece of an action that is done, or left out, without the others; tells whether it is wanted."""
        yield self._reviewer is None or self._reviewer.wants(label)

    def savepoint(self) -> int:
        """A mark to which `rollback` can return: how many changes were made."""
        return self._before + (len(self._block) if self._block is not None else 0)

    def since(self, mark: int = 0) -> list[RecordedEdit]:
        """What was done since a mark."""
        found: list[Sequence[RecordedEdit]] = []
        start = self.savepoint()
        for each in reversed(self._made):
            if start <= mark:
                break
            start -= len(each) if isinstance(each, EditBlock) else 1
            found.append(each.edits(max(0, mark - start)) if isinstance(each, EditBlock) else [each])
        return [edit for some in reversed(found) for edit in some]

    def rollback(self, mark: int) -> None:
        """Undoes, last first, every change made since the mark."""
        self._close()
        while self._before > mark:
            last = self._made[-1]
            if isinstance(last, EditBlock):
                left = max(0, len(last) - (self._before - mark))
                self._before -= len(last) - left
                last.take_back(left)
            else:
                left = 0
                self._before -= 1
                last.revert()
            if not left:
                self._made.pop()

    def __bool__(self) -> bool:
        return self.savepoint() > 0

    def net(self) -> Changes:
        """What was changed in the end."""
        return net_of(self._made)


def net_of(made: Iterable[RecordedEdit | EditBlock]) -> Changes:
    """What several changes come to: those of one thing are one, in the order of the first of each, and a change there
    and back is none.
    """
    parts = list(made)
    blocks = _apart(parts)
    every = [edit for part in parts if id(part) not in blocks for edit in _edits_of(part)]
    first: dict[Hashable, dict[Hashable, RecordedEdit]] = {}
    last: dict[tuple[Hashable, Hashable], RecordedEdit] = {}
    for done in every:
        within, what = done.thing
        if first.setdefault(within, {}).setdefault(what, done) is not done:
            last[within, what] = done
    changes = Changes()
    for part in parts:
        block = blocks.get(id(part))
        if block is not None:
            changes.append_block(block)
            continue
        for done in _edits_of(part):
            within, what = done.thing
            if first[within][what] is done:
                _tell(done, last.get((within, what)), changes)
    return changes


def _tell(done: RecordedEdit, end: RecordedEdit | None, changes: Changes) -> None:
    """Puts what became of one thing after other changes; `end` is the last change of it, None for the same."""
    if end is None:
        done.tell(changes)
        return
    change, to = done.change, end.change
    if change.before != to.after:
        changes.append(Change(change.at, change.field, change.before, to.after, to.said))


def _edits_of(part: RecordedEdit | EditBlock) -> Sequence[RecordedEdit]:
    return part.edits() if isinstance(part, EditBlock) else (part,)


def _apart(parts: Sequence[RecordedEdit | EditBlock]) -> dict[int, ChangeBlock]:
    """What the blocks come to that have nothing to do with any other change, by their identity."""
    found: dict[int, ChangeBlock] = {}
    if not any(isinstance(part, EditBlock) for part in parts):
        return found
    times: Counter[Hashable] = Counter()
    for part in parts:
        if isinstance(part, EditBlock):
            times.update(column.within for column in part.columns)
        else:
            times[part.thing[0]] += 1
    for part in parts:
        if isinstance(part, EditBlock) and all(times[column.within] == 1 for column in part.columns):
            net = part.net()
            if net is not None:
                found[id(part)] = net
    return found


class Within(Recorder):
    """The recorder of a file that was opened as a part of another one: what is changed in it is changed there."""

    in_columns = False

    def __init__(self, outer: Recorder, label: str) -> None:
        """`label` is how the outer one calls the file."""
        super().__init__()
        self._outer = outer
        self._label = label

    def note(self, done: RecordedEdit) -> None:
        """Notes a change here and there; undone there, it is undone here."""
        super().note(done)
        self._outer.note(_Inside(self, done))


class _Inside(RecordedEdit):
    """A change of a file that was opened as a part of another."""

    __slots__ = ("_done", "_recorder")

    def __init__(self, recorder: Within, done: RecordedEdit) -> None:
        self._recorder, self._done = recorder, done

    @property
    def thing(self) -> tuple[Hashable, Hashable]:
        within, what = self._done.thing
        return (self._recorder._label, within), what

    @property
    def proof(self) -> object:
        return self._done.proof

    @property
    def change(self) -> Change:
        change = self._done.change
        return Change((self._recorder._label, *change.at), change.field, change.before, change.after, change.said)

    def revert(self) -> None:
        self._recorder.rollback(self._recorder.savepoint() - 1)


class ReadOnly(Recorder):
    """The recorder of a file that was opened for reading: every change is a failure."""

    in_columns = False

    def __init__(self, why: str) -> None:
        super().__init__()
        self.why = why

    def note(self, done: RecordedEdit) -> None:
        """Takes the change back and fails."""
        done.revert()
        raise Failure(self.why)
