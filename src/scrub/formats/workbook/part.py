"""The part of one sheet: its bytes, its elements without the cells, and its cells as they are stored."""

from __future__ import annotations

from array import array
from collections.abc import Callable, Collection, Iterable, Iterator, Sequence

from scrub.formats.opc.relationships import Relationship, related_trees, relationships
from scrub.formats.spans import NotReadable, Span, Splice, number_in, parse
from scrub.formats.workbook.cells.row_form import ROW, numbers_of
from scrub.formats.workbook.cells.searched import Searched
from scrub.formats.workbook.cells.sheet_data import Parsed, Stored
from scrub.formats.zip import Package
from scrub.model.core.area import Area, area_of
from scrub.model.core.change import Undo
from scrub.model.core.lazy_pattern import lazy_pattern
from scrub.model.core.named import NamedTuple
from scrub.model.core.problem import FileProblem

EMPTY_SHEET = (
    b'<?xml version="1.0" encoding="UTF-8" standalone="yes"?>\n'
    b'<worksheet xmlns="http://schemas.openxmlformats.org/spreadsheetml/2006/main"><dimension ref="A1"/>'
    b'<sheetViews><sheetView workbookViewId="0"/></sheetViews><sheetData></sheetData></worksheet>'
)


class Skeleton(NamedTuple):
    """A part without its cells, and its root."""

    data: bytes
    root: Span

    def element(self, name: str) -> bytes:
        """An element directly inside as it is, or a new empty one; a view belongs to the first window (18.3.1.87)."""
        old = self.root.child(name)
        if old is not None:
            return self.data[old.start : old.end]
        p = self.root.prefix
        if name == "sheetViews":
            return f'<{p}sheetViews><{p}sheetView workbookViewId="0"/></{p}sheetViews>'.encode()
        return f"<{p}{name}/>".encode()


class SheetPart:
    """One sheet's part, read only when needed."""

    def __init__(self, package: Package, name: str | None, sheet: str, number: int) -> None:
        self.package = package
        self.name = name
        self.sheet = sheet  # its name in the file
        self.number = number  # its place among the sheets of the file, from 1; one made in this run is after the others
        self.shown = sheet  # how problems call it
        self.is_new = False
        self.base = EMPTY_SHEET  # what a new one is before anything is put into it
        self._ordered: bytes | None = None  # its bytes with rows in another order than in the file
        self.has_formulas: bool | None = None  # not known before the part is read
        #: Reads cells with the span tree only: for tests, which hold both ways to the same bytes.
        self.parse_slowly = False
        self._skeleton: Skeleton | None = None
        self._cut = self._left_out = 0
        self._rows: Sequence[int] | None = None  # the rows of a part that is known to be searched exactly

    def problem(self, what: object) -> FileProblem:
        """A problem with this sheet."""
        return self.package.source.problem(f'the sheet "{self.shown}": {what}')

    def related(self) -> dict[str, Relationship]:
        """The relationships of the part."""
        return relationships(self.package, self.name) if self.name and not self.is_new else {}

    def data(self) -> bytes:
        """Its bytes."""
        if self._ordered is not None:
            return self._ordered
        if self.is_new:
            return self.base
        if self.name is None:
            raise self.package.source.problem(f'the part of the sheet "{self.shown}" is missing')
        return self.package.read(self.name)

    @property
    def is_ordered(self) -> bool:
        """Whether its rows are in another order than in the file."""
        return self._ordered is not None

    def order(self, stored: Searched, data: bytes) -> Undo:
        """Puts rows that are stored in another order: `data` are the bytes from now on, which differ within the rows.
        Returns how to undo it.
        """
        former, grown = self._ordered, len(data) - len(stored.data)

        def back() -> None:
            self._ordered = former
            self._left_out -= grown

        self._ordered = data
        self._left_out += grown
        return back

    def skeleton(self) -> Skeleton:
        """The part without its cells."""
        return self._skeleton or self._keep_skeleton(self.data())

    def _keep_skeleton(self, data: bytes) -> Skeleton:
        skeleton, self._cut, self._left_out = without_cells(data)
        try:
            self._skeleton = Skeleton(skeleton, parse(skeleton))
        except NotReadable as problem:
            raise self.problem(problem) from None
        return self._skeleton

    def stored(self, data: bytes | None = None, wanted: Collection[bytes] = ()) -> Stored:
        """The stored cells, found the fast way where that is certainly exact. `wanted` are the letters of columns
        that will probably be asked for.
        """
        data = self.data() if data is None else data
        if self._skeleton is None:
            self._keep_skeleton(data)
        if self._rows is not None:
            return Searched(data, self._cut, self._cut + self._left_out, self._rows)
        result = self._found(data, self._cut, self._left_out, wanted=wanted)
        if isinstance(result, Searched):
            self._rows = result.numbers if isinstance(result.numbers, range) else array("I", result.numbers)
        if self.has_formulas is None:
            rest, inside = (
                (self.skeleton().data, result.has_formulas) if isinstance(result, Searched) else (data, False)
            )
            self.has_formulas = inside or b"<f" in rest or b":f" in rest
        return result

    def found(self, data: bytes, fits: Callable[[Searched], bool] = lambda found: True) -> Stored:
        """The cells of the part as it is to be, those without a place too. Where `fits` says no, the span tree reads
        them.
        """
        _, cut, left_out = without_cells(data)
        return self._found(data, cut, left_out, fits, beyond=True)

    def still_exact(self, data: bytes) -> Searched | None:
        """The cells of the part after cells were changed or added; None where they could not be searched before. What
        is written into a part that can be searched keeps it so.
        """
        if self._rows is None or self.is_new:
            return None
        _, cut, left_out = without_cells(data)
        if not left_out:
            return None
        return Searched(data, cut, cut + left_out, numbers_of(ROW, data, cut, cut + left_out))

    def _found(
        self,
        data: bytes,
        cut: int,
        left_out: int,
        fits: Callable[[Searched], bool] = lambda found: True,
        beyond: bool = False,
        wanted: Collection[bytes] = (),
    ) -> Stored:
        if left_out and not self.parse_slowly:
            reader = Searched(data, cut, cut + left_out, wanted=wanted)
            if reader.prefix_is_plain() and reader.exact() and fits(reader):
                return reader
        try:
            return Parsed(data, parse(data), self.problem, beyond)
        except (NotReadable, ValueError) as problem:
            raise self.problem(problem) from None

    def filtered_areas(self, data: bytes | None = None) -> list[Area]:
        """The ranges whose filters hide anything; `data` are the bytes of the part as it is to be."""
        return filtered_areas(self, data)

    def moved(self, splice: Splice) -> Splice:
        """A splice of the part without its cells, as one of the whole part."""
        return next(of_whole([splice], self._cut, self._left_out))


