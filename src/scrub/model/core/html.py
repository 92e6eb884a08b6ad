"""Small pieces of HTML for notebooks: everything that comes from a file is escaped."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from html import escape

#: Rows of a table before the rest is only counted.
SHOWN = 20
#: Characters of one cell.
_LONGEST = 200


def heading(text: str, more: str = "") -> str:
    """A line above a table."""
    tail = f' <span style="opacity:.7">{_plain(more)}</span>' if more else ""
    return f"<p><strong>{_plain(text)}</strong>{tail}</p>"


def table(headings: Sequence[str], rows: Iterable[Sequence[object]], count: int) -> str:
    """A table of the first rows; `count` is how many there are in all."""
    head = "".join(f'<th style="text-align:left">{_plain(each)}</th>' for each in headings)
    body = "".join(
        "<tr>" + "".join(f'<td style="text-align:left">{_plain(each)}</td>' for each in row) + "</tr>"
        for row, _ in zip(rows, range(SHOWN), strict=False)
    )
    more = f"<p>… and {count - SHOWN:,} more</p>" if count > SHOWN else ""
    return f"<table><thead><tr>{head}</tr></thead><tbody>{body}</tbody></table>{more}"


def _plain(value: object) -> str:
    text = "" if value is None else str(value)
    return escape(text if len(text) <= _LONGEST else f"{text[:_LONGEST]}…")
