"""What a run did, file by file."""

from __future__ import annotations

import json
import os
import stat
import zlib
from collections import Counter
from collections.abc import Mapping, Sequence
from typing import Any

from scrub.model.core.area import area_of
from scrub.model.core.change import VALUE, Change, plain
from scrub.model.core.changes import Changes
from scrub.model.core.long_json import json_of
from scrub.model.core.named import NamedTuple
from scrub.model.core.problem import ScrubError, counted
from scrub.model.core.sending import OutboundTask
from scrub.runner.opened import Opened
from scrub.runner.overview import Overview, overview_of
from scrub.store.patch import Effect

CHANGED, UNCHANGED, FAILED, NOT_TRIED = "changed", "unchanged", "failed", "not tried"
#: Of a run that ended before its last file: what is continued later.
NOT_DONE = "not done"


class FileResult:
    """What a run did to one file: its state, changes, log and texts said, and why it failed."""

    def __init__(self, path: str) -> None:
        self.path = path
        self.address = path  # where it really is, by which the history knows it
        self.state = UNCHANGED
        self._changes = Changes()
        self._recalculated: Sequence[Change] = ()
        self._packed: PackedChanges | None = None
        self._overview: Overview | None = None
        self.log: list[str] = []
        self.said: list[str] = []
        self.notes: list[str] = []
        self.headings: dict[str, Mapping[str, str]] = {}  # of sheets with many changes: what is over their columns
        self.left = 0  # texts that an action could not turn or edit, and left; the log has each
        self.refused = 0  # changes that somebody refused when they were shown one by one; the log has each
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
        return f"<FileResult {self.path!r}: {self.state}, {counted(self.change_count, 'change')}{problem}>"

    def _repr_html_(self) -> str:
        """What was said and changed, for notebooks."""
        from scrub.model.core import html

        head = html.heading(self.path, f"{self.state}, {counted(self.change_count, 'change')}")
        told = "".join(html.heading("", line) for line in [*self.said, *([str(self.problem)] if self.problem else [])])
        changes = self.changes
        return head + told + (changes._repr_html_() if len(changes) else "")

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
    def changes(self) -> Changes:
        """What was changed. Of one file among very many it is unpacked when it is asked for."""
        return self._packed.changes() if self._packed is not None else self._changes

    @changes.setter
    def changes(self, changes: Changes) -> None:
        self._changes, self._packed, self._overview = changes, None, None

    @property
    def recalculated(self) -> Sequence[Change]:
        """The results of formulas that became others."""
        return self._packed.recalculated() if self._packed is not None else self._recalculated

    @recalculated.setter
    def recalculated(self, results: Sequence[Change]) -> None:
        self._recalculated = results

    @property
    def change_count(self) -> int:
        """How many changes there are."""
        return self._packed.total if self._packed is not None else len(self._changes)

    @property
    def result_count(self) -> int:
        """How many results of formulas became others."""
        return self._packed.results if self._packed is not None else len(self._recalculated)

    def forget(self, state: str) -> None:
        """Notes that nothing of it is saved, and why."""
        self.state, self.changes, self.made, self.also = state, Changes(), [], []
        self.recalculated, self.effects, self.sends = (), [], []

    @property
    def packed(self) -> PackedChanges | None:
        """What was changed as a few bytes, where it was packed."""
        return self._packed

    @property
    def overview(self) -> Overview:
        """What was changed in short, by which many files are compared."""
        if self._overview is None:
            changes = self.changes
            self._overview = overview_of(self.path, changes, changes.places, self.headings)
        return self._overview

    def pack(self) -> PackedChanges:
        """Keeps what was changed in a few bytes, and lets go of what is not needed once it was saved."""
        if self._packed is None:
            overview = self.overview
            self._packed = PackedChanges.of(self._changes, self._recalculated)
            self._changes, self._recalculated, self._overview = Changes(), (), overview
        return self._packed

    def unpack(self, packed: PackedChanges, overview: Overview) -> None:
        """Takes what another process packed."""
        self._packed, self._overview = packed, overview

    @property
    def places(self) -> set[str]:
        """The outermost places of its changes: sheets, paragraphs."""
        return set(self.changes.place_counts())

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
            "refused": self.refused,
            "made": self.made,
            "sent": self.sent,
            "unsent": self.unsent,
            "problem": str(self.problem) if self.problem else None,
        }


class PackedChanges(NamedTuple):
    """The changes of a file, and the results that follow from them, as a few bytes: JSON, deflated (RFC 1951)."""

    total: int
    results: int
    data: bytes

    @classmethod
    def of(cls, changes: Changes, recalculated: Sequence[Change]) -> PackedChanges:
        """Packs them, as the history keeps them."""
        return cls(len(changes), len(recalculated), zlib.compress(_as_json(changes, recalculated), 1))

    def json(self) -> bytes:
        """What the history keeps of them, in JSON."""
        return zlib.decompress(self.data)

    def kept(self) -> dict[str, Any]:
        """The same as an object."""
        found: dict[str, Any] = json.loads(self.json())
        return found

    def changes(self) -> Changes:
        """The changes, as texts."""
        return Changes.of(self.kept()["changes"])

    def recalculated(self) -> list[Change]:
        """The results of formulas."""
        return [result_of(*result) for result in self.kept()["results"]]


