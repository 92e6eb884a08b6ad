"""One change, and how it is told."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator

from scrub.model.core.area import Area
from scrub.model.core.differences import compared, differences

#: Characters of both sides of a change that are told whole, and differences of longer ones that are told.
_LINE = 60
_PAIRS = 4
#: Equal words and spaces between two differences that are told as one.
_BETWEEN = 3
_NAMED = str.maketrans({
    "\u00a0": "{no-break-space}", "\u202f": "{narrow-no-break-space}", "\t": "{tab}", "\n": "{newline}",
    "\u00ad": "{soft-hyphen}", "\u2011": "{no-break-hyphen}", "\u200b": "{zero-width-space}", "\ufffc": "{object}",
})  # fmt: skip
#: The field that is what is in a cell.
VALUE = "value"


#: Takes a change back.
Undo = Callable[[], None]
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
    old_text, new_text, goes_on = compared(before[1:-1], after[1:-1])
    for old, new in _differing(old_text, new_text):
        found[visible(old), visible(new)] = None
    sides = [", ".join(f'"{pair[side]}"' for pair in list(found)[:_PAIRS]) for side in (0, 1)]
    more = f" and {len(found) - _PAIRS} more" if len(found) > _PAIRS else ""
    more = " and more" if goes_on else more
    return sides[0] + more, sides[1] + more


def _differing(before: str, after: str) -> Iterator[tuple[str, str]]:
    """The words of two texts that differ; where only spaces do, or words came or went, with those beside them."""
    old, new = (re.findall(r"\s+|\S+", text) for text in (before, after))
    spans: list[list[int]] = []
    for a, b, c, d in differences(old, new):
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
