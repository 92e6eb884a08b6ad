"""A small command line made of a function: an option for each of its arguments."""

from __future__ import annotations

import argparse
import getpass
import os
import sys
from collections.abc import Callable, Sequence
from functools import partial

from scrub.api.running import FunctionProgram
from scrub.model.core.host import Question, QuietHost
from scrub.model.core.problem import ScrubError, counted
from scrub.model.core.values import shown
from scrub.runner.answers import variable
from scrub.runner.results import RunResult


class _Terminal(QuietHost):
    """Whoever started the script: told on standard output, and asked where somebody is at the keyboard."""

    def say(self, text: str) -> None:
        """Prints it."""
        print(text)

    def ask(self, question: Question) -> str | None:
        """The answer as typed."""
        if not sys.stdin.isatty():
            return None
        if question.problem:
            print(question.problem)
        tail = f" [{shown(question.default)}]" if question.default is not None else ""
        return input(f"{question.prompt}{tail}: ")

    def secret(self, question: Question) -> str | None:
        """A password, without echo; a new one twice, until both are the same."""
        while sys.stdin.isatty():
            typed = getpass.getpass(f"{question.prompt}: ")
            if not question.twice or getpass.getpass("Repeat the password: ") == typed:
                return typed
            print("The two passwords do not match.")
        return None


def run_command(
    function: Callable[..., object],
    run: Callable[..., RunResult],
    arguments: Sequence[str] | None = None,
    into: str | None = None,
) -> int:
    """Runs a function on the files of the command line with `run`; see `scrub.main`."""
    try:
        program = FunctionProgram(function)
        given = _parser(program).parse_args(arguments)
        return _run(partial(run, function, into=into), program, given)
    except ScrubError as problem:
        print(problem, file=sys.stderr)
        return problem.exit_code


def _parser(program: FunctionProgram) -> argparse.ArgumentParser:
    parser = argparse.ArgumentParser(description=program.title)
    takes_files = program.macro.runs_on != ["nothing"]
    if takes_files:
        parser.add_argument("files", nargs="+", metavar="FILE", help="a file, or a pattern such as *.xlsx")
        parser.add_argument("--at", metavar="PLACE", help='what the selection is, such as "Larch Hut!B1:F1"')
    parser.add_argument("--preview", action="store_true", help="show what would change; nothing is saved")
    for question in program.questions:
        option = f"--{question.name.replace('_', '-')}"
        if question.secret:
            parser.epilog = f"{parser.epilog or ''}Set {variable(question.prompt)}, or type it when asked. "
        else:
            tail = f" (default: {shown(question.default)})" if question.default is not None else ""
            tail += f"; one of: {', '.join(map(shown, question.choices))}" if question.choices else ""
            parser.add_argument(
                option, dest=question.name, metavar="VALUE", help=(question.prompt + tail).replace("%", "%%")
            )
    return parser


def _run(run: Callable[..., RunResult], program: FunctionProgram, given: argparse.Namespace) -> int:
    answers = {
        question.name: value for question in program.questions
        if (value := getattr(given, question.name, None)) is not None
    }  # fmt: skip
    result = run(
        getattr(given, "files", ()), preview=given.preview, answers=answers, at=getattr(given, "at", None),
        host=_Terminal(),
    )  # fmt: skip
    for file in result.files:
        name = os.path.basename(file.path)
        print(f"{name}: {file.problem}" if file.problem else f"{name}: {counted(len(file.changes), 'change')}")
        for change in file.changes[:20] if given.preview else ():
            print(f"  {change}")
        if given.preview and len(file.changes) > 20:
            print(f"  … and {len(file.changes) - 20:,} more")
    if given.preview:
        print("Preview only; nothing was saved.")
    elif result.number is not None:
        print(f"Undo: scrub undo {result.number}")
    return result.exit_code
