"""The commit protocol: several files change together, or none does, whenever the machine stops.

1. Each new file is written beside its target under a temporary name, and synced.
2. What undoes it is written into the run's folder, and synced.
3. The journal is written, synced, renamed into `pending/`: this is the commit point. From here on it is done, and said
   to be; what the disk refuses is finished by recovery.
4. Each target is locked, its hash and that of the temporary file compared once more, and the one renamed over the
   other; the folders are synced. Where a target is another one by now, the journal gets the ending of those that go
   back, and all of them do.
5. The journal is renamed into the run's folder: done.

Rows of a database are written before step 3, in a transaction that is committed after it and before step 4.

Recovery at the next start looks at every journal in `pending/`. It goes forward when each target, or else its
temporary file, has the new hash; otherwise back; and never over a file that is neither old nor new. One that cannot be
read is set aside, one whose drive is away waits; neither stops the others.
"""

from __future__ import annotations

import contextlib
import json
import os
from collections.abc import Iterable, Iterator, Sequence
from typing import Any, BinaryIO, NamedTuple

from scrub.store.disk import Disk, Dress, digest_of, hashed, only_files
from scrub.store.errors import CannotRead, Changed, Damaged, InUse, ReadOnly, StoreError, Unfinished
from scrub.store.hashing import new_hash
from scrub.store.locks import locked
from scrub.store.patch import Effect, Patch
from scrub.store.rows import OpensRows, RowChanges


class Step(NamedTuple):
    """One target in a journal: its path, the hash it goes from and to (None: no file), and its temporary file."""

    path: str
    old: str | None
    new: str | None
    temporary: str | None
    dress: Sequence[Any] | None = None  # of a file that is removed: a `Dress`


def _read_from(effect: Effect) -> set[tuple[str, str]]:
    """The other files that an effect reads from, each with the hash that it must have."""
    if effect.patch is None:
        return set()
    if effect.source is None or effect.patch.before is None:
        return effect.patch.borrowed
    return {(effect.source, effect.patch.before), *effect.patch.borrowed}


def kept_rows(folder: str, name: str, index: int, keep: str) -> str:
    """Where is kept what takes the rows of a database back."""
    return os.path.join(folder, f"{name}-r{index}.{keep}")


def make_rows(changes: RowChanges) -> None:
    """Makes changes of rows, all or none."""
    try:
        changes.apply()
        changes.finish()
    finally:
        changes.drop()


def _finish(changes: RowChanges) -> None:
    """Commits changes of rows. Raises a `StoreError` where they were not made, or nobody can tell so far."""
    try:
        changes.finish()
    except StoreError:
        changes.drop()
        try:
            made = _was_made(changes)
        except StoreError as away:
            raise Unfinished(
                changes.address, f"{away.what}. The next run of Scrub finds out whether it was saved"
            ) from away
        if not made:
            raise


@contextlib.contextmanager
def _told_if_refused(disk: Disk, path: str) -> Iterator[None]:
    """Windows replaces and removes no file that a program has open, and other systems none in some folders: the run is
    then turned back.
    """
    try:
        yield
    except PermissionError as error:
        if disk.windows:
            raise InUse(path, "another program has it open. Close it and run again") from error
        raise ReadOnly(path, f"its folder does not allow replacing it: {error.strerror}") from error


def _was_made(changes: RowChanges) -> bool | None:
    """Whether changes that were applied were also committed; None where nobody can tell."""
    fate = changes.fate()
    return changes.look().made if fate is None else fate


def _unfinished(error: OSError) -> str:
    return f"{error.strerror or error}: the disk failed during saving. The next run of Scrub completes it"


