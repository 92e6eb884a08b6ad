"""`scrub run`."""

from __future__ import annotations

import json
import os
import shlex
import sys
from typing import Any

import click

import scrub
from scrub import sharing
from scrub.cli.completing import macro_titles
from scrub.cli.host import TerminalHost, TerminalStepper
from scrub.cli.listing import change_lines
from scrub.cli.output import (
    SHOWN,
    accent,
    change_count,
    echo,
    echo_problem,
    failed,
    indented,
    noted,
    print_json,
    short_path,
)


@click.command("run")
@click.argument("macro", required=False, shell_complete=macro_titles)
@click.argument("files", nargs=-1, type=click.Path())
@click.option("--preview", is_flag=True, help="Show the changes and write nothing.")
@click.option("--with", "given", multiple=True, metavar="NAME=VALUE", help="Answer a question in advance.")
@click.option("--no-questions", is_flag=True, help="Fail before starting when an answer is missing.")
@click.option("--answers", "answers_file", metavar="FILE", help="Answers from a file, TOML or JSON.")
@click.option("--into", metavar="FOLDER", help="Put the results there, leave the files as they are.")
@click.option("--at", metavar="PLACE", help='What "selection" stands for: a range, a sheet, a name.')
@click.option("--inside", is_flag=True, help="Take the macro from inside the (first) file.")
@click.option("--step", is_flag=True, help="Pause before each line.")
@click.option("--again", type=int, metavar="RUN", help="Run on the files that failed in that run.")
@click.option("--wait", is_flag=True, help="Wait for a file that is in use to be closed.")
@click.option("--copy", is_flag=True, help="Put the result beside a file that is in use.")
@click.option("--stop", is_flag=True, help="Stop at the first file that fails.")
@click.option("--all", "every", is_flag=True, help="Show every change.")
@click.option("--json", "as_json", is_flag=True, help="Print the result as JSON.")
def command(
    macro: str | None,
    files: tuple[str, ...],
    preview: bool,
    given: tuple[str, ...],
    no_questions: bool,
    answers_file: str | None,
    into: str | None,
    at: str | None,
    inside: bool,
    step: bool,
    again: int | None,
    wait: bool,
    copy: bool,
    stop: bool,
    every: bool,
    as_json: bool,
) -> int:
    """Runs MACRO (a title, some of its words, or a path) on FILES; `-` reads file names from standard input."""
    if macro is None or (macro.isdecimal() and again is None and not files):
        if again is not None or macro is not None:
            raise scrub.BadCall(f"Name the macro too: scrub run TITLE --again {again or macro}")
        raise scrub.BadCall("which macro? Write: scrub run TITLE FILE. See them: scrub macros")
    _notice_swap(macro, files)
    names = [name for given_name in files for name in _named(given_name)]
    if again is not None:
        names += [file.path for file in scrub.changes(again).files if file.problem]
        if not names:
            raise scrub.BadCall(f"no file failed in run {again}")
    names = scrub.expanded(names)
    host = TerminalHost(asking=not no_questions and "-" not in files, bars=not step)
    printer = _Printer(host, len(names), every, preview, as_json)
    answers = {**(_read_answers(answers_file) if answers_file else {}), **_answers(given)}
    if inside and not names:
        raise scrub.BadCall("which file is the macro inside? Name it behind the macro")
    try:
        result = scrub.run(
            sharing.inside(scrub.home(), macro, names[0]) if inside else macro,
            names,
            preview=preview,
            answers=answers,
            host=host,
            stop=stop,
            into=into,
            in_use="wait" if wait else "copy" if copy else host.in_use,
            stepper=TerminalStepper() if step else None,
            at=at,
            report=printer.file,
        )
    finally:
        host.close()
    if as_json:
        print_json(result.as_dict())
    else:
        printer.summary(result, _same_call())
    return result.exit_code


