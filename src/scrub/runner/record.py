"""What the history keeps of a run as a whole: what it is continued by, and what is listed of it."""

from __future__ import annotations

import os
from collections.abc import Sequence
from datetime import datetime

from scrub.language.program import Program
from scrub.runner.results import NOT_DONE, FileResult, RunResult

#: The names of files that the list of runs shows.
_NAMED = 3


class RunRecorder:
    """Writes down a run: before its first file is saved, and again at its end."""

    def __init__(self, program: Program, result: RunResult, every: Sequence[str]) -> None:
        self._program, self._result, self._every = program, result, every
        self._when = datetime.now().astimezone().isoformat(timespec="seconds")

    def whole(self) -> dict[str, object]:
        """The record as it is now; files that are not done so far are in it too."""
        done = self._result.files
        known = {file.path for file in done}
        return {
            "title": self._program.title,
            "macro": self._program.text,
            "when": self._when,
            "files": [
                *(_file(file) for file in done if file.path or file.log or file.said),
                *(
                    {"file": _whole(path), "state": NOT_DONE, "problem": ""}
                    for path in self._every
                    if path not in known
                ),
            ],
            **self._summary(),
        }

    def _summary(self) -> dict[str, object]:
        """What is listed of it; nothing before all files are done."""
        files = [file for file in self._result.files if file.path]
        if len(files) < len(self._every):
            return {}
        return {
            "summary": {
                "files": len(files),
                "named": [_whole(file.path) for file in files[:_NAMED]],
                "changes": sum(file.change_count for file in files),
                "failed": sum(file.problem is not None for file in files),
            }
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
