"""Tables of a document as rows under headings, whatever its format."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from datetime import date
from decimal import Decimal
from functools import cached_property
from itertools import count

from scrub.formats.texts.paragraph import OpenParagraph
from scrub.model.declare import FileItem
from scrub.model.late import late
from scrub.model.problem import Failure
from scrub.model.rows import Reader, Rows
from scrub.model.text import Editing
from scrub.model.values import Plain, Value, heading_key, shown, type_name

_NUMBER = late(r"-?(?:0|[1-9]\d{0,14})(?:\.\d+)?")
_DATE = late(r"\d{4}-\d{2}-\d{2}")


class DocumentRows(Rows):
    """The rows of one table; a row is its number, that of the headings being 1."""

    def __init__(self, file: FileItem, name: str, rows: Sequence[Mapping[int, Sequence[OpenParagraph]]]) -> None:
        """`rows` are the paragraphs of each cell, by the column of the grid in which it begins."""
        super().__init__()
        self._file = file
        self.name = name
        self._cells = rows
        self.headings: dict[str, str] = {}
        self.twice: set[str] = set()
        self._columns: dict[str, int] = {}
        self._versions = count(1)
        for column, cell in sorted(self._cells[0].items()) if self._cells else ():
            heading = _text(cell).strip()
            key = heading_key(heading)
            if key in self.headings or key in self.twice:
                self.twice.add(key)
                self.headings.pop(key, None)
            elif key:
                self.headings[key], self._columns[key] = heading, column

    @property
    def file(self) -> FileItem:
        """The document."""
        return self._file

    def row_label(self, row: int) -> str:
        """The table and the row."""
        return f"{self.name} row {row}"

    def reader(self, key: str) -> Reader:
        """What gives the values under a heading."""
        column = self._columns[self.key(key)]
        return lambda row: _value(_text(self._cells[row - 1].get(column, ())))

    def holds(self, item: object) -> bool:
        """Whether a paragraph stands in it."""
        return id(item) in self._inside

    @cached_property
    def _inside(self) -> frozenset[int]:
        return frozenset(id(each) for row in self._cells for cell in row.values() for each in cell)

    def filled(self) -> Sequence[int]:
        """The rows that say something."""
        every = enumerate(self._cells[1:], 2)
        return [row for row, cells in every if any(_text(cell).strip() for cell in cells.values())]

    def version(self, keys: Iterable[str]) -> int:
        """Another one each time: tables of documents are small, and are read anew."""
        return next(self._versions)

    def put(self, row: int, key: str, value: Value) -> None:
        """Sets what stands in a cell; it keeps the look of its first words."""
        cell = self._cells[row - 1].get(self._columns[self.key(key)])
        if not cell:
            raise Failure(f"{self.place(row, key)}: the cell is merged into another one")
        if value is not None and not isinstance(value, str | Decimal | bool | date):
            raise Failure(f"{self.place(row, key)}: a cell of a document cannot hold {type_name(value)}")
        filled = [each for each in cell if each.text.strip()]
        if len(filled) > 1:
            raise Failure(f"{self.place(row, key)}: several paragraphs stand in the cell; change them one by one")
        (filled or cell)[0].text = shown(value)

    def edit(self, rows: Iterable[int] | None, editing: Editing, between: str = "") -> None:
        """Edits the paragraphs of these rows, or of all below the headings."""
        for row in range(2, len(self._cells) + 1) if rows is None else rows:
            for cell in self._cells[row - 1].values():
                for paragraph in cell:
                    paragraph.edit_texts(editing, between)


def _text(cell: Sequence[OpenParagraph]) -> str:
    return "\n".join(each.text for each in cell if not each.removed)


def _value(text: str) -> Plain:
    """What a cell says: a number or a date where it is plainly written, else its text."""
    plain = text.strip()
    if _NUMBER.fullmatch(plain):
        return Decimal(plain)
    if _DATE.fullmatch(plain):
        try:
            return date.fromisoformat(plain)
        except ValueError:
            return text
    return text or None
