"""A toy: a JSON file of records (.reg) as tables over lists of dicts."""

from __future__ import annotations

import json
from collections.abc import Iterable, Iterator, Sequence

from scrub.formats.file import PickedFile
from scrub.formats.source import Source, opened
from scrub.model.cells.cell import Cell
from scrub.model.cells.lines import Column, Row
from scrub.model.cells.records import Record, Table
from scrub.model.cells.rows import Reader, Rows
from scrub.model.core.declare import FileItem, holds
from scrub.model.core.files import WholeFile
from scrub.model.core.values import Value, heading_key
from scrub.store.patch import Patch


class DictRows(Rows):
    """A list of dicts; a row is its place in the list."""

    def __init__(self, file: FileItem, name: str, rows: list[dict[str, Value]]) -> None:
        super().__init__()
        self._file, self.name, self.rows = file, name, rows
        self.headings = {heading_key(word): word for row in rows for word in row}
        self._version = 0

    @property
    def file(self) -> FileItem:
        return self._file

    def row_label(self, row: int) -> str:
        return f"{self.name} record {row + 1}"

    def reader(self, key: str) -> Reader:
        word = self.headings[self.key(key)]
        return lambda row: self.rows[row].get(word)

    def filled(self) -> Sequence[int]:
        return [number for number, row in enumerate(self.rows) if any(row.values())]

    def put(self, row: int, key: str, value: Value) -> None:
        word = self.headings[self.key(key)]
        before = self.rows[row].get(word)
        self._set(row, word, value)
        Record(Table(self), row).changed(word, before, value, lambda: self._set(row, word, before))

    def _set(self, row: int, word: str, value: Value) -> None:
        self._version += 1
        self.rows[row][word] = value

    def version(self, keys: Iterable[str]) -> int:
        return self._version

    def add_column(self, heading: str) -> None:
        self.headings[heading_key(heading)] = heading


class Register(WholeFile):
    """A file of tables."""

    kind_word = "register"
    part_word = "record"
    every: list[Table]

    @holds
    def tables(self) -> Iterator[Table]:
        """Its tables."""
        return iter(self.every)


class RegisterFile(PickedFile, Register):
    """A register on the disk."""

    def __init__(self, source: Source) -> None:
        super().__init__(source)
        self._data = json.loads(source.read(0, source.size), parse_int=str, parse_float=str)
        self.every = [Table(DictRows(self, name, rows)) for name, rows in self._data.items()]

    def patch(self) -> Patch | None:
        if not self.recorder:
            return None
        return Patch(self.source.digest, self.source.size, [json.dumps(self._data, default=str).encode()])


def open_register(path: str) -> RegisterFile:
    return opened(path, RegisterFile)


KINDS = (Register, Table, Record, Cell, Row, Column)
