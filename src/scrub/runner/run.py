"""Runs a program over files: each is opened, changed in memory, and committed on its own, all or nothing."""

from __future__ import annotations

import contextlib
import decimal
import os
import time
from collections.abc import Callable, Iterator, Mapping, Sequence
from datetime import datetime
from functools import partial
from typing import TYPE_CHECKING

import scrub.runner.statements  # noqa: F401 - marks the functions for statements
from scrub.language.program import Program
from scrub.model.core.declare import Item, Reach
from scrub.model.core.host import QuietHost
from scrub.model.core.offers import lacks, missing
from scrub.model.core.preferences import Preferences, preferring
from scrub.model.core.problem import BadCall, Failure, FileProblem, Refused, ScrubError, counted, listed, with_article
from scrub.model.core.progress import watched
from scrub.model.core.recorder import net_of
from scrub.model.core.sending import OutboundTask
from scrub.model.core.values import ARITHMETIC, Secret
from scrub.model.operations.mistaken import NOTED, REMEDIES
from scrub.model.vocabulary import Vocabulary
from scrub.runner.answers import Noting, answer_all
from scrub.runner.blocks import compile_block
from scrub.runner.compiling import Compiler, Run, StatementWrapper
from scrub.runner.continuation import Continuation
from scrub.runner.execution import BUDGET, Execution
from scrub.runner.explain import explained, not_foreseen
from scrub.runner.explain import told as explain
from scrub.runner.flat import flatten
from scrub.runner.holding import outdated, proof_of, size_of
from scrub.runner.opened import Opened, Opens
from scrub.runner.options import AUTO, RunOptions, patience
from scrub.runner.parallel import Lost, ParallelRun, WorkerPool
from scrub.runner.results import NOT_DONE, NOT_TRIED, FileResult, Interrupted, Prepared, RunResult, failed
from scrub.runner.run_record import RunRecorder
from scrub.runner.saver import Saver
from scrub.runner.sending import Sender
from scrub.runner.step import Stopped, Watch
from scrub.runner.stepping import Stepping
from scrub.runner.ticket import encode_answer, work_of
from scrub.store.access import noting_access
from scrub.store.errors import InUse, StoreError
from scrub.store.patch import Effect, claiming, forgetting, free_path, replacing
from scrub.store.store import Store

if TYPE_CHECKING:
    from scrub.runner.review import Prepares
    from scrub.runner.reviewing import Key, Proposal, Reviewing

#: Seconds of work after which it is known how long a file takes, and of what is left for which others are started.
_LOOKING, _WORTH_IT = 1.0, 3.0
#: Bytes of what was prepared that are kept until it is saved.
_KEPT = 64_000_000
#: The first changes of a file that are shown while it is worked on.
_FIRST = 20
#: Files of one run of which only what is needed is kept once they are done.
_MANY = 100


class _Group:
    """Files on which a program is run together: their results, and what is open of them."""

    def __init__(self, found: list[FileResult], execution: Execution) -> None:
        self.found = found
        self.execution = execution
        self.opened: list[Opened] = []
        self.at = found[0]  # the current one

    def failed(self, problem: ScrubError) -> None:
        """Notes why all of them failed, at the current one."""
        failed(self.found, self.at, problem)

    def made(self) -> tuple[list[Effect], list[OutboundTask]]:
        """What the files that the run made come to, and what they send."""
        execution = self.execution
        fresh = [
            replacing(effect) if effect.path in execution.replaced else effect
            for file, target in execution.made
            for effect in file.effects(target)
        ]
        return fresh, [task for file, _ in execution.made for task in file.sends]

    def close(self) -> None:
        """Closes all: some systems replace no file that is open."""
        execution = self.execution
        for file in (*self.opened, *execution.opened.values(), *(file for file, _ in execution.made)):
            file.close()