def of_whole(splices: Iterable[Splice], cut: int, left_out: int) -> Iterator[Splice]:
    """Splices of a part without its cells, as splices of the whole part."""
    for splice in splices:
        start, end = (place + left_out if place > cut else place for place in (splice.start, splice.end))
        yield Splice(start, end, splice.new)


_CELLS = lazy_pattern(rb"<((?:[A-Za-z_][\w.-]*:)?)sheetData(?=[\s>])[^>]*>")


def without_cells(data: bytes) -> tuple[bytes, int, int]:
    """A sheet's part without what is inside `sheetData`, the place of the cut, and its length in bytes.

    The fast way for big sheets. It is exact only where nothing in the part can look like the tags it looks for: a
    comment, a CDATA section or a second such element makes it cut nothing.
    """
    match = _CELLS.search(data)
    if match is None or match[0].endswith(b"/>"):
        return data, len(data), 0
    closing = b"</" + match[1] + b"sheetData"
    end = data.rfind(closing)
    if end < match.end() or data.count(b"sheetData") != 2:
        return data, len(data), 0
    # One sign is found much sooner than two in a row, and in most sheets it is not there at all.
    if (b"!" in data and b"<!" in data) or (data.find(b"?", match.end()) >= 0 and data.find(b"<?", match.end()) >= 0):
        return data, len(data), 0
    return data[: match.end()] + data[end:], match.end(), end - match.end()


def filtered_areas(part: SheetPart, data: bytes | None = None) -> list[Area]:
    """The ranges whose filters hide anything: the sheet's own (18.3.1.2), and those of its tables."""
    skeleton, _, _ = without_cells(part.data() if data is None else data)
    found = []
    for _, root in related_trees(part.package, part.related().values(), "table"):
        if _is_filtered(root):
            area = area_of(root.attributes.get("ref", "A1"))
            found.append(area._replace(bottom=area.bottom - number_in(root.attributes, "totalsRowCount")))
    root = parse(skeleton)
    if _is_filtered(root):
        element = root.child("autoFilter")
        found.append(area_of(element.attributes.get("ref", "A1") if element is not None else "A1"))
    return found


def _is_filtered(root: Span) -> bool:
    element = root.child("autoFilter")
    return element is not None and element.child("filterColumn") is not None
