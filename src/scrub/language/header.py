"""The leading lines of a macro: its title, what it is about, what it runs on, its group."""

from __future__ import annotations

from scrub.language import characters as ch
from scrub.language.tree import Macro, Place
from scrub.language.words import HEADER
from scrub.model.core.problem import Problem

#: Words for files that mean something else inside files, and the kind of the file: documents hold pictures.
_FILES = {"picture": "image"}


def read_header(macro: Macro, lines: list[str], problems: list[Problem]) -> int:
    """Fills in the header and gives the index of the first line of the body."""
    index = 0
    for index, line in enumerate(lines):
        if not (line.isascii() and line.isprintable()) and any(mark in line for mark in ch.HIDDEN):
            break
        text = ch.plain(line)
        if not text or text.startswith("#"):
            continue
        word, _, rest = text.partition(" ")
        word = word.lower()
        if word not in HEADER or rest.startswith("=") or _is_loop(macro, word, rest):
            break
        column = line.lower().find(word) + 1
        place = Place(index + 1, column, len(word))
        _header_line(macro, word, rest, place, problems)
    else:
        index = len(lines)
    _complete(macro, lines, problems)
    return index


def _is_loop(macro: Macro, word: str, rest: str) -> bool:
    """Whether a `for` is the first line of a body in another language's manner: for each sheet, for i = 1 to 10."""
    return (
        word == "for" and "for" in macro.places and (rest.lower().startswith("each ") or "=" in rest or " in " in rest)
    )


def _header_line(macro: Macro, word: str, rest: str, place: Place, problems: list[Problem]) -> None:
    if not rest:
        problems.append(Problem(f'the text after "{word}" is missing', *place))
    if word != "about" and word in macro.places:
        problems.append(Problem(f'"{word}" appears twice. Delete one', *place))
        return
    if word != "macro" and "macro" not in macro.places:
        problems.append(Problem("the first line must be the title: macro …", *place))
        macro.places["macro"] = place
    macro.places[word] = place
    if word == "macro":
        macro.title = rest
    elif word == "about":
        macro.about.append(rest)
    elif word == "group":
        macro.group = rest
    elif word == "into":
        macro.into = rest
    elif word == "example":
        macro.example = rest
    else:
        first, _, others = rest.lower().partition(" ")
        macro.for_all = first == "all" and bool(others)
        said = [kind.strip() for kind in (others if macro.for_all else rest.lower()).split(",")]
        macro.runs_on = [_FILES.get(kind, kind) for kind in said]
        macro.called = dict(zip(macro.runs_on, said, strict=True))


def _complete(macro: Macro, lines: list[str], problems: list[Problem]) -> None:
    if not any(ch.plain(line) for line in lines):
        problems.append(Problem("the macro is empty. Its first line must be: macro, and a title", 1, 1))
    elif "macro" not in macro.places:
        problems.append(Problem("the title is missing. Write at the top: macro, and a title", 1, 1, len(lines[0])))
    elif "for" not in macro.places:
        line = macro.places["macro"].line
        problems.append(
            Problem(
                "the kind of file is missing. Write below the title: for workbook",
                line,
                1,
                len(lines[line - 1].rstrip()),
            )
        )