class Runner:
    """Runs one program. Without a store it is a preview: the same run, and nothing is written."""

    def __init__(
        self,
        program: Program,
        vocabulary: Vocabulary,
        opener: Opens,
        store: Store | None,
        options: RunOptions,
        reach: Reach = Reach.CHANGE,
        stored: Callable[[str], str | None] | None = None,
        preferences: Preferences | None = None,
        sender: Sender | None = None,
        saves: bool | None = None,
        pool: Callable[[Mapping[str, str]], WorkerPool] | None = None,
        path: str = "",
        former: Continuation | None = None,
    ) -> None:
        """`reach` is how far the person allows it to go, `stored` gives secrets that are kept, and `sender` sends;
        `saves` tells that another process saves what is prepared here, and `pool` starts those who prepare many files,
        who get passwords by what the macro asks for. `path` is that of the macro's file, beside which its own files
        are; `former` is what was of a run that is continued.
        """
        at = options.at
        if at is not None and not _selects(program):
            raise BadCall(f'"{program.title}" does not use the selection of --at. It would need the word: selection')
        self.at = at
        if program.reach > reach:
            raise Refused(f'"{program.title}" {Reach(program.reach).sentence}, which was not approved')
        self.program = program
        self.vocabulary = vocabulary
        self.opener = opener
        self.store = store
        self.saves = store is not None if saves is None else saves
        self.options = options
        self.host = options.host
        self.reach = reach
        self.budget = options.budget or BUDGET
        self.into = options.into or program.macro.into or None
        self.sender = sender
        self.preferences = preferences or Preferences()
        self.pool, self.path, self.former = pool, path, former
        self._wrapper: StatementWrapper | None = Stepping(Watch(options.stepper)) if options.stepper else None
        self._reviewing: Reviewing | None = None
        self._execution: Execution | None = None  # the current one
        #: What is prepared again before it is saved: its files, what proves that it is the same, the paths it takes.
        self._again_from: dict[int, tuple[Sequence[str], bytes, set[str]]] = {}
        self._seen = 0  # of its changes, how many were shown
        self._bodies: dict[int, Run] = {}
        self._body(program.on(next(iter(program.variants), "")))
        self.answers: list[object] = []
        #: Saves what is done, before a file in use is waited for.
        self.before_waiting: Callable[[], None] | None = None
        self.claims: set[str] = set()  # the paths at which this run makes files
        #: The answers that are not secret, as they were given.
        self.given = {name: answer for name, answer in options.answers.items() if not isinstance(answer, Secret)}
        asking = Noting(options.host, self.given)
        self._ask = partial(answer_all, program.questions, options.answers, asking, stored)

    def run(self, paths: Sequence[str]) -> RunResult:
        """Runs the program on each file, on all of them at once, or once with none: as its header says. After the first
        file that fails, where that ends the run, the others are listed as not tried.
        """
        with preferring(self.preferences), claiming(self.claims):
            if not paths or any(map(self._can_be_opened, paths)):  # nobody is asked for files that are not there
                self.answers = list(self._ask())
            return self._run(paths)

    def _can_be_opened(self, path: str) -> bool:
        return self.opener.exists(path, self.program.macro.runs_on)

    def _run(self, paths: Sequence[str]) -> RunResult:
        result = RunResult(self.program.title, self.store is None)
        result.only_reads = self.program.reach == Reach.READ
        if self.store is not None:
            result.recovered = self.store.recover()
        every = list(_distinct(paths))
        record = RunRecorder(self.program, result, every, self._again(), self.former)
        saver = Saver(result, self.store, self.sender, self._report(len(every)), record.as_dict, self.options.stop)
        self.before_waiting = saver.flush
        if self.former is not None:
            result.number, saver.first = self.former.number, self.former.next

        def work() -> None:
            if "nothing" in self.program.macro.runs_on and not paths:
                saver.take(self.prepare([]))
            elif self.program.macro.for_all:
                saver.take(self.prepare(every))
            else:
                self._many(every, saver)

        self._to_the_end(work, every, saver, record)
        return result

    def _to_the_end(self, work: Callable[[], None], every: Sequence[str], saver: Saver, record: RunRecorder) -> None:
        """Does the work of a run and keeps its record, also where it ends early."""
        result = saver.result
        interrupted = False
        try:
            work()
        except Lost as lost:
            result.ended = str(lost)
        except KeyboardInterrupt:
            result.ended, interrupted = "stopped", True
        finally:
            saver.flush()
        if result.ended:
            done = {file.path for file in result.files}
            result.files += [_not_done(path) for path in every if path not in done]
        self.host.progress(len(every) or 1, len(every) or 1, "")
        if self.sender is not None:
            self.sender.close()
        logged = any(file.log or file.said for file in result.files)
        if self.store is not None and (every or logged or result.number is not None):
            self._keep_record(result, record)
        if interrupted:
            raise Interrupted(result)

    def hold(self, paths: Sequence[str]) -> list[Prepared]:
        """Prepares the run and keeps it in memory, to be shown and then saved as it is."""
        with preferring(self.preferences), claiming(self.claims):
            if not paths or any(map(self._can_be_opened, paths)):
                self.answers = list(self._ask())
            groups = self.groups(paths)
            held: list[Prepared] = []
            kept = 0
            watching = bool(getattr(self.host, "watching", False))
            for number, group in enumerate(groups):
                name = os.path.basename(group[0]) if group else ""
                self.host.progress(number, len(groups), name)
                self._seen = 0
                before = set(self.claims)
                with watched(partial(self._tell, number, len(groups), name) if watching else None):
                    prepared = self.prepare(group)
                kept += size_of(prepared)
                if kept > _KEPT and prepared.effects:
                    self._let_go(prepared, group, self.claims - before)
                held.append(prepared)
            self.host.progress(len(groups), len(groups), "")
        return held

    def _let_go(self, prepared: Prepared, group: Sequence[str], claimed: set[str]) -> None:
        """Keeps only what is shown of a file: all of it would not fit into memory. It is prepared again to be saved."""
        self._again_from[id(prepared)] = (group, proof_of(prepared), claimed)
        for file in prepared.files:
            file.effects = []

    def _prepared_again(self, prepared: Prepared) -> Prepared:
        """What was prepared, with all that its commit needs. Where it is not the same any more, it fails."""
        group, proof, claimed = self._again_from.pop(id(prepared), ((), b"", set()))
        if not group:
            return prepared
        self.claims -= claimed
        again = self.prepare(group)
        if proof_of(again) == proof:
            return again
        outdated(prepared, "it was changed since")
        return prepared

    def groups(self, paths: Sequence[str]) -> list[list[str]]:
        """The files that the macro works on together: all, or each alone."""
        every = list(_distinct(paths))
        return [every] if self.program.macro.for_all or not every else [[path] for path in every]

    def reviewed(self) -> Prepares:
        """What prepares files without the steps that somebody refuses. The questions of the macro are asked once."""
        from scrub.runner.reviewing import Reviewing

        if self.program.function is not None:
            raise BadCall(f'"{self.program.title}" is a Python function; only macros can be reviewed')
        self._wrapper = self._reviewing = reviewing = Reviewing()
        self._bodies.clear()
        claimed: dict[tuple[str, ...], set[str]] = {}

        def prepare(group: Sequence[str], refused: frozenset[Key]) -> tuple[Prepared, list[Proposal]]:
            with preferring(self.preferences), claiming(self.claims):
                if not self.answers and (not group or any(map(self._can_be_opened, group))):
                    self.answers = list(self._ask())
                self.claims -= claimed.get(tuple(group), set())  # it makes its files again
                before = set(self.claims)
                reviewing.begin(refused)
                prepared = self.prepare(group)
                claimed[tuple(group)] = self.claims - before
            return prepared, reviewing.proposals

        return prepare

    def commit(self, held: Sequence[Prepared]) -> RunResult:
        """Saves what was prepared before."""
        assert self.store is not None
        every = [file.path for prepared in held for file in prepared.files if file.path]
        result = RunResult(self.program.title, False)
        with preferring(self.preferences), claiming(self.claims):
            result.recovered = self.store.recover()
            record = RunRecorder(self.program, result, every, self._again(), None)
            saver = Saver(result, self.store, self.sender, self._report(len(every)), record.as_dict, self.options.stop)

            def work() -> None:
                for prepared in map(self._prepared_again, held):
                    if saver.changed.concern(prepared, 0):
                        saver.flush()
                        outdated(prepared)
                    saver.take(prepared)

            self._to_the_end(work, every, saver, record)
        return result

    def _again(self) -> dict[str, object]:
        """What the run is continued with."""
        return {
            "path": os.path.abspath(self.path) if self.path else "",
            "answers": dict(self._kept_answers()),
            "into": self.options.into,
            "at": self.options.at,
            **({"watched": self.options.watched} if self.options.watched else {}),
        }

    def _kept_answers(self) -> Iterator[tuple[str, object]]:
        """The answers that can be written down; others are asked for again."""
        for name, answer in self.given.items():
            with contextlib.suppress(BadCall):
                yield name, encode_answer(name, answer)

    def _report(self, files: int) -> Callable[[FileResult], None]:
        """What is told of each file that is done; of very many, only what is needed is kept."""

        def report(found: FileResult) -> None:
            if self.options.report is not None:
                self.options.report(found)
            if files > _MANY:
                found.pack()
                found.effects, found.sends = [], []

        return report

    def _one_by_one(self, every: list[str], saver: Saver, first: int = 0, end: int | None = None) -> None:
        watching = bool(getattr(self.host, "watching", False))
        for index in range(first, len(every) if end is None else end):
            path = every[index]
            name = os.path.basename(path)
            self.host.progress(index, len(every), name)
            if saver.stopped:
                saver.take(self.not_tried(path))
                continue
            tell = partial(self._tell, index, len(every), name) if watching else None
            with watched(tell):
                saver.take(self.in_turn(path, saver))

    def _many(self, every: list[str], saver: Saver) -> None:
        """One by one, or with others; with `jobs` left to decide, once it is known that there is enough to do."""
        if self.pool is None or len(every) < 2:
            self._one_by_one(every, saver)
            return
        first = 0
        if self.options.jobs == AUTO:
            began = time.monotonic()
            while first < len(every) and time.monotonic() - began < _LOOKING:
                self._one_by_one(every, saver, first, first + 1)
                first += 1
            if (time.monotonic() - began) / max(1, first) * (len(every) - first) < _WORTH_IT:
                self._one_by_one(every, saver, first)
                return
        self._with_workers(every, first, saver)

    def _with_workers(self, every: list[str], first: int, saver: Saver) -> None:
        """Prepares the files from a number on with workers, which are started for that."""
        assert self.pool is not None
        secrets = {
            question.prompt: answer.reveal()
            for question, answer in zip(self.program.questions, self.answers, strict=True)
            if isinstance(answer, Secret)
        }
        pool = self.pool(secrets)
        try:
            left = every[first:]

            def tell(done: int) -> None:
                self.host.progress(first + done, len(every), os.path.basename(left[min(done, len(left) - 1)]))

            tell(0)
            work = work_of(self.program, self.options, int(self.reach), self.given, self.saves, left[0], pool.about)
            parallel = ParallelRun(self, saver, pool, work, tell)
            if not pool.is_own:
                parallel.handshake()
            parallel.run(left)
        except BaseException:
            pool.close(at_once=True)
            raise
        pool.close(at_once=saver.stopped)

    def in_turn(self, path: str, saver: Saver) -> Prepared:
        """One file, prepared while others wait to be saved; where it needs what these change, after them."""
        forget, told = forgetting(), not saver.waits
        prepared = self.prepare([path], told)
        if told:
            return prepared
        if saver.changed.concern(prepared, saver.since):
            forget()
            saver.flush()
            return self.prepare([path])
        self.tell(prepared)
        return prepared

    def tell(self, prepared: Prepared) -> None:
        """Tells the host what a macro said where it was not told at once."""
        for text in prepared.said:
            self.host.say(text)
        for text in prepared.log:
            self.host.log(text)

    @staticmethod
    def not_tried(path: str, problem: ScrubError | None = None) -> Prepared:
        """What comes of a file that is not worked on, or could not be."""
        found = FileResult(path)
        found.state = NOT_TRIED
        if problem is not None:
            failed([found], found, problem)
        return Prepared([found], [], [])

    def _tell(self, done: int, of: int, name: str, label: str, share: float) -> None:
        """Tells how far one file has come, and what its first changes are."""
        if self.options.glimpse is not None and self._execution is not None and self._execution.roots:
            first = self._execution.roots[0]
            made = first.recorder.since()[:_FIRST]
            if len(made) > self._seen:
                self._seen = len(made)
                self.options.glimpse(first.shown, net_of(made))
        self.host.progress(done + share, of, f"{name}: {label}" if label and label != name else name)

    def prepare(self, paths: Sequence[str], told: bool = True) -> Prepared:
        """One execution in memory: nothing is written, and what comes of it can go to another process. `told` says
        whether the host is told at once of what the macro says.
        """
        with noting_access() as looked, claiming(self.claims):
            return self._prepare(paths, told)._replace(looked=frozenset(looked))

    def prepare_alone(self, path: str) -> Prepared:
        """The same for one file of a run that goes on in another process: what other files take is known there."""
        self.claims.clear()
        with preferring(self.preferences):
            if not self.answers:
                self.answers = list(self._ask())
            return self.prepare([path])

    def _prepare(self, paths: Sequence[str], told: bool) -> Prepared:
        results = [FileResult(path) for path in paths] or [FileResult("")]
        forget = forgetting()
        execution = Execution(self.host if told else QuietHost(), self.reach, self.budget)
        execution.at, execution.opener = self.options.at, self.opener
        self._execution = execution
        group = _Group(results, execution)
        busy = False
        try:
            self._do(group, bool(paths))
        except ScrubError as problem:
            group.failed(problem)
        except (StoreError, OSError, MemoryError) as error:
            busy = isinstance(error, InUse)
            group.failed(explain(error, group.at.path))
        except Exception as error:  # whatever is wrong with one file, the others are not held back
            if os.environ.get("SCRUB_TRACEBACK"):
                raise
            group.failed(not_foreseen(error, group.at.path))
        finally:
            group.close()
            self._execution = None  # which keeps all that was open
        if any(result.problem is not None for result in results):
            forget()
        results[0].log, results[0].said = execution.log, execution.said
        results[0].left = execution.remarks
        results[0].notes += _unequal(execution)
        return Prepared(results, execution.log, execution.said, busy=busy)

    def _do(self, group: _Group, on_files: bool) -> None:
        """Opens the files of a group, runs the program on them, and takes what comes of that."""
        found, execution, opened = group.found, group.execution, group.opened
        beside: set[str] = set()
        for each in found if on_files else ():
            group.at = each
            opened.append(self._opened(each, beside))
        group.at = found[0]
        execution.roots = opened
        program = self.program.on(opened[0].item.kind_word) if opened else self.program
        for each, file in zip(found, opened, strict=False):
            group.at = each
            ensure_kept(program, file, self.vocabulary)
        group.at = found[0]
        token = NOTED.set(execution.unlike)
        try:
            self._execute(execution, program)
        finally:
            NOTED.reset(token)
        group.at = found[0]
        fresh, leaving = group.made()
        for each, file in zip(found, opened, strict=False):
            group.at = each
            each.take(file, [*fresh, *self._effects(file, each.address in beside)], leaving, self.into is not None)
            if each.address in beside and each.made:
                each.saved_as = each.made[0]
            fresh, leaving = [], []

    def _opened(self, found: FileResult, beside: set[str]) -> Opened:
        """The file of a result, open; noted in `beside` if it is in use, so that its result is saved beside it. One
        that was waited for is opened again, since the program that had it may have saved it.
        """
        until: float | None = None
        while True:
            file = self.opener.open(found.path, self.program.macro.runs_on)
            try:
                found.address = file.address
                self._ensure_fitting(file.item, found.path)
                busy = _busy(file) if self.saves and self.into is None else None
                if busy is None:
                    return file
                if until is None:
                    choice = self._choice(file, busy)
                    if choice == "copy":
                        beside.add(found.address)
                        return file
                    until = time.monotonic() + patience(choice)
                if time.monotonic() >= until:
                    raise busy
            except BaseException:
                file.close()
                raise
            file.close()
            if self.before_waiting is not None:
                self.before_waiting()
            _wait(file, until)

    def _ensure_fitting(self, item: Item, path: str) -> None:
        """Raises `FileProblem` for a file of another kind than the macro runs on."""
        runs_on = self.program.macro.runs_on
        if item.kind_word not in runs_on:
            kinds = listed([f"a {word}" for word in runs_on], "or")
            raise FileProblem(path, f'this is a {item.kind_word}, and "{self.program.title}" runs on {kinds}')

    def _choice(self, file: Opened, busy: InUse) -> str | float:
        """What is to be done about a file that is in use."""
        choice = self.options.in_use
        return choice(file.shown, busy.what) if callable(choice) else choice

    def _effects(self, file: Opened, busy: bool) -> list[Effect]:
        """What saving a file comes to: a change of the file itself, or a new one in the folder for results."""
        if self.into is None and not (busy and file.changes):
            return file.effects()
        folder = os.path.normpath(os.path.join(os.path.dirname(file.address), os.path.expanduser(self.into or ".")))
        return file.effects(free_path(os.path.join(folder, os.path.basename(file.address))))

    def _body(self, program: Program) -> Run:
        """The closure of a program, made once."""
        if program.function is not None:
            return program.function
        body = self._bodies.get(id(program))
        if body is None:
            compiler = Compiler(program, self.vocabulary, flatten, self._wrapper)
            body = self._bodies[id(program)] = compile_block(compiler, program.macro.body)
        return body

    def _execute(self, execution: Execution, program: Program) -> None:
        body = self._body(program)
        frame: list[object] = [None] * program.slots
        frame[0] = execution
        for slot, answer in zip(program.question_slots, self.answers, strict=True):
            frame[slot] = answer
        if program.picked_slot >= 0:
            frame[program.picked_slot] = [file.item for file in execution.roots]
        elif execution.roots:
            frame[program.start_slot] = execution.roots[0].item
        if program.selection_slot >= 0:
            frame[program.selection_slot] = execution.selection()
        try:
            with decimal.localcontext(ARITHMETIC):
                body(frame)
        except Stopped:
            raise Failure("stopped. Nothing was saved") from None
        if self._reviewing is not None:
            self._reviewing.end(execution)

    def _keep_record(self, result: RunResult, record: RunRecorder) -> None:
        """Keeps what was run, also when it changed nothing or failed; a record that cannot be kept harms no file."""
        assert self.store is not None
        whole = record.as_dict()
        try:
            if result.number is None:
                result.number = self.store.begin(whole)
            else:
                self.store.update(result.number, whole)
            self.store.summarize(result.number, record.summary(whole))
        except (OSError, StoreError) as error:
            self.host.log(f"the history could not be written: {error}")


