"""An Office Open XML workbook (ISO/IEC 29500-1, 18.2): the workbook part and its sheets."""

from __future__ import annotations

import os
import re
from collections.abc import Iterator
from functools import cached_property, partial
from typing import TYPE_CHECKING

from scrub.formats.file import PickedFile
from scrub.formats.opc import part_tree, relationships
from scrub.formats.source import Source, opened
from scrub.formats.spans import NotReadable, Span, Splice, escaped, set_attributes, spliced
from scrub.formats.workbook.decode import Decoder
from scrub.formats.workbook.depends import Dependence
from scrub.formats.workbook.elements import all_placed, ended, id_of
from scrub.formats.workbook.embedded import add_part, embedded, part_of
from scrub.formats.workbook.front import reselected
from scrub.formats.workbook.names import Names
from scrub.formats.workbook.parts import Parts
from scrub.formats.workbook.reading import Loaded, SheetReading
from scrub.formats.workbook.sheet import OfficeSheet
from scrub.formats.workbook.strings import SharedStrings
from scrub.formats.workbook.styles import Styles
from scrub.formats.zip import Package
from scrub.model.area import MOST_COLUMNS, MOST_ROWS, Area
from scrub.model.problem import Failure
from scrub.model.values import fold
from scrub.model.workbook import Workbook
from scrub.store.patch import Patch

if TYPE_CHECKING:
    from scrub.model.sheet import Sheet

#: A part of this size in bytes is read in no time.
_QUICKLY_READ = 1 << 20
#: Sheets whose cells are kept read at a time.
_SHEETS_KEPT = 2
_NO_STYLES = (
    b'<?xml version="1.0" encoding="UTF-8" standalone="yes"?>\n'
    b'<styleSheet xmlns="http://schemas.openxmlformats.org/spreadsheetml/2006/main"><fonts count="1"><font>'
    b'<sz val="11"/><name val="Calibri"/></font></fonts>'
    b'<fills count="2"><fill><patternFill patternType="none"/></fill><fill>'
    b'<patternFill patternType="gray125"/></fill></fills><borders count="1"><border/></borders><cellStyleXfs count="1">'
    b'<xf/></cellStyleXfs><cellXfs count="1"><xf xfId="0"/></cellXfs>'
    b'<cellStyles count="1"><cellStyle name="Normal" xfId="0" builtinId="0"/></cellStyles></styleSheet>'
)


