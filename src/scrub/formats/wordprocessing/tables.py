"""Tables of a document, as rows under headings (ISO/IEC 29500-1, 17.4)."""

from __future__ import annotations

from collections.abc import Mapping
from functools import cached_property

from scrub.formats.spans import Span, Splice, outside, spliced, whole
from scrub.formats.texts.arranged import ArrangedTable
from scrub.formats.wordprocessing.read import inner, own, value
from scrub.formats.wordprocessing.write import elements_of
from scrub.model.area import MOST_COLUMNS
from scrub.model.problem import Failure


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
        column = (whole(value(inner(properties, "gridBefore")), MOST_COLUMNS) or 0) if properties is not None else 0
        cells = []
        for cell in _through(row, "tc"):
            properties = inner(cell, "tcPr")
            merge = inner(properties, "vMerge") if properties is not None else None
            if merge is None or value(merge) == "restart":
                cells.append((column, cell))
            span = whole(value(inner(properties, "gridSpan")), MOST_COLUMNS) if properties is not None else None
            column += 1 if span is None else span
        rows.append(cells)
    return rows


class OfficeTable(ArrangedTable):
    """A table whose rows may have come, gone or changed places."""

    def ensure_movable(self) -> None:
        """Raises `Failure` where cells go over several rows."""
        merged = any(each.name == "vMerge" and own(each) for each in self.span.inside())
        cells = cells_of(self.span)
        if merged or any(len(row) != len(cells[0]) for row in cells):
            raise Failure(f"{self._label}: cells in it are merged, so its rows stay where they are")

    @cached_property
    def _rows(self) -> list[Span]:
        return _through(self.span, "tr")

    def _new(self, texts: Mapping[int, str]) -> bytes:
        data, like = self.part.data, self._rows[-1]
        p = like.prefix
        properties = inner(like, "trPr")
        out = f"<{p}tr>"
        if properties is not None:
            kept = [each for each in properties.children if each.name not in ("ins", "del", "trPrChange", "tblHeader")]
            out += f"<{p}trPr>{''.join(data[each.start : each.end].decode() for each in kept)}</{p}trPr>"
        for column, cell in cells_of(self.span)[-1]:
            look = inner(cell, "tcPr")
            out += f"<{p}tc>" + (data[look.start : look.end].decode() if look is not None else "")
            paragraph = next((each for each in cell.inside() if each.name == "p" and own(each)), None)
            out += f"<{p}p>{self._look(paragraph, 'pPr')}"
            run = (
                next((each for each in paragraph.inside() if each.name == "r"), None) if paragraph is not None else None
            )
            text = texts.get(column, "")
            out += f"<{p}r>{self._look(run, 'rPr')}{elements_of(text, p)}</{p}r>" if text else ""
            out += f"</{p}p></{p}tc>"
        return f"{out}</{p}tr>".encode()

    def _look(self, span: Span | None, name: str) -> str:
        """The properties of a paragraph or a run, without what was recorded."""
        look = inner(span, name) if span is not None else None
        if look is None:
            return ""
        at = look.start
        recorded = ("pPrChange", "rPrChange", "sectPr", "ins", "del", "moveFrom", "moveTo")
        gone = [Splice(each.start - at, each.end - at, b"") for each in look.inside() if each.name in recorded]
        return spliced(self.part.data[at : look.end], outside((), gone)).decode()


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