def _not_done(path: str) -> FileResult:
    found = FileResult(path)
    found.state = NOT_DONE
    return found


def _selects(program: Program) -> bool:
    if program.function is not None:  # only its run will tell
        return True
    return program.selection_slot >= 0 or any(_selects(inner) for inner in program.inner)


def ensure_kept(program: Program, file: Opened, vocabulary: Vocabulary) -> None:
    """Raises `Failure` when the macro changes what the format of the file cannot keep."""
    cls = type(file.file)
    root = vocabulary.kinds[file.item.kind_word]
    for kind, word, line in program.uses:
        if root.enters != root.holds and kind != root.word and vocabulary.path(root.word, kind) is None:
            continue  # it is of a file inside, of which is asked when that is at hand
        of = vocabulary.kinds[kind]
        action = of.actions.get(word)
        if action is None or action.of_item:
            left_out = lacks(cls, of.cls, action.function.__name__ if action else of.fields[word].python)
        else:
            left_out = missing(cls, action.function)
        if left_out:
            said = file.file.lacking(f'"{word}" of {with_article(kind)}')
            if action is not None and "arrange_rows" in getattr(action.function, "scrub_needs", ()):
                said = f"{file.file.label}: rows of its tables cannot be added, deleted or moved"
            failure = Failure(said)
            failure.title, failure.line = program.title, line
            raise failure
    for inner in program.inner:
        ensure_kept(inner, file, vocabulary)


