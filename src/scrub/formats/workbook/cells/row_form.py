"""Rows of one form: a sheet of data repeats one row, so that all values of all columns are found at one pass
(ISO/IEC 29500-1, 18.3.1.73).
"""

from __future__ import annotations

import re
from array import array
from collections.abc import Collection, Sequence
from itertools import count
from operator import eq

from scrub.formats.xmltext import attributes_of
from scrub.model.core.lazy_pattern import lazy_pattern
from scrub.model.core.named import NamedTuple

#: The bytes of rows that are read so: for fewer it does not pay, and what is found in more would take much room until
#: somebody asks for it.
_LEAST, _MOST = 50_000, 8_000_000
#: The bytes of rows that are searched at once for numbers.
_PIECE = 4_000_000
#: The cells of such a row: a pattern of more takes long to make.
_MOST_CELLS = 100
#: The bytes of rows above that may have other forms: headings and titles.
_MOST_ABOVE = 100_000
_NUMBERED = rb'<row r="([1-9][0-9]{0,6})"'
#: The number of a row, and how a row that is not empty begins.
ROW = lazy_pattern(_NUMBERED)
_HEAD = _NUMBERED + rb"[^<>/]*+>"
_CELLS = lazy_pattern(
    rb'<c r="([A-Z]{1,3})([1-9][0-9]{0,6})"([^<>/]*+)'
    rb"(?:(/>)|>(?:(<f>[^<>]*+</f>)?+<v>([^<>]*+)</v>|<is><t[^<>/]*+>([^<>]*+)</t></is>)</c>)"
)
#: Rows of values, texts and formulas, with nothing between them; `%b` means the letters of their columns.
_PLAIN_ROWS = (
    rb'(?:<row r="[1-9][0-9]{0,6}"[^<>/]*+(?:/>|>(?:<c r="%b[1-9][0-9]{0,6}"[^<>/]*+(?:/>|>(?:'
    rb"(?:<f>[^<>]*+</f>)?+<v>[^<>]*+</v>|<is><t[^<>/]*+>[^<>]*+</t></is>)</c>))*+</row>))*+"
)


class Alike(NamedTuple):
    """Cells of one form, with the attributes that all have and the value of each."""

    form: bytes
    values: list[bytes]


class OneForm(NamedTuple):
    """Rows of one form: where they begin, the numbers of all rows, the letters of all columns, whether any is
    calculated, and what is in those columns of theirs that hold plain values.
    """

    start: int
    numbers: Sequence[int]
    letters: list[bytes]
    has_formulas: bool
    columns: dict[bytes, Alike]


def numbers_of(found: re.Pattern[bytes], data: bytes, start: int, end: int) -> Sequence[int]:
    """The numbers that a pattern finds in rows, piece by piece: a million take much room while they are texts."""
    if end - start <= _PIECE:
        return as_rows(list(map(int, found.findall(data, start, end))))
    numbers = array("I")
    while start < end:
        following = data.find(b"<row ", start + _PIECE, end)
        piece_end = following if following >= 0 else end
        numbers.extend(map(int, found.findall(data, start, piece_end)))
        start = piece_end
    return as_rows(numbers)


def as_rows(numbers: Sequence[int]) -> Sequence[int]:
    """Numbers of rows in little room, where each follows the one before."""
    if numbers and all(map(eq, numbers, count(numbers[0]))):
        return range(numbers[0], numbers[-1] + 1)
    return numbers


def plain_rows(letters: bytes) -> re.Pattern[bytes]:
    """A pattern that rows match which are written as most programs do, in columns of these letters."""
    return re.compile(_PLAIN_ROWS % letters)


def of_one_form(data: bytes, start: int, end: int, wanted: Collection[bytes] = ()) -> OneForm | None:
    """The rows in a range, where all but the first few have the form of the last one; None for others. What is in the
    columns with the `wanted` letters is found, in all where none are named.
    """
    last = data.rfind(b'<row r="', start, end)
    if last < 0 or not _LEAST < end - start < _MOST:
        return None
    known = _form_of(data[last:end], wanted)
    if known is None:
        return None
    pattern, cells = known
    for share in (1, 2, 3):  # a look at a few rows tells whether it pays
        row = data.find(b'<row r="', start + (last - start) * share // 4, end)
        if pattern.match(data, row, end) is None:
            return None
    pieces = pattern.split(data[start:end])
    width = pattern.groups + 1
    above = pieces[0]
    if any(pieces[width::width]) or len(above) > _MOST_ABOVE or plain_rows(rb"[A-Z]{1,3}").fullmatch(above) is None:
        return None
    letters = {cell[0] for cell in cells} | {found[1] for found in _CELLS.finditer(above)}
    columns, place = {}, 1
    for name, attributes, is_held in cells:
        if is_held:
            place += 1
            columns[name] = Alike(attributes, pieces[place::width])
    numbers = as_rows(list(map(int, [*ROW.findall(above), *pieces[1::width]])))
    has_formulas = b"<f" in above or b"<f" in data[last:end]
    return OneForm(
        start + len(above), numbers, sorted(letters, key=lambda each: (len(each), each)), has_formulas, columns
    )


def _form_of(row: bytes, wanted: Collection[bytes]) -> tuple[re.Pattern[bytes], list[tuple[bytes, bytes, bool]]] | None:
    """What rows like one match; of each of its cells the characters, the attributes, and whether its value is found."""
    head = re.match(_HEAD, row)
    if head is None:
        return None
    form, at = _HEAD, head.end()
    cells: list[tuple[bytes, bytes, bool]] = []
    for found in _CELLS.finditer(row):
        letters, number, attributes, empty, formula, value, text = found.groups()
        is_text = attributes_of(attributes).get("t") == "inlineStr"
        left = cells[-1][0] if cells else b""
        if (len(letters), letters) <= (len(left), left):  # there twice, or in the wrong place
            return None
        if len(cells) > _MOST_CELLS or found.start() != at or number != head[1] or is_text != (text is not None):
            return None
        at = found.end()
        form += rb'<c r="' + letters + rb'\1"' + re.escape(attributes)
        if empty:
            form += b"/>"
        elif formula:
            form += rb"><f>[^<>]*+</f><v>[^<>]*+</v></c>"
        else:
            inside = rb"([^<>]*+)" if letters in wanted or not wanted else rb"[^<>]*+"
            before, behind = (b"<v>", b"</v>") if value is not None else (b"<is><t[^<>/]*+>", b"</t></is>")
            form += b">" + before + inside + behind + b"</c>"
        cells.append((letters, attributes, not empty and not formula and (letters in wanted or not wanted)))
    return (re.compile(form + b"</row>"), cells) if cells and row[at:] == b"</row>" else None
