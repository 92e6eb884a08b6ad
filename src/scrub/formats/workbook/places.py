"""Where a workbook names cells and sheets outside of its cells: the closed list, by the elements of its parts.

What is not on it and looks as if it named cells is refused: a reference that is wrong in silence is worse.
"""

from __future__ import annotations

from collections.abc import Iterator

from scrub.formats.spans import Span, Splice, number_in, set_attributes, whole
from scrub.formats.workbook.formulas import translated
from scrub.formats.workbook.moves import Gone, Moves
from scrub.formats.xmltext import escaped_text, text_of
from scrub.model.area import MOST_ROWS, Area, area_of
from scrub.model.problem import Failure
from scrub.model.values import fold

#: Attributes with a range of the own sheet, by element (ISO/IEC 29500-1, 18.3.1, 18.5, 18.7, 18.10); a list of them
#: is parted by blanks.
_AREAS = {
    "dimension": ("ref",), "sheetView": ("topLeftCell",), "customSheetView": ("topLeftCell",),
    "pane": ("topLeftCell",), "selection": ("activeCell", "sqref"), "pivotSelection": (), "protectedRange": ("sqref",),
    "scenarios": ("sqref",), "inputCells": ("r",), "autoFilter": ("ref",), "sortState": ("ref",),
    "sortCondition": ("ref",), "mergeCell": ("ref",), "conditionalFormatting": ("sqref",),
    "dataValidation": ("sqref",), "hyperlink": ("ref",), "ignoredError": ("sqref",), "cellWatch": ("r",),
    "comment": ("ref",), "threadedComment": ("ref",), "table": ("ref",), "location": ("ref",),
    "singleXmlCell": ("r",), "webPublishItem": ("sourceRef",),
}  # fmt: skip
#: Of these the element goes with its cells; of a view the next row takes the place of one that goes.
_GO_ALONG = frozenset(
    "mergeCell conditionalFormatting dataValidation hyperlink ignoredError cellWatch comment threadedComment "
    "protectedRange sortCondition sortState".split()
)
#: Those of later versions, whose cells stand in an element of its own (MS-XLSX, 2.6.5, 2.6.22, 2.6.29).
_EXTENDED = frozenset(("conditionalFormatting", "dataValidation", "sparkline"))
_VIEWS = frozenset("dimension sheetView customSheetView pane selection".split())
#: Elements whose text is a formula, and attributes that are one.
_FORMULAS = frozenset(
    "f formula formula1 formula2 calculatedColumnFormula totalsRowFormula definedName FmlaLink FmlaRange FmlaTxbx "
    "FmlaGroup".split()
)
_FORMULA_ATTRIBUTES = {
    "hyperlink": ("location",), "formControlPr": ("fmlaLink", "fmlaRange", "fmlaTxbx", "fmlaGroup"),
    "cNvPr": (), "hlinkClick": ("location",), "tablePart": (),
}  # fmt: skip
#: Sources of data that name a sheet and a range of it (18.10.1.95, 18.3.1.28).
_SOURCES = frozenset(("worksheetSource", "dataRef", "rangeSet"))


def changes(data: bytes, root: Span, moves: Moves, sheet: str) -> list[Splice]:
    """What changes in a part by the moves; `sheet` is the one it belongs to, or an empty text. Raises `Failure`."""
    walk = _Walk(data, moves, sheet)
    walk.through(root)
    return walk.splices


