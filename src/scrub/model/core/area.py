"""Ranges of cells, and how they are written: `B2:F10`, `C4`, `C:D`, `3:5`. Rows and columns count from 1."""

from __future__ import annotations

from collections.abc import Callable
from functools import lru_cache

from scrub.model.core.lazy_pattern import lazy_pattern
from scrub.model.core.named import NamedTuple
from scrub.model.core.problem import Failure

#: The size of the largest sheet that the common programs open.
MOST_ROWS, MOST_COLUMNS = 1_048_576, 16_384

_FORM = lazy_pattern(r"\$?([A-Za-z]{1,3})?\$?(\d{1,7})?(?::\$?([A-Za-z]{1,3})?\$?(\d{1,7})?)?")


@lru_cache(maxsize=1024)
def letters_of(column: int) -> str:
    """The letters of a column: 1 is A, 27 is AA. What is not a column has none."""
    result = ""
    column = max(0, column)
    while column:
        column, rest = divmod(column - 1, 26)
        result = chr(65 + rest) + result
    return result


@lru_cache(maxsize=1024)
def column_of(letters: str) -> int:
    """The number of a column by its letters."""
    number = 0
    for letter in letters.upper():
        number = number * 26 + ord(letter) - 64
    return number


def address_of(row: int, column: int) -> str:
    """The address of one cell."""
    return f"{letters_of(column)}{row}"


def new_line(line: int, most: int) -> str:
    """What a row or a column is called that was made in a run and has no number yet; an empty text for others."""
    kind = "row" if most == MOST_ROWS else "column"
    return f"new {kind} {line - most}" if line > most else ""


class Area(NamedTuple):
    """A rectangle of cells, both ends included."""

    top: int
    left: int
    bottom: int
    right: int

    def __str__(self) -> str:
        if self.left == 1 and self.right == MOST_COLUMNS:
            return f"{self.top}:{self.bottom}"
        if self.top == 1 and self.bottom == MOST_ROWS:
            return f"{letters_of(self.left)}:{letters_of(self.right)}"
        if self.bottom > MOST_ROWS or self.right > MOST_COLUMNS:
            columns = _from_to(self.left, self.right, MOST_COLUMNS, letters_of)
            return f"{columns} in {_from_to(self.top, self.bottom, MOST_ROWS, lambda row: f'row {row}')}"
        return self.corners

    @property
    def height(self) -> int:
        """Its number of rows."""
        return self.bottom - self.top + 1

    @property
    def width(self) -> int:
        """Its number of columns."""
        return self.right - self.left + 1

    @property
    def corners(self) -> str:
        """Its first and last cell, as files have it: whole rows and columns too are written from cell to cell."""
        first, last = address_of(self.top, self.left), address_of(self.bottom, self.right)
        return first if first == last else f"{first}:{last}"

    @property
    def single(self) -> bool:
        """Whether it is one cell."""
        return (self.top, self.left) == (self.bottom, self.right)

    def holds(self, row: int, column: int) -> bool:
        """Whether a cell is in it."""
        return self.top <= row <= self.bottom and self.left <= column <= self.right

    def within(self, other: Area) -> Area:
        """The part of it that is in another; its bottom is above its top when there is none."""
        return Area(
            max(self.top, other.top), max(self.left, other.left),
            min(self.bottom, other.bottom), min(self.right, other.right),
        )  # fmt: skip

    def meets(self, other: Area) -> bool:
        """Whether the two have a cell in common."""
        area = self.within(other)
        return area.top <= area.bottom and area.left <= area.right


def _from_to(first: int, last: int, most: int, called: Callable[[int], str]) -> str:
    """Lines of which some may have no number yet."""
    ends = (new_line(line, most) or called(line) for line in (first, last))
    return " to ".join(dict.fromkeys(ends))


def area_of(text: str) -> Area:
    """A range as written. Raises `Failure` for one that is none, or is outside every sheet."""
    match = _FORM.fullmatch(text.strip())
    if match is None or not any(match.groups()):
        raise Failure(f'"{text}" is not a range of cells. Examples: B2:F10, C4, C:D or 3:5')
    left, top, right, bottom = match.groups()
    if ":" not in text:
        if left is None or top is None:
            raise Failure(f'"{text}" is not a cell. Examples: C4; a whole column C:C; a whole row 3:3')
        right, bottom = left, top
    if (left is None) != (right is None) or (top is None) != (bottom is None):
        raise Failure(f'"{text}" is not a range of cells. Examples: B2:F10, C4, C:D or 3:5')
    columns = sorted((column_of(left), column_of(right))) if left and right else [1, MOST_COLUMNS]
    rows = sorted((int(top), int(bottom))) if top and bottom else [1, MOST_ROWS]
    if rows[0] < 1 or rows[1] > MOST_ROWS or columns[1] > MOST_COLUMNS:
        raise Failure(f'"{text}" is outside the sheet, which ends at {address_of(MOST_ROWS, MOST_COLUMNS)}')
    return Area(rows[0], columns[0], rows[1], columns[1])


def cell_of(text: str) -> tuple[int, int]:
    """The row and the column of one cell as written. Raises `Failure` as `area_of` does, and for more than one."""
    return only_cell(area_of(text), text)


def only_cell(area: Area, text: str) -> tuple[int, int]:
    """The row and the column of an area of one cell, as it was written. Raises `Failure` for more than one."""
    if not area.single:
        raise Failure(f'"{text}" is more than one cell. For a range: cells("{text}")')
    return area.top, area.left
