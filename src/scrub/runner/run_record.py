"""What the history keeps of a run as a whole: what it is continued by, and what is listed of it."""

from __future__ import annotations

import os
from collections.abc import Mapping, Sequence
from datetime import datetime
from typing import Any

from scrub.language.program import Program
from scrub.runner.continuation import Continuation
from scrub.runner.results import NOT_DONE, FileResult, RunResult

#: The names of files that the list of runs shows.
_NAMED = 3


class RunRecorder:
    """Writes down a run: before its first file is saved, and again at its end."""

    def __init__(
        self,
        program: Program,
        result: RunResult,
        every: Sequence[str],
        again: Mapping[str, object],
        former: Continuation | None = None,
    ) -> None:
        """`again` is what it is continued with, `former` what was of one that is continued."""
        self._program, self._result, self._every = program, result, every
        self._again, self._former = again, former
        self._when = former.when if former is not None else datetime.now().astimezone().isoformat(timespec="seconds")

    def as_dict(self) -> dict[str, object]:
        """The record as it is now; files that are not done so far are in it too."""
        done = self._result.files
        known = {file.path for file in done}
        own: list[Mapping[str, object]] = [
            *(_file(file) for file in done if file.path or file.log or file.said),
            *({"file": _whole(path), "state": NOT_DONE, "problem": ""} for path in self._every if path not in known),
        ]
        paths = {str(file["file"]) for file in own}
        before = self._former.files if self._former is not None else ()
        files = [*(file for file in before if file["file"] not in paths), *own]
        return {
            "title": self._program.title,
            "macro": self._program.text,
            "when": self._when,
            **self._again,
            "files": files,
        }

    def summary(self, record: Mapping[str, Any]) -> dict[str, object]:
        """What is listed of it when all files are done, or will not be; `record` is as `as_dict` gives it."""
        named = [file for file in record["files"] if file["file"]]
        changes = self._former.changes if self._former is not None else 0
        return {
            "title": record["title"],
            "when": record["when"],
            "files": len(named),
            "named": [file["file"] for file in named[:_NAMED]],
            "changes": changes + sum(file.change_count for file in self._result.files),
            "failed": sum(bool(file["problem"]) for file in named),
            "left": sum(file["state"] == NOT_DONE for file in named),
            "watched": self._again.get("watched", ""),
        }


def _file(file: FileResult) -> dict[str, object]:
    return {
        "file": _whole(file.path),
        "state": file.state,
        "problem": str(file.problem or ""),
        "log": file.log,
        "said": file.said,
        "sent": file.sent,
        "unsent": file.unsent,
    }


def _whole(path: str) -> str:
    return os.path.abspath(path) if path and "://" not in path else path
