"""Executors that prepare the files of a run: processes of this computer, or any other `concurrent.futures.Executor`."""

from __future__ import annotations

import importlib
import os
import sys
from collections.abc import Callable, Mapping, Sequence
from concurrent.futures import Executor

from scrub.model.core.problem import BadCall
from scrub.runner.options import AUTO, RunOptions
from scrub.runner.parallel import WorkerPool
from scrub.runner.ticket import About

#: Number of workers of an executor that does not tell it.
_USUAL = 4
#: Maximum number of processes on a computer with few processors, and per processor: more only wait.
_MOST, _MOST_EACH = 64, 8


#: Starts a pool, given the passwords that a macro asks for, by their prompts.
StartsPool = Callable[[Mapping[str, str]], WorkerPool]


def pool_for(options: RunOptions, about: About, modules: Sequence[str] = ()) -> StartsPool:
    """Returns what starts the pool of a run. `modules` are loaded in advance. Raises `BadCall`."""
    ensure_jobs(options.jobs)
    if options.executor is not None and not callable(getattr(options.executor, "submit", None)):
        kind = type(options.executor).__name__
        raise BadCall(f"a {kind} is not an executor: it has no submit(). Use one of concurrent.futures, or Dask's")

    def start(secrets: Mapping[str, str]) -> WorkerPool:
        from scrub.worker import handshake, prepare

        if options.executor is not None:
            workers = options.jobs if options.jobs > 1 else getattr(options.executor, "_max_workers", _USUAL)
            return WorkerPool(options.executor, workers, handshake, prepare, about)
        jobs = processors() if options.jobs == AUTO else options.jobs

        def renew() -> Executor:
            return _processes(jobs, secrets, modules)

        return WorkerPool(renew(), jobs, handshake, prepare, about, renew)

    return start


def ensure_jobs(jobs: int) -> None:
    """Raises `BadCall` for a number of processes that makes no sense here."""
    most = max(_MOST, _MOST_EACH * processors())
    if jobs != AUTO and not 1 <= jobs <= most:
        raise BadCall(f"{jobs:,} processes cannot be used here. Choose a number from 1 to {most}, or auto")


def processors() -> int:
    """How many processors this process may use."""
    if sys.platform == "linux":
        return len(os.sched_getaffinity(0))
    return os.cpu_count() or 1


def _processes(jobs: int, secrets: Mapping[str, str], modules: Sequence[str]) -> Executor:
    """Processes of this computer, never forked from a process that may have threads."""
    import multiprocessing

    from scrub.processes import Processes
    from scrub.worker import initialize

    there = multiprocessing.get_all_start_methods()
    context = multiprocessing.get_context("forkserver" if "forkserver" in there else "spawn")
    if "forkserver" in there:
        context.set_forkserver_preload(["scrub.preloaded", *modules])
    return Processes(jobs, context, initialize, (dict(secrets),))


def executor_named(name: str) -> Executor:
    """The executor named `package.module:name`, or the one that a function of this name returns. Raises `BadCall`."""
    module, mark, attribute = name.partition(":")
    if not mark or not module or not attribute:
        raise BadCall(f'"{name}" names no executor. Write: --executor package.module:name')
    if "" not in sys.path and os.getcwd() not in sys.path:
        sys.path.insert(0, os.getcwd())  # as Python does for a script of this folder
    try:
        found = getattr(importlib.import_module(module), attribute)
    except ImportError as error:
        raise BadCall(f"{name}: the module cannot be imported ({error})") from None
    except AttributeError:
        raise BadCall(f'{name}: the module has no "{attribute}"') from None
    if callable(getattr(found, "submit", None)) and not isinstance(found, type):
        return found  # type: ignore[no-any-return]
    if not callable(found):
        raise BadCall(f"{name}: this is neither an executor nor a function that gives one")
    try:
        made = found()
    except Exception as error:
        raise BadCall(f"{name}: no executor could be made ({type(error).__name__}: {error})") from None
    if not callable(getattr(made, "submit", None)):
        raise BadCall(f"{name}: the function gives a {type(made).__name__}, not an executor")
    return made  # type: ignore[no-any-return]
