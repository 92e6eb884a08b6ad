"""Text that came by mail: quoting marks taken off, lines that were broken at a width joined again."""

from __future__ import annotations

import re

from scrub.language.lexer import split_lines
from scrub.language.parser import parse

#: A mail program breaks lines at 60 columns or more, so a broken line is hardly shorter than this.
_SHORTEST_WRAPPED = 40

_QUOTE = re.compile(r"^\s*(?:>[ \t\u00a0]?)+")


def mended(text: str) -> str:
    """The macro as it was before it was mailed; the very text where it needs no mending."""
    lines = split_lines(text.removeprefix("\ufeff"))
    filled = [line for line in lines if line.strip()]
    if filled and all(_QUOTE.match(line) for line in filled):
        lines = [_QUOTE.sub("", line) for line in lines]
    lines = _joined(lines)
    found = "\n".join(lines)
    return text if found == "\n".join(split_lines(text)) else found


def _joined(lines: list[str]) -> list[str]:
    """Lines joined wherever that makes the macro read better, and only there."""
    wrong = _slips(lines)
    index = 0
    while wrong and index + 1 < len(lines):
        if len(lines[index].rstrip()) >= _SHORTEST_WRAPPED and lines[index + 1].strip():
            tried = [*lines[:index], f"{lines[index].rstrip()} {lines[index + 1].strip()}", *lines[index + 2 :]]
            now = _slips(tried)
            if now < wrong:
                lines, wrong = tried, now
                continue  # the joined line may have been broken twice
        index += 1
    return lines


def _slips(lines: list[str]) -> int:
    return len(parse("\n".join(lines), "")[1])
