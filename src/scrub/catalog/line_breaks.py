"""Texts that were pasted with hard line breaks, made paragraphs again."""

from __future__ import annotations

import re
from collections.abc import Sequence

from scrub.model.declare import Reach, action
from scrub.model.late import late
from scrub.model.lines_of_text import HoldsLines, Line

#: What begins a line of its own: a bullet, a number, a label, a greeting.
_BEGINS = late(
    r"\s*(?:[-*\u2022\u2013\u2014\u00b7\u2023>#|]\s|\d{1,3}[.)]\s|\(?[a-z][.)]\s|[A-Z][\w ]{0,24}:(?:\s|$)|\t"
    r"|(?:dear|hello|hi|kind|best|warm|yours|regards|sincerely|thank you|thanks|with)\b[^.]{0,40}[,!]?\s*$)",
    re.IGNORECASE,
)
#: Blocks whose longest line is shorter than that were not broken by a width: addresses, lists, verses.
_SHORT = 45
_SHARE = 0.7
#: One line in twenty may be longer than the width.
_LONGER = 20


@action(Reach.CHANGE)
def join_lines(item: HoldsLines) -> None:
    """Joins lines that were broken by hand at a width, also where each line became a paragraph. Real ends stay: blank
    lines, headings, lists, labels, greetings, short lines.

    Example: join-lines
    Also: hard line breaks, unwrap, pasted text, paragraph marks, reflow, soft return
    """
    for group in item.lines():
        _within(group)
        _across(group)


def _within(group: Sequence[Line]) -> None:
    """Breaks inside a paragraph."""
    for line in group:
        pieces = line.text.split("\n")
        if len(pieces) < 2:
            continue
        gone = _broken(pieces, [False] * len(pieces))
        at, edits = 0, []
        for number, piece in enumerate(pieces[:-1]):
            at += len(piece)
            if number in gone:
                edits.append((at, at + 1, _joint(piece)))
            at += 1
        line.edit(edits)


def _across(group: Sequence[Line]) -> None:
    """Breaks that became ends of paragraphs."""
    gone = _broken([line.text for line in group], [line.level is not None for line in group])
    for number in range(len(group) - 1, -1, -1):  # from behind, so that a line takes all that follow
        if number in gone and group[number].can_take(group[number + 1]):
            group[number].take(group[number + 1], _joint(group[number].text))


def _joint(text: str) -> str:
    """What takes the place of a break: nothing behind a hyphen."""
    return "" if text.rstrip()[-1:] == "-" else " "


def _broken(lines: Sequence[str], headings: Sequence[bool]) -> set[int]:
    """The numbers of the lines whose end was made by a width."""
    lengths = sorted(len(line.rstrip()) for line in lines if line.strip())
    if not lengths:
        return set()
    width = lengths[max(0, len(lengths) - 1 - len(lengths) // _LONGER)]
    found: set[int] = set()
    for first, last in _blocks(lines, headings):
        block = lines[first : last + 1]
        longest = max(len(line.rstrip()) for line in block)
        if longest < _SHORT or longest < _SHARE * width:
            continue
        for number in range(first, last):
            following = lines[number + 1]
            word = following.split(None, 1)[0] if following.strip() else ""
            fits = len(lines[number].rstrip()) + 1 + len(word) <= min(width, longest)
            if not fits and not _BEGINS.match(following):
                found.add(number)
    return found


def _blocks(lines: Sequence[str], headings: Sequence[bool]) -> list[tuple[int, int]]:
    """The first and last line of each run of lines without a blank one or a heading."""
    found: list[tuple[int, int]] = []
    start = -1
    for number, line in enumerate([*lines, ""]):
        ends = not line.strip() or headings[number]
        if not ends and start < 0:
            start = number
        elif ends and start >= 0:
            found.append((start, number - 1))
            start = -1
    return found


ACTIONS = (join_lines,)
