"""Texts that were pasted with hard line breaks, made paragraphs again."""

from __future__ import annotations

import re
from collections.abc import Iterable, Sequence

from scrub.model.core.declare import Reach, action
from scrub.model.core.lazy_pattern import lazy_pattern
from scrub.model.texts.lines_of_text import HoldsLines, Line

#: What begins a line of its own: a bullet, a number, a label, a greeting.
_BEGINS = lazy_pattern(
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
    """Joins lines with hard line breaks, even if each line became a paragraph. Real ends remain: blank lines,
    headings, lists, labels, greetings, short lines. A hyphenated word is joined if the whole word appears
    elsewhere; other such lines are listed in the log.

    Example: join-lines
    Also: hard line breaks, unwrap, pasted text, paragraph marks, reflow, soft return, hyphenation
    """
    groups = item.lines()
    words = _Words(line.text for group in groups for line in group)
    for group in groups:
        _within(group, words)
        _across(group, words)


class _Words:
    """The words of a text, to tell a divided word from one with a hyphen."""

    def __init__(self, texts: Iterable[str]) -> None:
        self._texts = texts
        self._known: frozenset[str] | None = None

    def knows(self, word: str) -> bool:
        """Whether a word is in the text, not at the end of a line."""
        if self._known is None:
            self._known = frozenset(found.lower() for text in self._texts for found in _WORD.findall(text))
        return word.lower() in self._known

    def joint(self, text: str, following: str) -> str | None:
        """What takes the place of a break: nothing after a hyphen or a dash, else a space. A soft hyphen goes, and a
        hyphen at which a word was divided: then it is the hyphen itself. None where nobody can tell.
        """
        last = text.rstrip(" \t")[-1:]
        if last == "\u00ad":
            return last
        if last != "-":
            return " "
        start, end = _DIVIDED.search(text.rstrip()), _REST.match(following.lstrip())
        if start is None or end is None or not end[0][:1].islower():
            return ""
        if self.knows(f"{start[1]}-{end[0]}"):
            return ""
        return last if self.knows(start[1] + end[0]) else None


#: Words, with those that have hyphens in them whole; the first part of a divided one, and the rest.
_WORD = lazy_pattern(r"[^\W\d_]+(?:-[^\W\d_]+)*")
_DIVIDED, _REST = lazy_pattern(r"([^\W\d_]+)[-\u00ad]$"), lazy_pattern(r"[^\W\d_]+")


def _within(group: Sequence[Line], words: _Words) -> None:
    """Breaks inside a paragraph."""
    for line in group:
        pieces = line.text.split("\n")
        if len(pieces) < 2:
            continue
        gone, left = _broken(pieces, [False] * len(pieces))
        at, edits = 0, []
        for number, piece in enumerate(pieces[:-1]):
            at += len(piece)
            joint = words.joint(piece, pieces[number + 1]) if number in gone else ""
            if joint is None:
                left[number] = _divided(piece, pieces[number + 1])
            elif number in gone and joint in ("-", "\u00ad"):
                edits.append((at - 1, at + 1, ""))
            elif number in gone:
                edits.append((at, at + 1, joint))
            at += 1
        for number, why in left.items():
            _leave(line, f"line {number + 1}", why)
        with line.file.recorder.piece(line.label) as wanted:
            line.edit(edits if wanted else [])


def _across(group: Sequence[Line], words: _Words) -> None:
    """Breaks that became ends of paragraphs."""
    gone, left = _broken([line.text for line in group], [line.level is not None for line in group])
    for chain in _chains(gone):
        with group[0].file.recorder.piece(group[chain[-1]].label) as wanted:
            for number in chain if wanted else ():
                _join(group, number, words, left)
    for number in sorted(left):
        _leave(group[number], "", left[number])


def _chains(gone: set[int]) -> list[list[int]]:
    """The lines that become one, from the end, so that a line takes all that follow."""
    chains: list[list[int]] = []
    for number in sorted(gone, reverse=True):
        if chains and chains[-1][-1] == number + 1:
            chains[-1].append(number)
        else:
            chains.append([number])
    return chains


def _join(group: Sequence[Line], number: int, words: _Words, left: dict[int, str]) -> None:
    """Joins the next line to one; where that cannot be, notes why."""
    line, following = group[number], group[number + 1]
    joint = words.joint(line.text, following.text)
    if joint is None:
        left[number] = _divided(line.text, following.text)
    elif not line.can_take(following):
        left[number] = "the next paragraph has other formatting, or something is between them"
    else:
        if joint in ("-", "\u00ad"):
            end = len(line.text.rstrip())
            line.edit([(end - 1, end, "")])
            joint = ""
        line.take(following, joint)


def _divided(text: str, following: str) -> str:
    return (
        f'"{(text.split() or [""])[-1]}" and "{(following.split() or [""])[0]}" may be one hyphenated word. '
        "Join them by hand"
    )


def _leave(line: Line, where: str, why: str) -> None:
    label = f"{line.label}, {where}" if where else line.label
    line.file.recorder.remarks.append(f"skipped {label}: {why}")


def _broken(lines: Sequence[str], headings: Sequence[bool]) -> tuple[set[int], dict[int, str]]:
    """The numbers of the lines whose end was made by a width; and of those that only look so, with the reason."""
    found: set[int] = set()
    left: dict[int, str] = {}
    lengths = sorted(len(line.rstrip()) for line in lines if line.strip())
    if not lengths:
        return found, left
    width = lengths[max(0, len(lengths) - 1 - len(lengths) // _LONGER)]
    for first, last in _blocks(lines, headings):
        block = lines[first : last + 1]
        longest = max(len(line.rstrip()) for line in block)
        if longest < _SHORT or longest < _SHARE * width:
            continue
        for number in range(first, last):
            following = lines[number + 1]
            word = following.split(None, 1)[0] if following.strip() else ""
            fits = len(lines[number].rstrip()) + 1 + len(word) <= min(width, longest)
            if fits and not (_DIVIDED.search(lines[number].rstrip(" \t")) and word[:1].islower()):
                continue
            if _BEGINS.match(following):
                left[number] = "the next line starts like a list, a label or a greeting"
            else:
                found.add(number)
    return found, left


def _blocks(lines: Sequence[str], headings: Sequence[bool]) -> list[tuple[int, int]]:
    """The first and last line of each run of lines without a space one or a heading."""
    blocks: list[tuple[int, int]] = []
    start = -1
    for number, line in enumerate([*lines, ""]):
        ends = not line.strip() or headings[number]
        if not ends and start < 0:
            start = number
        elif ends and start >= 0:
            blocks.append((start, number - 1))
            start = -1
    return blocks


ACTIONS = (join_lines,)
