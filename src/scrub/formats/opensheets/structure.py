"""Sheets that go, come or change places, and all that refers to rows and sheets: what follows outside the tables."""

from __future__ import annotations

import posixpath
from collections.abc import Callable, Mapping, Sequence
from functools import partial

from scrub.formats.opensheets.formulas import addresses
from scrub.formats.opensheets.moved import moved_attributes
from scrub.formats.opensheets.projected_sheet import FoundFrame
from scrub.formats.opensheets.saved_book import Maker, SavedBook
from scrub.formats.opensheets.sheet_part import TablePart
from scrub.formats.part_tree import part_tree
from scrub.formats.spans import spliced
from scrub.formats.workbook.sheet import OfficeSheet
from scrub.formats.workbook.structure.followed import Followed
from scrub.formats.workbook.structure.moves import names_sheet
from scrub.formats.workbook.structure.tabs import names_one
from scrub.model.core.named import NamedTuple
from scrub.model.core.problem import Failure
from scrub.model.core.values import fold

#: Places that are named in a failure.
_MANY = 8


class Settled(NamedTuple):
    """What follows elsewhere: other parts that change, and what is told."""

    parts: Mapping[str, Callable[[], bytes]]
    notes: Sequence[str]


def settle(saving: SavedBook, tables: Mapping[OfficeSheet, Maker | None]) -> Settled:
    """Lets all that is outside the tables follow. Raises `Failure` where a sheet that goes is needed."""
    gone = [sheet for sheet in saving.every if sheet.removed and not sheet.saved.part.is_new]
    if gone:
        _ensure_unneeded(saving, gone)
    if not saving.moves:
        return Settled({}, [])
    _ensure_movable(saving)
    followed = Followed()
    for sheet, maker in tables.items():
        part = sheet.saved.part
        if maker is not None and isinstance(part, TablePart) and saving.moves.shift(part.sheet) is None:
            data = part.data()
            if any(names_sheet(name).search(data) for name in saving.moves.concerned()) and sheet.name == part.sheet:
                followed.followed.append(sheet.name)
        data = part.data() if part.has_formulas is not False else b""
        if b"INDIRECT(" in data or b"OFFSET(" in data:
            followed.built.append(sheet.name)
    parts = _charts(saving)
    for sheet, maker in tables.items():
        if maker is not None and sheet.saved.part.has_formulas is not False:
            _note_lost(saving, sheet, followed)
    return Settled(parts, followed.notes())


def _note_lost(saving: SavedBook, sheet: OfficeSheet, followed: Followed) -> None:
    """Notes the formulas that refer to what is gone, and those with other lines in a range than before."""
    moves, name = saving.moves, sheet.saved.part.sheet
    for row, column, formula in sheet.formulas.every():
        if sheet.is_cell_gone(row, column):
            continue
        if moves.formula(formula, name).count("#REF!") > formula.count("#REF!"):
            followed.lost.append(sheet.where(row, column))
        elif moves.covers_others(formula, name):
            followed.exchanged.append(sheet.where(row, column))


def _charts(saving: SavedBook) -> dict[str, Callable[[], bytes]]:
    """The charts whose ranges follow."""
    package, moves = saving.projection.real, saving.moves
    patterns = [names_sheet(name) for name in moves.concerned()]
    parts: dict[str, Callable[[], bytes]] = {}
    for name in package.members:
        folder, own = posixpath.split(name)
        if own != "content.xml" or not folder:
            continue
        data, root = part_tree(package, name)
        if any(pattern.search(data) for pattern in patterns):
            splices = moved_attributes(moves, "", data, root)
            if splices:
                parts[name] = partial(spliced, data, splices)
    return parts


def _ensure_movable(saving: SavedBook) -> None:
    """Raises `Failure` for what cannot follow: recorded changes, and tables from elsewhere."""
    frame = saving.projection.frame
    if b"tracked-changes" in frame and any(sheet.line_changes for sheet in saving.kept):
        raise Failure(
            f"{saving.book.name} records changes, which name rows and columns. Accept or reject them in its own program"
        )
    if b"data-pilot-table " in frame:
        patterns = [names_sheet(name) for name in saving.moves.concerned()]
        holder = next((c for c in saving.projection.holder.children if c.name == "data-pilot-tables"), None)
        if holder is not None and any(p.search(frame[holder.start : holder.end]) for p in patterns):
            raise Failure("a pivot table refers to a sheet that changes. Make the change in the workbook's own program")


def _ensure_unneeded(saving: SavedBook, gone: Sequence[OfficeSheet]) -> None:
    names = {fold(sheet.saved.part.sheet) for sheet in gone}
    patterns = [names_sheet(sheet.saved.part.sheet) for sheet in gone]
    uses: list[str] = []
    for sheet in saving.kept:
        part = sheet.saved.part
        assert isinstance(part, TablePart)
        if not any(pattern.search(part.data()) for pattern in patterns) and not sheet.overlay.formulas:
            continue
        for row, column, formula in sheet.formulas.every():
            if names_one(formula, names):
                uses.append(sheet.where(row, column))
                if len(uses) > _MANY:
                    break
        for rule in sheet.each_validation():
            if names_one(rule.source or "", names):
                uses.append(f"a rule on {sheet.name}")
        for highlight in sheet.each_conditional_format():
            if "!" in highlight.condition and names_one(highlight.condition.lstrip("="), names):
                uses.append(f"a rule on {sheet.name}")
        for _, target in part.projected.links() if part.is_of_file else ():
            if fold(target.partition("#")[2].rpartition("!")[0].strip("'")) in names:
                uses.append(f"a link on {sheet.name}")
    for name, local, target in saving.shared.names.every():
        own = saving.every[local] if local is not None and local < len(saving.every) else None
        if (own is None or not own.removed) and names_one(target, names):
            uses.append(f'the name "{name}"')
    package = saving.projection.real
    shown = {frame.target for sheet in saving.kept for frame in _frames(sheet)}
    for member in package.members:
        folder, own_name = posixpath.split(member)
        if own_name == "content.xml" and folder in shown and any(p.search(package.read(member)) for p in patterns):
            _, root = part_tree(package, member)
            every = [text for span in root.inside() for name, text in span.attributes.items() if "address" in name]
            if any(fold(sheet) in names for text in every for sheet, _ in addresses(text)):
                uses.append("a chart")
    if uses:
        uses = list(dict.fromkeys(uses))
        more = f" and {len(uses) - _MANY} more" if len(uses) > _MANY else ""
        called = " and ".join(f'"{sheet.name}"' for sheet in gone)
        raise Failure(f"{called} cannot be deleted: {', '.join(uses[:_MANY])}{more} would lose it. Change those first")


def _frames(sheet: OfficeSheet) -> list[FoundFrame]:
    part = sheet.saved.part
    assert isinstance(part, TablePart)
    return list(part.projected.frames()) if part.is_of_file else []
