"""How things are printed: lines wrapped at words; bold, dim and red where a terminal wants them; long lists cut."""

from __future__ import annotations

import json
import os
import re
import sys
from collections.abc import Sequence
from typing import Any

import click

from scrub import FileResult, Problem, counted, highlighted, lines_of, recover

#: Lines of a list before it is cut.
SHOWN = 10


def strong(text: str) -> str:
    """A heading or a result, in bold. The colours of terminals differ, and bold reads on all of them."""
    return _styled(text, bold=True)


def quiet(text: str) -> str:
    """What explains another line, dimmed."""
    return _styled(text, dim=True)


def failed(text: str) -> str:
    """What went wrong, in red: always a word such as "Failed", since not everybody sees the colour."""
    return _styled(text, fg="red", bold=True)


#: How the pieces of a macro look, where it is not as plain text: colours cannot be read on every ground, bold can.
_PIECES: dict[str, dict[str, Any]] = {"header": {"bold": True}, "keyword": {"bold": True}, "comment": {"dim": True}}


def told_apart(text: str) -> list[str]:
    """The lines of a macro, with its words told apart at a terminal."""
    if not sys.stdout.isatty():
        return lines_of(text)
    lines = [""]
    for sort, piece in highlighted(text):
        for number, part in enumerate(lines_of(piece)):
            if number:
                lines.append("")
            lines[-1] += _styled(part, **_PIECES[sort]) if part and sort in _PIECES else part
    return lines


def saved_counts(files: int, changes: int) -> str:
    """The result of a run, to which its number is added."""
    return f"Saved {counted(files, 'file')}: {counted(changes, 'change')}"


def question_of(changes: int, files: int, sends: int) -> str:
    """What somebody is asked before a run is saved."""
    what = f"Apply {counted(changes, 'change')}"
    what += f" to {counted(files, 'file')}" if files else ""
    what += f" and send {counted(sends, 'message')}, which cannot be undone" if sends else ""
    return f"{what}?"


def _styled(text: str, **style: Any) -> str:
    """A text of one line with a style, which is a mark until it is printed: nothing that a file contains can be one."""
    text = one_line(text)
    if os.environ.get("NO_COLOR"):
        return text
    start, end = click.style("\n", **style).split("\n")
    return f"{_MARK}{start[1:]}{_MARK}{text}{_MARK}{end[1:]}{_MARK}"


#: What means an escape of our own until it is printed; nobody can know it before.
_MARK = f"\0{os.urandom(6).hex()}\0"
#: What a terminal would obey, or nobody would see: control characters, and marks that turn the direction of reading.
_RAW = re.compile(
    "[\0-\x08\x0b-\x1f\x7f-\x9f\u00ad\u061c\u180e\u200b-\u200f\u2028-\u202e\u2060-\u206f\ufeff\ud800-\udfff"
    "\U000e0000-\U000e007f]"
)


def harmless(text: str) -> str:
    """A text as it can be shown: what a terminal would obey is named. Line ends and tabs stay."""
    if text.isascii() and text.isprintable():
        return text
    return _RAW.sub(lambda found: f"{{U+{ord(found[0]):04X}}}", text.replace("\r\n", "\n"))


def one_line(text: str) -> str:
    """The same for a text that is to stay on its line."""
    if _MARK in text or (text.isascii() and text.isprintable()):
        return text
    return harmless(text).replace("\n", "{newline}").replace("\t", "{tab}")


def _printed(text: str) -> str:
    """A text as it goes to the terminal: our own styles, and nothing else that it would obey."""
    pieces = text.split(_MARK)
    return "".join(f"\x1b{piece}" if number % 2 else harmless(piece) for number, piece in enumerate(pieces))


def echo(text: str = "", err: bool = False, nl: bool = True, raw: bool = False) -> None:
    """Prints a text; nothing in it that came from a file reaches the terminal raw. At a terminal, lines are wrapped at
    words, unless `raw` keeps them whole: lines of a macro, which people copy.
    """
    stream = sys.stderr if err else sys.stdout
    if not raw and stream.isatty():
        text = "\n".join(each for line in text.split("\n") for each in wrapped(line, width()))
    click.echo(_printed(text), err=err, nl=nl)


