"""A sheet of an Office Open XML workbook: its cells, and the pieces that depend on them, each writing itself."""

from __future__ import annotations

import re
from collections.abc import Callable, Collection, Iterable, Iterator, Mapping, Sequence
from itertools import count
from typing import Any

from scrub.formats.opc.parts import Parts
from scrub.formats.sheet import line_name, spanned
from scrub.formats.spans import Span, Splice, parse, pieces_of, set_attributes, spliced
from scrub.formats.texts.styles import style_named
from scrub.formats.workbook.breaks import Breaks
from scrub.formats.workbook.cells import SheetCells
from scrub.formats.workbook.comments import Notes
from scrub.formats.workbook.conditional import ConditionalFormats
from scrub.formats.workbook.drawings import DrawingPart, Drawings, OfficeChart, OfficePicture
from scrub.formats.workbook.elements import all_placed
from scrub.formats.workbook.formulas import area_at
from scrub.formats.workbook.lines import Lines
from scrub.formats.workbook.links import Links
from scrub.formats.workbook.merges import Merges
from scrub.formats.workbook.part import SheetPart, Skeleton, Written
from scrub.formats.workbook.protection import Protection, ensure_unprotected
from scrub.formats.workbook.reading import Loads
from scrub.formats.workbook.settings import Settings
from scrub.formats.workbook.shared import Shared
from scrub.formats.workbook.tables import Tables
from scrub.formats.workbook.validations import Validations
from scrub.formats.workbook.write import CellWriter
from scrub.model.area import MOST_COLUMNS, Area
from scrub.model.change import Change
from scrub.model.declare import FileItem
from scrub.model.grid import Grid, Noted, TablePlace
from scrub.model.problem import Failure
from scrub.model.sheet import Selecting, SheetPermission
from scrub.model.validation import ConditionalFormat, Emphasis, Restriction, Validation, When
from scrub.model.values import Secret, fold


