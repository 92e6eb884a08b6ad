"""An Office Open XML workbook (ISO/IEC 29500-1, 18.2): the workbook part and its sheets."""

from __future__ import annotations

import os
import posixpath
from collections.abc import Callable, Iterator, Mapping, Sequence
from datetime import datetime
from functools import partial
from itertools import count
from typing import TYPE_CHECKING, ClassVar

from scrub.formats.opc.file import OfficeFile
from scrub.formats.opc.parts import Parts
from scrub.formats.opc.relationships import related_trees, relationships
from scrub.formats.part_tree import part_tree
from scrub.formats.shift import SheetShift
from scrub.formats.source import Source, opened
from scrub.formats.spans import RELATIONSHIPS, Span, Splice, ended, escaped, number_in, set_attributes, spliced
from scrub.formats.workbook.cells.decode import stored_number
from scrub.formats.workbook.cells.stored_cells import Loads
from scrub.formats.workbook.elements import all_placed
from scrub.formats.workbook.embedded import add_part, embedded, part_of
from scrub.formats.workbook.names.named import OfficeName, names_of
from scrub.formats.workbook.part import SheetPart
from scrub.formats.workbook.shared import Shared
from scrub.formats.workbook.sheet import OfficeSheet
from scrub.formats.workbook.structure.front import in_front, reselected
from scrub.formats.xmltext import is_on
from scrub.model.cells.grid import CellError, Grid
from scrub.model.core.area import Area
from scrub.model.core.change import Change
from scrub.model.core.values import Secret, fold, shown
from scrub.model.workbook import Workbook
from scrub.store.patch import Effect, Patch

if TYPE_CHECKING:
    from scrub.formats.workbook.recalculated.recalculation import Place, Recalculation, Touched

#: A part of this size in bytes is read in no time.
_QUICKLY_READ = 1 << 20
#: Columns in which formulas are held against their former results after lines were moved.
_MANY_COLUMNS = 1_000
#: Numbers that are named in a note.
_TOLD = 3


