"""`scrub try`."""

from __future__ import annotations

import re
import shlex
import sys
from collections.abc import Iterator
from typing import Any

import click

import scrub
from scrub.cli.editing import keep
from scrub.cli.host import TerminalHost
from scrub.cli.listing import change_lines
from scrub.cli.output import columns, echo, room, short_path, strong, wrapped

_HELP = """Type an action, a field to set, or a whole block. Scrub runs it at once, on a copy in memory.
  ? hide                   search actions and fields in everyday words
  in sheet("Totals")       work on that item from now on; end returns
  steps                    list the steps so far
  back                     undo the last step
  learn                    add what you did to the file in your own program, and saved
  keep "Title"             save the steps as a macro; add "each sheet" to repeat them on every sheet
  write                    apply the steps to the file, as a run you can undo
  leave                    quit; the file changes only if you typed write"""


#: The prompt inside an open block, and the words that end the trial.
_OPEN = "  and (empty line = cancel): "
_LEAVING = ("leave", "exit", "quit")


@click.command("try")
@click.argument("file")
def command(file: str) -> int:
    """Tries actions step by step on a copy of FILE, and saves the good ones as a macro."""
    host = TerminalHost()
    trial = scrub.trial(file, host)
    echo(f"{strong(trial.label)}  (a copy; nothing is saved. Help: ?)")
    for text in _entries(trial):
        if not _command(trial, text, host):
            break
    return 0


def _entries(trial: Any) -> Iterator[str]:
    """What is typed: a line, or the lines of a block up to its end."""
    read = _prompt(trial)
    lines: list[str] = []
    while True:
        try:
            at = trial.inside.removeprefix("in ")
            line = read(_OPEN if lines else f"{at}, step: " if at else "step: ")
        except EOFError:
            return
        except KeyboardInterrupt:
            lines = []
            continue
        if lines:
            word = line.strip().partition(" ")[0]
            if not word:
                echo("Block cancelled.")
                lines = []
                continue
            if word in _LEAVING or word in ("?", "help"):
                yield line
                continue
            if line.strip() == "back":
                echo(f"Removed: {lines.pop().strip()}")
                continue
        lines.append(line)
        text = "\n".join(lines)
        if trial.needs_more(text) and line.strip():
            continue
        lines = []
        if text.strip():
            yield text


def _prompt(trial: Any) -> Any:
    """Reads a line: with completion at a terminal, plainly from a pipe."""
    if not sys.stdin.isatty():

        def plain(prompt: str) -> str:
            line = sys.stdin.readline()
            if not line:
                raise EOFError
            echo(prompt + line.rstrip("\n"))  # what came through a pipe was not seen yet
            return line.rstrip("\n")

        return plain
    from prompt_toolkit import PromptSession
    from prompt_toolkit.completion import Completer, Completion
    from prompt_toolkit.document import Document

    class Words(Completer):
        def get_completions(self, document: Document, complete_event: object) -> Iterator[Completion]:
            line = document.current_line_before_cursor
            begun = re.search(r'(?<=\(")[^"]*$|[\w-]*$', line)
            for word in trial.completions(line):
                yield Completion(word, start_position=-len(begun[0]) if begun else 0)

    session: PromptSession[str] = PromptSession(completer=Words(), complete_while_typing=True)
    return session.prompt


def _command(trial: Any, text: str, host: TerminalHost) -> bool:
    """Does what was typed; False to end."""
    word, _, rest = text.strip().partition(" ")
    try:
        if word in _LEAVING and not rest:
            return False
        if word in ("?", "help"):
            _help(trial, rest)
        elif word == "steps" and not rest:
            for number, step in enumerate(trial.steps, 1):
                echo(f"  {number}  " + step.replace("\n", "\n     "))
        elif word == "back" and not rest:
            in_file = bool(trial.kept) and trial.kept[-1].in_file
            gone = trial.back().splitlines()
            echo(
                f"{'Removed here, not in the file' if in_file else 'Undone'}: {gone[0]}"
                + (" ..." if len(gone) > 1 else "")
            )
        elif word == "learn" and not rest:
            _learn(trial)
        elif word == "keep":
            words = shlex.split(rest)
            each = words[2] if len(words) == 3 and words[1] == "each" else ""
            if not words or len(words) not in (1, 3):
                raise scrub.BadCall('a title is missing: keep "Title", or: keep "Title" each sheet')
            keep(trial.macro(words[0], each), words[0], own=True)
        elif word == "write" and not rest:
            _write(trial, host)
        else:
            _step(trial, text)
    except (scrub.ScrubError, ValueError) as problem:
        echo(str(problem))
    return True


def _learn(trial: Any) -> None:
    from scrub.cli.learn_command import show, telling

    learned = trial.learn(telling())
    show(learned, "the earlier version", short_path(trial.path))


def _help(trial: Any, words: str) -> None:
    """What can be done here: the ten words of the current item that are used most, or what answers a search."""
    if words.strip():
        entries = scrub.vocabulary().search(words)[:8]
        found = [(entry.docs.example or entry.written, entry.docs.summary) for entry in entries]
        for line in columns(found, wrap=True, copied=True):
            echo(line)
        if not entries:
            echo(f"Nothing found for {words}.")
        return
    for line in _HELP.split("\n"):
        for each in wrapped(line, room(), 27 if line.startswith(" ") else 0):
            echo(each)
    offers = trial.offers()
    echo(f"A {trial.kind} offers:")
    for line in columns(offers[:10], wrap=True, copied=True):
        echo(line)
    if len(offers) > 10:
        echo(f"{len(offers) - 10} more: scrub catalog {trial.kind}, or search here: ? hide")


def _step(trial: Any, text: str) -> None:
    done = trial.step(text)
    if done.problem:
        echo(done.problem)
        return
    for line in (*change_lines(done.changes), *done.said):
        echo(line)
    if not done.changes and not done.said and not text.startswith(("in ", "end")):
        echo("  (no change)")


def _write(trial: Any, host: TerminalHost) -> None:
    result = trial.write("Tried by hand", host)
    file = result.files[0]
    if file.problem is not None:
        raise file.problem
    if file.state == "unchanged":
        echo("Nothing to save.")
        return
    count = scrub.counted(len(file.changes), "change")
    echo(f"Saved {file.path}: {count}. Undo: scrub undo {result.number}")
