"""Tables of a sheet (ISO/IEC 29500-1, 18.5.1.2)."""

from __future__ import annotations

from collections.abc import Iterator

from scrub.formats.opc.relationships import part_tree
from scrub.formats.spans import number_in
from scrub.formats.workbook.part import SheetPart
from scrub.model.area import area_of
from scrub.model.grid import TablePlace


def tables_of(part: SheetPart) -> Iterator[TablePlace]:
    """The tables of a sheet; one without headings offers none."""
    for each in part.related().values():
        if each.type == "table" and each.target in part.package.members:
            _, root = part_tree(part.package, str(each.target))
            of = root.attributes
            area = area_of(of.get("ref", "A1"))
            if of.get("headerRowCount", "1") == "0":
                continue
            totals = number_in(of, "totalsRowCount")
            yield TablePlace(of.get("displayName") or of.get("name", ""), area, area.bottom - totals)