class OfficeWorkbook(PickedFile, Workbook):
    """A workbook opened for splicing."""

    def __init__(self, source: Source) -> None:
        super().__init__(source)
        self.package = Package(source)
        self._part = self._find_part()
        self._data, self._root = part_tree(self.package, self._part)
        if self._root.name != "workbook":
            raise self.problem("its main part is not a workbook")
        self._sheets = list(self._read_sheets())
        self._views = self._root.child("bookViews")
        self._to_embed: list[str] = []
        self._named: dict[str, OfficeSheet] = {}
        self._loaded: dict[OfficeSheet, Loaded] = {}
        self.version = 0  # grows with every change of a cell; nothing was changed yet while it is 0
        self.version_back = False  # whether changes were taken back since results of formulas were last asked for
        self.checked_formulas: set[str] = set()
        self.format_numbers: dict[int, int] = {}  # added cell formats with their numbers in the file
        #: Reads cells with the span tree only: for tests, which hold both ways to the same bytes.
        self.parse_slowly = False

    def sheets(self) -> Iterator[OfficeSheet]:
        """Its sheets, in the order of the tabs."""
        return iter(self._sheets)

    @property
    def notes(self) -> list[str]:
        """What a person should know about saving the changes."""
        found = []
        if self.recorder and any(name.startswith("_xmlsignatures/") for name in self.package.members):
            found.append(f"{self.name} carries a digital signature, which no longer holds after a change.")
        if self._recalculates:
            found.append("Formulas will be recalculated when the file is next opened.")
        return found

    # -- what cells share

    @cached_property
    def _targets(self) -> dict[str, str]:
        """The parts that the workbook part leads to, by the last word of their type."""
        related = relationships(self.package, self._part).values()
        return {each.type: each.target for each in related if each.target in self.package.members and each.target}

    @cached_property
    def styles(self) -> Styles:
        """How cells look."""
        part = self._targets.get("styles")
        try:
            return Styles(self.package.read(part) if part else _NO_STYLES, self._theme)
        except (NotReadable, ValueError) as problem:
            raise self.problem(f"its styles: {problem}") from None

    def _theme(self) -> bytes:
        part = self._targets.get("theme")
        return self.package.read(part) if part else b""

    def strings(self) -> SharedStrings:
        """The texts that cells share."""
        return self._strings

    @cached_property
    def _strings(self) -> SharedStrings:
        part = self._targets.get("sharedStrings")
        try:
            return SharedStrings(self.package.read(part) if part else b"<sst/>")
        except NotReadable as problem:
            raise self.problem(f"its shared texts: {problem}") from None

    @cached_property
    def decoder(self) -> Decoder:
        """Reads stored values."""
        properties = self._root.child("workbookPr")
        from_1904 = properties is not None and properties.attributes.get("date1904", "0") in ("1", "true")
        return Decoder(self.styles, self.strings, from_1904)

    # -- results of formulas

    def cells_changed(self, back: bool = False) -> None:
        """Is told of every change of a cell: from the first one on, results of formulas may be old."""
        self.version += 1
        self.version_back = self.version_back or back
        if self.version == 1:
            for sheet in self._sheets:
                for column, values in sheet.live.items():
                    sheet.doubt(values, column)

    @cached_property
    def dependence(self) -> Dependence:
        """Tells which results of formulas still hold."""
        return Dependence(self)

    def first_change(self) -> str:
        """A cell that was changed in this run, as a person names it; an empty text where none is."""
        everywhere = Area(1, 1, MOST_ROWS, MOST_COLUMNS)
        for sheet in self._sheets:
            place = sheet.changed_in(everywhere)
            if place:
                return sheet.where(*place)
        return ""

    @property
    def by_name(self) -> dict[str, OfficeSheet]:
        """The sheets by their names, without regard to case."""
        if len(self._named) != len(self._sheets):
            self._named = {sheet.name.casefold(): sheet for sheet in self._sheets}
        return self._named

    def resolve(self, name: str, sheet: str) -> str | None:
        """What a defined name, or that of a table, stands for on a sheet, as a formula; None where it is unknown."""
        on = self.by_name.get(sheet.casefold())
        target = self.names.local(name, on) if on is not None else None
        target = target if target is not None else self.names.target(name)
        if target is None:
            for each in self._sheets:
                table = next((table for table in each.tables() if table.name.casefold() == name.casefold()), None)
                if table is not None:
                    return f"{self.names.quoted(each.name)}!{table.area.corners}"
        return target

    def uses_of_name(self, name: str) -> str:
        """Where formulas, rules or other names use a defined name, as a person says it; an empty text for nowhere."""
        word = re.compile(rf"(?<![\w.!]){re.escape(name)}(?![\w.(!\[])", re.IGNORECASE)
        other = self.names.using(word)
        if other:
            return f'the name "{other}"'
        for sheet in self._sheets:
            found = sheet.uses_of_name(word)
            if found:
                return found
        raw = re.compile(word.pattern.encode(), re.IGNORECASE)
        for part in self.package.members:
            if part.endswith(".xml") and "/charts/" in f"/{part}" and raw.search(self.package.read(part)):
                return "a chart"
        return ""

    def knows_name(self, name: str, sheet: str) -> bool:
        """Whether a formula can use this name: a defined one, or that of a table."""
        if name.upper().startswith("_XL") or self.resolve(name, sheet) is not None:
            return True
        return any(self.names.local(name, each) is not None for each in self._sheets)

    @cached_property
    def names(self) -> Names:
        """The defined names."""
        return Names(self._data, self._root)

    def loaded(self, sheet: SheetReading) -> Loaded:
        """What was read of a sheet. The one used longest ago is let go: many big ones fill the memory."""
        assert isinstance(sheet, OfficeSheet)
        found = self._loaded.get(sheet)
        if found is None:
            while len(self._loaded) >= _SHEETS_KEPT:
                del self._loaded[next(iter(self._loaded))]
            found = self._loaded[sheet] = Loaded(sheet.read_stored())
        return found

    def named_range(self, name: str) -> tuple[Sheet, Area] | None:
        """The range that has a defined name."""
        found = self.names.area(name)
        return (self.sheet_named(found[0]), found[1]) if found else None

    def new_sheet(self, name: str) -> OfficeSheet:
        """Makes an empty sheet."""
        if self.structure_locked:
            raise Failure(f"{self.name}: the structure of the workbook is protected, so no sheet can be added")
        if not 1 <= len(name) <= 31 or re.search(r"[\[\]:*?/\\\x00-\x1f]", name) or name.strip("'") != name:
            raise Failure(f'"{name}" cannot be the name of a sheet: up to 31 characters, none of [ ] : * ? / \\')
        if any(fold(sheet.name) == fold(name) for sheet in self._sheets):
            raise Failure(f'there is a sheet "{name}" already')
        sheet = OfficeSheet(self, len(self._sheets) + 1, Span("sheet", {"name": name}, 0), None)
        sheet.is_new = True
        self._sheets.append(sheet)

        def revert() -> None:
            self._sheets.remove(sheet)

        sheet.changed("sheet", None, name, revert, "new sheet")
        return sheet

    @property
    def structure_locked(self) -> bool:
        """Whether sheets can be neither hidden nor shown (18.2.29)."""
        lock = self._root.child("workbookProtection")
        return lock is not None and lock.attributes.get("lockStructure", "0") in ("1", "true")

    def _find_part(self) -> str:
        for relationship in relationships(self.package, "").values():
            if relationship.type == "officeDocument" and relationship.target:
                if relationship.target in self.package.members:
                    return relationship.target
                break
        if "mimetype" in self.package.members:
            raise self.problem("this is not an .xlsx workbook, whatever its name says. Save it as .xlsx")
        raise self.problem("its workbook part is missing, so this is not a workbook, or a damaged one")

    def _read_sheets(self) -> Iterator[OfficeSheet]:
        targets = relationships(self.package, self._part)
        sheets = self._root.child("sheets")
        for number, entry in enumerate(sheets.all("sheet") if sheets else (), 1):
            id_ = id_of(entry)
            target = targets[id_].target if id_ in targets else None
            yield OfficeSheet(self, number, entry, target if target in self.package.members else None)

    def patch(self) -> Patch | None:
        """What makes the changed file of the old one, or None when nothing is to be written."""
        if not self.recorder:
            return None
        for sheet in self._sheets:
            sheet.forget_there_and_back()
        self._loaded.clear()  # packing needs the room
        self._number_formats()
        parts = Parts(self.package, self._root)
        splices: list[Splice] = []
        for sheet in self._sheets:
            if sheet.state != sheet.first_state and not sheet.is_new:
                value = None if sheet.state == "visible" else sheet.state
                splices += set_attributes(self._data, sheet.entry, [("state", value)])
        selected = reselected(self._data, self._views, self._sheets, splices)
        for text in self._to_embed:
            self._embed(text, parts)
        splices += self._new_sheets(parts)
        for sheet in self._sheets:
            sheet.put_names()
            if sheet.is_new:
                elements = sheet.elements(parts)
                parts.added[str(sheet.part)] = sheet.make(None, elements)
            elif sheet.part and (sheet.touched or sheet in selected):
                parts.changed[sheet.part] = partial(sheet.make, selected.get(sheet), sheet.elements(parts))
        fresh: dict[str, bytes] = {}
        splices += self._recalculated(parts, fresh)
        if "names" in self.__dict__:
            changed, whole = self.names.splices()
            splices += changed
            if whole:
                fresh["definedNames"] = whole
        splices += all_placed(self._root, fresh)
        if splices:
            parts.changed[self._part] = partial(spliced, self._data, splices)
        self._write_styles(parts)
        parts.finish()
        if not parts.changed and not parts.added and not parts.removed:
            return None
        return self.package.patch(parts.changed, parts.added, parts.removed)

    def _new_sheets(self, parts: Parts) -> list[Splice]:
        """New sheets get a part, and an entry behind the others."""
        fresh = [sheet for sheet in self._sheets if sheet.is_new]
        holder = self._root.child("sheets")
        if not fresh or holder is None:
            return []
        p, entries = holder.prefix, ""
        number = max((int(each.attributes.get("sheetId", "0")) for each in holder.all("sheet")), default=0)
        folder = os.path.dirname(self._part)
        for sheet in fresh:
            number += 1
            sheet.part = parts.free_name(f"{folder}/worksheets/sheet{{}}.xml" if folder else "sheet{}.xml")
            type_ = "application/vnd.openxmlformats-officedocument.spreadsheetml.worksheet+xml"
            parts.add(sheet.part, b"", type_)
            base = "http://schemas.openxmlformats.org/officeDocument/2006/relationships"
            id_ = parts.relate(self._part, f"{base}/worksheet", sheet.part)
            state = "" if sheet.state == "visible" else f' state="{sheet.state}"'
            entries += (
                f'<{p}sheet name="{escaped(sheet.name)}" sheetId="{number}"{state} xmlns:r="{base}" r:id="{id_}"/>'
            )
        return ended(self._data, holder, entries.encode())

    @property
    def _recalculates(self) -> bool:
        """Whether a value or a formula was changed, on which others may depend."""
        if not any(sheet.values or sheet.formulas for sheet in self._sheets):
            return False
        return bool(self._targets.get("calcChain")) or any(map(self._may_calculate, self._sheets))

    def _may_calculate(self, sheet: OfficeSheet) -> bool:
        """Whether a sheet may hold formulas: one that nobody read is looked at where that takes no time."""
        if sheet.has_formulas is None and sheet.part and self.package.members[sheet.part].size < _QUICKLY_READ:
            data = self.package.read(sheet.part)
            sheet.has_formulas = b"<f" in data or b":f" in data
        return bool(sheet.formulas) or (sheet.has_formulas is not False and not sheet.is_new)

    def _recalculated(self, parts: Parts, fresh: dict[str, bytes]) -> list[Splice]:
        """Marks the workbook to be calculated anew when it is next opened (18.2.2); a changed formula makes the old
        order of calculation wrong, so that its part goes (18.6).
        """
        if not self._recalculates:
            return []
        chain = self._targets.get("calcChain")
        if chain and any(sheet.formulas for sheet in self._sheets):
            parts.remove(chain, self._part)
        old = self._root.child("calcPr")
        if old is not None:
            marked = old.attributes.get("fullCalcOnLoad") in ("1", "true")
            return [] if marked else set_attributes(self._data, old, [("fullCalcOnLoad", "1")])
        fresh["calcPr"] = f'<{self._root.prefix}calcPr fullCalcOnLoad="1"/>'.encode()
        return []

    def _number_formats(self) -> None:
        """Numbers the cell formats that were added and are used; those of changes that were taken back are left out."""
        if "styles" in self.__dict__:
            first = self.styles.first_formats
            used = {style for sheet in self._sheets for style in sheet.styles.values() if style >= first}
            self.format_numbers = {style: first + place for place, style in enumerate(sorted(used))}

    def _write_styles(self, parts: Parts) -> None:
        if "styles" not in self.__dict__:
            return
        fresh = self.styles.make(list(self.format_numbers))
        part = self._targets.get("styles")
        if fresh is None:
            return
        if part:
            parts.changed[part] = lambda: fresh
            return
        usual = os.path.join(os.path.dirname(self._part), "styles.xml")  # some readers look for this name only
        name = parts.free_name("xl/styles{}.xml") if usual in self.package.members else usual
        base = "http://schemas.openxmlformats.org/officeDocument/2006/relationships"
        parts.add(name, fresh, "application/vnd.openxmlformats-officedocument.spreadsheetml.styles+xml")
        parts.relate(self._part, f"{base}/styles", name)

    def embedded(self) -> list[str]:
        """The texts of the macros inside it."""
        return [text for _, text in embedded(self.package, self._part)]

    def embed(self, title: str, text: str) -> None:
        """Puts a macro inside; one of the same first line gives way."""
        self._to_embed.append(text)

        def revert() -> None:
            self._to_embed.remove(text)

        self.changed(f"macro {title}", None, title, revert, f'macro "{title}" put inside')

    def _embed(self, text: str, parts: Parts) -> None:
        first = text.lstrip().partition("\n")[0].split()
        for part, other in embedded(self.package, self._part):
            if other.lstrip().partition("\n")[0].split() == first:
                parts.changed[part] = partial(part_of, text)
                return
        add_part(parts, self._part, text)


def open_workbook(path: str) -> OfficeWorkbook:
    """Opens one. Raises `FileProblem`."""
    return opened(path, OfficeWorkbook)
