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
import sys
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
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
    bug_name,
    counted,
    did_you_mean,
    listed,
)
from scrub.version import VERSION

if TYPE_CHECKING:
    from concurrent.futures import Executor

    from scrub.api.classes import (
        Attachment,
        Bookmark,
        Cell,
        Cells,
        Chart,
        Column,
        Comment,
        ConditionalFormat,
        Database,
        DefinedName,
        Document,
        Field,
        File,
        Folder,
        Heading,
        Image,
        Link,
        Mailbox,
        MergedRange,
        Message,
        Messages,
        OutlineItem,
        Page,
        Pages,
        Paragraph,
        Passage,
        Passages,
        Pdf,
        Picture,
        Record,
        RecordedChange,
        Row,
        Section,
        Selection,
        Sheet,
        Table,
        Validation,
        Workbook,
    )
    from scrub.api.conditions import Condition, heading
    from scrub.api.current import (
        Attempt,
        attempt,
        copy_of,
        log,
        new_file,
        new_message,
        open_beside,
        own_file,
        say,
        selection,
    )
    from scrub.api.items import Items
    from scrub.api.pairs import Pairs
    from scrub.by_example.differences import Difference
    from scrub.by_example.learner import Learned
    from scrub.custom_actions import action
    from scrub.demo import lay_out_samples
    from scrub.executors import executor_named
    from scrub.file_names import expanded, listed_in, without
    from scrub.home_folder import Home
    from scrub.language.complete import Fit, Known
    from scrub.language.program import Program
    from scrub.language.reading import Mention, Reading
    from scrub.library.library import Library, LibraryEntry, files_of, retitled
    from scrub.library.records import SETTINGS
    from scrub.library.text import decoded, is_macro_path, read_macro
    from scrub.model.core.amounts import Duration, Length, Size
    from scrub.model.core.area import Area, letters_of
    from scrub.model.core.change import Change, plain, visible
    from scrub.model.core.changes import Changes
    from scrub.model.core.declare import Reach
    from scrub.model.core.differences import compared, differences
    from scrub.model.core.host import Host, Question, QuietHost
    from scrub.model.core.outline import Contents, Outline
    from scrub.model.core.sending import Outgoing
    from scrub.model.core.values import NewSecret, Secret, as_written, fold, harmless
    from scrub.model.vocabulary import Vocabulary
    from scrub.open_file import OpenFile
    from scrub.runner.answers import variable
    from scrub.runner.holding import Held
    from scrub.runner.options import InUseChoice, RunOptions
    from scrub.runner.overview import by_place, in_columns, together
    from scrub.runner.records import FileRecord, RunRecord
    from scrub.runner.results import FileResult, Interrupted, RunResult
    from scrub.runner.review import Review
    from scrub.runner.reviewing import Proposal
    from scrub.runner.step import Go, Stepper, View
    from scrub.store.outbox import Note
    from scrub.store.store import Restored
    from scrub.trial_steps import Trial

__version__ = VERSION

