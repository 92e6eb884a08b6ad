"""The record of what was changed in a file, which is preview, report and undo list at once.

A run can make a hundred thousand changes. What is noted of each is one small object, and what is told of them in the
end is kept in columns: an object for each would take more room than the file.
"""

from __future__ import annotations

from array import array
from collections.abc import Hashable, Iterable, Iterator, Mapping, Sequence
from contextlib import contextmanager
from typing import Any, Protocol, overload

from scrub.model.core.area import Area
from scrub.model.core.change import VALUE, Change, Undo, Where, plain
from scrub.model.core.problem import Failure
from scrub.model.core.required import required


class RecordedEdit:
    """A change that was just made, with the way to undo it in memory."""

    __slots__ = ()

    @property
    @required
    def thing(self) -> tuple[Hashable, Hashable]:
        """What was changed: in what many are changed, and what of it. Several changes of one thing are one."""
        raise NotImplementedError

    @property
    @required
    def change(self) -> Change:
        """As it is listed and stored."""
        raise NotImplementedError

    @property
    def proof(self) -> object:
        """What tells its outcome apart from others that are told in the same words; None where the words do."""
        return None

    def tell(self, changes: Changes) -> None:
        """Puts it after other changes, unless it changed nothing."""
        change = self.change
        if change.before != change.after:
            changes.append(change)

    @required
    def revert(self) -> None:
        """Undoes it."""
        raise NotImplementedError


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


class Changes(Sequence[Change]):
    """Changes in their order, kept in columns."""

    __slots__ = ("_after", "_before", "_columns", "_fields", "_places", "_rows", "_said")

    def _repr_html_(self) -> str:
        """The first ones, for notebooks."""
        from scrub.model.core import html

        rows = (
            [each.place, each.said or each.what, *(["", ""] if each.said else [plain(each.before), plain(each.after)])]
            for each in self
        )
        return html.table(["Place", "What", "Before", "After"], rows, len(self))

    def __init__(self) -> None:
        self._places: list[str | Where] = []  # of one cell the sheet, of anything else where it is
        self._rows = array("I")  # of one cell its row, of anything else 0
        self._columns = array("I")
        self._fields: list[str] = []
        self._before: list[object] = []
        self._after: list[object] = []
        self._said: list[str] = []

    def append(self, change: Change) -> None:
        """Puts one after the others."""
        at = change.at
        cell = at[1] if len(at) == 2 and type(at[0]) is str else None
        if type(cell) is Area and cell[:2] == cell[2:]:
            self._places.append(str(at[0]))
            self._rows.append(cell.top)
            self._columns.append(cell.left)
        else:
            self._places.append(at)
            self._rows.append(0)
            self._columns.append(0)
        self._fields.append(change.field)
        self._said.append(change.said)
        self._before.append(change.before)
        self._after.append(change.after)

    def append_value(self, sheet: str, row: int, column: int, before: object, after: object) -> None:
        """Adds the changed value of a cell; there can be a hundred thousand."""
        self._places.append(sheet)
        self._rows.append(row)
        self._columns.append(column)
        self._fields.append(VALUE)
        self._said.append("")
        self._before.append(before)
        self._after.append(after)

    def __len__(self) -> int:
        return len(self._places)

    @overload
    def __getitem__(self, number: int) -> Change: ...
    @overload
    def __getitem__(self, number: slice) -> list[Change]: ...
    def __getitem__(self, number: int | slice) -> Change | list[Change]:
        if isinstance(number, slice):
            return [self[each] for each in range(*number.indices(len(self)))]
        place, row = self._places[number], self._rows[number]
        if isinstance(place, str):
            column = self._columns[number]
            place = (place, Area(row, column, row, column))
        return Change(place, self._fields[number], self._before[number], self._after[number], self._said[number])

    def __iter__(self) -> Iterator[Change]:
        sides = zip(self._before, self._after, strict=True)
        every = zip(self._places, self._rows, self._columns, self._fields, sides, self._said, strict=True)
        for place, row, column, field, (before, after), said in every:
            at = (place, Area(row, column, row, column)) if isinstance(place, str) else place
            yield Change(at, field, before, after, said)

    @property
    def places(self) -> Iterator[str]:
        """The outermost place of each."""
        return (place if isinstance(place, str) else str(place[0]) if place else "" for place in self._places)

    def __eq__(self, other: object) -> bool:
        return isinstance(other, Sequence) and list(self) == list(other)

    def __repr__(self) -> str:
        return repr(list(self))

    def kept(self) -> dict[str, object]:
        """The changes as the history keeps them; `of` brings them back."""
        return {
            "places": self._places,
            "rows": self._rows.tolist(),
            "columns": self._columns.tolist(),
            "fields": self._fields if set(self._fields) - {VALUE} else [],
            "before": list(map(plain, self._before)),
            "after": list(map(plain, self._after)),
            "said": self._said if any(self._said) else [],
        }

    @classmethod
    def of(cls, kept: Mapping[str, Any]) -> Changes:
        """What the history kept. Raises `TypeError`, `KeyError`, `ValueError` or `IndexError` for what is damaged."""
        changes = cls()
        if not isinstance(kept, Mapping):
            raise TypeError("changes are kept in columns")
        columns = [kept[word] for word in ("places", "rows", "columns", "before", "after")]
        columns += [kept["fields"] or [VALUE] * len(columns[0]), kept["said"] or [""] * len(columns[0])]
        for place, row, column, before, after, field, said in zip(*columns, strict=True):
            if isinstance(place, str):
                at: Where = (place, Area(row, column, row, column))
            else:
                at = tuple(each if isinstance(each, str) else Area(*each) for each in place)
            changes.append(_checked(Change(at, field, before, after, said)))
        return changes


