"""The rows and cells of a sheet of an Open Document (OpenDocument 1.3, part 3, 9.1), found in its bytes.

Two readers give the same: `SearchedRows` finds rows and cells by searching the bytes, where that is certainly exact;
`ParsedRows` asks the span tree. An element can mean many equal rows or cells (19.675, 19.677): its cells are
those of all of them.
"""

from __future__ import annotations

import re
from array import array
from bisect import bisect_left, bisect_right
from collections.abc import Callable, Collection, Iterable, Iterator, Mapping, Sequence
from functools import lru_cache
from itertools import repeat
from operator import itemgetter
from typing import Any, Literal

from scrub.formats.opendocument.read import OFFICE, TABLE, TEXT
from scrub.formats.opensheets.cell_text import PLAIN_PARAGRAPH, text_in
from scrub.formats.opensheets.formulas import text_of_formula
from scrub.formats.opensheets.row_forms import RowForm, SampledRow, form_of
from scrub.formats.spans import Namespaces, NotReadable, Span, parse_element, tag_end, whole
from scrub.formats.workbook.cells.sheet_data import RowSpan, Stored
from scrub.formats.workbook.cells.stored_cell import Formula, StoredCell
from scrub.formats.xmltext import plain_text
from scrub.model.core.area import MOST_COLUMNS, MOST_ROWS, Area, column_of
from scrub.model.core.lazy_pattern import lazy_pattern
from scrub.model.core.named import NamedTuple

CALCEXT = "urn:org:documentfoundation:names:experimental:calc:xmlns:calcext:1.0"
_PREFIXES = {TABLE: "table", OFFICE: "office", TEXT: "text", CALCEXT: "calcext"}
#: Repeats up to which cells without anything but a format are cells of their own.
_MANY = 256
#: Cells that one element of a row may fill. A whole column of one text is a million.
_MOST_REPEATED = 1 << 24

_ROW_START, _ROW_END = b"<table:table-row", b"</table:table-row>"
_ATTRIBUTES = rb'(?:\s+[^\s=<>"\'/]+="[^"<]*")*\s*'
_ROW = lazy_pattern(rb"<table:table-row(" + _ATTRIBUTES + rb")(/?)>")
_CELL = lazy_pattern(
    rb"<table:(covered-)?table-cell(" + _ATTRIBUTES + rb")"
    rb"(?:/>|>(?:(<text:p>[^<]*</text:p>)|(.*?))</table:(?:covered-)?table-cell>)",
    re.DOTALL,
)
_ATTRIBUTE = lazy_pattern(rb'([^\s=]+)="([^"]*)"')
_BLANK = re.compile(rb"\s*")


class CellElement(NamedTuple):
    """The element of a cell, or of several equal ones beside each other."""

    column: int
    count: int  # type: ignore[assignment]  # a tuple has a method of this name
    start: int
    end: int
    is_covered: bool
    attributes: Mapping[str, str]
    content: bytes


class RowElement(NamedTuple):
    """The element of a row, or of several equal ones below each other; its place in the bytes."""

    number: int
    count: int  # type: ignore[assignment]  # as above
    start: int
    open_end: int
    close_start: int
    end: int


class Meaning(NamedTuple):
    """What the attributes of a cell say: its format, and the type and value of what is in it."""

    style: str | None
    type: str
    value: str | None
    formula: Formula | None
    is_text: bool  # whether its value is the text in it


def meaning_of(attributes: Mapping[str, str]) -> Meaning:
    """What the attributes of a cell say (19.384, 19.386, 19.642)."""
    of = attributes.get
    written = of("table:formula")
    formula = None
    if written is not None:
        across = of("table:number-matrix-columns-spanned")
        down = of("table:number-matrix-rows-spanned")
        text = text_of_formula(written)
        formula = Formula(text, "array", f"{down or 1}x{across or 1}") if across or down else Formula(text)
    type_ = of("office:value-type", "")
    style = of("table:style-name")
    if of("calcext:value-type") == "error":
        return Meaning(style, "e", None, formula, True)
    if type_ in ("float", "percentage", "currency") and of("office:value") is not None:
        return Meaning(style, "float", of("office:value"), formula, False)
    if type_ == "date" and of("office:date-value") is not None:
        return Meaning(style, "d", of("office:date-value"), formula, False)
    if type_ == "time" and of("office:time-value") is not None:
        return Meaning(style, "time", of("office:time-value"), formula, False)
    if type_ == "boolean" and of("office:boolean-value") is not None:
        return Meaning(style, "b", of("office:boolean-value"), formula, False)
    said = of("office:string-value")
    return Meaning(style, "str", said, formula, said is None)


