"""Changes: the record that is preview, report and undo list at once."""

from __future__ import annotations

from collections.abc import Callable, Iterable

from scrub.model.problem import Failure


class Change:
    """One change: its place, what was changed, what it was and what it is.

    `said` is how a person names the whole change ("protected"); without it the change reads `what: before -> after`.
    """

    __slots__ = ("after", "before", "place", "said", "what")

    def __init__(self, place: str, what: str, before: object, after: object, said: str = "") -> None:
        self.place = place
        self.what = what
        self.before = before
        self.after = after
        self.said = said

    def __str__(self) -> str:
        return self.said or f"{self.what}: {plain(self.before)} -> {plain(self.after)}"

    def __repr__(self) -> str:
        return f"<Change {self.place}: {self}>"

    def as_dict(self) -> dict[str, str]:
        """The change as JSON shows it."""
        record = {
            "place": self.place, "what": self.what, "before": plain(self.before), "after": plain(self.after),
        }  # fmt: skip
        return {**record, "said": self.said} if self.said else record


def plain(value: object) -> str:
    """A value in a list of changes."""
    if value is True or value is False:
        return "yes" if value else "no"
    return "nothing" if value is None else str(value)


class Recorder:
    """The changes made to one file so far, each with the way to take it back in memory."""

    def __init__(self) -> None:
        self._made: list[tuple[Change, Callable[[], None]]] = []
        self.remarks: list[str] = []  # what actions note for the run's record

    def add(self, change: Change, revert: Callable[[], None]) -> None:
        """Notes a change that was just made."""
        self._made.append((change, revert))

    def savepoint(self) -> int:
        """A mark to which `rollback` can return."""
        return len(self._made)

    def rollback(self, mark: int) -> None:
        """Takes back, last first, every change made since the mark."""
        while len(self._made) > mark:
            _, revert = self._made.pop()
            revert()

    def __bool__(self) -> bool:
        return bool(self._made)

    def net(self) -> list[Change]:
        """What was changed in the end: several changes of one thing are one, and a change there and back is none."""
        return folded(change for change, _ in self._made)


class ReadOnly(Recorder):
    """The recorder of a file that was opened for reading: every change is a failure."""

    def __init__(self, why: str) -> None:
        super().__init__()
        self.why = why

    def add(self, change: Change, revert: Callable[[], None]) -> None:
        """Takes the change back and fails."""
        revert()
        raise Failure(self.why)


def folded(changes: Iterable[Change]) -> list[Change]:
    """Changes of the same thing joined, in the order of the first of each."""
    by_thing: dict[tuple[str, str], Change] = {}
    for change in changes:
        key = (change.place, change.what)
        first = by_thing.get(key)
        if first is None:
            by_thing[key] = change
        else:
            by_thing[key] = Change(change.place, change.what, first.before, change.after, change.said)
    return [change for change in by_thing.values() if change.before != change.after]