def _same_call() -> str:
    """This very call without `--preview`, as a person would type it."""
    context = click.get_current_context()
    words = ["scrub", "run"]
    options: list[str] = []
    for parameter in context.command.params:
        value = context.params.get(parameter.name or "")
        if parameter.name == "preview" or not value:
            continue
        if isinstance(parameter, click.Argument):
            words += list(value) if isinstance(value, tuple) else [value]
        else:
            name = max(parameter.opts, key=len)
            for each in value if isinstance(value, tuple) else (value,):
                options += [name] if each is True else [name, str(each)]
    return " ".join(_quoted(word) for word in [*words, *options])


def _named(name: str) -> list[str]:
    if name != "-":
        return [name]
    return [line.strip() for line in sys.stdin if line.strip()]


def _answers(given: tuple[str, ...]) -> dict[str, str]:
    found: dict[str, str] = {}
    for each in given:
        name, equals, value = each.partition("=")
        if not equals or not name.strip():
            raise scrub.BadCall(f'write an answer as --with NAME=VALUE, not "{each}"')
        found[name.strip().lower()] = value
    return found


def _read_answers(path: str) -> dict[str, Any]:
    """Answers from a file: TOML (`who = "Ann"`), or JSON by its ending."""
    text = scrub.read_macro(path)
    try:
        if path.lower().endswith(".json"):
            found = json.loads(text)
        else:
            import tomllib

            found = tomllib.loads(text)
    except ValueError as error:
        raise scrub.BadCall(f'{path}: it cannot be read ({error}). Write a line for each answer: who = "Ann"') from None
    if not isinstance(found, dict):
        raise scrub.BadCall(f"{path}: it holds no names with values")
    return {str(name).lower(): value for name, value in found.items()}


def _notice_swap(macro: str, files: tuple[str, ...]) -> None:
    if os.path.isfile(macro) and not scrub.is_macro_path(macro) and files and not os.path.exists(files[0]):
        raise scrub.BadCall(f'the macro comes first, then the file: scrub run "{files[0]}" "{macro}"')
    if os.path.isfile(macro) and not scrub.is_macro_path(macro) and not files:
        raise scrub.BadCall(f'which macro? Write: scrub run MACRO "{macro}". See them: scrub macros')


