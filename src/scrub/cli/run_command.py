"""`scrub run`."""

from __future__ import annotations

import json
import os
from collections.abc import Callable, Sequence
from typing import Any

import click

import scrub
from scrub import sharing
from scrub.cli.completing import macro_titles
from scrub.cli.host import TerminalHost, TerminalStepper
from scrub.cli.output import echo, print_json_line, quoted, short_path
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
@click.option("--continue", "former", type=int, metavar="RUN", help="Do what failed or was not done in that run.")
@click.option(
    "--from-list",
    "lists",
    multiple=True,
    metavar="FILE",
    help="Files from a list, one path per line (-: standard input).",
)
@click.option("--except", "left_out", multiple=True, metavar="PATTERN", help="Leave these files out.")
@click.option("--jobs", metavar="N", default="1", help="Prepare the files in N processes, or auto.")
@click.option("--executor", metavar="MODULE:NAME", help="Prepare the files with a Python executor.")
@click.option("--wait", is_flag=True, help="If a file is in use, wait until it is closed.")
@click.option("--copy", is_flag=True, help="If a file is in use, save the result beside it.")
@click.option("--stop", is_flag=True, help="Stop at the first file that fails.")
@click.option("--all", "every", is_flag=True, help="Show every file and every change.")
@click.option("--brief", "short", is_flag=True, help="Show what the files have in common; usual from ten files on.")
@click.option("--json", "as_json", is_flag=True, help="Print JSON: a line for each file, then one for the run.")
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
    former: int | None,
    lists: tuple[str, ...],
    left_out: tuple[str, ...],
    jobs: str,
    executor: str | None,
    wait: bool,
    copy: bool,
    stop: bool,
    every: bool,
    short: bool,
    as_json: bool,
) -> int:
    """Runs MACRO (a title, some of its words, or a path) on FILES; `-` reads file names from standard input."""
    if former is None and (macro is None or (macro.isdecimal() and not files and not lists)):
        raise _no_macro(macro)
    if former is not None and (macro is not None or preview):
        raise scrub.BadCall(f"--continue takes the macro and the files of that run: scrub run --continue {former}")
    names = [] if macro is None else _every_name(macro, files, lists, left_out)
    host = TerminalHost(asking=not no_questions and "-" not in (*files, *lists), bars=not step)
    _ensure_meant(host, names, preview)
    printer = Printer(host, len(names), every, preview, short, as_json)
    answers = {**(_read_answers(answers_file) if answers_file else {}), **_answers(given)}
    if inside and not names:
        raise scrub.BadCall("--inside needs a file: scrub run TITLE FILE --inside")
    options: dict[str, Any] = {
        "answers": answers,
        "host": host,
        "stop": stop,
        "in_use": "wait" if wait else "copy" if copy else host.in_use,
        "jobs": int(jobs) if jobs.isdecimal() else jobs,
        "executor": scrub.executor_named(executor) if executor else None,
        "report": printer.file,
    }
    if former is not None:
        printer.several = _told_former(former) > 1
        result = _ended(scrub.continue_run, former, **options)
    else:
        assert macro is not None
        options |= {"preview": preview, "into": into, "stepper": TerminalStepper() if step else None, "at": at}
        text = sharing.inside(scrub.home(), macro, names[0]) if inside else macro
        result = _ended(scrub.run, text, names, **options)
    if as_json:
        print_json_line(result.summary())
    else:
        printer.summary(result, _same_call())
    return result.exit_code


def _ended(run: Callable[..., scrub.RunResult], *words: object, **options: Any) -> scrub.RunResult:
    """Runs, and lets go of what is held for it; a run that was stopped has a result too."""
    try:
        return run(*words, **options)
    except scrub.Interrupted as end:
        return end.result
    finally:
        options["host"].close()
        if options["executor"] is not None:
            options["executor"].shutdown(wait=False, cancel_futures=True)


def _same_call() -> str:
    """This very call without `--preview`, as a person would type it."""
    context = click.get_current_context()
    words = ["scrub", "run"]
    options: list[str] = []
    for parameter in context.command.params:
        value = context.params.get(parameter.name or "")
        if parameter.name == "preview" or not value or value == parameter.default:
            continue
        if isinstance(parameter, click.Argument):
            words += list(value) if isinstance(value, tuple) else [value]
        else:
            name = max(parameter.opts, key=len)
            for each in value if isinstance(value, tuple) else (value,):
                options += [name] if each is True else [name, str(each)]
    return " ".join(quoted(word) for word in [*words, *options])


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


def _no_macro(number: str | None) -> scrub.BadCall:
    """The problem with a call that names no macro, but perhaps a run."""
    if number is not None:
        return scrub.BadCall(
            f"{number} is not a macro. To do what is left of run {number}: scrub run --continue {number}"
        )
    return scrub.BadCall("the macro is missing: scrub run TITLE FILE. List them: scrub macros")


def _every_name(macro: str, files: tuple[str, ...], lists: tuple[str, ...], left_out: tuple[str, ...]) -> list[str]:
    """The files that are named, by themselves, by patterns and in lists."""
    _notice_swap(macro, files)
    names = [name for given in files for name in (scrub.listed_in("-") if given == "-" else [given])]
    listed = [name for each in lists for name in scrub.listed_in(each)]
    return scrub.expanded(names, left_out) + scrub.without(listed, left_out)


#: Files that are run on without a question.
_MANY = 100


def _ensure_meant(host: TerminalHost, names: Sequence[str], preview: bool) -> None:
    """Asks once before a run on very many files, where somebody is there."""
    if len(names) <= _MANY or preview or not host.asking:
        return
    echo(f"{len(names):,} files: {', '.join(short_path(name) for name in names[:3])} ...", err=True)
    if not click.confirm("Run the macro on all of them?", err=True):
        raise click.Abort


def _told_former(number: int) -> int:
    """Tells how many files of a run are not done, and returns that number."""
    record = scrub.changes(number)
    left = [file for file in record.each_file() if file.problem or file.state in ("not done", "not tried")]
    of = f"{scrub.counted(len(left), 'file')} of {record.file_count:,}"
    echo(f'Continuing run {number}, "{record.title}": {of} left.', err=True)
    return len(left)


def _notice_swap(macro: str, files: tuple[str, ...]) -> None:
    if os.path.isfile(macro) and not scrub.is_macro_path(macro) and files and not os.path.exists(files[0]):
        raise scrub.BadCall(f'the macro comes first, then the file: scrub run "{files[0]}" "{macro}"')
    if os.path.isfile(macro) and not scrub.is_macro_path(macro) and not files:
        raise scrub.BadCall(f'the macro is missing: scrub run MACRO "{macro}". List them: scrub macros')
