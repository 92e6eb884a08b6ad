"""Characters as they are written in an Open Document (OpenDocument 1.3, part 3, 6.1.2 to 6.1.5)."""

from __future__ import annotations

import re

from scrub.formats.xmltext import escaped_text
from scrub.model.core.lazy_pattern import lazy_pattern

_SPECIAL = lazy_pattern(r"( {2,}|[\t\n]| )")


def written(text: str, prefix: str) -> str:
    """Characters as the content of a paragraph; spaces that would collapse are elements (6.1.3 to 6.1.5)."""
    found: list[str] = []
    pieces = _SPECIAL.split(re.sub("\r\n?", "\n", text))
    for number, piece in enumerate(pieces):
        if number % 2 == 0:
            found.append(escaped_text(piece))
        elif piece in "\t\n":
            found.append(f"<{prefix}{'tab' if piece == chr(9) else 'line-break'}/>")
        elif len(piece) == 1 and pieces[number - 1] and pieces[number + 1]:
            found.append(" ")  # between characters it is one
        else:
            found.append(f"<{prefix}s/>" if len(piece) == 1 else f'<{prefix}s {prefix}c="{len(piece)}"/>')
    return "".join(found)
