"""How a run is to go: what `scrub.run` takes besides the macro and the files."""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping
from types import MappingProxyType
from typing import TYPE_CHECKING

from scrub.model.core.changes import Changes
from scrub.model.core.host import Host, QuietHost
from scrub.model.core.named import NamedTuple
from scrub.model.core.problem import BadCall
from scrub.runner.results import FileResult
from scrub.runner.step import Stepper

if TYPE_CHECKING:
    from concurrent.futures import Executor

#: What to do about a file that another program has open: "stop", "wait", "copy" or the most seconds to wait; or a
#: function of its path and the reason that says so.
InUseChoice = str | float | Callable[[str, str], str | float]


#: As the number of processes: others are started once it is known that there is enough to do.
AUTO = 0


class RunOptions(NamedTuple):
    """How a run is to go; see `scrub.run`."""

    #: Who is asked and told; without one, nobody is there.
    host: Host = QuietHost()
    #: An answer for each question by name.
    answers: Mapping[str, object] = MappingProxyType({})
    #: Whether nothing is written.
    preview: bool = False
    #: Whether the first file that fails ends the run.
    stop: bool = False
    #: How many statements loops may run on one file; None for the usual number.
    budget: int | None = None
    #: The folder for the results; None to change the files themselves.
    into: str | None = None
    in_use: InUseChoice = "stop"
    #: Who is shown each statement before it runs.
    stepper: Stepper | None = None
    #: What `selection` means.
    at: str | None = None
    #: How many processes prepare files; `AUTO` starts others once there is enough to do.
    jobs: int = 1
    #: Who prepares them, in place of processes of this machine.
    executor: Executor | None = None
    #: Is told of each file as it is done.
    report: Callable[[FileResult], None] | None = None
    #: The folder that is watched, where this run is on a file that arrived there.
    watched: str = ""
    #: Is shown the first changes of a file while it is still worked on: its path, and the changes so far.
    glimpse: Callable[[str, Changes], None] | None = None


def patience(choice: str | float) -> float:
    """How many seconds a file that is in use is waited for, by what is to be done about it: 0 for not at all,
    infinite for as long as it takes. Raises `BadCall` for what cannot be done.
    """
    if isinstance(choice, str):
        if choice not in ("stop", "wait", "copy"):
            raise BadCall(
                f'"{choice}" cannot be done about a file in use. Choose stop, wait, copy or a number of seconds'
            )
        return math.inf if choice == "wait" else 0
    if not choice >= 0:
        raise BadCall(f"{choice} is not a number of seconds to wait. Choose 0 or more")
    return choice
