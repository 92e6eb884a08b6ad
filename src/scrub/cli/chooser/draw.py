"""What is seen of the chooser: no colour, bold for titles and keys, `>` and reverse for what is chosen."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from datetime import date

import scrub
from scrub.cli.chooser.previews import Event
from scrub.cli.chooser.state import (
    ALLOWING,
    ASKING,
    DONE,
    FILES,
    LIST,
    MACRO,
    SAVING,
    Choice,
    State,
)
from scrub.cli.output import cells, question_of, saved_counts, short_path, wrapped
from scrub.cli.screen import BOLD, CHOSEN, DIM, Line, cut_middle, keys_line, line

#: Columns below which one side is shown at a time, and rows from which groups have headings.
_NARROW, _TALL = 72, 33
#: What the left side takes of the width, at least and at most.
_SHARE, _LEAST, _MOST = 0.3, 30, 46


def sizes(columns: int) -> tuple[int, int]:
    """The columns of the left and the right side; 0 for one that is not shown beside the other."""
    if columns < _NARROW:
        return columns, columns
    left = max(_LEAST, min(_MOST, int(columns * _SHARE)))
    return left, columns - left - 3


def draw(state: State, columns: int, rows: int) -> list[Line]:
    """The whole page."""
    left, right = sizes(columns)
    state.columns = right - 1
    body = rows - 6
    rule = line("\u2500" * columns, DIM)
    lists = _list(state, left, body, rows >= _TALL)
    side = _side(state, right - 1, body)
    middle: list[Line] = []
    for number in range(body):
        one = lists[number] if number < len(lists) else Line()
        other = side[number] if number < len(side) else Line()
        if columns < _NARROW:
            middle.append(one if state.mode == LIST else Line([("", " "), *other]))
        else:
            middle.append(Line([*one.fitted(left), (DIM, " \u2502 "), *other]))
    return [*_head(state, columns), rule, *middle, rule, _question(state), _keys(state, columns)]


def _head(state: State, columns: int) -> list[Line]:
    ticked = [file for file in state.files if file.ticked]
    if ticked:
        names = ", ".join(short_path(file.path) for file in ticked)
        files = f"{scrub.counted(len(ticked), 'file')}: {names}"
    elif state.files:
        files = f"no file chosen of {len(state.files):,} in this folder. Tab: choose files"
    else:
        files = "no file. To name some: scrub FILE ..."
    first = Line().add(" Scrub", BOLD).add("  ").add(cut_middle(files, columns - 10))
    fits = len(state.found)
    count = f"{fits:,} of {scrub.counted(state.every, 'macro')}" if fits < state.every else f"{fits:,} macros"
    second = Line().add(" Find: ", BOLD).add(state.query)
    if state.mode == LIST:
        second.add(" ", CHOSEN)
    gap = columns - second.size - cells(count) - 2
    return [first, second.add(" " * gap).add(count, DIM) if gap > 1 else second]


# -- the left side


def _list(state: State, columns: int, rows: int, groups: bool) -> list[Line]:
    """The macros round the chosen one."""
    if not state.found:
        return [line(" No macro fits. Delete some letters, or"), line(" choose other files: Tab")]
    lines: list[Line] = []
    at, group, pinned = 0, "", False
    wide = max((min(6, cells(each.key)) for each in state.found), default=0)
    for number, choice in enumerate(state.found):
        if not state.query:
            if choice.key:
                pinned = True
            elif pinned:
                lines.append(Line())
                pinned = False
            if groups and not choice.key and choice.group != group:
                lines.append(line(f"    {choice.group}", BOLD))
                group = choice.group
        if number == state.at:
            at = len(lines)
        lines.append(_row(choice, columns, wide, number == state.at, state.mode == LIST))
    first = max(0, min(at - rows // 2, len(lines) - rows))
    return lines[first : first + rows]


def _row(choice: Choice, columns: int, wide: int, chosen: bool, focused: bool) -> Line:
    mark = ">" if chosen else " "
    key = cut_middle(choice.key, 6).ljust(max(1, wide))
    title = cut_middle(choice.entry.title, columns - len(key) - 4)
    if chosen:
        return line(f"{mark}{key}  {title}").fitted(columns - 1, CHOSEN if focused else BOLD)
    return Line().add(mark).add(key, BOLD).add(f"  {title}")


# -- the right side


def _side(state: State, columns: int, rows: int) -> list[Line]:
    """What the chosen macro does, and what is known of it."""
    choice = state.chosen
    if state.mode == FILES:
        return _files(state, columns, rows)
    if choice is None:
        return []
    lines = [line(text, BOLD) for text in wrapped(choice.entry.title, columns, 0)]
    if state.text_shown:
        text = choice.entry.text.split("\n")
        return [*lines, Line(), *_window([line(each) for each in text], state, rows - len(lines) - 1)]
    about = wrapped(choice.entry.about, columns, 0) if choice.entry.about else []
    lines += [line(each) for each in about[: 3 if rows > 14 else 2]]
    lines += [line(_told(choice), DIM), Line()]
    lines += _preview(state, columns, rows - len(lines))
    return lines


def _told(choice: Choice) -> str:
    key = [f"key {choice.key}"] if choice.key else []
    last = "today" if choice.last[:10] == f"{date.today()}" else choice.last[:10]
    used = [f"run {scrub.counted(choice.times, 'time')}, last {last}"] if choice.times else []
    return "   ".join([choice.group, *key, *used])


def _preview(state: State, columns: int, rows: int) -> list[Line]:
    shown = state.shown
    if state.mode == DONE:
        return _done(state, columns, rows)
    if state.mode == ASKING:
        return _asking(state, columns)
    if state.needs_files:
        kinds = scrub.listed([f"a {word}" for word in state.chosen.entry.runs_on], "or") if state.chosen else ""
        return _told_lines("Needs a file", [kinds, "Tab: choose files"], columns)
    if shown.state == "asks" and not state.answers:
        return _told_lines("Asks first", [ask["prompt"] for ask in shown.asks], columns)
    if shown.state == "does more":
        does = [*shown.does, "", "Enter: show the preview; nothing is saved"]
        return _told_lines("Does more than change these files", does, columns)
    if shown.state == "problem":
        return _told_lines("Not possible", [_first_capital(shown.problem)], columns)
    if shown.state == "too long":
        return _told_lines("Preview", ["Too long for a preview here. Enter: run it as a preview"], columns)
    if shown.state == "ready":
        return _ready(state, columns, rows)
    lines = [Line().add("Preview", BOLD).add("  " + _progress(shown.progress))]
    for path, found in shown.glimpses.items():
        lines += [line(short_path(path), BOLD), *(line(f"  {each}") for each in found)]
    return lines[:rows]


def _progress(progress: Event | None) -> str:
    if progress is None:
        return "..."
    return f"{int(100 * progress['done'] / max(1, progress['of']))}%  {progress['label']}"


def _told_lines(title: str, texts: Sequence[str], columns: int) -> list[Line]:
    lines = [line(title, BOLD)]
    for text in texts:
        lines += [line(f"  {each}") for each in wrapped(text, columns - 2, 2)] if text else [Line()]
    return lines


def _ready(state: State, columns: int, rows: int) -> list[Line]:
    """The changes: each file keeps its line, and the other rows are shared."""
    files = state.shown.files
    changed = state.changed
    if not changed and not any(file["problem"] or file["said"] for file in files):
        return [line("Nothing to change.", BOLD)]
    of = f" in {scrub.counted(len(changed), 'file')}" if len(files) > 1 else ""
    title = "Changes" if state.mode == DONE else "Preview"
    lines = [Line().add(title, BOLD).add(f"  {scrub.counted(state.changes, 'change')}{of}")]
    others = [file for file in state.files if file.ticked and file not in state.picked]
    blocks = [list(_file(file, columns)) for file in files]
    if others:
        names = ", ".join(file.name for file in others)
        blocks.append(list(_hanging("Left out", f"{names}: not for this macro", columns)))
    everything = [each for block in blocks for each in block]
    if len(lines) + len(everything) <= rows or state.scrolled:
        return [*lines, *_window(everything, state, rows - len(lines))]
    return [*lines, *_shared(blocks, rows - len(lines))]


def _file(file: Event, columns: int) -> Iterator[Line]:
    name = short_path(file["path"]) if file["path"] else ""
    if file["problem"]:
        yield from _hanging("Left out", f"{name}: {file['problem']}", columns)
        return
    if name:
        yield Line().add(cut_middle(name, columns), BOLD).add(f"  {file['count'] or 'nothing to change'}")
    for each in file["lines"]:
        yield from (line(f"  {text}") for text in wrapped(each, columns - 2, 2))
    for word, key in (("Creates", "made"), ("Changes", "also"), ("Sends", "sends")):
        for each in file[key]:
            yield line(f"  {word} {each}")
    for each in file["said"]:
        yield from (line(f"  {text}") for text in wrapped(f"\u2502 {each}", columns - 2, 2))
    for each in file["notes"]:
        yield from (line(f"  {text}") for text in wrapped(each, columns - 2, 2))


def _hanging(title: str, text: str, columns: int) -> Iterator[Line]:
    for number, each in enumerate(wrapped(f"{title}  {text}", columns, 2)):
        yield Line().add(title, BOLD).add(each[len(title) :]) if number == 0 else line(each)


def _shared(blocks: Sequence[list[Line]], rows: int) -> list[Line]:
    """Of each block the first line, and as many of the others as there is room for."""
    if len(blocks) >= rows:
        left = line(f"{len(blocks) - rows + 1:,} more files. ? shows all", DIM)
        return [*(block[0] for block in blocks[: rows - 1]), left]
    extra = [0] * len(blocks)
    free = rows - len(blocks)
    while free and any(extra[number] < len(block) - 1 for number, block in enumerate(blocks)):
        for number, block in enumerate(blocks):
            if free and extra[number] < len(block) - 1:
                extra[number] += 1
                free -= 1
    lines: list[Line] = []
    for number, block in enumerate(blocks):
        hidden = len(block) - 1 - extra[number]
        lines += block[: 1 + extra[number]]
        if hidden and extra[number]:
            lines[-1] = line(f"  {hidden + 1:,} more", DIM)
    return lines


def _window(lines: list[Line], state: State, rows: int) -> list[Line]:
    """As many lines as there is room for, from where somebody scrolled to."""
    state.scrolled = max(0, min(state.scrolled, len(lines) - rows))
    shown = lines[state.scrolled : state.scrolled + rows]
    left = len(lines) - state.scrolled - len(shown)
    if left and shown:
        shown[-1] = line(f"  {left + 1:,} more lines: Page Down", DIM)
    return shown


def _files(state: State, columns: int, rows: int) -> list[Line]:
    found = {file["path"]: file for file in state.shown.files}
    lines = []
    for number, file in enumerate(state.files):
        preview = found.get(file.path)
        told = preview["problem"] or preview["count"] or "nothing to change" if preview and file.ticked else file.kind
        mark, box = ">" if number == state.file_at else " ", "[x]" if file.ticked else "[ ]"
        text = f"{mark}{box} {cut_middle(short_path(file.path), columns // 2 + 4)}   {told}"
        lines.append(line(text).fitted(columns, CHOSEN) if number == state.file_at else line(text))
    first = max(0, min(state.file_at - rows // 2, len(lines) - rows))
    return lines[first : first + rows]


def _asking(state: State, columns: int) -> list[Line]:
    lines: list[Line] = []
    for number, ask in enumerate(state.shown.asks[: state.ask_at + 1]):
        lines += [line(f"\u2502 {text}") for text in wrapped(ask["prompt"], columns - 2, 0)]
        if number < state.ask_at:
            given = "(typed)" if ask["secret"] else state.answers.get(ask["name"], "") or ask["default"] or ""
            lines += [line(f"  {given}", BOLD), Line()]
            continue
        if ask["choices"]:
            lines += [line(f"  {text}") for text in wrapped(f"One of: {', '.join(ask['choices'])}", columns - 2, 2)]
        elif ask["type"] == "yes-no":
            lines.append(line("  yes or no"))
        if ask["default"] is not None:
            lines.append(line(f"  Enter alone: {ask['default']}"))
        if ask["secret"] and state.repeated is not None:
            lines.append(line("  Repeat the password:"))
        typed = "*" * len(state.typed) if ask["secret"] else state.typed
        lines.append(Line().add("  ").add(typed, BOLD).add(" ", CHOSEN))
        if state.problem:
            lines += [line(f"  {text}") for text in wrapped(_first_capital(state.problem), columns - 2, 2)]
    return lines


def _done(state: State, columns: int, rows: int) -> list[Line]:
    saved = state.saved
    texts = [*saved["problems"], *saved["sent"], *(f"created {path}" for path in saved["made"])]
    if not texts:
        return _ready(state, columns, rows)
    return _told_lines("Result", [_first_capital(text) for text in texts], columns)[:rows]


def _first_capital(text: str) -> str:
    return text[:1].upper() + text[1:]


# -- the last lines


def _question(state: State) -> Line:
    shown = state.shown
    if state.mode == DONE:
        saved = state.saved
        if state.undone:
            return line(f" {state.undone}", BOLD)
        if not saved["files"]:
            return line(" Nothing was saved.", BOLD)
        return line(f" {saved_counts(saved['files'], saved['changes'])} (run {saved['number']}).", BOLD)
    if state.mode == SAVING:
        return line(" Saving ...", BOLD)
    if state.mode == ALLOWING:
        return line(f" It {scrub.listed(shown.does)}. Allow this?", BOLD)
    if state.mode == MACRO and state.problem:
        return line(f" {state.problem}", BOLD)
    if state.mode == MACRO and shown.state == "ready" and shown.saves:
        sends = sum(len(file["sends"]) for file in shown.files)
        return line(f" {question_of(state.changes, len(state.changed), sends)}", BOLD)
    return Line()


def _keys(state: State, columns: int) -> Line:
    keys: list[tuple[str, str]]
    if state.mode == LIST:
        keys = [("Enter", "choose"), ("Up Down", "move"), ("Tab", "files"), ("Esc", "leave")]
    elif state.mode == FILES:
        keys = [("Space", "tick"), ("a", "all"), ("Enter", "done"), ("Esc", "back")]
    elif state.mode == ASKING:
        keys = [("Enter", "answer"), ("Esc", "back")]
    elif state.mode == ALLOWING:
        keys = [("y", "yes"), ("n", "no")]
    elif state.mode == SAVING:
        keys = []
    elif state.mode == DONE:
        undo = [("u", "undo"), ("d", "details")] if state.can_undo else []
        keys = [*undo, ("Enter", "next macro"), ("Esc", "leave")]
    else:
        keys = [("e", "edit"), ("s", "step"), ("f", "files"), ("?", "text"), ("Esc", "back")]
        if state.shown.state == "ready" and state.shown.saves:
            keys = [("Enter", "apply"), ("r", "review"), ("f", "files"), *keys[:2], *keys[3:]]
        elif state.shown.state in ("asks", "does more", "too long"):
            keys = [("Enter", "answer" if state.shown.state == "asks" else "preview"), *keys]
    result = Line([("", " "), *keys_line(*keys)])
    while result.size > columns and len(keys) > 2:
        keys.pop(-2)
        result = Line([("", " "), *keys_line(*keys)])
    return result