__all__ = [
    "SETTINGS",
    "Area",
    "Attachment",
    "Attempt",
    "BadCall",
    "Bookmark",
    "Cell",
    "Cells",
    "Change",
    "Changes",
    "Chart",
    "Column",
    "Comment",
    "Condition",
    "ConditionalFormat",
    "Contents",
    "Database",
    "DefinedName",
    "Difference",
    "Document",
    "Duration",
    "Failure",
    "Field",
    "File",
    "FileProblem",
    "FileRecord",
    "FileResult",
    "Fit",
    "Folder",
    "Go",
    "Heading",
    "Held",
    "Home",
    "Host",
    "Image",
    "Interrupted",
    "Items",
    "Known",
    "Learned",
    "Length",
    "Library",
    "LibraryEntry",
    "Link",
    "MacroProblems",
    "Mailbox",
    "Mention",
    "MergedRange",
    "Message",
    "Messages",
    "NewSecret",
    "OpenFile",
    "Outgoing",
    "Outline",
    "OutlineItem",
    "Page",
    "Pages",
    "Pairs",
    "Paragraph",
    "Passage",
    "Passages",
    "Pdf",
    "Picture",
    "Problem",
    "Proposal",
    "Question",
    "QuietHost",
    "Reach",
    "Reading",
    "Record",
    "RecordedChange",
    "Refused",
    "Restored",
    "Review",
    "Row",
    "RunOptions",
    "RunRecord",
    "RunResult",
    "ScrubError",
    "Secret",
    "Section",
    "Selection",
    "Sheet",
    "Size",
    "Stepper",
    "Table",
    "Validation",
    "View",
    "Workbook",
    "action",
    "as_python",
    "as_written",
    "at",
    "attempt",
    "bug_name",
    "by_place",
    "changes",
    "check",
    "check_text",
    "compared",
    "continue_run",
    "copy_of",
    "counted",
    "decoded",
    "did_you_mean",
    "differences",
    "executor_named",
    "expanded",
    "files_of",
    "fold",
    "harmless",
    "heading",
    "highlighted",
    "history",
    "home",
    "in_columns",
    "is_macro_path",
    "keep_undo",
    "kind_of",
    "known_in",
    "lay_out_samples",
    "learn",
    "letters_of",
    "lines_of",
    "listed",
    "listed_in",
    "log",
    "main",
    "mended",
    "new_file",
    "new_message",
    "open",
    "open_beside",
    "outbox",
    "own_file",
    "pasted",
    "plain",
    "prepare",
    "program",
    "read",
    "read_macro",
    "recover",
    "redo",
    "retitled",
    "review",
    "run",
    "say",
    "selection",
    "tidy",
    "together",
    "trial",
    "undo",
    "variable",
    "visible",
    "vocabulary",
    "without",
]  # fmt: skip

