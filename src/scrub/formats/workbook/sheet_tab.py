"""The tab of a sheet: its name, its place, whether it is shown and in front."""

from __future__ import annotations

from typing import TYPE_CHECKING

from scrub.formats.workbook.saved_sheet import SavedSheet
from scrub.formats.workbook.shared import Shared
from scrub.model.core.change import Change
from scrub.model.core.problem import Failure

if TYPE_CHECKING:
    from scrub.model.cells.sheet import Sheet


class SheetTab:
    """What the workbook says of a sheet: its name, place, colour and whether it is shown."""

    def __init__(self, sheet: Sheet, shared: Shared, saved: SavedSheet) -> None:
        self._sheet = sheet
        self._shared = shared
        self._saved = saved
        self.name = saved.part.sheet
        self.is_deleted = False

    @property
    def number(self) -> int:
        """Its place among the sheets, from 1."""
        return self._saved.part.number if self.is_deleted else self._shared.tabs().index(self._sheet) + 1

    def rename(self, value: str) -> None:
        """Gives the sheet another name; what refers to it follows when the file is saved."""
        before = self.name
        if value == before:
            return
        self._shared.ensure_sheet_name(value, self._sheet)

        def set_to(name: str) -> None:
            self.name = self._saved.part.shown = name
            self._shared.forget_sheet_names()

        set_to(value)
        change = Change((before,), "name", before, value)
        self._shared.file.recorder.add(change, lambda: set_to(before), self._sheet)

    def hide(self, value: bool) -> None:
        """Hides the sheet, or shows it."""
        sheet, saved = self._sheet, self._saved
        if value == sheet.hidden:
            return
        self._shared.ensure_structure_open(f'"{self.name}" cannot be hidden or shown')
        if value:
            self._ensure_others_visible()
        before = saved.state
        saved.state = "hidden" if value else "visible"

        def revert() -> None:
            saved.state = before

        sheet.changed("hidden", not value, value, revert)

    def _ensure_others_visible(self) -> None:
        if not any(sheet is not self._sheet and not sheet.hidden for sheet in self._shared.tabs()):
            raise Failure(
                f'"{self.name}" is the last visible sheet, and a workbook needs one. Show another sheet first'
            )

    def activate(self, value: bool) -> None:
        """Puts the sheet in front."""
        sheet, shared = self._sheet, self._shared
        if value == sheet.active:
            return
        if not value:
            raise Failure("one sheet is always active. Activate another one: active = yes")
        if sheet.hidden:
            raise Failure(f'"{self.name}" is hidden and cannot be active. Show it first: sheet.hidden = no')
        before = shared.front
        shared.front = sheet

        def revert() -> None:
            shared.front = before

        sheet.changed("in front", False, True, revert)

    def move_to(self, place: int) -> None:
        """Gives the tab another place."""
        sheet, sheets = self._sheet, self._shared.tabs()
        if not 1 <= place <= len(sheets):
            raise Failure(f"position {place} is out of range: there are {len(sheets)} sheets")
        before = self.number
        if place != before:
            self._shared.ensure_structure_open(f'"{self.name}" cannot be moved')
            sheets.insert(place - 1, sheets.pop(before - 1))
            sheet.changed("place", before, place, lambda: sheets.insert(before - 1, sheets.pop(sheets.index(sheet))))

    def delete(self) -> None:
        """Takes the sheet out."""
        sheet, shared = self._sheet, self._shared
        shared.ensure_structure_open(f'"{self.name}" cannot be deleted')
        self._ensure_others_visible()
        sheets = shared.tabs()
        place = sheets.index(sheet)
        used, front = sheet.used() if self._saved.part.name else None, shared.front
        sheets.remove(sheet)
        self.is_deleted = True
        shared.forget_sheet_names()

        def revert() -> None:
            self.is_deleted = False
            sheets.insert(place, sheet)
            shared.front = front
            shared.forget_sheet_names()

        sheet.changed("deleted", False, True, revert, f"sheet deleted{f' ({used})' if used else ''}")

    def ensure_copied(self, shaped: bool) -> None:
        """Raises `Failure` for a sheet that cannot be copied; `shaped` tells whether its lines go, come or move."""
        part = self._saved.part
        if self._saved.touched or shaped or part.is_new or part.name is None:
            raise Failure(f'"{self.name}" was added or changed in this run. Copy it before changing it')
        if part.skeleton().root.name != "worksheet":
            raise Failure(f'"{self.name}" is a chart sheet, which Scrub does not copy')
        from scrub.formats.workbook.structure.copied import ensure_copied  # rarely needed, and slow to import

        try:
            ensure_copied(self._shared.package, part.name)
        except Failure as failure:
            raise failure.at(self.name) from None
