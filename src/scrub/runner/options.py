"""How a run is to go: what `scrub.run` takes besides the macro and the files."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from types import MappingProxyType
from typing import TYPE_CHECKING

from scrub.model.core.host import Host, QuietHost
from scrub.model.core.named import NamedTuple
from scrub.runner.results import FileResult
from scrub.runner.step import Stepper

if TYPE_CHECKING:
    from concurrent.futures import Executor

#: What to do about a file that another program has open, "stop", "wait" or "copy"; or a function of its path and the
#: reason that says so.
InUseChoice = str | Callable[[str, str], str]


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
