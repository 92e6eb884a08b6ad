"""What of one sheet is to be other than it is written: collected from the model when the file is saved."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass, field
from typing import Any

from scrub.formats.opensheets.formulas import open_formula
from scrub.formats.opensheets.projected_sheet import written_target
from scrub.formats.opensheets.sheet_part import TablePart
from scrub.formats.opensheets.writing import STAYS, CellEdit
from scrub.formats.overlay import place_of
from scrub.formats.workbook.sheet import OfficeSheet
from scrub.model.cells.grid import CellError
from scrub.model.core.area import Area
from scrub.model.core.problem import Failure

#: Names styles by the numbers of formats.
StyleName = Callable[[int], str | None]
#: Names the validation that a rule is.
RuleName = Callable[[Any, str], str]


@dataclass
class TableEdits:
    """What changes: single cells, whole ranges, rows, columns; and what is around rows."""

    cells: dict[int, dict[int, CellEdit]] = field(default_factory=dict)
    areas: list[tuple[Area, CellEdit]] = field(default_factory=list)
    rows: Mapping[int, Mapping[str, str | None]] = field(default_factory=dict)
    breaks: dict[bool, dict[int, bool]] = field(default_factory=lambda: {True: {}, False: {}})
    merges_gone: list[Area] = field(default_factory=list)
    merges_new: list[Area] = field(default_factory=list)

    def cell(self, row: int, column: int) -> CellEdit:
        """The edit of a cell."""
        return self.cells.setdefault(row, {}).setdefault(column, CellEdit())

    def __bool__(self) -> bool:
        return bool(
            self.cells or self.areas or self.rows or any(self.breaks.values()) or self.merges_gone or self.merges_new
        )


def edits_of(sheet: OfficeSheet, style_name: StyleName, rule_name: RuleName) -> TableEdits:
    """What the model says of a sheet that is not what its element says."""
    edits = TableEdits()
    saved = sheet.saved
    part, pieces = saved.part, saved.pieces
    assert isinstance(part, TablePart)
    _cells(sheet, edits, style_name)
    _links(sheet, edits)
    _notes(sheet, edits)
    edits.rows = pieces.lines.changed_rows()
    for is_row in (True, False):
        was, now = pieces.breaks.changed(is_row)
        edits.breaks[is_row] = {line + 1: line in now for line in was ^ now}
    first, now_merged = pieces.merges.changed()
    edits.merges_gone = [area for area in first if area not in now_merged]
    edits.merges_new = [area for area in now_merged if area not in first]
    for area, name in _validated(sheet, rule_name):
        edit = CellEdit()
        edit.validation = name
        edits.areas.append((area, edit))
    return edits


def _cells(sheet: OfficeSheet, edits: TableEdits, style_name: StyleName) -> None:
    overlay = sheet.saved.overlay
    for key, value in overlay.values.items():
        edit = edits.cell(*place_of(key))
        edit.value = value
        edit.runs = overlay.runs.get(key)
    for key, formula in overlay.formulas.items():
        row, column = place_of(key)
        edit = edits.cell(row, column)
        if formula is None:
            edit.formula = None
            continue
        try:
            edit.formula = open_formula(formula)
        except Failure as failure:
            raise failure.at(sheet.where(row, column)) from None
        result = overlay.results.get(key)
        edit.value = result if result is not None and not isinstance(result, CellError) else STAYS
    for key, style in overlay.styles.items():
        edits.cell(*place_of(key)).style = style_name(style)


def _links(sheet: OfficeSheet, edits: TableEdits) -> None:
    links, names = sheet.saved.pieces.links, [each.name for each in sheet.file.sheets()]  # type: ignore[attr-defined]
    gone, now = links.changed()
    for area in gone:
        for row, column in _places(area):
            edits.cell(row, column).link = None
    for area, target in now:
        if not area.single and area.height * area.width > 10_000:
            raise Failure(
                f"{sheet.name} {area}: an OpenDocument file keeps links in single cells, and these are too many"
            )
        for row, column in _places(area):
            edits.cell(row, column).link = written_target(target, names)
    if not edits.cells:
        return
    part = sheet.saved.part
    may_link = part.is_new or b"href=" in part.data()  # found much sooner than the links are read
    if not (may_link or links.touched) or not links.any:
        return
    for row, cells in edits.cells.items():
        for column, edit in cells.items():
            if edit.value is not STAYS and edit.link is STAYS and edit.runs is None:
                leads = links.at(row, column)
                if leads is not None and edit.value is not None:
                    edit.link = written_target(leads, names)


def _places(area: Area) -> Iterator[tuple[int, int]]:
    for row in range(area.top, area.bottom + 1):
        for column in range(area.left, area.right + 1):
            yield row, column


def _notes(sheet: OfficeSheet, edits: TableEdits) -> None:
    first, now = sheet.saved.pieces.notes.changed()
    for place in {*first, *now}:
        was, note = first.get(place), now.get(place)
        if was != note:
            edits.cell(*place).comment = note.text if note is not None else None


def _validated(sheet: OfficeSheet, rule_name: RuleName) -> Iterator[tuple[Area, str | None]]:
    first, now = sheet.saved.pieces.validations.changed()
    if first == now:
        return
    for rule in first:
        if rule not in now:
            yield from ((area, None) for area in rule.areas)
    for rule in now:
        if rule not in first:
            name = rule_name(rule, sheet.name)
            yield from ((area, name) for area in rule.areas)
