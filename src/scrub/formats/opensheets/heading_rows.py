"""The heading rows of a sheet (OpenDocument 1.3, part 3, 9.1.7)."""

from __future__ import annotations

from scrub.formats.opendocument.read import TABLE
from scrub.formats.opensheets.content import Content
from scrub.formats.opensheets.rows import rows_of
from scrub.formats.spans import Span, whole
from scrub.model.core.area import MOST_ROWS

_NAME = b"table-header-rows"


def heading_rows(content: Content, number: int) -> tuple[int, int] | None:
    """The first and the last of them; None for none. A table without any is not taken apart for it."""
    if not content.names_headings(number):
        return None
    data = content.table(number)
    return headings_in(content.element(data)) if _NAME in data else None


def headings_in(table: Span) -> tuple[int, int] | None:
    """The heading rows in the element of a sheet."""
    inside = {span.start for holder in _holders(table) for span in rows_of(holder)}
    first = last = 0
    at = 1
    for span in rows_of(table):
        count = whole(span.of("number-rows-repeated", TABLE), 10**9) or 1
        if span.start in inside:
            first = first or at
            last = at + count - 1
        at += count
    return (first, min(last, MOST_ROWS)) if first else None


def _holders(table: Span) -> list[Span]:
    found = []
    for child in table.children:
        if child.uri == TABLE and child.name == "table-header-rows":
            found.append(child)
        elif child.uri == TABLE and child.name in ("table-rows", "table-row-group"):
            found += _holders(child)
    return found