class OfficeSheet(SheetCells):
    """One sheet: its entry in the workbook part, and its own part, read only when needed."""

    def __init__(self, shared: Shared, loads: Loads, number: int, entry: Span, part: str | None) -> None:
        name = entry.attributes.get("name", "")
        super().__init__(shared, SheetPart(shared.package, part, name), loads)
        self._number = number
        self.entry = entry
        self.is_deleted = False
        self.copied_from: OfficeSheet | None = None
        self.state = self.first_state = entry.attributes.get("state", "visible")
        self._tables = Tables(self.part)
        self._protection = Protection(self, self.part, self.locks_changed)
        self._merges = Merges(self, self.part, self.merges_changed)
        self.settings = Settings(self, self.part, shared, lambda: self._number)
        self._lines = Lines(self, self.part, lambda: self.load().stored, shared.format_numbers_of)
        self._breaks = Breaks(self, self.part)
        self._validations = Validations(self, self.part, shared, self.plain_formula)
        self._conditional = ConditionalFormats(self, self.part, shared, self.plain_formula)
        self._links = Links(self, self.part)
        self._notes = Notes(self, self.part)
        self._drawings = Drawings(self, self.part, shared)
        #: What depends on the cells, in the order in which it is written.
        self.pieces: tuple[Written, ...] = (
            self.settings, self._protection, self._lines, self._merges, self._conditional, self._validations,
            self._breaks, self._links, self._notes, self._tables, self._drawings,
        )  # fmt: skip

    @property
    def file(self) -> FileItem:
        """The workbook."""
        return self.shared.file

    @property
    def name(self) -> str:
        """The name on its tab."""
        return self._name

    @name.setter
    def name(self, value: str) -> None:
        """Gives it another name; what refers to it follows when the file is saved."""
        before = self._name
        if value == before:
            return
        self.shared.ensure_sheet_name(value, self)

        def set_to(name: str) -> None:
            self._name = self.part.shown = name
            self.shared.forget_sheet_names()

        set_to(value)
        self.file.recorder.add(Change((before,), "name", before, value), lambda: set_to(before), self)

    @property
    def number(self) -> int:
        """Its place among the sheets, from 1."""
        return self._number if self.is_deleted else self.shared.sheets.index(self) + 1

    @property
    def first_number(self) -> int:
        """Its place in the file, from 1; one made in this run is after the others."""
        return self._number

    def count_as(self, number: int) -> None:
        """Is told its place among the sheets of the file, when it is written for the first time."""
        self._number = number

    @property
    def removed(self) -> bool:
        """Whether it was deleted in this run."""
        return self.is_deleted

    @property
    def is_new(self) -> bool:
        """Whether it was made in this run."""
        return self.part.is_new

    # -- its tab

    @property
    def hidden(self) -> bool:
        """Whether its tab is not shown."""
        return self.state != "visible"

    @hidden.setter
    def hidden(self, value: bool) -> None:
        if value == self.hidden:
            return
        self.shared.ensure_structure_open(f'"{self.name}" cannot be hidden or shown')
        if value and not any(sheet is not self and not sheet.hidden for sheet in self.shared.sheets):
            raise Failure(
                f'"{self.name}" is the last visible sheet, and a workbook needs one. Show another sheet first'
            )
        before = self.state
        self.state = "hidden" if value else "visible"

        def revert() -> None:
            self.state = before

        self.changed("hidden", not value, value, revert)

    @property
    def active(self) -> bool:
        """Whether it is before when the file is opened."""
        return self.shared.front is self

    @active.setter
    def active(self, value: bool) -> None:
        if value == self.active:
            return
        if not value:
            raise Failure("one sheet is always active. Activate another one: active = yes")
        if self.hidden:
            raise Failure(f'"{self.name}" is hidden and cannot be active. Show it first: sheet.hidden = no')
        before = self.shared.front
        self.shared.front = self

        def revert() -> None:
            self.shared.front = before

        self.changed("in front", False, True, revert)

    def move_to(self, place: int) -> None:
        """Gives its tab another place."""
        sheets = self.shared.tabs()
        if not 1 <= place <= len(sheets):
            raise Failure(f"position {place} is out of range: there are {len(sheets)} sheets")
        before = self.number
        if place != before:
            self.shared.ensure_structure_open(f'"{self.name}" cannot be moved')
            sheets.insert(place - 1, sheets.pop(before - 1))
            self.changed("place", before, place, lambda: sheets.insert(before - 1, sheets.pop(sheets.index(self))))

    def delete(self) -> None:
        """Takes the sheet out; whether others refer to it is looked up when the file is saved."""
        self.shared.ensure_structure_open(f'"{self.name}" cannot be deleted')
        sheets = self.shared.tabs()
        if not any(sheet is not self and not sheet.hidden for sheet in sheets):
            raise Failure(
                f'"{self.name}" is the last visible sheet, and a workbook needs one. Show another sheet first'
            )
        place = sheets.index(self)
        used, front = self.used() if self.part.name else None, self.shared.front
        sheets.remove(self)
        self.is_deleted = True
        self.shared.forget_sheet_names()

        def revert() -> None:
            self.is_deleted = False
            sheets.insert(place, self)
            self.shared.front = front
            self.shared.forget_sheet_names()

        self.changed("deleted", False, True, revert, f"sheet deleted{f' ({used})' if used else ''}")

    def copy(self, name: str) -> OfficeSheet:
        """Makes a sheet like this one, as it is in the file, after the last one."""
        if self.touched or self.shaped or self.is_new or self.part.name is None:
            raise Failure(f'"{self.name}" was added or changed in this run. Copy it before changing it')
        if self.part.skeleton().root.name != "worksheet":
            raise Failure(f'"{self.name}" is a chart sheet, which Scrub does not copy')
        from scrub.formats.workbook.copied import ensure_copied  # rarely needed, and slow to import

        try:
            ensure_copied(self.shared.package, self.part.name)
        except Failure as failure:
            raise failure.at(self.name) from None
        made: OfficeSheet = self.shared.make_sheet(name, self)
        return made

    # -- protection

    @property
    def protected(self) -> bool:
        """Whether its locked cells cannot be changed."""
        return self._protection.on

    @property
    def password_needed(self) -> bool:
        """Whether a password opens it."""
        return self._protection.on and self._protection.has_password

    @property
    def allowed(self) -> list[SheetPermission]:
        """What stays possible."""
        return self._protection.allowed() if self._protection.on else []

    @property
    def selectable(self) -> Selecting:
        """Which cells can be selected."""
        return self._protection.selectable() if self._protection.on else Selecting.ANY_CELL

    def protect(
        self,
        password: Secret | None = None,
        allow: Sequence[SheetPermission] = (),
        select: Selecting = Selecting.ANY_CELL,
    ) -> None:
        """Stops changes to the locked cells."""
        self._protection.protect(password, allow, select)

    def unprotect(self, password: Secret | None = None) -> None:
        """Lifts the protection."""
        self._protection.unprotect(password)

    def is_free(self) -> bool:
        """Whether nothing on the sheet keeps a cell from being changed."""
        if self._free is None and self.part.skeleton().root.name != "worksheet":
            raise Failure(f'"{self.name}" is a chart sheet and has no cells')
        return super().is_free()

    # -- what depends on its cells

    def setting(self, word: str) -> Any:
        """What is set for the sheet as a whole."""
        return self.settings.get(word)

    def put_setting(self, word: str, value: Any) -> None:
        """Sets it."""
        self.settings.put(word, value)

    def measure(self, line: int, is_row: bool, word: str) -> Any:
        """Width, height, level, or whether a row or column is hidden or ends a page."""
        if word == "page-break":
            return self._breaks.has(line, is_row)
        return self._lines.measure(line, is_row, word)

    def put_measure(self, line: int, is_row: bool, word: str, value: Any) -> None:
        """Changes it."""
        if word == "page-break":
            self._breaks.put(line, is_row, value)
        else:
            self._lines.put_measure(line, is_row, word, value)
            if is_row and word == "hidden":
                self.shared.cells_changed()

    @property
    def hides_rows(self) -> bool:
        """Whether rows were hidden or shown in this run."""
        return bool(self._lines.hidden_rows())

    def hidden_in(self, area: Area) -> int:
        """A row of a range that was hidden or shown in this run; 0 for none."""
        return next((row for row in self._lines.hidden_rows() if area.top <= row <= area.bottom), 0)

    def ensure_line_moves(self, line: int, is_row: bool) -> None:
        """Raises `Failure` for a line that can neither go nor change its place, or at which none can come."""
        if self.part.skeleton().root.name != "worksheet":
            raise Failure(f'"{self.name}" is a chart sheet and has no cells')
        super().ensure_line_moves(line, is_row)

    def ensure_whole_after(self, is_row: bool) -> None:
        """Raises `Failure` where lines were moved out of a merged range, or into one before its first."""
        shift = self.lines(is_row).shift()
        for area in self.merged():
            first, last = (area.top, area.bottom) if is_row else (area.left, area.right)
            span = shift.span(first, last) if first < last else None
            if span is None:
                continue
            if span[1] - span[0] < last - first or shift.place(first) != span[0]:
                raise Failure(f"{self.name} {area} is merged and would be split. Unmerge it first: unmerge")
            for line in self.lines(is_row).moved_into(first, last) if span[1] - span[0] > last - first else ():
                self._ensure_nothing_hidden(area, line, is_row)

    def _ensure_nothing_hidden(self, area: Area, line: int, is_row: bool) -> None:
        """Raises `Failure` where a line comes into a merged range with a value or a merged range of its own."""
        across = Area(line, area.left, line, area.right) if is_row else Area(area.top, line, area.bottom, line)
        other = next((each for each in self.merged() if each != area and each.meets(across)), None)
        if other is not None:
            raise Failure(f"{self.name} {other} would overlap the merged range {area}. Unmerge one of them first")
        for row in range(across.top, across.bottom + 1):
            for column in range(across.left, across.right + 1):
                if self.raw_value(row, column) is not None:
                    raise Failure(
                        f"{self.where(row, column)} would be hidden inside the merged range {area}. Unmerge it first, "
                        "or empty the cell"
                    )

    def delete_row(self, row: int) -> None:
        """Deletes a row; what a merged range shows stays when its first row is deleted."""
        self.ensure_row_goes(row)
        self._keep_shown(row, True)
        super().delete_row(row)

    def delete_column(self, column: int) -> None:
        """Deletes a column; what a merged range shows stays when its first column is deleted."""
        self.ensure_line_moves(column, False)
        self._keep_shown(column, False)
        super().delete_column(column)

    def _keep_shown(self, line: int, is_row: bool) -> None:
        """Moves the content of each merged range that begins at a line to the next one."""
        for area in self.merged():
            if not (area.top <= line <= area.bottom if is_row else area.left <= line <= area.right):
                continue
            row, column = self.shown_cell(area)
            lines, last = (self.rows, area.bottom) if is_row else (self.columns, area.right)
            following = lines.first_kept(line + 1, last)
            if (row if is_row else column) == line and following:
                self.move_content((row, column), (following, column) if is_row else (row, following))

    def look_like_line(self, fresh: int, line: int, is_row: bool) -> Callable[[], None]:
        """Gives a new line the looks of another one; returns how to undo it."""
        stored = self.load().stored
        found: dict[int, int] = {}
        index = stored.index(line) if is_row else 0
        for cell in (stored.cells(index) if index >= 0 else ()) if is_row else stored.column(line):
            found[cell.column if is_row else cell.row] = cell.style
        for key, style in self.styles.items():
            row, column = self.place(key)
            if (row if is_row else column) == line:
                found[column if is_row else row] = style
        keys = {
            (self.key(fresh, other) if is_row else self.key(other, fresh)): style
            for other, style in found.items()
            if style
        }
        self.styles.update(keys)
        unlike = self._lines.make_like(fresh, line, is_row)

        def revert() -> None:
            unlike()
            for key in keys:
                self.styles.pop(key, None)

        return revert

    def styles_in_use(self) -> Iterator[int]:
        """The numbers of the formats that cells and columns were given."""
        yield from self.styles.values()
        yield from self._lines.styles()

    def put_column_look(self, column: int, word: str, value: Any) -> None:
        """Changes how cells of a column look that are not filled yet: its own format (18.3.1.13)."""
        if column > MOST_COLUMNS or self.is_column_gone(column):
            return
        before = self._lines.column_style(column)
        seen = self.shared.styles.look(before, word)
        fresh = self.derived_style(before, word, value)
        if fresh is None:
            return
        back = self._lines.put_column_style(column, fresh)
        self.note(word, seen, value, back, line_name(column, False))

    def inherited_style(self, row: int, column: int) -> int:
        """The format that a new cell gets from its row or column."""
        return self._lines.inherited_style(row, column)

    def merged(self) -> Collection[Area]:
        """The merged ranges."""
        return self._merges.areas

    def merge(self, area: Area) -> None:
        """Merges a range."""
        self._merges.merge(area)

    def unmerge(self, area: Area) -> None:
        """Takes a merge apart."""
        self._merges.unmerge(area)

    def restriction(self, row: int, column: int) -> Restriction | None:
        """What may be entered into a cell."""
        return self._validations.at(row, column)

    def put_restriction(self, area: Area, restriction: Restriction | None) -> None:
        """Sets what may be entered into the cells of a range."""
        self._validations.put(area, restriction)

    def each_validation(self) -> Iterator[Validation]:
        """Its rules about what may be entered into cells."""
        return self._validations.every()

    def each_conditional_format(self) -> Iterator[ConditionalFormat]:
        """Its looks that cells get by what is in them."""
        return self._conditional.every()

    def add_conditional_format(self, area: Area, when: When, emphasis: Emphasis) -> None:
        """Lets those cells of a range standout that fulfil a condition."""
        self._conditional.add(area, when, emphasis)

    def add_colour_scale(self, area: Area, colours: Sequence[str]) -> None:
        """Gives the cells of a range colours by their numbers."""
        self._conditional.add_scale(area, colours)

    def clear_conditional_formats(self, area: Area) -> None:
        """Takes all conditional formats away from the cells of a range."""
        self._conditional.clear(area)

    def each_picture(self) -> Iterator[OfficePicture]:
        """Its pictures."""
        return self._drawings.pictures()

    @property
    def drawing_parts(self) -> Iterable[DrawingPart]:
        """The parts with pictures that somebody asked about."""
        return self._drawings.parts

    def each_chart(self) -> Iterator[OfficeChart]:
        """Its charts."""
        return self._drawings.charts()

    def has_links(self) -> bool:
        """Whether a click on any cell leads anywhere."""
        return self._links.any

    def link(self, row: int, column: int) -> str | None:
        """Where a click on a cell leads."""
        return self._links.at(row, column)

    def _ensure_no_copy(self, what: str) -> None:
        if self.copied_from is not None:
            raise Failure(f"{self.name} was copied in this run. Change its {what} in a second run")

    def put_link(self, area: Area, target: str | None) -> None:
        """Sets where a click on the cells of a range leads."""
        self._ensure_no_copy("links")
        self._links.put(area, target, self.ensure_open)

    def comments(self) -> Iterator[Noted]:
        """Its comments, in reading order."""
        return self._notes.noted()

    def comment_text(self, row: int, column: int) -> str | None:
        """What the comment of a cell says."""
        return self._notes.text(row, column)

    def put_comment(self, row: int, column: int, text: str | None) -> None:
        """Writes a comment, or removes it."""
        if text != self._notes.text(row, column):
            self._ensure_no_copy("comments")
            self.ensure_open(row, column)
            self._notes.put(row, column, text)

    def tables(self) -> Iterator[TablePlace]:
        """Its tables."""
        return iter(self._tables.places())

    def grow_table(self, name: str, heading: str | None, back: Callable[[], None]) -> None:
        """Makes a table a row longer, or a column wider."""
        self._ensure_no_copy("tables")
        shrink = self._tables.grow(name, heading)
        self.locks_changed()

        def revert() -> None:
            shrink()
            self.locks_changed()
            back()

        place = next(each for each in self.tables() if each.name == name)
        now = place.bottom - place.area.top if heading is None else place.area.right - place.area.left + 1
        self.changed(f"{'rows' if heading is None else 'columns'} in {name}", now - 1, now, revert)

    def begin_as(self, like: OfficeSheet, taken: set[str]) -> None:
        """Makes it a copy of another sheet as that is in the file; `taken` are the names that no table can get."""
        self.copied_from, self.part.base = like, like.part.data()
        self._notes, self._links = Notes(self, like.part), Links(self, like.part)  # to be read, and not changed
        self._tables.copy(like._tables, {name: _free(name, taken) for name in like.table_names()})

    def table_names(self) -> Sequence[str]:
        """What its tables are called."""
        return self._tables.names() if self.part.name is not None or self.is_new else ()

    @property
    def copied_tables(self) -> Mapping[str, str]:
        """The names of tables that are copies, by those of the first."""
        return self._tables.copied

    def table_style(self, name: str) -> str | None:
        """The style of a table."""
        return self._tables.style(name)

    def put_table_style(self, name: str, style: str | None) -> Callable[[], None]:
        """Gives a table another style."""
        ensure_unprotected(self)
        self._ensure_no_copy("tables")
        known = self.shared.styles.table_styles()
        return self._tables.put_style(name, None if style is None else style_named(style, known, "table style"))

    def look_like(self, row: int, column: int, other_row: int) -> None:
        """Gives a cell the look of another one of its column."""
        style = self.style(other_row, column)
        if style != self.style(row, column):
            self.note(
                "look",
                None,
                f"as in row {other_row}",
                self.put_style(row, column, style),
                Area(row, column, row, column),
            )

    # -- names

    def named_range(self, name: str) -> tuple[Grid, Area] | None:
        """The range that has a defined name in the workbook."""
        found = self.shared.names.area(name)
        return (self.shared.grid_named(found[0]), found[1]) if found else None

    def range_name(self, area: Area) -> str | None:
        """The defined name of just this range."""
        names = self.shared.names
        return names.name_of(self.first_name, area) or names.name_of(self.name, area)

    def put_range_name(self, area: Area, name: str | None) -> None:
        """Gives a range a name, or takes its name away."""
        names = self.shared.names
        before = self.range_name(area)
        if before == name:
            return
        if name is not None:
            names.ensure_fit(name)
        if name is not None and names.known(name) and (before is None or name.casefold() != before.casefold()):
            raise Failure(f'the name "{name}" exists already')
        used = self.shared.uses_of_name(before) if before is not None else ""
        if used:
            raise Failure(
                f'the name "{before}" is used in {used}, which would lose {self.name} {area}. Change those first in '
                "the workbook's own program"
            )
        target = f"{names.quoted(self.name)}!{names.absolute(area)}"

        def set_to(old: str | None, fresh: str | None) -> None:
            if old is not None:
                names.put(old, None)
            if fresh is not None:
                names.put(fresh, target)

        set_to(before, name)
        self.note("name", before, name, lambda: set_to(name, before), area)

    def uses_of_name(self, word: re.Pattern[str]) -> str:
        """Where this sheet uses a word in a formula or a rule; an empty text for nowhere."""
        if self.part.name is None and not self.is_new:
            return ""
        raw = re.compile(word.pattern.encode(), re.IGNORECASE)
        if self.has_formulas is not False or self.formulas:
            for cell in self.load().stored.all_cells():
                key = self.key(cell.row, cell.column)
                formula = self.formulas.get(key, cell.formula.text if cell.formula is not None else None)
                if formula and word.search(formula):
                    return self.where(cell.row, cell.column)
            for key, formula in self.formulas.items():
                if formula and word.search(formula):
                    return self.where(*self.place(key))
        skeleton, root = self.part.skeleton()
        for name in ("conditionalFormatting", "dataValidations", "hyperlinks"):
            for span in root.all(name):
                if raw.search(skeleton, span.start, span.end):
                    return f"a rule of {self.name}" if name != "hyperlinks" else f"a link of {self.name}"
        return ""

    # -- writing

    @property
    def touched(self) -> bool:
        """Whether its own part must change."""
        return self.cells_touched or any(piece.touched for piece in self.pieces)

    def make(self, selected: bool | None, elements: Mapping[str, bytes]) -> Iterator[bytes | memoryview]:
        """The part as it is to be, piece by piece. `selected` sets whether its tab is selected; None leaves that."""
        data = self.part.data()
        skeleton, root = self.part.skeleton()
        if selected is not None:
            views = root.child("sheetViews")
            old = elements.get("sheetViews") or (skeleton[views.start : views.end] if views else b"")
            if old:
                elements = {**elements, "sheetViews": _selected(old, selected)}
        splices = [self.part.moved(each) for each in all_placed(root, elements)]
        rows = self._lines.changed_rows()
        if self.cells_touched or rows:
            splices += CellWriter(self, self.part.stored(data), rows).splices()
        return pieces_of(data, splices)

    def elements(self, parts: Parts) -> dict[str, bytes]:
        """The elements of its part, other than cells, that must change; new parts are added for some."""
        if not self.touched:
            return {}
        skeleton = self.part.skeleton()
        found: dict[str, bytes] = {}
        for piece in self.pieces:
            if piece.touched:
                found |= piece.elements(skeleton, parts)
        return found | self._dimension(skeleton)

    def _dimension(self, skeleton: Skeleton) -> dict[str, bytes]:
        """The `dimension` element, where cells were filled outside it."""
        dimension = skeleton.root.child("dimension")
        grown = self.filled() if dimension is not None else None
        if dimension is None or grown is None:
            return {}
        was = dimension.attributes.get("ref", "")
        now = area_at(was) or self.used() or grown
        now = spanned(spanned(now, grown.top, grown.left), grown.bottom, grown.right)
        if now.corners == was.replace("$", ""):
            return {}
        return {"dimension": f'<{skeleton.root.prefix}dimension ref="{now.corners}"/>'.encode()}


def _selected(views: bytes, selected: bool) -> bytes:
    """The views of a sheet with its tab selected or not."""
    root = parse(views)
    splices: list[Splice] = []
    for view in root.all("sheetView"):
        is_selected = view.attributes.get("tabSelected", "0") in ("1", "true")
        if is_selected != selected:
            splices += set_attributes(views, view, [("tabSelected", "1" if selected else None)])
    return spliced(views, splices)


def _free(name: str, taken: set[str]) -> str:
    """A name like another one that nothing has yet; with a line, it looks like no cell."""
    found = next(each for number in count(2) if fold(each := f"{name}_{number}") not in taken)
    taken.add(fold(found))
    return found
