"""How engines write what the predicates of a condition are made of; see `where.Dialect`."""

from __future__ import annotations

from collections.abc import Callable
from datetime import date
from decimal import Decimal
from typing import Any

from scrub.formats.database.values import Column, Sort
from scrub.formats.database.where import BLANKS, NO, TURNING, YES, both


def named(name: str) -> str:
    """A name as SQL writes it (SQL-92, 5.2)."""
    doubled = name.replace('"', '""')
    return f'"{doubled}"'


def _kept_by_double(value: Decimal) -> bool:
    """Whether a double (IEEE 754) keeps a number, so that two are in the order of their shortest texts."""
    few = len(value.normalize().as_tuple().digits) <= 15 and -(10**15) < value < 10**15
    return few and (not value or abs(value) > Decimal("1e-300"))


class _Binding:
    """The values that predicates compare with, each by the name of its place."""

    def __init__(self, mark: str) -> None:
        """`mark` is how a place is written."""
        self.values: dict[str, object] = {}
        self._mark = mark

    def bind(self, value: object) -> str:
        """The place of a value."""
        name = f"v{len(self.values)}"
        self.values[name] = value
        return self._mark.format(name)


class SqliteDialect(_Binding):
    """Predicates as SQLite writes them: what is in a column has a kind of its own in each row."""

    def __init__(self) -> None:
        super().__init__(":{}")

    def name(self, column: Column) -> str:
        """The column."""
        return named(column.name)

    def is_text(self, column: Column) -> str:
        """SQL: whether a column contains a text."""
        return f"typeof({named(column.name)}) = 'text'"

    def is_number(self, column: Column) -> str:
        """Whether a number is there that is finite and no yes or no."""
        name = named(column.name)
        found = f"(typeof({name}) IN ('integer', 'real') AND {name} NOT IN (9e999, -9e999))"
        return both(found, f"{name} NOT IN (0, 1)") if column.sort is Sort.YES_NO else found

    def is_yes_no(self, column: Column) -> str:
        """SQL: whether a column contains yes or no."""
        name = named(column.name)
        return f"(typeof({name}) = 'integer' AND {name} IN (0, 1))" if column.sort is Sort.YES_NO else NO

    def is_day(self, column: Column) -> str:
        """Whether a day is there: `date` alone takes the 30th of February for one in March."""
        name = named(column.name)
        if column.sort not in (Sort.DATE, Sort.MOMENT):
            return NO
        # The year 0 is none to a macro. A text of digits alone would be compared as a number in such a column (4.2).
        return f"(typeof({name}) = 'text' AND coalesce(date({name}, '+0 days') = {name}, 0) AND {name} >= '0001-01-01')"

    def ascii(self, column: Column) -> str:
        """Whether the text that is there is all ASCII."""
        name = named(column.name)
        return f"coalesce(length(CAST({name} AS BLOB)) = length({name}), 0)"

    def plain(self, column: Column) -> str:
        """Whether no letter of the text turns into one of ASCII; after a NUL, texts are not looked at by `GLOB`."""
        name = named(column.name)
        return f"(NOT {name} GLOB {self.bind(f'*[{TURNING}]*')} AND instr({name}, char(0)) = 0)"

    def low(self, column: Column) -> str:
        """The text in lower case."""
        return f"lower({named(column.name)})"

    def holds(self, text: str, mark: str, operator: str, length: int) -> str:
        """Whether a text contains, starts with or ends with another."""
        if operator == "contains":
            return f"instr({text}, {mark}) > 0"
        return f"substr({text}, {1 if operator == 'starts with' else -length}, {length}) = {mark}"

    def trimmed(self, column: Column) -> str | None:
        """The text without spaces on both sides."""
        return f"trim({named(column.name)}, {self.bind(BLANKS)})"

    def compared(self, column: Column, value: Any) -> str | None:
        """The place of a number or a day: numbers as far as a double keeps them (IEEE 754, 15 digits)."""
        if isinstance(value, date):
            return self.bind(value.isoformat())
        if not _kept_by_double(value):
            return None
        return self.bind(int(value) if value == value.to_integral_value() else float(value))


class ServerDialect(_Binding):
    """Predicates as servers write them: what is in a column is of the sort that it is declared for."""

    def __init__(self, quote: Callable[[str], str], postgres: bool) -> None:
        super().__init__("%({})s")
        self._quote, self._postgres = quote, postgres

    def name(self, column: Column) -> str:
        """The column."""
        return self._quote(column.name)

    def _there(self, column: Column) -> str:
        return f"{self.name(column)} IS NOT NULL"

    def is_text(self, column: Column) -> str:
        """Whether a text is there; those with spaces after them are the macro's to compare."""
        return self._there(column) if column.sort is Sort.TEXT and not column.loose else NO

    def is_number(self, column: Column) -> str:
        """Whether a number is there that is finite and no yes or no."""
        name, there = self.name(column), self._there(column)
        if column.loose:
            return NO
        if column.sort is Sort.WHOLE or (column.sort in (Sort.NUMBER, Sort.REAL) and not self._postgres):
            return there
        if column.sort is Sort.REAL:
            return both(there, f"{name} NOT IN ('NaN', 'Infinity', '-Infinity')")
        if column.sort is Sort.NUMBER and column.digits is not None:
            return both(there, f"{name} <> 'NaN'")
        return both(there, f"{name} NOT IN (0, 1)") if column.sort is Sort.YES_NO and column.as_text else NO

    def is_yes_no(self, column: Column) -> str:
        """Whether yes or no is there."""
        if column.sort is not Sort.YES_NO:
            return NO
        return both(self._there(column), f"{self.name(column)} IN (0, 1)" if column.as_text else YES)

    def is_day(self, column: Column) -> str:
        """Whether a day without a time is there."""
        return self._there(column) if column.sort is Sort.DATE else NO

    def ascii(self, column: Column) -> str:
        """Whether the text that is there is all ASCII."""
        name = self.name(column)
        if self._postgres:  # a single-byte encoding has a byte for each letter, and a database without one too
            return rf"""{name} COLLATE "C" !~ '[^\x01-\x7f]'"""
        return f"length(CONVERT({name} USING utf8mb4)) = char_length({name})"

    def plain(self, column: Column) -> str:
        """Whether no letter of the text turns into one of ASCII: a server may keep texts in any encoding."""
        return self.ascii(column)

    def low(self, column: Column) -> str:
        """The text in lower case, compared by its bytes."""
        name = self.name(column)
        if self._postgres:
            return f'lower({name} COLLATE "C")'
        return f"CAST(lower(CONVERT({name} USING utf8mb4) COLLATE utf8mb4_bin) AS BINARY)"

    def holds(self, text: str, mark: str, operator: str, length: int) -> str:
        """Whether a text contains, starts with or ends with another."""
        if operator == "contains":
            return f"{'strpos' if self._postgres else 'instr'}({text}, {mark}) > 0"
        return f"{'left' if operator == 'starts with' else 'right'}({text}, {length}) = {mark}"

    def trimmed(self, column: Column) -> str | None:
        """The text without spaces on both sides."""
        return f'btrim({self.name(column)} COLLATE "C", {self.bind(BLANKS)})' if self._postgres else None

    def compared(self, column: Column, value: Any) -> str | None:
        """The place of a number or a day; a number goes to a double as far as that keeps it (15 digits)."""
        if isinstance(value, Decimal) and column.sort is Sort.REAL:
            return self.bind(float(value)) if _kept_by_double(value) else None
        return self.bind(value)
