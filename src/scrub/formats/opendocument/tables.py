"""Tables of an Open Document text, as rows under headings (OpenDocument 1.3, part 3, 9.1)."""

from __future__ import annotations

from collections.abc import Mapping
from functools import cached_property

from scrub.formats.opendocument.characters import written
from scrub.formats.opendocument.read import OFFICE, TABLE, is_paragraph, of, value
from scrub.formats.spans import Span, Splice, set_attributes, whole, with_attributes
from scrub.formats.texts.arranged import ArrangedTable
from scrub.model.core.area import MOST_COLUMNS
from scrub.model.core.problem import Failure

_GROUPS = ("table-header-rows", "table-rows", "table-row-group")


def rows_of(table: Span) -> list[Span]:
    """Its rows, in order."""
    rows: list[Span] = []
    waiting = list(reversed(table.children))
    while waiting:
        span = waiting.pop()
        if span.uri == TABLE and span.name in _GROUPS:
            waiting += reversed(span.children)
        elif of(span, TABLE, "table-row"):
            rows.append(span)
    return rows


def cells_of(row: Span) -> list[tuple[int, Span]]:
    """The cells of a row with the column in which each begins (9.1.4); those that another covers, and those that hold
    nothing, are left out.
    """
    column, cells = 0, []
    for cell in row.children:
        if of(cell, TABLE, "table-cell") and any(is_paragraph(child) for child in cell.children):
            cells.append((column, cell))
        column += whole(value(cell, "number-columns-repeated", TABLE), MOST_COLUMNS) or 1
    return cells


class TextTable(ArrangedTable):
    """A table whose rows may have come, gone or changed places."""

    def ensure_movable(self, ordering: bool) -> None:
        """Raises `Failure` where cells go over several rows or are worked out from others, or rows are in groups."""
        if self._why_fixed:
            raise Failure(f"{self._label}: its rows cannot be moved, because {self._why_fixed}")

    @cached_property
    def _why_fixed(self) -> str:
        """Why its rows stay where they are in the file; nothing where they can be moved."""
        cells = [child for row in self._rows for child in row.children if child.uri == TABLE]
        merged = any(cell.name == "covered-table-cell" or value(cell, "number-rows-spanned", TABLE) for cell in cells)
        if merged or any(len(cells_of(row)) != len(cells_of(self._rows[0])) for row in self._rows):
            return "some cells are merged"
        if any(value(row, "number-rows-repeated", TABLE) for row in self._rows):
            return "a row is repeated"
        if any(value(cell, "formula", TABLE) for cell in cells):
            return "some cells contain formulas"
        heads = next((child for child in self.span.children if of(child, TABLE, "table-header-rows")), None)
        groups = any(of(child, TABLE, "table-row-group") for child in self.span.children)
        return "they are grouped" if groups or (heads is not None and len(heads.children) > 1) else ""

    @cached_property
    def _rows(self) -> list[Span]:
        return rows_of(self.span)

    @property
    def _end(self) -> int:
        last = self._rows[-1]
        heads = next((child for child in self.span.children if of(child, TABLE, "table-header-rows")), None)
        return heads.end if heads is not None and heads.start < last.start < heads.end else last.end

    def _new(self, texts: Mapping[int, str]) -> bytes:
        data, like = self.part.data, self._rows[-1]
        out = _open_tag(data, like, ("id",))
        for column, cell in cells_of(like):
            text, inside = texts.get(column, ""), b""
            own = next(filter(is_paragraph, cell.children), None)
            paragraph = own or next(filter(is_paragraph, self.span.inside()), None)  # a cell may have none, or a list
            if paragraph is not None and (own or text):
                opened = _open_tag(data, own, ("id",)) if own else f"<{paragraph.raw_name}>".encode()
                inside = opened + f"{written(text, paragraph.prefix)}</{paragraph.raw_name}>".encode()
            elif text:
                raise Failure(f"{self._label}: its cells contain no paragraphs, so no text can be added")
            out += _open_tag(data, cell, ("id", "value", "date-value", "boolean-value", "time-value", "string-value"))
            out += inside + f"</{cell.raw_name}>".encode()
        return out + f"</{like.raw_name}>".encode()


def _open_tag(data: bytes, span: Span, but: tuple[str, ...]) -> bytes:
    """The start tag of an element as it is there, without some attributes; a value in a new cell is a text."""
    tag = data[span.start : span.open_end]
    tag = tag[:-2].rstrip() + b">" if tag.endswith(b"/>") else tag
    wanted: dict[str, str | None] = {}
    for known in span.attributes:
        name = known.rpartition(":")[2]
        if name in but:
            wanted[known] = None
        elif name == "value-type":
            wanted[known] = "string"
    return with_attributes(tag, wanted)


def plain_cell(data: bytes, cell: Span) -> list[Splice]:
    """What lets a cell say its text and nothing apart from it."""
    return set_attributes(data, cell, _plain_cell(cell))


def says_more(cell: Span) -> bool:
    """Whether a cell says its value apart from its text."""
    return any(
        text is None or (name.endswith("value-type") and text != cell.attributes[name])
        for name, text in _plain_cell(cell)
    )


def _plain_cell(cell: Span) -> list[tuple[str, str | None]]:
    """What a cell no longer says once its text is another: the number, date or formula it meant (19.385)."""
    result: list[tuple[str, str | None]] = []
    for known in cell.attributes:
        prefix, _, local = known.rpartition(":")
        uri = cell.namespaces.get(prefix)
        if local == "value-type":  # some programs say it once more in a namespace of their own
            result.append((known, "string"))
        elif (uri == OFFICE and local.endswith("value")) or (uri == TABLE and local == "formula"):
            result.append((known, None))
    return result
