"""A file as a macro sees it: fields by the Vocabulary, cells, and how they look."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator, Mapping, Sequence
from functools import cached_property
from typing import Any, NamedTuple

from scrub.model.cells.grid import CellError
from scrub.model.cells.records import written_heading
from scrub.model.core.addresses import Address
from scrub.model.core.area import letters_of
from scrub.model.core.problem import Failure
from scrub.model.operations import OPERATIONS
from scrub.model.vocabulary import Kind, Vocabulary

#: Looks of cells that are compared. Borders are told by their sides.
LOOKS = (
    "bold", "italic", "underlined", "strikethrough", "colour", "fill", "font", "size", "locked", "number-format",
    "alignment", "vertical-alignment", "wrapped", "indent", "rotation", "border-left", "border-right", "border-top",
    "border-bottom",
)  # fmt: skip
#: Those of an empty cell.
_OF_EMPTY = ("fill", "locked", "border-left", "border-right", "border-top", "border-bottom")
#: What programs change on their own when they save: it is told, and never learned from all sheets at once.
OF_PROGRAMS = (
    "view", "zoom", "gridlines", "page-break-lines", "header-margin", "footer-margin", "left-margin", "right-margin",
    "top-margin", "bottom-margin", "print-scale", "filter", "paper",
)  # fmt: skip
#: What is in headings that no macro can write as a field.
_UNWRITABLE = re.compile(r'["{}\r\n]')
#: The columns that are looked at.
_WIDEST = 300


def settings_of(item: Any, kind: Kind) -> dict[str, object]:
    """The fields of an item that a macro can set, with what they are."""
    found = {}
    for word, field in kind.fields.items():
        if not field.can_be_set:
            continue
        try:
            found[word] = getattr(item, field.python)
        except (Failure, NotImplementedError, AttributeError):
            continue
    return found


def _plain(value: object) -> object:
    """A value; of an error, or a result that is not known, its text."""
    return (value.error or None) if isinstance(value, CellError) else value


class SeenSheet:
    """A sheet: its settings, its cells, and what is under its headings."""

    def __init__(self, sheet: Any, kind: Kind, looks: dict[tuple[object, str], object]) -> None:
        """`looks` are those of the file that were asked for so far."""
        self.sheet, self.looks = sheet, looks
        self.name: str = sheet.name
        self._kind = kind
        self._records: dict[int, dict[str, object]] = {}
        self._formulas: dict[int, Mapping[int, str]] = {}
        self._styles: dict[int, Callable[[int], object]] = {}
        used = sheet.used()
        self.used = used
        self.columns = range(used.left, min(used.right, used.left + _WIDEST) + 1) if used else range(0)
        #: Values by column and row.
        self.values: dict[int, dict[int, Any]] = {
            column: {row: _plain(value) for row, value in sheet.column_values(column).items() if value is not None}
            for column in self.columns
        }
        self.heading_row: int | None = sheet.heading_row() or (used.top if used else None)
        if used is not None and self.heading_row == used.top and not self._has_headings(used.top):
            self.heading_row = None

    def _has_headings(self, row: int) -> bool:
        texts = [self.values[column].get(row) for column in self.columns]
        return bool(texts) and all(isinstance(each, str) for each in texts if each is not None) and len(texts) > 1

    @cached_property
    def settings(self) -> dict[str, object]:
        """The fields of the sheet."""
        return settings_of(self.sheet, self._kind)

    @cached_property
    def headings(self) -> dict[str, int]:
        """The headings as a macro writes them, with their columns; those that are there twice are left out."""
        if self.heading_row is None:
            return {}
        found: dict[str, int] = {}
        twice = set()
        for column in self.columns:
            value = self.values[column].get(self.heading_row)
            if not isinstance(value, str) or not value.strip() or _UNWRITABLE.search(value):
                continue
            written = written_heading(value)
            if written in found:
                twice.add(written)
            found[written] = column
        return {written: column for written, column in found.items() if written not in twice}

    def heading_text(self, written: str) -> str:
        """The heading itself."""
        assert self.heading_row is not None
        return str(self.values[self.headings[written]][self.heading_row])

    @cached_property
    def rows(self) -> list[int]:
        """The rows below the headings in which something is."""
        if self.heading_row is None:
            return []
        found = {row for column in self.columns for row in self.values[column] if row > self.heading_row}
        return sorted(found)

    def record(self, row: int) -> dict[str, object]:
        """What is under each heading in a row."""
        if row not in self._records:
            self._records[row] = {written: self.value(row, column) for written, column in self.headings.items()}
        return self._records[row]

    def value(self, row: int, column: int) -> object:
        """A value; of an error, or a result that is not known, its text."""
        values = self.values.get(column)
        return None if values is None else values.get(row)

    def formula(self, row: int, column: int) -> str | None:
        """The formula of a cell."""
        return self._formulas_of(column).get(row)

    def _formulas_of(self, column: int) -> Mapping[int, str]:
        if column not in self._formulas:
            self._formulas[column] = self.sheet.formulas_of(column)
        return self._formulas[column]

    def looks_seen(self, filled: bool) -> Sequence[str]:
        """The looks that a person sees of a cell: of an empty one its fill and borders."""
        return self._told if filled else [word for word in _OF_EMPTY if word in self._told]

    @cached_property
    def _told(self) -> Sequence[str]:
        """The looks that its format has."""
        if self.used is None:
            return ()
        return [word for word in LOOKS if self._has(word, self.used.top, self.used.left)]

    def _has(self, word: str, row: int, column: int) -> bool:
        try:
            self.sheet.look(row, column, word)
        except (Failure, NotImplementedError, AttributeError):
            return False
        return True

    def is_look_seen(self, row: int, column: int, word: str) -> bool:
        """Whether a person sees such a look of a cell; of one under a merged cell, nobody does."""
        filled = self.value(row, column) is not None
        return (row, column) not in self.covered and (word == "comment" or word in self.looks_seen(filled))

    @cached_property
    def covered(self) -> set[tuple[int, int]]:
        """The cells under merged ones, without the first of each."""
        return {
            (row, column)
            for area in self.sheet.merged()
            for row in range(area.top, area.bottom + 1)
            for column in range(area.left, area.right + 1)
            if (row, column) != (area.top, area.left)
        }

    def content(self, row: int, column: int) -> object:
        """What is in a cell: its formula, or else its value."""
        formula = self._formulas_of(column).get(row)
        return self.value(row, column) if formula is None else f"={formula.removeprefix('=')}"

    def contents(self, column: int) -> dict[int, object]:
        """What is in the cells of a column that are not empty, by row."""
        formulas = {row: f"={formula.removeprefix('=')}" for row, formula in self._formulas_of(column).items()}
        return {**self.values.get(column, {}), **formulas}

    def look(self, row: int, column: int, word: str) -> object:
        """How a cell looks; asked once for each format of the file."""
        if word == "comment":
            return self.comments.get((row, column))
        key = (self.styles(column)(row), word)
        if key[0] is None or key not in self.looks:
            try:
                self.looks[key] = self.sheet.look(row, column, word)
            except (Failure, NotImplementedError, AttributeError):
                self.looks[key] = None
        return self.looks[key]

    def styles(self, column: int) -> Callable[[int], object]:
        """What gives by row what is the same for cells of a column that look the same; None for each where nobody
        tells.
        """
        if column not in self._styles:
            self._styles[column] = self.sheet.styles_of(column) or (lambda row: None)
        return self._styles[column]

    @cached_property
    def comments(self) -> dict[tuple[int, int], str]:
        """The comments by their place."""
        try:
            return {(each.row, each.column): each.text for each in self.sheet.comments()}
        except (Failure, NotImplementedError, AttributeError):
            return {}

    @property
    def used_rows(self) -> range:
        """The rows of the used range."""
        return range(self.used.top, self.used.bottom + 1) if self.used is not None else range(0)

    def places(self) -> Iterator[tuple[int, int]]:
        """The places in the used range, row by row."""
        if self.used is not None:
            for row in range(self.used.top, self.used.bottom + 1):
                for column in self.columns:
                    yield row, column

    def measure(self, column: int, word: str) -> object:
        """The width of a column, or whether it is hidden."""
        try:
            return self.sheet.measure(column, False, word)
        except (Failure, NotImplementedError, AttributeError):
            return None

    @cached_property
    def hidden_rows(self) -> set[int]:
        """Those of its rows that are hidden."""
        try:
            return {row for row in self.rows if self.sheet.measure(row, True, "hidden")}
        except (Failure, NotImplementedError, AttributeError):
            return set()

    @property
    def context(self) -> dict[str, object]:
        """What a condition on sheets can be about."""
        heads = [str(each) for each in getattr(self.sheet, "headings", [])]
        return {"sheet.name": self.name, "sheet.headings": heads, "sheet.hidden": self.settings.get("hidden", False)}

    @property
    def _first(self) -> int | None:
        return self.used.top if self.used is not None else None

    @property
    def table(self) -> str:
        """How a macro names what is under its headings."""
        return "sheet.records" if self.heading_row == self._first else f"sheet.records(headings: {self.heading_row})"

    @property
    def opening(self) -> str:
        """How a macro goes through its records."""
        return "each record" if self.heading_row == self._first else f"each record in {self.table}"

    def address(self, row: int, column: int) -> str:
        """How a person calls a cell."""
        return f"{self.name} {letters_of(column)}{row}"


class SeenBook:
    """A workbook."""

    part = "sheet"

    def __init__(self, item: Any, vocabulary: Vocabulary) -> None:
        self.kind = "workbook"
        looks: dict[tuple[object, str], object] = {}
        self.sheets = [SeenSheet(sheet, vocabulary.kinds["sheet"], looks) for sheet in item.sheets()]
        if item.name.lower().endswith((".csv", ".tsv")):
            self.sheets[0].name = ""  # it is called by the file
            self.sheets[0].settings.pop("name", None)
        self.by_name = {sheet.name: sheet for sheet in self.sheets}


#: Looks of a part of a paragraph that are compared.
PASSAGE_LOOKS = ("bold", "italic", "underlined", "colour", "highlight")


class Piece(NamedTuple):
    """A part of a paragraph that looks the same throughout: where it begins and ends, and its fields."""

    start: int
    end: int
    fields: dict[str, object]


class SeenList:
    """The paragraphs of a document, or the messages of a mailbox: items with fields, one after another."""

    def __init__(self, item: Any, kind: str, vocabulary: Vocabulary) -> None:
        self.kind = kind
        self.part = "paragraph" if kind == "document" else "message"
        every = item.every_paragraph() if kind == "document" else list(item.messages())
        of = vocabulary.kinds[self.part]
        self._every, self._vocabulary = every, vocabulary
        self.items: list[dict[str, object]] = [_fields(each, of, self.part) for each in every]
        #: The mailbox that each message was filed in, by its identifier.
        self.filed: dict[object, str] = {}
        self._pieces: dict[int, list[Piece]] = {}

    def pieces(self, number: int) -> list[Piece]:
        """The parts of a paragraph, each with one look."""
        if number not in self._pieces:
            of = self._vocabulary.kinds["passage"]
            every = self._every[number].passages() if self.part == "paragraph" else ()
            self._pieces[number] = [Piece(each.start, each.end, _fields(each, of, "passage")) for each in every]
        return self._pieces[number]

    def note_filed(self, boxes: Mapping[str, SeenList], before: SeenList | None) -> None:
        """Notes which messages are in other mailboxes; with `before`, only those that were in that one."""
        known = None if before is None else {before.key(number) for number in range(len(before.items))}
        for name, box in boxes.items():
            for number in range(len(box.items)):
                if known is None or box.key(number) in known:
                    self.filed[box.key(number)] = name

    def key(self, number: int) -> object:
        """What tells an item from others; a message may lack its identifier."""
        item = self.items[number]
        if self.part == "paragraph":
            return item.get("paragraph.text")
        names = ("message.subject", "message.date", "message.from", "message.text")
        return item.get("message.id") or tuple(str(item.get(name)) for name in names)


def _fields(item: Any, kind: Kind, word: str) -> dict[str, object]:
    found: dict[str, object] = {}
    for name, field in kind.fields.items():
        if name in ("number", "size", "link"):
            continue
        try:
            value = getattr(item, field.python)
        except (Failure, NotImplementedError, AttributeError):
            continue
        found[f"{word}.{name}"] = value
        if isinstance(value, Address):
            found[f"{word}.{name}.domain"] = OPERATIONS["address", "domain"](value)
    return found


def seen(item: Any, vocabulary: Vocabulary) -> SeenBook | SeenList | None:
    """An open file; None for one from which nothing is learned."""
    if item.kind_word == "workbook":
        return SeenBook(item, vocabulary)
    if item.kind_word in ("document", "mailbox"):
        return SeenList(item, item.kind_word, vocabulary)
    return None


def names_of(sheets: Sequence[SeenSheet]) -> list[str]:
    """The names of some sheets."""
    return [sheet.name for sheet in sheets]
