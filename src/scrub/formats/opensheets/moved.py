"""References of an Open Document that follow rows, columns and sheets: in formulas, and in addresses of ranges."""

from __future__ import annotations

import re
from collections.abc import Callable

from scrub.formats.opensheets.formulas import (
    NotTranslated,
    address_pattern,
    moved_formula,
    open_reference,
    plain_address,
)
from scrub.formats.opensheets.saved_book import SavedBook
from scrub.formats.spans import Span, Splice, escaped, set_attributes
from scrub.formats.workbook.structure.moves import LOST, Moves
from scrub.formats.xmltext import plain_text

#: Attributes with formulas, and those with addresses, by their local names.
_FORMULAS = frozenset(("formula", "condition", "expression", "value"))
_ADDRESSES = frozenset((
    "cell-range-address", "base-cell-address", "target-range-address", "print-ranges", "end-cell-address",
    "notify-on-update-of-ranges", "values-cell-range-address", "label-cell-address", "source-cell-range-addresses",
    "target-cell-address", "condition-source-range-address", "linked-cell", "source-cell-range", "last-column-spanned",
))  # fmt: skip
_FRAMES = re.compile(rb"""(:(?:end-cell-address|notify-on-update-of-ranges)\s*=\s*)("[^"]*"|'[^']*')""")
_WRITTEN = re.compile(rb"""(:formula\s*=\s*)("[^"]*"|'[^']*')""")


def moved_written(moves: Moves, sheet: str, written: str) -> str:
    """A formula as an attribute has it, where lines and sheets move."""
    return moved_formula(written, lambda plain, _: moves.formula(plain, sheet))


def moved_address(moves: Moves, sheet: str, text: str) -> str:
    """Addresses of ranges as they are to read; one whose cells are gone stays."""

    def fresh(match: re.Match[str]) -> str:
        try:
            plain = plain_address(match)
        except NotTranslated:
            return match[0]
        if plain is None:
            return match[0]
        after = moves.formula(plain, sheet)
        if after == plain or LOST in after:
            return match[0]
        name, mark, place = after.rpartition("!")
        own = name.strip("'").replace("''", "'") if mark else ""
        made = open_reference(place, own)[1:-1]
        if not match[0].startswith("$") and made.startswith("$"):
            made = made[1:]
        first, colon, last = made.partition(":")
        if (colon and match[4] is not None) or match[5] is not None:
            made = f"{first}:{first.rpartition('.')[0]}{last}"
        return made

    return address_pattern().sub(fresh, text)


def moved_attributes(moves: Moves, sheet: str, data: bytes, root: Span) -> list[Splice]:
    """What lets the attributes of elements follow; `sheet` is the one that they are on."""
    splices: list[Splice] = []
    for span in (root, *root.inside()):
        values: list[tuple[str, str | None]] = []
        for written, text in span.attributes.items():
            local = written.rpartition(":")[2]
            if local in _FORMULAS and "[" in text:
                fresh = moved_written(moves, sheet, text)
            elif local in _ADDRESSES and "." in text:
                fresh = moved_address(moves, sheet, text)
            else:
                continue
            if fresh != text:
                values.append((written, fresh))
        if values:
            splices += set_attributes(data, span, values)
    return splices


def moved_rows(saving: SavedBook, name: str) -> Callable[[bytes], bytes]:
    """What lets the formulas of rows follow."""
    moves = saving.moves

    def fresh(match: re.Match[bytes]) -> bytes:
        quote = match[2][:1]
        written = plain_text(match[2][1:-1])
        after = moved_written(moves, name, written)
        if after == written:
            return match[0]
        text = escaped(after)
        return match[1] + quote + (text.replace("'", "&apos;") if quote == b"'" else text).encode() + quote

    def fresh_address(match: re.Match[bytes]) -> bytes:
        quote = match[2][:1]
        written = plain_text(match[2][1:-1])
        text = escaped(moved_address(moves, name, written))
        return match[1] + quote + (text.replace("'", "&apos;") if quote == b"'" else text).encode() + quote

    def refit(row: bytes) -> bytes:
        if b":formula" in row:
            row = _WRITTEN.sub(fresh, row)
        if b"end-cell-address" in row or b"notify-on-update" in row:
            row = _FRAMES.sub(fresh_address, row)
        return row

    return refit
