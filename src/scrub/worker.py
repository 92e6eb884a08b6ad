"""The side of a worker: another process, perhaps on another machine, that prepares files and writes nothing.

`prepare` and `greet` take bytes and give bytes, so that any `concurrent.futures.Executor` can run them.
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

#: Passwords by what a macro asks for, as this process got them when it was started; never from a ticket.
_secrets: dict[str, str] = {}
#: What was compiled here, of each thread.
_here = threading.local()


def begin(secrets: Mapping[str, str]) -> None:
    """Starts a worker process of this machine: it gets passwords by the pipe it was started with, and a key that ends
    the run at the terminal is for the process that started it.
    """
    import signal

    signal.signal(signal.SIGINT, signal.SIG_IGN)
    _secrets.update(secrets)


def greet(data: bytes) -> bytes:
    """Tells whether this worker can take part: its version and vocabulary, which secrets it lacks, and what it sees."""
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
    from scrub.runner.carried import dump
    from scrub.runner.ticket import load

    ticket = load(data)
    _ensure_folder(ticket.work.folder)
    with sending(ticket.sent):
        runner = _runner(ticket.work)
        return dump([runner.prepare_alone(path) for path in ticket.paths])


def _ensure_folder(folder: str) -> None:
    """Relative paths mean what they mean where the run was started, if that folder is here."""
    if os.path.isdir(folder) and os.getcwd() != folder:
        os.chdir(folder)


def _vocabulary(work: Work) -> Vocabulary:
    for module in work.modules:
        importlib.import_module(module)
    return vocabulary(formats())


def _runner(work: Work) -> Runner:
    """What runs the macro of a ticket, compiled once."""
    from scrub.model.core.declare import Reach
    from scrub.runner.options import RunOptions
    from scrub.runner.run import Runner
    from scrub.runner.ticket import heard

    known: tuple[Work, Runner] | None = getattr(_here, "runner", None)
    if known is not None and known[0] == work:
        return known[1]
    words = _vocabulary(work)
    program = _program(work, work.text, work.name, work.files, words, {})
    answers: dict[str, Any] = {name: heard(answer) for name, answer in work.answers.items()}
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
