"""A run over very many files: workers prepare them in advance, and this process saves and reports them in order.

Preparing a file has no effects, so it can be repeated. A result of a worker counts only if this run has changed nothing
in the meantime that the file depends on; otherwise this process prepares the file again, when all before it are saved.
"""

from __future__ import annotations

import contextlib
import os
from collections import deque
from collections.abc import Callable, Iterator, Sequence
from typing import TYPE_CHECKING, Any, Protocol, runtime_checkable

from scrub.model.core.problem import BadCall, FileProblem, ScrubError, listed
from scrub.runner.options import RunOptions
from scrub.runner.packets import unpacked
from scrub.runner.results import Prepared
from scrub.runner.saver import Saver
from scrub.runner.serialization import load
from scrub.runner.ticket import MOST_SENT, About, Ticket, Work, dump
from scrub.store.patch import claim, is_claimed

if TYPE_CHECKING:
    from concurrent.futures import Executor, Future

#: Files of one task, and bytes of files after which a task is full.
_FILES, _BYTES = 8, 32_000_000
#: Tasks that are on the way for each worker, so that none waits for the next one.
_AHEAD = 2
#: Seconds in which a worker answers the first question; a cluster may have to start some.
_PATIENCE = 120.0

#: What a worker does: bytes to bytes.
Call = Callable[[bytes], bytes]


@runtime_checkable
class Ends(Protocol):
    """An executor that can be ended while it works."""

    def end(self) -> None:
        """Ends it at once."""


class Prepares(Protocol):
    """This process, where it prepares files itself."""

    options: RunOptions

    def in_turn(self, path: str, saver: Saver) -> Prepared:
        """A file, prepared when all before it are."""

    def not_tried(self, path: str, problem: ScrubError | None = None) -> Prepared:
        """What comes of a file that is not worked on, or could not be."""

    def tell(self, prepared: Prepared) -> None:
        """Tells the host what a macro said elsewhere."""


class Lost(ScrubError):
    """The workers cannot be reached. What is saved stays saved."""


class WorkerPool:
    """Workers that prepare files: an executor, the number of workers, and a way to restart a broken pool."""

    def __init__(
        self,
        executor: Executor,
        workers: int,
        handshake: Call,
        prepare: Call,
        about: About,
        renew: Callable[[], Executor] | None = None,
    ) -> None:
        """`about` is what workers must have in common with this process; `renew` is None for a caller's executor."""
        self.about = about
        self.executor, self.workers = executor, workers
        self.handshake, self.prepare, self._renew = handshake, prepare, renew

    @property
    def is_own(self) -> bool:
        """Whether this process started the workers."""
        return self._renew is not None

    def call(self, what: Call, data: bytes) -> Future[bytes]:
        """Submits a call. Raises `Lost` if the executor does not take it."""
        from concurrent.futures import BrokenExecutor  # only a run with workers loads it

        try:
            return self.executor.submit(what, data)
        except BrokenExecutor as error:
            if self._renew is None:
                raise _lost(error) from None
            self.renew()
            return self.executor.submit(what, data)
        except Exception as error:
            raise _lost(error) from None

    def renew(self) -> None:
        """Replaces a broken pool of this process."""
        if self._renew is not None:
            self.executor.shutdown(wait=False, cancel_futures=True)
            self.executor = self._renew()

    def close(self, at_once: bool = False) -> None:
        """Shuts down a pool of this process; `at_once` does not wait for the current files."""
        if self._renew is None:
            return
        if at_once and isinstance(self.executor, Ends):
            self.executor.end()
        else:
            self.executor.shutdown(wait=True, cancel_futures=True)


class _Task:
    """Files that a worker prepares; `since` is the number of files that were saved when the task was submitted."""

    def __init__(self, paths: Sequence[str], future: Future[bytes] | None, since: int) -> None:
        self.paths, self.future, self.since = paths, future, since
        self.broken = False  # whether its pool broke


