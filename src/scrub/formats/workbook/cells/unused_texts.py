"""Texts that only cells used which go: they leave the list of shared texts too, so that nobody finds them in the file
(ISO/IEC 29500-1, 18.4.9).
"""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator

from scrub.formats.shift import SheetShift
from scrub.formats.spans import Splice, spliced, whole
from scrub.formats.workbook.cells.searched import Searched
from scrub.formats.workbook.cells.sheet_data import Stored
from scrub.model.core.area import column_of
from scrub.model.core.lazy_pattern import lazy_pattern

_SHARED = lazy_pattern(rb'<c r="([A-Z]+)(\d+)"[^>]*? t="s"[^>]*><v>(\d+)</v>')
_SHARED_TYPE = lazy_pattern(rb"""\st\s*=\s*["']s["']""")
_ENTRY = lazy_pattern(rb"<((?:[A-Za-z_][\w.-]*:)?)si(?=[\s/>])(?:[^>]*/>|[^>]*>.*?</\1si\s*>)", re.DOTALL)
#: Tags that open an entry, those that close one, and those that are a whole one.
_TAGS = tuple(
    lazy_pattern(each)
    for each in (
        rb"<(?:[A-Za-z_][\w.-]*:)?si[\s/>]", rb"</(?:[A-Za-z_][\w.-]*:)?si\s*>",
        rb"<(?:[A-Za-z_][\w.-]*:)?si(?:\s[^>]*)?/>",
    )
)  # fmt: skip
_MOST = 1 << 31


def sees_texts(stored: Searched) -> bool:
    """Whether a search finds every shared text of a part. One that it did not see would be emptied while it is used."""
    data, (start, end) = stored.data, stored.body
    there = len(_SHARED_TYPE.findall(data, start, end))
    return there == (len(_SHARED.findall(data, start, end)) if there else 0)


def texts_in(stored: Stored, shift: SheetShift | None = None) -> set[int]:
    """The numbers of the shared texts in the cells of a sheet, or in those that go."""
    return {text for row, column, text in _texts(stored) if shift is None or shift.cell(row, column) is None}


def texts_staying(stored: Stored, shift: SheetShift) -> set[int]:
    """The numbers of the shared texts in the cells that stay."""
    return {text for row, column, text in _texts(stored) if shift.cell(row, column) is not None}


def _texts(stored: Stored) -> Iterator[tuple[int, int, int]]:
    """The row, the column and the number of each shared text."""
    if isinstance(stored, Searched):
        for letters, row, text in _SHARED.findall(stored.data, *stored.body):
            yield int(row), column_of(letters.decode()), int(text)
        return
    for cell in stored.all_cells():
        number = whole((cell.value or "").strip(), _MOST) if cell.type == "s" else None
        if number is not None:
            yield cell.row, cell.column, number


def without_texts(data: bytes, numbers: Iterable[int]) -> bytes | None:
    """The list of shared texts with some of them emptied: the others keep their numbers. None where they cannot be
    found certainly.
    """
    opened, closed, empty = (len(each.findall(data)) for each in _TAGS)
    if b"<!" in data or opened != closed + empty:
        return None
    entries = list(_ENTRY.finditer(data))
    if len(entries) != opened:
        return None
    matches = [entries[number] for number in sorted(numbers) if number < len(entries)]
    return spliced(
        data, [Splice(match.start(), match.end(), b"<%bsi><%bt/></%bsi>" % ((match[1],) * 3)) for match in matches]
    )
