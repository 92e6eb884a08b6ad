"""The store: runs with their files, undo and redo, and what was done when."""

from __future__ import annotations

import contextlib
import json
import os
from collections.abc import Callable, Collection, Iterable, Iterator, Mapping, Sequence
from functools import cached_property
from typing import Any, NamedTuple, TypeVar

from scrub.store.commit import Committer, Journal, Part, Step, kept_rows
from scrub.store.disk import Disk, Dress
from scrub.store.errors import CannotRead, Changed, EditedSince, NoSuchRun, RowMoved, StoreError, Unfinished
from scrub.store.held import PINNED, Held, forget_in, held_in
from scrub.store.inuse import ensure_free
from scrub.store.outbox import Outbox
from scrub.store.patch import Effect, Patch
from scrub.store.rows import OpensRows, RowChanges

#: States of one commit.
DONE, UNDONE = "done", "undone"

#: The most files that are saved or undone together, and the most bytes of their changes.
GROUP, GROUP_BYTES = 32, 32_000_000

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
    keeps: str = ""  # the name of the journal that undoes these rows


class Saving(NamedTuple):
    """One commit that is to be made: its name in the run, what it does, and the caller's own record of it in JSON."""

    name: str
    effects: Sequence[Effect]
    record: bytes


class KeptRun:
    """What the history says of one run. What it says of each file is read when it is asked for."""

    def __init__(self, store: Store, number: int) -> None:
        self._store = store
        self.number = number

    @cached_property
    def record(self) -> dict[str, Any]:
        """What the caller kept of it; nothing where that is damaged."""
        return self._store.record_of(self.number)

    @cached_property
    def summary(self) -> dict[str, Any]:
        """What is listed of it; nothing of one that was cut short."""
        return self._store.summary_of(self.number)

    @cached_property
    def commits(self) -> tuple[StoredCommit, ...]:
        """All its commits, in order."""
        return tuple(self._store.commits_of(self.number))

    def each_commit(self) -> Iterator[StoredCommit]:
        """The commits in order, each read when it is its turn: a run can have ten thousand."""
        return self._store.commits_of(self.number)

    @property
    def has_commits(self) -> bool:
        """Whether it changed anything."""
        return next(self.each_commit(), None) is not None

    def has(self, state: str) -> bool:
        """Whether any commit is in this state."""
        return any(commit.state == state for commit in self.each_commit())

    @cached_property
    def undone(self) -> bool:
        """Whether all that it changed was undone."""
        states = {commit.state for commit in self.each_commit()} if self._store.is_turned(self.number) else set()
        return states == {UNDONE}


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
        self._write(run, "run.json", record)

    def summarize(self, run: int, summary: Mapping[str, object]) -> None:
        """Writes what is listed of a run, apart from what is kept of its files: there can be ten thousand."""
        self._write(run, "summary.json", summary)

    def _write(self, run: int, name: str, record: Mapping[str, object]) -> None:
        path = os.path.join(self._folder(run), name)
        self.disk.write(path + ".new", [_json(record)], lasting=False)
        self.disk.rename(path + ".new", path)

    def save(self, run: int, name: str, effects: Sequence[Effect], record: bytes) -> None:
        """Makes effects real as one, all or none; `record` is in JSON. Raises a `StoreError`, or `OSError` from the
        disk.
        """
        with self._locked():
            self._save(run, [Saving(name, effects, record)])

    def save_many(self, run: int, commits: Sequence[Saving], stop: bool = False) -> dict[str, Exception]:
        """Makes several commits, each all or none, which share what the disk has to wait for. Gives what was raised for
        those that failed, by their names. With `stop`, those after the first that fails are not made.
        """
        failed: dict[str, Exception] = {}
        with self._locked():
            for group in _groups(commits, _of_new):
                try:
                    self._save(run, group)
                except (StoreError, OSError, MemoryError) as error:
                    if len(group) == 1 or isinstance(error, Unfinished):
                        failed |= {each.name: error for each in group}
                        if stop:
                            return failed
                        continue
                    for each in group:  # one of them: the others are not held back
                        try:
                            self._save(run, [each])
                        except (StoreError, OSError, MemoryError) as own:
                            failed[each.name] = own
                            if stop:
                                return failed
        return failed

    def _save(self, run: int, commits: Sequence[Saving]) -> None:
        parts: list[Part] = []
        made: list[str] = []
        for commit in commits:
            files = [effect for effect in commit.effects if effect.rows is None]
            if self.disk.windows:
                from scrub.store.windows_names import ensure_windows_name

                for effect in files:
                    ensure_windows_name(effect.path)
            for effect in files:
                if effect.before is not None:
                    ensure_free(effect.path)
        try:
            for commit in commits:
                files = [effect for effect in commit.effects if effect.rows is None]
                folders = [
                    folder for effect in files for folder in self.disk.make_missing(os.path.dirname(effect.path))
                ]
                made += folders
                parts.append(Part(commit.name, commit.effects, {"state": DONE, "folders": folders}, commit.record))
            self._committer.commit(run, commits[0].name, parts, "undo")
        except Exception:
            self._remove_empty(made)
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
        return [KeptRun(self, number) for number in sorted(numbers, reverse=True)]

    def run(self, number: int) -> KeptRun:
        """One run. Raises `NoSuchRun`."""
        if not self.disk.exists(os.path.join(self._committer.runs, str(number))):
            raise NoSuchRun("", f"no run {number}. List them: scrub history")
        return KeptRun(self, number)

    def record_of(self, number: int) -> dict[str, Any]:
        """What the caller keeps of a run; nothing where that is damaged or missing."""
        return self._read(number, "run.json")

    def summary_of(self, number: int) -> dict[str, Any]:
        """What is listed of a run; nothing where that is damaged or missing."""
        return self._read(number, "summary.json")

    def _read(self, number: int, name: str) -> dict[str, Any]:
        try:
            found = json.loads(self.disk.read(os.path.join(self._folder(number), name)))
        except (FileNotFoundError, ValueError):  # cut while it was written, or damaged: no other run depends on it
            return {}
        return found if isinstance(found, dict) else {}

    def is_turned(self, number: int) -> bool:
        """Whether anything of a run was ever undone."""
        names = self.disk.names(self._folder(number))
        if any(name.startswith(_TURN) for name in names):
            return True
        return any(name.endswith(".redo") for name in names)  # as it was once kept, in the place of the commit

    def commits_of(self, number: int) -> Iterator[StoredCommit]:
        """The commits of a run in order, as they are now: what was undone or done again later is said in further
        journals.
        """
        folder = self._folder(number)
        entries = [name.removesuffix(".json") for name in self.disk.names(folder) if name.endswith(".json")]
        turned: dict[str, dict[str, Any]] = {}
        for name in sorted((name for name in entries if name.startswith(_TURN)), key=_turn_number):
            turned |= {str(part["name"]): part for part in self._parts(folder, name)}
        for name in sorted((name for name in entries if name.isdecimal()), key=int):
            for part in self._parts(folder, name):
                later = turned.get(str(part["name"]), {})
                try:
                    yield _commit_of({**part, **later, "record": part["record"]})
                except (ValueError, TypeError, KeyError, AttributeError):
                    continue  # damaged: no other one depends on it

    def _parts(self, folder: str, name: str) -> list[dict[str, Any]]:
        try:
            journal = Journal.read(self.disk.read(os.path.join(folder, f"{name}.json")))
        except (ValueError, TypeError, KeyError, AttributeError):
            return []  # cut while it was written, or damaged
        return [{**part, "keeps": journal.name} for part in journal.parts]

    def undo(
        self, number: int | None = None, copy: bool = False, watch: Watch | None = None, jobs: int | None = None
    ) -> Restored:
        """Puts back what a run changed (left out: the last one), byte for byte. `watch` is told of each file, and
        `jobs` is the number of threads that read, write and sync files; None for the usual number.

        Refused as a whole (`EditedSince`) when a file was edited since; with `copy`, the earlier version of such a
        file is saved beside it and the others are put back.
        """
        self._use(jobs)
        return self._turn(number, DONE, copy, watch)

    def _use(self, jobs: int | None) -> None:
        if jobs is not None:
            self._committer.threads = jobs

    def redo(self, number: int | None = None, jobs: int | None = None) -> Restored:
        """Does again what was undone; left out, the run that was undone last, if nothing was run since."""
        self._use(jobs)
        return self._turn(number, UNDONE, False)

    def taken_back_last(self) -> KeptRun | None:
        """The run that was undone last; None for none."""
        runs = [run for run in self.runs() if self.is_turned(run.number) and run.has(UNDONE)]
        return max(runs, key=self._turned_at, default=None)

    def _turned_at(self, run: KeptRun) -> int:
        """When anything of a run was made or undone last, in nanoseconds."""
        entries = self.disk.entries(self._folder(run.number))
        others = ("run.json", "summary.json")
        journals = [stat for name, stat in entries.items() if name.endswith(".json") and name not in others]
        return max((stat.st_mtime_ns for stat in journals), default=0)

    def _turn(self, number: int | None, state: str, copy: bool, watch: Watch | None = None) -> Restored:
        with self._locked():
            run = self._to_turn(number, state)
            commits = [commit._replace(record={}) for commit in run.each_commit() if commit.state == state]
            edited = self._edited(commits)
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
            left_out = {commit.name for commit, _ in edited}
            # What was done last is undone first, and done again last.
            ordered = [commit for commit in commits if commit.name not in left_out]
            ordered = ordered[::-1] if state == DONE else ordered
            done = 0
            for group in _groups(ordered, _of_stored):
                where = _places(group[0])
                if watch is not None and where:
                    watch(done, len(commits), os.path.basename(where[0]))
                done += len(group)
                turned, problems = self._turn_group(run.number, group, state)
                damaged += problems
                paths += [path for commit in turned for path in _places(commit)]
            if damaged and not paths:
                raise damaged[0]
            with contextlib.suppress(OSError):  # it takes room, no more
                self._drop_unused(run.number, ordered)
            told = tuple(f"{problem.path}: {problem.what}" for problem in damaged)
            if state == DONE:
                paths.reverse()
            return Restored(run.number, tuple(paths), tuple(copies), told)

    def _edited(self, commits: Sequence[StoredCommit]) -> list[tuple[StoredCommit, int]]:
        """The steps of commits whose files are not what they left, by their numbers."""
        steps = [(commit, index) for commit in commits for index in range(len(commit.steps))]
        now = self._committer.digests([commit.steps[index].path for commit, index in steps])
        return [(commit, at) for (commit, at), found in zip(steps, now, strict=True) if found != commit.steps[at].new]

    def _turn_group(
        self, run: int, group: Sequence[StoredCommit], state: str
    ) -> tuple[list[StoredCommit], list[CannotRead]]:
        """Undoes several commits together, or does them again; gives those that were, and why others could not be.
        Where one is damaged, each is turned by itself: it stops no other.
        """
        try:
            self._turn_together(run, group, state)
        except CannotRead as problem:
            if len(group) == 1:
                return [], [CannotRead(next(iter(_places(group[0])), problem.path), problem.what)]
        else:
            return list(group), []
        turned: list[StoredCommit] = []
        problems: list[CannotRead] = []
        for commit in group:
            done, why = self._turn_group(run, [commit], state)
            turned += done
            problems += why
        return turned, problems

    def _ensure_rows(self, run: int, commits: Sequence[StoredCommit], state: str) -> None:
        """Raises `EditedSince` where a row was changed since, before anything is undone."""
        for commit in commits:
            for index, address in enumerate(commit.rows):
                look = self._rows(run, commit, index, address, state).look()
                if look.new or look.other:
                    raise EditedSince(address, "records of the run were changed since. Nothing was undone")

    def _rows(self, run: int, commit: StoredCommit, index: int, address: str, state: str) -> RowChanges:
        keep = "undo" if state == DONE else "redo"
        return self._committer.rows_of(address, kept_rows(self._folder(run), commit.keeps, index, keep))

    def _to_turn(self, number: int | None, state: str) -> KeptRun:
        if number is not None:
            run = self.run(number)
            if run.has(state):
                return run
            if not run.has_commits:
                raise NoSuchRun("", f"run {number} changed nothing, so there is nothing to undo")
            word = "undone already. To redo: scrub undo --redo" if state == DONE else "not undone"
            raise NoSuchRun("", f"run {number} is {word}")
        runs = self.runs()
        if state == DONE:
            before = next((run for run in runs if run.has(DONE)), None)
            if runs and not runs[0].has_commits:
                raise self._changed_nothing(runs[0], before)
            if before is None:
                raise NoSuchRun("", "nothing to undo")
            return before
        last = self.taken_back_last()
        if last is None:
            raise NoSuchRun("", "nothing to redo")
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

    def _edited_since(self, run: KeptRun, path: str) -> EditedSince:
        for later in self.runs():
            if later.number <= run.number:
                break
            if any(
                commit.state == DONE and any(s.path == path for s in commit.steps) for commit in later.each_commit()
            ):
                return EditedSince(
                    path, f"run {later.number} changed the file since. Undo that one first: scrub undo {later.number}"
                )
        return EditedSince(path)

    def _turn_together(self, run: int, group: Sequence[StoredCommit], state: str) -> None:
        keep = "redo" if state == DONE else "undo"
        now = UNDONE if state == DONE else DONE
        parts: list[Part] = []
        for commit in group:
            effects = []
            for step in commit.steps:
                patch = None if step.old is None else self._patch(run, step)
                dress = Dress(*step.dress) if step.dress is not None else None
                effects.append(Effect(step.path, patch, step.new, after=step.old, dress=dress))
                if step.new is not None:
                    ensure_free(step.path)
            for index, address in enumerate(commit.rows):
                effects.append(Effect(address, None, "rows", rows=self._rows(run, commit, index, address, state)))
            folders = list(commit.folders)
            if now == DONE:
                needed = [os.path.dirname(step.path) for step in commit.steps if step.old is not None]
                fresh = [made for folder in [*folders, *needed] for made in self.disk.make_missing(folder)]
                folders += [folder for folder in fresh if folder not in folders]
            parts.append(Part(commit.name, effects, {"state": now, "folders": folders}))
        try:
            self._committer.commit(run, self._next_turn(run), parts, keep)
        except RowMoved as error:
            raise EditedSince(error.path, f"{error.which} since. Nothing was undone") from error
        except Changed as error:
            raise EditedSince(error.path) from error
        if now == UNDONE:
            self._remove_empty([folder for part in parts for folder in part.more["folders"]])

    def _next_turn(self, run: int) -> str:
        """The name of the next journal that says what was undone or done again."""
        turns = [_turn_number(name) for name in self.disk.names(self._folder(run)) if name.startswith(_TURN)]
        return f"{_TURN}{max(turns, default=0) + 1}"

    def _drop_unused(self, run: int, turned: Sequence[StoredCommit]) -> None:
        """Removes the files with what undid or did again what is not so any more, where no commit needs any of it."""
        needed = {str(step.kept[0]) for each in self.commits_of(run) for step in each.steps if step.kept is not None}
        former = {str(step.kept[0]) for commit in turned for step in commit.steps if step.kept is not None}
        for name in sorted(former - needed):
            self.disk.remove(os.path.join(self._folder(run), os.path.basename(name)))

    def _patch(self, run: int, step: Step) -> Patch:
        try:
            return self._committer.patch_of(step, self._folder(run))
        except (OSError, ValueError, KeyError, TypeError, AttributeError) as error:
            path = os.path.join(self._folder(run), str(step.kept[0]) if step.kept else "")
            raise CannotRead(path, "its undo data has expired or is damaged") from error

    def _beside(self, run: KeptRun, commit: StoredCommit, index: int) -> str:
        """Lays the earlier version of an edited file beside it, where it was kept whole."""
        step = commit.steps[index]
        patch = self._patch(run.number, step)
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