class _Printer:
    """Prints each file as it is done, and the summary."""

    def __init__(self, host: TerminalHost, files: int, every: bool, preview: bool, quiet: bool) -> None:
        self.host = host
        self.several = files > 1
        self.limit = None if every else SHOWN if files == 1 else 3
        self.whole = None if every else 2 * SHOWN if files == 1 else 3
        self.preview = preview
        self.quiet = quiet
        self.waiting: list[str] = []

    def file(self, found: scrub.FileResult) -> None:
        """Prints one file, all that is told of it below its name; while a bar is shown, the lines wait for its end."""
        if self.quiet:
            return
        lines = change_lines(found.changes, self.limit, found.headings, self.whole)
        others = [path for path in found.made if path != found.saved_as]
        if others:
            verb = "Would make" if self.preview else "Made"
            names = [short_path(path) for path in others]
            if len(names) <= 3:
                lines.append(f"{verb} {', '.join(names)}")
            elif self.limit is None:
                lines += [f"{verb} {name}" for name in names]
            else:
                lines.append(f"{verb} {scrub.counted(len(names), 'file')}, such as {names[0]}")
        told = [indented(text) for text in found.said] if found.problem is None else []
        if found.problem is None:
            told += [noted(note) for note in found.notes]
        elif self.several:
            told.append(failed("Failed: ") + _without(str(found.problem), found.path))
        if found.also:
            also = scrub.listed(short_path(path) for path in found.also[:3])
            more = f" and {len(found.also) - 3} more" if len(found.also) > 3 else ""
            lines.append(f"{'Would change' if self.preview else 'Changed'} {also}{more} too")
        indent = "  " if self.several else ""
        if (lines or (told and self.several)) and found.path:
            self.waiting.append(accent(found.path))
        self.waiting += [*lines, *(indent + line for line in told)]
        if not self.host.busy:
            self.flush()

    def flush(self) -> None:
        """Prints what waited."""
        for line in self.waiting:
            echo(line)
        self.waiting = []

    def summary(self, result: scrub.RunResult, again: str) -> None:
        """Says what was saved, what failed and why, and what can be done next."""
        self.flush()
        for sentence in result.recovered:
            echo(noted(sentence), err=True)
        changed = [found for found in result.files if found.changes or found.state == "changed"]
        self._saved(changed)
        for said in (said for found in result.files for said in found.sent):
            echo(f"{said[:1].upper()}{said[1:]}.")
        for said in (said for found in result.files for said in found.unsent):
            state, _, rest = said.partition(": ")
            echo_problem(failed(f"{state[:1].upper()}{state[1:]}: ") + rest)
        self._others(result)
        number = result.number
        left = sum(found.left for found in result.files if found.problem is None)
        if left:
            see = f" See why: scrub changes {number}" if number else ""
            echo(f"{scrub.counted(left, 'text was', 'texts were')} left unchanged.{see}")
            if self.preview:
                lines = [line for found in result.files for line in found.log]
                for line in lines[:SHOWN]:
                    echo(f"  {line}")
                if len(lines) > SHOWN:
                    echo(f"  {len(lines) - SHOWN:,} more")
        logged = sum(len(found.log) for found in result.files) - left
        if changed and self.preview:
            echo(f"Nothing was written. To do it: {again}")
        elif changed:
            one = len(changed) == 1 and len(changed[0].changes) == 1
            see, back = ("See it", "Take it back") if one else ("See them", "Take them back")
            echo(f"{see}: scrub changes {number}    {back}: scrub undo {number}")
        elif logged > 0 and number is not None:
            echo(f"{scrub.counted(logged, 'line')} in the log. See the log: scrub changes {number}")

    def _saved(self, changed: list[scrub.FileResult]) -> None:
        if len(changed) > 3:
            every = [change for found in changed for change in found.changes]
            verb = "Would change" if self.preview else "Saved"
            echo(f"{verb} {scrub.counted(len(changed), 'file')}: {scrub.counted(len(every), 'change')}.")
            return
        for found in changed:
            verb = "Would save" if found.saved_as != found.path else "Would change"
            name = short_path(found.saved_as)
            if found.saved_as == found.path and not (found.changes and found.is_written):
                continue  # it stays as it is; what was made of it is told above
            if not found.changes:
                echo(f"{'Would save' if self.preview else 'Saved'} an unchanged copy: {name}.")
                continue
            count = change_count(found)
            echo(f"{verb if self.preview else 'Saved'} {name}: {count}.")

    def _others(self, result: scrub.RunResult) -> None:
        """The files that stay as they are."""
        problems = [found for found in result.files if found.problem is not None]
        unchanged = [found for found in result.files if found.state == "unchanged" and found.path]
        left = [found for found in result.files if found.state == "not tried"]
        if unchanged:
            names = unchanged[0].path if len(unchanged) == 1 else scrub.counted(len(unchanged), "file")
            echo(f"Read {names}; nothing to change." if result.only_reads else f"Nothing to change in {names}.")
        if problems and self.several:
            names = ", ".join(os.path.basename(found.path) for found in problems[:5])
            tail = f" and {len(problems) - 5} more" if len(problems) > 5 else ""
            echo(
                failed(f"{len(problems)} of {scrub.counted(len(result.files), 'file')} failed: ") + names + tail,
                err=True,
            )
        elif problems:
            echo_problem(failed("Failed: ") + str(problems[0].problem))
            echo("Nothing was saved.", err=True)
        if left:
            echo(f"Not tried after the failure: {', '.join(found.path for found in left)}", err=True)


def _without(problem: str, path: str) -> str:
    """A problem under the name of its file, which need not be said again."""
    return problem.removeprefix(f"{path}: ")


def _quoted(word: str) -> str:
    """A word as a person types it in a shell: between double quotes, which all know, wherever that is enough."""
    if word and not any(letter in word for letter in " \t'\"&()*?[]{}$;|<>!#~`\\"):
        return word
    return shlex.quote(word) if any(letter in word for letter in '"$`\\!') else f'"{word}"'
