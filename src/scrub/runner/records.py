"""The history as a person reads it: runs, their files, and what was changed in each."""

from __future__ import annotations

from collections.abc import Mapping
from types import MappingProxyType
from typing import Any, NamedTuple

from scrub.model.change import Change
from scrub.store.store import UNDONE, KeptRun


class FileRecord(NamedTuple):
    """What one run did to one file. `undone` tells whether that was taken back."""

    path: str
    state: str
    undone: bool
    changes: tuple[Change, ...]
    log: tuple[str, ...]
    said: tuple[str, ...]
    problem: str
    made: tuple[str, ...] = ()
    headings: Mapping[str, Mapping[str, str]] = MappingProxyType({})


class RunRecord(NamedTuple):
    """One run: its number, the macro's title and text, when it was (ISO 8601), and its files."""

    number: int
    title: str
    macro: str
    when: str
    undone: bool
    files: tuple[FileRecord, ...]
    sent: tuple[str, ...] = ()
    unsent: tuple[str, ...] = ()

    def __repr__(self) -> str:
        return f"<RunRecord {self.number}: {self.title!r}, {self.when}, {len(self.files)} files>"

    @property
    def changes(self) -> int:
        """How many changes it made."""
        return sum(len(file.changes) for file in self.files)

    def as_dict(self) -> dict[str, Any]:
        """The run as JSON shows it."""
        return {
            "run": self.number,
            "title": self.title,
            "when": self.when,
            "undone": self.undone,
            "sent": list(self.sent),
            "unsent": list(self.unsent),
            "files": [
                {
                    "file": file.path,
                    "state": file.state,
                    "undone": file.undone,
                    "changes": [change.as_dict() for change in file.changes],
                    "log": list(file.log),
                    "said": list(file.said),
                    "made": list(file.made),
                    "problem": file.problem or None,
                }
                for file in self.files
            ],
        }


def read_record(kept: KeptRun) -> RunRecord:
    """A run as the store kept it."""
    saved = [
        FileRecord(
            file["file"],
            "changed",
            commit.state == UNDONE,
            tuple(Change.of(each) for each in file.get("changes", ())),
            tuple(commit.record.get("log", ())) if index == 0 else (),
            tuple(commit.record.get("said", ())) if index == 0 else (),
            "",
            tuple(file.get("made", ())),
            file.get("headings", {}),
        )
        for commit in kept.commits
        for index, file in enumerate(commit.record.get("files", ()))
    ]
    others = [
        FileRecord(
            each["file"],
            each["state"],
            False,
            (),
            tuple(each.get("log", ())),
            tuple(each.get("said", ())),
            each["problem"],
        )
        for each in kept.record.get("files", ())
        if each["state"] != "changed"
    ]
    return RunRecord(
        kept.number,
        kept.record.get("title", "(cut short)"),
        kept.record.get("macro", ""),
        kept.record.get("when", ""),
        kept.undone,
        (*saved, *others),
        *(
            tuple(said for each in kept.record.get("files", ()) for said in each.get(word, ()))
            for word in ("sent", "unsent")
        ),
    )
