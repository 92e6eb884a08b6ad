"""Executors that are not kind: they delay, reorder, lose and repeat."""

from __future__ import annotations

import random
from collections.abc import Callable
from concurrent.futures import Executor, Future
from pathlib import Path
from typing import Any


class Eager(Executor):
    """Does everything as early as it can, in another order: tasks are done when the first result is asked for."""

    def __init__(self, seed: int = 0) -> None:
        self._draw = random.Random(seed)
        self._waiting: list[Callable[[], None]] = []
        self._max_workers = 50
        self.tasks = 0

    def submit(self, function: Any, /, *arguments: Any, **named: Any) -> Future[Any]:
        future: Future[Any] = _Asked(self.work)

        def do() -> None:
            if future.set_running_or_notify_cancel():
                self.tasks += 1
                try:
                    future.set_result(function(*arguments, **named))
                except Exception as error:
                    future.set_exception(error)

        self._waiting.append(do)
        return future

    def work(self) -> None:
        """Does all that waits."""
        waiting, self._waiting = self._waiting, []
        self._draw.shuffle(waiting)
        for each in waiting:
            each()


class _Asked(Future[Any]):
    """A future that is worked for when its result is asked for."""

    def __init__(self, work: Callable[[], None]) -> None:
        super().__init__()
        self._work = work

    def result(self, timeout: float | None = None) -> Any:
        self._work()
        return super().result(timeout)


class Unreliable(Eager):
    """Loses some tasks, and does some twice."""

    def __init__(self, seed: int, lost: float, twice: float) -> None:
        super().__init__(seed)
        self._lost, self._twice = lost, twice
        self.lost = self.twice = 0

    def submit(self, function: Any, /, *arguments: Any, **named: Any) -> Future[Any]:
        asks = function.__name__ == "handshake"

        def unreliable(*given: Any) -> Any:
            if not asks and self._draw.random() < self._lost:
                self.lost += 1
                raise ConnectionError("the worker went away")
            if self._draw.random() < self._twice:
                self.twice += 1
                function(*given)
            return function(*given)

        return super().submit(unreliable, *arguments, **named)


class Elsewhere(Executor):
    """Another machine: while it works, the folder is not there."""

    _max_workers = 2

    def __init__(self, folder: Path) -> None:
        self._folder = folder

    def submit(self, function: Any, /, *arguments: Any, **named: Any) -> Future[Any]:
        hidden = self._folder.with_name("hidden")
        future: Future[Any] = Future()
        self._folder.rename(hidden)
        try:
            future.set_result(function(*arguments, **named))
        except Exception as error:
            future.set_exception(error)
        finally:
            hidden.rename(self._folder)
        return future
