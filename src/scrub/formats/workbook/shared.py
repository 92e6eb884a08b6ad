"""What the sheets of one workbook share: its package, looks, texts, names, and what is known of its formulas."""

from __future__ import annotations

import re
from collections.abc import Callable, Mapping, Sequence
from datetime import datetime
from decimal import Decimal
from functools import cached_property
from typing import TYPE_CHECKING, Any

from scrub.formats.beside import Beside
from scrub.formats.opc.media import Media
from scrub.formats.opc.relationships import targets_of
from scrub.formats.spans import NotReadable, Span
from scrub.formats.workbook.around.protection import password_attributes
from scrub.formats.workbook.cells.decode import Decoder
from scrub.formats.workbook.cells.depends import Dependence
from scrub.formats.workbook.cells.strings import SharedStrings
from scrub.formats.workbook.formatting.styles import DATE, DURATION, TIME, Styles
from scrub.formats.workbook.names.names import Names
from scrub.formats.workbook.part import SheetPart
from scrub.formats.workbook.structure.structure_lock import StructureLock
from scrub.formats.xmltext import is_on
from scrub.formats.zip import Package
from scrub.model.cells.grid import Grid
from scrub.model.core.area import MOST_COLUMNS, MOST_ROWS, Area
from scrub.model.core.declare import FileItem
from scrub.model.core.problem import Failure, Missing
from scrub.model.core.values import Secret, Value, fold

_NO_STYLES = (
    b'<?xml version="1.0" encoding="UTF-8" standalone="yes"?>\n'
    b'<styleSheet xmlns="http://schemas.openxmlformats.org/spreadsheetml/2006/main"><fonts count="1"><font>'
    b'<sz val="11"/><name val="Calibri"/></font></fonts>'
    b'<fills count="2"><fill><patternFill patternType="none"/></fill><fill>'
    b'<patternFill patternType="gray125"/></fill></fills><borders count="1"><border/></borders><cellStyleXfs count="1">'
    b'<xf/></cellStyleXfs><cellXfs count="1"><xf xfId="0"/></cellXfs>'
    b'<cellStyles count="1"><cellStyle name="Normal" xfId="0" builtinId="0"/></cellStyles></styleSheet>'
)

if TYPE_CHECKING:
    from scrub.formats.workbook.cells.row_sorting import RowSorting
    from scrub.formats.workbook.contracts import Calculated, Sharing
    from scrub.formats.workbook.recalculated.live import LiveCells


def _no_sheet(*_: object) -> object:
    raise Failure("sheets cannot be added here")


