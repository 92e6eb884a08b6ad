"""The history as a person reads it: runs, their files, and what was changed in each."""

from __future__ import annotations

import os
from collections.abc import Iterator, Mapping, Sequence
from functools import cached_property
from types import MappingProxyType
from typing import Any

from scrub.model.core.change import Change
from scrub.model.core.changes import Changes
from scrub.model.core.named import NamedTuple
from scrub.runner.results import CHANGED, NOT_DONE, result_of
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

    def as_dict(self) -> dict[str, object]:
        """The file as JSON shows it."""
        return {
            "file": self.path,
            "state": self.state,
            "undone": self.undone,
            "changes": [change.as_dict() for change in self.changes],
            "recalculated": [change.as_dict() for change in self.results],
            "log": list(self.log),
            "said": list(self.said),
            "made": list(self.made),
            "problem": self.problem or None,
        }


class RunRecord:
    """One run: its number, the macro's title and text, when it was (ISO 8601), and its files. What is kept of each file
    is read when it is asked for: a run can have ten thousand. What is damaged is told as that; it can still be undone.
    """

    def __init__(self, kept: KeptRun) -> None:
        self._kept = kept
        self.number = kept.number
        self._summary = _summary_of(kept.summary)

    @cached_property
    def _whole(self) -> _Whole:
        """What is kept of the run itself, and of the files that it did not change."""
        record = self._kept.record
        try:
            title, macro, when = (
                _text(record, *each) for each in (("title", "(cut short)"), ("macro", ""), ("when", ""))
            )
            files = [_listed(each) for each in record.get("files", ())]
            sent, unsent = (
                tuple(said for each in record.get("files", ()) for said in _texts(each, word))
                for word in ("sent", "unsent")
            )
        except _MISREAD:
            return _Whole(f"({_DAMAGED})", "", "", [], (), ())
        return _Whole(title, macro, when, files, sent, unsent)

    @property
    def title(self) -> str:
        """The macro's title."""
        return self._summary.title if self._summary is not None else self._whole.title

    @property
    def macro(self) -> str:
        """The macro's text."""
        return self._whole.macro

    @property
    def when(self) -> str:
        """When it was (ISO 8601)."""
        return self._summary.when if self._summary is not None else self._whole.when

    @property
    def sent(self) -> tuple[str, ...]:
        """What left this machine."""
        return self._whole.sent

    @property
    def unsent(self) -> tuple[str, ...]:
        """What did not, or perhaps did not, and why."""
        return self._whole.unsent

    def __repr__(self) -> str:
        return f"<RunRecord {self.number}: {self.title!r}, {self.when}, {self.file_count} files>"

    def _repr_html_(self) -> str:
        """Each file with how much was changed, for notebooks."""
        from scrub.model.core import html

        rows = ([file.path, file.state, len(file.changes), file.problem] for file in self.files)
        state = "undone" if self.undone else self.when
        head = html.heading(f"Run {self.number}: {self.title}", state)
        return head + html.table(["File", "State", "Changes", "Problem"], rows, self.file_count)

    @property
    def undone(self) -> bool:
        """Whether all that it changed was undone."""
        return self._kept.undone

    @cached_property
    def files(self) -> tuple[FileRecord, ...]:
        """Its files: those that it changed, in order, and then the others."""
        return tuple(self.each_file())

    def each_file(self) -> Iterator[FileRecord]:
        """The same, each read when it is its turn."""
        saved: set[str] = set()
        for commit in self._kept.each_commit():
            for file in _saved(commit):
                saved.add(file.path)
                yield file
        for listed in self._whole.files:
            if listed.state == NOT_DONE and os.path.realpath(listed.path) in saved:
                continue  # the run was cut short before this was written down
            if listed.state != CHANGED:
                yield listed

    @property
    def watched(self) -> str:
        """The folder that was watched, if it ran on a file that arrived there; else an empty text."""
        return self._summary.watched if self._summary is not None else ""

    @property
    def changes(self) -> int:
        """How many changes it made."""
        if self._summary is not None:
            return self._summary.changes
        return sum(len(file.changes) for file in self.each_file())

    @property
    def file_count(self) -> int:
        """How many files it was run on."""
        return self._summary.files if self._summary is not None else len(self.files)

    @property
    def failed(self) -> int:
        """How many of them failed."""
        return self._summary.failed if self._summary is not None else sum(1 for file in self.files if file.problem)

    @property
    def left(self) -> int:
        """How many were not done, as the run was stopped or cut short."""
        if self._summary is not None and not self._summary.left:
            return 0
        return sum(1 for file in self.each_file() if file.state == NOT_DONE)

    def named(self, most: int) -> list[str]:
        """The paths of its first files."""
        if self._summary is not None and self._summary.files >= len(self._summary.named):
            return list(self._summary.named[:most])
        return [file.path for file, _ in zip(self.each_file(), range(most), strict=False) if file.path]

    def as_dict(self) -> dict[str, object]:
        """The run as JSON shows it."""
        return {
            "run": self.number,
            "title": self.title,
            "when": self.when,
            "undone": self.undone,
            "sent": list(self.sent),
            "unsent": list(self.unsent),
            "files": [file.as_dict() for file in self.each_file()],
        }


class _Whole(NamedTuple):
    """What is kept of a run besides its commits."""

    title: str
    macro: str
    when: str
    files: Sequence[FileRecord]
    sent: tuple[str, ...]
    unsent: tuple[str, ...]


class _Summary(NamedTuple):
    """What is listed of a run."""

    title: str
    when: str
    files: int
    named: tuple[str, ...]
    changes: int
    failed: int
    left: int
    watched: str = ""


def _summary_of(found: Mapping[str, Any]) -> _Summary | None:
    """The summary of a run that came to its end; None of any other."""
    try:
        files, changes, failed, left = (int(found[word]) for word in ("files", "changes", "failed", "left"))
        named, watched = _texts(found, "named"), _text(found, "watched", "")
        return _Summary(_text(found, "title"), _text(found, "when"), files, named, changes, failed, left, watched)
    except _MISREAD:
        return None


_DAMAGED = "its record is damaged"


#: What reading JSON of another shape raises.
_MISREAD = (KeyError, TypeError, AttributeError, ValueError, IndexError, OverflowError)


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


def _listed(file: Mapping[str, object]) -> FileRecord:
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
