"""The characters of a cell: its font (ISO/IEC 29500-1, 18.8.22)."""

from __future__ import annotations

from decimal import Decimal, InvalidOperation
from typing import Any

from scrub.formats.spans import NotReadable, escaped
from scrub.formats.workbook.elements import attributes_inside, replaced
from scrub.formats.workbook.formatting.colours import Colours
from scrub.formats.xmltext import is_on, unescaped
from scrub.model.core.change import cut
from scrub.model.core.problem import Failure

#: The elements of a font, by the field that each is.
LETTERS = {
    "bold": "b", "italic": "i", "colour": "color", "underlined": "u", "strikethrough": "strike",
    "font": "name", "size": "sz",
}  # fmt: skip
#: The largest characters, in points; the longest name of a font, in characters.
_LARGEST, _LONGEST = 409, 31


def look(font: bytes, word: str, colours: Colours) -> Any:
    """A field of how the characters of a font look."""
    found = attributes_inside(font, LETTERS[word])
    if word == "colour":
        return colours.read(found) if found is not None else None
    said = found.get("val") if found is not None else None
    if word == "font":
        return unescaped(said or "Calibri")
    if word == "size":
        try:
            return Decimal(said or "11").normalize() + 0
        except InvalidOperation:
            raise NotReadable(f'the font size "{cut(said or "")}" is not a number') from None
    if word == "underlined":
        return found is not None and said != "none"
    return found is not None and is_on(said, True)


def with_look(font: bytes, word: str, value: Any, colours: Colours, prefix: str) -> bytes:
    """A font with one field changed. Raises `Failure` for what cannot be."""
    name = LETTERS[word]
    if word == "colour":
        fresh = f'<{prefix}color rgb="{colours.write(value)}"/>' if value is not None else ""
    elif word == "font":
        if not 1 <= len(value) <= _LONGEST:
            raise Failure(f"a font name can have up to {_LONGEST} characters")
        fresh = f'<{prefix}name val="{escaped(value)}"/>'
        font = replaced(font, "scheme", b"")  # which would bring back the font of the theme
    elif word == "size":
        if not 1 <= value <= _LARGEST:
            raise Failure(f"a font size is 1 to {_LARGEST} points, not {value}")
        fresh = f'<{prefix}sz val="{value}"/>'
    else:
        fresh = f"<{prefix}{name}/>" if value else ""
    return replaced(font, name, fresh.encode())
