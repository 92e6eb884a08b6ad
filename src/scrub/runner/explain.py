"""What the store and the system refuse, as a person reads it."""

from __future__ import annotations

import contextlib
import errno
import os
from collections.abc import Iterator

from scrub.model.core.problem import BadCall, FileProblem, Refused, ScrubError, bug_name
from scrub.store.errors import CannotRead, EditedSince, InUse, NoSuchRun, StoreError


def told(error: Exception, path: str = "") -> ScrubError:
    """The problem after an error; `path` is the file as the person wrote it, where that is known."""
    if isinstance(error, NoSuchRun):
        return BadCall(error.what)
    if isinstance(error, StoreError):
        name = path if path and not isinstance(error, CannotRead) and is_of(error, path) else error.path or path
        if isinstance(error, InUse | EditedSince):
            return Refused(f"{name}: {error.what}")
        return FileProblem(name, error.what)
    if isinstance(error, MemoryError):
        return FileProblem(path, "the file is too large for this computer's memory. Nothing was changed")
    if isinstance(error, OSError):
        what = "the disk is full" if error.errno == errno.ENOSPC else error.strerror or str(error)
        return FileProblem(path or str(error.filename or ""), f"the file could not be saved and is unchanged: {what}")
    raise error


def is_of(error: Exception, path: str) -> bool:
    """Whether the store refused a file because of that one, and not because of another that changes with it."""
    at = getattr(error, "path", "")
    return not at or at == path or ("://" not in at and os.path.realpath(at) == os.path.realpath(path))


def not_foreseen(error: Exception, path: str) -> FileProblem:
    """What is told where Scrub's own code fails at a file: it is that file's failure, and no other's, and a bug."""
    return FileProblem(
        path,
        (
            f"a bug in Scrub ({bug_name(error)}) stopped this file, which is unchanged. For a report that says "
            "where: set SCRUB_TRACEBACK=1 and run again"
        ),
    )


@contextlib.contextmanager
def explained() -> Iterator[None]:
    """Raises what the store and the system refuse as a problem that a person can read."""
    try:
        yield
    except (StoreError, OSError) as error:
        raise told(error) from error
