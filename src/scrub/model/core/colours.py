"""Colours as a person writes them."""

from __future__ import annotations

import re

from scrub.model.core.problem import Failure

#: Plain words for colours, as the web's open standard has them (CSS Color Module Level 4, 6.1).
WORDS = {
    "black": "000000", "white": "ffffff", "red": "ff0000", "green": "008000", "blue": "0000ff", "yellow": "ffff00",
    "orange": "ffa500", "purple": "800080", "grey": "808080", "gray": "808080", "brown": "a52a2a", "pink": "ffc0cb",
    "lightgrey": "d3d3d3", "lightgreen": "90ee90", "lightblue": "add8e6", "lightyellow": "ffffe0", "navy": "000080",
    "teal": "008080", "maroon": "800000", "olive": "808000", "silver": "c0c0c0", "gold": "ffd700",
}  # fmt: skip


class Colour(str):
    """A colour of something in a file. It is equal to every text that names it: "#ff0000", "red"."""

    __slots__ = ()


def same_colour(one: str, other: str) -> bool:
    """Whether two texts name one colour."""
    try:
        return colour_of(one) == colour_of(other)
    except Failure:
        return False


def colour_of(text: str) -> str:
    """A colour as `#rrggbb`, whatever way it is written. Raises `Failure` for a text that is none."""
    plain = text.strip().lower()
    found = WORDS.get(plain.replace(" ", "").replace("-", "")) or plain.removeprefix("#")
    if re.fullmatch(r"[0-9a-f]{3}", found):
        found = "".join(letter * 2 for letter in found)
    if not re.fullmatch(r"[0-9a-f]{6}", found):
        raise Failure(f'"{text}" is not a colour. Write "#fff8e1", or one of: {", ".join(WORDS)}')
    return f"#{found}"
