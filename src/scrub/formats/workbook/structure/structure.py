"""The shape of a workbook when it is saved: lines that go, come or change places and sheets that are renamed, with all
that refers to them.

Everything else was written before as if nothing moved; here the finished parts are gone through once more.
"""

from __future__ import annotations

import re
from collections.abc import Iterator, Sequence

from scrub.formats.opc.parts import Parts
from scrub.formats.opc.relationships import relationships
from scrub.formats.packing import whole_part
from scrub.formats.spans import NotReadable, Span, parse, set_attributes, spliced
from scrub.formats.workbook.cells.unused_texts import sees_texts, texts_in, texts_staying, without_texts
from scrub.formats.workbook.formulas.syntax import area_at
from scrub.formats.workbook.part import SheetPart, of_whole, without_cells
from scrub.formats.workbook.structure.followed import Followed
from scrub.formats.workbook.structure.moved_cells import CellMoves, extent, sees_formulas
from scrub.formats.workbook.structure.moves import Moves, names_sheet
from scrub.formats.workbook.structure.places import changes
from scrub.formats.workbook.structure.tabs import cells_naming, only_of, places_naming, reordered, without_titles
from scrub.formats.zip import Package
from scrub.model.core.area import Area
from scrub.model.core.problem import Failure
from scrub.model.core.values import fold

#: Parts that belong to one sheet and name its cells, and parts that name cells of any sheet, by their relationship.
_OF_SHEET = frozenset(
    "table comments threadedComment vmlDrawing drawing pivotTable tableSingleCells ctrlProp legacyDrawing".split()
)
_ANYWHERE = frozenset("chart chartEx pivotCacheDefinition chartUserShapes".split())
#: Parts in which no cell is named, or only by names of their own.
_APART = frozenset(
    "styles theme sharedStrings calcChain image printerSettings hyperlink externalLink externalLinkPath connections "
    "queryTable slicer slicerCache timeline timelineCache customXml customXmlProps sheetMetadata vbaProject "
    "wordVbaData pivotCacheRecords customProperty person oleObject package control activeXControlBinary "
    "chartStyle chartColorStyle themeOverride xmlMaps attachedToolbars dialogsheet diagramData diagramLayout "
    "diagramQuickStyle diagramColors hdphoto audio video media attachedTemplate worksheet chartsheet "
    "rdRichValue rdRichValueStructure rdRichValueTypes richStyles rdSupportingPropertyBag rdArray richValueRel "
    "rdRichValueWebImage webExtension taskpanes namedSheetView core-properties extended-properties "
    "custom-properties thumbnail digital-signature origin volatileDependencies".split()
)
#: Places of one kind that are named in a note, and in a failure.
_TOLD, _MANY = 5, 8
#: Parts that lead to parts that are looked at.
_DEEPEST = 4


