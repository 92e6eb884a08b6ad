"""Processes of this machine that know nothing of the script that started them."""

from __future__ import annotations

import sys
from collections.abc import Callable, Iterator
from concurrent.futures import Future, ProcessPoolExecutor
from contextlib import contextmanager
from types import ModuleType
from typing import ParamSpec, TypeVar

P = ParamSpec("P")
T = TypeVar("T")


class Processes(ProcessPoolExecutor):
    """A pool whose processes do not import the main module, as others do: a script that is not guarded against that
    would be run once more in each of them, and what it does first would be done again.
    """

    def submit(self, fn: Callable[P, T], /, *args: P.args, **kwargs: P.kwargs) -> Future[T]:
        """Gives one of them something to do; it may be started for that."""
        with _without_main():
            return super().submit(fn, *args, **kwargs)

    def end(self) -> None:
        """Ends all of them, whatever they work on: nothing that they do is kept anywhere."""
        processes = list((self._processes or {}).values())
        self.shutdown(wait=False, cancel_futures=True)
        for process in processes:
            process.terminate()


@contextmanager
def _without_main() -> Iterator[None]:
    """Inside the block, what is started finds an empty main module."""
    main = sys.modules["__main__"]
    sys.modules["__main__"] = ModuleType("__main__")
    try:
        yield
    finally:
        sys.modules["__main__"] = main
