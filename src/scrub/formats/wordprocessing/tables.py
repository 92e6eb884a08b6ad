"""Tables of a document, as rows under headings (ISO/IEC 29500-1, 17.4)."""

from __future__ import annotations

from scrub.formats.spans import Span
from scrub.formats.wordprocessing.read import inner, own, value


def tables_in(root: Span) -> list[Span]:
    """The tables inside an element, in order; one that lies in a cell of another comes behind that."""
    return [span for span in root.inside(read_only=True) if span.name == "tbl" and own(span)]


def cells_of(table: Span) -> list[list[tuple[int, Span]]]:
    """The cells of each row with the column of the grid in which each begins (17.4.17); those that are merged into the
    one above are left out (17.4.84).
    """
    rows = []
    for row in _through(table, "tr"):
        properties = inner(row, "trPr")
        column = int(value(inner(properties, "gridBefore")) or 0) if properties is not None else 0
        cells = []
        for cell in _through(row, "tc"):
            properties = inner(cell, "tcPr")
            merge = inner(properties, "vMerge") if properties is not None else None
            if merge is None or value(merge) == "restart":
                cells.append((column, cell))
            span = value(inner(properties, "gridSpan")) if properties is not None else None
            column += int(span) if span and span.isdigit() else 1
        rows.append(cells)
    return rows


def _through(span: Span, name: str) -> list[Span]:
    """Children of a name, those in content controls included."""
    found = []
    for child in span.children:
        if child.name == name and own(child):
            found.append(child)
        elif child.name in ("sdt", "sdtContent", "customXml", "ins") and own(child):
            found += _through(child, name)
    return found


def caption_of(table: Span) -> str:
    """What the table is called in its properties (17.4.41), or an empty text."""
    properties = inner(table, "tblPr")
    return value(inner(properties, "tblCaption")) or "" if properties is not None else ""
