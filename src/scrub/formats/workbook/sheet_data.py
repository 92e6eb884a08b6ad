"""The cells of a sheet as they are stored (ISO/IEC 29500-1, 18.3.1.80): found in the bytes, no object a cell.

Two readers give the same: `Searched` finds rows and cells by searching the bytes, where that is surely exact;
`Parsed` asks the span tree, for every other part.
"""

from __future__ import annotations

import re
from bisect import bisect_left
from collections import Counter
from collections.abc import Callable, Collection, Iterator, Sequence
from functools import cached_property
from itertools import accumulate
from operator import add

from scrub.formats.spans import NotReadable, Span, number_in, whole
from scrub.formats.workbook.row_form import Alike, of_one_form, plain_rows
from scrub.formats.workbook.stored_cell import CELL, StoredCell, content_of, holds, matched
from scrub.formats.xmltext import attributes_of
from scrub.model.area import MOST_COLUMNS, MOST_ROWS, address_of, column_of, letters_of
from scrub.model.change import cut
from scrub.model.late import late
from scrub.model.named import NamedTuple


class RowSpan(NamedTuple):
    """The byte ranges of one row's tags."""

    start: int
    open_end: int
    close_start: int
    end: int


class Stored:
    """The stored rows and cells of one part; all places are in its bytes."""

    data: bytes
    prefix: str
    numbers: list[int]
    #: Where rows go: inside `sheetData`, and the range of that element when it is an empty one.
    body: tuple[int, int]
    empty_tag: Span | None = None

    def index(self, row: int) -> int:
        """The place of a row among those that are stored, or -1."""
        at = bisect_left(self.numbers, row)
        return at if at < len(self.numbers) and self.numbers[at] == row else -1

    def following(self, row: int) -> int:
        """Where in the bytes a new row goes."""
        at = bisect_left(self.numbers, row)
        return self.row_span(at).start if at < len(self.numbers) else self.body[1]

    def row_span(self, index: int) -> RowSpan:
        """The byte ranges of a stored row."""
        raise NotImplementedError

    def cells(self, index: int) -> list[StoredCell]:
        """The cells of a stored row, from the left."""
        raise NotImplementedError

    def cell(self, row: int, column: int) -> StoredCell | None:
        """One cell, or None where none is stored."""
        index = self.index(row)
        return next((each for each in self.cells(index) if each.column == column), None) if index >= 0 else None

    def column(self, column: int) -> Iterator[StoredCell]:
        """The cells of a column, from above."""
        for index in range(len(self.numbers)):
            yield from (each for each in self.cells(index) if each.column == column)

    def all_cells(self) -> Iterator[StoredCell]:
        """Every cell, row by row."""
        for index in range(len(self.numbers)):
            yield from self.cells(index)

    def misplaced(self) -> set[tuple[int, int]]:
        """Row and column of the cells whose address is of another row than the one they stand in."""
        return set()

    def columns(self) -> Sequence[int]:
        """The first and the last column in which a cell holds something, or fewer."""
        found = sorted({cell.column for cell in self.all_cells() if holds(cell)})
        return found[:1] + found[-1:]

    def stored_columns(self) -> list[int]:
        """The columns in which cells are stored, empty ones too."""
        return sorted({cell.column for cell in self.all_cells()})

    def holding(self, first: int, last: int) -> list[int]:
        """The rows that hold anything, of those from one place to before another."""
        return [self.numbers[index] for index in range(first, last) if self.holds(index)]

    def holds(self, index: int) -> bool:
        """Whether a stored row holds anything."""
        return any(holds(cell) for cell in self.cells(index))


#: A plain cell: row, attributes, value, `t` element, end tag. One that holds more than a plain value or a plain inline
#: text has no end tag here; an empty one has attributes that end in a slash.
PlainCell = tuple[bytes, bytes, bytes, bytes, bytes]
#: Rows that are read at once: a column takes much more room while it is read than when it is known.
_BLOCK = 20_000
_CELL_LETTERS = late(rb'<c r="([A-Z]{1,3})[1-9]')
_ROW = late(rb'<row r="([1-9]\d{0,6})"')
#: A row with the first of its cells that holds something.
_HOLDING_ROW = late(rb'<row r="(\d+)"[^>]*>\s*(?:<c [^>]*(?:/>|></c>)\s*)*<c [^>]*[^/]><(?:v|is|f)[ >]')
_FIRST_HOLDS = late(rb'<row r="(\d+)"[^>]*><c [^>]*[^/]><[vi]')
_ADDRESSES = late(rb'<row r="(\d+)"|<c r="([A-Z]{1,3})(\d+)"')
#: Rows so near to the top that they are quickly found.
_NEAR = 20
_BLANKS = (b" ", b"\t", b"\n", b"\r")
_PLAIN_CELL = late(rb'<c r="([A-Z]{1,3})([1-9]\d*)"([^>]*)>(?:<v>([^<]*)</v>|<is>(<t[^>]*>[^<]*</t>)</is>)?(</c>)?')