class Structure:
    """Moves everything in the parts of one workbook."""

    def __init__(self, package: Package, main: str, parts: Parts, moves: Moves) -> None:
        self.package = package
        self.main = main
        self.parts = parts
        self.moves = moves
        self.notes: list[str] = []
        self._told = Followed()
        self._names: list[re.Pattern[bytes]] = []
        self._done: set[str] = set()

    def take_out(self, sheets: Sequence[SheetPart], kept: Sequence[SheetPart]) -> None:
        """Takes sheets out. Raises `Failure` where others refer to them, and says where."""
        names = {fold(part.sheet) for part in sheets}
        self._names = [names_sheet(part.sheet) for part in sheets]
        uses: list[str] = []
        for part in kept:
            if part.name is not None and len(uses) <= _MANY:
                data = self._data(part.name)
                if self._concerned(data):
                    uses += cells_naming(part.found(data, sees_formulas), part.shown, names, _MANY)
                    uses += self._uses(without_cells(data)[0], names, f" on {part.shown}")
                uses += self._uses_beside(part.name, names, f" on {part.shown}")
        gone = only_of(self.package, self.main, [part.name for part in sheets if part.name is not None])
        uses += self._uses(self._data(self.main), names, "")
        uses += self._uses_beside(self.main, names, "")
        if uses:
            uses = list(dict.fromkeys(uses))
            more = f" and {len(uses) - _MANY} more" if len(uses) > _MANY else ""
            called = " and ".join(f'"{part.shown}"' for part in sheets)
            raise Failure(
                f"{called} cannot be deleted: {', '.join(uses[:_MANY])}{more} would lose it. Change those first"
            )
        for part in sheets:
            if part.name is None or part.is_new:
                continue
            self.parts.remove(part.name, self.main)
        self.parts.removed |= gone
        for name in gone:
            self.parts.changed.pop(name, None)

    def _uses(self, data: bytes, names: set[str], where: str) -> list[str]:
        """The places of a part, other than cells, that refer to sheets that go. What goes with these is not a use."""
        if not self._concerned(data):
            return []

        def called(span: Span) -> str:
            if span.name == "definedName":
                return f'the name "{span.attributes.get("name", "")}"' if "localSheetId" not in span.attributes else ""
            return {"f": "a chart", "hyperlink": "a link"}.get(span.name, "a rule") + where

        return [each for each in places_naming(data, parse(data), names, called) if each]

    def _uses_beside(self, source: str, names: set[str], where: str, depth: int = 0) -> list[str]:
        """The same of the parts that a sheet or the workbook leads to."""
        uses: list[str] = []
        for type_, name in self._leads_to(source) if depth < _DEEPEST else ():
            if type_ in _OF_SHEET or type_ in _ANYWHERE:
                uses += self._uses(self._data(name), names, where)
                uses += self._uses_beside(name, names, where, depth + 1)
        return uses

    def forget_texts(self, gone: Sequence[SheetPart], kept: Sequence[SheetPart]) -> None:
        """Empties the shared texts that only cells used which go. It comes before these go."""
        list_ = next((name for type_, name in self._leads_to(self.main) if type_ == "sharedStrings"), None)
        left: set[int] = set()
        for part in gone:
            left |= texts_in(part.found(part.data(), sees_texts))
        for part in kept:
            rows = self.moves.shift(part.sheet)
            left |= texts_in(part.found(part.data(), sees_texts), rows) if rows is not None else set()
        for part in kept if left else ():
            if part.name is not None:
                rows = self.moves.shift(part.sheet)
                stored = part.found(self._data(part.name), sees_texts)
                left -= texts_in(stored) if rows is None else texts_staying(stored, rows)
        if not left or list_ is None:
            return
        fresh = without_texts(self._data(list_), left)
        if fresh is None:
            self.notes.append("The file's internal list of texts may still contain the text of deleted cells.")
        else:
            self._put(list_, fresh)

    def put_in_order(self, order: Sequence[int]) -> None:
        """Puts the sheets in an order, by their places in the file."""
        self._put(self.main, reordered(self._data(self.main), order))
        for type_, name in self._leads_to(""):
            if type_ == "extended-properties":
                self._put(name, without_titles(self._data(name)))

    def settle(self, sheets: Sequence[SheetPart]) -> None:
        """Goes through all parts. Raises `Failure` for what is not understood, or cannot move."""
        self._names = [names_sheet(name) for name in sorted(self.moves.concerned())]
        for part in sheets:
            if part.name is not None:
                self._sheet(part)
                self._related(part.name, part.sheet)
        self._related(self.main, "")
        self._plain(self.main, "")
        for type_, name in self._leads_to(""):
            if type_ == "extended-properties" and self._concerned(self._data(name)):
                self._plain(name, "")
        self._tell()

    def _data(self, name: str) -> bytes:
        """A part as it is to be so far."""
        if name in self.parts.added:
            return self.parts.added[name]
        maker = self.parts.changed.get(name)
        return whole_part(maker()) if maker is not None else self.package.read(name)

    def _put(self, name: str, data: bytes) -> None:
        if name in self.parts.added:
            self.parts.added[name] = data
        else:
            self.parts.changed[name] = lambda: data

    def _concerned(self, data: bytes) -> bool:
        """Whether a part names one of the sheets."""
        return any(name.search(data) for name in self._names)

    def _sheet(self, part: SheetPart) -> None:
        assert part.name is not None
        data = before = self._data(part.name)
        if self.moves.shift(part.sheet) is None and not self._concerned(data):
            return
        cells = CellMoves(part, self.moves)
        data = cells.done(data)
        self._told.lost += cells.lost
        self._told.exchanged += cells.exchanged
        skeleton, cut, left_out = without_cells(data)
        try:
            splices = changes(skeleton, parse(skeleton), self.moves, part.sheet)
        except NotReadable as problem:
            raise part.problem(problem) from None
        data = spliced(data, list(of_whole(splices, cut, left_out))) if splices else data
        shift = self.moves.shift(part.sheet)
        if shift is not None and (shift.rows.put or shift.columns.put):
            data = _wide_enough(data, part)
        if b"INDIRECT(" in data or b"OFFSET(" in data:
            self._told.built.append(part.sheet)
        if data != before:
            self._put(part.name, data)
            if shift is None:
                self._told.followed.append(part.shown)

    def _related(self, source: str, sheet: str) -> None:
        """The parts that a part leads to."""
        for type_, name in self._leads_to(source):
            if name in self._done or not name or name in self.parts.removed:
                continue
            self._done.add(name)
            if type_ in _OF_SHEET:
                if self.moves.shift(sheet) is not None or self._concerned(self._data(name)):
                    self._plain(name, sheet)
                self._related(name, sheet)
            elif type_ in _ANYWHERE:
                if self._concerned(self._data(name)):
                    self._plain(name, "")
                self._related(name, "")
            elif type_ not in _APART and self._concerned(self._data(name)):
                raise Failure(
                    f'its part "{name}" ({type_}) refers to a sheet that changes, in a way unknown to Scrub. Make the '
                    "change in the workbook's own program"
                )
            if type_ == "volatileDependencies":
                raise Failure("its cells belong to external data, so rows and columns cannot move")

    def _leads_to(self, source: str) -> Iterator[tuple[str, str]]:
        for relationship in relationships(self.package, source).values():
            if relationship.target is not None and relationship.target in self.package.members:
                yield relationship.type, relationship.target
        yield from self.parts.added_to(source)

    def _plain(self, name: str, sheet: str) -> None:
        """A part without cells."""
        data = self._data(name)
        try:
            splices = changes(data, parse(data), self.moves, sheet)
        except NotReadable as problem:
            raise self.package.problem(f'its part "{name}": {problem}') from None
        if splices:
            self._put(name, spliced(data, splices))

    def _tell(self) -> None:
        self.notes += self._told.notes()
        if any(type_ == "vbaProject" for type_, _ in self._leads_to(self.main)):
            self.notes.append("The workbook contains a program. Check whether it refers to rows or sheets that moved.")


def _wide_enough(data: bytes, part: SheetPart) -> bytes:
    """A part whose `dimension` takes in the lines that came to its sides (18.3.1.35)."""
    skeleton, cut, left_out = without_cells(data)
    dimension = parse(skeleton).child("dimension")
    used = extent(part.found(data))
    if dimension is None or used is None:
        return data
    was = area_at(dimension.attributes.get("ref", "")) or used
    now = Area(
        min(was.top, used.top), min(was.left, used.left), max(was.bottom, used.bottom), max(was.right, used.right)
    )
    fresh = set_attributes(skeleton, dimension, [("ref", now.corners)]) if now != was else []
    return spliced(data, list(of_whole(fresh, cut, left_out)))
