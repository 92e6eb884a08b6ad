"""The store: runs with their files, undo and redo, and what was done when."""

from __future__ import annotations

import contextlib
import json
import os
from collections.abc import Callable, Iterator, Sequence
from typing import Any, NamedTuple

from scrub.store.commit import Committer, Step, kept_rows
from scrub.store.disk import Disk, Dress
from scrub.store.errors import CannotRead, Changed, EditedSince, NoSuchRun, RowMoved
from scrub.store.held import PINNED, Held, forget_in, held_in
from scrub.store.inuse import ensure_free
from scrub.store.outbox import Outbox
from scrub.store.patch import Effect, Patch
from scrub.store.rows import OpensRows, RowChanges

#: States of one commit.
DONE, UNDONE = "done", "undone"

#: Is told how far a long piece of work has come: files done, files in all, the next one.
Watch = Callable[[float, int, str], None]


class StoredCommit(NamedTuple):
    """One commit as it is kept: its name in the run, its state, its targets, the caller's own record, and the folders
    that were made for it.
    """

    name: str
    state: str
    steps: tuple[Step, ...]
    record: dict[str, Any]
    folders: tuple[str, ...] = ()
    rows: tuple[str, ...] = ()  # the addresses of the databases whose rows it changed


class KeptRun(NamedTuple):
    """What the history says of one run."""

    number: int
    record: dict[str, Any]
    commits: tuple[StoredCommit, ...]

    @property
    def undone(self) -> bool:
        """Whether all that it changed was undone."""
        return bool(self.commits) and all(commit.state == UNDONE for commit in self.commits)


class Restored(NamedTuple):
    """What an undo or redo did: the files put back, and copies saved beside files that were edited since."""

    run: int
    paths: tuple[str, ...]
    copies: tuple[str, ...]
    told: tuple[str, ...] = ()  # what became of what was done on servers


