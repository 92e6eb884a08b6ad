"""Database ranges as they are to be (OpenDocument 1.3, part 3, 9.4.15): filters of sheets, and tables."""

from __future__ import annotations

from itertools import count
from typing import TYPE_CHECKING

from scrub.formats.opendocument.read import TABLE
from scrub.formats.opensheets.formulas import address
from scrub.formats.opensheets.moved import moved_address
from scrub.formats.opensheets.projection import ANONYMOUS
from scrub.formats.opensheets.sheet_part import TablePart
from scrub.formats.spans import Span, Splice, ended, escaped
from scrub.model.core.area import Area, area_of

if TYPE_CHECKING:
    from scrub.formats.opensheets.saving import Saving


def range_splices(saving: Saving) -> list[Splice]:
    """What changes in the ranges of the workbook."""
    from scrub.formats.opensheets.names_written import _after_tables
    from scrub.formats.opensheets.saving import named_attributes

    projection = saving.projection
    areas: dict[int, tuple[Span, Area]] = {}
    gone: list[Span] = []
    fresh: list[tuple[str, str, Area]] = []
    taken = {called for called, *_ in projection.ranges}
    removed = {sheet.saved.part.sheet for sheet in saving.every if sheet.removed}
    gone += [span for _, sheet, _, span in projection.ranges if sheet in removed]
    for sheet in saving.kept:
        part, pieces = sheet.saved.part, sheet.saved.pieces
        assert isinstance(part, TablePart)
        if "filter" in pieces.settings.wanted():
            wanted = pieces.settings.get("filter")
            found = projection.filter_of(part.number - 1) if part.is_in_file else None
            if wanted is None:
                gone += [found[2]] if found is not None else []
            elif found is not None:
                areas[found[2].start] = found[2], area_of(wanted)
            else:
                name = next(each for n in count() if (each := f"{ANONYMOUS}{n}") not in taken)
                taken.add(name)
                fresh.append((name, sheet.name, area_of(wanted)))
        own = {each[0]: each for each in projection.tables_of(part.number - 1)} if part.is_in_file else {}
        for place in pieces.tables.places() if pieces.tables.touched or pieces.tables.copied else ():
            known = own.get(place.name)
            if known is not None and known[1] != place.area:
                areas[known[2].start] = known[2], place.area
            elif known is None and place.name in pieces.tables.copied.values():
                fresh.append((place.name, sheet.name, place.area))
    names = {sheet.saved.part.sheet: sheet.name for sheet in saving.kept}
    splices = [Splice(span.start, span.end, b"") for span in gone]
    for _, on, _, span in projection.ranges:
        if span in gone:
            continue
        if span.start in areas:
            said = {"target-range-address": address(names.get(on, on), areas[span.start][1])}
        elif saving.moves:
            old = span.of("target-range-address", TABLE) or ""
            said = {"target-range-address": moved_address(saving.moves, "", old)}
        else:
            continue
        if said["target-range-address"] != span.of("target-range-address", TABLE):
            splices += named_attributes(projection.frame, span, said)
    made = "".join(
        f'<table:database-range table:name="{escaped(name)}" table:target-range-address="{escaped(address(on, area))}" '
        'table:display-filter-buttons="true"/>'
        for name, on, area in fresh
    )
    if not made:
        return splices
    holder = projection.holder.child("database-ranges", uri=TABLE)
    if holder is not None:
        return splices + ended(projection.frame, holder, saving.declaring(made).encode())
    whole = saving.declaring(f"<table:database-ranges>{made}</table:database-ranges>").encode()
    return [*splices, _after_tables(saving, whole, ("named-expressions",))]
