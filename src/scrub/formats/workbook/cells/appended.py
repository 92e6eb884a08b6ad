"""Rows put below all others of a sheet, one after the other: kept as they came until somebody looks at their cells,
and written in stretches (ISO/IEC 29500-1, 18.3.1.73).
"""

from __future__ import annotations

from collections.abc import Callable, Collection, Iterator, Sequence
from decimal import Decimal

from scrub.formats.workbook.cells.decode import stored_number
from scrub.model.core.area import Area, letters_of
from scrub.model.core.lazy_pattern import lazy_pattern
from scrub.model.core.values import Value

#: Rows that are written together.
_MANY = 4_000


class AppendedRows:
    """Rows without a gap, all from one column on. Both ends of each hold something; a cell between may be empty."""

    __slots__ = ("left", "rows", "sparse", "top")

    def __init__(self, top: int, left: int) -> None:
        self.top, self.left = top, left
        self.rows: list[tuple[Value, ...]] = []
        self.sparse: set[int] = set()  # rows with an empty cell between others

    @property
    def area(self) -> Area:
        """The range that they fill."""
        return Area(self.top, self.left, self.top + len(self.rows) - 1, self.left + max(map(len, self.rows)) - 1)

    def numbered(self) -> Iterator[tuple[int, tuple[Value, ...]]]:
        """The rows, each with its number."""
        return enumerate(self.rows, self.top)

    def stretches(self, alone: Collection[int]) -> Iterator[tuple[int, list[tuple[Value, ...]]]]:
        """The rows in stretches of the same width, each with the number of its first. The first one is alone, since it
        is often one of headings, and so do those that are named.
        """
        first, rows = self.top, self.rows
        widths = [*map(len, rows), 0]
        start = 0
        while start < len(rows):
            end, last = start + 1, min(start + _MANY, len(rows)) if start and first + start not in alone else start + 1
            while end < last and widths[end] == widths[start] and not (alone and first + end in alone):
                end += 1
            yield first + start, rows[start:end]
            start = end


class AppendedWriter:
    """Writes stretches of rows that hold plain values: column by column, as a step for each cell takes its time."""

    def __init__(self, prefix: str, style: Callable[[int, int], int], content: Callable[[Value], tuple[str, bytes]]):
        """`style` tells the number of the format of a cell, `content` its type and the elements inside."""
        self.prefix = prefix
        self._style = style
        self._content = content

    def rows(self, first: int, rows: Sequence[tuple[Value, ...]], left: int, styled: Collection[int]) -> bytes:
        """Rows of the same width, from a column on; the cells of the `styled` columns have formats of their own."""
        p = self.prefix
        numbers = list(map(str, range(first, first + len(rows))))
        template, filled = f'<{p}row r="%s">', list[Sequence[Value]]([numbers])
        for column, values in enumerate(zip(*rows, strict=True), left):
            own = "" if column in styled else _attribute(self._style(first, column))
            template += f'<{p}c r="{letters_of(column)}%s"{own}'
            filled.append(numbers)
            if column in styled:
                template += "%s"
                filled.append([_attribute(self._style(row, column)) for row in range(first, first + len(rows))])
            kinds = set(map(type, values))
            if kinds == {Decimal}:
                template += f"><{p}v>%s</{p}v></{p}c>"
                filled.append(_stored(values))
            elif kinds == {str} and _are_simple(values):
                template += f' t="inlineStr"><{p}is><{p}t>%s</{p}t></{p}is></{p}c>'
                filled.append(values)
            else:
                template += f"%s</{p}c>"
                filled.append([self._any(value) for value in values])
        template += f"</{p}row>"
        return "".join(map(template.__mod__, zip(*filled, strict=True))).encode()

    def _any(self, value: Value) -> str:
        type_, inner = self._content(value)
        return (f' t="{type_}">' if type_ else ">") + inner.decode()


#: Texts of which each character is written as it is.
_SIMPLE = lazy_pattern(r"[ -%'-;=?-^`-~\u00a1-\u024f\n]*+")


def _are_simple(texts: Sequence[str]) -> bool:
    """Whether all texts are in XML just as they are, without a word about their spaces: looked up for all at once."""
    together = "\n".join(texts)
    return (
        together.count("\n") == len(texts) - 1
        and _SIMPLE.fullmatch(together) is not None
        and not any(blank in together for blank in ("  ", "\n ", " \n"))
        and together == together.strip()
    )


def _attribute(style: int) -> str:
    return f' s="{style}"' if style else ""


def _stored(numbers: Sequence[Decimal]) -> list[str]:
    """Numbers as they are stored; whole ones, the commonest, without a step for each."""
    texts = list(map(str, numbers))
    if all(map(str.isdecimal, texts)) and max(map(len, texts)) <= 15:
        return texts
    return list(map(stored_number, numbers))
