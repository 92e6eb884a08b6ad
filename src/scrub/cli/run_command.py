"""`scrub run`."""

from __future__ import annotations

import json
import os
import re
from collections.abc import Callable, Sequence
from typing import Any

import click

import scrub
from scrub import sharing
from scrub.cli.brief import among
from scrub.cli.completing import macro_titles
from scrub.cli.host import TerminalHost, TerminalStepper
from scrub.cli.output import echo, print_json_line, quoted, short_path
from scrub.cli.summary import Printer

_TIME = re.compile(r"(\d+(?:\.\d+)?)\s*(s|m|h)", re.ASCII | re.IGNORECASE)
_SECONDS = {"s": 1, "m": 60, "h": 3600}


class _RunCommand(click.Command):
    """The command, where a time may follow `--wait`, and a macro or a file as well."""

    def parse_args(self, ctx: click.Context, args: list[str]) -> list[str]:
        joined: list[str] = []
        for word in args:
            if joined and joined[-1] == "--wait" and "--" not in joined:
                joined[-1:] = [f"--wait={word}"] if _TIME.fullmatch(word) else ["--wait=for ever", word]
            else:
                joined.append(word)
        return super().parse_args(ctx, joined)


@click.command("run", cls=_RunCommand)
@click.argument("macro", required=False, shell_complete=macro_titles)
@click.argument("files", nargs=-1, type=click.Path())
@click.option("--preview", is_flag=True, help="Show the changes; save nothing.")
@click.option("--ask", is_flag=True, help="Show the changes, ask, and save exactly these.")
@click.option("--review", is_flag=True, help="Accept or refuse the changes one by one.")
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
@click.option(
    "--wait",
    is_flag=False,
    flag_value="for ever",
    metavar="[TIME]",
    help="If a file is in use, wait until it is closed; at most TIME, such as 30s, 5m or 2h.",
)
@click.option("--copy", is_flag=True, help="If a file is in use, save the result beside it.")
@click.option("--stop", is_flag=True, help="Stop at the first file that fails.")
@click.option("--quiet", is_flag=True, help="Print failures only.")
@click.option("--all", "every", is_flag=True, help="Show every file and every change.")
@click.option("--brief", "short", is_flag=True, help="Show what the files have in common; usual from ten files on.")
@click.option("--json", "as_json", is_flag=True, help="Print JSON: a line for each file, then one for the run.")
def command(
    macro: str | None,
    files: tuple[str, ...],
    preview: bool,
    ask: bool,
    review: bool,
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
    wait: str | None,
    copy: bool,
    stop: bool,
    quiet: bool,
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
    if ask or review:
        _ensure_can_ask(host, "--review" if review else "--ask")
    _ensure_meant(host, names, preview or ask or review)
    printer = Printer(host, len(names), every, preview or ask, short, as_json, quiet)
    answers = {**(_read_answers(answers_file) if answers_file else {}), **given_answers(given)}
    if inside and not names:
        raise scrub.BadCall("--inside needs a file: scrub run TITLE FILE --inside")
    options: dict[str, Any] = {
        "answers": answers,
        "host": host,
        "stop": stop,
        "in_use": _patience(wait) if wait else "copy" if copy else host.in_use,
        "jobs": int(jobs) if jobs.isdecimal() else jobs,
        "executor": scrub.executor_named(executor) if executor else None,
        "report": printer.file,
    }
    text = sharing.inside(scrub.home(), macro, names[0]) if inside and macro is not None else macro
    if ask or review:
        assert text is not None
        held_options = {name: options[name] for name in ("answers", "host", "in_use")} | {"into": into, "at": at}
        return (_reviewed if review else _asked)(text, names, printer, **held_options)
    if former is not None:
        printer.several = _told_former(former) > 1
        result = _ended(scrub.continue_run, former, **options)
    else:
        options |= {"preview": preview, "into": into, "stepper": TerminalStepper() if step else None, "at": at}
        result = _ended(scrub.run, text, names, **options)
    if as_json:
        print_json_line(result.summary())
    else:
        printer.summary(result, _same_call())
    return result.exit_code


def _asked(macro: str, names: Sequence[str], printer: Printer, **options: Any) -> int:
    """Shows what would change, and saves it if somebody says so."""
    try:
        held = scrub.prepare(macro, names, **options)
    finally:
        printer.host.close()
    for file in held.files:
        printer.file(file)
    printer.summary(held.preview, None)
    if not held.saves:
        return held.preview.exit_code
    if not click.confirm("Save these changes?", err=True):
        echo("Nothing was saved.")
        return 0
    told = {id(file) for file in held.files if file.problem is not None or file.state == "unchanged"}
    try:
        result = held.commit()
    except scrub.Interrupted as end:
        result = end.result
    finally:
        printer.host.close()
    printer.preview = False
    from copy import copy as copy_of

    rest = copy_of(result)
    rest.files = [file for file in result.files if id(file) not in told]
    printer.summary(rest, None)
    return result.exit_code


def _reviewed(macro: str, names: Sequence[str], printer: Printer, **options: Any) -> int:
    """Asks about the changes one by one, and saves those that are accepted."""
    from scrub.cli.review_page import decide

    try:
        review = scrub.review(macro, names, **options)
    finally:
        printer.host.close()
    asked = bool(review.proposals)
    if not decide(review):
        echo("Nothing was saved.")
        return 0
    result = review.commit()
    printer.host.close()
    for file in result.files:
        if not asked or file.problem is not None:
            printer.file(file)
    if review.dropped:
        many = scrub.counted(len(review.dropped), "accepted change")
        echo(f"{many} dropped, because of what you refused: {among([each.label for each in review.dropped])}")
    printer.summary(result, None)
    return result.exit_code


#: Options that do not go with `--ask` and `--review`, and why.
_NOT_ASKED = {
    "preview": "saves nothing",
    "no_questions": "never asks",
    "as_json": "is read by programs",
    "quiet": "shows no changes",
    "step": "shows each line as it runs",
    "former": "goes on with a run that was meant",
    "executor": "works on more files than one can look at",
    "stop": "ends at the first failure, and everything is shown before",
}


def _ensure_can_ask(host: TerminalHost, word: str) -> None:
    from scrub.cli.screen import is_terminal

    context = click.get_current_context()
    for parameter in context.command.params:
        name = parameter.name or ""
        if context.params[name] and name in _NOT_ASKED:
            raise scrub.BadCall(f"{word} does not go with {max(parameter.opts, key=len)}, which {_NOT_ASKED[name]}")
    if context.params["jobs"] != "1":
        raise scrub.BadCall(f"{word} does not go with --jobs, which {_NOT_ASKED['executor']}")
    if context.params["review"] and context.params["ask"]:
        raise scrub.BadCall("--review asks about each change, and --ask about all of them: choose one")
    if not host.asking or (word == "--review" and not is_terminal()):
        raise scrub.BadCall(f"{word} needs somebody at a terminal. To see what would change: --preview")


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
                alone = each is True or each == getattr(parameter, "flag_value", None)
                options += [name] if alone else [name, str(each)]
    return " ".join(quoted(word) for word in [*words, *options])


def _patience(wait: str) -> str | float:
    """How long a file in use is waited for."""
    return "wait" if wait == "for ever" else seconds_of(wait, "--wait", ", or --wait alone")


def seconds_of(text: str, word: str, more: str = "") -> float:
    """A time such as `5m` in seconds. Raises `BadCall` for what is none; `word` is the option that takes it."""
    time = _TIME.fullmatch(text)
    if time is None:
        raise scrub.BadCall(f'"{text}" is not a time. Write: {word} 30s, {word} 5m, {word} 2h{more}')
    return float(time[1]) * _SECONDS[time[2].lower()]


def given_answers(given: tuple[str, ...]) -> dict[str, str]:
    """The answers given with `--with`. Raises `BadCall` for what is none."""
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