class ParallelRun:
    """Distributes the files of a run to the workers of a pool."""

    def __init__(
        self, runner: Prepares, saver: Saver, pool: WorkerPool, work: Work, tell: Callable[[int], None]
    ) -> None:
        """`tell` is called with the number of finished files."""
        self._runner, self._saver, self._pool, self._work, self._tell = runner, saver, pool, work, tell
        self._sends = False  # whether workers get the bytes of files
        self._done = 0

    def handshake(self) -> None:
        """Compares a worker with this process. Raises `BadCall` if they differ, and `Lost`. Processes that this one
        starts are compared only after a failure.
        """
        try:
            answer = self._pool.call(self._pool.handshake, dump(Ticket(self._work, (), {}))).result(_PATIENCE)
            told, _ = unpacked(answer)
        except ScrubError:
            raise
        except TimeoutError:
            raise Lost(f"no worker answered within {_PATIENCE:.0f} seconds") from None
        except (KeyboardInterrupt, SystemExit):
            raise
        except BaseException as error:
            raise _lost(error) from None
        self._ensure_alike(told)
        self._sends = not told["sees"]

    def _ensure_alike(self, told: dict[str, Any]) -> None:
        version = f"Scrub {told['version']} there, {self._work.version} here"
        if told["version"] != self._work.version:
            raise BadCall(f"the workers have another version: {version}. Install the same one on all machines")
        if told["problem"] or told["vocabulary"] != self._work.vocabulary:
            why = told["problem"] or "formats or actions of your own are missing there, or are others"
            raise BadCall(f"the workers know other words than this process: {why}")
        if told["lacks"]:
            from scrub.runner.answers import variable  # rarely needed

            names = listed([variable(prompt) for prompt in told["lacks"]])
            raise BadCall(f"the workers lack a password, which is never sent to them. Set there: {names}")
        if told["misses"]:
            raise BadCall(
                f"the workers do not see files that belong to the macro: {listed(told['misses'])}. "
                "Put them where all machines see them"
            )

    def run(self, every: Sequence[str]) -> None:
        """Prepares all files with the workers, and saves them in order. Raises `Lost` if the workers are gone; what is
        saved by then stays.
        """
        waiting = deque(self._tasks(every))
        flying: deque[_Task] = deque()
        try:
            while waiting or flying:
                # After a failure each file is submitted alone, to find the one that ends the process.
                while waiting and len(flying) < _AHEAD * self._pool.workers and not any(each.broken for each in flying):
                    flying.append(self._sent(waiting.popleft()))
                task = flying.popleft()
                for path, prepared in self._prepared(task, flying):
                    self._accept(path, prepared, task.since)
                if self._saver.stopped:
                    break
            for path in [path for paths in (*(task.paths for task in flying), *waiting) for path in paths]:
                self._saver.take(self._runner.not_tried(path))
        finally:
            for task in flying:
                if task.future is not None:
                    task.future.cancel()

    @staticmethod
    def _tasks(every: Sequence[str]) -> Iterator[list[str]]:
        """The files in groups, smaller ones for big files."""
        task: list[str] = []
        size = 0
        for path in every:
            task.append(path)
            with contextlib.suppress(OSError):  # a missing file is told when it is its turn
                size += os.path.getsize(path)
            if len(task) == _FILES or size >= _BYTES:
                yield task
                task, size = [], 0
        if task:
            yield task

    def _sent(self, paths: Sequence[str]) -> _Task:
        """Submits a task. Files that workers do not see are sent; those too large for that are left to this process."""
        sent: dict[str, bytes] = {}
        for path in paths if self._sends else ():
            try:
                if os.path.getsize(path) <= MOST_SENT:
                    with open(path, "rb") as stream:
                        sent[path] = stream.read()
            except OSError:
                break
        if self._sends and len(sent) < len(paths):
            return _Task(paths, None, self._saver.since)
        ticket = dump(Ticket(self._work, paths, sent))
        return _Task(paths, self._pool.call(self._pool.prepare, ticket), self._saver.since)

    def _prepared(self, task: _Task, flying: Sequence[_Task]) -> Iterator[tuple[str, Prepared | ScrubError | None]]:
        """The files of a task, each with its result, its problem, or None if this process is to prepare it."""
        if task.future is None:
            yield from ((path, None) for path in task.paths)
            return
        found = None if task.broken else self._together(task, flying)
        if found is not None:
            yield from zip(task.paths, found, strict=True)
            return
        for path in task.paths:
            yield path, None if self._saver.stopped else self._alone(path, task)

    def _together(self, task: _Task, flying: Sequence[_Task]) -> list[Prepared] | None:
        """The results of a task; None if each of its files must be tried alone. Raises `Lost`."""
        from concurrent.futures import BrokenExecutor

        assert task.future is not None
        try:
            return load(task.future.result())
        except BrokenExecutor:
            for other in flying:
                other.broken = True
            self._pool.renew()
        except (KeyboardInterrupt, SystemExit):
            raise
        except BaseException:
            self.handshake()  # raises `Lost` if the workers are gone
        return None

    def _alone(self, path: str, task: _Task) -> Prepared | ScrubError | None:
        """Submits one file again, and waits for its result; None for one that cannot be sent."""
        from concurrent.futures import BrokenExecutor

        again = self._sent([path])
        task.since = again.since
        if again.future is None:
            return None
        try:
            (found,) = load(again.future.result())
        except BrokenExecutor:
            self._pool.renew()
            why = "the process that worked on this file ended (out of memory, or stopped)"
        except (KeyboardInterrupt, SystemExit):
            raise
        except BaseException as error:
            self.handshake()
            why = f"the worker failed ({type(error).__name__}: {error})"
        else:
            return found
        return FileProblem(path, f"{why}. The file is unchanged")

    def _accept(self, path: str, prepared: Prepared | ScrubError | None, since: int) -> None:
        runner, saver = self._runner, self._saver
        if saver.stopped:
            saver.take(runner.not_tried(path))
        elif isinstance(prepared, ScrubError):
            saver.take(runner.not_tried(path, prepared))
        elif prepared is None or self._must_be_done_again(path, prepared, since):
            saver.take(runner.in_turn(path, saver))
        else:
            for effect in prepared.effects:
                if effect.before is None:
                    claim(effect.path)
            runner.tell(prepared)
            saver.take(prepared)
        self._done += 1
        self._tell(self._done)

    def _must_be_done_again(self, path: str, prepared: Prepared, since: int) -> bool:
        """Whether this process must prepare a file again: the file depends on one that this run has changed, creates
        one whose name has been taken, is in use, or has another path for the worker.
        """
        (file,) = prepared.files
        if file.path != path or (file.problem is None and file.address != os.path.realpath(path)):
            return True
        if prepared.busy and self._runner.options.in_use != "stop":
            return True
        if self._sends and file.problem is not None:
            return True  # it may be about another file that is not there
        taken = any(effect.before is None and is_claimed(effect.path) for effect in prepared.effects)
        return taken or self._saver.changed.concern(prepared, since)


def _lost(error: BaseException) -> Lost:
    why = f"{type(error).__name__}: {error}" if str(error) else type(error).__name__
    return Lost(f"the workers cannot be reached any more ({why})")
