"""One stored cell (ISO/IEC 29500-1, 18.3.1.4), from its bytes or from its element."""

from __future__ import annotations

import re

from scrub.formats.spans import NotReadable, Span, number_in, parse
from scrub.formats.xmltext import attributes_of, plain_text, text_of
from scrub.model.core.area import column_of
from scrub.model.core.lazy_pattern import lazy_pattern
from scrub.model.core.named import NamedTuple

#: A cell in the form in which nearly all are written.
CELL = lazy_pattern(rb'<c r="([A-Z]{1,3})([1-9]\d{0,6})"([^>]*?)(?:/>|>(.*?)</c>)', re.DOTALL)
_PLAIN_VALUE = lazy_pattern(rb"<v>([^<]*)</v>")
_PLAIN_FORMULA = lazy_pattern(rb"<f>([^<]*)</f>(?:<v>([^<]*)</v>)?")


class Formula(NamedTuple):
    """A formula as stored (18.3.1.40): its text without the equals sign, and what it is part of."""

    text: str
    type: str = "normal"
    ref: str = ""
    si: str = ""


class StoredCell(NamedTuple):
    """One cell (18.3.1.4): its byte range, and what it says. `inline` is the content of its `is` element."""

    row: int
    column: int
    start: int
    end: int
    style: int
    type: str
    value: str | None
    formula: Formula | None
    inline: bytes | None
    tail: bytes  # what is after its value: extensions, which are kept


def holds(cell: StoredCell) -> bool:
    """Whether anything is in it."""
    return bool(cell.value) or cell.inline is not None or cell.formula is not None


def matched(found: re.Match[bytes]) -> StoredCell:
    """The cell that `CELL` found. Raises `NotReadable`, with its address, for a damaged one."""
    try:
        return _matched(found)
    except NotReadable as problem:
        raise NotReadable(f"in the cell {found[1].decode()}{found[2].decode()}: {problem}") from None


def _matched(found: re.Match[bytes]) -> StoredCell:
    attributes = attributes_of(found[3])
    value = inline = formula = None
    tail = b""
    content = found[4]
    if content:
        plain = _PLAIN_VALUE.fullmatch(content)
        calculated = None if plain else _PLAIN_FORMULA.fullmatch(content)
        if plain:
            value = plain_text(plain[1])
        elif calculated:
            formula = Formula(plain_text(calculated[1]))
            value = plain_text(calculated[2]) if calculated[2] is not None else None
        elif content.startswith(b"<is><t") and content.find(b"<", 6) == len(content) - 9:
            inline = content[4:-5]
        else:
            value, formula, inline, tail = _content(content)
    return StoredCell(
        int(found[2]),
        column_of(found[1].decode()),
        found.start(),
        found.end(),
        number_in(attributes, "s"),
        attributes.get("t", "n"),
        value,
        formula,
        inline,
        tail,
    )


def _content(content: bytes) -> tuple[str | None, Formula | None, bytes | None, bytes]:
    """What is inside a cell that contains more than a plain value."""
    root = parse(b"<c>" + content + b"</c>")
    return content_of(b"<c>" + content + b"</c>", root)


def content_of(data: bytes, cell: Span) -> tuple[str | None, Formula | None, bytes | None, bytes]:
    """What is inside a cell: value, formula, inline text, extensions."""
    value = inline = formula = None
    tail = b""
    for child in cell.children:
        if child.name == "v":
            value = text_of(data[child.start : child.end])
        elif child.name == "is":
            inline = data[child.open_end : child.close_start]
        elif child.name == "f":
            of = child.attributes
            text = text_of(data[child.start : child.end])
            formula = Formula(text, of.get("t", "normal"), of.get("ref", ""), of.get("si", ""))
        else:
            tail += data[child.start : child.end]
    return value, formula, inline, tail
