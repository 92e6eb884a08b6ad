"""Runs a program over files: each is opened, changed in memory, and committed by itself, all or nothing."""

from __future__ import annotations

import decimal
import os
from collections.abc import Callable, Iterator, Mapping, Sequence
from datetime import datetime
from typing import Any, Protocol

from scrub.language.tree import Program
from scrub.model.change import Change, Recorder
from scrub.model.declare import FileItem, Reach
from scrub.model.host import Host
from scrub.model.problem import Refused, ScrubError
from scrub.model.values import ARITHMETIC
from scrub.model.vocabulary import Vocabulary
from scrub.runner.answers import answer_all
from scrub.runner.execution import BUDGET, Execution
from scrub.runner.explain import explained, told
from scrub.runner.statements import Statements
from scrub.store.commit import Effect
from scrub.store.errors import StoreError
from scrub.store.inuse import ensure_free
from scrub.store.patch import Patch
from scrub.store.store import Store

CHANGED, UNCHANGED, FAILED, NOT_TRIED = "changed", "unchanged", "failed", "not tried"


class Openable(Protocol):
    """What a run needs of an opened file."""

    recorder: Recorder
    changes: list[Change]
    notes: list[str]
    source: Any

    def patch(self) -> Patch | None:
        """What is to be written, or None."""

    def close(self) -> None:
        """Lets the file go."""


class FileResult:
    """What a run did to one file: its state, changes, log and texts said, and why it failed."""

    def __init__(self, path: str) -> None:
        self.path = path
        self.state = UNCHANGED
        self.changes: list[Change] = []
        self.log: list[str] = []
        self.said: list[str] = []
        self.notes: list[str] = []
        self.problem: ScrubError | None = None

    def as_dict(self) -> dict[str, Any]:
        """The result as JSON shows it."""
        return {
            "file": self.path,
            "state": self.state,
            "changes": [change.as_dict() for change in self.changes],
            "log": self.log,
            "said": self.said,
            "notes": self.notes,
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
    ) -> None:
        if program.reach > reach:
            raise Refused(f'"{program.title}" {Reach(program.reach).sentence}, which was not allowed')
        self.program = program
        self.opener = opener
        self.store = store
        self.host = host
        self.reach = reach
        self.budget = budget
        self.body = Statements(program, vocabulary).block(program.macro.body)
        self.answers = dict(zip(program.question_slots, answer_all(program.questions, answers, host), strict=True))

    def run(
        self, paths: Sequence[str], stop: bool = False, report: Callable[[FileResult], None] | None = None
    ) -> RunResult:
        """Runs the program on each file (once with no file for a macro `for nothing`).

        `stop` ends at the first file that fails; the others are listed as not tried. `report` is told of each file
        as it is done.
        """
        result = RunResult(self.program.title, self.store is None)
        if self.store is not None:
            result.recovered = self.store.recover()
        if "nothing" in self.program.macro.runs_on and not paths:
            result.files.append(self._without_file())
        stopped = False
        every = list(_distinct(paths))
        for index, path in enumerate(every):
            self.host.progress(index, len(every), os.path.basename(path))
            if stopped:
                found = FileResult(path)
                found.state = NOT_TRIED
            else:
                found = self._one(path, result)
                stopped = stop and found.problem is not None
            result.files.append(found)
            if report is not None:
                report(found)
        self.host.progress(len(every), len(every), "")
        if self.store is not None and every:
            self._keep_record(result)
        return result

    def _without_file(self) -> FileResult:
        found = FileResult("")
        execution = Execution(self.host, None, self.reach, self.budget)
        try:
            self._execute(execution)
        except ScrubError as problem:
            found.problem, found.state = problem, FAILED
        found.log, found.said = execution.log, execution.said
        return found

    def _one(self, path: str, result: RunResult) -> FileResult:
        found = FileResult(path)
        execution = Execution(self.host, None, self.reach, self.budget)
        try:
            self._run_file(path, found, execution, result)
        except ScrubError as problem:
            found.problem = problem
        except (StoreError, OSError, MemoryError) as error:
            found.problem = told(error, path)
        if found.problem is not None:
            found.state, found.changes = FAILED, []
        found.log, found.said = execution.log, execution.said
        return found

    def _run_file(self, path: str, found: FileResult, execution: Execution, result: RunResult) -> None:
        item: Any = self.opener(path)
        try:
            if self.store is not None:
                ensure_free(item.source.path)
            execution.root = item
            self._execute(execution)
            patch = item.patch()
            found.changes, found.notes = item.changes, item.notes
            if patch is None:
                return
            found.state = CHANGED
            if self.store is not None:
                self._save(item, patch, found, execution, result)
        finally:
            item.close()

    def _execute(self, execution: Execution) -> None:
        frame: list[Any] = [None] * self.program.slots
        frame[0] = execution
        for slot, answer in self.answers.items():
            frame[slot] = answer
        if execution.root is not None:
            frame[self.program.start_slot] = execution.root
        with decimal.localcontext(ARITHMETIC):
            self.body(frame)

    def _save(self, item: Any, patch: Patch, found: FileResult, execution: Execution, result: RunResult) -> None:
        assert self.store is not None
        if result.number is None:
            result.number = self.store.begin(self._record(result))
        record = {
            "file": item.source.path,
            "changes": [change.as_dict() for change in found.changes],
            "log": execution.log,
            "said": execution.said,
        }
        name = str(len(result.files) + 1)
        self.store.save(result.number, name, [Effect(item.source.path, patch, item.source.digest)], record)

    def _record(self, result: RunResult) -> dict[str, Any]:
        return {
            "title": self.program.title,
            "macro": self.program.text,
            "when": datetime.now().astimezone().isoformat(timespec="seconds"),
            "files": [
                {"file": os.path.abspath(each.path), "state": each.state, "problem": str(each.problem or "")}
                for each in result.files
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
        patch = item.patch()
        if patch is None:
            return None
        when = datetime.now().astimezone().isoformat(timespec="seconds")
        path = item.source.path
        number = store.begin({"title": title, "macro": "", "when": when, "files": []})
        record = {"file": path, "changes": [change.as_dict() for change in item.changes], "log": [], "said": []}
        store.save(number, "1", [Effect(path, patch, item.source.digest)], record)
        return number
