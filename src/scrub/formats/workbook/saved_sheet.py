"""A sheet as the file has it, and as it is to have it: its entry in the workbook, and its own part as it is written."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping, Sequence

from scrub.formats.line_changes import LineChanges
from scrub.formats.opc.parts import Parts
from scrub.formats.overlay import NOWHERE
from scrub.formats.spans import Span, Splice, parse, pieces_of, set_attributes, spliced
from scrub.formats.workbook.cells.overlay import SheetOverlay
from scrub.formats.workbook.cells.stored_cells import StoredCells
from scrub.formats.workbook.elements import all_placed
from scrub.formats.workbook.formulas.syntax import area_at
from scrub.formats.workbook.part import SheetPart, Skeleton
from scrub.formats.workbook.pieces import Pieces
from scrub.formats.workbook.shared import Shared
from scrub.model.core.area import Area


class SavedSheet:
    """What of one sheet is written when the workbook is saved."""

    def __init__(
        self,
        entry: Span,
        shared: Shared,
        stored: StoredCells,
        overlay: SheetOverlay,
        line_changes: LineChanges,
        pieces: Pieces,
        where: Callable[[int, int], str],
        used: Callable[[], Area | None],
    ) -> None:
        """`entry` is its element in the workbook part; `where` says how a person names a cell, and `used` what is."""
        self.entry = entry
        self.state = self.first_state = entry.attributes.get("state", "visible")
        self.pieces = pieces
        self.lines = line_changes
        self._shared = shared
        self._stored = stored
        self._overlay = overlay
        self._where = where
        self._used = used

    @property
    def part(self) -> SheetPart:
        """Its own part."""
        return self._stored.part

    @property
    def overlay(self) -> SheetOverlay:
        """What was changed in its cells."""
        return self._overlay

    @property
    def touched(self) -> bool:
        """Whether its own part must change."""
        return self._cells_touched or any(piece.touched for piece in self.pieces.every)

    @property
    def _cells_touched(self) -> bool:
        return self._overlay.touched or self.part.is_ordered

    @property
    def rows(self) -> Sequence[int]:
        """The numbers of the rows that the file has of it."""
        return self._stored.loaded().stored.numbers

    def forget_there_and_back(self) -> None:
        """Lets go of what was changed and changed back."""
        self._overlay.forget_there_and_back()
        self._overlay.forget_same_styles(self.stored_style)

    def stored_style(self, row: int, column: int) -> int:
        """The number of the format that a cell had when the file was opened."""
        found = self._stored.style(row, column)
        return self.pieces.lines.inherited_style(row, column) if found is None else found

    def styles_in_use(self) -> Iterator[int]:
        """The numbers of the formats that cells and columns were given."""
        yield from self._overlay.styles.values()
        yield from self.pieces.lines.styles()

    def make(self, selected: bool | None, elements: Mapping[str, bytes]) -> Iterator[bytes | memoryview]:
        """The part as it is to be, piece by piece. `selected` sets whether its tab is selected; None leaves that."""
        part = self.part
        data = part.data()
        skeleton, root = part.skeleton()
        if selected is not None:
            views = root.child("sheetViews")
            old = elements.get("sheetViews") or (skeleton[views.start : views.end] if views else b"")
            if old:
                elements = {**elements, "sheetViews": _selected(old, selected)}
        splices = [part.moved(splice) for splice in all_placed(root, elements)]
        lines = self.pieces.lines
        rows = lines.changed_rows()
        if self._cells_touched or rows:
            from scrub.formats.workbook.cells.write import CellWriter  # only where something was changed

            stored = part.stored(data)
            writer = CellWriter(self._overlay, stored, self._shared, lines.inherited_style, self._where, rows)
            many, others = writer.splices()
            return pieces_of(data, [*splices, *others], many)
        return pieces_of(data, splices)

    def elements(self, parts: Parts) -> dict[str, bytes]:
        """The elements of its part, other than cells, that must change; new parts are added for some."""
        if not self.touched:
            return {}
        skeleton = self.part.skeleton()
        found: dict[str, bytes] = {}
        for piece in self.pieces.every:
            if piece.touched:
                found |= piece.elements(skeleton, parts)
        return found | self._dimension(skeleton)

    def _dimension(self, skeleton: Skeleton) -> dict[str, bytes]:
        """The `dimension` element, where cells were filled outside it."""
        dimension = skeleton.root.child("dimension")
        grown = self._overlay.filled(self.lines) if dimension is not None else None
        if dimension is None or grown is None:
            return {}
        was = dimension.attributes.get("ref", "")
        now = area_at(was) or self._used() or grown
        now = _spanned(_spanned(now, grown.top, grown.left), grown.bottom, grown.right)
        if now.corners == was.replace("$", ""):
            return {}
        return {"dimension": f'<{skeleton.root.prefix}dimension ref="{now.corners}"/>'.encode()}


def _spanned(area: Area, row: int, column: int) -> Area:
    """A range made wide enough for a cell."""
    if area == NOWHERE:
        return Area(row, column, row, column)
    if area.holds(row, column):
        return area
    return Area(min(area.top, row), min(area.left, column), max(area.bottom, row), max(area.right, column))


def _selected(views: bytes, selected: bool) -> bytes:
    """The views of a sheet with its tab selected or not."""
    root = parse(views)
    splices: list[Splice] = []
    for view in root.all("sheetView"):
        is_selected = view.attributes.get("tabSelected", "0") in ("1", "true")
        if is_selected != selected:
            splices += set_attributes(views, view, [("tabSelected", "1" if selected else None)])
    return spliced(views, splices)
