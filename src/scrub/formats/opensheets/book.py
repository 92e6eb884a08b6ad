"""A workbook of the Open Document format (OpenDocument 1.3, part 3, 3.7)."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING, ClassVar

from scrub.formats.described import Properties
from scrub.formats.opendocument.flat import FlatPackage
from scrub.formats.opendocument.properties import TextProperties
from scrub.formats.opensheets.projection import MAIN, TYPE, Projection, ensure_workbook
from scrub.formats.opensheets.shared import OpenShared
from scrub.formats.opensheets.sheet import OpenSheet
from scrub.formats.opensheets.sheet_part import TablePart
from scrub.formats.source import Source, opened
from scrub.formats.workbook.book import OfficeWorkbook
from scrub.formats.workbook.shared import Shared
from scrub.formats.workbook.sheet import OfficeSheet
from scrub.formats.zip import Package
from scrub.model.core.problem import Failure
from scrub.store.patch import Patch

if TYPE_CHECKING:
    from scrub.formats.opensheets.finished import Finished


class OpenWorkbook(OfficeWorkbook):
    """A workbook opened for splicing."""

    usual: ClassVar[str] = "an .ods"
    package: Projection  # type: ignore[assignment]
    _sheet_type: ClassVar[type[OfficeSheet]] = OpenSheet

    def __init__(self, source: Source) -> None:
        super().__init__(source)
        self._titles: dict[str, str] = {}

    def _opened(self, source: Source) -> Projection:  # type: ignore[override]
        flat = source.path.lower().endswith(".fods")
        package: Package | FlatPackage = FlatPackage(source, TYPE) if flat else Package(source)
        ensure_workbook(package, ".ods")
        return Projection(package)

    def _main_part(self) -> str:
        return MAIN

    def _described(self) -> Properties:
        return TextProperties(self.package.real)

    def _make_shared(self) -> Shared:
        return OpenShared(self, self.package, self.main, self._data, self._root)  # type: ignore[arg-type]

    def lacking(self, what: str = "that") -> str:
        """What the format has no place for."""
        return f"{self.name}: an OpenDocument file cannot store {what}. Save it as .xlsx first"

    def embed(self, title: str, text: str) -> None:
        """Macros are kept in files of other formats."""
        raise Failure(f"{self.name}: files of this format cannot contain macros. Save it as .xlsx first")

    def _make_sheet(self, name: str, like: OfficeSheet | None = None) -> OfficeSheet:
        sheet = super()._make_sheet(name, like)
        part = sheet.saved.part
        assert isinstance(part, TablePart)
        if like is not None:
            assert isinstance(like.saved.part, TablePart)
            part.like = like.saved.part
        return sheet

    @property
    def titles(self) -> dict[str, str]:
        """The charts that get another title, by their folders."""
        return self._titles

    def note_title(self, part: str, title: str) -> None:
        """Notes the title of a chart, by the part that it would be."""
        self._titles[self.package.charts[part]] = title

    def every_sheet(self) -> Sequence[OfficeSheet]:
        """The sheets by their place in the file, new ones after the others."""
        return self._every

    def tell(self, notes: Sequence[str]) -> None:
        """Notes what is told when it is saved."""
        self._told = list(notes)

    def _may_calculate(self, sheet: OfficeSheet) -> bool:
        part = sheet.saved.part
        return bool(sheet.overlay.formulas) or (self.package.content.calculates and part.has_formulas is not False)

    def _sees_hidden(self, sheet: OfficeSheet) -> bool:
        if not self.package.content.calculates:
            return False
        data = sheet.saved.part.data()
        return b"SUBTOTAL" in data or b"AGGREGATE" in data

    def _calculated_sheets(self) -> list[OfficeSheet]:
        return list(self._sheets)

    def calculate_again(self, finished: Finished) -> None:
        """Makes the results right of formulas that the changes reach."""
        self._recalculation = None
        if not any(map(self._may_calculate, self._sheets)) or not self._recalculates:
            return
        from scrub.formats.opensheets.recalculated import OpenRecalculation  # only where needed

        recalculation = OpenRecalculation(finished, self._places(self._sheets), self._sheets)
        self._run(recalculation)

    def patch(self) -> Patch | None:
        """What makes the changed file of the old one, or None when nothing is to be written."""
        from scrub.formats.opensheets.saving import patch_of  # only where something was changed

        self._titles = {}
        return patch_of(self) if self.recorder else None


def open_open_workbook(path: str) -> OpenWorkbook:
    """Opens one. Raises `FileProblem`."""
    return opened(path, OpenWorkbook)