def wrapped(line: str, most: int, hang: int | None = None) -> list[str]:
    """A line as lines of at most that many columns, cut between words; a word that is longer stays whole. The further
    lines are indented by `hang` columns, or two more than the first.
    """
    if cells(line) <= most:
        return [line]
    indent = len(line) - len(line.lstrip(" "))
    hang = hang if hang is not None else indent + 2 if indent else 0
    found, current, used = [], "", 0
    for gap, word in re.findall(r"( *)([^ ]+)", line):
        size = cells(word)
        if current.strip(" ") and used + len(gap) + size > most:
            found.append(current)
            current, used = " " * hang, hang
        else:
            current, used = current + gap, used + len(gap)
        current, used = current + word, used + size
    return [*found, current]


def width() -> int:
    """The columns of the terminal; 100 where there is none."""
    return max(40, min(200, _terminal()[0]))


def room() -> int:
    """The columns in which lines are wrapped; elsewhere than at a terminal, each line stays whole."""
    return width() if sys.stdout.isatty() or sys.stderr.isatty() else 1_000_000


def _terminal() -> tuple[int, int]:
    """The columns and lines of the terminal. The library's own function takes long to import for every command."""
    across, lines = os.environ.get("COLUMNS", ""), os.environ.get("LINES", "")
    try:
        size: tuple[int, int] = os.get_terminal_size(sys.__stdout__.fileno() if sys.__stdout__ else 1)
    except (OSError, ValueError):
        size = (100, 24)
    return (
        int(across) if across.isdecimal() and int(across) else size[0] or 100,
        int(lines) if lines.isdecimal() and int(lines) else size[1] or 24,
    )


def cells(text: str) -> int:
    """How many columns of the terminal a text takes: a wide character takes two, a style of ours none."""
    if _MARK in text:
        text = "".join(text.split(_MARK)[::2])
    if text.isascii():
        return len(text)
    from rich.cells import cell_len  # knows the widths of all characters

    return cell_len(text)


def cut(text: str, room: int) -> str:
    """The text, cut to that many columns of the terminal."""
    if cells(text) <= room:
        return text
    if text.isascii():
        return text[: room - 3].rstrip() + "..."
    from rich.cells import set_cell_size

    return set_cell_size(text, room - 3).rstrip() + "..."


def print_json(value: object) -> None:
    """Prints a value as JSON."""
    text = json.dumps(value, ensure_ascii=False, indent=2)
    click.echo(_RAW.sub(lambda found: f"\\u{ord(found[0]):04x}", text))


def print_json_line(value: object) -> None:
    """Prints a value as one line of JSON Lines."""
    text = json.dumps(value, ensure_ascii=False)
    click.echo(_RAW.sub(lambda found: f"\\u{ord(found[0]):04x}", text))


