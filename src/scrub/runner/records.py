"""The history as a person reads it: runs, their files, and what was changed in each."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from types import MappingProxyType
from typing import Any

from scrub.model.core.change import Change
from scrub.model.core.named import NamedTuple
from scrub.model.core.recorder import Changes
from scrub.runner.results import result_of
from scrub.store.store import UNDONE, KeptRun, StoredCommit


class FileRecord(NamedTuple):
    """What one run did to one file. `undone` tells whether that was undone."""

    path: str
    state: str
    undone: bool
    changes: Sequence[Change]
    log: tuple[str, ...]
    said: tuple[str, ...]
    problem: str
    made: tuple[str, ...] = ()
    headings: Mapping[str, Mapping[str, str]] = MappingProxyType({})
    recalculated: int = 0  # how many results of formulas became others
    results: Sequence[Change] = ()  # the first of them


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

    def as_dict(self) -> dict[str, object]:
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
                    "recalculated": [change.as_dict() for change in file.results],
                    "log": list(file.log),
                    "said": list(file.said),
                    "made": list(file.made),
                    "problem": file.problem or None,
                }
                for file in self.files
            ],
        }


_DAMAGED = "its record is damaged"


def read_record(kept: KeptRun) -> RunRecord:
    """A run as the store kept it. What is damaged in it is told as that; its files can still be undone."""
    saved = [file for commit in kept.commits for file in _saved(commit)]
    record = kept.record
    try:
        others = tuple(_other(each) for each in record.get("files", ()) if each["state"] != "changed")
        sent, unsent = (
            tuple(said for each in record.get("files", ()) for said in _texts(each, word))
            for word in ("sent", "unsent")
        )
        title, macro, when = (_text(record, *each) for each in (("title", "(cut short)"), ("macro", ""), ("when", "")))
    except _MISREAD:
        return RunRecord(kept.number, f"({_DAMAGED})", "", "", kept.undone, tuple(saved))
    return RunRecord(kept.number, title, macro, when, kept.undone, (*saved, *others), sent, unsent)


#: What reading JSON of another shape raises.
_MISREAD = (KeyError, TypeError, AttributeError, ValueError, IndexError)


def _saved(commit: StoredCommit) -> list[FileRecord]:
    undone = commit.state == UNDONE
    try:
        return [
            FileRecord(
                _text(file, "file"),
                "changed",
                undone,
                Changes.of(file["changes"]) if "changes" in file else Changes(),
                _texts(commit.record, "log") if index == 0 else (),
                _texts(commit.record, "said") if index == 0 else (),
                "",
                _texts(file, "made"),
                {sheet: dict(names) for sheet, names in file.get("headings", {}).items()},
                int(file.get("recalculated", 0)),
                [result_of(*result) for result in file.get("results", ())],
            )
            for index, file in enumerate(commit.record.get("files", ()))
        ]
    except _MISREAD:
        return [FileRecord(step.path, _DAMAGED, undone, (), (), (), "") for step in commit.steps]


def _other(file: Mapping[str, object]) -> FileRecord:
    log, said = _texts(file, "log"), _texts(file, "said")
    return FileRecord(_text(file, "file"), _text(file, "state"), False, (), log, said, _text(file, "problem"))


def _text(holder: Mapping[str, object], word: str, *default: str) -> str:
    (found,) = _checked([holder.get(word, *default) if default else holder[word]])
    return found


def _texts(holder: Mapping[str, object], word: str) -> tuple[str, ...]:
    found = holder.get(word, ())
    if not isinstance(found, list | tuple):
        raise TypeError(word)
    return _checked(found)


def _checked(values: Sequence[Any]) -> tuple[str, ...]:
    """The values, which must be texts. Raises `TypeError`."""
    if all(isinstance(value, str) for value in values):
        return tuple(values)
    raise TypeError
