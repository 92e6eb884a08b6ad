"""Changes as a person reads them: by place, cells in reading order, many of a column in one line."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

import scrub
from scrub import Change
from scrub.cli.output import SHOWN, columns, more, width

Headings = Mapping[str, Mapping[str, str]]


def change_lines(
    changes: Sequence[Change], limit: int | None = SHOWN, headings: Headings | None = None, whole: int | None = None
) -> list[str]:
    """Changes by their place. A place with more than ten has a line for each column; `limit` None shows each change.

    `whole` is how many lines there may be in all.
    """
    rows: list[tuple[str, str]] = []
    unread = 0  # lines that are counted and not made, as nobody will see them
    for place, every in scrub.by_place(changes).items():
        if whole is not None and len(rows) > whole + 1 and len(every) == 1:
            unread += 1
        else:
            rows += _rows(place, every, limit, (headings or {}).get(place, {}))
    if whole is not None and len(rows) > whole + 1:
        return [*columns(rows[:whole]), more(len(rows) - whole + unread)]
    return columns(rows)


def _rows(
    place: str, changes: Sequence[Change], limit: int | None, headings: Mapping[str, str]
) -> list[tuple[str, str]]:
    """The lines of one place: one where that is enough, else a line a change, or a line a column."""
    if limit is not None and len(changes) > 200:
        texts = scrub.in_columns(changes, headings)
    else:
        texts = scrub.together(changes)
        joined = ", ".join(texts)
        if len(changes) <= 200 and (len(texts) == 1 or (limit is not None and len(joined) + len(place) + 4 <= width())):
            return [(place, joined)]
        if limit is not None and len(texts) > limit:
            texts = scrub.in_columns(changes, headings)
    return [(place if number == 0 else "", text) for number, text in enumerate(texts)]
