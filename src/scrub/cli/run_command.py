"""`scrub run`."""

from __future__ import annotations

import json
import os
import sys

import click

import scrub
from scrub import sharing
from scrub.cli.completing import macro_titles
from scrub.cli.host import TerminalHost, TerminalStepper
from scrub.cli.output import print_json, quoted
from scrub.cli.summary import Printer


@click.command("run")
@click.argument("macro", required=False, shell_complete=macro_titles)
@click.argument("files", nargs=-1, type=click.Path())
@click.option("--preview", is_flag=True, help="Show the changes; save nothing.")
@click.option("--with", "given", multiple=True, metavar="NAME=VALUE", help="Answer a question in advance.")
@click.option("--no-questions", is_flag=True, help="Never ask; fail before the start if an answer is missing.")
@click.option("--answers", "answers_file", metavar="FILE", help="Answers from a file, TOML or JSON.")
@click.option("--into", metavar="FOLDER", help="Save the results in this folder; leave the files unchanged.")
@click.option("--at", metavar="PLACE", help="The selection: a range, a sheet or a name.")
@click.option("--inside", is_flag=True, help="Run a macro that is inside the (first) file.")
@click.option("--step", is_flag=True, help="Pause before each line.")
@click.option("--again", type=int, metavar="RUN", help="Run on the files that failed in that run.")
@click.option("--wait", is_flag=True, help="If a file is in use, wait until it is closed.")
@click.option("--copy", is_flag=True, help="If a file is in use, save the result beside it.")
@click.option("--stop", is_flag=True, help="Stop at the first file that fails.")
@click.option("--all", "every", is_flag=True, help="Show every file and every change.")
@click.option("--brief", "short", is_flag=True, help="Show what the files have in common; usual from ten files on.")
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
    short: bool,
    as_json: bool,
) -> int:
    """Runs MACRO (a title, some of its words, or a path) on FILES; `-` reads file names from standard input."""
    if macro is None or (macro.isdecimal() and again is None and not files):
        raise _no_macro(again or macro)
    names = _every_name(macro, files, again)
    host = TerminalHost(asking=not no_questions and "-" not in files, bars=not step)
    printer = Printer(host, len(names), every, preview, short, as_json)
    answers = {**(_read_answers(answers_file) if answers_file else {}), **_answers(given)}
    if inside and not names:
        raise scrub.BadCall("--inside needs a file: scrub run TITLE FILE --inside")
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
    return " ".join(quoted(word) for word in [*words, *options])


def _named(name: str) -> list[str]:
    if name != "-":
        return [name]
    return [line.strip() for line in sys.stdin if line.strip()]


def _answers(given: tuple[str, ...]) -> dict[str, str]:
    answers: dict[str, str] = {}
    for each in given:
        name, equals, value = each.partition("=")
        if not equals or not name.strip():
            raise scrub.BadCall(f'"{each}" is not an answer. Write: --with NAME=VALUE')
        answers[name.strip().lower()] = value
    return answers


def _read_answers(path: str) -> dict[str, object]:
    """Answers from a file: TOML (`who = "Ann"`), or JSON by its ending."""
    text = scrub.read_macro(path)
    try:
        if path.lower().endswith(".json"):
            found = json.loads(text)
        else:
            import tomllib

            found = tomllib.loads(text)
    except ValueError as error:
        raise scrub.BadCall(
            f'{path}: the answers cannot be read ({error}). Write one line per answer: who = "Ann"'
        ) from None
    if not isinstance(found, dict):
        raise scrub.BadCall(f'{path}: no answers found. Write one line per answer: who = "Ann"')
    return {str(name).lower(): value for name, value in found.items()}


def _no_macro(again: int | str | None) -> scrub.BadCall:
    """The problem with a call that names no macro; `again` is the run whose files failed."""
    if again is not None:
        return scrub.BadCall(f"Name the macro too: scrub run TITLE --again {again}")
    return scrub.BadCall("the macro is missing: scrub run TITLE FILE. List them: scrub macros")


def _every_name(macro: str, files: tuple[str, ...], again: int | None) -> list[str]:
    """The files that are named, and those that failed in another run."""
    _notice_swap(macro, files)
    names = [name for given_name in files for name in _named(given_name)]
    if again is not None:
        names += [file.path for file in scrub.changes(again).files if file.problem]
        if not names:
            raise scrub.BadCall(f"no file failed in run {again}")
    return scrub.expanded(names)


def _notice_swap(macro: str, files: tuple[str, ...]) -> None:
    if os.path.isfile(macro) and not scrub.is_macro_path(macro) and files and not os.path.exists(files[0]):
        raise scrub.BadCall(f'the macro comes first, then the file: scrub run "{files[0]}" "{macro}"')
    if os.path.isfile(macro) and not scrub.is_macro_path(macro) and not files:
        raise scrub.BadCall(f'the macro is missing: scrub run MACRO "{macro}". List them: scrub macros')
