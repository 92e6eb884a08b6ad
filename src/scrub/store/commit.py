"""The commit protocol: several files change together, or none does, whenever the machine stops.

1. Each new file is written beside its target under a temporary name, and synced.
2. What undoes it is written into the run's folder, and synced.
3. The journal is written, synced, renamed into `pending/`, its folder synced: this is the commit point.
4. Each target's hash is compared once more, and the temporary file renamed over it; the folders are synced.
5. The journal is renamed into the run's folder: done.

Recovery at the next start looks at every journal in `pending/`. It goes forward when each target, or else its
temporary file, has the new hash; otherwise back; and never over a file that is neither old nor new.
"""

from __future__ import annotations

import json
import os
from collections.abc import Iterable, Sequence
from typing import Any, BinaryIO, NamedTuple

from scrub.store.disk import Disk, digest_of, hashed
from scrub.store.errors import Changed, InUse
from scrub.store.hashing import new_hash
from scrub.store.mailboxes import locked, unlock_after_crash
from scrub.store.patch import Effect, Patch


class Step(NamedTuple):
    """One target in a journal: its path, the hash it goes from and to (None: no file), and its temporary file."""

    path: str
    old: str | None
    new: str | None
    temporary: str | None


def _read_from(effect: Effect) -> set[tuple[str, str]]:
    """The other files that an effect reads from, each with the hash that it must have."""
    if effect.patch is None:
        return set()
    if effect.source is None or effect.patch.before is None:
        return effect.patch.borrowed
    return {(effect.source, effect.patch.before), *effect.patch.borrowed}