class OfficeWorkbook(OfficeFile, Workbook):
    """A workbook opened for splicing."""

    usual = "an .xlsx"
    #: What its sheets are.
    _sheet_type: ClassVar[type[OfficeSheet]] = OfficeSheet

    def __init__(self, source: Source) -> None:
        super().__init__(source)
        self._data, self._root = part_tree(self.package, self.main)
        if self._root.name != "workbook":
            raise self.problem("its main part is not a workbook")
        self.shared = self._make_shared()
        self._loads = Loads()
        self._sheets = list(self._read_sheets())
        self.shared.sheets = self._sheets
        self._every = list(self._sheets)  # by their place in the file, new ones after them
        self._views = self._root.child("bookViews")
        self.shared.front = in_front(self._views, self._every)
        self.shared.make_sheet = self._make_sheet
        self._to_embed: list[str] = []
        self._told: list[str] = []  # what is told of references
        self._recalculation: Recalculation | None = None

    def _make_shared(self) -> Shared:
        """What its sheets share."""
        return Shared(self, self.package, self.main, self._data, self._root)

    @property
    def parse_slowly(self) -> bool:
        """Whether cells are read with the span tree only: for tests, which hold both ways to the same bytes."""
        return any(sheet.saved.part.parse_slowly for sheet in self._sheets)

    @parse_slowly.setter
    def parse_slowly(self, value: bool) -> None:
        for sheet in self._sheets:
            sheet.saved.part.parse_slowly = value

    def sheets(self) -> Iterator[OfficeSheet]:
        """Its sheets, in the order of the tabs."""
        return iter(self._sheets)

    @property
    def notes(self) -> list[str]:
        """What a person should know about saving the changes."""
        result = [*super().notes, *self._told, *self._read_as_moments()]
        if self._recalculation is not None:
            result += self._recalculation.notes()
        return result

    @property
    def recalculated(self) -> Sequence[Change]:
        """The results of formulas that became others."""
        if self._recalculation is None:
            return ()
        from scrub.formats.workbook.recalculated.told import ToldResults

        return ToldResults(self._recalculation.results, self._recalculation.sheet_name)

    def _read_as_moments(self) -> Iterator[str]:
        """Numbers in cells that are formatted as dates, and what they are read as."""
        every = list(self.shared.moments.items())
        for where, (number, style) in every[:_TOLD]:
            value = self.shared.decoder.typed("n", style, stored_number(number), partial(str, where))
            shown_as = "an error" if isinstance(value, CellError) else shown(value)
            yield f"{where}: {shown(number)} is read as {shown_as}, because of the cell's format."
        if len(every) > _TOLD:
            yield f"{len(every) - _TOLD:,} more numbers are in cells formatted as dates or durations."

    def named_range(self, name: str) -> tuple[Grid, Area] | None:
        """The range that has a defined name."""
        found = self.shared.names.area(name)
        return (self.sheet_named(found[0]), found[1]) if found else None

    def each_defined_name(self) -> Iterator[OfficeName]:
        """Its defined names."""
        return names_of(self.shared, self._sheets[0].formulas.plain) if self._sheets else iter(())

    @property
    def structure_protected(self) -> bool:
        """Whether its sheets can neither come, go, move nor hide."""
        return self.shared.structure_locked

    def protect_structure(self, password: Secret | None = None) -> None:
        """Keeps its sheets from coming, going, moving and hiding."""
        self.shared.structure.lock(self, password)

    def unprotect_structure(self, password: Secret | None = None) -> None:
        """Lifts that."""
        self.shared.structure.unlock(self, password)

    def new_sheet(self, name: str) -> OfficeSheet:
        """Makes an empty sheet."""
        return self._make_sheet(name)

    def _make_sheet(self, name: str, like: OfficeSheet | None = None) -> OfficeSheet:
        self.shared.ensure_sheet_name(name)
        entry = Span("sheet", {"name": name}, 0)
        taken: set[str] = set()
        if like is not None and like.saved.pieces.table_names():
            taken = {fold(name) for name, _, _ in self.shared.names.every()}
            taken |= {fold(name) for each in self._every for name in each.saved.pieces.table_names()}
        copied = (like, taken) if like is not None else None
        sheet = self._sheet_type(self.shared, self._loads, len(self._every) + 1, entry, None, True, copied)
        self._sheets.append(sheet)
        self._every.append(sheet)

        def revert() -> None:
            self._sheets.remove(sheet)
            self._every.remove(sheet)

        sheet.changed("sheet", None, name, revert, f"copy of {like.name}" if like is not None else "new sheet")
        return sheet

    def style_tables(self) -> None:
        """Tables of workbooks have styles."""

    def arrange_rows(self) -> None:
        """Rows can come, go and change places; what keeps those of one sheet is asked of that."""

    def _read_sheets(self) -> Iterator[OfficeSheet]:
        targets = relationships(self.package, self.main)
        sheets = self._root.child("sheets")
        for number, entry in enumerate(sheets.all("sheet") if sheets else (), 1):
            id_ = entry.related
            target = targets[id_].target if id_ in targets else None
            part = target if target in self.package.members else None
            yield self._sheet_type(self.shared, self._loads, number, entry, part)

    def effects(self, into: str | None = None) -> list[Effect]:
        """What saving it comes to, with the pictures that are saved of it."""
        return [*super().effects(into), *self.shared.beside.effects()]

    def patch(self) -> Patch | None:
        """What makes the changed file of the old one, or None when nothing is to be written."""
        if not self.recorder:
            return None
        self.begin_saving()
        self._number_formats()
        parts = Parts(self.package, self._root)
        splices = [splice for sheet in self._sheets for splice in self._entry_splices(sheet)]
        visible = [sheet for sheet in self._sheets if not sheet.hidden]
        front = self.shared.front if isinstance(self.shared.front, OfficeSheet) else None
        selected = reselected(self._data, self._views, self._every, visible, front, splices)
        for text in self._to_embed:
            self._embed(text, parts)
        splices += self._new_sheets(parts)
        drawings = (part for sheet in self._every if not sheet.removed for part in sheet.saved.pieces.drawings.parts)
        self.shared.media.write(parts, posixpath.join(posixpath.dirname(self.main), "media"), drawings)
        self._write_sheets(parts, selected)
        fresh: dict[str, bytes] = {}
        self._forget_order(parts)
        lock = self.shared.structure.element()
        if lock is not None:
            fresh["workbookProtection"] = lock
        changed, whole = self.shared.names.splices()
        splices += changed
        if whole:
            fresh["definedNames"] = whole
        splices += all_placed(self._root, fresh)
        if splices:
            parts.changed[self.main] = partial(spliced, self._data, splices)
        self._write_styles(parts)
        self._write_properties(parts)
        self._settle(parts)
        parts.finish()
        self._recalculate(parts)
        if not parts.changed and not parts.added and not parts.removed:
            return None
        return self.package.patch(parts.changed, parts.added, parts.removed)

    def begin_saving(self) -> None:
        """Numbers the sheets, and lets go of what was changed and changed back."""
        self._every = [sheet for sheet in self._every if not (sheet.saved.part.is_new and sheet.removed)]
        for number, sheet in enumerate(self._every, 1):
            sheet.saved.part.number = number
            sheet.saved.forget_there_and_back()
        self._loads.clear()

    def _entry_splices(self, sheet: OfficeSheet) -> Sequence[Splice]:
        """What makes the entry of a sheet of the file what it is to be."""
        saved = sheet.saved
        said: list[tuple[str, str | None]] = []
        if saved.state != saved.first_state:
            said.append(("state", None if saved.state == "visible" else saved.state))
        if sheet.name != saved.part.sheet:
            said.append(("name", sheet.name))
        return set_attributes(self._data, saved.entry, said) if said and not saved.part.is_new else ()

    def _write_sheets(self, parts: Parts, selected: Mapping[OfficeSheet, bool]) -> None:
        """Writes the part of each sheet that changed or is new; `selected` tells whose tab is to be selected or not."""
        numbers = self._table_numbers()
        for sheet in self._every:
            saved = sheet.saved
            if sheet.removed:
                continue
            saved.pieces.settings.put_names()
            if saved.part.is_new:
                made = b"".join(saved.make(selected.get(sheet, False), saved.elements(parts)))
                like = saved.pieces.copied_from
                if like is not None:
                    from scrub.formats.workbook.structure.copied import Copying  # rarely needed, and slow to import

                    copying = Copying(self.package, parts, like, sheet.name, saved.pieces.copied_tables, numbers)
                    made = copying.sheet(made, str(saved.part.name))
                    self._copy_names(like, sheet)
                parts.added[str(saved.part.name)] = made
            elif saved.part.name and (saved.touched or sheet in selected):
                parts.changed[saved.part.name] = partial(saved.make, selected.get(sheet), saved.elements(parts))

    def _table_numbers(self) -> Iterator[int]:
        """Numbers that no table has (18.5.1.2); they are looked for when one is copied."""
        found = (
            number_in(root.attributes, "id")
            for sheet in self._every
            for _, root in related_trees(self.package, sheet.saved.part.related().values(), "table")
        )
        yield from count(1 + max(found, default=0))

    def _copy_names(self, like: SheetPart, sheet: OfficeSheet) -> None:
        """Gives a copy the names that belong to the first alone: what is printed, its titles, its filter."""
        from scrub.formats.workbook.structure.moves import Moves

        names = self.shared.names
        moves = Moves([like.sheet], {}, {like.sheet: sheet.name}, sheet.saved.pieces.copied_tables)
        for name, target, hidden in names.local_to(like.number):
            if names.local(name, sheet.saved.part.number) is None:
                names.put_local(name, sheet.saved.part.number, moves.formula(target, like.sheet), hidden)

    def _settle(self, parts: Parts) -> None:
        """Lets all that refers to rows and sheets follow them."""
        sheets = [sheet for sheet in self._every if not sheet.removed]
        renamed = {sheet.saved.part.sheet: sheet.name for sheet in sheets if sheet.name != sheet.saved.part.sheet}
        shaped = {sheet.saved.part.sheet: sheet.line_changes.shift() for sheet in sheets if sheet.line_changes}
        if self._sheets == self._every and not renamed and not shaped:
            self._told = []
            return
        from scrub.formats.workbook.structure.moves import Moves  # rarely needed, and slow to import
        from scrub.formats.workbook.structure.structure import Structure

        moves = Moves(
            [sheet.saved.part.sheet for sheet in sheets],
            shaped,
            renamed,
        )
        structure = Structure(self.package, self.main, parts, moves)
        order = [self._every.index(sheet) for sheet in self._sheets]
        gone = [sheet.saved.part for sheet in self._every if sheet.removed]
        kept = [sheet.saved.part for sheet in sheets]
        if gone or any(sheet.line_changes.gone_rows or sheet.line_changes.gone_columns for sheet in sheets):
            structure.forget_texts(gone, kept)
        if gone:
            structure.take_out(gone, kept)
        if moves:
            structure.settle(kept)
        if order != list(range(len(self._every))):
            structure.put_in_order(order)
        self._told = structure.notes

    def _new_sheets(self, parts: Parts) -> list[Splice]:
        """New sheets get a part, and an entry after the others."""
        fresh = [sheet for sheet in self._every if sheet.saved.part.is_new]
        holder = self._root.child("sheets")
        if not fresh or holder is None:
            return []
        p, entries = holder.prefix, ""
        number = max((number_in(span.attributes, "sheetId") for span in holder.all("sheet")), default=0)
        folder = os.path.dirname(self.main)
        for sheet in fresh:
            number += 1
            name = parts.free_name(f"{folder}/worksheets/sheet{{}}.xml" if folder else "sheet{}.xml")
            sheet.saved.part.name = name
            type_ = "application/vnd.openxmlformats-officedocument.spreadsheetml.worksheet+xml"
            parts.add(name, b"", type_)
            id_ = parts.relate(self.main, f"{RELATIONSHIPS}/worksheet", name)
            state = "" if sheet.saved.state == "visible" else f' state="{sheet.saved.state}"'
            related = f'xmlns:r="{RELATIONSHIPS}" r:id="{id_}"'
            entries += f'<{p}sheet name="{escaped(sheet.name)}" sheetId="{number}"{state} {related}/>'
        return ended(self._data, holder, entries.encode())

    @property
    def _recalculates(self) -> bool:
        """Whether a value or a formula was changed, on which others may depend."""
        if any(sheet.removed for sheet in self._every) or self._sheets != self._every:
            return True
        if not any(sheet.stale.changed for sheet in self._sheets):
            return any(sheet.stale.hides_rows for sheet in self._sheets) and any(map(self._sees_hidden, self._sheets))
        return bool(self.shared.targets.get("calcChain")) or any(map(self._may_calculate, self._sheets))

    def _sees_hidden(self, sheet: OfficeSheet) -> bool:
        """Whether a formula of a sheet depends on which rows are hidden."""
        member = self.package.members.get(sheet.saved.part.name or "")
        data = self.package.read(member.name) if member is not None else b""
        return b"SUBTOTAL" in data or b"AGGREGATE" in data

    def _may_calculate(self, sheet: OfficeSheet) -> bool:
        """Whether a sheet may hold formulas: one that nobody read is looked at where that takes no time."""
        part = sheet.saved.part
        member = self.package.members.get(part.name or "")
        if part.has_formulas is None and member is not None and member.size < _QUICKLY_READ:
            data = self.package.read(member.name)
            part.has_formulas = b"<f" in data or b":f" in data
        return sheet.formulas.may_be_there

    def _forget_order(self, parts: Parts) -> None:
        """A changed formula makes the old order of calculation wrong, so that its part goes (18.6)."""
        chain = self.shared.targets.get("calcChain")
        changed = any(sheet.overlay.formulas or sheet.line_changes for sheet in self._sheets)
        if chain and (changed or self._sheets != self._every):
            parts.remove(chain, self.main)

    def _recalculate(self, parts: Parts) -> None:
        """Makes the results right of formulas that the changes reach. Programs are asked to calculate again when the
        file is next opened only where something could not be calculated, or depends on the time (18.2.2).
        """
        self._recalculation = None
        if not self._recalculates:
            return
        from scrub.formats.workbook.recalculated.recalculation import Recalculation  # only where needed

        said = self.shared.calculation
        places = self._places(self._calculated_sheets())
        recalculation = Recalculation(self.package, parts, self.main, places, self.shared.decoder)
        self._run(recalculation)
        if not is_on(said.get("fullCalcOnLoad")) and (recalculation.lost or recalculation.is_volatile):
            self._ask_for_results(parts)

    @staticmethod
    def _first_name(sheet: OfficeSheet) -> str:
        return "" if sheet.saved.part.is_new else sheet.saved.part.sheet

    def _places(self, sheets: Sequence[OfficeSheet]) -> list[Place]:
        """Sheets as they are to be."""
        from scrub.formats.workbook.recalculated.recalculation import Place
        from scrub.formats.workbook.recalculated.values import first_value

        return [
            Place(
                sheet.saved.part,
                sheet.name,
                self._first_name(sheet),
                _before(sheet.line_changes.shift(), sheet.saved.rows) if sheet.line_changes else _same,
                partial(first_value, sheet.overlay, self.shared.decoder),
            )
            for sheet in sheets
        ]

    def _run(self, recalculation: Recalculation) -> None:
        """Calculates again what the changes of the run reach."""
        as_shown = not is_on(self.shared.calculation.get("fullPrecision"), True)
        recalculation.run(
            self._touched(),
            self.shared.is_trusted,
            "the workbook calculates with numbers as they are shown" if as_shown else "",
            datetime.now(),
        )
        self._recalculation = recalculation

    def _calculated_sheets(self) -> list[OfficeSheet]:
        return [sheet for sheet in self._sheets if sheet.saved.part.name]

    def _touched(self) -> Touched:
        """What the run changed."""
        from scrub.formats.workbook.recalculated.recalculation import Touched
        from scrub.formats.workbook.recalculated.touched import touched_in, whole

        sheets = self._calculated_sheets()
        moved = self._sheets != self._every
        names, fresh = self.shared.names.splices()
        if moved:
            return Touched([whole(number) for number in range(len(sheets))], True, True, True, True)
        hidden = any(sheet.stale.hides_rows for sheet in sheets) and any(map(self._sees_hidden, sheets))
        areas = [
            area for number, sheet in enumerate(sheets) for area in touched_in(number, sheet.saved, sheet.stale, hidden)
        ]
        shaped = any(sheet.line_changes for sheet in sheets)
        return Touched(areas, shaped, bool(names or fresh), shaped, hidden)

    def _ask_for_results(self, parts: Parts) -> None:
        """Lets programs calculate the workbook when it is next opened (18.2.2)."""
        from scrub.formats.workbook.recalculated.finished import FinishedPackage

        data, root = part_tree(FinishedPackage(self.package, parts), self.main)
        old = root.child("calcPr")
        if old is not None:
            splices = set_attributes(data, old, [("fullCalcOnLoad", "1")])
        else:
            splices = list(all_placed(root, {"calcPr": f'<{root.prefix}calcPr fullCalcOnLoad="1"/>'.encode()}))
        parts.changed[self.main] = partial(spliced, data, splices)

    def _number_formats(self) -> None:
        """Numbers the cell formats that were added and are used; those of changes that were undone are left out."""
        if self.shared.has_styles:
            first = self.shared.styles.first_formats
            used = {style for sheet in self._sheets for style in sheet.saved.styles_in_use() if style >= first}
            self.shared.format_numbers = {style: first + place for place, style in enumerate(sorted(used))}

    def _write_styles(self, parts: Parts) -> None:
        if not self.shared.has_styles:
            return
        fresh = self.shared.styles.make(list(self.shared.format_numbers))
        part = self.shared.targets.get("styles")
        if fresh is None:
            return
        if part:
            parts.changed[part] = lambda: fresh
            return
        usual = os.path.join(os.path.dirname(self.main), "styles.xml")  # some readers look for this name only
        name = parts.free_name("xl/styles{}.xml") if usual in self.package.members else usual
        parts.add(name, fresh, "application/vnd.openxmlformats-officedocument.spreadsheetml.styles+xml")
        parts.relate(self.main, f"{RELATIONSHIPS}/styles", name)

    def embedded(self) -> list[str]:
        """The texts of the macros inside it."""
        return [text for _, text in embedded(self.package, self.main)]

    def embed(self, title: str, text: str) -> None:
        """Puts a macro inside; one of the same first line gives way."""
        self._to_embed.append(text)

        def revert() -> None:
            self._to_embed.remove(text)

        self.changed(f"macro {title}", None, title, revert, f'macro "{title}" embedded')

    def _embed(self, text: str, parts: Parts) -> None:
        first = text.lstrip().partition("\n")[0].split()
        for part, other in embedded(self.package, self.main):
            if other.lstrip().partition("\n")[0].split() == first:
                parts.changed[part] = partial(part_of, text)
                return
        add_part(parts, self.main, text)


def _same(row: int, column: int) -> tuple[int, int] | None:
    return row, column


def _before(shift: SheetShift, rows: Sequence[int]) -> Callable[[int, int], tuple[int, int] | None]:
    """Where cells were in the file that are in a place now; `rows` are the stored ones."""
    lines = {place: row for row in rows if (place := shift.rows.place(row))}
    columns = {place: column for column in range(1, _MANY_COLUMNS) if (place := shift.columns.place(column))}

    def before(row: int, column: int) -> tuple[int, int] | None:
        was = lines.get(row), columns.get(column)
        return (was[0], was[1]) if was[0] is not None and was[1] is not None else None

    return before


def open_workbook(path: str) -> OfficeWorkbook:
    """Opens one. Raises `FileProblem`."""
    return opened(path, OfficeWorkbook)
