"""Functions for a worker: another process, possibly on another computer, that prepares files and writes nothing.

`prepare` and `handshake` take and return bytes, so that any `concurrent.futures.Executor` can run them.
"""

from __future__ import annotations

import importlib
import os
import threading
from collections.abc import Mapping
from typing import TYPE_CHECKING, Any

from scrub.assembled import formats, preferences_of, vocabulary
from scrub.version import VERSION

if TYPE_CHECKING:
    from scrub.language.program import Program
    from scrub.model.vocabulary import Vocabulary
    from scrub.runner.run import Runner
    from scrub.runner.ticket import Work

#: Passwords by their prompts, as this process got them when it started; they are never in a ticket.
_secrets: dict[str, str] = {}
#: The compiled macro of each thread.
_here = threading.local()


def initialize(secrets: Mapping[str, str]) -> None:
    """Initializes a process of this computer. It gets the passwords through the pipe that starts it, and leaves Ctrl+C
    to the process that started it.
    """
    import gc
    import signal

    gc.set_threshold(100_000, 50, 100)  # a run makes many small objects and no cycles
    signal.signal(signal.SIGINT, signal.SIG_IGN)
    _secrets.update(secrets)


def handshake(data: bytes) -> bytes:
    """Describes this worker: its version and vocabulary, the passwords that it lacks, and whether it sees the files."""
    from scrub.runner.packets import packet
    from scrub.runner.ticket import digest_at, load

    work = load(data).work
    _ensure_folder(work.folder)
    problem = ""
    words = ""
    try:
        words = _vocabulary(work).fingerprint
    except ImportError as error:
        problem = f"the module {error.name} with actions is missing there"
    return packet(
        {
            "version": VERSION,
            "vocabulary": words,
            "problem": problem,
            "lacks": [prompt for prompt in work.secrets if _secret(prompt) is None],
            "sees": (digest_at(work.sample) or "") == work.sample_hash,
            "misses": [path for path, digest in work.hashes.items() if (digest_at(path) or "") != digest],
        }
    )


def prepare(data: bytes) -> bytes:
    """Prepares the files of a ticket, one after the other."""
    from scrub.formats.source import sending
    from scrub.runner.serialization import dump
    from scrub.runner.ticket import load

    ticket = load(data)
    _ensure_folder(ticket.work.folder)
    with sending(ticket.sent):
        runner = _runner(ticket.work)
        return dump([runner.prepare_alone(path) for path in ticket.paths])


def _ensure_folder(folder: str) -> None:
    """Changes to the folder where the run was started, if it exists here: relative paths start there."""
    if os.path.isdir(folder) and os.getcwd() != folder:
        os.chdir(folder)


def _vocabulary(work: Work) -> Vocabulary:
    for module in work.modules:
        importlib.import_module(module)
    return vocabulary(formats())


def _runner(work: Work) -> Runner:
    """The runner of a ticket's macro, which is compiled once."""
    from scrub.model.core.declare import Reach
    from scrub.runner.options import RunOptions
    from scrub.runner.run import Runner
    from scrub.runner.ticket import decode_answer

    known: tuple[Work, Runner] | None = getattr(_here, "runner", None)
    if known is not None and known[0] == work:
        return known[1]
    words = _vocabulary(work)
    program = _program(work, work.text, work.name, work.files, words, {})
    answers: dict[str, Any] = {name: decode_answer(answer) for name, answer in work.answers.items()}
    options = RunOptions(answers=answers, budget=work.budget, into=work.into, at=work.at)
    runner = Runner(
        program, words, formats(), None, options, Reach(work.reach), stored=_secret,
        preferences=preferences_of(work.settings), saves=work.saves,
    )  # fmt: skip
    _here.runner = work, runner
    return runner


def _program(
    work: Work, text: str, name: str, files: Mapping[str, str], words: Vocabulary, known: dict[str, Program]
) -> Program:
    from scrub.language import checker
    from scrub.model.core.values import fold

    def resolve(title: str) -> Program:
        key = fold(title)
        if key not in known:
            inner, its_name, its_files = work.inner[key]
            known[key] = _program(work, inner, its_name, its_files, words, known)
        return known[key]

    return checker.program(text, name, words, resolve, files)


def _secret(prompt: str) -> str | None:
    from scrub.runner.answers import variable

    return _secrets.get(prompt) or os.environ.get(variable(prompt)) or None