class Store:
    """All runs of one person, in the folder `home`."""

    def __init__(self, home: str, disk: Disk | None = None, opens_rows: OpensRows | None = None) -> None:
        self.home = home
        self.disk = disk or Disk()
        self._committer = Committer(home, self.disk, opens_rows)
        self.outbox = Outbox(home, self.disk)

    @contextlib.contextmanager
    def _locked(self) -> Iterator[None]:
        """One process at a time commits, undoes or recovers."""
        self._make_folders()
        path = os.path.join(self.home, "lock")
        with contextlib.ExitStack() as held:
            try:
                held.enter_context(self.disk.locked(path))
            except OSError as error:
                what = f"this file of Scrub cannot be used: {error.strerror}. Remove it and run again"
                raise CannotRead(path, what) from error
            yield

    def _make_folders(self) -> None:
        try:
            for folder in (self.home, self._committer.pending, self._committer.runs):
                self.disk.make_folder(folder)
        except OSError as error:
            raise CannotRead(self.home, f"Scrub's own folder cannot be written: {error.strerror}") from error

    def recover(self) -> list[str]:
        """Finishes or undoes what a stop of the machine cut short; a sentence for each file that needs a look."""
        told = []
        if self.disk.names(self._committer.pending):
            from scrub.store.recovery import Recovery  # hardly any run needs it

            with self._locked():
                told = Recovery(self._committer).recover()
        if self.disk.names(os.path.join(self.home, "outbox")):
            with self._locked():
                told += self.outbox.recover()
        return told

    def begin(self, record: dict[str, Any]) -> int:
        """Opens a run and gives its number."""
        runs = self._committer.runs
        self._make_folders()
        number = max((int(name) for name in self.disk.names(runs) if name.isdecimal()), default=0) + 1
        while not self.disk.claim_folder(os.path.join(runs, str(number))):
            number += 1
        self.update(number, record)
        return number

    def update(self, run: int, record: dict[str, object]) -> None:
        """Writes what the caller keeps of a run."""
        path = os.path.join(self._committer.runs, str(run), "run.json")
        self.disk.write(path + ".new", [_json(record)], lasting=False)
        self.disk.rename(path + ".new", path)

    def save(self, run: int, name: str, effects: Sequence[Effect], record: dict[str, object]) -> None:
        """Makes effects real as one, all or none. Raises a `StoreError`, or `OSError` from the disk."""
        with self._locked():
            files = [effect for effect in effects if effect.rows is None]
            if self.disk.windows:
                from scrub.store.windows_names import ensure_windows_name

                for effect in files:
                    ensure_windows_name(effect.path)
            for effect in files:
                if effect.before is not None:
                    ensure_free(effect.path)
            folders = [folder for effect in files for folder in self.disk.make_missing(os.path.dirname(effect.path))]
            more = {"state": DONE, "record": record, "folders": folders}
            try:
                self._committer.commit(run, name, effects, "undo", more)
            except Exception:
                self._remove_empty(folders)
                raise

    def _remove_empty(self, folders: Sequence[str]) -> None:
        """Removes folders that a run made and that hold nothing any more."""
        for folder in sorted(folders, key=len, reverse=True):
            self.disk.remove_empty(folder)

    def held(self) -> dict[int, Held]:
        """What takes each run back, of the runs for which anything is held."""
        return held_in(self.disk, self._committer.runs)

    def forget(self, days: int, size: int) -> int:
        """Removes undo data that is old or too much; see `held.forget_in`."""
        return forget_in(self.disk, self._committer.runs, days, size)

    def pin(self, number: int, keep: bool) -> None:
        """Keeps the undo data of a run, however old and big, or lets it go again. Raises `NoSuchRun`."""
        self.run(number)
        path = os.path.join(self._committer.runs, str(number), PINNED)
        if keep:
            self.disk.write(path, [b""], lasting=False)
        else:
            self.disk.remove(path)

    def runs(self) -> list[KeptRun]:
        """Every run, the last one first."""
        numbers = [int(name) for name in self.disk.names(self._committer.runs) if name.isdecimal()]
        return [self._run(number) for number in sorted(numbers, reverse=True)]

    def run(self, number: int) -> KeptRun:
        """One run. Raises `NoSuchRun`."""
        if not self.disk.exists(os.path.join(self._committer.runs, str(number))):
            raise NoSuchRun("", f"no run {number}. List them: scrub history")
        return self._run(number)

    def _run(self, number: int) -> KeptRun:
        folder = os.path.join(self._committer.runs, str(number))
        record: dict[str, object] = {}
        commits: list[StoredCommit] = []
        for entry in self.disk.names(folder):
            if not entry.endswith(".json"):
                continue
            try:
                data = json.loads(self.disk.read(os.path.join(folder, entry)))
                if entry == "run.json":
                    record = dict(data)
                else:
                    steps = tuple(Step(*step) for step in data["steps"])
                    folders = tuple(data.get("folders", ()))
                    int(data["name"])
                    rows = tuple(data.get("rows", ()))
                    commits.append(StoredCommit(data["name"], data["state"], steps, data["record"], folders, rows))
            except (ValueError, TypeError, KeyError, AttributeError):
                continue  # cut while it was written, or damaged: no other run depends on it
        commits.sort(key=lambda commit: int(commit.name))
        return KeptRun(number, record, tuple(commits))

    def undo(self, number: int | None = None, copy: bool = False, watch: Watch | None = None) -> Restored:
        """Puts back what a run changed (left out: the last one), byte for byte. `watch` is told of each file.

        Refused as a whole (`EditedSince`) when a file was edited since; with `copy`, the earlier version of such a
        file is saved beside it and the others are put back.
        """
        return self._turn(number, DONE, copy, watch)

    def redo(self, number: int | None = None) -> Restored:
        """Does again what was undone; left out, the run that was undone last, if nothing was run since."""
        return self._turn(number, UNDONE, False)

    def taken_back_last(self) -> KeptRun | None:
        """The run that was undone last; None for none."""
        runs = [run for run in self.runs() if any(commit.state == UNDONE for commit in run.commits)]
        return max(runs, key=self._turned_at, default=None)

    def _turned_at(self, run: KeptRun) -> int:
        """When the commits of a run were made or undone last, in nanoseconds."""
        return max((os.stat(self._file(run.number, commit.name)).st_mtime_ns for commit in run.commits), default=0)

    def _turn(self, number: int | None, state: str, copy: bool, watch: Watch | None = None) -> Restored:
        with self._locked():
            run = self._to_turn(number, state)
            commits = [commit for commit in run.commits if commit.state == state]
            edited: list[tuple[StoredCommit, int]] = []
            for commit in commits:
                for index, step in enumerate(commit.steps):
                    if self.disk.digest(step.path) != step.new:
                        edited.append((commit, index))
            if edited and not copy:
                commit, index = edited[0]
                raise self._edited_since(run, commit.steps[index].path)
            if len(commits) > 1:
                self._ensure_rows(run.number, commits, state)
            # A file that the run made has no earlier version; edited since, it just stays.
            former = [(commit, index) for commit, index in edited if commit.steps[index].old is not None]
            copies = [self._beside(run, commit, index) for commit, index in former]
            paths: list[str] = []
            damaged: list[CannotRead] = []
            # What was done last is undone first, and done again last.
            for done, commit in enumerate(reversed(commits) if state == DONE else commits):
                where = [*(step.path for step in commit.steps), *commit.rows]
                if watch is not None and where:
                    watch(done, len(commits), os.path.basename(where[0]))
                if any(commit is each for each, _ in edited):
                    continue
                try:
                    self._turn_one(run.number, commit, state)
                except CannotRead as problem:  # one that is damaged stops no other
                    damaged.append(CannotRead(where[0] if where else problem.path, problem.what))
                    continue
                paths += where
            if damaged and not paths:
                raise damaged[0]
            told = tuple(f"{problem.path}: {problem.what}" for problem in damaged)
            if state == DONE:
                paths.reverse()
            return Restored(run.number, tuple(paths), tuple(copies), told)

    def _ensure_rows(self, run: int, commits: Sequence[StoredCommit], state: str) -> None:
        """Raises `EditedSince` where a row was changed since, before anything is undone."""
        for commit in commits:
            for index, address in enumerate(commit.rows):
                look = self._rows(run, commit.name, index, address, state).look()
                if look.new or look.other:
                    raise EditedSince(address, "records of the run were changed since. Nothing was undone")

    def _rows(self, run: int, name: str, index: int, address: str, state: str) -> RowChanges:
        keep = "undo" if state == DONE else "redo"
        return self._committer.rows_of(address, kept_rows(self._folder(run), name, index, keep))

    def _to_turn(self, number: int | None, state: str) -> KeptRun:
        if number is not None:
            run = self.run(number)
            if any(commit.state == state for commit in run.commits):
                return run
            if not run.commits:
                raise NoSuchRun("", f"run {number} changed nothing, so there is nothing to undo")
            word = "undone already. To redo: scrub undo --redo" if state == DONE else "not undone"
            raise NoSuchRun("", f"run {number} is {word}")
        runs = self.runs()
        found = [run for run in runs if any(commit.state == state for commit in run.commits)]
        if state == DONE and runs and not runs[0].commits:
            raise self._changed_nothing(runs[0], found[0] if found else None)
        if not found:
            raise NoSuchRun("", "nothing to undo" if state == DONE else "nothing to redo")
        if state == DONE:
            return found[0]
        last = max(found, key=self._turned_at)
        later = max(runs, key=self._turned_at)
        if later.number != last.number:
            raise NoSuchRun(
                "",
                (
                    f"run {later.number} is newer than the last undo, so name the run. Last undone: run {last.number}, "
                    f'"{last.record.get("title", "")}": scrub undo {last.number} --redo'
                ),
            )
        return last

    @staticmethod
    def _changed_nothing(last: KeptRun, before: KeptRun | None) -> NoSuchRun:
        """The last run changed nothing: nobody means an older one by that."""
        sent = any(isinstance(each, dict) and each.get("sent") for each in last.record.get("files", ()))
        what = "changed no file, and what was sent cannot be undone" if sent else "changed nothing"
        said = f'run {last.number}, "{last.record.get("title", "")}", {what}'
        if before is not None:
            title = before.record.get("title", "")
            said += f'. To undo run {before.number}, "{title}": scrub undo {before.number}'
        return NoSuchRun("", said)

    def _folder(self, run: int) -> str:
        return os.path.join(self._committer.runs, str(run))

    def _file(self, run: int, name: str) -> str:
        return os.path.join(self._committer.runs, str(run), f"{name}.json")

    def _edited_since(self, run: KeptRun, path: str) -> EditedSince:
        for later in self.runs():
            if later.number <= run.number:
                break
            if any(commit.state == DONE and any(s.path == path for s in commit.steps) for commit in later.commits):
                return EditedSince(
                    path, f"run {later.number} changed the file since. Undo that one first: scrub undo {later.number}"
                )
        return EditedSince(path)

    def _turn_one(self, run: int, commit: StoredCommit, state: str) -> None:
        keep, other = ("undo", "redo") if state == DONE else ("redo", "undo")
        effects = []
        for index, step in enumerate(commit.steps):
            patch = None if step.old is None else self._patch(run, commit.name, index, keep)
            dress = Dress(*step.dress) if step.dress is not None else None
            effects.append(Effect(step.path, patch, step.new, after=step.old, dress=dress))
            if step.new is not None:
                ensure_free(step.path)
        for index, address in enumerate(commit.rows):
            effects.append(Effect(address, None, "rows", rows=self._rows(run, commit.name, index, address, state)))
        now = UNDONE if state == DONE else DONE
        folders = list(commit.folders)
        if now == DONE:
            wanted = [*commit.folders, *(os.path.dirname(step.path) for step in commit.steps if step.old is not None)]
            fresh = [made for folder in wanted for made in self.disk.make_missing(folder)]
            folders += [folder for folder in fresh if folder not in folders]
        more = {"state": now, "record": commit.record, "folders": folders}
        try:
            self._committer.commit(run, commit.name, effects, other, more)
        except RowMoved as error:
            raise EditedSince(error.path, f"{error.which} since. Nothing was undone") from error
        except Changed as error:
            raise EditedSince(error.path) from error
        if now == UNDONE:
            self._remove_empty(folders)

    def _patch(self, run: int, name: str, index: int, keep: str) -> Patch:
        path = os.path.join(self._committer.runs, str(run), f"{name}-{index}.{keep}")
        try:
            return Patch.load(self.disk.read(path))
        except (OSError, ValueError, KeyError, TypeError, AttributeError) as error:
            raise CannotRead(path, "its undo data has expired or is damaged") from error

    def _beside(self, run: KeptRun, commit: StoredCommit, index: int) -> str:
        """Lays the earlier version of an edited file beside it, where it was kept whole."""
        step = commit.steps[index]
        patch = self._patch(run.number, commit.name, index, "undo")
        if not patch.is_whole:
            raise EditedSince(
                step.path,
                (
                    "the file was edited since. Because of its size, only the differences of the earlier version "
                    "were saved"
                ),
            )
        stem, ending = os.path.splitext(step.path)
        path, number = f"{stem} (before run {run.number}){ending}", 2
        while self.disk.exists(path):
            path, number = f"{stem} (before run {run.number}, {number}){ending}", number + 1
        self.disk.write(path + ".new", patch.chunks(None), like=step.path)
        self.disk.rename(path + ".new", path)
        return path


def _json(record: dict[str, object]) -> bytes:
    return json.dumps(record).encode()