class RunResult:
    """What a run did. `number` is its place in the history, None for a preview."""

    def __init__(self, title: str, preview: bool) -> None:
        self.title = title
        self.preview = preview
        self.number: int | None = None
        self.files: list[FileResult] = []
        self.recovered: list[str] = []
        #: Why the run ended before its last file; an empty text where it did not.
        self.ended = ""
        #: Why it was done in one process though more were asked for; an empty text where it was not.
        self.alone = ""
        #: Whether the macro can change nothing at all.
        self.only_reads = False

    @property
    def exit_code(self) -> int:
        """0 when all went well, else the highest of its files' problems."""
        codes = [file.problem.exit_code if file.problem else 1 for file in self.files if file.problem or file.unsent]
        return max(codes, default=1 if self.ended else 0)

    def __repr__(self) -> str:
        number = f"run {self.number}" if self.number else "preview" if self.preview else "not kept"
        return f"<RunResult {self.title!r}: {number}, {counted(len(self.files), 'file')}>"

    def _repr_html_(self) -> str:
        """Each file with what came of it, and the changes of a single one, for notebooks."""
        from scrub.model.core import html

        kind = (
            "preview; nothing was saved" if self.preview else f"run {self.number}" if self.number else "nothing saved"
        )
        head = html.heading(self.title, kind)
        if len(self.files) == 1:
            return head + self.files[0]._repr_html_()
        rows = ([file.path, file.state, file.change_count, file.problem] for file in self.files)
        return head + html.table(["File", "State", "Changes", "Problem"], rows, len(self.files))

    def as_dict(self) -> dict[str, Any]:
        """The result as JSON shows it."""
        return {**self.summary(), "files": [file.as_dict() for file in self.files]}

    def summary(self) -> dict[str, Any]:
        """What is told of the run as a whole."""
        counts = Counter(file.state for file in self.files)
        return {
            "run": self.number,
            "title": self.title,
            "preview": self.preview,
            "states": dict(counts),
            "ended": self.ended or None,
        }


class Interrupted(KeyboardInterrupt):
    """Somebody ended a run; what was done until then is in `result`, and in the history."""

    def __init__(self, result: RunResult) -> None:
        super().__init__()
        self.result = result


#: Results of formulas that the history keeps of one file.
_MOST_RESULTS = 10_000


class Prepared(NamedTuple):
    """One execution of a macro, done in memory: all that its commit needs, and nothing that is open any more."""

    files: list[FileResult]
    log: list[str]
    said: list[str]
    #: The paths that decided about it, as `note_access` gives them: it must be done again where one has changed.
    looked: frozenset[str] = frozenset()
    #: Whether a file was in use, about which a person, or the options of the run, can decide.
    busy: bool = False

    @property
    def effects(self) -> list[Effect]:
        """What is to be done on the disk, for all files together."""
        return [effect for file in self.files for effect in file.effects]

    @property
    def sends(self) -> Sequence[OutboundTask]:
        """What is to be sent when all is saved."""
        return [task for file in self.files for task in file.sends]

    def record(self) -> bytes:
        """What the history keeps of it, in JSON."""
        files = b", ".join(map(_file_as_json, self.files))
        rest = json.dumps({"log": self.log, "said": self.said}).encode()
        return b'{"files": [' + files + b"], " + rest[1:]


def _file_as_json(file: FileResult) -> bytes:
    """What the history keeps of a file: all changes, and of results how many there are, and the first of them."""
    own = {
        "file": file.address,
        "made": file.made,
        "headings": {place: dict(heads) for place, heads in file.headings.items()},
        "recalculated": file.result_count,
    }
    if file.packed is not None and file.result_count <= _MOST_RESULTS:
        kept = file.packed.json()
    else:
        kept = _as_json(file.changes, file.recalculated[:_MOST_RESULTS])
    return json.dumps(own)[:-1].encode() + b", " + kept[1:]


def _as_json(changes: Changes, recalculated: Sequence[Change]) -> bytes:
    return json_of({"changes": changes.kept(), "results": list(map(_result, recalculated))})


def _result(change: Change) -> list[str]:
    return [str(change.place), str(change.at[1]), plain(change.before), plain(change.after)]


def result_of(sheet: str, cell: str, before: str, after: str) -> Change:
    """A result of a formula as it was kept. Raises `Failure` or `TypeError` for a damaged one."""
    return Change((sheet, area_of(cell)), VALUE, before, after)


def failed(files: Sequence[FileResult], at: FileResult, problem: ScrubError) -> None:
    """Notes that an execution failed because of one file: nothing of any is saved."""
    at.problem = problem.with_traceback(None)  # whose frames hold all that was open: a thousand files may fail
    problem.__context__ = problem.__cause__ = None
    for file in files:
        file.forget(FAILED if file is at else NOT_TRIED)


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
