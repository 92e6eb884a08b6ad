"""Where a workbook names cells and sheets outside of its cells: the closed list, by the elements of its parts.

What is not on it and looks as if it named cells is refused: a reference that is wrong in silence is worse.
"""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from scrub.formats.shift import SheetShift, Shift
from scrub.formats.spans import Span, Splice, escaped, number_in, set_attributes, whole
from scrub.formats.workbook.formulas.syntax import translated
from scrub.formats.workbook.structure.moves import Moves
from scrub.formats.xmltext import escaped_text, text_of
from scrub.model.core.area import MOST_COLUMNS, MOST_ROWS, Area, address_of, area_of, letters_of
from scrub.model.core.problem import Failure
from scrub.model.core.values import fold

#: Attributes with a range of the own sheet, by element (ISO/IEC 29500-1, 18.3.1, 18.5, 18.7, 18.10); a list of them is
#: separated by spaces.
_AREAS = {
    "dimension": ("ref",), "sheetView": ("topLeftCell",), "customSheetView": ("topLeftCell",),
    "pane": ("topLeftCell",), "selection": ("activeCell", "sqref"), "protectedRange": ("sqref",),
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
#: Of these the element goes with the last of its children; every other one stays, though nothing is left in it.
_GO_EMPTY = frozenset(
    "mergeCells dataValidations hyperlinks ignoredErrors cellWatches protectedRanges conditionalFormattings "
    "sparklines sparklineGroups ext extLst".split()
)
#: Those of later versions, whose cells are in an element of its own (MS-XLSX, 2.6.5, 2.6.22, 2.6.29).
_EXTENDED = frozenset(("conditionalFormatting", "dataValidation", "sparkline"))
#: Elements in which drawings and boxes of comments name the line of a corner.
_LINES_OF_DRAWINGS = ("row", "Row", "col", "Column")
_VIEWS = frozenset("dimension sheetView customSheetView pane selection".split())
#: Elements whose text is a formula, and attributes that are one.
_FORMULAS = frozenset(
    "f formula formula1 formula2 calculatedColumnFormula totalsRowFormula definedName FmlaLink FmlaRange FmlaTxbx "
    "FmlaGroup".split()
)
_FORMULA_ATTRIBUTES = {
    "hyperlink": ("location",), "formControlPr": ("fmlaLink", "fmlaRange", "fmlaTxbx", "fmlaGroup"),
    "hlinkClick": ("location",),
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
        self.shift: SheetShift | None = moves.shift(sheet) if sheet else None
        self.splices: list[Splice] = []
        self._filters: dict[int, str] = {}  # where the filters of tables with totals come to be, by their places

    def through(self, root: Span) -> None:
        waiting: list[tuple[Span, Area | None]] = [(root, None)]
        while waiting:
            span, base = waiting.pop()
            if span.name in ("sheetData", "HeadingPairs"):
                continue
            if span.name == "cols" and self.shift is not None:
                self._columns(span, self.shift.columns)
                continue
            base = self._attributes(span, base)
            if not span.children:
                self._text(span, base)
            kept = [child for child in reversed(span.children) if not self._goes(child)]
            if span.name.endswith("s") and 0 < len(kept) < len(span.children):
                self._count(span, len(kept))
            if len(kept) < len(span.children):
                stay = {child.start for child in kept}
                gone = (child for child in span.children if child.start not in stay)
                self.splices += (Splice(child.start, child.end, b"") for child in gone)
            waiting += [(child, base) for child in kept]

    def _goes(self, span: Span) -> bool:
        """Whether all the cells go on which something hangs."""
        if self.shift is None:
            return False
        if span.name in _GO_EMPTY:
            return bool(span.children) and all(map(self._goes, span.children))
        if span.name == "sparklineGroup":
            holder = span.child("sparklines")
            return holder is not None and self._goes(holder)
        if span.name == "shape":  # the box of a comment (ISO/IEC 29500-4, 19.4.2)
            at = {
                element.name: int(self._said(element)) + 1
                for element in span.inside()
                if element.name in ("Row", "Column")
            }
            return len(at) == 2 and self.shift.cell(at["Row"], at["Column"]) is None
        if span.name == "mergeCell":
            area = self.shift.area(area_of(span.attributes.get("ref", "A1")))
            return area is None or area.single
        written = _cells_of(self.data, span)
        return written is not None and not self._area(written)

    def _count(self, span: Span, count: int) -> None:
        if "count" in span.attributes:
            self.splices += set_attributes(self.data, span, [("count", str(count))])

    # -- attributes

    def _attributes(self, span: Span, base: Area | None) -> Area | None:
        """Notes the attributes of an element that change; gives the cells that formulas in it are written for."""
        values: list[tuple[str, str | None]] = []
        if span.name in _SOURCES:
            values += self._source(span)
        elif self.shift is not None:
            values += self._moved(span, self.shift)
        for word in _FORMULA_ATTRIBUTES.get(span.name, ()):
            written = span.attributes.get(word)
            if written:
                fresh = self._formula(written.removeprefix("#"), None, span)
                values.append((word, ("#" if written.startswith("#") else "") + fresh))
        changed = [(word, value) for word, value in values if value != span.attributes.get(word)]
        if changed:
            self.splices += set_attributes(self.data, span, changed)
        if span.name in ("conditionalFormatting", "dataValidation") and self.shift is not None:
            return _together(_cells_of(self.data, span) or "A1")
        return base

    def _moved(self, span: Span, shift: SheetShift) -> list[tuple[str, str | None]]:
        """The ranges of the own sheet in an element's attributes."""
        words = _AREAS.get(span.name)
        if words is None:
            odd = next((word for word in ("ref", "sqref") if word in span.attributes), "")
            if odd and self._is_moved(span.attributes[odd]):
                raise Failure(
                    f'"{span.name}" in {self.sheet} refers to {span.attributes[odd]} in a way unknown to Scrub. Make '
                    "the "
                    "change in the workbook's own program"
                )
            return self._breaks(span, shift)
        found: list[tuple[str, str | None]] = []
        for word in words:
            written = span.attributes.get(word)
            if not written or not written.strip():
                continue
            fresh = self._area(written)
            if span.name in ("autoFilter", "table"):
                self._ensure_whole(span, shift, area_of(written), written)
            if span.name == "table":
                self._keep_filter(span, area_of(fresh))
            if span.name == "autoFilter":
                fresh = self._filters.get(span.start, fresh)
                self._filtered(span, shift.columns, area_of(written))
            if span.name == "location":
                area = area_of(written)
                if shift.rows.crosses(area.top, area.bottom) or shift.columns.crosses(area.left, area.right):
                    raise Failure(
                        f"{written} is in a pivot table on {self.sheet}, where rows and columns cannot change"
                    )
            if not fresh and span.name in _VIEWS:
                fresh = self._nearest(written)
            if not fresh:
                raise Failure(
                    f"{self.sheet} {written} cannot be deleted completely, because something depends on it "
                    f"({span.name})"
                )
            found.append((word, fresh))
        if span.name == "pane" and span.attributes.get("state", "").startswith("frozen"):
            found += self._frozen(span, shift)
        return list(dict(found).items())

    def _frozen(self, span: Span, shift: SheetShift) -> list[tuple[str, str | None]]:
        """The lines that stay visible beside a pane, as many as there are now (18.3.1.66). A view that was not moved
        goes on after them.
        """
        was = [whole(span.attributes.get(word, ""), MOST_ROWS) or 0 for word in ("ySplit", "xSplit")]
        now = []
        for lines, count in zip(shift, was, strict=True):
            found = lines.span(1, count) if count else (0, 0)
            now.append(found[1] if found is not None else 1)
        values = [(word, str(count)) for word, count in zip(("ySplit", "xSplit"), now, strict=True) if count]
        if span.attributes.get("topLeftCell") == address_of(was[0] + 1, was[1] + 1):
            values.append(("topLeftCell", address_of(now[0] + 1, now[1] + 1)))
        return [*values]

    def _ensure_whole(self, span: Span, shift: SheetShift, area: Area, written: str) -> None:
        """Raises `Failure` where a filter or a table would lose its headings, its totals, its records or a column."""
        called = "the filter" if span.name == "autoFilter" else "a table"
        found = shift.rows.span(area.top, area.bottom) or (0, 0)
        if shift.rows.place(area.top) != found[0] and span.attributes.get("headerRowCount", "1") != "0":
            raise Failure(f"the headings of {called} on {self.sheet} ({written}) cannot be deleted")
        if span.name == "table":
            totals = number_in(span.attributes, "totalsRowCount")
            if totals and shift.rows.place(area.bottom) != found[1]:
                raise Failure(f"the totals of a table on {self.sheet} ({written}) cannot be deleted")
            if shift.rows.span(area.top + 1, area.bottom - totals) is None:
                raise Failure(
                    f"a table needs at least one row, but all of {self.sheet} {written} would be deleted. Empty the "
                    "last one instead: clear"
                )
            if shift.columns.crosses(area.left, area.right):
                raise Failure(
                    f"the columns of a table on {self.sheet} ({written}) cannot be added, deleted or moved here, "
                    "because formulas use their names. To widen the table: add-column"
                )

    def _keep_filter(self, table: Span, area: Area) -> None:
        """Lets the filter of a table end above its totals, also where rows came just there."""
        totals, inner = number_in(table.attributes, "totalsRowCount"), table.child("autoFilter")
        if totals and inner is not None:
            self._filters[inner.start] = area._replace(bottom=area.bottom - totals).corners

    def _filtered(self, span: Span, shift: Shift, area: Area) -> None:
        """The columns by which a filter hides rows, counted from its first one (18.3.2.7)."""
        start = shift.span(area.left, area.right)
        for child in span.all("filterColumn"):
            column = area.left + number_in(child.attributes, "colId")
            place = shift.place(column)
            if not place or start is None:
                raise Failure(
                    f"the filter on {self.sheet} hides rows by column {letters_of(column)}. Delete the filter first: "
                    "sheet.filter = nothing"
                )
            if place - start[0] != column - area.left:
                self.splices += set_attributes(self.data, child, [("colId", str(place - start[0]))])

    def _breaks(self, span: Span, shift: SheetShift) -> list[tuple[str, str | None]]:
        """Breaks between pages, by the line before (18.3.1.3)."""
        lines = {"16383": shift.rows, "1048575": shift.columns}.get(span.attributes.get("max", ""))
        if span.name != "brk" or lines is None:
            return []
        return [("id", str(max(1, lines.nearest(int(span.attributes.get("id", "0")) + 1) - 1)))]

    def _columns(self, span: Span, shift: Shift) -> None:
        """The widths and looks of columns (18.3.1.13), where these come to be."""
        if not shift:
            return
        found: dict[int, dict[str, str]] = {}
        for element in span.all("col"):
            says = {name: value for name, value in element.attributes.items() if name not in ("min", "max")}
            for column in range(number_in(element.attributes, "min"), number_in(element.attributes, "max") + 1):
                place = shift.place(column)
                if 0 < place <= MOST_COLUMNS:
                    found[place] = says
        entries: list[list[Any]] = []
        for column in sorted(found):
            if entries and entries[-1][1] == column - 1 and entries[-1][2] == found[column]:
                entries[-1][1] = column
            else:
                entries.append([column, column, found[column]])
        inner = "".join(
            f'<{span.prefix}col min="{first}" max="{last}"'
            + "".join(f' {name}="{escaped(value)}"' for name, value in says.items())
            + "/>"
            for first, last, says in entries
        )
        fresh = f"<{span.prefix}cols>{inner}</{span.prefix}cols>".encode() if inner else b""
        self.splices.append(Splice(span.start, span.end, fresh))

    def _source(self, span: Span) -> list[tuple[str, str | None]]:
        """A range of data of a pivot table or a consolidation."""
        sheet, ref = span.attributes.get("sheet", ""), span.attributes.get("ref", "")
        if not sheet or span.related:  # of another file
            return []
        result: list[tuple[str, str | None]] = []
        fresh = self.moves.new_name(sheet)
        if fresh is not None:
            result.append(("sheet", fresh))
        shift = self.moves.shift(sheet)
        if shift is not None and ref:
            area = area_of(ref.replace("$", ""))
            moved = shift.area(area)
            if moved is None or shift.rows.place(area.top) != moved.top:
                raise Failure(f"the data of a pivot table ({sheet} {ref}) or its headings cannot be deleted")
            if shift.columns.crosses(area.left, area.right):
                raise Failure(f"the columns of the data of a pivot table ({sheet} {ref}) cannot change")
            result.append(("ref", moved.corners))
        return result

    def _area(self, written: str) -> str:
        """Ranges where they come to be; an empty text when all go."""
        assert self.shift is not None
        found = []
        for each in written.split():
            moved = self.shift.area(area_of(each.replace("$", "")))
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
        assert self.shift is not None
        area = area_of(written.split()[0].replace("$", ""))
        return address_of(self.shift.rows.nearest(area.top), self.shift.columns.nearest(area.left))

    # -- texts

    def _said(self, span: Span) -> str:
        return text_of(self.data[span.start : span.end]).strip()

    def _text(self, span: Span, base: Area | None) -> None:
        """Notes the text of an element that changes: a formula, a list of ranges, a line of a drawing."""
        if span.open_end == span.close_start:
            return
        if span.name in _FORMULAS:
            written = text_of(self.data[span.start : span.end])
            fresh = self._formula(written, base, span)
        elif span.name == "lpstr":  # the names of sheets in the properties of the file
            written = text_of(self.data[span.start : span.end])
            fresh = self.moves.new_name(written) or (self._formula(written, None, span) if "!" in written else written)
        elif self.shift is None:
            return
        elif span.name == "sqref":
            written = self._said(span)
            fresh = self._area(written)
            if not fresh:
                raise Failure(f"{self.sheet} {written} cannot be deleted completely, because something depends on it")
        elif span.name in _LINES_OF_DRAWINGS and self._said(span).isdecimal():
            written = self._said(span)
            fresh = _drawn(written, self.shift.rows if span.name in ("row", "Row") else self.shift.columns)
        elif span.name == "Anchor":
            written = self._said(span)
            numbers = [each.strip() for each in written.split(",")]
            for place, lines in enumerate((self.shift.columns, None, self.shift.rows, None) * 2):
                if len(numbers) == 8 and lines is not None and numbers[place].isdecimal():
                    numbers[place] = _drawn(numbers[place], lines)
            fresh = ", ".join(numbers)
        else:
            return
        if fresh != written:
            self.splices.append(Splice(span.open_end, span.close_start, escaped_text(fresh).encode()))

    def _formula(self, written: str, base: Area | None, span: Span) -> str:
        equals, plain, cell = ("=" if written.startswith("=") else ""), written.removeprefix("="), None
        if base is not None and self.shift is not None:
            # It is written for the first of its cells, which can be another one from now on (18.3.1.10).
            row = self.shift.rows.leader(base.top, base.bottom)
            column = self.shift.columns.leader(base.left, base.right)
            plain, cell = translated(plain, row - base.top, column - base.left), (row, column)
        try:
            return equals + self.moves.formula(plain, self.sheet, cell)
        except Failure as failure:
            if not self._concerns(written):
                return written
            raise Failure(f"{_place_of(span)}{f' of {self.sheet}' if self.sheet else ''}: {failure.what}") from None

    def _concerns(self, written: str) -> bool:
        low = fold(written)
        return self.shift is not None or any(name in low for name in self.moves.concerned())


def _together(written: str) -> Area:
    """The smallest range with all of some ranges."""
    areas = [area_of(each.replace("$", "")) for each in written.split()]
    return Area(
        min(area.top for area in areas), min(area.left for area in areas),
        max(area.bottom for area in areas), max(area.right for area in areas),
    )  # fmt: skip


def _drawn(written: str, lines: Shift) -> str:
    """The line at which a corner of a drawing is, which drawings count from 0."""
    return str(lines.nearest(int(written) + 1) - 1)


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
    """Every formula of a part that is outside of its cells, with its element."""
    for span in (root, *root.inside()):
        if span.name in _FORMULAS and not span.children:
            yield span, text_of(data[span.start : span.end])
        for word in _FORMULA_ATTRIBUTES.get(span.name, ()):
            if span.attributes.get(word):
                yield span, span.attributes[word].removeprefix("#")
