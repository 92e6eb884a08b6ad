"""Breaks between pages that a person set (ISO/IEC 29500-1, 18.3.1.3, 18.3.1.14, 18.3.1.74)."""

from __future__ import annotations

from collections.abc import Mapping
from functools import partial

from scrub.formats.kept import LazyPiece
from scrub.formats.opc.parts import Parts
from scrub.formats.spans import number_in
from scrub.formats.workbook.around.protection import ensure_unprotected
from scrub.formats.workbook.part import SheetPart, Skeleton
from scrub.formats.xmltext import is_on
from scrub.model.cells.sheet import Sheet
from scrub.model.core.area import MOST_COLUMNS, MOST_ROWS, letters_of
from scrub.model.core.problem import Failure

_ELEMENTS = {True: ("rowBreaks", MOST_COLUMNS - 1), False: ("colBreaks", MOST_ROWS - 1)}


class Breaks:
    """The breaks of one sheet: the rows below which, and the columns right of which, a page begins."""

    def __init__(self, sheet: Sheet, part: SheetPart) -> None:
        self._sheet = sheet
        self._part = part
        self._lines: dict[bool, LazyPiece[dict[int, str]]] = {
            is_row: LazyPiece(partial(self._read, is_row)) for is_row in (True, False)
        }

    def _read(self, is_row: bool) -> dict[int, str]:
        """The breaks, each with what else it says."""
        holder = self._part.skeleton().root.child(_ELEMENTS[is_row][0])
        data = self._part.skeleton().data
        return {
            number_in(span.attributes, "id"): data[span.start : span.end].decode()
            for span in (holder.all("brk") if holder else ())
            if is_on(span.attributes.get("man"), False)
        }

    def has(self, line: int, is_row: bool) -> bool:
        """Whether a page ends after a line."""
        return line in self._lines[is_row].now

    def put(self, line: int, is_row: bool, value: bool) -> None:
        """Sets whether a page ends after a line."""
        kept = self._lines[is_row]
        if value == (line in kept.now):
            return
        ensure_unprotected(self._sheet)
        if line >= (MOST_ROWS if is_row else MOST_COLUMNS):
            raise Failure(
                "a page break is not possible after the last line of a sheet, or after a line without a number"
            )
        now = {each: written for each, written in kept.now.items() if each != line}
        if value:
            if len(now) >= 1026:
                raise Failure("a sheet can have up to 1,026 page breaks")
            now[line] = ""
        where = f"row {line}" if is_row else f"column {letters_of(line)}"
        self._sheet.changed("page-break", not value, value, kept.put(now), inner=(where,))

    def changed(self, is_row: bool) -> tuple[set[int], set[int]]:
        """The lines after which a page ended, and those after which one ends now; none where nobody asked."""
        kept = self._lines[is_row]
        return (set(kept.first), set(kept.now)) if kept.touched else (set(), set())

    @property
    def touched(self) -> bool:
        """Whether any must be written."""
        return any(kept.touched for kept in self._lines.values())

    def elements(self, skeleton: Skeleton, parts: Parts) -> Mapping[str, bytes]:
        """The elements with the breaks that changed."""
        result: dict[str, bytes] = {}
        p = skeleton.root.prefix
        for is_row, (name, last) in _ELEMENTS.items():
            kept = self._lines[is_row]
            if not kept.touched:
                continue
            holder = skeleton.root.child(name)
            automatic = [
                (number_in(span.attributes, "id"), skeleton.data[span.start : span.end].decode())
                for span in (holder.all("brk") if holder else ())
            ]
            automatic = [each for each in automatic if each[0] not in kept.first and each[0] not in kept.now]
            own = [
                (line, written or f'<{p}brk id="{line}" max="{last}" man="1"/>') for line, written in kept.now.items()
            ]
            inner = "".join(written for _, written in sorted([*automatic, *own]))
            counts = f'count="{len(automatic) + len(own)}" manualBreakCount="{len(own)}"'
            result[name] = f"<{p}{name} {counts}>{inner}</{p}{name}>".encode() if inner else b""
        return result
