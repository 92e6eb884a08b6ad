"""What of a sheet depends on its cells; each piece reads and writes its own elements of the part."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from itertools import count
from typing import TYPE_CHECKING, Any

from scrub.formats.workbook.around.breaks import Breaks
from scrub.formats.workbook.around.comments import Notes
from scrub.formats.workbook.around.drawings import Drawings
from scrub.formats.workbook.around.lines import Lines
from scrub.formats.workbook.around.links import Links
from scrub.formats.workbook.around.merges import Merges
from scrub.formats.workbook.around.protection import Protection
from scrub.formats.workbook.around.settings import Settings
from scrub.formats.workbook.around.tables import Tables
from scrub.formats.workbook.cells.sheet_data import Stored
from scrub.formats.workbook.part import SheetPart
from scrub.formats.workbook.rules.conditional import ConditionalFormats
from scrub.formats.workbook.rules.validations import Validations
from scrub.formats.workbook.shared import Shared
from scrub.model.cells.sheet import Sheet
from scrub.model.core.area import Area
from scrub.model.core.problem import Failure
from scrub.model.core.values import fold

if TYPE_CHECKING:
    from scrub.formats.workbook.contracts import Written


class Pieces:
    """The pieces of one sheet. A copy of another one shows that one's comments and links, and does not change them."""

    def __init__(
        self,
        sheet: Sheet,
        shared: Shared,
        part: SheetPart,
        stored: Callable[[], Stored],
        plain_formula: Callable[[str], str],
        locks_changed: Callable[[], None],
        merges_changed: Callable[[Area, bool], None],
    ) -> None:
        self._sheet = sheet
        self._part = part
        self.copied_from: SheetPart | None = None
        self.tables = Tables(part)
        self.protection = Protection(sheet, part, locks_changed, shared.hashed_password)
        self.merges = Merges(sheet, part, merges_changed)
        self.settings = Settings(sheet, part, shared, lambda: part.number)
        self.lines = Lines(sheet, part, stored, shared.format_numbers_of)
        self.breaks = Breaks(sheet, part)
        self.validations = Validations(sheet, part, shared, plain_formula)
        self.conditional = ConditionalFormats(sheet, part, shared, plain_formula)
        self.links = Links(sheet, part)
        self.notes = Notes(sheet, part)
        self.drawings = Drawings(sheet, part, shared)

    @property
    def every(self) -> tuple[Written, ...]:
        """All of them, in the order in which they are written."""
        return (
            self.settings, self.protection, self.lines, self.merges, self.conditional, self.validations,
            self.breaks, self.links, self.notes, self.tables, self.drawings,
        )  # fmt: skip

    def begin_as(self, like: Pieces, taken: set[str]) -> None:
        """Makes them those of a copy of another sheet, as that is in the file; `taken` are the names that no table can
        get.
        """
        source = like._part
        self.copied_from, self._part.base = source, source.data()
        self.notes, self.links = Notes(self._sheet, source), Links(self._sheet, source)
        self.tables.copy(like.tables, {name: _free(name, taken) for name in like.table_names()})

    def ensure_no_copy(self, what: str) -> None:
        """Raises `Failure` for a sheet that was copied in this run."""
        if self.copied_from is not None:
            raise Failure(f"{self._sheet.name} was copied in this run. Change its {what} in a second run")

    def table_names(self) -> list[str]:
        """What its tables are called."""
        return list(self.tables.names()) if self._part.name is not None or self._part.is_new else []

    def measure(self, line: int, is_row: bool, word: str) -> object:
        """Width, height, level, or whether a row or column is hidden or ends a page."""
        if word == "page-break":
            return self.breaks.has(line, is_row)
        return self.lines.measure(line, is_row, word)

    def put_measure(self, line: int, is_row: bool, word: str, value: Any) -> None:
        """Changes it."""
        if word == "page-break":
            self.breaks.put(line, is_row, value)
        else:
            self.lines.put_measure(line, is_row, word, value)

    @property
    def copied_tables(self) -> Mapping[str, str]:
        """The names of tables that are copies, by those of the first."""
        return self.tables.copied


def _free(name: str, taken: set[str]) -> str:
    """A name like another one that nothing has yet; with a line, it looks like no cell."""
    result = next(each for number in count(2) if fold(each := f"{name}_{number}") not in taken)
    taken.add(fold(result))
    return result
