"""Changes: the record that is preview, report and undo list at once."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterable, Iterator, Mapping
from typing import Any

from scrub.model.area import Area
from scrub.model.problem import Failure

#: Letters of both sides of a change that are told whole, and differences of longer ones that are told.
_LINE = 60
_PAIRS = 4
#: Equal words and blanks between two differences that are told as one.
_BETWEEN = 3
_NAMED = str.maketrans({
    "\u00a0": "{no-break-space}", "\u202f": "{narrow-no-break-space}", "\t": "{tab}", "\n": "{newline}",
    "\u00ad": "{soft-hyphen}", "\u2011": "{no-break-hyphen}", "\u200b": "{zero-width-space}", "\ufffc": "{object}",
})  # fmt: skip
#: The field that is what stands in a cell.
VALUE = "value"


#: Where something was changed, from the outside in: the labels of items, and ranges of cells.
Where = tuple["str | Area", ...]


class Change:
    """One change: where it was made, which field was changed, what it was and what it is.

    `said` is how a person names the whole change ("protected"); without it the change reads `what: before -> after`.
    """

    __slots__ = ("after", "at", "before", "field", "said")

    def __init__(self, at: Where, field: str, before: object, after: object, said: str = "") -> None:
        self.at = at
        self.field = field
        self.before = before
        self.after = after
        self.said = said

    @property
    def place(self) -> str:
        """The outermost place: a sheet, a paragraph, a file."""
        return str(self.at[0]) if self.at else ""

    @property
    def what(self) -> str:
        """What was changed there: `B2`, `B2 bold`, `column C width`, `hidden`."""
        return " ".join([*map(str, self.at[1:]), *([] if self.field == VALUE and self.at[1:] else [self.field])])

    @property
    def cell(self) -> Area | None:
        """The one cell that was changed, if it was one."""
        at = self.at
        inner = at[1] if len(at) == 2 else ""
        return inner if type(inner) is Area and inner[:2] == inner[2:] else None

    @property
    def sides(self) -> tuple[str, str]:
        """What it was and what it is, as texts."""
        return plain(self.before), plain(self.after)

    @property
    def of_cell(self) -> str:
        """What was changed of a cell other than its value, or an empty text."""
        return "" if self.field == VALUE else self.field

    def __str__(self) -> str:
        return self.said or f"{self.what}: {' -> '.join(_narrowed(*self.sides))}"

    def __repr__(self) -> str:
        return f"<Change {self.place}: {self}>"

    def as_dict(self) -> dict[str, str]:
        """The change as JSON shows it."""
        record = {
            "place": self.place, "what": self.what, "before": plain(self.before), "after": plain(self.after),
        }  # fmt: skip
        return {**record, "said": self.said} if self.said else record

    def kept(self) -> dict[str, Any]:
        """The change as the history keeps it; `of` brings it back."""
        found: dict[str, Any] = {"at": self.at, "before": plain(self.before), "after": plain(self.after)}
        if self.field != VALUE:
            found["field"] = self.field
        if self.said:
            found["said"] = self.said
        return found

    @classmethod
    def of(cls, kept: Mapping[str, Any]) -> Change:
        """A change that the history kept. An older record names its place in words only."""
        at = kept.get("at")
        if at is None:
            return cls((kept["place"],), kept["what"], kept["before"], kept["after"], kept.get("said", ""))
        where = tuple(each if isinstance(each, str) else Area(*each) for each in at)
        return cls(where, kept.get("field", VALUE), kept["before"], kept["after"], kept.get("said", ""))


def plain(value: object) -> str:
    """A value in a list of changes."""
    if value is True or value is False:
        return "yes" if value else "no"
    return "nothing" if value is None else str(value)


def visible(text: str) -> str:
    """A text with what nobody would see on the screen named as a macro names it."""
    return text if text.isascii() and text.isprintable() else text.translate(_NAMED)


def cut(text: str, most: int = 60) -> str:
    """A text as a list of changes tells it."""
    text = visible(text)
    return text if len(text) <= most else text[: most - 3] + "..."


def _narrowed(before: str, after: str) -> tuple[str, str]:
    """Two texts as one line tells them: long ones as the words that differ, each pair once."""
    if len(before) + len(after) <= _LINE or not (before.startswith('"') and after.startswith('"')):
        return visible(before), visible(after)
    found: dict[tuple[str, str], None] = {}
    for old, new in _differing(before[1:-1], after[1:-1]):
        found[visible(old), visible(new)] = None
    sides = [", ".join(f'"{pair[side]}"' for pair in list(found)[:_PAIRS]) for side in (0, 1)]
    more = f" and {len(found) - _PAIRS} more" if len(found) > _PAIRS else ""
    return sides[0] + more, sides[1] + more


def _differing(before: str, after: str) -> Iterator[tuple[str, str]]:
    """The words of two texts that differ; where only blanks do, or words came or went, with those beside them."""
    from difflib import SequenceMatcher

    old, new = (re.findall(r"\s+|\S+", text) for text in (before, after))
    spans: list[list[int]] = []
    for tag, a, b, c, d in SequenceMatcher(None, old, new, autojunk=False).get_opcodes():
        if tag == "equal":
            continue
        if not "".join(old[a:b]).strip() or not "".join(new[c:d]).strip():
            left = next((count for count in (1, 2) if count <= min(a, c) and old[a - count].strip()), 0)
            right = next((count for count in (0, 1) if b + count < len(old) and old[b + count].strip()), -1) + 1
            a, b, c, d = a - left, b + right, c - left, d + right
        if spans and a <= spans[-1][1] + _BETWEEN:
            spans[-1][1::2] = b, d
        else:
            spans.append([a, b, c, d])
    for a, b, c, d in spans:
        yield "".join(old[a:b]), "".join(new[c:d])


class Recorder:
    """The changes made to one file so far, each with the way to take it back in memory."""

    def __init__(self) -> None:
        self._made: list[tuple[Change, Callable[[], None], object]] = []
        self.remarks: list[str] = []  # what actions note for the run's record

    def add(self, change: Change, revert: Callable[[], None], of: object) -> None:
        """Notes a change that was just made, and whose change it is: another item of the same label is another one."""
        self._made.append((change, revert, of))

    def savepoint(self) -> int:
        """A mark to which `rollback` can return."""
        return len(self._made)

    def rollback(self, mark: int) -> None:
        """Takes back, last first, every change made since the mark."""
        while len(self._made) > mark:
            self._made.pop()[1]()

    def __bool__(self) -> bool:
        return bool(self._made)

    def net(self) -> list[Change]:
        """What was changed in the end: several changes of one thing are one, and a change there and back is none."""
        return folded((change, of) for change, _, of in self._made)


class Within(Recorder):
    """The recorder of a file that was opened as a part of another one: what is changed in it is changed there."""

    def __init__(self, outer: Recorder, label: str) -> None:
        """`label` is how the outer one calls the file."""
        super().__init__()
        self._outer = outer
        self._label = label

    def add(self, change: Change, revert: Callable[[], None], of: object) -> None:
        """Notes a change here and there; taken back there, it is taken back here."""
        super().add(change, revert, of)

        def back() -> None:
            self.rollback(len(self._made) - 1)

        said = Change((self._label, *change.at), change.field, change.before, change.after, change.said)
        self._outer.add(said, back, of)


class ReadOnly(Recorder):
    """The recorder of a file that was opened for reading: every change is a failure."""

    def __init__(self, why: str) -> None:
        super().__init__()
        self.why = why

    def add(self, change: Change, revert: Callable[[], None], of: object) -> None:
        """Takes the change back and fails."""
        revert()
        raise Failure(self.why)


def folded(changes: Iterable[tuple[Change, object]]) -> list[Change]:
    """Changes of the same thing joined, in the order of the first of each; each comes with the item it belongs to."""
    by_thing: dict[tuple[object, Where, str], Change] = {}
    for change, of in changes:
        key = (of, change.at, change.field)
        first = by_thing.setdefault(key, change)
        if first is not change:
            by_thing[key] = Change(change.at, change.field, first.before, change.after, change.said)
    return [change for change in by_thing.values() if change.before != change.after]
