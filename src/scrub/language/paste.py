"""Text that came by mail or from a web page: what is round the macro left away, what was broken on the way mended."""

from __future__ import annotations

import re
from collections.abc import Callable

from scrub.language import characters as ch
from scrub.language.lexer import split_lines
from scrub.language.parser import parse
from scrub.model.core.lazy_pattern import lazy_pattern

#: A mail program breaks lines at 60 columns or more, so a broken line is hardly shorter than this.
_SHORTEST_WRAPPED = 40
#: Lines between the title of a macro and its `for`, at the most.
_HEAD = 12

_QUOTE = lazy_pattern(r"^\s*(?:>[ \t\u00a0]?)+")
_FENCE = lazy_pattern(r"\s*(?:```|~~~)")
_SINGLE = lazy_pattern('\u2018([^\u2018\u2019\u201c\u201d"]*)\u2019')


#: Lines that are read at most to find out which ones belong together.
_READ = 60_000

#: Counts what is wrong with a macro.
Count = Callable[[str], int]


def pasted(text: str, count: Count) -> list[str]:
    """The macros in a pasted text, each as it was before it was sent; the very text where it needs no mending.

    `count` tells how much is wrong with a text: what is after a macro may read as one of its lines.
    """
    plain = _decoded(text.removeprefix("\ufeff"))
    lines = split_lines(plain)
    filled = [line for line in lines if line.strip()]
    if filled and all(_QUOTE.match(line) for line in filled):
        lines = [_QUOTE.sub("", line) for line in lines]
    starts = [at for at in range(len(lines)) if _begins(lines, at)]
    if not starts and any(_QUOTE.match(line) for line in lines):
        lines = [_QUOTE.sub("", line) for line in lines]  # only the quoted part of a message is the macro
        starts = [at for at in range(len(lines)) if _begins(lines, at)]
    found = []
    for number, start in enumerate(starts or [0]):
        end = starts[number + 1] if number + 1 < len(starts) else len(lines)
        piece = lines[start:end] if starts else lines
        fence = next((at for at, line in enumerate(piece) if _FENCE.match(line)), None)
        if starts and fence is not None:
            piece = piece[:fence]
        found.append(_better(piece, _single_quotes))
    found = [_without_tail(_joined(piece), count) for piece in found]
    whole = ["\n".join(piece).rstrip("\n") for piece in found]
    if len(whole) == 1 and whole[0] == "\n".join(split_lines(text)).rstrip("\n"):
        return [text]
    return [each + "\n" for each in whole]


def _begins(lines: list[str], at: int) -> bool:
    """Whether a macro begins here: a line with its title, and its `for` soon below."""
    words = ch.plain(lines[at]).lower().split(" ", 1)
    if words[0] != "macro" or len(words) < 2:
        return False
    for line in lines[at + 1 : at + 1 + _HEAD]:
        first = ch.plain(line).lower().split(" ", 1)[0]
        if first == "for":
            return True
        if first == "macro":
            return False
    return False


def _decoded(text: str) -> str:
    """Quoted-printable (RFC 2045, 6.7) read, where the text is certainly written so."""
    if "=3D" not in text and not re.search(r"=(?:20|09|E2=80=|C2=A0)", text):
        return text
    import quopri

    try:
        return quopri.decodestring(text.encode()).decode()
    except UnicodeDecodeError:
        return text


def _slips(lines: list[str]) -> int:
    return len(parse("\n".join(lines), "")[1])


def _better(lines: list[str], change: Callable[[list[str]], list[str]]) -> list[str]:
    """The lines changed, where that makes the macro read better."""
    if not (wrong := _slips(lines)):
        return lines
    fresh = change(lines)
    return fresh if fresh != lines and _slips(fresh) < wrong else lines


def _single_quotes(lines: list[str]) -> list[str]:
    """Texts between single curly quotes as the texts they are."""
    return [_SINGLE.sub("\u201c\\1\u201d", line) for line in lines]


def _without_tail(lines: list[str], count: Count) -> list[str]:
    """The macro without a signature or a greeting after it: cut where that leaves the fewest slips."""
    wrong = count("\n".join(lines))
    if not wrong:
        return lines
    places = [at for at, line in enumerate(lines) if not line.strip() or line.rstrip() in ("--", "-- ")]
    tries = [(count("\n".join(lines[:at])), -at) for at in places[-20:] if at]
    slips, place = min(tries, default=(0, 0))
    return lines[:-place] if place and slips < wrong else lines


def _joined(lines: list[str]) -> list[str]:
    """Lines joined wherever that makes the macro read better, and only there."""
    wrong = _slips(lines)
    index = 0
    tries = max(5, _READ // max(1, len(lines)))  # each reads the whole text once more
    while wrong and tries and index + 1 < len(lines):
        long = len(lines[index].rstrip()) >= _SHORTEST_WRAPPED or lines[index].rstrip().endswith(":")
        if long and lines[index + 1].strip():
            tried = [*lines[:index], f"{lines[index].rstrip()} {lines[index + 1].strip()}", *lines[index + 2 :]]
            now, tries = _slips(tried), tries - 1
            if now < wrong:
                lines, wrong = tried, now
                continue  # the joined line may have been broken twice
        index += 1
    return lines
