"""The run of a Python function: what it says, opens and makes goes through here."""

from __future__ import annotations

import os
import sys
from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from contextvars import ContextVar
from typing import Any

from scrub.api.values import into, out
from scrub.model.core.declare import Item
from scrub.model.core.problem import BadCall, Failure, FileProblem, WrongPassword
from scrub.model.core.values import shown
from scrub.runner.execution import Execution

#: What goes wrong in a person's own code, which is a failure of the current file.
MISTAKES = (ArithmeticError, AttributeError, LookupError, NameError, TypeError, ValueError, AssertionError)


class FunctionRun:
    """A function that runs on files: its execution, and the file its code is in."""

    def __init__(self, execution: Execution, source: str) -> None:
        self.execution = execution
        self.source = source

    def failure(self, error: Exception) -> Failure | FileProblem:
        """What went wrong, with the line of the script."""
        if isinstance(error, FileProblem):
            return error
        found = error if isinstance(error, Failure) else Failure(f"{type(error).__name__}: {_what(error)}")
        if found.line is None:
            found.title, found.line = os.path.basename(self.source), self._line(error)
        return found

    def _line(self, error: Exception) -> int | None:
        """The last line of the script that was at work."""
        step, line = error.__traceback__, None
        while step is not None:
            if step.tb_frame.f_code.co_filename == self.source:
                line = step.tb_lineno
            step = step.tb_next
        return line


def _what(error: Exception) -> str:
    return str(error.args[0]) if isinstance(error, KeyError) and error.args else str(error)


RUN: ContextVar[FunctionRun | None] = ContextVar("function-run", default=None)


def _execution(word: str) -> Execution:
    run = RUN.get()
    if run is None:
        raise BadCall(f"scrub.{word} works inside a function that is run with scrub.run(function, files)")
    return run.execution


def say(text: object) -> None:
    """Tells the person something; outside a run it is printed."""
    run, told = RUN.get(), shown(into(text))
    if run is None:
        print(told)
    else:
        run.execution.say(told)


def log(text: object) -> None:
    """Writes a line into the record of the run; outside a run it is printed to standard error."""
    run, told = RUN.get(), shown(into(text))
    if run is None:
        print(told, file=sys.stderr)
    else:
        run.execution.note(told)


def selection() -> Any:
    """What the person picked with `at`, or the whole file. Raises `BadCall` outside a run."""
    return out(_execution("selection()").selection())


def open_beside(path: str) -> Any:
    """Another file, for reading; a relative path counts from the first picked file."""
    return out(_execution("open_beside(…)").open(path))


def copy_of(path: str, name: str, to: str | None = None) -> Any:
    """A new file made of another one, which can be changed; it is there when the run is saved.

    path: the file to copy.
    name: the name of the new file; its extension can be left out.
    to: its folder; None for that of the first picked file.
    """
    return out(_execution("copy_of(…)").copy(path, name, to))


def new_file(name: str, to: str | None = None, if_exists: str = "number") -> Any:
    """A new file with nothing in it, in the format of its extension; it is there when the run is saved.

    to: its folder; None for that of the first picked file.
    if_exists: what to do about a file of that name: "number" adds a number to the name, "replace", or "fail".
    """
    return out(_execution("new_file(…)").new_file(name, to, if_exists))


def new_message(to: str | Sequence[str], subject: str, text: str) -> Any:
    """A new message as a draft; it is there when the run is saved."""
    given = {"to": into(to), "subject": into(subject), "text": into(text)}
    return out(_execution("new_message(…)").new_message(given))


def own_file(name: str) -> str:
    """The path of a file next to the running script. Raises `Failure` if there is none."""
    run = RUN.get()
    folder = os.path.dirname(os.path.abspath(run.source if run is not None else sys.argv[0]))
    path = os.path.join(folder, name)
    if not os.path.isfile(path):
        raise Failure(f'no file "{name}" next to the script, in {folder}')
    return path


class Attempt:
    """What became of an attempt. `failed` says whether it failed, `problem` why; its changes are undone then."""

    def __init__(self) -> None:
        self.failed = False
        self.problem = ""


@contextmanager
def attempt() -> Iterator[Attempt]:
    """Undoes what is changed in its block if something in it fails, and goes on after the block.

    with scrub.attempt() as tried: …, and below: if tried.failed: scrub.log(tried.problem)
    """
    execution, found = _execution("attempt()"), Attempt()
    run = RUN.get()
    assert run is not None
    with execution.trying() as take_back:
        try:
            yield found
        except WrongPassword:
            raise
        except (Failure, FileProblem, *MISTAKES) as error:
            take_back()
            failure = run.failure(error)
            found.failed, found.problem = True, failure.what


def remark(item: Item) -> None:
    """Notes what an action left undone, as a macro does."""
    run, remarks = RUN.get(), item.file.recorder.remarks
    while remarks:
        text = remarks.pop(0)
        if run is not None:
            run.execution.remark(text)