def columns(rows: Sequence[Sequence[str]], indent: str = "  ", wrap: bool = False, copied: bool = False) -> list[str]:
    """Rows as lines with their columns in line. What does not fit the terminal is cut; with `wrap`, the last column is
    wrapped instead. With `copied`, the first column is something to copy, and is never cut.
    """
    if not rows:
        return []
    rows = [[one_line(text) for text in row] for row in rows]
    most = max(12, width() // 2 - 2)
    widths = [min(most, max(cells(row[index]) for row in rows)) for index in range(len(rows[0]) - 1)]
    lines = []
    for row in rows:
        line = indent
        for number, (text, size) in enumerate(zip(row, widths, strict=False)):
            shown = cut(text, size) if cells(text) > most and not (copied and number == 0) else text
            line += shown + " " * (size - cells(shown)) + "  "
        start = cells(line)
        if width() - start < 8 and copied:  # no room beside it: the value goes below
            lines.append(line.rstrip())
            line, start = f"{indent}    ", len(indent) + 4
        if wrap:
            lines += [each.rstrip() for each in wrapped(line + row[-1], room(), start)]
        else:
            left = width() - start
            lines.append((line + (row[-1] if left < 8 else cut(row[-1], left))).rstrip())
    return lines


def echo_lines(lines: Sequence[str]) -> None:
    """Prints lines; more than the terminal contains go through the pager."""
    text = "\n".join(lines)
    if sys.stdout.isatty() and len(lines) > _terminal()[1] - 2:
        click.echo_via_pager(_printed(text) + "\n")
    elif lines:
        echo(text)


def indented(text: str) -> str:
    """A text of several lines, of which only the first begins where our own lines do."""
    return text.replace("\n", "\n    ")


def spoken(text: str) -> str:
    """What a macro says. At a terminal each line has a bar at its left, so that none can look like one of ours."""
    if not sys.stdout.isatty():
        return indented(text)
    return "\n".join(f"{BAR}{line}" for line in harmless(text).split("\n"))


#: What is at the left of each line that a macro says, or asks.
BAR = "\u2502 "


def more(left: int) -> str:
    """The line that tells how many more there are."""
    return f"  {left:,} more; show all with --all"


def short_path(path: str) -> str:
    """A path as a person in the current folder writes it."""
    inside = os.path.realpath(os.getcwd()) + os.sep
    return one_line(path[len(inside) :] if path.startswith(inside) else path)


#: What is in a document, as the names of places begin.
_IN_DOCUMENTS = frozenset(("paragraph", "section", "bookmark"))


def change_count(found: FileResult) -> str:
    """`9 changes on 8 sheets`; what was changed of the file itself is on none. Of a document some may be on paragraphs
    and others on its sections or bookmarks, which are called by what they are.
    """
    places, part = found.places - {os.path.basename(found.path)}, found.part_word
    if part == "paragraph":
        kinds = {place.partition(" ")[0] for place in places}
        part = next(iter(kinds)) if len(kinds) == 1 and kinds <= _IN_DOCUMENTS else "place"
    of = f" on {counted(len(places), part)}" if places else ""
    beside = f", {results(found.result_count)}" if found.result_count else ""
    return counted(found.change_count, "change") + of + beside


def results(count: int) -> str:
    """`14 results recalculated`."""
    return f"{counted(count, 'result')} recalculated"


def file_size(number: float) -> str:
    """A size in bytes as a person says it."""
    for unit, size in (("GB", 10**9), ("MB", 10**6), ("KB", 10**3)):
        if number >= size:
            return f"{number / size:.1f} {unit}" if number < 10 * size else f"{number / size:.0f} {unit}"
    return f"{number:.0f} bytes"


def sentence(text: str) -> str:
    """A problem as a sentence: it begins with a capital, unless it begins with the name of something."""
    first = text.split(" ", 1)[0]
    return text[:1].upper() + text[1:] if first.isalpha() and first.islower() else text


def quoted(word: str) -> str:
    """A word as a person types it in a shell: between double quotes, which all know, wherever that is enough."""
    if word and not any(letter in word for letter in " \t'\"&()*?[]{}$;|<>!#~`\\"):
        return word
    import shlex  # rarely needed

    return shlex.quote(word) if any(letter in word for letter in '"$`\\!') else f'"{word}"'


def problem_lines(name: str, problems: Sequence[Problem]) -> list[str]:
    """The errors of a macro, a blank line between them: each line with its number, and what is wrong below it."""
    lines = [f"{strong(name)}: {counted(len(problems), 'error')}"]
    for problem in problems:
        text, start, length = problem.excerpt
        mark = " " * cells(text[:start]) + "^" * length
        told = wrapped(f"{mark} {problem.message}", max(40, room() - 7), min(len(mark) + 1, 20))
        lines += ["", f"{problem.line:>4} | {text}", *(f"     | {failed(line)}" for line in told)]
    return lines


def tell_recovered() -> None:
    """Says what became of a run that was interrupted, which nobody has said so far."""
    for said in recover():
        echo(said, err=True)