class TableRows(Stored):
    """The stored rows and cells of one sheet; all places are in the bytes of its element."""

    prefix = ""

    def __init__(self, data: bytes, namespaces: Namespaces, numbered: Callable[[str | None, int, int], int]) -> None:
        """`numbered` gives the number of a cell format by its name, row and column."""
        self.data = data
        self.namespaces = namespaces
        self._numbered = numbered
        self.body = (0, len(data))
        self._firsts: array[int] = array("L")
        self._counts: dict[int, int] = {}
        self._last: tuple[int, list[CellElement]] = -1, []
        self._cells: tuple[int, list[StoredCell]] = -1, []
        self.known: dict[str, Any] = {}  # what somebody found out about them
        #: What gives the attributes that a row would have elsewhere, and a problem with the sheet.
        self.attributes_of_row: Callable[[TableRows, int], Mapping[str, str]] = lambda rows, row: {}
        self.problem: Callable[[object], Exception] = lambda what: NotReadable(str(what))

    def _count_rows(self) -> None:
        """Numbers the rows that hold anything, or are formatted."""
        self.numbers = []
        numbers, counts = self.numbers, self._counts
        for place, (first, sure) in enumerate(zip(self._firsts, self._surely(), strict=True)):
            if sure and place not in counts and first <= MOST_ROWS:  # as most are
                numbers.append(first)
                continue
            if first > MOST_ROWS:
                break
            count = min(self._counts.get(place, 1), MOST_ROWS - first + 1)
            if self._is_stored(place, count) or sure:
                self.numbers += range(first, first + count)

    def text_of(self, content: bytes) -> str | None:
        """The text of the content of a cell; None where it has no paragraph. Raises `FileProblem`."""
        try:
            return text_in(content, self.namespaces)
        except NotReadable as problem:
            raise self.problem(problem) from None

    def _is_stored(self, place: int, count: int) -> bool:
        if count > _MANY:
            filled = sum(min(cell.count, MOST_COLUMNS) for cell in self.elements(place) if _says(cell))
            if filled * count > _MOST_REPEATED:
                raise NotReadable(
                    f"one row fills {filled * count:,} cells by repetition, which no office program writes"
                )
            return filled > 0
        return any(_says(cell) or (cell.count <= _MANY and "table:style-name" in cell.attributes)
                   for cell in self.elements(place))  # fmt: skip

    def _surely(self) -> Iterable[int]:
        """Whether something is in each row for sure."""
        return repeat(0, len(self._firsts))

    # -- rows

    @property
    def places(self) -> range:
        """The places of the elements of rows."""
        return range(len(self._firsts))

    def place(self, row: int) -> int:
        """The place of the element that contains a row; -1 for one that is not written."""
        at = bisect_right(self._firsts, row) - 1
        return at if at >= 0 and row < self._firsts[at] + self._counts.get(at, 1) else -1

    def row_element(self, place: int) -> RowElement:
        """The element of a row."""
        start, open_end, close_start, end = self._span(place)
        return RowElement(self._firsts[place], self._counts.get(place, 1), start, open_end, close_start, end)

    def _span(self, place: int) -> RowSpan:
        raise NotImplementedError

    def elements(self, place: int) -> list[CellElement]:
        """The elements of the cells of a row, from the left."""
        if self._last[0] != place:
            self._last = place, self._read(place)
        return self._last[1]

    def _read(self, place: int) -> list[CellElement]:
        raise NotImplementedError

    def row_attributes_of(self, place: int) -> Mapping[str, str]:
        """The attributes of the element of a row, by prefix and name as they usually are written."""
        raise NotImplementedError

    def row_span(self, index: int) -> RowSpan:
        """The byte ranges of a stored row."""
        return self._span(self.place(self.numbers[index]))

    def row_attributes(self, row: int) -> Mapping[str, str]:
        """What the element of a row would say elsewhere."""
        return self.attributes_of_row(self, row)

    # -- cells

    def cells(self, index: int) -> list[StoredCell]:
        """The cells of a stored row, from the left."""
        row = self.numbers[index]
        if self._cells[0] != row:
            self._cells = row, list(self._stored(row, self.place(row)))
        return self._cells[1]

    def _stored(self, row: int, place: int) -> Iterator[StoredCell]:
        for element in self.elements(place):
            says = _says(element)
            if not says and (element.count > _MANY or "table:style-name" not in element.attributes):
                continue
            for column in range(element.column, min(element.column + element.count, MOST_COLUMNS + 1)):
                yield self.stored(element, row, column)

    def stored(self, element: CellElement, row: int, column: int) -> StoredCell:
        """One of the cells that an element is."""
        means = meaning_of(element.attributes)
        value, formula = means.value, means.formula
        if element.is_covered:  # what is under a merged range is kept, and nobody sees it
            value = formula = None
        elif means.is_text and element.content:
            value = self.text_of(element.content)
        if formula is not None and formula.type == "array":
            down, across = map(int, formula.ref.split("x"))
            area = Area(row, column, min(row + down - 1, MOST_ROWS), min(column + across - 1, MOST_COLUMNS))
            formula = formula._replace(ref=area.corners)
        style = self._numbered(means.style, row, column)
        return StoredCell(
            row, column, element.start, element.end, style, means.type, value, formula, None, element.content
        )

    def element_at(self, row: int, column: int) -> CellElement | None:
        """The element that a cell is in; None where none is written."""
        place = self.place(row)
        if place < 0:
            return None
        for element in self.elements(place):
            if element.column <= column < element.column + element.count:
                return element
        return None

    def cell(self, row: int, column: int) -> StoredCell | None:
        """One cell, or None where none is stored."""
        element = self.element_at(row, column)
        if element is None or not (_says(element) or "table:style-name" in element.attributes):
            return None
        return self.stored(element, row, column)

    def column(self, column: int, places: Sequence[int] | None = None) -> Iterator[StoredCell]:
        """The cells of a column, from above; or those of the rows in some places."""
        for place in self.places if places is None else places:
            first, count = self._firsts[place], self._counts.get(place, 1)
            if first > MOST_ROWS:
                return
            for element in self.elements(place):
                if element.column <= column < element.column + element.count:
                    if _says(element) or (
                        element.count <= _MANY and count <= _MANY and "table:style-name" in element.attributes
                    ):
                        cell = self.stored(element, first, column)
                        for row in range(first, min(first + count, MOST_ROWS + 1)):
                            yield cell if row == first else self._moved(element, cell, row)
                    break
                if element.column > column:
                    break

    def _moved(self, element: CellElement, cell: StoredCell, row: int) -> StoredCell:
        """The same cell in another row."""
        return self.stored(element, row, cell.column) if cell.formula is not None else cell._replace(row=row)

    def holds(self, index: int) -> bool:
        """Whether a stored row contains anything."""
        return any(_fills(element, self) for element in self.elements(self.place(self.numbers[index])))

    def columns(self) -> Sequence[int]:
        """The first and the last column in which a cell contains something, or fewer."""
        least, most = MOST_COLUMNS + 1, 0
        for place in self.places:
            for element in self.elements(place):
                if _fills(element, self):
                    least = min(least, element.column)
                    most = max(most, min(element.column + element.count - 1, MOST_COLUMNS))
        return sorted({least, most}) if most else []

    def _beside(self) -> Iterable[int]:
        """The places of the rows in which something may be beside texts."""
        return self.places

    def comments(self) -> Iterator[tuple[int, int, CellElement]]:
        """The cells with something beside their text: comments, links, pictures."""
        for place in self._beside():
            row = self._firsts[place]
            for element in self.elements(place):
                if element.content and PLAIN_PARAGRAPH.fullmatch(element.content) is None:
                    yield row, element.column, element

    def _with(self, name: bytes) -> Iterable[int]:
        """The places of the rows in which a name may be."""
        return self.places

    def merged(self) -> Iterator[Area]:
        """The merged ranges."""
        for place in self._with(b"-spanned"):
            row = self._firsts[place]
            for element in self.elements(place):
                if element.is_covered:
                    continue
                across = whole(element.attributes.get("table:number-columns-spanned"), MOST_COLUMNS) or 1
                down = whole(element.attributes.get("table:number-rows-spanned"), MOST_ROWS) or 1
                if across > 1 or down > 1:
                    column = element.column
                    yield Area(row, column, min(row + down - 1, MOST_ROWS), min(column + across - 1, MOST_COLUMNS))

    def attribute_areas(self, name: str) -> dict[str, list[Area]]:
        """The ranges of the cells that have an attribute, by what it says."""
        result: dict[str, list[Area]] = {}
        for place in self._with(name.encode()):
            row, count = self._firsts[place], self._counts.get(place, 1)
            for element in self.elements(place):
                said = element.attributes.get(name)
                if said is not None and row <= MOST_ROWS:
                    bottom = min(row + count - 1, MOST_ROWS)
                    right = min(element.column + element.count - 1, MOST_COLUMNS)
                    result.setdefault(said, []).append(Area(row, element.column, bottom, right))
        return result


