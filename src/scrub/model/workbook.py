"""Workbooks: files of sheets."""

from __future__ import annotations

from collections.abc import Iterator, Mapping

from scrub.model.cells.cell import Cell
from scrub.model.cells.cells import Cells, MergedRange, Selection
from scrub.model.cells.drawings import Chart, DefinedName
from scrub.model.cells.grid import Grid, HoldsCells
from scrub.model.cells.lines import Column, Row
from scrub.model.cells.records import Record, Table
from scrub.model.cells.sheet import Sheet
from scrub.model.cells.validation import ConditionalFormat, Validation
from scrub.model.comments import Comment
from scrub.model.core.area import Area, area_of, cell_of
from scrub.model.core.changes import Changes
from scrub.model.core.declare import Reach, action, field, finds, holds, may_lack, selects
from scrub.model.core.outline import Contents, Outline
from scrub.model.core.problem import Failure, Missing, did_you_mean
from scrub.model.core.progress import over
from scrub.model.core.required import required
from scrub.model.core.values import NewSecret, Secret, as_written, fold
from scrub.model.texts.described import Described
from scrub.model.texts.inline import Picture

#: Changes of one sheet up to which each is told.
_MANY = 10


class Workbook(Described, HoldsCells):
    """A workbook: a file of sheets."""

    kind_word = "workbook"
    part_word = "sheet"

    @holds
    @required
    def sheets(self) -> Iterator[Sheet]:
        """Its sheets, in the order of the tabs."""
        raise NotImplementedError

    def sheet_named(self, name: str) -> Sheet:
        """A sheet by its name, or by the first word of it when that is of one sheet only. Raises `Failure`."""
        every = list(self.sheets())
        low = fold(name.strip())
        sheets = [sheet for sheet in every if fold(sheet.name) == low]
        sheets = sheets or [sheet for sheet in every if fold(sheet.name).startswith(low + " ")]
        if len(sheets) == 1:
            return sheets[0]
        names = [sheet.name for sheet in every]
        if sheets:
            raise Failure(f'"{name}" could be {" or ".join(sheet.name for sheet in sheets)}. Write the full name')
        raise Missing(f'no sheet "{name}".{did_you_mean(name, names)} There are: {", ".join(names)}')

    def _placed(self, address: str) -> tuple[Grid, str]:
        """The sheet and the rest of an address such as `Larch Hut!B2`, or of a defined name."""
        sheet, mark, rest = address.rpartition("!")
        if mark:
            return self.sheet_named(sheet.strip("'").replace("''", "'")), rest
        named = self.named_range(address)
        if named is not None:
            return named[0], str(named[1])
        every = list(self.sheets())
        try:
            area_of(address)
        except Failure as failure:
            raise Missing(failure.what) from None
        if len(every) == 1:
            return every[0], address
        raise Failure(
            f'the sheet is missing. Write: cells("{every[0].name}!{address}"), or put it in a block: each sheet'
        )

    def named_range(self, name: str) -> tuple[Grid, Area] | None:
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
    def find_record(self, **wanted: object) -> Record:
        """The first record with these values, on the first sheet that has these headings."""
        missing: Failure | None = None
        for sheet in self.sheets():
            table = sheet._table()
            if table is not None and all(table.rows.has(word) for word in wanted):
                try:
                    return table.find_record(**wanted)
                except Missing as failure:
                    missing = missing or failure
        raise missing or Missing(f"no sheet of {self.name} has the headings {', '.join(wanted)}")

    def contents(self) -> Contents:
        """Its sheets, and the headings on them as a macro writes them."""
        rows: list[dict[str, object]] = []
        outlines: list[tuple[str, Outline]] = []
        names: dict[str, list[str]] = {"sheet": [], "table": []}
        for sheet in over(list(self.sheets()), lambda each: each.name):
            inner = sheet.outline()
            rows.append(
                {
                    "number": sheet.number,
                    "name": sheet.name,
                    "hidden": sheet.hidden,
                    "protected": sheet.protected,
                    "range": sheet.range or "",
                    "headings": {outline.opening: outline.fields for outline in inner},
                }
            )
            outlines += [(sheet.name, outline) for outline in inner]
            names["sheet"].append(sheet.name)
            names["table"] += [place.name for place in sheet.tables()]
        first = names["sheet"][0] if rows else ""
        hint = f"In a macro: each sheet, or sheet({as_written(first)}).hidden. More: scrub catalog sheet"
        return Contents("sheet", rows, outlines, hint if rows else "", names)

    def headings_over(self, changes: Changes) -> dict[str, Mapping[str, str]]:
        """What is over the columns of the sheets that have many changes: sheet, letters, heading."""
        counts = changes.place_counts()
        return {sheet.name: sheet.heads for sheet in self.sheets() if counts.get(sheet.name, 0) > _MANY and sheet.heads}

    @selects
    def selection(self, place: str | None = None) -> Selection:
        """What a person picked: `Larch Hut!B1:F1`, a sheet's name, a defined name; or all of it."""
        every = list(self.sheets())
        if place is None:
            areas = [(sheet, sheet.used()) for sheet in every]
            return Selection([(sheet, area) for sheet, area in areas if area], False, self)
        found: list[tuple[Grid, Area]] = []
        for each in place.split(","):
            if fold(each.strip()) in {fold(sheet.name) for sheet in every}:
                whole = self.sheet_named(each)
                found.append((whole, whole.used() or Area(1, 1, 1, 1)))
            else:
                on, rest = self._placed(each.strip())
                found.append((on, area_of(rest)))
        return Selection(found, True, self)

    @action(Reach.CHANGE)
    @may_lack
    def new_sheet(self, name: str) -> Sheet:
        """Adds an empty sheet after the last one and returns it: summary = new-sheet("Summary").

        name: the sheet's name, up to 31 characters.
        Example: summary = new-sheet("Summary")
        Also: add sheet, insert sheet, create
        """
        raise NotImplementedError

    @holds
    def each_defined_name(self) -> Iterator[DefinedName]:
        """Its defined names: those that a person sees."""
        return iter(())

    @property
    @field
    def structure_protected(self) -> bool:
        """Whether the structure is protected: sheets cannot be added, deleted, renamed, moved or hidden.
        `protect-structure` and `unprotect-structure` change this.

        Example: if workbook.structure-protected
        Also: workbook protection, lock sheets, protect workbook
        """
        return False

    @action(Reach.CHANGE)
    @may_lack
    def protect_structure(self, password: NewSecret | None = None) -> None:
        """Prevents sheets from being added, deleted, renamed, moved, hidden or shown. To protect cells, protect each
        sheet.

        password: needed to unprotect again; without one, anyone can unprotect.
        Example: protect-structure password: code
        Also: protect workbook, lock structure, lock tabs
        """
        raise NotImplementedError

    @action(Reach.CHANGE)
    @may_lack
    def unprotect_structure(self, password: Secret | None = None) -> None:
        """Allows sheets to be added, deleted, renamed, moved, hidden and shown again. A wrong password is rejected.

        password: the password it was protected with, if any.
        Example: unprotect-structure password: code
        Also: unprotect workbook, unlock structure
        """
        raise NotImplementedError

    def areas(self) -> Iterator[tuple[Grid, Area]]:
        """All that is used on its sheets."""
        for sheet in self.sheets():
            yield from sheet.areas()


#: The kinds in workbooks.
KINDS = (
    Workbook, Sheet, Table, Record, Cell, Cells, Selection, Row, Column, MergedRange, Comment, Validation,
    ConditionalFormat, DefinedName, Chart, Picture,
)  # fmt: skip
