"""The cells of a sheet found by searching its bytes, where that is certainly exact."""

from __future__ import annotations

import re
from bisect import bisect_left
from collections import Counter
from collections.abc import Collection, Iterator, Sequence
from functools import cached_property
from itertools import accumulate
from operator import add, lt
from typing import Any

from scrub.formats.spans import NotReadable
from scrub.formats.workbook.cells.row_form import ROW, Alike, numbers_of, of_one_form, plain_rows
from scrub.formats.workbook.cells.sheet_data import RowSpan, Stored
from scrub.formats.workbook.cells.stored_cell import CELL, StoredCell, holds, matched
from scrub.formats.xmltext import attributes_of
from scrub.model.core.area import address_of, column_of, letters_of
from scrub.model.core.lazy_pattern import lazy_pattern

#: A plain cell: row, attributes, value, `t` element, end tag. One that contains more than a plain value or a plain
#: inline text has no end tag here; an empty one has attributes that end in a slash.
PlainCell = tuple[bytes, bytes, bytes, bytes, bytes]
#: Rows that are read at once: a column takes much more room while it is read than when it is known.
_BLOCK = 20_000
_CELL_LETTERS = lazy_pattern(rb'<c r="([A-Z]{1,3})[1-9]')
#: A row with the first of its cells that contains something.
_HOLDING_ROW = lazy_pattern(rb'<row r="(\d+)"[^>]*>\s*(?:<c [^>]*(?:/>|></c>)\s*)*<c [^>]*[^/]><(?:v|is|f)[ >]')
_FIRST_HOLDS = lazy_pattern(rb'<row r="(\d+)"[^>]*><c [^>]*[^/]><[vi]')
_ADDRESSES = lazy_pattern(rb'<row r="(\d+)"|<c r="([A-Z]{1,3})(\d+)"')
#: Rows so near to the top that they are quickly found.
_NEAR = 20
_BLANKS = (b" ", b"\t", b"\n", b"\r")
_PLAIN_CELL = lazy_pattern(
    rb'<c r="([A-Z]{1,3})([1-9]\d*)"([^>]*)>(?:<v>([^<]*)</v>|<is>(<t[^>]*>[^<]*</t>)</is>)?(</c>)?'
)


#: Bytes of a row from which the places of all its cells are noted at once, as a search for each goes through the row;
#: and how many places are kept of such rows.
LONG_ROW, _MOST_PLACES = 4_000, 1_000_000
_CELL_START = lazy_pattern(rb'<c r="[A-Z]+\d+"')


def places_in(data: bytes, start: int, end: int) -> dict[bytes, int]:
    """Where each cell of a row begins, by the beginning of its tag; the first of two with one address counts."""
    places: dict[bytes, int] = {}
    for match in _CELL_START.finditer(data, start, end):
        places.setdefault(match[0], match.start())
    return places


def _cells_of(column: int) -> re.Pattern[bytes]:
    """Finds the cells of a column, as a `PlainCell` has them."""
    form = rb'(\d+)"([^>]*)>(?:<v>([^<]*)</v>|<is>(<t[^>]*>[^<]*</t>)</is>)?(</c>)?'
    return re.compile(rb'<c r="' + letters_of(column).encode() + form)


#: Number of cells in a column up to which a plain search finds each; a pattern looks at every byte between them.
_RARE = 1_000


def found_in_column(pattern: re.Pattern[bytes], letters: bytes, data: bytes, start: int, end: int) -> list[Any]:
    """What `pattern.findall` gives, for a pattern of the cells of one column; quickly where they are few."""
    needle = b'<c r="' + letters
    found: list[Any] = []
    at = data.find(needle, start, end)
    while at >= 0:
        match = pattern.match(data, at, end)
        if match is not None:
            found.append(match[pattern.groups] if pattern.groups < 2 else match.groups(b""))
            if len(found) > _RARE:
                return pattern.findall(data, start, end)
        at = data.find(needle, match.end() if match is not None else at + 1, end)
    return found


