"""Tables of a document, as rows under headings (ISO/IEC 29500-1, 17.4)."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from functools import cached_property

from scrub.formats.edited_part import EditedPart
from scrub.formats.spans import Span, Splice, ended, escaped, outside, spliced, whole
from scrub.formats.texts.arranged import ArrangedTable
from scrub.formats.texts.styles import style_named
from scrub.formats.wordprocessing.home import Home
from scrub.formats.wordprocessing.paragraph import OfficeParagraph
from scrub.formats.wordprocessing.read import inner, own, value
from scrub.formats.wordprocessing.saved_paragraph import SavedParagraph
from scrub.formats.wordprocessing.write import elements_of
from scrub.model.core.area import MOST_COLUMNS
from scrub.model.core.change import Undo
from scrub.model.core.problem import Failure


def tables_in(root: Span) -> list[Span]:
    """The tables inside an element, in order; one that is in a cell of another comes after that."""
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

    _recorded = False  # whether that is recorded

    def __init__(self, home: Home, part: EditedPart, span: Span, label: str) -> None:
        super().__init__(part, span, label)
        self._home = home

    def ensure_movable(self, ordering: bool) -> None:
        """Raises `Failure` where cells go over several rows, and for an order that cannot be recorded."""
        recorded = self._home.tracks_changes
        if recorded and ordering:
            raise Failure(f"{self._label}: its rows cannot be moved while changes are tracked. Turn tracking off")
        if recorded != self._recorded and self.is_arranged:
            how = "with" if self._recorded else "without"
            raise Failure(f"{self._label}: its rows were changed {how} tracking changes earlier in this run")
        self._recorded = recorded
        if self._is_merged:
            raise Failure(f"{self._label}: its rows cannot be moved, because some cells are merged")

    @cached_property
    def _is_merged(self) -> bool:
        """Whether some of its cells are merged, in the file."""
        merged = any(span.name == "vMerge" and own(span) for span in self.span.inside())
        cells = cells_of(self.span)
        return merged or any(len(row) != len(cells[0]) for row in cells)

    # -- its style (17.4.62)

    @cached_property
    def _style(self) -> str:
        properties = inner(self.span, "tblPr")
        return (value(inner(properties, "tblStyle")) or "") if properties is not None else ""

    @property
    def style(self) -> str | None:
        """The name of its style."""
        return self._home.table_styles.get(self._style, self._style) or None

    def put_style(self, name: str | None) -> Undo:
        """Gives it another style, or none."""
        fresh = "" if name is None else style_named(name, self._home.table_styles, "table style")
        former, self._style = self._style, fresh
        back = self.part.put((self.span.start, "style"), self._restyled(fresh))

        def revert() -> None:
            self._style = former
            back()

        return revert

    def _restyled(self, fresh: str) -> list[Splice]:
        """What gives it a style: the first of its properties (17.4.59)."""
        p, properties = self.span.prefix, inner(self.span, "tblPr")
        element = f'<{p}tblStyle {p}val="{escaped(fresh)}"/>'.encode() if fresh else b""
        if properties is None:
            made = f"<{p}tblPr>".encode() + element + f"</{p}tblPr>".encode()
            return [Splice(self.span.open_end, self.span.open_end, made)] if element else []
        old = inner(properties, "tblStyle")
        if old is not None:
            return [Splice(old.start, old.end, element)]
        if properties.open_end == properties.end:
            return ended(self.part.data, properties, element)
        return [Splice(properties.open_end, properties.open_end, element)] if element else []

    @cached_property
    def _rows(self) -> list[Span]:
        return _through(self.span, "tr")

    def arranged(self, splices: Sequence[Splice]) -> list[Splice]:
        """What is done to the part; where it is recorded, rows that went stay as deletions (17.13.5.12)."""
        if not self._recorded or self.rows is None:
            return super().arranged(splices)
        kept = set(self.rows.order)
        gone = [
            splice
            for number, row in enumerate(self._rows[1:], 2)
            if number not in kept
            for splice in self._deleted(number, row)
        ]
        found = [*gone, *outside(gone, splices)]
        made = [self._new(texts) for number in self.rows.order if (texts := self.rows.added(number)) is not None]
        return [*found, Splice(self._end, self._end, b"".join(made))] if made else found

    def _deleted(self, number: int, row: Span) -> list[Splice]:
        """A row that goes; one that was put in by the same person, and waits, is just removed."""
        tracking, properties = self._home.tracking, inner(row, "trPr")
        if properties is not None and tracking.is_own(inner(properties, "ins")):
            return [Splice(row.start, row.end, b"")]
        p = row.prefix
        mark = f"<{p}del{tracking.attributes(p)}/>"
        if properties is None:  # it comes after the exceptions of the row (17.4.78)
            at = max((child.end for child in row.children if child.name == "tblPrEx"), default=row.open_end)
            splices = [Splice(at, at, f"<{p}trPr>{_nothing(p)}{mark}</{p}trPr>".encode())]
        else:
            former = inner(properties, "trPrChange")  # which comes last
            if former is not None:
                splices = [Splice(former.start, former.start, mark.encode())]
            else:
                splices = ended(self.part.data, properties, mark.encode())
        paragraphs = self.rows.paragraphs_of(number) if self.rows is not None else ()
        for paragraph in paragraphs:
            if isinstance(paragraph, OfficeParagraph):
                splices += SavedParagraph(paragraph).as_deleted(tracking)
        return splices

    def _new(self, texts: Mapping[int, str]) -> bytes:
        data, like = self.part.data, self._rows[-1]
        tracking = self._home.tracking if self._recorded else None
        p = like.prefix
        properties = inner(like, "trPr")
        out = f"<{p}tr>"
        mark = f"<{p}ins{tracking.attributes(p)}/>" if tracking is not None else ""
        said = ""
        if properties is not None:
            kept = [
                child for child in properties.children if child.name not in ("ins", "del", "trPrChange", "tblHeader")
            ]
            said = "".join(data[span.start : span.end].decode() for span in kept)
        if said or mark:
            out += f"<{p}trPr>{said or _nothing(p)}{mark}</{p}trPr>"
        for column, cell in cells_of(self.span)[-1]:
            look = inner(cell, "tcPr")
            out += f"<{p}tc>" + (data[look.start : look.end].decode() if look is not None else "")
            paragraph = next((span for span in cell.inside() if span.name == "p" and own(span)), None)
            out += f"<{p}p>{self._look(paragraph, 'pPr')}"
            inside = paragraph.inside() if paragraph is not None else ()
            run = next((each for each in inside if each.name == "r"), None)
            text = texts.get(column, "")
            words = f"<{p}r>{self._look(run, 'rPr')}{elements_of(text, p)}</{p}r>" if text else ""
            out += f"<{p}ins{tracking.attributes(p)}>{words}</{p}ins>" if words and tracking is not None else words
            out += f"</{p}p></{p}tc>"
        return f"{out}</{p}tr>".encode()

    def _look(self, span: Span | None, name: str) -> str:
        """The properties of a paragraph or a run, without what was recorded."""
        look = inner(span, name) if span is not None else None
        if look is None:
            return ""
        at = look.start
        recorded = ("pPrChange", "rPrChange", "sectPr", "ins", "del", "moveFrom", "moveTo")
        gone = [
            Splice(element.start - at, element.end - at, b"") for element in look.inside() if element.name in recorded
        ]
        return spliced(self.part.data[at : look.end], outside((), gone)).decode()


def _nothing(prefix: str) -> str:
    """A property of a row that says what is so anyway: beside a mark there must be one (CT_TrPrBase)."""
    return f'<{prefix}hidden {prefix}val="0"/>'


def _through(span: Span, name: str) -> list[Span]:
    """Children of a name, those in content controls included."""
    result = []
    for child in span.children:
        if child.name == name and own(child):
            result.append(child)
        elif child.name in ("sdt", "sdtContent", "customXml", "ins") and own(child):
            result += _through(child, name)
    return result


def caption_of(table: Span) -> str:
    """What the table is called in its properties (17.4.41), or an empty text."""
    properties = inner(table, "tblPr")
    return value(inner(properties, "tblCaption")) or "" if properties is not None else ""
