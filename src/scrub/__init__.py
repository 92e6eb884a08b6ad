"""Scrub: small text macros for office files. See first what would change, run it on any file, take it back.

    import scrub

    result = scrub.run("Show every hidden sheet", ["season-book.xlsx"])
    for file in result.files:
        print(file.path, [str(change) for change in file.changes])
    scrub.undo(result.number)

Everything a Python caller needs is here; what is not named here may change.
"""

from __future__ import annotations

import os
from collections.abc import Callable, Iterable, Iterator, Mapping
from contextlib import contextmanager
from typing import TYPE_CHECKING, Any

from scrub.model.core.problem import (
    BadCall,
    Failure,
    FileProblem,
    MacroProblems,
    Problem,
    Refused,
    ScrubError,
    counted,
    did_you_mean,
    listed,
)
from scrub.version import VERSION

if TYPE_CHECKING:
    from concurrent.futures import Executor

    from scrub.custom_actions import action
    from scrub.demo import lay_out_samples
    from scrub.executors import executor_named
    from scrub.file_names import expanded, listed_in, without
    from scrub.home_folder import Home
    from scrub.language.complete import Fit
    from scrub.language.program import Program
    from scrub.library.library import Library, LibraryEntry, files_of, retitled
    from scrub.library.records import SETTINGS
    from scrub.library.text import decoded, is_macro_path, read_macro
    from scrub.model.cells.sheet import Sheet
    from scrub.model.core.amounts import Size
    from scrub.model.core.area import Area, letters_of
    from scrub.model.core.change import Change
    from scrub.model.core.declare import Reach
    from scrub.model.core.differences import compared, differences
    from scrub.model.core.host import Host, Question, QuietHost
    from scrub.model.core.outline import Contents, Outline
    from scrub.model.core.sending import Outgoing
    from scrub.model.core.values import Secret, as_written, harmless
    from scrub.model.document import Document
    from scrub.model.folder import Folder
    from scrub.model.vocabulary import Vocabulary
    from scrub.model.workbook import Workbook
    from scrub.open_file import OpenFile
    from scrub.runner.answers import variable
    from scrub.runner.options import InUseChoice, RunOptions
    from scrub.runner.overview import by_place, in_columns, together
    from scrub.runner.records import FileRecord, RunRecord
    from scrub.runner.results import FileResult, Interrupted, RunResult
    from scrub.runner.step import Go, Stepper, View
    from scrub.store.outbox import Note
    from scrub.store.store import Restored
    from scrub.trial_steps import Trial

__version__ = VERSION

__all__ = [
    "SETTINGS",
    "Area",
    "BadCall",
    "Change",
    "Contents",
    "Document",
    "Failure",
    "FileProblem",
    "FileRecord",
    "FileResult",
    "Fit",
    "Folder",
    "Go",
    "Home",
    "Host",
    "Interrupted",
    "Library",
    "LibraryEntry",
    "MacroProblems",
    "OpenFile",
    "Outgoing",
    "Outline",
    "Problem",
    "Question",
    "QuietHost",
    "Reach",
    "Refused",
    "Restored",
    "RunOptions",
    "RunRecord",
    "RunResult",
    "ScrubError",
    "Secret",
    "Sheet",
    "Size",
    "Stepper",
    "View",
    "Workbook",
    "action",
    "as_written",
    "at",
    "by_place",
    "changes",
    "check",
    "check_text",
    "compared",
    "continue_run",
    "counted",
    "decoded",
    "did_you_mean",
    "differences",
    "executor_named",
    "expanded",
    "files_of",
    "harmless",
    "history",
    "home",
    "in_columns",
    "is_macro_path",
    "keep_undo",
    "kind_of",
    "lay_out_samples",
    "letters_of",
    "lines_of",
    "listed",
    "listed_in",
    "mended",
    "open",
    "outbox",
    "pasted",
    "program",
    "read_macro",
    "recover",
    "redo",
    "retitled",
    "run",
    "tidy",
    "together",
    "trial",
    "undo",
    "variable",
    "vocabulary",
    "without",
]  # fmt: skip

#: Where each name lives, by package; it is fetched when first used, so that a small command imports little.
_PACKAGES = {
    "scrub.demo": "lay_out_samples",
    "scrub.language.complete": "Fit",
    "scrub.library.library": "files_of Library LibraryEntry retitled",
    "scrub.library.records": "SETTINGS",
    "scrub.library.text": "decoded is_macro_path read_macro",
    "scrub.model.core.amounts": "Size",
    "scrub.model.core.area": "Area letters_of",
    "scrub.model.core.change": "Change",
    "scrub.model.core.declare": "Reach",
    "scrub.model.core.differences": "compared differences",
    "scrub.model.document": "Document",
    "scrub.model.core.files": "Folder",
    "scrub.model.core.host": "Host Question QuietHost",
    "scrub.model.core.values": "Secret as_written harmless",
    "scrub.model.core.outline": "Contents Outline",
    "scrub.model.core.sending": "Outgoing",
    "scrub.model.cells.sheet": "Sheet",
    "scrub.model.workbook": "Workbook",
    "scrub.open_file": "OpenFile",
    "scrub.custom_actions": "action",
    "scrub.runner.answers": "variable",
    "scrub.runner.options": "RunOptions",
    "scrub.runner.overview": "by_place in_columns together",
    "scrub.runner.records": "FileRecord RunRecord",
    "scrub.runner.results": "FileResult Interrupted RunResult",
    "scrub.runner.step": "Go Stepper View",
    "scrub.store.store": "Restored",
    "scrub.home_folder": "Home",
    "scrub.file_names": "expanded listed_in without",
    "scrub.executors": "executor_named",
}
_WHERE = {name: package for package, names in _PACKAGES.items() for name in names.split()}