def _cells_of(column: int) -> re.Pattern[bytes]:
    """Finds the cells of a column, as a `PlainCell` has them."""
    form = rb'(\d+)"([^>]*)>(?:<v>([^<]*)</v>|<is>(<t[^>]*>[^<]*</t>)</is>)?(</c>)?'
    return re.compile(rb'<c r="' + letters_of(column).encode() + form)


class Searched(Stored):
    """Found by searching the bytes. `exact` tells whether that is safe for a part.

    What a run needs of every row is found by the machine's own searches, never by a step of Python a cell.
    """

    prefix = ""

    def __init__(
        self, data: bytes, start: int, end: int, numbers: list[int] | None = None, wanted: Collection[bytes] = ()
    ) -> None:
        """`numbers` are the rows where they are known from an earlier reading, `wanted` the letters of columns that
        will probably be asked for.
        """
        self.data = data
        self.body = (start, end)
        self._form = of_one_form(data, start, end, wanted) if numbers is None else None
        if self._form is not None:
            self.numbers, self._letters = self._form.numbers, self._form.letters
        else:
            self.numbers = list(map(int, _ROW.findall(data, start, end))) if numbers is None else numbers
        self._last: tuple[int, int, StoredCell | None] = (0, 0, None)

    @cached_property
    def _letters(self) -> list[bytes]:
        every = set(_CELL_LETTERS.findall(self.data, *self.body))
        return sorted(every, key=lambda each: (len(each), each))

    @cached_property
    def _starts(self) -> list[int]:
        start, end = self.body
        rows = self.data[start:end].split(b'<row r="')
        return list(map(add, accumulate(map(len, rows[:-1]), initial=0), range(start - 8, end, 8)))[1:]

    @property
    def has_formulas(self) -> bool:
        """Whether any cell is calculated."""
        if self._form is not None:
            return self._form.has_formulas
        return self.data.find(b"<f", *self.body) >= 0 or self.data.find(b":f", *self.body) >= 0

    def prefix_is_plain(self) -> bool:
        """Whether the elements have no prefix."""
        return self.data.startswith(b"</sheetData", self.body[1])

    def exact(self) -> bool:
        """Whether a search cannot be misled: else nothing is guessed, and the span tree is asked."""
        data, (start, end) = self.data, self.body

        def count(what: bytes) -> int:
            return data.count(what, start, end)

        # As many < as > means that neither stands in a text or a value: each < then begins a tag and each > ends one.
        if self._form is not None or self._is_plain():
            return self.numbers == sorted(set(self.numbers))
        if count(b"<") != count(b">"):
            return False
        if count(b"<row") != len(self.numbers) or self.numbers != sorted(set(self.numbers)):
            return False
        ends = count(b"</c>")
        if count(b"</c") != ends and any(count(b"</c" + rest) for rest in _BLANKS):
            return False
        return (
            self._find_letters()
            and self._closed(b"row", count(b"</row>"), len(self.numbers))
            and self._closed(b"c", ends, count(b"<c "))
        )

    def _is_plain(self) -> bool:
        """Whether the cells are such as most programs write, in the columns of the first ones: told at one look."""
        data, (start, end) = self.data, self.body
        few = set(_CELL_LETTERS.findall(data, start, min(end, start + 20_000)))
        if not few or any(len(each) > 1 for each in few):
            return False
        last = max(few)
        if plain_rows(b"[A-%b]" % last).fullmatch(data, start, end) is None:
            return False
        self._letters = [bytes([each]) for each in range(65, last[0] + 1)]
        return True

    def _closed(self, name: bytes, ends: int, opened: int) -> bool:
        """Whether as many elements of a name end as begin: a damaged part may be cut, or have ends that are none."""
        return ends == opened or ends + self._empty[b"<" + name] == opened

    @cached_property
    def _empty(self) -> Counter[bytes]:
        """How many rows and cells are one tag only, by how they begin."""
        data, (start, end) = self.data, self.body
        found: Counter[bytes] = Counter()
        at = data.find(b"/>", start, end)
        while at >= 0:
            tag = data.rfind(b"<", start, at)
            found[data[tag : tag + 2] if data[tag + 2 : tag + 3] in _BLANKS else data[tag : tag + 4]] += 1
            at = data.find(b"/>", at + 2, end)
        return found

    def _find_letters(self) -> bool:
        """Finds the letters of all columns; False when a cell is written in another form, or has no such address."""
        data, (start, end) = self.data, self.body
        few = set(_CELL_LETTERS.findall(data, start, min(end, start + 20_000)))
        if few and all(len(each) == 1 for each in few):
            # One search for any other cell tells most sheets at once.
            last = max(few)
            if re.compile(rb'<c(?! r="[A-' + last + rb']\d{1,7}")').search(data, start, end) is None:
                self._letters = [bytes([each]) for each in range(65, last[0] + 1)]
                return True
        every = _CELL_LETTERS.findall(data, start, end)
        self._letters = sorted(set(every), key=lambda each: (len(each), each))
        cells = data.count(b"<c ", start, end)
        # Other elements that begin with c stand in rich texts; a cell in another form must not hide among them.
        odd = any(data.count(b"<c" + rest, start, end) for rest in (b">", b"/", *_BLANKS[1:]))
        return len(every) == cells and not odd

    def _range(self, index: int) -> tuple[int, int]:
        """Where a row begins and ends. Headings and the last row are found without a table of all places."""
        if "_starts" in self.__dict__ or _NEAR <= index < len(self.numbers) - 1:
            return self._starts[index], self._end(index)
        if index == len(self.numbers) - 1:
            return self.data.rindex(b"<row ", *self.body), self.body[1]
        return self.next_row(self.numbers[index], self.body[0])

    def next_row(self, row: int, after: int) -> tuple[int, int]:
        """Where a stored row begins and ends, searched from a place in the bytes."""
        start = self.data.index(b'<row r="%d"' % row, after)
        end = self.data.find(b"<row ", start + 5, self.body[1])
        return start, end if end >= 0 else self.body[1]

    def _open(self, index: int) -> int:
        return self.data.index(b">", self._starts[index]) + 1

    def _end(self, index: int) -> int:
        return self._starts[index + 1] if index + 1 < len(self._starts) else self.body[1]

    def row_span(self, index: int) -> RowSpan:
        """The byte ranges of a stored row."""
        start, open_end = self._starts[index], self._open(index)
        if self.data[open_end - 2 : open_end] == b"/>":
            return RowSpan(start, open_end, open_end, open_end)
        close = self.data.find(b"</row>", open_end, self._end(index))
        if close < 0:
            raise NotReadable(f"row {self.numbers[index]} has no end")
        return RowSpan(start, open_end, close, close + len(b"</row>"))

    def cells(self, index: int) -> list[StoredCell]:
        """The cells of a stored row."""
        return [matched(found) for found in CELL.finditer(self.data, *self._range(index))]

    def cell(self, row: int, column: int) -> StoredCell | None:
        """One cell. What is asked of a cell is asked several times in a row, so that the last one is kept."""
        if self._last[:2] != (row, column):
            self._last = (row, column, self._find(row, column))
        return self._last[2]

    def _find(self, row: int, column: int) -> StoredCell | None:
        index = self.index(row)
        if index < 0:
            return None
        needle = f'<c r="{address_of(row, column)}"'.encode()
        at = self.data.find(needle, *self._range(index))
        found = CELL.match(self.data, at) if at >= 0 else None
        return matched(found) if found else None

    def plain_column(self, column: int) -> Iterator[tuple[list[int], list[PlainCell]]]:
        """The cells of a column, block by block, each with the numbers of all rows of the block."""
        if letters_of(column).encode() not in self._letters:
            return
        cells = _cells_of(column)
        for rows, start, end in self._blocks():
            yield rows, cells.findall(self.data, start, end)

    def alike_or_plain(self, column: int) -> Iterator[tuple[list[int], Alike | list[PlainCell]]]:
        """The same; cells that have one form, one in each row of the block, are given by their values alone."""
        if letters_of(column).encode() not in self._letters:
            return  # before a pattern is compiled for it
        cells, form = _cells_of(column), self._form
        known = form.columns.pop(letters_of(column).encode(), None) if form is not None else None
        if form is not None and known is not None:  # kept until it was asked for
            above = len(self.numbers) - len(known.values)
            yield self.numbers[:above], cells.findall(self.data, self.body[0], form.start)
            yield self.numbers[above:], known
            return
        for rows, start, end in self._blocks():
            alike = self._alike(letters_of(column).encode(), cells, start, end) if len(rows) > _NEAR else None
            is_whole = alike is not None and len(alike.values) == len(rows)
            yield rows, alike if alike is not None and is_whole else cells.findall(self.data, start, end)

    def _blocks(self) -> Iterator[tuple[list[int], int, int]]:
        """Rows that are read at once: their numbers, and where they begin and end."""
        start, last = self.body
        ends = [*range(1, len(self.numbers), _BLOCK), len(self.numbers)]  # the first row is often one of headings
        for first, following in zip([0, *ends], ends, strict=False):
            end = last
            if following < len(self.numbers):
                end = self.data.index(b'<row r="%d"' % self.numbers[following], start)
            yield self.numbers[first:following], start, end
            start = end

    def _alike(self, letters: bytes, cells: re.Pattern[bytes], start: int, end: int) -> Alike | None:
        """The values of those cells that have the form of the last one, which many columns have all through."""
        at = self.data.rfind(b'<c r="' + letters, start, end)
        found = cells.match(self.data, at, end) if at >= 0 else None
        if found is None or not found[5]:
            return None
        form, value, text = found.group(2, 3, 4)
        inside = (rb"<v>", rb"</v>") if value is not None else (rb"<is><t[^>]*>", rb"</t></is>")
        if (text is not None) != (
            attributes_of(form).get("t") == "inlineStr"
        ):  # a value where a text is said to stand, or neither
            return None
        searched = rb'<c r="' + letters + rb'\d+"' + re.escape(form) + rb">" + inside[0] + rb"([^<]*)" + inside[1]
        return Alike(form, re.compile(searched + b"</c>").findall(self.data, start, end))

    def plain_cells(self, empty: bool = False) -> Iterator[tuple[int, int, bytes | None, bytes, bytes]]:
        """Every cell as `plain_column` gives them, with its column; one of another form has no attributes.

        Empty ones are given only with `empty`.
        """
        letters: dict[bytes, int] = {}
        for found in _PLAIN_CELL.finditer(self.data, *self.body):
            name, row, attributes, value, text, ending = found.groups()
            column = letters.get(name)
            if column is None:
                column = letters[name] = column_of(name.decode())
            if ending:
                yield int(row), column, attributes, value or b"", text or b""
            elif empty or not attributes.endswith(b"/"):
                yield int(row), column, None, b"", b""

    def misplaced(self) -> set[tuple[int, int]]:
        """Row and column of the cells whose address is of another row than the one they stand in."""
        found: set[tuple[int, int]] = set()
        row = 0
        for number, letters, own in _ADDRESSES.findall(self.data, *self.body):
            if number:
                row = int(number)
            elif int(own) != row:
                found.add((int(own), column_of(letters.decode())))
        return found

    def all_cells(self) -> Iterator[StoredCell]:
        """Every cell."""
        return map(matched, CELL.finditer(self.data, *self.body))

    def columns(self) -> Sequence[int]:
        """The first and the last column in which a cell holds something, or fewer."""
        first = next((each for each in self._letters if self._column_holds(each)), None)
        if first is None:
            return ()
        last = next(each for each in reversed(self._letters) if self._column_holds(each))
        return column_of(first.decode()), column_of(last.decode())

    def stored_columns(self) -> list[int]:
        """The columns in which cells are stored, empty ones too."""
        if len(self._letters) > 26:
            letters = list(set(_CELL_LETTERS.findall(self.data, *self.body)))
        else:  # of each the first cell is looked for, which is found soon
            letters = [
                each for each in self._letters if re.compile(rb'<c r="%b[1-9]' % each).search(self.data, *self.body)
            ]
        return sorted(column_of(each.decode()) for each in letters)

    def _column_holds(self, letters: bytes) -> bool:
        for found in re.compile(rb'<c r="' + letters + rb'\d+"(?:|[^>]*[^/>])>(?!</c>)').finditer(
            self.data, *self.body
        ):
            cell = CELL.match(self.data, found.start())
            if cell and holds(matched(cell)):
                return True
        return False

    def holds(self, index: int) -> bool:
        """Whether a stored row holds anything."""
        if "_holding" in self.__dict__:
            return self.numbers[index] in self._holding
        return super().holds(index)

    @cached_property
    def _holding(self) -> set[int]:
        return set(self._holding_rows)

    @cached_property
    def _holding_rows(self) -> list[int]:
        data, (start, end) = self.data, self.body
        if data.find(b"<v></v>", start, end) >= 0 or data.find(b"<v/>", start, end) >= 0:
            return [number for index, number in enumerate(self.numbers) if super(Searched, self).holds(index)]
        found = list(map(int, _FIRST_HOLDS.findall(data, start, end)))
        if len(found) < len(self.numbers):  # most rows begin with a filled cell; else all cells are looked at
            found = list(map(int, _HOLDING_ROW.findall(data, start, end)))
        return found

    def holding(self, first: int, last: int) -> list[int]:
        """The rows that hold anything, of those from one place to before another."""
        if last - first < 3:
            return [self.numbers[index] for index in range(first, last) if self.holds(index)]
        rows = self._holding_rows
        least, most = self.numbers[first], self.numbers[last - 1]
        return rows[bisect_left(rows, least) : bisect_left(rows, most + 1)]


