"""One thing that is set for a sheet as a whole: how it is read, checked and written (ISO/IEC 29500-1, 18.3.1)."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from scrub.formats.spans import Span
from scrub.formats.workbook.elements import with_child
from scrub.formats.workbook.formatting.colours import Colours
from scrub.formats.workbook.part import Skeleton
from scrub.model.cells.sheet import Sheet
from scrub.model.core.named import NamedTuple
from scrub.model.core.problem import Failure


class Source(NamedTuple):
    """What settings are read from: a part, the colours of the workbook, and the names that belong to the sheet."""

    part: Skeleton
    colours: Colours
    named: Callable[[str], str | None]

    def inner(self, *path: str) -> Span:
        """An element inside the part; an empty one where it is missing."""
        span = self.part.root
        for name in path:
            span = span.child(name) or _NOTHING
        return span

    def attribute(self, *path: str) -> str | None:
        """An attribute of an element inside the part: the last word of the path."""
        return self.inner(*path[:-1]).attributes.get(path[-1])


_NOTHING = Span("", {}, 0)


class Elements:
    """Elements of a part while they are changed."""

    def __init__(self, part: Skeleton) -> None:
        self.part = part
        self.prefix = part.root.prefix
        self.found: dict[str, bytes] = {}

    def now(self, name: str) -> bytes:
        """An element as far as it is changed."""
        return self.found.get(name) or self.part.element(name)

    def change(self, name: str, path: list[str], **attributes: str | None) -> None:
        """Changes attributes of an element, or of one inside it."""
        self.found[name] = with_child(self.now(name), path, attributes, self.prefix)


Get = Callable[[str], Any]


class Setting(NamedTuple):
    """One setting: how it is read, checked and written; one that is written elsewhere has no `write`."""

    read: Callable[[Source], object]
    write: Callable[[Elements, str, Get], None] | None = None
    check: Callable[[str, Any, Sheet], Any] = lambda word, value, sheet: value
    #: Whether a chart sheet has it too (18.3.1.12).
    of_charts: bool = False


def from_to(first: int, last: int) -> Callable[[str, object, Sheet], object]:
    """A check for a number in a range."""

    def check(word: str, value: Any, sheet: Sheet) -> Any:
        if not first <= value <= last:
            what = "the zoom" if word == "zoom" else f'"{word}"'
            raise Failure(f"{what} is {first:,} to {last:,}, not {value}")
        return value

    return check
