"""How the person at hand writes dates and numbers: what else would be ambiguous is read by these."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from contextvars import ContextVar

from scrub.model.core.addresses import Address
from scrub.model.core.choice import Choice
from scrub.model.core.named import NamedTuple


class DateOrder(Choice):
    """The order of the parts of a date in digits."""

    DAY_FIRST = "day-first"
    MONTH_FIRST = "month-first"
    YEAR_FIRST = "year-first"


class Mark(Choice):
    """The decimal mark."""

    POINT = "point"
    COMMA = "comma"


class Preferences(NamedTuple):
    """What a person has set; None refuses what is ambiguous."""

    date_order: DateOrder | None = None
    decimal_mark: Mark | None = None
    encoding: str | None = None
    author: str | None = None  # who is named for tracked changes
    address: Address | None = None  # from whom messages go out
    marks: tuple[str, ...] = ()  # more marks before subjects
    most_elements: int = 350_000  # of a part of a file that is read element by element
    most_minutes: int = 10  # of work of a macro on one file
    most_gigabytes: int = 10  # of a file: all of it is read once before anything else
    most_memory: int = 256  # megabytes of this process, above which what is noted of changes goes to the disk


@contextmanager
def preferring(preferences: Preferences) -> Iterator[None]:
    """Makes these the preferences at hand inside the block."""
    token = CURRENT.set(preferences)
    try:
        yield
    finally:
        CURRENT.reset(token)


#: The preferences of the run at hand.
CURRENT: ContextVar[Preferences] = ContextVar("preferences", default=Preferences())  # noqa: B039 - it is immutable