class Searched(Stored):
    """Found by searching the bytes. `exact` tells whether that is safe for a part.

    What a run needs of every row is found by the machine's own searches, never by a step of Python a cell.
    """

    prefix = ""

    def __init__(
        self, data: bytes, start: int, end: int, numbers: Sequence[int] | None = None, wanted: Collection[bytes] = ()
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
            self.numbers = numbers_of(ROW, data, start, end) if numbers is None else numbers
        self._near: dict[int, tuple[int, int]] = {}  # the ranges of the first rows and the last one
        self._long_rows: dict[int, dict[bytes, int]] = {}  # the places of cells, by the beginnings of rows
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

        if self._form is not None or self._is_plain():
            return self._ascends
        # As many < as > means that neither is in a text or a value: each < then begins a tag and each > ends one.
        if count(b"<") != count(b">"):
            return False
        if count(b"<row") != len(self.numbers) or not self._ascends:
            return False
        ends = count(b"</c>")
        if count(b"</c") != ends and any(count(b"</c" + rest) for rest in _BLANKS):
            return False
        return (
            self._find_letters()
            and self._closed(b"row", count(b"</row>"), len(self.numbers))
            and self._closed(b"c", ends, count(b"<c "))
        )

    @property
    def _ascends(self) -> bool:
        """Whether each row has a greater number than the one before it."""
        return isinstance(self.numbers, range) or all(map(lt, self.numbers, self.numbers[1:]))

    @cached_property
    def _keys(self) -> Sequence[int]:
        """The numbers of the rows, as the tables of all columns share them."""
        return list(self.numbers)

    @cached_property
    def _last_of_first(self) -> bytes:
        """The last letter of the columns in the first rows; none where any has more than one letter."""
        start, end = self.body
        few = set(_CELL_LETTERS.findall(self.data, start, min(end, start + 20_000)))
        return max(few) if few and all(len(each) == 1 for each in few) else b""

    def _to_last(self) -> bool:
        """Notes the letters of all columns, which are those to the last one of the first rows."""
        self._letters = [bytes([each]) for each in range(65, self._last_of_first[0] + 1)]
        return True

    def _is_plain(self) -> bool:
        """Whether the cells are such as most programs write, in the columns of the first ones: told at one look."""
        last = self._last_of_first
        return bool(last and plain_rows(b"[A-%b]" % last).fullmatch(self.data, *self.body)) and self._to_last()

    def _closed(self, name: bytes, ends: int, opened: int) -> bool:
        """Whether as many elements of a name end as begin: a damaged part may be cut, or have ends that are none."""
        return ends == opened or ends + self._empty[b"<" + name] == opened

    @cached_property
    def _empty(self) -> Counter[bytes]:
        """How many rows and cells are one tag only, by how they begin."""
        data, (start, end) = self.data, self.body
        result: Counter[bytes] = Counter()
        at = data.find(b"/>", start, end)
        while at >= 0:
            tag = data.rfind(b"<", start, at)
            result[data[tag : tag + 2] if data[tag + 2 : tag + 3] in _BLANKS else data[tag : tag + 4]] += 1
            at = data.find(b"/>", at + 2, end)
        return result

    def _find_letters(self) -> bool:
        """Finds the letters of all columns; False when a cell is written in another form, or has no such address."""
        data, (start, end) = self.data, self.body
        last = self._last_of_first
        # One search for any other cell tells most sheets at once.
        if last and re.compile(rb'<c(?! r="[A-' + last + rb']\d{1,7}")').search(data, start, end) is None:
            return self._to_last()
        every = _CELL_LETTERS.findall(data, start, end)
        self._letters = sorted(set(every), key=lambda each: (len(each), each))
        cells = data.count(b"<c ", start, end)
        # Other elements that begin with c are in rich texts; a cell in another form must not hide among them.
        odd = any(data.count(b"<c" + rest, start, end) for rest in (b">", b"/", *_BLANKS[1:]))
        return len(every) == cells and not odd

    def _range(self, index: int) -> tuple[int, int]:
        """Where a row begins and ends. Headings and the last row are found without a table of all places."""
        if "_starts" in self.__dict__ or _NEAR <= index < len(self.numbers) - 1:
            return self._starts[index], self._end(index)
        result = self._near.get(index)
        if result is None:
            if index == len(self.numbers) - 1:
                result = self.data.rindex(b"<row ", *self.body), self.body[1]
            else:
                result = self.next_row(self.numbers[index], self.body[0])
            self._near[index] = result
        return result

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
        start, end = self._range(index)
        at = self.data.find(needle, start, end) if end - start <= LONG_ROW else self._in_long(start, end, needle)
        match = CELL.match(self.data, at) if at >= 0 else None
        return matched(match) if match else None

    def _in_long(self, start: int, end: int, needle: bytes) -> int:
        """Where a cell begins in a row with very many, whose places are noted at once."""
        places = self._long_rows.get(start)
        if places is None:
            kept = self._long_rows
            places = kept[start] = places_in(self.data, start, end)
            while len(kept) > 1 and sum(map(len, kept.values())) > _MOST_PLACES:
                del kept[next(iter(kept))]
        return places.get(needle, -1)

    def plain_column(self, column: int) -> Iterator[tuple[Sequence[int], list[PlainCell]]]:
        """The cells of a column, block by block, each with the numbers of all rows of the block."""
        if letters_of(column).encode() not in self._letters:
            return
        cells = _cells_of(column)
        for rows, start, end in self._blocks(self._keys):
            yield rows, found_in_column(cells, letters_of(column).encode(), self.data, start, end)

    def alike_or_plain(
        self, column: int, as_keys: bool = True
    ) -> Iterator[tuple[Sequence[int], Alike | list[PlainCell]]]:
        """The same; cells that have one form, one in each row of the block, are given by their values alone. `as_keys`
        tells that a table of the rows is made.
        """
        numbers = self._keys if as_keys else self.numbers
        letters = letters_of(column).encode()
        if letters not in self._letters:
            return  # before a pattern is compiled for it
        cells, form = _cells_of(column), self._form
        known = form.columns.pop(letters, None) if form else None
        if form and known:  # kept until it was asked for
            above = len(numbers) - len(known.values)
            yield numbers[:above], found_in_column(cells, letters, self.data, self.body[0], form.start)
            yield numbers[above:], known
            return
        for rows, start, end in self._blocks(numbers):
            alike = self._alike(letters, cells, start, end) if len(rows) > _NEAR else None
            is_whole = alike and len(alike.values) == len(rows)
            yield rows, alike if alike and is_whole else found_in_column(cells, letters, self.data, start, end)

    def _blocks(self, numbers: Sequence[int]) -> Iterator[tuple[Sequence[int], int, int]]:
        """Rows that are read at once: their numbers, and where they begin and end."""
        start, last = self.body
        ends = [*range(1, len(numbers), _BLOCK), len(numbers)]  # the first row is often one of headings
        for first, following in zip([0, *ends], ends, strict=False):
            end = last
            if following < len(numbers):
                end = self.data.index(b'<row r="%d"' % numbers[following], start)
            yield numbers[first:following], start, end
            start = end

    def _alike(self, letters: bytes, cells: re.Pattern[bytes], start: int, end: int) -> Alike | None:
        """The values of those cells that have the form of the last one, which many columns have all through."""
        at = self.data.rfind(b'<c r="' + letters, start, end)
        match = cells.match(self.data, at, end) if at >= 0 else None
        if match is None or not match[5]:
            return None
        form, value, text = match.group(2, 3, 4)
        inside = (rb"<v>", rb"</v>") if value is not None else (rb"<is><t[^>]*>", rb"</t></is>")
        if (text is not None) != (
            attributes_of(form).get("t") == "inlineStr"
        ):  # a value where a text is said to be, or neither
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
        """Row and column of the cells whose address is of another row than the one they are in."""
        result: set[tuple[int, int]] = set()
        row = 0
        for number, letters, own in _ADDRESSES.findall(self.data, *self.body):
            if number:
                row = int(number)
            elif int(own) != row:
                result.add((int(own), column_of(letters.decode())))
        return result

    def all_cells(self) -> Iterator[StoredCell]:
        """Every cell."""
        return map(matched, CELL.finditer(self.data, *self.body))

    def columns(self) -> Sequence[int]:
        """The first and the last column in which a cell contains something, or fewer."""
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
        """Whether a stored row contains anything."""
        if "_holding" in self.__dict__:
            return self.numbers[index] in self._holding
        return super().holds(index)

    @cached_property
    def _holding(self) -> set[int]:
        return set(self._holding_rows)

    @cached_property
    def _holding_rows(self) -> Sequence[int]:
        data, (start, end) = self.data, self.body
        if data.find(b"<v></v>", start, end) >= 0 or data.find(b"<v/>", start, end) >= 0:
            return [number for index, number in enumerate(self.numbers) if super(Searched, self).holds(index)]
        result = numbers_of(_FIRST_HOLDS, data, start, end)
        if len(result) < len(self.numbers):  # most rows begin with a filled cell; else all cells are looked at
            result = numbers_of(_HOLDING_ROW, data, start, end)
        return result

    def holding(self, first: int, last: int) -> Sequence[int]:
        """The rows that hold anything, of those from one place to before another."""
        if last - first < 3:
            return [self.numbers[index] for index in range(first, last) if self.holds(index)]
        rows = self._holding_rows
        least, most = self.numbers[first], self.numbers[last - 1]
        return rows[bisect_left(rows, least) : bisect_left(rows, most + 1)]