class Shared:
    """One workbook, as far as its sheets need it."""

    #: The forms in which a date, a time and a duration are shown where a cell has no form of its own for them.
    moment_forms: Mapping[str, str] = {DATE: "mm-dd-yy", TIME: "m/d/yy h:mm", DURATION: "[h]:mm:ss"}

    #: What gives the attributes of the password of a protection.
    hashed_password: Callable[[Secret], Mapping[str, str]] = staticmethod(password_attributes)

    def __init__(self, file: FileItem, package: Package, part: str, data: bytes, root: Span) -> None:
        """`part` is the name of the workbook part, `data` its bytes, `root` its root element."""
        self.file = file
        self.package = package
        self.part = part
        self.data = data
        self.root = root
        self.structure = StructureLock(root, self.hashed_password)
        self.sheets: Sequence[Sharing] = ()
        self.version = 0  # grows with every change of a cell; nothing was changed yet while it is 0
        self.version_back = False  # whether changes were undone since results of formulas were last asked for
        self.checked_formulas: set[str] = set()
        self.format_numbers: dict[int, int] = {}  # added cell formats with their numbers in the file
        self._named: dict[str, Sharing] = {}
        self._live: LiveCells | None = None  # results that were asked for, good for one version
        #: Numbers that were written to cells formatted as dates or durations, with these formats.
        self.moments: dict[str, tuple[Decimal, int]] = {}
        self.make_sheet: Callable[..., Any] = _no_sheet  # makes one, empty or like another
        self.front: object = None  # the sheet that is before when the file is opened
        self.media = Media(package)
        self.beside = Beside(package.source.path)

    @cached_property
    def targets(self) -> dict[str, str]:
        """The parts that the workbook part leads to, by the last word of their type."""
        return targets_of(self.package, self.part)

    @cached_property
    def styles(self) -> Styles:
        """How cells look."""
        part = self.targets.get("styles")
        try:
            return Styles(self.package.read(part) if part else _NO_STYLES, self._theme)
        except (NotReadable, ValueError) as problem:
            raise self.package.source.problem(f"its styles: {problem}") from None

    def _theme(self) -> bytes:
        part = self.targets.get("theme")
        return self.package.read(part) if part else b""

    @property
    def has_styles(self) -> bool:
        """Whether anybody asked how cells look."""
        return "styles" in self.__dict__

    def strings(self) -> SharedStrings:
        """The texts that cells share."""
        return self._strings

    @cached_property
    def _strings(self) -> SharedStrings:
        part = self.targets.get("sharedStrings")
        try:
            return SharedStrings(self.package.read(part) if part else b"<sst/>")
        except NotReadable as problem:
            raise self.package.source.problem(f"its shared texts: {problem}") from None

    @cached_property
    def decoder(self) -> Decoder:
        """Reads stored values."""
        properties = self.root.child("workbookPr")
        from_1904 = properties is not None and properties.attributes.get("date1904", "0") in ("1", "true")
        return Decoder(self.styles, self.strings, from_1904)

    @cached_property
    def calculation(self) -> Mapping[str, str]:
        """How the workbook says that it is calculated (18.2.2)."""
        element = self.root.child("calcPr")
        return element.attributes if element is not None else {}

    @cached_property
    def is_trusted(self) -> bool:
        """Whether saved results are those of the formulas: no program is to calculate all of them, and none is left
        for a person to ask for.
        """
        said = self.calculation
        return not is_on(said.get("fullCalcOnLoad")) and said.get("calcMode") != "manual"

    @cached_property
    def names(self) -> Names:
        """The defined names."""
        return Names(self.data, self.root)

    @property
    def structure_locked(self) -> bool:
        """Whether sheets can be neither hidden nor shown (18.2.29)."""
        return self.structure.on

    # -- results of formulas

    def format_numbers_of(self, style: int) -> int:
        """The number that a cell format has in the file."""
        return self.format_numbers.get(style, style)

    def cells_changed(self, back: bool = False) -> None:
        """Is told of every change of a cell: from the first one on, results of formulas may be old."""
        self.version += 1
        self.version_back = self.version_back or back
        if self.version == 1:
            for sheet in self.sheets:
                sheet.stale.mark_all()

    def tabs(self) -> list[Any]:
        """The sheets in the order of their tabs, to be put in another one."""
        assert isinstance(self.sheets, list)
        return self.sheets

    @cached_property
    def dependence(self) -> Dependence:
        """Tells which results of formulas still hold."""
        return Dependence(self)

    def results_of(self, name: str) -> Calculated | None:
        """The results of a sheet by its name, without regard to case; None for none."""
        sharing = self.by_name.get(name.casefold())
        return sharing.stale if sharing is not None else None

    def calculated(self, name: str, row: int, column: int, otherwise: Value) -> Value:
        """What the formula of a cell of a sheet gives now; `otherwise` where it cannot be calculated, as lines or
        sheets came, went or moved in this run.
        """
        if any(sheet.is_rearranged for sheet in self.sheets):
            return otherwise
        from scrub.formats.workbook.recalculated.live import LiveCells  # only where somebody asks

        if self._live is None or self._live.version != self.version:
            self._live = LiveCells(self, datetime.now(), self._live)
        return self._live.seen(self.by_name[name.casefold()], row, column)

    @cached_property
    def problems_of_formulas(self) -> Mapping[SheetPart, Mapping[tuple[int, int], str]]:
        """What is wrong with formulas of the file, by the part of their sheet, row and column."""
        from scrub.formats.workbook.recalculated.checked import problems_of  # only where somebody asks
        from scrub.formats.workbook.recalculated.finished import FinishedPackage
        from scrub.formats.workbook.recalculated.sheet_cells import SheetCells

        parts = [sheet.saved.part for sheet in self.sheets if sheet.saved.part.name and not sheet.saved.part.is_new]
        sheets = [SheetCells(part, part.data(), part.sheet, self.decoder) for part in parts]
        found = problems_of(FinishedPackage(self.package), self.part, sheets)
        by_part: dict[SheetPart, dict[tuple[int, int], str]] = {}
        for (number, row, column), what in found.items():
            by_part.setdefault(parts[number], {})[row, column] = what
        return by_part

    def first_change(self) -> str:
        """A cell that was changed in this run, as a person names it; an empty text where none is."""
        everywhere = Area(1, 1, MOST_ROWS, MOST_COLUMNS)
        for sheet in self.sheets:
            place = sheet.stale.changed_in(everywhere)
            if place:
                return sheet.where(*place)
        return ""

    def ensure_sortable(self, sorting: RowSorting) -> None:
        """Raises `Failure` where formulas or names refer to single rows of those that change places."""
        for sheet in self.sheets:
            if sheet.formulas.may_be_there:
                sorting.ensure_outside(sheet.formulas.every(), sheet.saved.part.sheet, sheet.where)
        areas = ((name, self.names.area(name)) for name, local, _ in self.names.every() if local is None)
        sorting.ensure_names((name, *area) for name, area in areas if area is not None)

    # -- names

    def grid_named(self, name: str) -> Grid:
        """A sheet by its name. Raises `Missing`."""
        sharing = self.by_name.get(name.casefold())
        if not isinstance(sharing, Grid):
            raise Missing(f'no sheet "{name}"')
        return sharing

    @property
    def by_name(self) -> Mapping[str, Sharing]:
        """The sheets by their names, without regard to case."""
        if len(self._named) < len(self.sheets):
            self._named = {sheet.saved.part.sheet.casefold(): sheet for sheet in self.sheets}  # formulas still say so
            self._named |= {sheet.name.casefold(): sheet for sheet in self.sheets}
        return self._named

    def forget_sheet_names(self) -> None:
        """Is told when a sheet gets another name."""
        self._named = {}

    def ensure_structure_open(self, consequence: str) -> None:
        """Raises `Failure` where the structure of the workbook is protected, with what follows from that."""
        if self.structure_locked:
            raise Failure(
                f"{self.file.label}: the structure of the workbook is protected, so {consequence}. Unprotect it first: "
                "unprotect-structure"
            )

    def ensure_sheet_name(self, name: str, own: object = None) -> None:
        """Raises `Failure` for what cannot be the name of a sheet (18.2.19), or is that of another one."""
        self.ensure_structure_open("sheets cannot be added or renamed")
        if not 1 <= len(name) <= 31 or re.search(r"[\[\]:*?/\\\x00-\x1f]", name) or name.strip("'") != name:
            raise Failure(f'"{name}" is not a valid sheet name: use up to 31 characters, but not [ ] : * ? / \\')
        for sheet in self.sheets:
            if sheet is not own and fold(name) == fold(sheet.name):
                raise Failure(f'a sheet "{name}" exists already')
            first = sheet.saved.part.sheet
            if sheet is not own and fold(name) == fold(first):
                raise Failure(
                    f'"{sheet.name}" was called "{first}" when the run started, and formulas still use that name. '
                    "Rename it in a second run"
                )

    def resolve(self, name: str, sheet: str) -> str | None:
        """What a defined name, or that of a table, means on a sheet, as a formula; None where it is unknown."""
        on = self.by_name.get(sheet.casefold())
        target = self.names.meaning(name, on.saved.part.number if on is not None else None)
        if target is None:
            for sharing in self.sheets:
                table = next((table for table in sharing.tables() if table.name.casefold() == name.casefold()), None)
                if table is not None:
                    return f"{self.names.quoted(sharing.name)}!{table.area.corners}"
        return target

    def uses_of_name(self, name: str) -> str:
        """Where formulas, rules or other names use a defined name, as a person says it; an empty text for nowhere."""
        word = re.compile(rf"(?<![\w.!]){re.escape(name)}(?![\w.(!\[])", re.IGNORECASE)
        other = self.names.using(word)
        if other:
            return f'the name "{other}"'
        for sheet in self.sheets:
            result = sheet.formulas.uses_of_name(word)
            if result:
                return result
        raw = re.compile(word.pattern.encode(), re.IGNORECASE)
        for part in self.package.members:
            if part.endswith(".xml") and "/charts/" in f"/{part}" and raw.search(self.package.read(part)):
                return "a chart"
        return ""

    def knows_name(self, name: str, sheet: str) -> bool:
        """Whether a formula can use this name: a defined one, or that of a table."""
        if name.upper().startswith("_XL") or self.resolve(name, sheet) is not None:
            return True
        return any(self.names.local(name, sharing.saved.part.number) is not None for sharing in self.sheets)
