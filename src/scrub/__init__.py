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
from collections.abc import Callable, Iterable, Mapping
from typing import TYPE_CHECKING, Any

from scrub.model.problem import (
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

if TYPE_CHECKING:
    from scrub.demo import lay_out_samples
    from scrub.language.tree import Program
    from scrub.library.library import Entry, Library
    from scrub.library.text import decoded, is_macro_path, read_macro
    from scrub.model.change import Change
    from scrub.model.declare import Reach
    from scrub.model.host import Host, Question, QuietHost
    from scrub.model.values import Secret
    from scrub.model.vocabulary import Vocabulary
    from scrub.runner.records import FileRecord, RunRecord
    from scrub.runner.run import FileResult, RunResult
    from scrub.store.store import Restored, Store

__version__ = "0.1.0"

__all__ = [
    "BadCall", "Change", "Entry", "Failure", "FileProblem", "FileRecord", "FileResult", "Host", "Library",
    "MacroProblems", "OpenFile", "Problem", "Question", "QuietHost", "Reach", "Refused", "Restored", "RunRecord",
    "RunResult", "ScrubError", "Secret", "changes", "check",
    "check_text", "counted", "decoded", "did_you_mean", "expanded", "history", "home",
    "is_macro_path",
    "lay_out_samples", "listed", "macro_text", "open", "own_library", "program", "read_macro", "recover",
    "redo", "run", "undo",
    "vocabulary",
]  # fmt: skip

_WHERE = {
    "Change": "scrub.model.change", "Entry": "scrub.library.library", "FileRecord": "scrub.runner.records",
    "FileResult": "scrub.runner.run", "Host": "scrub.model.host", "Library": "scrub.library.library",
    "Question": "scrub.model.host", "QuietHost": "scrub.model.host", "Reach": "scrub.model.declare",
    "Restored": "scrub.store.store", "RunRecord": "scrub.runner.records", "RunResult": "scrub.runner.run",
    "Secret": "scrub.model.values", "decoded": "scrub.library.text",
    "is_macro_path": "scrub.library.text", "lay_out_samples": "scrub.demo", "read_macro": "scrub.library.text",
}  # fmt: skip


def __getattr__(name: str) -> Any:
    """Names that live in a room are fetched when first used: a small command imports little."""
    if name not in _WHERE:
        raise AttributeError(f"module 'scrub' has no attribute {name!r}")
    import importlib

    found = getattr(importlib.import_module(_WHERE[name]), name)
    globals()[name] = found
    return found


def home() -> str:
    """The folder that holds the library and the history; the variable SCRUB_HOME moves it."""
    chosen = os.environ.get("SCRUB_HOME")
    if chosen:
        return os.path.abspath(os.path.expanduser(chosen))
    from platformdirs import user_data_dir

    return user_data_dir("scrub-macros", appauthor=False)


def own_library() -> Library:
    """The person's own library, with the shipped examples beside it."""
    from scrub.library.library import Library

    examples = os.path.join(os.path.dirname(__file__), "demo", "macros")
    return Library(os.path.join(home(), "library"), examples)


def vocabulary() -> Vocabulary:
    """All that a macro can name: kinds, fields, actions and operations."""
    from scrub.model.vocabulary import Vocabulary
    from scrub.model.workbook import Sheet, Workbook

    return Vocabulary((Workbook, Sheet))


def macro_text(macro: str) -> tuple[str, str]:
    """The text of a macro and the name that problems call it by.

    `macro` is the text itself (more than one line), the path of a file, or a title in the library.
    Raises `BadCall` or `FileProblem` when there is none.
    """
    from scrub.library.text import is_macro_path, read_macro

    if len(macro.splitlines()) > 1:
        return macro, "macro"
    if is_macro_path(macro):
        return read_macro(macro), os.path.basename(macro)
    entry = own_library().find(macro)
    return entry.text, os.path.basename(entry.path)


def program(macro: str) -> Program:
    """A macro, checked and ready to run. Raises `MacroProblems` with all that is wrong with it."""
    from scrub.language import checker

    text, name = macro_text(macro)
    return checker.program(text, name, vocabulary())


def check(macro: str) -> list[Problem]:
    """Every problem of a macro (its text, a path or a title), in the order of its lines; none when it can run."""
    return check_text(*macro_text(macro))


def check_text(text: str, name: str = "macro") -> list[Problem]:
    """Every problem of a macro's text; `name` is what problems call it by."""
    from scrub.language import checker

    return checker.check(text, name, vocabulary())


def run(
    macro: str,
    files: Iterable[str] = (),
    *,
    preview: bool = False,
    answers: Mapping[str, Any] | None = None,
    host: Host | None = None,
    stop: bool = False,
    budget: int | None = None,
    report: Callable[[FileResult], None] | None = None,
) -> RunResult:
    """Runs a macro (its text, a path or a title) on files; patterns such as `*.xlsx` are expanded.

    `preview` does all but write. `answers` holds an answer for each question by name, a `Secret` for a password.
    `host` is asked and told everything else; without one nobody is there. `stop` ends at the first file that fails.
    `budget` limits the statements that loops may run on one file. `report` is told of each file when it is done.

    What happens to a file stands in the result, also when it fails. Raises `MacroProblems` for a macro that cannot
    run, `BadCall` when an answer is missing, `Refused` when the macro reaches further than allowed.
    """
    from scrub.formats.open import open_file
    from scrub.model.host import QuietHost
    from scrub.runner.execution import BUDGET
    from scrub.runner.run import Runner

    checked = program(macro)
    paths = expanded(files)
    if not paths and "nothing" not in checked.macro.runs_on:
        raise BadCall(f'"{checked.title}" runs on a {listed(checked.macro.runs_on, "or")}: name a file')
    runner = Runner(
        checked,
        vocabulary(),
        open_file,
        None if preview else _store(),
        host or QuietHost(),
        answers or {},
        budget=budget or BUDGET,
    )
    return runner.run(paths, stop, report)


def expanded(files: Iterable[str]) -> list[str]:
    """The files named, with patterns such as `*.xlsx` expanded. Raises `BadCall` for a pattern that fits nothing."""
    found: list[str] = []
    for name in [files] if isinstance(files, str) else files:
        path = os.path.expanduser(os.fspath(name))
        if any(mark in path for mark in "*?[") and not os.path.exists(path):
            import glob

            # The owner files of office programs fit such patterns too, and are no documents.
            fitting = [each for each in sorted(glob.glob(path)) if not os.path.basename(each).startswith("~$")]
            if not fitting:
                raise BadCall(f"no file fits {name}")
            found += fitting
        else:
            found.append(path)
    return found


class OpenFile:
    """A file opened in Python, as the item that a macro sees; used with `with`.

    `item` is the workbook; `changes` lists what was changed so far; `save` writes it as an ordinary run.
    """

    def __init__(self, path: str) -> None:
        from scrub.formats.open import open_file

        self.path = path
        self.item: Any = open_file(path)

    def __enter__(self) -> OpenFile:
        return self

    def __exit__(self, *_: object) -> None:
        self.item.close()

    @property
    def changes(self) -> list[Change]:
        """What was changed since it was opened."""
        found: list[Change] = self.item.changes
        return found

    def save(self, title: str) -> int | None:
        """Writes the changes as a run with this title, which `undo` takes back; gives its number.

        None when there was nothing to write. Raises `Refused` or `FileProblem` when the file cannot be written.
        """
        from scrub.runner.run import save_opened

        return save_opened(_store(), self.item, title)


def open(path: str) -> OpenFile:
    """Opens a file as a macro sees it. Raises `FileProblem` when it is missing, damaged or of another format."""
    return OpenFile(path)


def history() -> list[RunRecord]:
    """Every run, the last one first."""
    from scrub.runner.records import read_record

    return [read_record(kept) for kept in _store().runs()]


def changes(run: int | None = None) -> RunRecord:
    """One run with all its changes; left out, the last one. Raises `BadCall` when there is none."""
    from scrub.runner.records import read_record

    store = _store()
    with _explained():
        if run is not None:
            return read_record(store.run(run))
        found = store.runs()
    if not found:
        raise BadCall("nothing was run yet. Try: scrub demo")
    return read_record(found[0])


def undo(run: int | None = None, *, copy: bool = False) -> Restored:
    """Puts back, byte for byte, what a run changed; left out, the last one that changed something.

    Raises `Refused` when a file was edited since; with `copy`, its former version is then laid beside it.
    """
    store = _store()
    with _explained():
        store.recover()
        return store.undo(run, copy)


def redo(run: int | None = None) -> Restored:
    """Does again what was taken back last, or what was taken back of this run. Raises `Refused` as `undo` does."""
    store = _store()
    with _explained():
        store.recover()
        return store.redo(run)


def recover() -> list[str]:
    """Finishes or takes back runs that a stop of the machine cut short; a sentence for each file to look at."""
    store = _store()
    with _explained():
        return store.recover()


def _store() -> Store:
    from scrub.store.store import Store

    return Store(home())


def _explained() -> Any:
    from scrub.runner.explain import explained

    return explained()
