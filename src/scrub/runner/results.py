"""What a run did, file by file."""

from __future__ import annotations

import os
import stat
from collections.abc import Mapping, Sequence
from typing import Any

from scrub.model.core.change import Change
from scrub.model.core.named import NamedTuple
from scrub.model.core.problem import ScrubError, counted
from scrub.model.core.recorder import Changes
from scrub.model.core.sending import OutboundTask
from scrub.runner.opened import Opened
from scrub.store.patch import Effect

CHANGED, UNCHANGED, FAILED, NOT_TRIED = "changed", "unchanged", "failed", "not tried"


class FileResult:
    """What a run did to one file: its state, changes, log and texts said, and why it failed."""

    def __init__(self, path: str) -> None:
        self.path = path
        self.address = path  # where it really is, by which the history knows it
        self.state = UNCHANGED
        self.changes = Changes()
        self.recalculated: Sequence[Change] = ()  # results of formulas that became others
        self.log: list[str] = []
        self.said: list[str] = []
        self.notes: list[str] = []
        self.headings: dict[str, Mapping[str, str]] = {}  # of sheets with many changes: what is over their columns
        self.left = 0  # texts that an action could not turn or edit, and left; the log has each
        self.problem: ScrubError | None = None
        self.effects: list[Effect] = []
        self.made: list[str] = []
        self.also: list[str] = []  # other files that were there and are changed: mailboxes that messages go into
        self.is_written = True  # whether the file itself, or what it contains, is other than it was
        self.sends: list[OutboundTask] = []
        self.sent: list[str] = []  # what left this machine
        self.unsent: list[str] = []  # what did not, or perhaps did not, and why
        self.part_word = "place"
        self.saved_as = path

    def __repr__(self) -> str:
        problem = f", problem={str(self.problem)!r}" if self.problem else ""
        return f"<FileResult {self.path!r}: {self.state}, {counted(len(self.changes), 'change')}{problem}>"

    def take(self, file: Opened, effects: Sequence[Effect], leaving: Sequence[OutboundTask], elsewhere: bool) -> None:
        """Notes what comes of its file; `leaving` is sent besides what the file sends, and `elsewhere` tells that
        results are saved in another folder.
        """
        self.effects, self.sends = list(effects), [*leaving, *file.sends]
        self.changes, self.notes, self.part_word = file.changes, list(file.notes), file.part_word
        self.headings = file.headings_over(self.changes)
        self.recalculated = file.recalculated
        self.state = CHANGED if self.effects or self.sends else UNCHANGED
        self.is_written, self.also = _written(self.effects, self.address)
        if self.is_written:
            self.notes += _other_names(self.address)
        self.made = _made_anew(self.effects)
        if self.made and elsewhere:
            self.saved_as = self.made[0]

    @property
    def places(self) -> set[str]:
        """The outermost places of its changes: sheets, paragraphs."""
        changes = self.changes
        return set(changes.places if isinstance(changes, Changes) else [change.place for change in changes])

    def as_dict(self) -> dict[str, object]:
        """The result as JSON shows it."""
        return {
            "file": self.path,
            "state": self.state,
            "changes": [change.as_dict() for change in self.changes],
            "recalculated": [change.as_dict() for change in self.recalculated],
            "log": self.log,
            "said": self.said,
            "notes": self.notes,
            "left": self.left,
            "made": self.made,
            "sent": self.sent,
            "unsent": self.unsent,
            "problem": str(self.problem) if self.problem else None,
        }


class RunResult:
    """What a run did. `number` is its place in the history, None for a preview."""

    def __init__(self, title: str, preview: bool) -> None:
        self.title = title
        self.preview = preview
        self.number: int | None = None
        self.files: list[FileResult] = []
        self.recovered: list[str] = []
        #: Whether the macro can change nothing at all.
        self.only_reads = False

    @property
    def exit_code(self) -> int:
        """0 when all went well, else the highest of its files' problems."""
        codes = [file.problem.exit_code if file.problem else 1 for file in self.files if file.problem or file.unsent]
        return max(codes, default=0)

    def __repr__(self) -> str:
        number = f"run {self.number}" if self.number else "preview" if self.preview else "not kept"
        return f"<RunResult {self.title!r}: {number}, {counted(len(self.files), 'file')}>"

    def as_dict(self) -> dict[str, Any]:
        """The result as JSON shows it."""
        return {
            "run": self.number,
            "title": self.title,
            "preview": self.preview,
            "files": [file.as_dict() for file in self.files],
        }


#: Results of formulas that the history keeps of one file.
_MOST_RESULTS = 10_000


class Prepared(NamedTuple):
    """One execution of a macro, done in memory: all that its commit needs, and nothing that is open any more."""

    files: list[FileResult]
    log: list[str]
    said: list[str]

    @property
    def effects(self) -> list[Effect]:
        """What is to be done on the disk, for all files together."""
        return [effect for file in self.files for effect in file.effects]

    @property
    def sends(self) -> Sequence[OutboundTask]:
        """What is to be sent when all is saved."""
        return [task for file in self.files for task in file.sends]

    def record(self) -> dict[str, Any]:
        """What the history keeps of it."""
        files = [
            {
                "file": file.address,
                "changes": file.changes.kept(),
                **_results(file.recalculated),
                "made": file.made,
                "headings": {place: dict(heads) for place, heads in file.headings.items()},
            }
            for file in self.files
        ]
        return {"files": files, "log": self.log, "said": self.said}


def _results(changes: Sequence[Change]) -> dict[str, object]:
    """What the history keeps of results: how many there are, and the first of them."""
    if not changes:
        return {}
    first = [[str(change.place), str(change.at[1]), change.before, change.after] for change in changes[:_MOST_RESULTS]]
    return {"recalculated": len(changes), "results": first}


def _other_names(path: str) -> list[str]:
    """A note where a file has several names: the result gets this one alone."""
    try:
        found = os.stat(path)
    except OSError:  # a database on a server, or a mailbox
        return []
    many = found.st_nlink
    if many < 2 or stat.S_ISDIR(found.st_mode):
        return []
    others = "the other one keeps" if many == 2 else f"the other {many - 1} keep"
    return [f"This file has {many} names (hard links): {others} the earlier contents."]


def _made_anew(effects: Sequence[Effect]) -> list[str]:
    """The files that come, without those that only move."""
    gone = {effect.path for effect in effects if effect.patch is None and effect.rows is None}
    return [effect.path for effect in effects if effect.before is None and effect.source not in gone]


def _written(effects: Sequence[Effect], address: str) -> tuple[bool, list[str]]:
    """Whether a file, or what a folder contains, is among what is changed; and which other files are."""
    changed = [effect.path for effect in effects if effect.before is not None]
    own = [path for path in changed if path == address or path.startswith(address + os.sep)]
    return bool(own), [path for path in changed if path not in own]