class Committer:
    """Makes effects real, and finishes or takes back what was cut short."""

    def __init__(self, home: str, disk: Disk) -> None:
        self.disk = disk
        self.pending = os.path.join(home, "pending")
        self.runs = os.path.join(home, "runs")

    def commit(self, run: int, name: str, effects: Sequence[Effect], keep: str, record: dict[str, Any]) -> None:
        """Makes `effects` real as one. `keep` is the ending of the files that hold what takes them back.

        Raises `Changed` when a target is not what it was, and `OSError` when the disk refuses; then all is as before.
        """
        folder = os.path.join(self.runs, str(run))
        steps: list[Step] = []
        staged: list[str] = [os.path.join(self.pending, f"{run}-{name}.plan")]
        try:
            self._plan(staged[0], [self._temporary(effect.path, run, name) for effect in effects])
            for index, effect in enumerate(effects):
                undo_path = os.path.join(folder, f"{name}-{index}.{keep}")
                staged += [undo_path, self._temporary(effect.path, run, name)]
                steps.append(self._stage(effect, staged[-1], undo_path))
            for path, digest in {each for effect in effects for each in _read_from(effect)}:
                if self.disk.digest(path) != digest:
                    raise Changed(path)
            self.disk.sync_folder(folder)
        except BaseException as error:
            self._drop(staged, error)
            raise
        journal = {**record, "run": run, "name": name, "keep": keep, "steps": [list(step) for step in steps]}
        path = os.path.join(self.pending, f"{run}-{name}.json")
        try:
            self.disk.write(path + ".new", [json.dumps(journal, ensure_ascii=False).encode()])
            self.disk.rename(path + ".new", path)
            self.disk.sync_folder(self.pending)
        except BaseException as error:
            self._drop([path + ".new", path, *staged], error)
            raise
        try:
            self._go_forward(steps)
        except (Changed, InUse, OSError) as error:
            self.go_back(steps, folder, name, keep)
            self._drop([path, *staged], error)
            raise
        self._done(path, folder, name)

    def _drop(self, paths: Iterable[str], error: BaseException) -> None:
        """Clears up after a failure. A stop of the machine clears up nothing: that is recovery's work."""
        if isinstance(error, Exception):
            for path in paths:
                try:
                    self.disk.remove(path)
                except OSError:
                    continue

    @staticmethod
    def _temporary(path: str, run: int, name: str) -> str:
        folder, own = os.path.split(path)
        return os.path.join(folder, f".{own[:100]}.{run}-{name}.scrub-new")

    def _stage(self, effect: Effect, temporary: str, undo_path: str) -> Step:
        before = effect.before
        reads = effect.source or (effect.path if before is not None else None)
        old = open(reads, "rb") if reads is not None else None  # noqa: SIM115 - closed below
        try:
            if effect.patch is None:
                assert old is not None
                size = os.fstat(old.fileno()).st_size
                undo = Patch(before, size, []).inverse(old, "", 0)
                undo.before = None
                self.disk.write(undo_path, undo.dump())
                return Step(effect.path, before, None, None)
            running = new_hash()
            size = 0

            def counted(chunks: Iterable[bytes]) -> Iterable[bytes]:
                nonlocal size
                for chunk in chunks:
                    size += len(chunk)
                    yield chunk

            chunks = counted(hashed(effect.patch.chunks(old), running))
            self.disk.write(temporary, chunks, like=reads or effect.path)
            after = running.hexdigest()
            if effect.before is not None:  # what takes a new file back is its hash alone
                self.disk.write(undo_path, self._undo(effect, old, after, size).dump())
            return Step(effect.path, before, after, temporary)
        except ValueError as error:
            raise Changed(effect.path) from error
        finally:
            if old is not None:
                old.close()

    def _plan(self, path: str, temporaries: list[str]) -> None:
        """Notes which temporary files may be left beside people's files when the machine stops now."""
        self.disk.write(path, [json.dumps(temporaries, ensure_ascii=False).encode()], lasting=False)

    def _undo(self, effect: Effect, old: BinaryIO | None, after: str, size: int) -> Patch:
        """What gives a target its old content back; for one replaced by another, all of it."""
        assert effect.patch is not None
        if effect.source is None:
            return effect.patch.inverse(old, after, size)
        return Patch(after, size, [self.disk.read(effect.path)])

    def _go_forward(self, steps: Sequence[Step]) -> None:
        with locked(self.disk, [step.path for step in steps if step.old is not None]) as held:
            for step in steps:
                # To close a file that is opened once more would let its record lock go.
                stream = held.get(step.path)
                if (self.disk.digest(step.path) if stream is None else digest_of(stream)) != step.old:
                    raise Changed(step.path)
                self._apply(step)
        self._sync_targets(steps)

    def _sync_targets(self, steps: Sequence[Step]) -> None:
        """Makes what was renamed and removed in the folders of the targets last."""
        for folder in {os.path.dirname(step.path) for step in steps}:
            self.disk.sync_folder(folder)

    def _apply(self, step: Step) -> None:
        if step.temporary is None:
            self.disk.remove(step.path)
        elif self.disk.exists(step.temporary):
            self.disk.rename(step.temporary, step.path)

    def _done(self, journal: str, folder: str, name: str) -> None:
        self.disk.rename(journal, os.path.join(folder, f"{name}.json"))
        self.disk.sync_folder(folder)
        self.disk.sync_folder(self.pending)
        self.disk.remove(journal.removesuffix("json") + "plan")

    def go_back(self, steps: Sequence[Step], folder: str, name: str, keep: str) -> None:
        """Restores every target that was changed already; leaves one that is neither old nor new."""
        for index, step in enumerate(steps):
            if step.new == step.old or self.disk.digest(step.path) != step.new:
                continue
            if step.old is None:
                self.disk.remove(step.path)
                continue
            undo = Patch.load(self.disk.read(os.path.join(folder, f"{name}-{index}.{keep}")))
            back = step.path + ".scrub-old"
            if step.new is None:
                self.disk.write(back, undo.chunks(None))
            else:
                with open(step.path, "rb") as stream:
                    self.disk.write(back, undo.chunks(stream), like=step.path)
            self.disk.rename(back, step.path)
        self._sync_targets(steps)

    def recover(self) -> list[str]:
        """Finishes or takes back what was cut short; a sentence for each file that needs a person."""
        told: list[str] = []
        entries = self.disk.names(self.pending)
        for entry in entries:
            path = os.path.join(self.pending, entry)
            if not entry.endswith(".json"):
                continue
            journal = json.loads(self.disk.read(path))
            steps = [Step(*step) for step in journal["steps"]]
            folder = os.path.join(self.runs, str(journal["run"]))
            told += self._recover_one(path, folder, journal, steps)
        for entry in entries:
            if not entry.endswith(".json"):
                self._clear_plan(os.path.join(self.pending, entry))
        return told

    def _clear_plan(self, path: str) -> None:
        """Removes the temporary files of a commit that was cut short before it counted."""
        if path.endswith(".plan") and self.disk.exists(path):
            try:
                temporaries = json.loads(self.disk.read(path))
            except ValueError:  # cut while it was written: nothing was staged yet
                temporaries = []
            for temporary in temporaries:
                self.disk.remove(temporary)
        self.disk.remove(path)

    def _recover_one(self, path: str, folder: str, journal: dict[str, Any], steps: list[Step]) -> list[str]:
        told: list[str] = []
        for step in steps:
            unlock_after_crash(self.disk, step.path)
        name, keep = journal["name"], journal["keep"]
        now = [self.disk.digest(step.path) for step in steps]
        forward = all(
            found == step.new or (found == step.old and self._staged(step))
            for step, found in zip(steps, now, strict=True)
        )
        if forward:
            for step, found in zip(steps, now, strict=True):
                if found != step.new:
                    self._apply(step)
                elif step.temporary is not None:
                    self.disk.remove(step.temporary)
            self._sync_targets(steps)
            self._done(path, folder, name)
            return told
        self.go_back(steps, folder, name, keep)
        for step, found in zip(steps, now, strict=True):
            if found not in (step.old, step.new):
                told.append(self._keep_both(step))
            elif step.temporary is not None:
                self.disk.remove(step.temporary)
        for index in range(len(steps)):
            self.disk.remove(os.path.join(folder, f"{name}-{index}.{keep}"))
        self.disk.remove(path)
        self.disk.sync_folder(self.pending)
        return told

    def _staged(self, step: Step) -> bool:
        return step.temporary is None or self.disk.digest(step.temporary) == step.new

    def _keep_both(self, step: Step) -> str:
        if step.temporary is None or not self.disk.exists(step.temporary):
            return f"{step.path} was edited while a run was cut short. It was left as it is."
        stem, ending = os.path.splitext(step.path)
        beside, number = f"{stem} (from the run){ending}", 2
        while self.disk.exists(beside):
            beside, number = f"{stem} (from the run {number}){ending}", number + 1
        self.disk.rename(step.temporary, beside)
        return f"{step.path} was edited while a run was cut short. It was left as it is; the run's version is {beside}."