#: Where each name lives, by package; it is fetched when first used, so that a small command imports little.
_PACKAGES = {
    "scrub.api.classes": (
        "Attachment Bookmark Cell Cells Chart Column Comment ConditionalFormat Database DefinedName Document "
        "Field File Folder Heading Image Link Mailbox MergedRange Message Messages OutlineItem Page Pages "
        "Paragraph Passage Passages Pdf Picture Record RecordedChange Row Section Selection Sheet Table "
        "Validation Workbook"
    ),
    "scrub.api.conditions": "Condition heading",
    "scrub.api.current": ("Attempt attempt copy_of log new_file new_message open_beside own_file say selection"),
    "scrub.api.items": "Items",
    "scrub.api.pairs": "Pairs",
    "scrub.demo": "lay_out_samples",
    "scrub.language.complete": "Fit Known",
    "scrub.language.reading": "Mention Reading",
    "scrub.library.library": "files_of Library LibraryEntry retitled",
    "scrub.library.records": "SETTINGS",
    "scrub.library.text": "decoded is_macro_path read_macro",
    "scrub.model.core.amounts": "Duration Length Size",
    "scrub.model.core.area": "Area letters_of",
    "scrub.model.core.change": "Change plain visible",
    "scrub.model.core.declare": "Reach",
    "scrub.model.core.differences": "compared differences",
    "scrub.model.core.host": "Host Question QuietHost",
    "scrub.model.core.values": "NewSecret Secret as_written fold harmless",
    "scrub.model.core.outline": "Contents Outline",
    "scrub.model.core.sending": "Outgoing",
    "scrub.open_file": "OpenFile",
    "scrub.custom_actions": "action",
    "scrub.by_example.differences": "Difference",
    "scrub.by_example.learner": "Learned",
    "scrub.runner.answers": "variable",
    "scrub.runner.holding": "Held",
    "scrub.runner.options": "RunOptions",
    "scrub.runner.overview": "by_place in_columns together",
    "scrub.runner.records": "FileRecord RunRecord",
    "scrub.runner.results": "FileResult Interrupted RunResult",
    "scrub.runner.review": "Review",
    "scrub.runner.reviewing": "Proposal",
    "scrub.model.core.recorder": "Changes",
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
    from scrub.data_folder import data_folder

    return Home(data_folder())


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


def at(text: str, line: int, column: int, known: Known | None = None) -> list[Fit]:
    """The words that could be at a place of a macro, for an editor: each with its sort, help, type and arguments.

    `line` and `column` count from 1. The macro need not be right, nor the line whole. `known` is what is in a file
    that the macro is for: see `known_in`.
    """
    from scrub.language.complete import at

    return at(text, line, column, vocabulary(), known)


def read(text: str) -> Reading:
    """What is at each place of a macro: its words with what they mean, its names and blocks, and its problems. The
    macro need not be right.
    """
    from scrub.language.reading import read

    return read(home().edited(text))


def known_in(path: str) -> Known:
    """What a macro for a file can name in it: sheets and other items by their names, and headings. Raises
    `FileProblem` as `open` does.
    """
    from scrub.language.complete import Known

    with open(path) as opened:
        contents = opened.contents()
    headings = [name.removeprefix("record.") for _, outline in contents.outlines for name in outline.fields]
    return Known(contents.names, list(dict.fromkeys(headings)))


def as_python(macro: str) -> str:
    """A macro (its text, a path or a title) as a Python script with the same result, over this API. Raises
    `MacroProblems` for a macro that cannot run.
    """
    from scrub.language.python import as_python

    return as_python(program(macro), vocabulary())


def lines_of(text: str) -> list[str]:
    """The lines of a macro's text, as the language reads them, whatever ends them."""
    from scrub.language.lexer import split_lines

    return split_lines(text)


def highlighted(text: str) -> list[tuple[str, str]]:
    """The pieces of a macro's text by their sort, such as "keyword"; joined they are the text."""
    from scrub.language.highlight import pieces

    return list(pieces(text, vocabulary().kinds))


def tidy(text: str) -> str:
    """A macro's text in the standard layout. Raises `MacroProblems` for one that cannot be read."""
    from scrub.language.layout import tidy

    return tidy(text, "macro")


def run(
    macro: str | Callable[..., object],
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
    """Runs a macro (its text, a path or a title) on files; patterns such as `*.xlsx` are expanded. `macro`
    may also be a Python function of an item, such as `def mark(book: scrub.Workbook)`; its other arguments are
    questions.

    `preview` does all but write. `answers` contains an answer for each question by name, a `Secret` for a password.
    `host` is asked and told everything else; without one nobody is there. `stop` ends at the first file that fails.
    `budget` limits the statements that loops may run on one file. `into` names a folder for the results, and leaves
    the files as they are. `in_use` says what to do about a file that another program has open: "stop", "wait",
    "copy" (the result is saved beside it), the most seconds to wait, or a function of its path and the reason that
    says so. `stepper` is shown each statement before it runs. `at` is what `selection` means, such as "Larch
    Hut!B1:F1". `jobs` is how many processes prepare files, or "auto", and `executor` any of `concurrent.futures`,
    or one like it, that does so in their place: see docs/scale.md. `report` is told of each file when it is done,
    in the order of the files.

    What happens to a file is in the result, also when it fails. Raises `MacroProblems` for a macro that cannot run,
    `BadCall` when an answer is missing, `Refused` when the macro reaches further than allowed, and `Interrupted`, which
    is a `KeyboardInterrupt`, with what was done until then.
    """
    from scrub.file_names import expanded
    from scrub.model.core.host import QuietHost
    from scrub.runner.options import RunOptions

    watching = None
    if host is None and "ipykernel" in sys.modules:
        from scrub.notebook import NotebookHost

        watching = NotebookHost()
    quiet, given = host or watching or QuietHost(), answers or {}
    options = RunOptions(
        quiet, given, preview, stop, budget, into, _in_use(in_use), stepper, at, _jobs(jobs), executor, report
    )
    paths = expanded(files)
    checked, called, path = _checked(macro)
    result = home().run_program(checked, paths, options, called, path)
    if watching is not None:
        watching.done()
    return result


def prepare(
    macro: str | Callable[..., object],
    files: Iterable[str] = (),
    *,
    answers: Mapping[str, object] | None = None,
    host: Host | None = None,
    into: str | None = None,
    in_use: InUseChoice = "stop",
    at: str | None = None,
    glimpse: Callable[[str, Changes], None] | None = None,
) -> Held:
    """Prepares a run, as `run` does it, and keeps it in memory: `held.files` is what would change, and
    `held.commit(only=…)` saves exactly that, without a second run. Nothing is saved before. `glimpse` is shown the
    first changes of a file while it is still worked on, if the host has the attribute `watching`.

    Raises what `run` raises. Files that do not fit into memory together are a case for `run`.
    """
    return home().prepare(*_to_prepare(macro, files, answers, host, into, in_use, at, glimpse))


def review(
    macro: str,
    files: Iterable[str] = (),
    *,
    answers: Mapping[str, object] | None = None,
    host: Host | None = None,
    into: str | None = None,
    in_use: InUseChoice = "stop",
    at: str | None = None,
) -> Review:
    """Prepares a run whose changes are accepted or refused one by one. What is refused is skipped when the macro runs
    again, so that the result is the run without it; what comes out differently then is proposed again.

        review = scrub.review("Sort out who pays", ["season-book.xlsx"])
        while review.proposals:
            for proposal in review.proposals:
                proposal.accepted = proposal.label != "Larch Hut row 10"
            review.go_on()
        review.commit()

    Raises what `run` raises.
    """
    return home().review(*_to_prepare(macro, files, answers, host, into, in_use, at))


def _to_prepare(
    macro: str | Callable[..., object],
    files: Iterable[str],
    answers: Mapping[str, object] | None,
    host: Host | None,
    into: str | None,
    in_use: InUseChoice,
    at: str | None,
    glimpse: Callable[[str, Changes], None] | None = None,
) -> tuple[Program, list[str], RunOptions, str, str]:
    """What is prepared, on which files and how; what a person calls the macro, and the file it is in."""
    from scrub.file_names import expanded
    from scrub.model.core.host import QuietHost
    from scrub.runner.options import RunOptions

    options = RunOptions(host or QuietHost(), answers or {}, into=into, in_use=_in_use(in_use), at=at, glimpse=glimpse)
    checked, called, path = _checked(macro)
    return checked, expanded(files), options, called, path


def _checked(macro: str | Callable[..., object]) -> tuple[Program, str, str]:
    """A macro or a function as what is run, what a person calls it, and the file it is in."""
    if isinstance(macro, str):
        text, path = home().text_and_path(macro)
        return home().checked(text, path), macro, path
    from scrub.api.running import FunctionProgram

    function = FunctionProgram(macro)
    return function, function.title, function.source


def main(function: Callable[..., object], arguments: Sequence[str] | None = None, *, into: str | None = None) -> int:
    """Runs a function on the files of the command line, as `run` does; gives the exit code.

    Each further argument of the function is an option. Passwords are taken from the environment (`SCRUB_SECRET_…`), or
    asked for without echo, never as options, which are listed for all to see. `arguments` are those of the
    command line, None for those of the process; `into` is a folder for the results, None to change the files.

    `if __name__ == "__main__": sys.exit(scrub.main(mark_late))`
    """
    from scrub.api.command import run_command

    return run_command(function, run, arguments, into)


def learn(
    before: str,
    after: str,
    *,
    also: Iterable[tuple[str, str]] = (),
    beside: Iterable[str] = (),
    title: str = "Learned",
    minutes: float = 1.0,
    tell: Callable[[str], None] | None = None,
) -> Learned:
    """Learns a macro from a file and the same file after somebody did the job by hand: `learned.text`,
    whether it is `proved` by a run on a copy, and what is `left`. `also` are further pairs of files, which decide where
    the first one leaves something open; `beside` are files that the job looks values up in, and mailboxes as they are
    after messages were filed there. The search ends after some `minutes`; `tell` hears what is done. Nothing is kept,
    and no file is changed.

    Raises `BadCall` for two files of different kinds or without a difference, and `FileProblem` as `open` does.
    """
    from scrub.learning import LearnOptions, learned_from

    options = LearnOptions(list(also), list(beside), title, 60 * minutes, tell or (lambda text: None))
    return learned_from(home(), before, after, options)


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
        host or QuietHost(),
        answers or {},
        stop=stop,
        in_use=_in_use(in_use),
        jobs=_jobs(jobs),
        executor=executor,
        report=report,
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


def _in_use(choice: InUseChoice) -> InUseChoice:
    """What to do about files in use. Raises `BadCall` for what cannot be done."""
    from scrub.runner.options import patience

    if not callable(choice):
        patience(choice)
    return choice


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
