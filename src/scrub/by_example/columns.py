"""What a column gets from elsewhere: values looked up on another sheet, and one formula for all rows."""

from __future__ import annotations

import re
from collections.abc import Iterator, Sequence
from functools import partial
from typing import NamedTuple

from scrub.by_example.expressions import FAILS, Context, Example, Expression
from scrub.by_example.seen import SeenSheet
from scrub.by_example.values import alike, literal
from scrub.model.core.values import fold

#: A cell in a formula, and the part of its row.
_CELL = re.compile(r"(?<![A-Za-z0-9_.!'])(\$?[A-Z]{1,3})(\d+)(?![\d(A-Za-z_])")


class Source(NamedTuple):
    """A sheet in which values can be looked up."""

    sheet: SeenSheet
    #: How a macro names it.
    text: str
    #: The line that opens its file, if it is in another one.
    opening: str = ""


class LookedUp(NamedTuple):
    """A value that is looked up: the expression, what it is looked up in, and the line that opens its file, if any."""

    expression: Expression
    record: str
    opening: str


def lookups(sources: Sequence[Source], examples: Sequence[Example], fields: Sequence[str]) -> Iterator[LookedUp]:
    """The values as found on another sheet: in the first record whose key is what is under a heading here."""
    for source in sources:
        sheet = source.sheet
        for key in sheet.headings:
            if not re.fullmatch(r"record\.[a-z][a-z0-9-]*", key):
                continue
            rows = _rows_by(sheet, key)
            if rows is None:
                continue
            for field in fields:
                found = [rows.get(_key(example.context.get(field))) for example in examples]
                if not all(found):
                    continue
                for value, column in sheet.headings.items():
                    given = [sheet.value(row or 0, column) for row in found]
                    if value != key and all(alike(a, b.after) for a, b in zip(given, examples, strict=True)):
                        yield _looked_up(source, key, field, value, rows)


def _rows_by(sheet: SeenSheet, key: str) -> dict[str, int] | None:
    """The first row for each value under a heading; None for a heading that tells no rows apart."""
    rows: dict[str, int] = {}
    column = sheet.headings[key]
    for row in sheet.rows:
        name = _key(sheet.value(row, column))
        if name:
            rows.setdefault(name, row)
    return rows if len(rows) > 1 and 2 * len(rows) > len(sheet.rows) else None


def _key(value: object) -> str:
    return "" if value is None else fold(value) if isinstance(value, str) else str(literal(value))


def _looked_up(source: Source, key: str, field: str, value: str, rows: dict[str, int]) -> LookedUp:
    sheet = source.sheet
    table = source.text + sheet.table.removeprefix("sheet.records")
    if table != source.text:
        table = f"{source.text}.records{table.removeprefix(source.text)}"
    record = f"{table}.record({key.removeprefix('record.')}: {field})"
    column = sheet.headings[value]

    def of(context: Context) -> object:
        row = rows.get(_key(context.get(field)))
        return FAILS if row is None else sheet.value(row, column)

    text = f"{record}.{value.removeprefix('record.')}"
    return LookedUp(Expression(text, 6.0, of), record, source.opening)


def formula_for(formulas: Sequence[tuple[int, str]]) -> str | None:
    """One formula for all these rows, as a macro writes it; None where they are not one."""
    patterns = {_CELL.sub(partial(_relative, row), formula) for row, formula in formulas}
    if len(patterns) != 1:
        return None
    pattern = patterns.pop()
    if "\x00" in pattern and re.search(r"\x01-?[1-9]", pattern):
        return None  # a cell of another row: no macro writes that plainly
    text = pattern.replace('"', '""').replace("{", "{{").replace("}", "}}")
    return '"' + re.sub(r"\x00\x010", "{row.number}", text) + '"'


def _relative(row: int, found: re.Match[str]) -> str:
    return f"{found[1]}\x00\x01{int(found[2]) - row}"