class Parsed(Stored):
    """Read with the span tree."""

    def __init__(self, data: bytes, root: Span, problem: Callable[[str], Exception], beyond: bool = False) -> None:
        """`problem` makes the exception for a cell that cannot be read; `beyond` lets lines stand behind the last one,
        which have no place yet.
        """
        self.data = data
        self._problem = problem
        self._most = (2 * MOST_ROWS, 2 * MOST_COLUMNS) if beyond else (MOST_ROWS, MOST_COLUMNS)
        holder = root.child("sheetData")
        self.numbers = []
        self._rows: list[Span] = []
        self._cells: dict[int, list[StoredCell]] = {}
        if holder is None:
            self.prefix, self.body = root.prefix, (root.close_start, root.close_start)
            return
        self.prefix = holder.prefix
        self.body = (holder.open_end, holder.close_start)
        self.empty_tag = holder if holder.open_end == holder.end else None
        number = 0
        for span in holder.all("row"):
            before, number = number, _row_number(span, number)
            if not before < number <= self._most[0]:
                raise NotReadable(f"row {number} stands below row {before}, which no program can read surely")
            self.numbers.append(number)
            self._rows.append(span)

    def row(self, index: int) -> Span:
        """The element of a stored row."""
        return self._rows[index]

    def row_span(self, index: int) -> RowSpan:
        """The byte ranges of a stored row."""
        row = self._rows[index]
        return RowSpan(row.start, row.open_end, row.close_start, row.end)

    def cells(self, index: int) -> list[StoredCell]:
        """The cells of a stored row. One without an address stands right of the one before it (18.3.1.4)."""
        known = self._cells.get(index)
        if known is None:
            try:
                known = self._cells[index] = self._read_cells(index)
            except (NotReadable, ValueError) as problem:
                raise self._problem(str(problem)) from None
        return known

    def _read_cells(self, index: int) -> list[StoredCell]:
        number, column, found = self.numbers[index], 0, []
        for cell in self._rows[index].all("c"):
            address = cell.attributes.get("r", "").replace("$", "")
            letters = address.rstrip("0123456789")
            if letters and not (letters.isascii() and letters.isalpha()):
                raise NotReadable(f'in row {number}, "{cut(address)}" is no address of a cell')
            if letters and int(address[len(letters) :] or "0") != number:
                raise NotReadable(f"the cell {address} stands in row {number}")
            before, column = column, column_of(letters) if letters else column + 1
            if not before < column <= self._most[1]:
                raise NotReadable(f"in row {number}, {letters_of(column)} stands behind {letters_of(before)}")
            value, formula, inline, tail = content_of(self.data, cell)
            style, type_ = number_in(cell.attributes, "s"), cell.attributes.get("t", "n")
            found.append(StoredCell(number, column, cell.start, cell.end, style, type_, value, formula, inline, tail))
        return found


def _row_number(row: Span, before: int) -> int:
    """The number of a row: its own, or that of its cells, or the next one (18.3.1.73)."""
    own = row.attributes.get("r", "")
    if own:
        return int(own)
    first = next((each.attributes["r"] for each in row.all("c") if each.attributes.get("r")), "")
    digits = first.lstrip("$ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz")
    return whole(digits, MOST_ROWS) or before + 1
