"""Sheets: what every format with sheets offers to a macro."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from decimal import Decimal

from scrub.model.cells.cell import Cell
from scrub.model.cells.cells import Cells, MergedRange, merged_in
from scrub.model.cells.drawings import Chart
from scrub.model.cells.grid import Grid, HoldsCells, TablePlace
from scrub.model.cells.grid_rows import no_rows, sheet_rows, table_rows
from scrub.model.cells.lines import Column, Row, column_in, columns_of, rows_of
from scrub.model.cells.records import Record, Table, sheet_table
from scrub.model.cells.sheet_settings import SheetSettings
from scrub.model.cells.validation import ConditionalFormat, Validation
from scrub.model.comments import CellComment, Comment
from scrub.model.core.area import MOST_COLUMNS, Area, area_of, only_cell
from scrub.model.core.choice import Choice
from scrub.model.core.declare import Reach, action, field, finds, holds, may_lack, part
from scrub.model.core.outline import Outline
from scrub.model.core.problem import Failure, Missing
from scrub.model.core.required import required
from scrub.model.core.values import NewSecret, Secret
from scrub.model.texts.inline import Picture


class SheetPermission(Choice):
    """What stays possible on a protected sheet (ISO/IEC 29500-1, 18.3.1.85), in plain words."""

    SORT = "sort"
    FILTER = "filter"
    PIVOT_TABLES = "pivot-tables"
    INSERT_ROWS = "insert-rows"
    DELETE_ROWS = "delete-rows"
    FORMAT_ROWS = "format-rows"
    INSERT_COLUMNS = "insert-columns"
    DELETE_COLUMNS = "delete-columns"
    FORMAT_COLUMNS = "format-columns"
    FORMAT_CELLS = "format-cells"
    INSERT_LINKS = "insert-links"
    DRAWINGS = "drawings"
    SCENARIOS = "scenarios"


class Selecting(Choice):
    """Which cells can be selected on a protected sheet."""

    ANY_CELL = "any-cell"
    OPEN_CELLS = "open-cells"
    NO_CELL = "no-cell"


class Sheet(SheetSettings, HoldsCells):
    """One sheet of a workbook."""

    kind_word = "sheet"
    is_one_of_its_name = True

    def row_item(self, number: int) -> Row:
        """A row of it."""
        return Row(self, number)

    def column_item(self, number: int) -> Column:
        """A column of it."""
        return Column(self, number)

    @property
    @field
    @required
    def name(self) -> str:
        """The name on the tab. References to the sheet are updated when the file is saved.

        Example: if sheet.name starts with "Draft"
        Also: tab, title, rename sheet, tab name
        """
        raise NotImplementedError

    @name.setter
    @may_lack
    def name(self, value: str) -> None:
        raise NotImplementedError

    @property
    @field
    @required
    def number(self) -> int:
        """The position among the sheets, from 1; hidden sheets count.

        Example: if sheet.number > 1
        Also: position, index, order
        """
        raise NotImplementedError

    @property
    @field
    def active(self) -> bool:
        """Whether the sheet is in front when the file is opened. Setting it to yes activates the sheet.

        Example: sheet.active = yes
        Also: front, first shown, select sheet, activate, open on this sheet
        """
        return True

    @active.setter
    @may_lack
    def active(self, value: bool) -> None:
        raise NotImplementedError

    @action(Reach.CHANGE)
    @may_lack
    def copy(self, name: str) -> Sheet:
        """Copies the sheet to the end, with pictures, charts and comments, and returns the copy. References of the
        sheet to itself refer to the copy there.

        name: the sheet's name, up to 31 characters.
        Example: fresh = copy(name: "Rowan 2027")
        Also: duplicate, duplicate sheet, pattern, template, sheet for each, make a copy
        """
        raise NotImplementedError

    @action(Reach.CHANGE)
    @may_lack
    def move_to(self, place: int) -> None:
        """Moves the sheet to another position. Formulas across several sheets then cover others.

        place: the new position, from 1; hidden sheets count.
        Example: move-to 1
        Also: move sheet, order of tabs, sort sheets, tab position
        """
        raise NotImplementedError

    @action(Reach.CHANGE)
    @may_lack
    def delete(self) -> None:
        """Deletes the sheet and all its contents. If other places refer to the sheet, they are listed and nothing is
        saved.

        Example: delete
        Also: remove sheet, drop tab, delete tab
        """
        raise NotImplementedError

    @property
    @field
    def hidden(self) -> bool:
        """Whether the sheet is hidden. Setting it to no also shows sheets that the program's own menu does not list.

        Example: sheet.hidden = no
        Also: show, unhide, hide, visible, invisible, very hidden
        """
        return False

    @hidden.setter
    @may_lack
    def hidden(self, value: bool) -> None:
        raise NotImplementedError

    @property
    @field
    def range(self) -> str | None:
        """The used range, such as "A1:H15"; nothing for an empty sheet.

        Example: log sheet.range
        Also: used range, last row, last cell, size
        """
        area = self.used()
        return str(area) if area else None

    @action(Reach.CHANGE)
    def add_row(self, values: list[object]) -> None:
        """Writes values to the first row below the used range, from its first column.

        values: the values, from the left; nothing leaves a cell empty.
        Example: add-row ["Larch Hut", 12]
        Also: append, new row, new record, gather, collect
        """
        used = self.used()
        row, left = (used.bottom + 1, used.left) if used else (1, 1)
        self.put_row(row, left, values)

    @part
    def records(self, headings: int | None = None) -> Table:
        """The sheet as a table.

        headings: the row with the headings; default: the first filled row.
        Example: log sheet.records(headings: 3).headings.joined(", ")
        Also: table, header row
        """
        return sheet_table(self, headings) or Table(no_rows(self))

    @property
    @field
    def headings(self) -> list[str]:
        """The headings in the first filled row, from the left; an empty list if there are none.

        Example: if sheet.headings contains "Nights"
        Also: columns, header, fields, has column
        """
        table = self._table()
        return table.headings if table is not None else []

    @holds
    def each_record(self, headings: Iterable[str] = ()) -> Iterable[Record]:
        """Its records, under the headings in its first filled row."""
        table = sheet_table(self)
        return table.each_record(headings) if table is not None else iter(())

    @holds
    def each_table(self) -> Iterator[Table]:
        """Its tables."""
        return (self._table_at(place) for place in self.tables())

    @holds
    def each_row(self) -> Iterator[Row]:
        """Its rows, down to the last used one."""
        return rows_of(self)

    @holds
    def each_column(self) -> Iterator[Column]:
        """Its columns, to the last used one."""
        return columns_of(self)

    @holds
    def each_cell(self) -> Iterator[Cell]:
        """Its cells, as far as they are stored: all that hold a value, a formula or a look of their own."""
        return (Cell(self, row, column) for row, column in self.stored_places())

    @holds
    def each_merged_range(self) -> Iterator[MergedRange]:
        """Its merged ranges."""
        return merged_in(self)

    @holds
    def each_comment(self) -> Iterator[Comment]:
        """Its comments."""
        return (CellComment(self, noted) for noted in self.comments())

    @holds
    def each_validation(self) -> Iterator[Validation]:
        """Its rules about what may be entered into cells."""
        return iter(())

    @holds
    def each_conditional_format(self) -> Iterator[ConditionalFormat]:
        """Its looks that cells get by what is in them."""
        return iter(())

    @holds
    def each_picture(self) -> Iterator[Picture]:
        """Its pictures."""
        return iter(())

    @holds
    def each_chart(self) -> Iterator[Chart]:
        """Its charts."""
        return iter(())

    @finds
    def find_cell(self, address: str | None = None, row: int | None = None, column: object = None) -> Cell:
        """A cell by its address, `cell("C4")`, by its defined name, which may lead to another sheet, or by its place:
        `cell(row: 3, column: 2)`. A column can also be named by its letters or by its heading.
        """
        if address is not None and row is None and column is None:
            sheet, area = self.placed(address)
            return Cell(sheet, *only_cell(area, address))
        if address is not None or row is None or column is None:
            raise Failure('write an address: cell("C4"), or both row and column: cell(row: 3, column: 2)')
        if isinstance(column, str):
            number = column_in(self, column)
        elif isinstance(column, int | Decimal) and column == int(column) and 1 <= column <= MOST_COLUMNS:
            number = int(column)
        else:
            raise Failure(f"a column is a number from 1 to {MOST_COLUMNS:,}, its letters or its heading")
        return Cell(self, area_of(f"{row}:{row}").top, number)

    @finds
    def find_cells(self, address: str) -> Cells:
        """A range by its address, `cells("B2:B40")`, or by its defined name, which may lead to another sheet."""
        return Cells([self.placed(address)])

    @finds
    def find_row(self, number: int) -> Row:
        """A row by its number: `row(3)`."""
        return Row(self, area_of(f"{number}:{number}").top)

    @finds
    def find_column(self, column: str) -> Column:
        """A column by its letters, `column("C")`; or by its heading, `column("Nights")`: then it begins below it."""
        table = self._table()
        if table is not None and table.rows.has(column):
            return table.find_column(column)
        return Column(self, column_in(self, column))

    @finds
    def find_record(self, **wanted: object) -> Record:
        """The first record with these values under these headings: `record(item: "flour")`."""
        table = self._table()
        if table is None:
            raise Missing(f"{self.name} is empty, so it has no records")
        return table.find_record(**wanted)

    def _table(self) -> Table | None:
        """The sheet as a table, kept for further look-ups."""
        if self._known_table is None:
            self._known_table = sheet_table(self)
        return self._known_table

    def _table_at(self, place: TablePlace) -> Table:
        """A table of the workbook, kept with what was read of it."""
        table = self._tables_at.get(place.name)
        if table is None:
            table = self._tables_at[place.name] = Table(table_rows(self, place))
        return table

    def outline(self) -> list[Outline]:
        """What a macro can call by headings here: the sheet as a table, and its own tables."""
        found = []
        table = sheet_table(self, self.heading_row())
        own = list(self.each_table())
        top, used = table.rows.grid()[1].top - 1 if table is not None else 0, self.used()
        if table is not None and used is not None and not self._is_list(used, top):
            if not any(place.area.top == top for place in self.tables()):
                rows = "" if top == used.top else f".records(headings: {top})"
                found.append(Outline(f"each record in sheet{rows}", table.sample()))
        found += [Outline(f'each record in table("{each.label}")', each.sample()) for each in own]
        return [each for each in found if each.fields]

    def _is_list(self, used: Area, top: int) -> bool:
        """Whether it is one column of texts, a list: whether that has a heading nobody can tell."""
        return used.left == used.right and isinstance(self.raw_value(top + 1, used.left), str)

    def heading_row(self) -> int | None:
        """The row that looks like headings: the first of the top ones with several texts and nothing else."""
        used = self.used()
        if used is None or used.left == used.right:
            return None
        for row in range(used.top, min(used.bottom, used.top + 10) + 1):
            values = [self.raw_value(row, column) for column in range(used.left, min(used.right, used.left + 200) + 1)]
            texts = [value for value in values if isinstance(value, str)]
            if len(texts) > 1 and len(texts) == sum(value is not None for value in values):
                return row
        return None

    def row_changed(self, row: int) -> None:
        """Is told of each changed row: the headings may have changed."""
        if self._known_table is not None and row < self._known_table.rows.grid()[1].top:
            self._known_table = None

    def note_headings(self) -> None:
        """Notes what is over the columns while the sheet is at hand, for the list of changes."""
        if not self.heads:
            sheet_rows(self, self.heading_row())

    _known_table: Table | None = None

    def __init__(self) -> None:
        self._tables_at: dict[str, Table] = {}

    def areas(self) -> Iterable[tuple[Grid, Area]]:
        """All that is used."""
        used = self.used()
        return ((self, used),) if used else ()

    @property
    @field
    def password_needed(self) -> bool:
        """Whether unprotecting needs a password.

        Example: if sheet.password-needed
        Also: has password, protected with a password
        """
        return False

    @property
    @field
    def allowed(self) -> list[SheetPermission]:
        """What the protection still allows; an empty list if nothing, or if the sheet is not protected.

        Example: if sheet.allowed contains sort
        Also: permissions, what protection allows
        """
        return []

    @property
    @field
    def selectable(self) -> Selecting:
        """Which cells can be selected while the sheet is protected.

        Example: if sheet.selectable is open-cells
        Also: select locked cells
        """
        return Selecting.ANY_CELL

    @property
    @field
    @required
    def protected(self) -> bool:
        """Whether the sheet is protected: locked cells cannot be changed. `protect` and `unprotect` change this.

        Example: if not sheet.protected
        Also: locked, sealed
        """
        raise NotImplementedError

    @action(Reach.CHANGE)
    @may_lack
    def protect(
        self,
        password: NewSecret | None = None,
        allow: Sequence[SheetPermission] = (),
        select: Selecting = Selecting.ANY_CELL,
    ) -> None:
        """Protects the sheet: locked cells cannot be changed, open cells can. A protected sheet gets new settings only
        if the password is right.

        A sheet that is protected already gets the new settings only if the password opens it.

        password: needed to unprotect again; without one, anyone can unprotect.
        allow: what remains allowed on the protected sheet.
        select: which cells can still be selected.
        Example: protect password: code, allow: [sort, filter]
        Also: lock cells, seal, read only, close, secure
        """
        raise NotImplementedError

    @action(Reach.CHANGE)
    @may_lack
    def unprotect(self, password: Secret | None = None) -> None:
        """Unprotects the sheet. A wrong password is rejected.

        password: the password it was protected with, if any.
        Example: unprotect password: code
        Also: unlock cells, unseal, open, editable
        """
        raise NotImplementedError

    @property
    def label(self) -> str:
        """The sheet's name."""
        return self.name
