"""The element of one sheet as it is to be (OpenDocument 1.3, part 3, 9.1.2): its tag, its columns, its rows."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from functools import cached_property
from typing import Any

from scrub.formats.open_keys import DIGESTS, KEY
from scrub.formats.opendocument.read import TABLE, value
from scrub.formats.opensheets.attributes import named_attributes
from scrub.formats.opensheets.content import rows_in
from scrub.formats.opensheets.formulas import address
from scrub.formats.opensheets.highlights_written import conditional_splices
from scrub.formats.opensheets.moved import moved_attributes, moved_rows
from scrub.formats.opensheets.names_written import local_splices
from scrub.formats.opensheets.projection import columns_of
from scrub.formats.opensheets.rows import TableRows
from scrub.formats.opensheets.saved_book import SavedBook
from scrub.formats.opensheets.segments import Segment, arranged, marks_of, split
from scrub.formats.opensheets.sheet_part import TablePart
from scrub.formats.opensheets.style_maker import LOEXT
from scrub.formats.opensheets.table_edits import TableEdits
from scrub.formats.opensheets.table_writer import RowsWriter, Wrapping, without_empty
from scrub.formats.shift import STILL
from scrub.formats.spans import Span, Splice, parse_element, set_attributes, spliced, whole, with_attributes
from scrub.formats.workbook.around.protection import permissions, selecting
from scrub.formats.workbook.sheet import OfficeSheet
from scrub.model.cells.sheet import Selecting, SheetPermission
from scrub.model.core.area import MOST_COLUMNS, Area, area_of, column_of

#: What newer programs write of a protection, by what it leaves possible.
_OPTIONS = {
    SheetPermission.INSERT_COLUMNS: "insert-columns", SheetPermission.INSERT_ROWS: "insert-rows",
    SheetPermission.DELETE_COLUMNS: "delete-columns", SheetPermission.DELETE_ROWS: "delete-rows",
    SheetPermission.FILTER: "use-autofilter", SheetPermission.PIVOT_TABLES: "use-pivot",
}  # fmt: skip


class TableMaker:
    """Makes the element of one sheet."""

    def __init__(
        self,
        saving: SavedBook,
        sheet: OfficeSheet,
        part: TablePart,
        edits: TableEdits,
        swaps: Mapping[tuple[int, int], list[tuple[bytes, bytes]]],
    ) -> None:
        """`swaps` are frames by the row and column of their cell (0 for the sheet itself), each with what is to be in
        its place.
        """
        self.saving = saving
        self.sheet = sheet
        self.part = part
        self.edits = edits
        self._swaps = swaps
        for (row, column), each in swaps.items():
            if row:
                edits.cell(row, column).swaps = each
        self._wanted = set(sheet.saved.pieces.settings.wanted())
        self._master = saving.page_style(sheet, part)
        self._attributes = self._said()

    @property
    def touched(self) -> bool:
        """Whether anything of the element is to be another one."""
        pieces = self.sheet.saved.pieces
        return bool(
            self.part.is_new or self.edits or self._attributes or self._swaps or self.sheet.line_changes
            or pieces.lines.changed_columns() or pieces.conditional.touched or pieces.protection.touched
            or self._wanted & {"heading-rows", "heading-columns"} or self._follows or self._local_names
        )  # fmt: skip

    @cached_property
    def _follows(self) -> bool:
        """Whether references in it may have to follow what moves."""
        moves = self.saving.moves
        if not moves:
            return False
        from scrub.formats.workbook.structure.moves import names_sheet

        data = self.part.data()
        return moves.shift(self.part.sheet) is not None or any(
            names_sheet(name).search(data) for name in moves.concerned()
        )

    @cached_property
    def _local_names(self) -> bool:
        number = self.part.number - 1
        return any(key[1] == number for key in self.saving.shared.names.changed())

    # -- the tag

    def _said(self) -> dict[str, str | None]:
        """The attributes of the element that change."""
        sheet, part, wanted = self.sheet, self.part, self._wanted
        said: dict[str, str | None] = {}
        if sheet.name != part.sheet or part.is_new:
            said["name"] = sheet.name
        style: dict[str, str | None] = {}
        if sheet.saved.state != sheet.saved.first_state:
            style["display"] = "false" if sheet.hidden else "true"
        if "tab-colour" in wanted:
            style["tab-color"] = sheet.saved.pieces.settings.get("tab-colour")
        if style or self._master is not None:
            base = None if not part.is_of_file else value(part.projected.outline, "style-name", TABLE)
            said["style-name"] = self.saving.styles.table_style(base, style, self._master)
        protection = sheet.saved.pieces.protection
        if protection.touched:
            now = protection.now
            said["protected"] = "true" if now is not None else None
            said["protection-key"] = now.get(KEY) if now is not None else None
            said["protection-key-digest-algorithm"] = now.get(DIGESTS) if now is not None and now.get(KEY) else None
        if "print-area" in wanted:
            ranges = sheet.saved.pieces.settings.get("print-area")
            said["print-ranges"] = (
                " ".join(address(sheet.name, area_of(each)) for each in ranges.split(",")) if ranges else None
            )
            said["print"] = None
        return said

    # -- all of it

    def prepare(self) -> None:
        """Makes what is around the rows, and the styles that rows need: these are written before the sheets."""
        content = self.saving.projection.content
        if self.part.is_in_file and content.is_plain:
            start, end = self._region = content.region(self.part.place)
            outline, root = content.outline(self.part.place)
        else:
            data = self._base()
            start, end = self._region = rows_in(data, content.element, content.is_plain)
            outline = data[:start] + data[end:]
            root = content.element(outline)
        splices = self._tag(outline, root)
        fresh_columns = self._columns(outline, root)
        if fresh_columns is not None:
            splices.append(fresh_columns)
        splices += conditional_splices(self.saving, self.sheet, outline, root)
        splices += local_splices(self.saving, self.part, outline, root)
        if self._follows:
            others = moved_attributes(self.saving.moves, self.part.sheet, outline, root)
            kept = [(s.start, s.end) for s in splices]
            splices += [s for s in others if not any(s.start < e and b < s.end for b, e in kept)]
        before = [splice for splice in splices if splice.end <= start and splice.start < start]
        before += [splice for splice in splices if splice.start == splice.end == start and splice is fresh_columns]
        after = [splice for splice in splices if splice not in before]
        head = spliced(outline[:start], before)
        tail = spliced(outline[start:], [Splice(s.start - start, s.end - start, s.new) for s in after])
        for old, new in self._swaps.get((0, 0), ()):
            head, tail = head.replace(old, new, 1), tail.replace(old, new, 1)
        self._ends = head, tail
        self._row_styles()

    def _row_styles(self) -> None:
        breaks = self.edits.breaks[True]
        every = {*self.edits.rows, *breaks}
        rows = self.part.stored() if every else None
        for row in every:
            assert isinstance(rows, TableRows)
            said, place = self.edits.rows.get(row, {}), rows.place(row)
            if "ht" in said or "customHeight" in said or row in breaks:
                base = rows.row_attributes_of(place).get("table:style-name") if place >= 0 else None
                self.saving.styles.row_style(base, said, breaks.get(row))

    def made(self) -> Iterator[bytes]:
        """The element, piece by piece."""
        head, tail = self._ends
        content = self.saving.projection.content
        yield head
        if self._rows_stay and self.part.is_in_file and content.is_plain:
            yield from content.rows(self.part.place)
        elif self._rows_stay:
            yield self._base()[slice(*self._region)]
        elif self.sheet.line_changes or self._wraps:
            yield without_empty(b"".join(self._rows(self._base(), self._region)))
        else:
            yield from self._rows(self._base(), self._region)
        yield tail

    def _base(self) -> bytes:
        if self.part.is_new and self.part.like is None:
            return self.saving.declaring(self.part.data().decode()).encode()
        return self.part.data()

    def _tag(self, outline: bytes, root: Span) -> list[Splice]:
        splices = named_attributes(outline, root, self._attributes)
        protection = self.sheet.saved.pieces.protection
        if not protection.touched:
            return splices
        splices += set_attributes(
            outline, root, [(n, None) for n in root.attributes if n.endswith(":protection-key-digest-algorithm-2")]
        )
        old = next((child for child in root.children if child.name == "table-protection"), None)
        made = self._protection()
        if old is not None:
            splices.append(Splice(old.start, old.end, made))
        elif made:
            at = next(
                (c.start for c in root.children if c.name not in ("title", "desc", "table-source", "scenario")), None
            )
            splices.append(Splice(*(2 * (at if at is not None else root.close_start,)), made))
        return splices

    def _protection(self) -> bytes:
        """What stays possible (an element of newer programs)."""
        now = self.sheet.saved.pieces.protection.now
        if now is None:
            return b""
        select = selecting(now)
        p = self.saving.declaring.prefix(LOEXT, "loext")
        said = ""
        if select is Selecting.ANY_CELL:
            said += f' {p}:select-protected-cells="true"'
        if select is not Selecting.NO_CELL:
            said += f' {p}:select-unprotected-cells="true"'
        allowed = permissions(now)
        said += "".join(f' {p}:{name}="true"' for permission, name in _OPTIONS.items() if permission in allowed)
        return f"<{p}:table-protection{said}/>".encode()

    # -- rows

    @property
    def _rows_stay(self) -> bool:
        """Whether nothing happens to the rows."""
        return not (self.edits or self.sheet.line_changes or self._wraps or self._follows)

    @property
    def _wraps(self) -> bool:
        return "heading-rows" in self._wanted or any("outlineLevel" in said for said in self.edits.rows.values())

    def _rows(self, data: bytes, region: tuple[int, int]) -> Iterator[bytes]:
        saving, part = self.saving, self.part
        rows = part.stored(data)
        assert isinstance(rows, TableRows)
        shift = self.sheet.line_changes.shift() if self.sheet.line_changes else STILL
        refit = None
        if self._follows:
            refit = moved_rows(saving, part.sheet)
        edits, merges = self._around_merges(shift)
        writer = RowsWriter(
            rows,
            region,
            edits,
            saving.cells,
            saving.styles,
            lambda number: saving.styles.cell(int(number)),
            refit,
            shift,
        )
        writer.default_style = self._default_style
        made = writer.pieces(self._wrap() if self._wraps else None)
        if not merges:
            yield from made
            return
        whole_rows = b"".join(made)
        yield from self._merged_again(without_empty(whole_rows), merges)

    def _around_merges(self, shift: Any) -> tuple[TableEdits, list[Area]]:
        """Where lines come or go, merged ranges are split before and merged after that."""
        if not shift:
            return self.edits, []
        areas = list(self.sheet.saved.pieces.merges.areas)
        gone = [area for area in areas if shift.area(area) != area]
        if not gone:
            return self.edits, []
        again = [moved for area in gone if (moved := shift.area(area)) is not None and not moved.single]
        edits = self.edits
        edits.merges_gone = [*edits.merges_gone, *(area for area in gone if area not in edits.merges_new)]
        edits.merges_new = [area for area in edits.merges_new if area not in gone]
        return edits, again

    def _merged_again(self, rows: bytes, merges: list[Area]) -> Iterator[bytes]:
        """Rows with ranges merged, by where they are now."""
        t = self.saving.prefixes[TABLE]
        head = f"<{t}table>".encode()
        data = head + rows + f"</{t}table>".encode()
        stored = self.part.stored(data)
        assert isinstance(stored, TableRows)
        edits = TableEdits(merges_new=merges)
        region = (len(head), len(head) + len(rows))
        cells, styles = self.saving.cells, self.saving.styles
        yield from RowsWriter(stored, region, edits, cells, styles, lambda number: None).pieces()

    def _default_style(self, row: int, column: int) -> str | None:
        number = self.part.default_number(column)
        return self.saving.projection.styles.names[number] or None

    def _wrap(self) -> _Wrap:
        headings = self.sheet.saved.pieces.settings.get("heading-rows")
        first, _, last = (headings or "0").partition(":")
        bounds = (int(first), int(last or first)) if headings else (0, -1)
        return _Wrap(lambda row: int(self.sheet.measure(row, True, "level") or 0), bounds, self.edits.rows)  # type: ignore[call-overload]

    # -- columns

    def _columns(self, outline: bytes, root: Span) -> Splice | None:
        """The new columns, where any of them is another one; None where they stay."""
        sheet = self.sheet
        changed = sheet.saved.pieces.lines.changed_columns()
        breaks = self.edits.breaks[False]
        shift = sheet.line_changes.shift().columns if sheet.line_changes else STILL.columns
        wraps = "heading-columns" in self._wanted or any("outlineLevel" in said for said in changed.values())
        if not changed and not breaks and not shift and not wraps:
            return None
        holders = [c for c in root.children if c.uri == TABLE and c.name in (
            "table-column", "table-columns", "table-header-columns", "table-column-group")]  # fmt: skip
        segments: list[Segment[tuple[bytes, Span] | None]] = []
        at = 1
        for span, _ in columns_of(root):
            count = whole(value(span, "number-columns-repeated", TABLE), 10**9) or 1
            segments.append(Segment(at, count, (outline, span)))
            at += count
        most = max([each for each in (*changed, *breaks) if each <= MOST_COLUMNS], default=0)
        most = max([most, *(line - 1 for line in shift.put if line - 1 <= MOST_COLUMNS)])
        if most >= at:
            segments.append(Segment(at, most - at + 1, None))
        marks = marks_of(shift) if shift else set()
        for column in (*changed, *breaks):
            marks |= {column, column + 1}
        headings = self._heading_columns()
        marks |= {headings[0], headings[1] + 1}
        order = list(arranged(split(segments, sorted(marks)), shift, None))
        over = sum(each.count for each in order) - MOST_COLUMNS
        if over > 0 and order[-1].count > over:
            order[-1] = order[-1]._replace(count=order[-1].count - over)
        wrapping = Wrapping(self.saving.prefixes[TABLE], "column")
        made = b""
        for segment in order:
            level = int(sheet.measure(segment.first, False, "level") or 0)  # type: ignore[call-overload]
            made += wrapping.to(level, headings[0] <= segment.first <= headings[1])
            made += self._column(segment, changed.get(segment.first), breaks.get(segment.first))
        made += wrapping.to(0, False)
        start = holders[0].start if holders else root.close_start
        return Splice(start, holders[-1].end if holders else start, made)

    def _heading_columns(self) -> tuple[int, int]:
        said = self.sheet.saved.pieces.settings.get("heading-columns")
        if not said:
            return 0, -1
        first, _, last = str(said).partition(":")
        return column_of(first), column_of(last or first)

    def _column(
        self, segment: Segment[tuple[bytes, Span] | None], said: Mapping[str, str | None] | None, breaks: bool | None
    ) -> bytes:
        p = self.saving.prefixes
        if segment.of is not None:
            data, span = segment.of
            element = data[span.start : span.end]
        else:
            element = f"<{p[TABLE]}table-column/>".encode()
        element = self.saving.cells.counted(element, segment.count)
        if said is None and breaks is None:
            return element
        said = said or {}
        of = parse_element(element, 0, len(element), p.namespaces)
        values: dict[str, str | None] = {}
        if "width" in said or breaks is not None:
            base = of.of("style-name", TABLE)
            name = self.saving.styles.column_style(base, said.get("width"), breaks, "width" in said)
            values[p.attribute(TABLE, "style-name")] = name
        if "hidden" in said:
            values[p.attribute(TABLE, "visibility")] = "collapse" if said["hidden"] else None
        if "style" in said:
            number = said["style"]
            values[p.attribute(TABLE, "default-cell-style-name")] = (
                self.saving.styles.cell(int(number)) if number else "Default"
            )
        return with_attributes(element, values)


class _Wrap:
    """What is around a row: in how many groups it is, and whether it is a heading."""

    def __init__(self, level: Any, headings: tuple[int, int], rows: Mapping[int, object]) -> None:
        self._level = level
        self._headings = headings
        self.marks = sorted({headings[0], headings[1] + 1, *rows, *(row + 1 for row in rows)})

    def __call__(self, row: int) -> tuple[int, bool]:
        return self._level(row), self._headings[0] <= row <= self._headings[1]
