"""Rows with the same values under some headings: what is asked of them is asked once."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from datetime import date, datetime
from decimal import Decimal
from typing import TypeVar

from scrub.model.cells.rows import Reader, Rows
from scrub.model.core.declare import FileItem
from scrub.model.core.values import Value

T = TypeVar("T")

#: Types of values of which two that are equal are told and reckoned with alike.
_ALIKE = frozenset((str, type(None), bool, Decimal, date, datetime))


class OneRow(Rows):
    """A row that stands for all that have the same values."""

    def __init__(self, rows: Rows) -> None:
        """It takes the place of one of these rows."""
        super().__init__()
        self._rows = rows
        self.headings, self.twice = rows.headings, rows.twice
        self.values: Mapping[str, Value] = {}

    @property
    def file(self) -> FileItem:
        """The file of the others."""
        return self._rows.file

    def row_label(self, row: object) -> str:
        """Nobody reads it: where it would be told, rows are asked one by one."""
        return self._rows.label

    def reader(self, key: str) -> Reader:
        """What gives the value under a heading now."""
        key = self.key(key)
        return lambda row: self.values[key]

    def filled(self) -> Sequence[object]:
        """The one."""
        return (0,)

    def put(self, row: object, key: str, value: Value) -> None:
        """It is only read."""
        raise NotImplementedError

    def version(self, keys: object) -> int:
        """Nothing is looked up in it."""
        return 0


def asked_once(columns: Sequence[Sequence[Value]], ask: Callable[[tuple[Value, ...]], T]) -> list[T] | None:
    """The answer for each row, whose values are given by column: asked once for rows that have the same. None where
    there are values that can be equal and yet be two, or errors.
    """
    kinds = [set(map(type, column)) for column in columns]
    if any(not each <= _ALIKE for each in kinds):
        return None
    mixed = [map(type, column) for column, each in zip(columns, kinds, strict=True) if len(each - {type(None)}) > 1]
    if len(columns) == 1 and not mixed:
        column = columns[0]
        known = {value: ask((value,)) for value in dict.fromkeys(column)}
        return list(map(known.__getitem__, column))
    marks = list(zip(*columns, *mixed, strict=True))
    width = len(columns)
    answers = {mark: ask(mark[:width]) for mark in dict.fromkeys(marks)}
    return list(map(answers.__getitem__, marks))
