"""Database ranges as they are to be (OpenDocument 1.3, part 3, 9.4.15): filters of sheets, and tables."""

from __future__ import annotations

from itertools import count

from scrub.formats.opendocument.read import TABLE
from scrub.formats.opensheets.attributes import named_attributes
from scrub.formats.opensheets.formulas import address
from scrub.formats.opensheets.moved import moved_address
from scrub.formats.opensheets.names_written import after_tables
from scrub.formats.opensheets.projection import ANONYMOUS
from scrub.formats.opensheets.saved_book import SavedBook
from scrub.formats.opensheets.sheet_part import TablePart
from scrub.formats.spans import Span, Splice, ended, escaped
from scrub.formats.workbook.sheet import OfficeSheet
from scrub.model.core.area import Area, area_of


class _Ranges:
    """What becomes of the ranges of a workbook."""

    def __init__(self, saving: SavedBook) -> None:
        self.saving = saving
        self.projection = saving.projection
        self.areas: dict[int, Area] = {}  # new ranges, by where their elements begin
        removed = {sheet.saved.part.sheet for sheet in saving.every if sheet.removed}
        self.gone: list[Span] = [span for _, sheet, _, span in self.projection.ranges if sheet in removed]
        self.fresh: list[tuple[str, str, Area]] = []  # name, sheet, range
        self._taken = {called for called, *_ in self.projection.ranges}

    def take_in(self, sheet: OfficeSheet) -> None:
        """Gathers what a sheet says of its filter and its tables."""
        part, pieces = sheet.saved.part, sheet.saved.pieces
        assert isinstance(part, TablePart)
        if "filter" in pieces.settings.wanted():
            self._filter(sheet, part, pieces.settings.get("filter"))
        own = {each[0]: each for each in self.projection.tables_of(part.number - 1)} if part.is_in_file else {}
        for place in pieces.tables.places() if pieces.tables.touched or pieces.tables.copied else ():
            known = own.get(place.name)
            if known is not None and known[1] != place.area:
                self.areas[known[2].start] = place.area
            elif known is None and place.name in pieces.tables.copied.values():
                self.fresh.append((place.name, sheet.name, place.area))

    def _filter(self, sheet: OfficeSheet, part: TablePart, wanted: str | None) -> None:
        found = self.projection.filter_of(part.number - 1) if part.is_in_file else None
        if wanted is None:
            self.gone += [found[2]] if found is not None else []
        elif found is not None:
            self.areas[found[2].start] = area_of(wanted)
        else:
            name = next(each for n in count() if (each := f"{ANONYMOUS}{n}") not in self._taken)
            self._taken.add(name)
            self.fresh.append((name, sheet.name, area_of(wanted)))

    def splices(self) -> list[Splice]:
        """What changes around the tables."""
        splices = [Splice(span.start, span.end, b"") for span in self.gone]
        names = {sheet.saved.part.sheet: sheet.name for sheet in self.saving.kept}
        for _, sheet, _, span in self.projection.ranges:
            old = span.of("target-range-address", TABLE) or ""
            now = old
            if span.start in self.areas:
                now = address(names.get(sheet, sheet), self.areas[span.start])
            elif self.saving.moves:
                now = moved_address(self.saving.moves, "", old)
            if now != old and span not in self.gone:
                splices += named_attributes(self.projection.frame, span, {"target-range-address": now})
        return splices + self._added()

    def _added(self) -> list[Splice]:
        made = "".join(
            f'<table:database-range table:name="{escaped(name)}" table:target-range-address='
            f'"{escaped(address(sheet, area))}" table:display-filter-buttons="true"/>'
            for name, sheet, area in self.fresh
        )
        if not made:
            return []
        holder = self.projection.holder.child("database-ranges", uri=TABLE)
        if holder is not None:
            return ended(self.projection.frame, holder, self.saving.declaring(made).encode())
        whole = self.saving.declaring(f"<table:database-ranges>{made}</table:database-ranges>").encode()
        return [after_tables(self.saving, whole, ("named-expressions",))]


def range_splices(saving: SavedBook) -> list[Splice]:
    """What changes in the ranges of the workbook."""
    ranges = _Ranges(saving)
    for sheet in saving.kept:
        ranges.take_in(sheet)
    return ranges.splices()
