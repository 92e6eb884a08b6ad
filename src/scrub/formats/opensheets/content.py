"""The part with the sheets of an Open Document workbook (OpenDocument 1.3, part 3, 9.1.2), cut at its tables.

It is unpacked in blocks: a workbook of a few megabytes unpacks to hundreds, and no more than two tables are held. Two
ways give the same: one finds the ends of tables by searching, where that is certainly exact; the other asks the parser.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from xml.parsers import expat

from scrub.formats.opendocument.flat import FlatPackage
from scrub.formats.opendocument.read import OFFICE, TABLE, TEXT
from scrub.formats.packed_part import PackedPart
from scrub.formats.spans import Namespaces, NotReadable, Span, parse, parse_element, tag_end
from scrub.formats.zip import Package
from scrub.model.core.lazy_pattern import lazy_pattern
from scrub.model.core.named import NamedTuple
from scrub.model.core.problem import FileProblem

#: What is looked for in each block; nothing of it may be cut by the edge of one.
_END, _ODD, _HEADINGS, _FORMULA = b"</table:table>", b"<!", b":table-header-rows", b":formula="
_OVERLAP = max(map(len, (_END, _ODD, _HEADINGS, _FORMULA)))
_FIRST = lazy_pattern(rb"<table:table[\s>/]")
_NEXT = lazy_pattern(rb"(\s*)<table:table[\s>]")
#: Blanks that can be between two tables.
_BETWEEN = 4096
_NEEDED = ("table", "office", "text")
#: The prefixes that are searched for, and the namespaces that they usually are.
PREFIXES = {
    "table": TABLE, "office": OFFICE, "text": TEXT,
    "calcext": "urn:org:documentfoundation:names:experimental:calc:xmlns:calcext:1.0",
}  # fmt: skip
_ROWS = lazy_pattern(rb"<table:table-(?:row|rows|header-rows|row-group)[\s/>]")
_AFTER_ROWS = lazy_pattern(rb"(?:\s*</table:table-(?:rows|header-rows|row-group)>)*")
_ROW_END = b"</table:table-row>"
#: Bytes of a table up to which its rows are looked for at once; and unpacked bytes of tables that are kept.
_KEPT = 2


class TableRange(NamedTuple):
    """Where the element of a sheet is in the unpacked part."""

    start: int
    end: int


class Content:
    """The part, cut: what is before the first table, the tables, and what is after the last one."""

    def __init__(self, package: Package | FlatPackage, name: str) -> None:
        self.package = package
        self.name = name
        self._part = PackedPart(package, name)
        self._kept: dict[int, bytes] = {}
        self._headings: list[int] = []  # where headings are
        self._calculates: bool | None = None
        self._outlines: dict[int, tuple[bytes, Span]] = {}
        self._regions: dict[int, tuple[int, int]] = {}
        self.tables: list[TableRange] = []
        self.is_plain = not self._part.is_converted and self._search()  # whether tables are searched
        if self.is_plain:
            try:
                self._cut()
                self.is_plain = self._prefixes_fit()
            except FileProblem:  # the other way says what is wrong
                self.is_plain = False
        if not self.is_plain:
            self.tables = self._ask()
            self._cut()

    def _cut(self) -> None:
        """Reads all but the tables, and what is between them."""
        first = self.tables[0].start if self.tables else self._end_of_sheets()
        last = self.tables[-1].end if self.tables else first
        self.cut = first
        self.frame = self._part.read(0, first) + self._part.read(last, self._part.size)
        self.gaps = [
            self._part.read(one.end, other.start) for one, other in zip(self.tables, self.tables[1:], strict=False)
        ]
        try:
            self.root = parse(self.frame)
        except NotReadable as problem:
            raise self.problem(problem) from None
        if sheets_of(self.root) is None:
            raise self.package.problem("it has no sheets: not a workbook, despite its name")

    def problem(self, what: object) -> FileProblem:
        """A problem with the part."""
        return self.package.problem(f'its part "{self.name}": {what}')

    @property
    def size(self) -> int:
        """The unpacked bytes."""
        return self._part.size

    def table(self, number: int) -> bytes:
        """The element of a sheet, by its place in the file from 0; those that were read last are kept."""
        data = self._kept.pop(number, None)
        if data is None:
            while len(self._kept) >= _KEPT:
                del self._kept[next(iter(self._kept))]
            data = self._part.read(*self.tables[number])
        self._kept[number] = data
        return data

    @property
    def calculates(self) -> bool:
        """Whether any cell may have a formula."""
        if self._calculates is None:
            self._calculates = not self.is_plain or any(_FORMULA in window for _, window, _ in self._windows())
        return self._calculates

    def names_headings(self, number: int) -> bool:
        """Whether a table may have heading rows."""
        start, end = self.tables[number]
        return not self.is_plain or any(start < place < end for place in self._headings)

    def forget(self) -> None:
        """Lets go of what was read."""
        self._kept.clear()

    def pieces(self, number: int) -> Iterator[bytes]:
        """The element of a sheet piece by piece."""
        known = self._kept.get(number)
        return iter((known,)) if known is not None else self._part.pieces(*self.tables[number])

    def outline(self, number: int) -> tuple[bytes, Span]:
        """The element of a sheet without its rows, and its span tree. Raises `FileProblem`."""
        known = self._outlines.get(number)
        if known is None:
            try:
                known = self._outlines[number] = self._outline(number)
            except NotReadable as problem:
                raise self.problem(problem) from None
        return known

    def _outline(self, number: int) -> tuple[bytes, Span]:
        start, end = self.tables[number]
        head, tail = self._part.read(start, min(end, start + _HEAD)), self._part.read(max(start, end - _TAIL), end)
        if self.is_plain:
            found = _ROWS.search(head)
            last = tail.rfind(_ROW_END)
            if found is not None and last >= 0 and end - start > _HEAD + _TAIL:
                after = _AFTER_ROWS.match(tail, last + len(_ROW_END))
                assert after is not None
                data = head[: found.start()] + tail[after.end() :]
                try:
                    root = self.element(data)
                    self._regions[number] = found.start(), end - start - (len(tail) - after.end())
                    return data, root
                except NotReadable:
                    pass  # a row of one tag is among the last ones, say
        if not self.is_plain:
            data = self.table(number)
            return data, self.element(data)
        data = self.table(number)
        self._regions[number] = first, beyond = rows_in(data, self.element)
        data = data[:first] + data[beyond:]
        return data, self.element(data)

    def region(self, number: int) -> tuple[int, int]:
        """Where the rows of a table begin and end in its element, with what is around them."""
        self.outline(number)
        known = self._regions.get(number)
        if known is None:
            known = self._regions[number] = rows_in(self.table(number), self.element, self.is_plain)
        return known

    def rows(self, number: int) -> Iterator[bytes]:
        """The rows of a table piece by piece."""
        first, last = self.region(number)
        start = self.tables[number].start
        known = self._kept.get(number)
        return iter((known[first:last],)) if known is not None else self._part.pieces(start + first, start + last)

    def element(self, data: bytes) -> Span:
        """The span tree of an element of the part."""
        return parse_element(data, 0, len(data), self.namespaces)

    @property
    def namespaces(self) -> Namespaces:
        """Those that hold for its tables."""
        holder = sheets_of(self.root)
        return holder.namespaces if holder is not None else self.root.namespaces

    # -- cutting

    def _search(self) -> bool:
        """Finds the tables by searching blocks; False where that is not certainly exact. A table begins behind the one
        before; one inside another is found out, as the rest is not well-formed then.
        """
        ends: list[int] = []
        for at, window, last in self._windows():
            if b"!" in window and _ODD in window:  # one sign is found much sooner than two in a row
                return False
            ends += (at + place for place in _found(window, _END, last))
            self._headings += (at + place for place in _found(window, _HEADINGS, last))
        start = self._first_table()
        for end in ends:
            if start is None or end < start:
                return False
            self.tables.append(TableRange(start, end + len(_END)))
            after = self._part.read(end + len(_END), min(end + len(_END) + _BETWEEN, self._part.size))
            found = _NEXT.match(after)
            if found is None:
                break  # what comes after is not a sheet: the tables of links to other programs
            start = end + len(_END) + found.end(1)
        return bool(self.tables)

    def _first_table(self) -> int | None:
        at, rest = 0, b""
        for block in self._part.pieces(0, self._part.size):
            window = rest + block
            found = _FIRST.search(window)
            if found is not None:
                return at + found.start()
            kept = window[-len(b"<table:table ") :]
            at += len(window) - len(kept)
            rest = kept
        return None

    def _windows(self) -> Iterator[tuple[int, bytes, int]]:
        """The part in blocks: the place of each, its bytes, and where what begins in it ends; the rest comes again."""
        rest, at = b"", 0
        for block in self._part.blocks():
            window = rest + block
            last = max(0, len(window) - _OVERLAP)
            yield at, window, last
            at += last
            rest = window[last:]
        yield at, rest, len(rest)

    def _prefixes_fit(self) -> bool:
        """Whether the prefixes that are searched for mean what they usually do where the sheets begin."""
        holder = sheets_of(self.root)
        assert holder is not None
        of = holder.namespaces
        if holder.prefix != "office:" or any(of.get(prefix, uri) != uri for prefix, uri in PREFIXES.items()):
            return False
        return all(prefix in of for prefix in _NEEDED)

    def _ask(self) -> list[TableRange]:
        """Finds the tables with the XML parser, which then reads the whole part."""
        data = self._part.whole()
        parser = expat.ParserCreate(namespace_separator=" ")
        depth: list[str] = []
        found: list[list[int]] = []
        wanted = f"{TABLE} table"
        holder = f"{OFFICE} spreadsheet"

        def start(name: str, _: object) -> None:
            if name == wanted and depth and depth[-1] == holder:
                found.append([parser.CurrentByteIndex, 0])
            depth.append(name)
            if len(depth) > 256:
                raise NotReadable("its elements are nested more than 256 deep, which no office program writes")

        def end(name: str) -> None:
            depth.pop()
            if name == wanted and depth and depth[-1] == holder:
                at = parser.CurrentByteIndex
                found[-1][1] = tag_end(data, at) if at == found[-1][0] else data.index(b">", at) + 1

        def doctype(*_: object) -> None:
            raise NotReadable("it contains a document type declaration, which office files never have and attacks need")

        parser.StartElementHandler, parser.EndElementHandler = start, end
        parser.StartDoctypeDeclHandler = doctype
        try:
            parser.Parse(data, True)
        except expat.ExpatError as error:
            raise self.problem(f"its XML is broken at line {error.lineno}") from None
        except NotReadable as problem:
            raise self.problem(problem) from None
        return [TableRange(*each) for each in found]

    def _end_of_sheets(self) -> int:
        """Where a first table goes in a workbook without any."""
        try:
            holder = sheets_of(parse(self._part.whole()))
        except NotReadable as problem:
            raise self.problem(problem) from None
        return holder.close_start if holder is not None else self._part.size


def _found(window: bytes, needle: bytes, last: int) -> Iterator[int]:
    """Where a needle begins in a window before a place."""
    end = last + len(needle) - 1
    place = window.find(needle, 0, end)
    while place >= 0:
        yield place
        place = window.find(needle, place + 1, end)


#: Bytes at both ends of a table in which what is not a row is looked for first.
_HEAD, _TAIL = 1 << 16, 1 << 16


def sheets_of(root: Span) -> Span | None:
    """The element that contains the sheets (3.7)."""
    body = root.child("body", uri=OFFICE)
    return body.child("spreadsheet", uri=OFFICE) if body is not None else None


def rows_in(data: bytes, element: Callable[[bytes], Span], is_plain: bool = True) -> tuple[int, int]:
    """Where the rows of a sheet begin and end in its element, with what is around them."""
    found = _ROWS.search(data) if is_plain else None
    last = data.rfind(_ROW_END) if found is not None else -1
    if found is not None and last >= found.start():
        after = _AFTER_ROWS.match(data, last + len(_ROW_END))
        assert after is not None
        try:
            element(data[: found.start()] + data[after.end() :])
            return found.start(), after.end()
        except NotReadable:
            pass
    root = element(data)
    rows = [child for child in root.children if _is_rows(child)]
    if rows:
        return rows[0].start, rows[-1].end
    columns = [child.end for child in root.children if child.uri == TABLE and "column" in child.name]
    at = columns[-1] if columns else root.open_end
    return at, at


def _is_rows(span: Span) -> bool:
    return span.uri == TABLE and span.name in ("table-row", "table-rows", "table-header-rows", "table-row-group")