#: How the name of a journal begins that says what was undone or done again.
_TURN = "turn-"


def _turn_number(name: str) -> int:
    number = name.removeprefix(_TURN).partition(".")[0]
    return int(number) if number.isdecimal() else 0


def _commit_of(part: Mapping[str, Any]) -> StoredCommit:
    """A commit as a journal tells it. Raises `ValueError`, `TypeError` or `KeyError` for what is damaged."""
    int(part["name"])
    steps, folders, rows = tuple(part["steps"]), tuple(part.get("folders", ())), tuple(part["rows"])
    return StoredCommit(part["name"], part["state"], steps, part["record"], folders, rows, part["keeps"])


T = TypeVar("T")


class _Extent(NamedTuple):
    """What a commit concerns: paths, bytes that are read to undo it, and whether it changes rows of a database."""

    paths: Collection[str]
    size: int
    rows: bool


def _groups(commits: Iterable[T], extent: Callable[[T], _Extent]) -> Iterator[list[T]]:
    """Commits that are made together: a number at a time, no two with one path; one that changes rows is alone."""
    group: list[T] = []
    paths: set[str] = set()
    size, rows = 0, False
    for commit in commits:
        own = extent(commit)
        full = len(group) == GROUP or size + own.size > GROUP_BYTES
        if group and (full or own.rows or rows or not paths.isdisjoint(own.paths)):
            yield group
            group, paths, size = [], set(), 0
        group.append(commit)
        paths |= set(own.paths)
        size, rows = size + own.size, own.rows
    if group:
        yield group


def _of_new(commit: Saving) -> _Extent:
    paths = {path for effect in commit.effects for path in (effect.path, effect.source) if path is not None}
    return _Extent(paths, 0, any(effect.rows is not None for effect in commit.effects))


def _of_stored(commit: StoredCommit) -> _Extent:
    size = sum(int(step.kept[2]) for step in commit.steps if step.kept is not None)
    return _Extent(_places(commit), size, bool(commit.rows))


def _places(commit: StoredCommit) -> list[str]:
    """The files and databases that a commit concerns."""
    return [*(step.path for step in commit.steps), *commit.rows]


def _json(record: Mapping[str, object]) -> bytes:
    return json.dumps(record).encode()
