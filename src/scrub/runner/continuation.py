"""A run that is continued: the files that it has saved are done, the others are left."""

from __future__ import annotations

import os
from collections.abc import Mapping, Sequence
from typing import Any

from scrub.model.core.changes import Changes
from scrub.model.core.named import NamedTuple
from scrub.model.core.problem import BadCall
from scrub.runner.results import FAILED, NOT_DONE, NOT_TRIED
from scrub.runner.ticket import decode_answer
from scrub.store.store import DONE, KeptRun


class Continuation(NamedTuple):
    """What was, of a run that goes on."""

    number: int
    when: str
    #: The macro's text, and the path of its file, beside which its own files are.
    text: str
    path: str
    answers: Mapping[str, object]
    into: str | None
    at: str | None
    #: What was kept of each of its files.
    files: Sequence[Mapping[str, Any]]
    #: The files that are not done.
    left: Sequence[str]
    #: The name of its next commit, and how many changes it has made so far.
    next: int
    changes: int


def continuation_of(kept: KeptRun) -> Continuation:
    """The rest of a run. Raises `BadCall` where nothing is, or where it cannot be continued."""
    record = kept.record
    try:
        files = [dict(file) for file in record["files"]]
        paths = {os.path.realpath(str(file["file"])): file for file in files if file["file"]}
        answers = {str(name): decode_answer(answer) for name, answer in record["answers"].items()}
        text, path, into, at = str(record["macro"]), str(record["path"]), record["into"], record["at"]
    except (KeyError, TypeError, AttributeError, ValueError):
        raise BadCall(
            f"run {kept.number} cannot be continued: its record is damaged, or of an earlier version"
        ) from None
    done: set[str] = set()
    last = changes = 0
    for commit in kept.each_commit():
        last = max(last, int(commit.name))
        if commit.state != DONE:
            raise BadCall(f"run {kept.number} was undone. Run the macro on the files again")
        done.update(str(file.get("file", "")) for file in commit.record.get("files", ()))
        changes += sum(Changes.count_of(file["changes"]) for file in commit.record.get("files", ()))
    open_states = (FAILED, NOT_TRIED, NOT_DONE)
    left = [
        str(file["file"]) for address, file in paths.items() if address not in done and file["state"] in open_states
    ]
    for address in done & paths.keys():
        paths[address] |= {"state": "changed", "problem": ""}
    if not left:
        raise BadCall(f"all files of run {kept.number} are done")
    return Continuation(
        kept.number, str(record.get("when", "")), text, path, answers, into, at, files, left, last + 1, changes
    )  # fmt: skip
