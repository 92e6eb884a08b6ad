"""Runs a program over files: each is opened, changed in memory, and committed by itself, all or nothing."""

from __future__ import annotations

import decimal
import os
import time
from collections.abc import Callable, Iterator, Mapping, Sequence
from datetime import datetime
from functools import partial
from typing import Any

from scrub.language.tree import Program
from scrub.model.change import Change
from scrub.model.declare import FileItem, Reach
from scrub.model.host import Host
from scrub.model.preferences import Preferences, preferring
from scrub.model.problem import BadCall, Failure, FileProblem, Refused, ScrubError, counted, listed
from scrub.model.progress import watched
from scrub.model.values import ARITHMETIC
from scrub.model.vocabulary import Vocabulary
from scrub.runner.answers import answer_all
from scrub.runner.execution import BUDGET, Execution
from scrub.runner.explain import explained, told
from scrub.runner.statements import Statements
from scrub.runner.step import Stepper, Stopped, Watch
from scrub.store.errors import InUse, StoreError
from scrub.store.inuse import ensure_free
from scrub.store.patch import Copy, Effect, Patch, free_path
from scrub.store.store import Store

CHANGED, UNCHANGED, FAILED, NOT_TRIED = "changed", "unchanged", "failed", "not tried"


#: What to do about a file in use: "stop", "wait" until it is closed, "copy" lays the result beside it; or who decides.
InUseChoice = str | Callable[[str, str], str]


class FileResult:
    """What a run did to one file: its state, changes, log and texts said, and why it failed."""

    def __init__(self, path: str) -> None:
        self.path = path
        self.state = UNCHANGED
        self.changes: list[Change] = []
        self.log: list[str] = []
        self.said: list[str] = []
        self.notes: list[str] = []
        self.headings: dict[str, Mapping[str, str]] = {}  # of sheets with many changes: what stands over their columns
        self.left = 0  # texts that an action could not turn or edit, and left; the log has each
        self.problem: ScrubError | None = None
        self.effects: list[Effect] = []
        self.made: list[str] = []
        self.part_word = "place"
        self.saved_as = path

    def __repr__(self) -> str:
        problem = f", problem={str(self.problem)!r}" if self.problem else ""
        return f"<FileResult {self.path!r}: {self.state}, {counted(len(self.changes), 'change')}{problem}>"

    def as_dict(self) -> dict[str, Any]:
        """The result as JSON shows it."""
        return {
            "file": self.path,
            "state": self.state,
            "changes": [change.as_dict() for change in self.changes],
            "log": self.log,
            "said": self.said,
            "notes": self.notes,
            "left": self.left,
            "made": self.made,
            "problem": str(self.problem) if self.problem else None,
        }


class RunResult:
    """What a run did. `number` is its place in the history, None for a preview."""

    def __init__(self, title: str, preview: bool) -> None:
        self.title = title
        self.preview = preview
        self.number: int | None = None
        self.files: list[FileResult] = []
        self.recovered: list[str] = []

    @property
    def exit_code(self) -> int:
        """0 when all went well, else the highest of its files' problems."""
        return max((each.problem.exit_code for each in self.files if each.problem), default=0)

    def __repr__(self) -> str:
        number = f"run {self.number}" if self.number else "preview" if self.preview else "not kept"
        return f"<RunResult {self.title!r}: {number}, {counted(len(self.files), 'file')}>"

    def as_dict(self) -> dict[str, Any]:
        """The result as JSON shows it."""
        return {
            "run": self.number,
            "title": self.title,
            "preview": self.preview,
            "files": [each.as_dict() for each in self.files],
        }


