"""Tables of a document as rows under headings, regardless of its format."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping, Sequence
from datetime import date
from decimal import Decimal
from functools import cached_property
from itertools import count
from typing import Protocol

from scrub.formats.texts.paragraph import OpenParagraph
from scrub.model.cells.rows import Reader, Rows
from scrub.model.core.change import Undo
from scrub.model.core.declare import FileItem
from scrub.model.core.lazy_pattern import lazy_pattern
from scrub.model.core.problem import Failure
from scrub.model.core.text import Editing, edited, parted
from scrub.model.core.values import Plain, Value, shown, type_name

_NUMBER = lazy_pattern(r"-?(?:0|[1-9]\d{0,14})(?:\.\d+)?")
_DATE = lazy_pattern(r"\d{4}-\d{2}-\d{2}")


class AddedText:
    """What is in a cell of a row that was added."""

    removed = False

    def __init__(self, text: str) -> None:
        self.text = text

    def edit_texts(self, editing: Editing, between: str = "") -> None:
        """Edits it."""
        self.text = edited(self.text, parted(editing, between)(self.text))


class Styled(Protocol):
    """A table that has a style."""

    @property
    def style(self) -> str | None:
        """Its name."""

    def put_style(self, name: str | None) -> Undo:
        """Gives it another one; returns how to undo it. Raises `Failure` for one that is not there."""


class DocumentRows(Rows):
    """The rows of one table; a row is its number, that of the headings being 1."""

    def __init__(
        self,
        file: FileItem,
        name: str,
        rows: Sequence[Mapping[int, Sequence[OpenParagraph]]],
        hold: Callable[[bool], Callable[[], None]] | None = None,
        styled: Styled | None = None,
    ) -> None:
        """`rows` are the paragraphs of each cell, by the column of the grid in which it begins. `hold` is told when
        rows are about to come or go, or (with yes) to change places, and returns how to undo it; None where they
        cannot.
        """
        super().__init__()
        self._file = file
        self.name = name
        self._cells: list[Mapping[int, Sequence[OpenParagraph | AddedText]]] = list(rows)
        self._hold, self._styled = hold, styled
        #: The rows as they follow each other, without that of the headings; and those of them that went.
        self._every, self._gone = list(range(2, len(rows) + 1)), set[int]()
        self._stored = len(rows)
        self._order: list[int] | None = None  # what is left of them; None when that must be looked up
        self.headings: dict[str, str] = {}
        self.twice: set[str] = set()
        self._versions = count(1)
        heads = sorted(self._cells[0].items()) if self._cells else ()
        self._columns = self.by_heading((_text(cell).strip(), column) for column, cell in heads)

    @property
    def file(self) -> FileItem:
        """The document."""
        return self._file

    @property
    def order(self) -> list[int]:
        """The rows as they follow each other, without that of the headings."""
        if self._order is None:
            self._order = [row for row in self._every if row not in self._gone]
        return self._order

    @property
    def is_arranged(self) -> bool:
        """Whether rows came, went or changed places."""
        return bool(self._gone) or self._every != list(range(2, self._stored + 1))

    @property
    def style(self) -> str | None:
        """The name of its style."""
        return self._styled.style if self._styled is not None else None

    def put_style(self, name: str | None) -> Undo:
        """Gives it another style."""
        return self._styled.put_style(name) if self._styled is not None else super().put_style(name)

    def row_label(self, row: int) -> str:
        """The table and the row."""
        return f"{self.name} row {row}"

    def paragraphs(self, row: int | None = None) -> Sequence[OpenParagraph]:
        """Those of all rows, the headings first, or of one."""
        rows = (1, *self.order) if row is None else (row,)
        every = (each for number in rows for _, cell in sorted(self._cells[number - 1].items()) for each in cell)
        return [each for each in every if isinstance(each, OpenParagraph) and not each.removed]

    def reader(self, key: str) -> Reader:
        """What gives the values under a heading."""
        column = self._columns[self.key(key)]
        return lambda row: _value(_text(self._cells[row - 1].get(column, ())))

    def holds(self, item: object) -> bool:
        """Whether a paragraph is in it."""
        return id(item) in self._inside

    @cached_property
    def _inside(self) -> frozenset[int]:
        return frozenset(id(each) for row in self._cells for cell in row.values() for each in cell)

    def filled(self) -> Sequence[int]:
        """The rows that say something."""
        return [row for row in self.order if any(_text(cell).strip() for cell in self._cells[row - 1].values())]

    def version(self, keys: Iterable[str]) -> int:
        """Another one each time: tables of documents are small, and are read again."""
        return next(self._versions)

    def put(self, row: int, key: str, value: Value) -> None:
        """Sets what is in a cell; it keeps the look of its first words."""
        cell = self._cells[row - 1].get(self._columns[self.key(key)])
        if not cell:
            raise Failure(f"{self.place(row, key)}: the cell is part of a merged cell")
        if value is not None and not isinstance(value, str | Decimal | bool | date):
            raise Failure(f"{self.place(row, key)}: a cell of a document cannot contain {type_name(value)}")
        filled = [each for each in cell if each.text.strip()]
        if len(filled) > 1:
            raise Failure(f"{self.place(row, key)}: the cell has several paragraphs. Change them one by one")
        (filled or cell)[0].text = shown(value)

    # -- rows that come, go, change places

    def add_row(self, values: Mapping[str, Value]) -> tuple[int, Undo]:
        """Adds a row after the last one."""
        columns = sorted(self._cells[0]) if self._cells else []
        given = {self._columns[key]: value for key, value in values.items()}
        cells = {column: [AddedText(shown(given.get(column)))] for column in columns}
        self._cells.append(cells)
        number = len(self._cells)
        back = self._hold_rows()
        self._every.append(number)
        self._order = None

        def revert() -> None:
            self._every.remove(number)
            self._order = None
            back()
            self._cells.pop()

        return number, revert

    def delete_row(self, row: int) -> Undo:
        """Takes a row out, with the paragraphs in it."""
        back = self._hold_rows()
        self._gone.add(row)
        self._order = None
        stayed = [paragraph.leave() for paragraph in self.paragraphs_of(row)]

        def revert() -> None:
            for each in stayed:
                each()
            self._gone.discard(row)
            self._order = None
            back()

        return revert

    def put_in_order(self, rows: Sequence[int]) -> Undo:
        """Puts the rows in an order; what is empty comes last."""
        chosen = set(rows)
        back, former = self._hold_rows(ordering=True), self._every
        self._every = [*rows, *(row for row in self.order if row not in chosen), *sorted(self._gone)]
        self._order = None

        def revert() -> None:
            self._every, self._order = former, None
            back()

        return revert

    def _hold_rows(self, ordering: bool = False) -> Undo:
        if self._hold is None:
            raise Failure(f"{self.label}: its rows cannot be moved")
        return self._hold(ordering)

    def paragraphs_of(self, row: int) -> list[OpenParagraph]:
        """The paragraphs in a row that the file has."""
        return [each for cell in self._cells[row - 1].values() for each in cell if isinstance(each, OpenParagraph)]

    def added(self, row: int) -> Mapping[int, str] | None:
        """What is in a row that was added, by the column; None for one that the file has."""
        cells = self._cells[row - 1]
        held = [each for cell in cells.values() for each in cell]
        if not all(isinstance(each, AddedText) for each in held):
            return None
        return {column: _text(cell) for column, cell in cells.items()}

    def edit(self, rows: Iterable[int] | None, editing: Editing, between: str = "") -> None:
        """Edits the paragraphs of these rows, or of all below the headings."""
        for row in list(self.order) if rows is None else rows:
            for cell in self._cells[row - 1].values():
                for paragraph in cell:
                    paragraph.edit_texts(editing, between)


def _text(cell: Sequence[OpenParagraph | AddedText]) -> str:
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
