"""Workbooks: files of sheets."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator, Mapping, Sequence
from typing import Any

from scrub.model.area import Area, area_of, cell_of
from scrub.model.cell import Cell
from scrub.model.cells import Cells, Selection
from scrub.model.change import Change
from scrub.model.declare import FileItem, Reach, action, field, finds, holds
from scrub.model.files import FilePath
from scrub.model.problem import Failure, Missing, did_you_mean
from scrub.model.records import Record
from scrub.model.sheet import Sheet
from scrub.model.values import fold

#: Changes of one sheet up to which each is told.
_MANY = 10


class Workbook(FileItem):
    """A workbook: a file of sheets."""

    kind_word = "workbook"
    part_word = "sheet"

    @property
    @field
    def name(self) -> str:
        """The file's name, with its ending.

        Example: say "Done with {workbook.name}."
        Also: file name
        """
        raise NotImplementedError

    @action(Reach.FILES, "saves copies of files")
    def save_copy(self, to: FilePath | None = None, name: FilePath | None = None) -> None:
        """Saves the workbook, as it is at the end of the macro, once more under another name or in another folder.

        to: the folder, which is made if it is not there; a relative one counts from the workbook's own.
        name: the name of the copy; left out, the workbook's own.
        Example: save-copy to: "sent", name: "Season book for the wardens"
        Also: save as, duplicate, export, backup
        """
        raise NotImplementedError

    @holds
    def sheets(self) -> Iterator[Sheet]:
        """Its sheets, in the order of the tabs."""
        raise NotImplementedError

    @property
    def label(self) -> str:
        """The file's name."""
        return self.name

    def sheet_named(self, name: str) -> Sheet:
        """A sheet by its name, or by the first word of it when that is of one sheet only. Raises `Failure`."""
        every = list(self.sheets())
        low = fold(name.strip())
        found = [sheet for sheet in every if fold(sheet.name) == low]
        found = found or [sheet for sheet in every if fold(sheet.name).startswith(low + " ")]
        if len(found) == 1:
            return found[0]
        names = [sheet.name for sheet in every]
        if found:
            raise Failure(f'"{name}" could be {" or ".join(sheet.name for sheet in found)}; write the whole name')
        raise Missing(f'there is no sheet "{name}".{did_you_mean(name, names)} There are: {", ".join(names)}')

    def _placed(self, address: str) -> tuple[Sheet, str]:
        """The sheet and the rest of an address such as `Larch Hut!B2`, or of a defined name."""
        sheet, mark, rest = address.rpartition("!")
        if mark:
            return self.sheet_named(sheet.strip("'").replace("''", "'")), rest
        named = self.named_range(address)
        if named is not None:
            return named[0], str(named[1])
        every = list(self.sheets())
        area_of(address)
        if len(every) == 1:
            return every[0], address
        raise Failure(f'on which sheet? Write: cells("{every[0].name}!{address}"), or put it in a block: each sheet')

    def named_range(self, name: str) -> tuple[Sheet, Area] | None:
        """The range that has a defined name."""
        return None

    @finds
    def find_cells(self, address: str) -> Cells:
        """A range by its sheet and address, or by its defined name: `cells("Larch Hut!B2:B40")`."""
        sheet, rest = self._placed(address)
        return Cells([(sheet, area_of(rest))])

    @finds
    def find_cell(self, address: str) -> Cell:
        """A cell by its sheet and address, or by its defined name: `cell("Night_price")`."""
        sheet, rest = self._placed(address)
        return Cell(sheet, *cell_of(rest))

    @finds
    def find_record(self, **wanted: Any) -> Record:
        """The first record with these values, on the first sheet that has these headings."""
        missing: Failure | None = None
        for sheet in self.sheets():
            table = sheet._table()
            if table is not None and all(table.has(word) for word in wanted):
                try:
                    return table.find_record(**wanted)
                except Missing as failure:
                    missing = missing or failure
        raise missing or Missing(f"no sheet of {self.name} has the headings {', '.join(wanted)}")

    def headings_over(self, changes: Sequence[Change]) -> dict[str, Mapping[str, str]]:
        """What stands over the columns of the sheets that have many changes: sheet, letters, heading."""
        counts = Counter(change.place for change in changes)
        return {sheet.name: sheet.heads for sheet in self.sheets() if counts[sheet.name] > _MANY and sheet.heads}

    def selection(self, place: str | None = None) -> Selection:
        """What a person picked: `Larch Hut!B1:F1`, a sheet's name, a defined name; or all of it."""
        every = list(self.sheets())
        if place is None:
            areas = [(sheet, sheet.used()) for sheet in every]
            return Selection([(sheet, area) for sheet, area in areas if area], False, self)
        found = []
        for each in place.split(","):
            if fold(each.strip()) in {fold(sheet.name) for sheet in every}:
                sheet = self.sheet_named(each)
                found.append((sheet, sheet.used() or Area(1, 1, 1, 1)))
            else:
                sheet, rest = self._placed(each.strip())
                found.append((sheet, area_of(rest)))
        return Selection(found, True, self)

    @action(Reach.CHANGE)
    def new_sheet(self, name: str) -> Sheet:
        """Makes an empty sheet behind the last one, and gives it back: summary = new-sheet("Summary").

        name: what stands on its tab, up to 31 characters.
        Example: summary = new-sheet("Summary")
        Also: add sheet, insert sheet, create
        """
        raise NotImplementedError

    def areas(self) -> Iterator[tuple[Sheet, Area]]:
        """All that is used on its sheets."""
        for sheet in self.sheets():
            yield from sheet.areas()