def _says(element: CellElement) -> bool:
    """Whether an element says more than that cells are there and how they look."""
    return bool(element.content) or any(name not in _LOOKS for name in element.attributes)


#: The attributes of a cell that nothing is in.
_LOOKS = frozenset((
    "table:style-name", "table:number-columns-repeated", "table:content-validation-name", "table:protect",
    "table:protected", "xml:id",
))  # fmt: skip


def _fills(element: CellElement, rows: TableRows) -> bool:
    """Whether there is a value or a formula in the cells of an element."""
    if element.is_covered:
        return False
    of = element.attributes
    if "table:formula" in of:
        return True
    means = meaning_of(of)
    if means.value:
        return True
    return means.is_text and bool(element.content) and bool(rows.text_of(element.content))


class RowIndex(NamedTuple):
    """Where the rows of a sheet are, which numbers they have, and which of them are stored."""

    starts: array[int]
    ends: array[int]
    firsts: array[int]
    sure: bytearray
    counts: dict[int, int]
    numbers: array[int]


class Alike(NamedTuple):
    """Rows that are written alike: their places, the elements that were asked for, and the places of other rows."""

    places: Sequence[int]
    found: Sequence[Any]
    others: Sequence[int]


class SearchedRows(TableRows):
    """Rows and cells found by searching the bytes. Raises `NotReadable` where that is not certainly exact."""

    def __init__(
        self,
        data: bytes,
        namespaces: Namespaces,
        numbered: Callable[[str | None, int, int], int],
        known: RowIndex | None = None,
    ) -> None:
        """`known` tells where the rows are, found earlier in the same bytes."""
        super().__init__(data, namespaces, numbered)
        self._starts: array[int] = array("L")
        self._ends: array[int] = array("L")
        self._form: RowForm | Literal[False] | None = False
        self._sure = bytearray()  # whether each row has a value
        self._others: Sequence[int] | None = None  # the places of rows that have another form
        self.wanted: Collection[bytes] = ()  # the letters of columns that will probably be asked for
        self._kept: tuple[Sequence[int], Alike] | None = None  # what was read last
        self._patterns: dict[tuple[int, ...], re.Pattern[bytes]] = {}
        if known is not None:
            self._starts, self._ends, self._firsts, self._sure, self._counts, numbers = known
            self.numbers = list(numbers)
        else:
            self._find_rows()
            self._count_rows()

    @property
    def index_of_rows(self) -> RowIndex:
        """Where the rows are: small beside the bytes."""
        return RowIndex(self._starts, self._ends, self._firsts, self._sure, self._counts, array("L", self.numbers))

    def _find_rows(self) -> None:
        data = self.data
        if b"xmlns:" in data and _DECLARED.search(data):
            raise NotReadable("a prefix that means something else")
        at, number = 0, 1
        starts, ends, firsts, sure = self._starts, self._ends, self._firsts, self._sure
        find, begins = data.find, data.startswith
        for match in _ROW_ENDS.finditer(data):
            if begins(_ROW_TAGS, at):
                start = at
            else:
                found = _ROW_STARTS.search(data, at)
                start = found.start() if found is not None else -1
            at = match.end()
            if not 0 <= start < at:
                self._find_odd_rows()
                return
            starts.append(start)
            ends.append(at)
            firsts.append(number)
            sure.append(find(b" office:value-type=", start, at) >= 0)
            number += 1
        if data.count(_ROW_START) != len(starts) and len(_ROW_STARTS.findall(data)) != len(starts):
            self._find_odd_rows()
        elif _REPEATED in data:
            self._number_again()

    def _number_again(self) -> None:
        """Numbers the rows; some elements are several equal ones."""
        repeated = set(self._with(_REPEATED))
        more, first = 0, len(self._firsts)
        for place in sorted(repeated):
            self._repeats(place)
            first = min(first, place)
        for place in range(first, len(self._firsts)):
            self._firsts[place] += more
            more += self._counts.get(place, 1) - 1

    def _repeats(self, place: int) -> int:
        """How many equal rows an element is."""
        count = whole(self.row_attributes_of(place).get("table:number-rows-repeated"), 10**9) or 1
        if count != 1:
            self._counts[place] = count
        return count

    def _find_odd_rows(self) -> None:
        """Finds rows, some of them a single tag."""
        for each in (self._starts, self._ends, self._firsts, self._sure):
            del each[:]
        self._counts.clear()
        self._starts = array("L", (found.start() for found in _ROW_STARTS.finditer(self.data)))
        self._ends = self._ends_of(self._starts)
        number = 1
        for place, start in enumerate(self._starts):
            if place and start < self._ends[place - 1]:
                raise NotReadable("a row in another one")
            self._firsts.append(number)
            self._sure.append(False)
            number += self._repeats(place)

    def _ends_of(self, starts: array[int]) -> array[int]:
        """Where rows end, where some of them are a single tag."""
        ends = array("L")
        for start in starts:
            end = tag_end(self.data, start)
            if self.data[end - 2 : end] != b"/>":
                end = self.data.index(_ROW_END, end) + len(_ROW_END)
            ends.append(end)
        return ends

    def _surely(self) -> Iterable[int]:
        return self._sure

    def _with(self, name: bytes) -> Iterable[int]:
        find, starts, ends = self.data.find, self._starts, self._ends
        at = find(name)
        while at >= 0:
            place = bisect_right(starts, at) - 1
            if place >= 0:
                yield place
            at = find(name, max(at + 1, ends[place] if place >= 0 else 0))

    def element_spans(self, place: int, columns: tuple[int, ...]) -> Sequence[tuple[int, int]] | None:
        """Where the elements of some columns of a row begin and end; None for a row that is written otherwise."""
        form = self.form
        if form is None or place in self._counts:
            return None
        pattern = self._patterns.get(columns)
        if pattern is None:
            if not all(map(form.has, columns)):
                return None
            pattern = self._patterns[columns] = form.pattern(columns)
        found = pattern.fullmatch(self.data, self._starts[place], self._ends[place])
        return None if found is None else [found.span(number) for number in range(1, len(columns) + 1)]

    def _beside(self) -> Iterable[int]:
        data = self.data
        if b":href=" not in data and b"annotation" not in data:
            return ()
        found = (bisect_right(self._starts, match.start()) - 1 for match in _BESIDE.finditer(data))
        return sorted({place for place in found if place >= 0})

    # -- rows that are written alike

    def _sampled(self, place: int) -> SampledRow | None:
        """A row as its form is found out; None for one that is several."""
        element = self.row_element(place)
        if element.count != 1 or element.open_end == element.end:
            return None
        data = self.data
        cells = [(data[cell.start : cell.end], cell.count) for cell in self.elements(place)]
        return SampledRow(data[element.start : element.open_end], cells)

    @property
    def form(self) -> RowForm | None:
        """The form of most rows; None where they are too few or too different."""
        if self._form is False:
            self._form = form_of(len(self.places), self._sampled)
        return self._form or None

    def _wanted(self, form: RowForm) -> list[int]:
        """The columns that will probably be asked for, as they were in other sheets."""
        return sorted(column for column in map(column_of, (each.decode() for each in self.wanted)) if form.has(column))

    def with_column(self, column: int) -> tuple[Sequence[int], Alike]:
        """The rows of that form with the elements of a column, and of others that will probably be asked for."""
        form = self.form
        assert form is not None
        if self._kept is None or column not in self._kept[0]:
            columns = sorted({*self._wanted(form), column})
            self._kept = columns, self.alike(columns)
        return self._kept

    def alike(self, columns: Sequence[int]) -> Alike:
        """The rows of that form, with the elements of some columns; and all others."""
        form = self.form
        assert form is not None
        starts = self._starts
        found: list[Any] = []
        places: list[int] = []
        others: list[int] = []
        place = 0
        of = itemgetter(*range(1, len(columns) + 1)) if columns else None
        for match in form.pattern(sorted(columns)).finditer(self.data):
            start = match.start()
            while starts[place] < start:
                others.append(place)
                place += 1
            places.append(place)
            place += 1
            if of is not None:
                found.append(of(match))
        others += range(place, len(starts))
        self._others = others
        if columns:
            self._kept = columns, Alike(places, found, others)
        return Alike(places, found, others)

    def columns(self) -> Sequence[int]:
        """The first and the last column in which a cell contains something, or fewer."""
        form = self.form
        if form is None:
            return super().columns()
        least, most = form.filled if not form.is_empty else (MOST_COLUMNS + 1, 0)
        for place in self.alike(self._wanted(form)).others if self._others is None else self._others:
            for element in self.elements(place):
                if _fills(element, self):
                    least = min(least, element.column)
                    most = max(most, min(element.column + element.count - 1, MOST_COLUMNS))
        return sorted({least, most}) if most else []

    def cell_of(self, raw: bytes, row: int, column: int) -> StoredCell:
        """The cell that an element of one column is."""
        found = _CELL.fullmatch(raw)
        assert found is not None
        covered, written, text, other = found.groups()
        element = CellElement(column, 1, 0, 0, covered is not None, _attributes(written), text or other or b"")
        return self.stored(element, row, column)

    def numbered_rows(self, places: Sequence[int]) -> list[int]:
        """The numbers of rows that are one element each, by their places."""
        return list(map(self._firsts.__getitem__, places))

    def _span(self, place: int) -> RowSpan:
        start, end = self._starts[place], self._ends[place]
        open_end = tag_end(self.data, start)
        return RowSpan(start, open_end, end if open_end == end else end - len(_ROW_END), end)

    def row_attributes_of(self, place: int) -> Mapping[str, str]:
        """The attributes of the element of a row."""
        found = _ROW.match(self.data, self._starts[place])
        return canonical(self._tree(place)) if found is None else _attributes(found[1])

    def _tree(self, place: int) -> Span:
        """The element of a row that is written in another way. Raises `FileProblem`."""
        try:
            return parse_element(self.data, self._starts[place], self._ends[place], self.namespaces)
        except NotReadable as problem:
            raise self.problem(problem) from None

    def _read(self, place: int) -> list[CellElement]:
        data = self.data
        start, end = self._starts[place], self._ends[place]
        opening = _ROW.match(data, start)
        if opening is None:
            return cells_of(data, self._tree(place))
        at, column = opening.end(), 1
        result: list[CellElement] = []
        last = end - len(_ROW_END)
        while at < last:
            found = _CELL.match(data, at, last)
            if found is None:
                blank = _BLANK.match(data, at, last)
                assert blank is not None
                if blank.end() == at:
                    return cells_of(data, self._tree(place))
                at = blank.end()
                continue
            covered, written, text, other = found.groups()
            attributes = _attributes(written)
            repeated = attributes.get("table:number-columns-repeated")
            count = 1 if repeated is None else whole(repeated, 10**9) or 1
            result.append(
                CellElement(column, count, at, found.end(), covered is not None, attributes, text or other or b"")
            )
            column += count
            at = found.end()
        return result