def _unequal(execution: Execution) -> Iterator[str]:
    """What was compared in vain, because the two values were of different types."""
    for (what, heading), (times, where) in execution.unequal.items():
        place = (f' under "{heading}"' if heading else "") + (f" (first {where})" if where else "")
        yield f"{counted(times, 'comparison')} of {what}{place}: never equal. {REMEDIES[what]}."


def _distinct(paths: Sequence[str]) -> Iterator[str]:
    """Each file once, by whatever name and link it was given."""
    seen: set[str] = set()
    for path in paths:
        real = os.path.realpath(path)
        if real not in seen:
            seen.add(real)
            yield path


def save_opened(store: Store, file: Opened, title: str) -> int | None:
    """Commits what was done to an opened file from Python, as a run of its own; None when nothing was."""
    with explained():
        effects = file.effects()
        if not effects:
            return None
        file.close()  # some systems replace no file that is open
        result = FileResult(file.address)
        result.changes, result.effects = file.changes, effects
        when = datetime.now().astimezone().isoformat(timespec="seconds")
        number = store.begin({"title": title, "macro": "", "when": when, "files": []})
        store.save(number, "1", effects, Prepared([result], [], []).record())
        return number


def _wait(file: Opened, until: float) -> None:
    """Waits as long as a file is in use, but not beyond a moment."""
    with contextlib.suppress(FileNotFoundError):  # a program that saves it may remove it first
        while _busy(file) is not None and (left := until - time.monotonic()) > 0:
            time.sleep(min(0.5, left))
        return
    time.sleep(0.5)


def _busy(file: Opened) -> InUse | None:
    """Why a file cannot be changed as long as another program has it open; None if it can."""
    try:
        file.ensure_free()
    except InUse as busy:
        return busy
    return None