class _Walk:
    def __init__(self, data: bytes, moves: Moves, sheet: str) -> None:
        self.data = data
        self.moves = moves
        self.sheet = sheet
        self.gone: Gone | None = moves.gone_from(sheet) if sheet else None
        self.splices: list[Splice] = []

    def through(self, root: Span) -> None:
        waiting: list[tuple[Span, int]] = [(root, 0)]
        while waiting:
            span, base = waiting.pop()
            if span.name in ("sheetData", "HeadingPairs"):
                continue
            fresh_base = self._attributes(span, base)
            if fresh_base < 0:
                self.splices.append(Splice(span.start, span.end, b""))
                continue
            if not span.children:
                self._text(span, fresh_base)
            kept = [child for child in reversed(span.children) if not self._goes(child)]
            if span.name.endswith("s") and 0 < len(kept) < len(span.children):
                self._count(span, len(kept))
            if span.children and not kept and all(child.name in _GO_ALONG for child in span.children):
                self.splices.append(Splice(span.start, span.end, b""))
                continue
            for child in span.children:
                if child not in kept:
                    self.splices.append(Splice(child.start, child.end, b""))
            waiting += [(child, fresh_base) for child in kept]

    def _goes(self, span: Span) -> bool:
        """Whether all the cells go on which something hangs."""
        if self.gone is None:
            return False
        if span.name == "shape":  # the box of a comment (ISO/IEC 29500-4, 19.4.2)
            row = next((each for each in span.inside() if each.name == "Row"), None)
            return row is not None and not self.gone.row(int(self._said(row)) + 1)
        if span.name == "mergeCell":
            area = self.gone.area(area_of(span.attributes.get("ref", "A1")))
            return area is None or area.single
        written = _cells_of(self.data, span)
        return written is not None and not self._area(written)

    def _count(self, span: Span, count: int) -> None:
        if "count" in span.attributes:
            self.splices += set_attributes(self.data, span, [("count", str(count))])

    # -- attributes

    def _attributes(self, span: Span, base: int) -> int:
        """Notes the attributes of an element that change; gives the row that formulas in it are written for, and -1
        where the element goes.
        """
        values: list[tuple[str, str | None]] = []
        if span.name in _SOURCES:
            values += self._source(span)
        elif self.gone is not None:
            values += self._moved(span)
        for word in _FORMULA_ATTRIBUTES.get(span.name, ()):
            written = span.attributes.get(word)
            if written:
                fresh = self._formula(written.removeprefix("#"), 0, span)
                values.append((word, ("#" if written.startswith("#") else "") + fresh))
        changed = [(word, value) for word, value in values if value != span.attributes.get(word)]
        if changed:
            self.splices += set_attributes(self.data, span, changed)
        if span.name in ("conditionalFormatting", "dataValidation") and self.gone is not None:
            return self._base(_cells_of(self.data, span) or "")
        return base

    def _moved(self, span: Span) -> list[tuple[str, str | None]]:
        """The ranges of the own sheet in an element's attributes."""
        words = _AREAS.get(span.name)
        if words is None:
            odd = next((word for word in ("ref", "sqref") if word in span.attributes), "")
            if odd and self._is_moved(span.attributes[odd]):
                raise Failure(
                    f'"{span.name}" in {self.sheet} names the cells {span.attributes[odd]}, and Scrub does not '
                    "know what that is. Delete the rows in the workbook's own program"
                )
            return self._row_numbers(span)
        found: list[tuple[str, str | None]] = []
        for word in words:
            written = span.attributes.get(word)
            if not written:
                continue
            fresh = self._area(written)
            if span.name in ("autoFilter", "table"):
                self._ensure_whole(span, written)
            if span.name == "location" and len(self._rows(written)) != len(self._rows(fresh)):
                raise Failure(f"rows of a pivot table on {self.sheet} ({written}) cannot be deleted")
            if not fresh and span.name in _VIEWS:
                fresh = self._nearest(written)
            if not fresh:
                raise Failure(f"all rows of {self.sheet} {written} would go, on which something hangs ({span.name})")
            found.append((word, fresh))
        if span.name == "pane" and span.attributes.get("state", "").startswith("frozen"):
            found += self._frozen(span)
        return found

    def _frozen(self, span: Span) -> list[tuple[str, str | None]]:
        """The rows that stay in sight above a pane, fewer by those that go (18.3.1.66)."""
        assert self.gone is not None
        rows = whole(span.attributes.get("ySplit", ""), MOST_ROWS)
        return [("ySplit", str(max(1, rows - self.gone.before(rows + 1))))] if rows else []

    def _ensure_whole(self, span: Span, written: str) -> None:
        """Raises `Failure` where a filter or a table would lose its headings, its totals or all its records."""
        assert self.gone is not None
        area, called = area_of(written), "the filter" if span.name == "autoFilter" else "a table"
        if not self.gone.row(area.top) and span.attributes.get("headerRowCount", "1") != "0":
            raise Failure(f"the headings of {called} on {self.sheet} ({written}) would go")
        if span.name == "table":
            totals = number_in(span.attributes, "totalsRowCount")
            if totals and not self.gone.row(area.bottom):
                raise Failure(f"the totals of a table on {self.sheet} ({written}) would go")
            if self.gone.span(area.top + 1, area.bottom - totals) is None:
                raise Failure(f"a table keeps a row: all of {self.sheet} {written} would go. Empty the last one: clear")

    def _row_numbers(self, span: Span) -> list[tuple[str, str | None]]:
        """Breaks between pages, by the row above (18.3.1.3)."""
        assert self.gone is not None
        if span.name == "brk" and span.attributes.get("max") == "16383":
            row = int(span.attributes.get("id", "0"))
            return [("id", str(max(1, row - self.gone.before(row + 1))))]
        return []

    def _rows(self, written: str) -> range:
        area = area_of(written.replace("$", "").split(" ")[0]) if written else None
        return range(area.top, area.bottom + 1) if area is not None else range(0)

    def _source(self, span: Span) -> list[tuple[str, str | None]]:
        """A range of data of a pivot table or a consolidation."""
        sheet, ref = span.attributes.get("sheet", ""), span.attributes.get("ref", "")
        if not sheet or span.related:  # of another file
            return []
        found: list[tuple[str, str | None]] = []
        fresh = self.moves.new_name(sheet)
        if fresh is not None:
            found.append(("sheet", fresh))
        gone = self.moves.gone_from(sheet)
        if gone is not None and ref:
            area = gone.area(area_of(ref.replace("$", "")))
            if area is None or not gone.row(area_of(ref.replace("$", "")).top):
                raise Failure(f"the data of a pivot table ({sheet} {ref}) or its headings would go")
            found.append(("ref", area.corners))
        return found

    def _area(self, written: str) -> str:
        """Ranges where they come to stand; an empty text when all go."""
        assert self.gone is not None
        found = []
        for each in written.split():
            moved = self.gone.area(area_of(each.replace("$", "")))
            if moved is None:
                continue
            found.append(_written(each, moved))
        return " ".join(found)

    def _is_moved(self, written: str) -> bool:
        try:
            return self._area(written) != written
        except Failure:
            return False  # no cells

    def _nearest(self, written: str) -> str:
        assert self.gone is not None
        area = area_of(written.split()[0].replace("$", ""))
        row = max(1, area.top - self.gone.before(area.top))
        return area._replace(top=row, bottom=row, right=area.left).corners

    def _base(self, written: str) -> int:
        """The row that a rule's formulas are written for: of its first cell (18.3.1.10)."""
        tops = [area_of(each.replace("$", "")).top for each in written.split()]
        return min(tops, default=0)

    # -- texts

    def _said(self, span: Span) -> str:
        return text_of(self.data[span.start : span.end]).strip()

    def _text(self, span: Span, base: int) -> None:
        """Notes the text of an element that changes: a formula, a list of ranges, a row of a drawing."""
        if span.open_end == span.close_start:
            return
        if span.name in _FORMULAS:
            written = text_of(self.data[span.start : span.end])
            fresh = self._formula(written, base, span)
        elif span.name == "lpstr":  # the names of sheets in the properties of the file
            written = text_of(self.data[span.start : span.end])
            fresh = self.moves.new_name(written) or (self._formula(written, 0, span) if "!" in written else written)
        elif self.gone is None:
            return
        elif span.name == "sqref":
            written = self._said(span)
            fresh = self._area(written)
            if not fresh:
                raise Failure(f"all rows of {self.sheet} {written} would go, on which something hangs")
        elif span.name in ("row", "Row") and self._said(span).isdecimal():
            written = self._said(span)
            row = int(written) + 1
            fresh = str(row - self.gone.before(row) - 1)
        elif span.name == "Anchor":
            written = self._said(span)
            numbers = [each.strip() for each in written.split(",")]
            for place in (2, 6):
                if len(numbers) == 8 and numbers[place].isdecimal():
                    row = int(numbers[place]) + 1
                    numbers[place] = str(row - self.gone.before(row) - 1)
            fresh = ", ".join(numbers)
        else:
            return
        if fresh != written:
            self.splices.append(Splice(span.open_end, span.close_start, escaped_text(fresh).encode()))

    def _formula(self, written: str, base: int, span: Span) -> str:
        equals, plain = ("=" if written.startswith("=") else ""), written.removeprefix("=")
        if base and self.gone is not None:
            row = base
            while not self.gone.row(row):  # its first row goes: then it is written for the next one
                row += 1
            plain, base = translated(plain, row - base, 0), row
        try:
            return equals + self.moves.formula(plain, self.sheet, base if self.gone is not None else 0)
        except Failure as failure:
            if not self._concerns(written):
                return written
            raise Failure(f"{_place_of(span)}{f' of {self.sheet}' if self.sheet else ''}: {failure.what}") from None

    def _concerns(self, written: str) -> bool:
        low = fold(written)
        return self.gone is not None or any(name in low for name in self.moves.concerned())


def _cells_of(data: bytes, span: Span) -> str | None:
    """The cells on which an element hangs that goes with them; None for another element."""
    if span.name in _GO_ALONG:
        for word in _AREAS[span.name]:
            if word in span.attributes:
                return span.attributes[word]
    if span.name in _EXTENDED:
        inner = next((child for child in span.children if child.name == "sqref"), None)
        return text_of(data[inner.start : inner.end]).strip() if inner is not None else None
    return None


def _written(each: str, area: Area) -> str:
    return f"{area.corners}:{area.corners}" if ":" in each and ":" not in area.corners else area.corners


def _place_of(span: Span) -> str:
    name = span.attributes.get("name")
    return f'the name "{name}"' if span.name == "definedName" and name else f"a formula ({span.name})"


def formulas_in(root: Span, data: bytes) -> Iterator[tuple[Span, str]]:
    """Every formula of a part that stands outside of its cells, with its element."""
    for span in (root, *root.inside()):
        if span.name in _FORMULAS and not span.children:
            yield span, text_of(data[span.start : span.end])
        for word in _FORMULA_ATTRIBUTES.get(span.name, ()):
            if span.attributes.get(word):
                yield span, span.attributes[word].removeprefix("#")