def __dir__() -> list[str]:
    """What a caller can use."""
    return sorted(__all__)


def __getattr__(name: str) -> object:
    """A name of one of the packages."""
    if name not in _WHERE:
        raise AttributeError(f"module 'scrub' has no attribute {name!r}")
    import importlib

    result = getattr(importlib.import_module(_WHERE[name]), name)
    globals()[name] = result
    return result


def when_waiting(tell: Callable[[], None]) -> None:
    """Lets `tell` be called when another process works with this library, before it is waited for."""
    from scrub.store.disk import WAITING

    WAITING.set(tell)


def home() -> Home:
    """The person's own Scrub: `home().library`, `.pins`, `.settings` and the rest, in `home().folder`.

    The folder is the usual data folder of the system; the variable SCRUB_HOME moves it.
    """
    from scrub.home_folder import Home

    chosen = os.environ.get("SCRUB_HOME")
    if chosen:
        return Home(os.path.abspath(os.path.expanduser(chosen)))
    from platformdirs import user_data_dir

    return Home(user_data_dir("scrub-macros", appauthor=False))


def vocabulary() -> Vocabulary:
    """All that a macro can name: kinds, fields, actions and operations."""
    return home().vocabulary


def program(macro: str) -> Program:
    """A macro, checked and ready to run. Raises `MacroProblems` with all that is wrong with it."""
    return home().program(macro)


def check(macro: str) -> list[Problem]:
    """Every problem of a macro (its text, a path or a title), in the order of its lines; none when it can run."""
    return home().check(macro)


def check_text(text: str, name: str = "macro") -> list[Problem]:
    """Every problem of a macro's text; `name` is what problems call it by."""
    return home().problems(text, name)


def pasted(text: str) -> list[str]:
    """The macros in a text that came by mail or from a web page, each without what is round it and broken in it."""
    from scrub.language.paste import pasted

    return pasted(text, lambda found: len(check_text(found)))


def mended(text: str) -> str:
    """The first macro in such a text; the very text where it needs no mending."""
    return pasted(text)[0]


def at(text: str, line: int, column: int) -> list[Fit]:
    """The words that could be at a place of a macro, for an editor: each with its sort and a line of help.

    `line` and `column` count from 1. The macro need not be right, nor the line whole.
    """
    from scrub.language.complete import at

    return at(text, line, column, vocabulary())


def lines_of(text: str) -> list[str]:
    """The lines of a macro's text, as the language reads them, whatever ends them."""
    from scrub.language.lexer import split_lines

    return split_lines(text)


def tidy(text: str) -> str:
    """A macro's text in the standard layout. Raises `MacroProblems` for one that cannot be read."""
    from scrub.language.layout import tidy

    return tidy(text, "macro")


def run(
    macro: str,
    files: Iterable[str] = (),
    *,
    preview: bool = False,
    answers: Mapping[str, object] | None = None,
    host: Host | None = None,
    stop: bool = False,
    budget: int | None = None,
    into: str | None = None,
    in_use: InUseChoice = "stop",
    stepper: Stepper | None = None,
    at: str | None = None,
    jobs: int | str = 1,
    executor: Executor | None = None,
    report: Callable[[FileResult], None] | None = None,
) -> RunResult:
    """Runs a macro (its text, a path or a title) on files; patterns such as `*.xlsx` are expanded.

    `preview` does all but write. `answers` contains an answer for each question by name, a `Secret` for a password.
    `host` is asked and told everything else; without one nobody is there. `stop` ends at the first file that fails.
    `budget` limits the statements that loops may run on one file. `into` names a folder for the results, and leaves
    the files as they are. `in_use` says what to do about a file that another program has open: "stop", "wait", "copy"
    (the result is saved beside it), or a function of its path and the reason that says so. `stepper` is shown each
    statement before it runs. `at` is what `selection` means, such as "Larch Hut!B1:F1". `jobs` is how many processes
    prepare files, or "auto", and `executor` any of `concurrent.futures`, or one like it, that does so in their place:
    see docs/scale.md. `report` is told of each file when it is done, in the order of the files.

    What happens to a file is in the result, also when it fails. Raises `MacroProblems` for a macro that cannot run,
    `BadCall` when an answer is missing, `Refused` when the macro reaches further than allowed, and `Interrupted`, which
    is a `KeyboardInterrupt`, with what was done until then.
    """
    from scrub.file_names import expanded
    from scrub.model.core.host import QuietHost
    from scrub.runner.options import RunOptions

    quiet, given = host or QuietHost(), answers or {}
    options = RunOptions(quiet, given, preview, stop, budget, into, in_use, stepper, at, _jobs(jobs), executor, report)
    return home().run(macro, expanded(files), options)


