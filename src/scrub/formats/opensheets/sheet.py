"""A sheet of an Open Document workbook."""

from __future__ import annotations

from typing import ClassVar

from scrub.formats.opensheets.sheet_part import OpenStoredCells, TablePart
from scrub.formats.workbook.cells.stored_cells import StoredCells
from scrub.formats.workbook.part import SheetPart
from scrub.formats.workbook.sheet import OfficeSheet
from scrub.model.cells.sheet_settings import View
from scrub.model.core.problem import Failure

#: What is set for a sheet elsewhere, and that this format has no place for.
_LACKING = {"page-break-lines": "lines at automatic page breaks"}


class OpenSheet(OfficeSheet):
    """One sheet: what the file says of it, and what is to be other than that."""

    _part_type: ClassVar[type[SheetPart]] = TablePart
    _stored_type: ClassVar[type[StoredCells]] = OpenStoredCells

    def put_setting(self, word: str, value: object) -> None:
        """Sets something for the sheet as a whole. Raises `Failure` for what the format cannot keep."""
        what = _LACKING.get(word)
        if word == "view" and value == View.PAGE_LAYOUT:
            what = "a page-layout view"
        if what is not None and value != self.setting(word):
            raise Failure(self.file.lacking(what))
        super().put_setting(word, value)

    def put_table_style(self, name: str, style: str | None) -> object:  # type: ignore[override]
        """Tables have no styles in this format."""
        raise Failure(self.file.lacking("table styles"))
