"""Merged ranges (ISO/IEC 29500-1, 18.3.1.54, 18.3.1.55)."""

from __future__ import annotations

from collections.abc import Callable, Collection, Mapping

from scrub.formats.kept import LazyPiece
from scrub.formats.opc.parts import Parts
from scrub.formats.workbook.around.protection import ensure_unprotected
from scrub.formats.workbook.part import SheetPart, Skeleton
from scrub.model.cells.sheet import Sheet
from scrub.model.core.area import Area, area_of
from scrub.model.core.problem import Failure


class Merges:
    """The merged ranges of one sheet as they should be."""

    def __init__(self, sheet: Sheet, part: SheetPart, changed: Callable[[Area, bool], None]) -> None:
        """`changed` is told of each that comes or goes: other cells can then be written."""
        self._sheet = sheet
        self._part = part
        self._changed = changed
        self._areas: LazyPiece[dict[Area, None]] = LazyPiece(self._read)

    def _read(self) -> dict[Area, None]:
        holder = self._part.skeleton().root.child("mergeCells")
        return {area_of(span.attributes.get("ref", "")): None for span in holder.all("mergeCell")} if holder else {}

    @property
    def areas(self) -> Collection[Area]:
        """The merged ranges."""
        return self._areas.now.keys()

    def changed(self) -> tuple[Collection[Area], Collection[Area]]:
        """Those of the file, and those that are to be; none where nothing was changed."""
        return (self._areas.first.keys(), self._areas.now.keys()) if self.touched else ((), ())

    @property
    def touched(self) -> bool:
        """Whether they must be written."""
        return self._areas.touched

    def elements(self, skeleton: Skeleton, parts: Parts) -> Mapping[str, bytes]:
        """The `mergeCells` element."""
        p, merged = skeleton.root.prefix, self.areas
        if not merged:
            return {"mergeCells": b""}
        inner = "".join(f'<{p}mergeCell ref="{area.corners}"/>' for area in merged)
        return {"mergeCells": f'<{p}mergeCells count="{len(merged)}">{inner}</{p}mergeCells>'.encode()}

    def merge(self, area: Area) -> None:
        """Merges a range."""
        if area in self.areas:
            return
        for other in (*self.areas, *(table.area for table in self._sheet.tables())):
            if other.meets(area):
                raise Failure(f"{self._sheet.name} {area} overlaps {other}, which is merged or a table")
        self._set(area, True)

    def unmerge(self, area: Area) -> None:
        """Takes a merge apart."""
        self._set(area, False)

    def _set(self, area: Area, merged: bool) -> None:
        ensure_unprotected(self._sheet)
        self._put(area, merged)
        self._sheet.changed("merged", not merged, merged, lambda: self._put(area, not merged), inner=(area,))

    def _put(self, area: Area, merged: bool) -> None:
        if merged:
            self._areas.now[area] = None
        else:
            self._areas.now.pop(area, None)
        self._changed(area, merged)