class Committer:
    """Makes effects real; what was cut short is for `scrub.store.recovery`."""

    def __init__(self, home: str, disk: Disk, opens_rows: OpensRows | None = None) -> None:
        self.disk = disk
        self.opens_rows = opens_rows
        self.pending = os.path.join(home, "pending")
        self.runs = os.path.join(home, "runs")

    def commit(self, run: int, name: str, effects: Sequence[Effect], keep: str, record: dict[str, Any]) -> None:
        """Makes `effects` real as one. `keep` is the ending of the files that hold what undoes it.

        Raises `Changed` when a target is not what it was, and `OSError` when the disk refuses; then all is as before.
        """
        bases = [effect.rows for effect in effects if effect.rows is not None]
        effects = [effect for effect in effects if effect.rows is None]
        folder = os.path.join(self.runs, str(run))
        staged: list[str] = [os.path.join(self.pending, f"{run}-{name}.plan")]
        path = os.path.join(self.pending, f"{run}-{name}.json")
        try:
            steps = self._stage_all(effects, staged, folder, name, keep)
            for index, base in enumerate(bases):
                staged.append(kept_rows(folder, name, index, keep))
                base.apply()
                self.disk.write(staged[-1], [base.back().dump()])
            self.disk.sync_folder(folder)
            own = {"run": run, "name": name, "keep": keep, "rows": [base.address for base in bases]}
            journal = {**record, **own, "steps": [list(step) for step in steps]}
            self.disk.write(path + ".new", [json.dumps(journal).encode()])
            self._decide(path + ".new", path)
        except BaseException as error:
            for base in bases:
                base.drop()
            self._drop([path + ".new", *staged], error)
            raise
        try:
            if bases:
                self._commit_rows(bases)
            with contextlib.suppress(OSError):  # it may not last a power cut then: the old version is in that case
                self.disk.sync_folder(self.pending)
            self._go_forward(steps)
        except Unfinished:
            raise
        except StoreError as refusal:
            self._drop([self._turn_back(path, steps, folder, name, keep, bases), *staged], refusal)
            raise
        except OSError as error:
            raise Unfinished(effects[0].path if effects else path, _unfinished(error)) from error
        finally:
            for base in bases:
                base.drop()
        with contextlib.suppress(OSError):  # all is in place; recovery notes that it is done
            self.finished(path, folder, name)

    def _commit_rows(self, bases: Sequence[RowChanges]) -> None:
        """Commits the rows of databases, once it is sure that the journal lasts."""
        try:
            self.disk.sync_folder(self.pending)
        except OSError as error:
            what = f"{error.strerror or error}: the disk failed, so nothing was saved. Run the macro again"
            raise StoreError(bases[0].address, what) from error
        for base in bases:
            _finish(base)

    def _decide(self, old: str, new: str) -> None:
        """Renames, and says that it failed only where it certainly did."""
        try:
            self.disk.rename(old, new)
        except OSError:
            if not os.path.lexists(new):
                raise

    def _turn_back(
        self, journal: str, steps: Sequence[Step], folder: str, name: str, keep: str, bases: Sequence[RowChanges] = ()
    ) -> str:
        """Undoes what was put in place already: one rename decides it, for recovery too. Gives its new name."""
        back = journal.removesuffix("json") + "back"
        try:
            self._decide(journal, back)
            self.go_back(steps, folder, name, keep)
            for base in bases:
                base.drop()
                ours = base.still(True) if _was_made(base) else None
                if ours is not None:
                    make_rows(ours.back())
        except OSError as error:
            raise Unfinished(steps[0].path if steps else journal, _unfinished(error)) from error
        return back

    def _drop(self, paths: Iterable[str], error: BaseException) -> None:
        """Clears up after a failure. A stop of the machine clears up nothing: that is recovery's work."""
        if isinstance(error, Exception):
            for path in paths:
                try:
                    self.disk.remove(path)
                except OSError:
                    continue

    @staticmethod
    def _temporary(path: str) -> str:
        """A name beside a target that nobody can guess, and that is never too long."""
        return os.path.join(os.path.dirname(path), f".{os.urandom(12).hex()}.scrub-new")

    def _stage_all(self, effects: Sequence[Effect], staged: list[str], folder: str, name: str, keep: str) -> list[Step]:
        """Writes every new file beside its target, and what undoes it; `staged` gets the names of all that."""
        temporaries = [self._temporary(effect.path) for effect in effects]
        steps: list[Step] = []
        self._plan(staged[0], temporaries)
        for index, effect in enumerate(effects):
            undo_path = os.path.join(folder, f"{name}-{index}.{keep}")
            staged += [undo_path, temporaries[index]]
            steps.append(self._stage(effect, temporaries[index], undo_path))
        for source, digest in {each for effect in effects for each in _read_from(effect)}:
            if self.disk.digest(source) != digest:
                raise Changed(source)
        return steps

    def _stage(self, effect: Effect, temporary: str, undo_path: str) -> Step:
        before = effect.before
        reads = effect.source or (effect.path if before is not None else None)
        old = open(reads, "rb", opener=only_files) if reads is not None else None  # noqa: SIM115 - closed below
        try:
            if effect.patch is None:
                assert old is not None
                size = os.fstat(old.fileno()).st_size
                undo = Patch(before, size, []).inverse(old, "", 0)
                undo.before = None
                self.disk.write(undo_path, undo.dump())
                return Step(effect.path, before, None, None, self.disk.dress_of(effect.path))
            running = new_hash()
            size = 0

            def counted(chunks: Iterable[bytes]) -> Iterable[bytes]:
                nonlocal size
                for chunk in chunks:
                    size += len(chunk)
                    yield chunk

            chunks = counted(hashed(effect.patch.chunks(old), running))
            self.disk.write(temporary, chunks, like=reads, fresh=True)
            after = running.hexdigest()
            if effect.after is not None and after != effect.after:
                raise CannotRead(effect.path, "its undo data is damaged, so it is unchanged")
            dress = effect.dress
            if dress is None and effect.source is not None and effect.patch.is_copy:
                dress = self.disk.dress_of(effect.source)  # one that moves is the same one elsewhere
            if dress is not None:
                self.disk.dress(temporary, dress)
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
        self.disk.write(path, [json.dumps(temporaries).encode()], lasting=False)

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
                self.apply(step)
        self.sync_targets(steps)

    def sync_targets(self, steps: Sequence[Step]) -> None:
        """Makes what was renamed and removed in the folders of the targets last."""
        for folder in {os.path.dirname(step.path) for step in steps}:
            self.disk.sync_folder(folder)

    def apply(self, step: Step) -> None:
        """Puts a target in place, or removes it. Raises a `StoreError` where it is not what was staged."""
        if step.temporary is None:
            with _told_if_refused(self.disk, step.path):
                self.disk.remove(step.path)
        elif self.disk.exists(step.temporary):
            if self.disk.digest(step.temporary) != step.new:
                raise Damaged(step.path)
            if step.old is not None:
                with _told_if_refused(self.disk, step.path):
                    self.disk.rename(step.temporary, step.path)
                return
            try:
                self.disk.rename_new(step.temporary, step.path)
            except FileExistsError:
                raise Changed(step.path) from None

    def finished(self, journal: str, folder: str, name: str) -> None:
        """Makes the journal of a commit its record in the history."""
        self.disk.rename(journal, os.path.join(folder, f"{name}.json"))
        self.disk.sync_folder(folder)
        self.disk.sync_folder(self.pending)
        self.disk.remove(journal.removesuffix("json") + "plan")

    def go_back(self, steps: Sequence[Step], folder: str, name: str, keep: str) -> None:
        """Restores every target that was changed already; leaves one that is neither old nor new. One whose temporary
        file is still there was not changed by this run: another one may have made the very same of it.
        """
        for index, step in enumerate(steps):
            waiting = step.temporary is not None and self.disk.exists(step.temporary)
            if waiting or step.new == step.old or self.disk.digest(step.path) != step.new:
                continue
            if step.old is None:
                self.disk.remove(step.path)
                continue
            undo = Patch.load(self.disk.read(os.path.join(folder, f"{name}-{index}.{keep}")))
            back = self._temporary(step.path)
            if step.new is None:
                self.disk.write(back, undo.chunks(None), fresh=True)
                if step.dress is not None:
                    self.disk.dress(back, Dress(*step.dress))
            else:
                with open(step.path, "rb", opener=only_files) as stream:
                    self.disk.write(back, undo.chunks(stream), like=step.path, fresh=True)
            self.disk.rename(back, step.path)
        self.sync_targets(steps)

    def rows_of(self, address: str, path: str) -> RowChanges:
        """What takes the rows of a database back, as it was kept. Raises `CannotRead`."""
        try:
            data = self.disk.read(path)
            if self.opens_rows is None:
                raise ValueError("databases cannot be opened here")
            return self.opens_rows(address, data)
        except (OSError, ValueError, KeyError, TypeError, IndexError) as error:
            raise CannotRead(path, "its undo data has expired or is damaged") from error
