"""What a worker gets: the macro with all that it runs, the answers, how far it may go, and the files."""

from __future__ import annotations

import os
from collections.abc import Callable, Mapping, Sequence
from datetime import date, datetime
from decimal import Decimal
from typing import Any

from scrub.language.program import Program
from scrub.model.core.named import NamedTuple
from scrub.model.core.problem import BadCall
from scrub.model.core.values import fold
from scrub.runner.options import RunOptions
from scrub.runner.packets import packet, unpacked
from scrub.store.disk import Disk

#: The most bytes of a file that is sent to workers that do not see it.
MOST_SENT = 64_000_000


class Work(NamedTuple):
    """What all files of a run have in common, as a worker needs it."""

    version: str
    #: The hash of all that a macro can name, and the modules in which actions of one's own are declared.
    vocabulary: str
    modules: Sequence[str]
    #: The macro and what problems call it by; those that it runs by their titles; and the files that belong to each.
    text: str
    name: str
    inner: Mapping[str, Sequence[Any]]
    files: Mapping[str, str]
    #: The hashes of these files, by their paths.
    hashes: Mapping[str, str]
    #: Answers that are not secret, and the prompts of those that are.
    answers: Mapping[str, object]
    secrets: Sequence[str]
    settings: Mapping[str, object]
    reach: int
    budget: int | None
    into: str | None
    at: str | None
    saves: bool
    folder: str
    #: A file by which a worker finds out whether it sees the files, and its hash.
    sample: str
    sample_hash: str


class About(NamedTuple):
    """What this process is: those who work with it must be alike."""

    version: str
    vocabulary: str
    modules: Sequence[str]
    settings: Mapping[str, object]


def work_of(
    program: Program,
    options: RunOptions,
    reach: int,
    answers: Mapping[str, object],
    saves: bool,
    sample: str,
    about: About,
) -> Work:
    """What workers need for a run; `answers` are those that are not secret. Raises `BadCall` for one that cannot go."""
    own = {path for each in program.every for path in each.own_files.values()}
    return Work(
        about.version,
        about.vocabulary,
        about.modules,
        program.text,
        program.macro.name,
        {fold(each.title): [each.text, each.macro.name, dict(each.own_files)] for each in program.every[1:]},
        dict(program.own_files),
        {path: digest_at(path) or "" for path in sorted(own)},
        {name: encode_answer(name, answer) for name, answer in answers.items()},
        [question.prompt for question in program.questions if question.secret],
        about.settings,
        reach,
        options.budget,
        options.into,
        options.at,
        saves,
        os.getcwd(),
        sample,
        digest_at(sample) or "",
    )


def digest_at(path: str) -> str | None:
    """The hash of a file, a word for a folder, or None for what cannot be read."""
    if os.path.isdir(path):
        return "folder"
    try:
        return Disk().digest(path)
    except OSError:
        return None


class Ticket(NamedTuple):
    """The work, the files of one task, and the bytes of those that the worker does not see."""

    work: Work
    paths: Sequence[str]
    sent: Mapping[str, bytes]


def dump(ticket: Ticket) -> bytes:
    """A ticket as bytes."""
    work = dict(zip(Work._fields, ticket.work, strict=True))
    head = {"work": work, "paths": list(ticket.paths), "sent": list(ticket.sent)}
    return packet(head, list(ticket.sent.values()))


def load(data: bytes) -> Ticket:
    """A ticket from bytes. Raises `ValueError`, `KeyError` or `TypeError` for what is none."""
    head, blobs = unpacked(data)
    return Ticket(Work(**head["work"]), head["paths"], dict(zip(head["sent"], blobs, strict=True)))


def encode_answer(name: str, answer: object) -> object:
    """An answer in JSON. Raises `BadCall` for one that only this process knows."""
    if isinstance(answer, str):
        return str(answer)
    if answer is None or isinstance(answer, bool):
        return answer
    if isinstance(answer, int | float | Decimal):
        return {"number": str(answer)}
    if isinstance(answer, datetime):
        return {"time": answer.isoformat()}
    if isinstance(answer, date):
        return {"date": answer.isoformat()}
    if isinstance(answer, list | tuple):
        return {"list": [encode_answer(name, each) for each in answer]}
    raise BadCall(
        f'the answer for "{name}" is a {type(answer).__name__}, which cannot be kept or sent to another process'
    )


def decode_answer(answer: Any) -> object:
    """An answer from JSON."""
    if not isinstance(answer, dict):
        return answer
    ((kind, value),) = answer.items()
    if kind == "list":
        return [decode_answer(each) for each in value]
    return _DECODERS[kind](value)


_DECODERS: dict[str, Callable[[str], object]] = {
    "number": Decimal,
    "time": datetime.fromisoformat,
    "date": date.fromisoformat,
}