def continue_run(
    run: int,
    *,
    answers: Mapping[str, object] | None = None,
    host: Host | None = None,
    stop: bool = False,
    in_use: InUseChoice = "stop",
    jobs: int | str = 1,
    executor: Executor | None = None,
    report: Callable[[FileResult], None] | None = None,
) -> RunResult:
    """Runs a macro on those files of a run that failed or were not done, with the same text and answers, and adds them
    to its record. What is done is known by the journals of what was saved; a file that was edited since stays as it is.
    Answers that are given again replace those from before; passwords are never kept, and asked for again.

    Raises `BadCall` if all files are done, if the run was undone, or if its number is wrong.
    """
    from scrub.model.core.host import QuietHost
    from scrub.runner.options import RunOptions

    options = RunOptions(
        host or QuietHost(), answers or {}, stop=stop, in_use=in_use, jobs=_jobs(jobs), executor=executor, report=report
    )
    with _explained():
        return home().continue_run(run, options)


def _jobs(jobs: int | str) -> int:
    """A number of processes. Raises `BadCall` for what is none."""
    from scrub.runner.options import AUTO

    if isinstance(jobs, str):
        if jobs != "auto":
            raise BadCall(f'"{jobs}" is not a number of processes. Choose a number, or auto')
        return AUTO
    if jobs < 1:
        raise BadCall(f"{jobs} processes cannot do anything. Choose 1 or more, or auto")
    return jobs


def _threads(jobs: int | None) -> int | None:
    """A number of threads. Raises `BadCall` for what is none."""
    from scrub.executors import ensure_jobs

    if jobs is not None:
        ensure_jobs(_jobs(jobs))
    return jobs


def open(path: str) -> OpenFile:
    """Opens a file as a macro sees it. Raises `FileProblem` when it is missing, damaged or of another format."""
    from scrub.open_file import OpenFile

    return OpenFile(home(), path)


def kind_of(path: str) -> str:
    """The kind of item that a file is, by its name. Raises `FileProblem` for a format that Scrub cannot open."""
    return home().formats.kind_of(path)


def trial(path: str, host: Host) -> Trial:
    """Tries steps out on a file, one at a time, in memory. Raises `FileProblem` as `open` does."""
    from scrub.trial_steps import Trial

    return Trial(home(), path, host)


def history() -> list[RunRecord]:
    """Every run, the last one first."""
    from scrub.runner.records import RunRecord

    return [RunRecord(kept) for kept in home().store.runs()]


def changes(run: int | None = None) -> RunRecord:
    """One run with all its changes; left out, the last one. Raises `BadCall` when there is none."""
    from scrub.runner.records import RunRecord

    store = home().store
    with _explained():
        if run is not None:
            return RunRecord(store.run(run))
        runs = store.runs()[:1]
    if not runs:
        raise BadCall("no runs yet. Try: scrub demo")
    return RunRecord(runs[0])


def outbox() -> list[Note]:
    """Every message that a macro sent, or tried to send, the last one first, with what became of it."""
    return home().store.outbox.notes()


def undo(
    run: int | None = None,
    *,
    copy: bool = False,
    watch: Callable[[float, int, str], None] | None = None,
    jobs: int | None = None,
) -> Restored:
    """Puts back, byte for byte, what a run changed; left out, the last one that changed something.

    `watch` is told how far it has come: files done, files in all, and the next one. `jobs` is the number of threads
    that read, write and sync many files; None for eight.

    Raises `Refused` when a file was edited since; with `copy`, its earlier version is then saved beside it.
    """
    from scrub.undo_runs import take_back

    with _at_store():
        told = home().store.recover()
        restored = take_back(home(), run, copy, watch, _threads(jobs))
        return restored._replace(told=(*told, *restored.told))


def redo(run: int | None = None, *, jobs: int | None = None) -> Restored:
    """Does again what was undone of this run; left out, of the last one, if nothing was run since.

    Raises `Refused` as `undo` does, and `BadCall` where it is not plain which run is meant.
    """
    store = home().store
    with _at_store():
        told = store.recover()
        restored = store.redo(run, _threads(jobs))
        return restored._replace(told=(*told, *restored.told))


def keep_undo(run: int, keep: bool = True) -> None:
    """Keeps the undo data of a run, however old and big it grows, or lets it go in time again. Raises `BadCall`."""
    with _explained():
        home().store.pin(run, keep)


def recover() -> list[str]:
    """Finishes or undoes runs that a stop of the machine cut short; a sentence for each file to look at."""
    with _at_store():
        return home().store.recover()


@contextmanager
def _at_store() -> Iterator[None]:
    """Work on what was run: on a server with the person's password, and with sentences for what is refused."""
    from scrub.model.core.passwords import knowing

    with _explained(), knowing(home().password):
        yield


def _explained() -> Any:
    from scrub.runner.explain import explained

    return explained()