class Runner:
    """Runs one program. Without a store it is a preview: the same run, and nothing is written."""

    def __init__(
        self,
        program: Program,
        vocabulary: Vocabulary,
        opener: Callable[[str], FileItem],
        store: Store | None,
        host: Host,
        answers: Mapping[str, Any],
        reach: Reach = Reach.CHANGE,
        budget: int = BUDGET,
        into: str | None = None,
        in_use: InUseChoice = "stop",
        stored: Callable[[str], str | None] | None = None,
        preferences: Preferences | None = None,
        stepper: Stepper | None = None,
        at: str | None = None,
    ) -> None:
        if at is not None and not _selects(program):
            raise BadCall(f'"{program.title}" does not use what is picked with --at. It would have to say: selection')
        self.at = at
        if program.reach > reach:
            raise Refused(f'"{program.title}" {Reach(program.reach).sentence}, which was not allowed')
        self.program = program
        self.opener = opener
        self.store = store
        self.host = host
        self.reach = reach
        self.budget = budget
        self.into = into or program.macro.into or None
        self.targets: list[str] = []
        self.beside: set[str] = set()
        self.in_use = in_use
        self.preferences = preferences or Preferences()
        self.body = Statements(program, vocabulary, Watch(stepper) if stepper else None).block(program.macro.body)
        self.answers: dict[int, Any] = {}
        self._ask = partial(answer_all, program.questions, answers, host, stored)

    def run(
        self, paths: Sequence[str], stop: bool = False, report: Callable[[FileResult], None] | None = None
    ) -> RunResult:
        """Runs the program on each file, on all of them at once, or once with none: as its header says.

        `stop` ends at the first file that fails; the others are listed as not tried. `report` is told of each file
        as it is done.
        """
        with preferring(self.preferences):
            if not paths or any(map(self._can_be_opened, paths)):  # nobody is asked for files that are not there
                self.answers = dict(zip(self.program.question_slots, self._ask(), strict=True))
            return self._run(paths, stop, report)

    def _can_be_opened(self, path: str) -> bool:
        return os.path.isfile(path) or (os.path.isdir(path) and "folder" in self.program.macro.runs_on)

    def _run(self, paths: Sequence[str], stop: bool, report: Callable[[FileResult], None] | None) -> RunResult:
        result = RunResult(self.program.title, self.store is None)
        if self.store is not None:
            result.recovered = self.store.recover()
        every = list(_distinct(paths))
        if "nothing" in self.program.macro.runs_on and not paths:
            self._take(self._group([], result), result, report)
        elif self.program.macro.for_all:
            self._take(self._group(every, result), result, report)
        else:
            self._one_by_one(every, stop, result, report)
        self.host.progress(len(every) or 1, len(every) or 1, "")
        logged = any(each.log or each.said for each in result.files)
        if self.store is not None and (every or logged or result.number is not None):
            self._keep_record(result)
        return result

    def _one_by_one(
        self, every: list[str], stop: bool, result: RunResult, report: Callable[[FileResult], None] | None
    ) -> None:
        stopped = False
        watching = bool(getattr(self.host, "watching", False))
        for index, path in enumerate(every):
            name = os.path.basename(path)
            self.host.progress(index, len(every), name)
            if stopped:
                found = FileResult(path)
                found.state = NOT_TRIED
                result.files.append(found)
                continue
            tell = partial(self._tell, index, len(every), name) if watching else None
            with watched(tell):
                (found,) = self._group([path], result)
            stopped = stop and found.problem is not None
            self._take([found], result, report)

    def _tell(self, done: int, of: int, name: str, label: str, share: float) -> None:
        """Tells how far one file has come."""
        self.host.progress(done + share, of, f"{name}: {label}" if label and label != name else name)

    @staticmethod
    def _take(found: list[FileResult], result: RunResult, report: Callable[[FileResult], None] | None) -> None:
        for each in found:
            result.files.append(each)
            if report is not None:
                report(each)

    def _group(self, paths: list[str], result: RunResult) -> list[FileResult]:
        """One execution, on these files together: all of them are saved, or none."""
        found = [FileResult(path) for path in paths] or [FileResult("")]
        execution = Execution(self.host, self.reach, self.budget)
        execution.at, execution.opener = self.at, self.opener
        items: list[Any] = []
        at = found[0]
        try:
            for each in found if paths else ():
                at = each
                items.append(self.opener(each.path))
                self._ensure_fitting(items[-1], each.path)
                if self.store is not None and self.into is None and os.path.isfile(each.path):
                    self._ensure_free(items[-1])
            at = found[0]
            execution.roots = items
            for each, item in zip(found, items, strict=False):
                at = each
                ensure_kept(self.program, item)
            at = found[0]
            self._execute(execution)
            for each, item in zip(found, items, strict=False):
                at = each
                each.effects = self._effects(item)
                each.changes, each.notes, each.part_word = item.changes, item.notes, item.part_word
                each.headings = item.headings_over(each.changes)
                each.state = CHANGED if each.effects else UNCHANGED
            self._save(found, items, execution, result)
        except ScrubError as problem:
            at.problem = problem
        except (StoreError, OSError, MemoryError) as error:
            at.problem = told(error, at.path)
        finally:
            for item in (*items, *execution.opened.values()):
                item.close()
        if at.problem is not None:
            for each in found:
                each.state, each.changes, each.made = (FAILED if each is at else NOT_TRIED), [], []
        found[0].log, found[0].said = execution.log, execution.said
        found[0].left = execution.remarks
        for what, (times, where) in execution.unequal.items():
            place = f" (first {where})" if where else ""
            found[0].notes.append(
                f"{counted(times, 'comparison')} of {what}{place}: these are not equal. "
                f"Turn the texts into {'numbers: read-numbers' if 'number' in what else 'dates: read-dates'}."
            )
        return found

    def _ensure_fitting(self, item: FileItem, path: str) -> None:
        """Raises `FileProblem` for a file of another kind than the macro runs on."""
        runs_on = self.program.macro.runs_on
        if item.kind_word not in runs_on:
            kinds = listed([f"a {word}" for word in runs_on], "or")
            raise FileProblem(path, f'this is a {item.kind_word}, and "{self.program.title}" runs on {kinds}')

    def _ensure_free(self, item: Any) -> None:
        """Raises when the file cannot be changed now. One in use may be waited for, or get its result beside it."""
        while True:
            try:
                ensure_free(item.source.path)
            except InUse as busy:
                choice = self.in_use(item.source.shown, busy.what) if callable(self.in_use) else self.in_use
                if choice == "stop":
                    raise
                if choice == "copy":
                    self.beside.add(item.source.path)
                    return
                time.sleep(0.5)
            else:
                return

    def _effects(self, item: Any) -> list[Effect]:
        """What saving a file comes to: a change of the file itself, or a new one in the folder for results."""
        effects: list[Effect] = list(item.effects())
        if self.into is None and (item.source.path not in self.beside or not effects):
            return effects
        folder = os.path.normpath(os.path.join(os.path.dirname(item.source.path), os.path.expanduser(self.into or ".")))
        patch = next((each.patch for each in effects if each.path == item.source.path), None)
        copied = patch or Patch(item.source.digest, item.source.size, [Copy(0, item.source.size)])
        target = free_path(os.path.join(folder, os.path.basename(item.source.path)), self._taken)
        self.targets.append(target)
        others = [each for each in effects if each.path != item.source.path]
        return [Effect(target, copied, None, item.source.path), *others]

    def _taken(self, path: str) -> bool:
        return path in self.targets or os.path.lexists(path)

    def _execute(self, execution: Execution) -> None:
        frame: list[Any] = [None] * self.program.slots
        frame[0] = execution
        for slot, answer in self.answers.items():
            frame[slot] = answer
        if self.program.picked_slot >= 0:
            frame[self.program.picked_slot] = list(execution.roots)
        elif execution.roots:
            frame[self.program.start_slot] = execution.roots[0]
        if self.program.selection_slot >= 0:
            frame[self.program.selection_slot] = execution.selection()
        try:
            with decimal.localcontext(ARITHMETIC):
                self.body(frame)
        except Stopped:
            raise Failure("stopped by hand; nothing of this file was saved") from None

    def _save(self, found: list[FileResult], items: list[Any], execution: Execution, result: RunResult) -> None:
        effects = [effect for each in found for effect in each.effects]
        for each in found:
            each.made = [effect.path for effect in each.effects if effect.before is None]
            if (each.made and self.into is not None) or set(each.made) & set(self.targets):
                each.saved_as = each.made[0]
        if self.store is None or not effects:
            return
        for item in items:
            item.close()  # some systems replace no file that is open
        if result.number is None:
            result.number = self.store.begin(self._record(result))
        record = {
            "files": [
                {
                    "file": item.source.path,
                    "changes": [change.as_dict() for change in each.changes],
                    "made": each.made,
                    "headings": {place: dict(heads) for place, heads in each.headings.items()},
                }
                for each, item in zip(found, items, strict=True)
            ],
            "log": execution.log,
            "said": execution.said,
        }
        self.store.save(result.number, str(len(result.files) + 1), effects, record)

    def _record(self, result: RunResult) -> dict[str, Any]:
        return {
            "title": self.program.title,
            "macro": self.program.text,
            "when": datetime.now().astimezone().isoformat(timespec="seconds"),
            "files": [
                {
                    "file": os.path.abspath(each.path) if each.path else "",
                    "state": each.state,
                    "problem": str(each.problem or ""),
                    "log": each.log,
                    "said": each.said,
                }
                for each in result.files
                if each.path or each.log or each.said
            ],
        }

    def _keep_record(self, result: RunResult) -> None:
        """Keeps what was run, also when it changed nothing or failed; a record that cannot be kept harms no file."""
        assert self.store is not None
        try:
            if result.number is None:
                result.number = self.store.begin(self._record(result))
            else:
                self.store.update(result.number, self._record(result))
        except (OSError, StoreError) as error:
            self.host.log(f"the history could not be written: {error}")