_BESIDE = lazy_pattern(rb"<(?:[\w.-]+:annotation|[\w.-]+:a\s|draw:)")
_ROW_STARTS = lazy_pattern(rb"<table:table-row[\s>/]")
_ROW_TAGS = (b"<table:table-row ", b"<table:table-row>")
_ROW_ENDS = lazy_pattern(rb"</table:table-row>")
_REPEATED = b"table:number-rows-repeated="
_DECLARED = lazy_pattern(rb"\sxmlns:(?:table|office|text|calcext)\s*=")


@lru_cache(maxsize=100_000)
def _attributes(written: bytes) -> Mapping[str, str]:
    """The attributes in a tag, by their names as they are written."""
    return {name.decode(): plain_text(value) for name, value in _ATTRIBUTE.findall(written)}


def canonical(span: Span) -> dict[str, str]:
    """The attributes of an element, by the prefixes that their namespaces usually have."""
    result = {}
    for written, value in span.attributes.items():
        prefix, _, name = written.rpartition(":")
        result[f"{_PREFIXES.get(span.namespaces.get(prefix, ''), prefix)}:{name}" if prefix else name] = value
    return result


class ParsedRows(TableRows):
    """Rows and cells read with the span tree."""

    def __init__(
        self, data: bytes, root: Span, namespaces: Namespaces, numbered: Callable[[str | None, int, int], int]
    ) -> None:
        super().__init__(data, namespaces, numbered)
        self.root = root
        self._rows: list[Span] = []
        number = 1
        for span in rows_of(root):
            self._rows.append(span)
            self._firsts.append(min(number, 1 << 40))
            count = whole(span.of("number-rows-repeated", TABLE), 10**9) or 1
            if count != 1:
                self._counts[len(self._rows) - 1] = count
            number += count
        self._count_rows()

    def _span(self, place: int) -> RowSpan:
        row = self._rows[place]
        return RowSpan(row.start, row.open_end, row.close_start, row.end)

    def row_attributes_of(self, place: int) -> Mapping[str, str]:
        """The attributes of the element of a row."""
        return canonical(self._rows[place])

    def _read(self, place: int) -> list[CellElement]:
        return cells_of(self.data, self._rows[place])


def cells_of(data: bytes, row: Span) -> list[CellElement]:
    """The elements of the cells of a row, by its tree."""
    result: list[CellElement] = []
    column = 1
    for span in row.children:
        if span.uri != TABLE or span.name not in ("table-cell", "covered-table-cell"):
            continue
        count = whole(span.of("number-columns-repeated", TABLE), 10**9) or 1
        content = data[span.open_end : span.close_start]
        result.append(
            CellElement(column, count, span.start, span.end, span.name != "table-cell", canonical(span), content)
        )
        column += count
    return result


def rows_of(table: Span) -> Iterator[Span]:
    """The rows of a sheet, those in groups and headings too (9.1.4, 9.1.9, 9.1.10)."""
    for child in table.children:
        if child.uri != TABLE:
            continue
        if child.name == "table-row":
            yield child
        elif child.name in ("table-rows", "table-header-rows", "table-row-group"):
            yield from rows_of(child)


def positions(numbers: Sequence[int], top: int, bottom: int) -> tuple[int, int]:
    """The places of the rows between two, of those that are numbered."""
    return bisect_left(numbers, top), bisect_left(numbers, bottom + 1)
