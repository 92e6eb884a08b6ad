"""A toy: a second format for sheets (.grid): one line a row, fields separated by a bar. It keeps values and nothing
else.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence

from scrub.formats.file import PickedFile
from scrub.formats.overlay import key_of
from scrub.formats.sheet import OpenSheet
from scrub.formats.source import Source, opened
from scrub.model.cells.grid import ColumnValues
from scrub.model.core.area import Area
from scrub.model.core.change import VALUE
from scrub.model.core.declare import FileItem
from scrub.model.core.text import Edit, edited
from scrub.model.core.values import Value
from scrub.model.workbook import Workbook
from scrub.store.patch import Patch


class BarSheet(OpenSheet):
    """The one sheet of such a file."""

    number = 1
    protected = False
    name = "bars"

    def __init__(self, book: BarFile, cells: list[list[str]]) -> None:
        super().__init__()
        self.book, self.cells = book, cells

    @property
    def file(self) -> FileItem:
        return self.book

    def used(self) -> Area | None:
        return self.spanning(Area(1, 1, len(self.cells), max(map(len, self.cells))))

    def column_values(self, column: int) -> ColumnValues:
        found = self.overlay.live.get(column)
        if found is None:
            rows = enumerate(self.cells, 1)
            found = ColumnValues((row, each[column - 1]) for row, each in rows if len(each) >= column)
            found = self.overlay.live[column] = self.with_changes(found, column)
        return found

    def raw_value(self, row: int, column: int) -> Value:
        return self.column_values(column).get(row)

    def formula(self, row: int, column: int) -> str | None:
        return None

    def filled_rows(self, area: Area, known: Iterable[ColumnValues] = ()) -> list[int]:
        columns = range(area.left, area.right + 1)
        return [
            row for row in range(area.top, area.bottom + 1)
            if any(self.raw_value(row, column) for column in columns)
        ]  # fmt: skip

    def stored_places(self) -> Sequence[tuple[int, int]]:
        return [(row, column) for row, each in enumerate(self.cells, 1) for column in range(1, len(each) + 1)]

    def put(self, row: int, column: int, value: Value) -> None:
        values = self.column_values(column)
        before, key = values.get(row), key_of(row, column)
        former = self.change(key, value, values, before)
        inner = (Area(row, column, row, column),)
        self.changed(VALUE, before, value, lambda: self.restore(key, former, before), inner=inner)

    def edit_text(self, row: int, column: int, text: str, edits: Sequence[Edit]) -> None:
        self.put(row, column, edited(text, edits))


class BarFile(PickedFile, Workbook):
    """A file of bars, as a workbook of one sheet."""

    def __init__(self, source: Source) -> None:
        super().__init__(source)
        text = source.read(0, source.size).decode()
        self.sheet = BarSheet(self, [line.split("|") for line in text.splitlines()])

    def sheets(self) -> Iterator[BarSheet]:
        return iter((self.sheet,))

    def lacking(self, what: str = "that") -> str:
        return f"{self.name}: a .grid file stores values only, not {what}"

    def patch(self) -> Patch | None:
        if not self.recorder:
            return None
        used = self.sheet.used()
        assert used is not None
        rows = range(1, used.bottom + 1)
        text = "\n".join("|".join(self._row(row, used.right)) for row in rows) + "\n"
        return Patch(self.source.digest, self.source.size, [text.encode()])

    def _row(self, row: int, width: int) -> Iterator[str]:
        return (str(self.sheet.raw_value(row, column) or "") for column in range(1, width + 1))


def open_grid(path: str) -> BarFile:
    return opened(path, BarFile)