def _checked(change: Change) -> Change:
    if not all(isinstance(each, str) for each in (change.field, change.before, change.after, change.said)):
        raise TypeError("a change is told in texts")
    return change


class Reviewer(Protocol):
    """Who decides about the changes of an action one by one."""

    def refuses(self, done: RecordedEdit) -> bool:
        """Whether a change that was just made is not wanted."""

    def wants(self, label: str) -> bool:
        """Whether the next of several independent pieces of work is wanted; its changes follow."""


class Recorder:
    """The changes made to one file so far, each with the way to undo it in memory."""

    def __init__(self) -> None:
        self._made: list[RecordedEdit] = []
        self.remarks: list[str] = []  # what actions note for the run's record
        self.reviewer: Reviewer | None = None

    def add(self, change: Change, revert: Undo, of: Hashable, proof: object = None) -> None:
        """Notes a change that was just made, and whose change it is: another item of the same label is another one."""
        self.note(_Noted(change, revert, of, proof))

    def note(self, done: RecordedEdit) -> None:
        """Notes a change that was just made; one that somebody refuses is undone at once."""
        if self.reviewer is not None and self.reviewer.refuses(done):
            done.revert()
        else:
            self._made.append(done)

    @contextmanager
    def piece(self, label: str) -> Iterator[bool]:
        """A piece of an action that is done, or left out, without the others; tells whether it is wanted."""
        yield self.reviewer is None or self.reviewer.wants(label)

    def savepoint(self) -> int:
        """A mark to which `rollback` can return."""
        return len(self._made)

    def since(self, mark: int = 0) -> list[RecordedEdit]:
        """What was done since a mark."""
        return self._made[mark:]

    def rollback(self, mark: int) -> None:
        """Undoes, last first, every change made since the mark."""
        while len(self._made) > mark:
            self._made.pop().revert()

    def __bool__(self) -> bool:
        return bool(self._made)

    def net(self) -> Changes:
        """What was changed in the end."""
        return net_of(self._made)


def net_of(made: Iterable[RecordedEdit]) -> Changes:
    """What several changes come to: those of one thing are one, in the order of the first of each, and a change there
    and back is none.
    """
    made = list(made)
    first: dict[Hashable, dict[Hashable, RecordedEdit]] = {}
    last: dict[tuple[Hashable, Hashable], RecordedEdit] = {}
    for done in made:
        within, what = done.thing
        if first.setdefault(within, {}).setdefault(what, done) is not done:
            last[within, what] = done
    changes = Changes()
    for done in made:
        within, what = done.thing
        if first[within][what] is not done:
            continue
        end = last.get((within, what)) if last else None
        if end is None:
            done.tell(changes)
            continue
        change, to = done.change, end.change
        if change.before != to.after:
            changes.append(Change(change.at, change.field, change.before, to.after, to.said))
    return changes


class Within(Recorder):
    """The recorder of a file that was opened as a part of another one: what is changed in it is changed there."""

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

    def __init__(self, why: str) -> None:
        super().__init__()
        self.why = why

    def note(self, done: RecordedEdit) -> None:
        """Takes the change back and fails."""
        done.revert()
        raise Failure(self.why)