def _selects(program: Program) -> bool:
    return program.selection_slot >= 0 or any(_selects(inner) for inner in program.inner)


def ensure_kept(program: Program, item: FileItem) -> None:
    """Raises `Failure` when the macro changes what the format of the file cannot keep."""
    for kind, word, line in program.uses:
        why = item.cannot_keep(kind, word)
        if why:
            failure = Failure(why)
            failure.title, failure.line = program.title, line
            raise failure
    for inner in program.inner:
        ensure_kept(inner, item)


def _distinct(paths: Sequence[str]) -> Iterator[str]:
    """Each file once, by whatever name and link it was given."""
    seen: set[str] = set()
    for path in paths:
        real = os.path.realpath(path)
        if real not in seen:
            seen.add(real)
            yield path


def save_opened(store: Store, item: Any, title: str) -> int | None:
    """Commits what was done to an opened file from Python, as a run of its own; None when nothing was."""
    with explained():
        effects = item.effects()
        if not effects:
            return None
        item.close()  # some systems replace no file that is open
        when = datetime.now().astimezone().isoformat(timespec="seconds")
        path = item.source.path
        number = store.begin({"title": title, "macro": "", "when": when, "files": []})
        changes = [change.as_dict() for change in item.changes]
        record = {"files": [{"file": path, "changes": changes, "made": []}], "log": [], "said": []}
        store.save(number, "1", effects, record)
        return number
