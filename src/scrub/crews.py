"""Who prepares the files of a run beside this process: processes of this machine, or any executor."""

from __future__ import annotations

import importlib
import os
import sys
from collections.abc import Callable, Mapping, Sequence
from concurrent.futures import Executor

from scrub.model.core.problem import BadCall
from scrub.runner.options import AUTO, RunOptions
from scrub.runner.spread import Crew
from scrub.runner.ticket import About

#: Workers of an executor that does not say how many it has.
_USUAL = 4
#: The most processes on a machine with few processors, and for each processor: more of them only wait.
_MOST, _MOST_EACH = 64, 8


def crew_for(options: RunOptions, about: About, modules: Sequence[str] = ()) -> Callable[[Mapping[str, str]], Crew]:
    """What starts those who prepare files, when it is called with the passwords that they need. `modules` open the
    files. Raises `BadCall`.
    """
    ensure_jobs(options.jobs)
    if options.executor is not None and not callable(getattr(options.executor, "submit", None)):
        kind = type(options.executor).__name__
        raise BadCall(f"a {kind} is not an executor: it has no submit(). Use one of concurrent.futures, or Dask's")

    def start(secrets: Mapping[str, str]) -> Crew:
        from scrub.worker import greet, prepare

        if options.executor is not None:
            workers = options.jobs if options.jobs > 1 else getattr(options.executor, "_max_workers", _USUAL)
            return Crew(options.executor, workers, greet, prepare, about)
        jobs = processors() if options.jobs == AUTO else options.jobs

        def renew() -> Executor:
            return _processes(jobs, secrets, modules)

        return Crew(renew(), jobs, greet, prepare, about, renew)

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
    """Processes of this machine. They are never forked from one that may have threads."""
    import multiprocessing

    from scrub.processes import Processes
    from scrub.worker import begin

    there = multiprocessing.get_all_start_methods()
    context = multiprocessing.get_context("forkserver" if "forkserver" in there else "spawn")
    if "forkserver" in there:
        context.set_forkserver_preload(["scrub.preloaded", *modules])
    return Processes(jobs, context, begin, (dict(secrets),))


def executor_named(name: str) -> Executor:
    """The executor that is called `package.module:name`, or what a function of that name gives. Raises `BadCall`."""
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
