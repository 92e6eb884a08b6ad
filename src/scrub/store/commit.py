"""The commit protocol: several files change together, or none does, whenever the machine stops.

1. Each new file is written beside its target under a temporary name, and synced.
2. What undoes them is written into the run's folder, as one file, and synced.
3. The journal is written, synced, renamed into `pending/`: this is the commit point. From here on it is done, and said
   to be; what the disk refuses is finished by recovery.
4. Each target is locked, its hash and that of the temporary file compared once more, or what the system notes of them
   (`stamps`), and the one renamed over the other; the folders are synced. Where a target is another one by now, the
   journal gets the ending of those that go back, and all of them do.
5. The journal is renamed into the run's folder: done.

Several commits can share all this, each a part of one journal: then a file costs one sync of its own. Recovery looks at
each part by itself, so that each stays all or nothing.

Rows of a database are written before step 3, in a transaction that is committed after it and before step 4.

Recovery at the next start looks at every journal in `pending/`. A part goes forward when each target, or else its
temporary file, has the new hash; otherwise back; and never over a file that is neither old nor new. A journal that
cannot be read is set aside, one whose drive is away waits; neither stops the others.
"""

from __future__ import annotations

import contextlib
import json
import os
from collections.abc import Iterable, Iterator, Mapping, Sequence
from typing import Any, NamedTuple

from scrub.store.disk import Disk, Dress, digest_known, hashed, only_files
from scrub.store.errors import CannotRead, Changed, Damaged, InUse, ReadOnly, StoreError, Unfinished
from scrub.store.hashing import hash_of, new_hash
from scrub.store.locks import locked
from scrub.store.patch import Effect, Patch
from scrub.store.rows import OpensRows, RowChanges
from scrub.store.stamps import Stamp

#: New files that are written one after the other; more of them by this many threads.
_ALONE, _THREADS = 4, 8


class Step(NamedTuple):
    """One target in a journal: its path, the hash it goes from and to (None: no file), its temporary file, and where
    what undoes it is kept: a file in the folder of the run, and its part of that in bytes.
    """

    path: str
    old: str | None
    new: str | None
    temporary: str | None
    dress: Sequence[Any] | None = None  # of a file that is removed: a `Dress`
    kept: Sequence[Any] | None = None  # name, start, length; None where it is a file of its own, or needs none


class Part(NamedTuple):
    """One commit among those that are made together: all that it changes, or nothing of it."""

    name: str
    effects: Sequence[Effect]
    more: Mapping[str, Any]  # what is kept of it besides
    record: bytes = b"{}"  # the caller's own record of it, in JSON


class Journal(NamedTuple):
    """What is decided: parts of a run, each with its steps, and the ending of the files that undo them."""

    run: int
    name: str
    keep: str
    parts: list[dict[str, Any]]

    @classmethod
    def read(cls, data: bytes) -> Journal:
        """A journal as it was written. Raises `ValueError`, `KeyError` or `TypeError` for a damaged one."""
        found = json.loads(data)
        if not isinstance(found, dict):
            raise TypeError("a journal is an object")
        name, keep = str(found["name"]), str(found["keep"])
        alone = "parts" not in found  # as it was once written: without a list, and with a file for each step
        parts = [found] if alone else found["parts"]
        for part in parts:
            part["steps"] = [Step(*step) for step in part["steps"]]
            part["rows"] = [str(each) for each in part.get("rows", ())]
            if alone:
                part["steps"] = [
                    step._replace(kept=(f"{name}-{index}.{keep}", 0, -1)) for index, step in enumerate(part["steps"])
                ]
        return cls(int(found["run"]), name, keep, parts)

    def written(self) -> list[bytes]:
        """The journal as it is written."""
        parts = [json.dumps({**part, "steps": [list(step) for step in part["steps"]]}).encode() for part in self.parts]
        return _journal(self.run, self.name, self.keep, parts)

    @property
    def steps(self) -> list[Step]:
        """Those of all parts."""
        return [step for part in self.parts for step in part["steps"]]


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


class _Made(NamedTuple):
    """A new version that was written beside its target: its hash and size, or those of nothing for what goes."""

    after: str | None
    size: int
    dress: Sequence[Any] | None = None  # of a file that goes


class _Undoing:
    """What undoes many effects, as one file; where each begins is known once it was written."""

    def __init__(self, disk: Disk, effects: Sequence[Effect], made: Sequence[_Made]) -> None:
        self._disk, self._effects, self._made = disk, effects, made
        self.spans: dict[int, tuple[int, int]] = {}  # start and length, by the number of the effect

    def chunks(self) -> Iterator[bytes]:
        """The file, in chunks."""
        at = 0
        for number, effect in enumerate(self._effects):
            if effect.before is None:
                continue
            start = at
            for chunk in self._patch(effect, self._made[number]).dump():
                at += len(chunk)
                yield chunk
            self.spans[number] = start, at - start

    def _patch(self, effect: Effect, made: _Made) -> Patch:
        """What gives a target its old content back; for one replaced by another, all of it."""
        try:
            if effect.source is not None and effect.patch is not None:
                return Patch(made.after, made.size, [self._disk.read(effect.path)])
            with open(effect.path, "rb", opener=only_files) as old:
                if effect.patch is not None:
                    return effect.patch.inverse(old, made.after or "", made.size)
                undo = Patch(effect.before, made.size, []).inverse(old, "", 0)
                undo.before = None
                return undo
        except ValueError as error:
            raise Changed(effect.path) from error


def _as_json(part: Part, steps: Sequence[Step], rows: Sequence[str]) -> bytes:
    """A part as a journal contains it; its record is in JSON already."""
    own = {**part.more, "name": part.name, "rows": rows, "steps": [list(step) for step in steps]}
    return json.dumps(own)[:-1].encode() + b', "record": ' + part.record + b"}"


def _journal(run: int, name: str, keep: str, parts: Sequence[bytes]) -> list[bytes]:
    """A journal as it is written; one of one part has that around it."""
    own = json.dumps({"run": run, "name": name, "keep": keep}).encode()
    return [own[:-1], b', "parts": [', b", ".join(parts), b"]}"]


class Committer:
    """Makes effects real; what was cut short is for `scrub.store.recovery`."""

    def __init__(self, home: str, disk: Disk, opens_rows: OpensRows | None = None) -> None:
        self.disk = disk
        self.opens_rows = opens_rows
        self._stamps: dict[str, Stamp] = {}  # of the temporary files that were written here, and hashed as they were
        self.threads = _THREADS  # those that write and sync new files
        self.pending = os.path.join(home, "pending")
        self.runs = os.path.join(home, "runs")

    def commit(self, run: int, name: str, parts: Sequence[Part], keep: str) -> None:
        """Makes the effects of all parts real as one. `name` is that of the journal, `keep` the ending of the file
        that contains what undoes them. Only one part alone may change rows of databases.

        Raises `Changed` when a target is not what it was, and `OSError` when the disk refuses; then all is as before.
        """
        bases = [effect.rows for part in parts for effect in part.effects if effect.rows is not None]
        folder = os.path.join(self.runs, str(run))
        staged: list[str] = [os.path.join(self.pending, f"{run}-{name}.plan")]
        path = os.path.join(self.pending, f"{run}-{name}.json")
        try:
            by_part = self._stage_all(parts, staged, folder, name, keep)
            for index, base in enumerate(bases):
                staged.append(kept_rows(folder, name, index, keep))
                base.apply()
                self.disk.write(staged[-1], [base.back().dump()])
            self.disk.sync_folder(folder)
            addresses = [base.address for base in bases]
            told = [_as_json(part, steps, addresses) for part, steps in zip(parts, by_part, strict=True)]
            self.disk.write(path + ".new", _journal(run, name, keep, told))
            self._decide(path + ".new", path)
        except BaseException as error:
            for base in bases:
                base.drop()
            self._drop([path + ".new", *staged], error)
            raise
        steps = [step for each in by_part for step in each]
        try:
            if bases:
                self._commit_rows(bases)
            with contextlib.suppress(OSError):  # it may not last a power cut then: the old version is in that case
                self.disk.sync_folder(self.pending)
            self._go_forward(steps)
        except Unfinished:
            raise
        except StoreError as refusal:
            self._drop([self._turn_back(path, steps, folder, bases), *staged], refusal)
            raise
        except OSError as error:
            raise Unfinished(steps[0].path if steps else path, _unfinished(error)) from error
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

    def _turn_back(self, journal: str, steps: Sequence[Step], folder: str, bases: Sequence[RowChanges] = ()) -> str:
        """Undoes what was put in place already: one rename decides it, for recovery too. Gives its new name."""
        back = journal.removesuffix("json") + "back"
        try:
            self._decide(journal, back)
            self.go_back(steps, folder)
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
        self._stamps.clear()
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

    def _stage_all(
        self, parts: Sequence[Part], staged: list[str], folder: str, name: str, keep: str
    ) -> list[list[Step]]:
        """Writes every new file beside its target, and what undoes them; `staged` gets the names of all that."""
        every = [(part, effect) for part in parts for effect in part.effects if effect.rows is None]
        temporaries = [self._temporary(effect.path) for _, effect in every]
        pack = f"{name}.{keep}"
        self._plan(staged[0], temporaries)
        staged += [*temporaries, os.path.join(folder, pack)]
        made = self._staged([effect for _, effect in every], temporaries)
        undoing = _Undoing(self.disk, [effect for _, effect in every], made)
        if any(effect.before is not None for _, effect in every):  # what takes a new file back is its hash alone
            self.disk.write(staged[-1], undoing.chunks())
        steps: dict[int, list[Step]] = {id(part): [] for part in parts}
        for number, (part, effect) in enumerate(every):
            span = undoing.spans.get(number)
            kept = (pack, *span) if span is not None else None
            after, dress = made[number].after, made[number].dress
            steps[id(part)].append(
                Step(
                    effect.path,
                    effect.before,
                    after,
                    temporaries[number] if effect.patch is not None else None,
                    dress,
                    kept,
                )
            )
        for source, digest in {each for _, effect in every for each in _read_from(effect)}:
            if self.disk.digest(source) != digest:
                raise Changed(source)
        return [steps[id(part)] for part in parts]

    def _staged(self, effects: Sequence[Effect], temporaries: Sequence[str]) -> list[_Made]:
        """Writes the new files. Many are synced by several threads at once: most of that is waiting for the disk."""
        if len(effects) < _ALONE or self.threads == 1:
            return list(map(self._stage, effects, temporaries))
        from concurrent.futures import ThreadPoolExecutor  # only for many files

        with ThreadPoolExecutor(self.threads) as threads:
            return list(threads.map(self._stage, effects, temporaries))

    def digests(self, paths: Sequence[str]) -> list[str | None]:
        """The hashes of files, None where there is none; many are read by several threads at once."""
        if len(paths) < _ALONE or self.threads == 1:
            return list(map(self.disk.digest, paths))
        from concurrent.futures import ThreadPoolExecutor

        with ThreadPoolExecutor(self.threads) as threads:
            return list(threads.map(self.disk.digest, paths))

    def _stage(self, effect: Effect, temporary: str) -> _Made:
        if effect.patch is None:
            return _Made(None, os.stat(effect.path).st_size, self.disk.dress_of(effect.path))
        reads = effect.source or (effect.path if effect.before is not None else None)
        old = open(reads, "rb", opener=only_files) if reads is not None else None  # noqa: SIM115 - closed below
        try:
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
            stamp = self.disk.stamp(temporary)
            if stamp is not None:
                self._stamps[temporary] = stamp
            return _Made(after, size)
        except ValueError as error:
            raise Changed(effect.path) from error
        finally:
            if old is not None:
                old.close()

    def _plan(self, path: str, temporaries: list[str]) -> None:
        """Notes which temporary files may be left beside people's files when the machine stops now."""
        self.disk.write(path, [json.dumps(temporaries).encode()], lasting=False)

    def _go_forward(self, steps: Sequence[Step]) -> None:
        with locked(self.disk, [step.path for step in steps if step.old is not None]) as held:
            for step in steps:
                # To close a file that is opened once more would let its record lock go.
                stream = held.get(step.path)
                if (self.disk.digest(step.path) if stream is None else digest_known(stream)) != step.old:
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
            stamp = self._stamps.pop(step.temporary, None)
            if (stamp is None or stamp != self.disk.stamp(step.temporary)) and (
                self.disk.digest_afresh(step.temporary) != step.new
            ):
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

    def go_back(self, steps: Sequence[Step], folder: str) -> None:
        """Restores every target that was changed already; leaves one that is neither old nor new. One whose temporary
        file is still there was not changed by this run: another one may have made the very same of it.
        """
        for step in steps:
            waiting = step.temporary is not None and self.disk.exists(step.temporary)
            if waiting or step.new == step.old or self.disk.digest(step.path) != step.new:
                continue
            if step.old is None:
                self.disk.remove(step.path)
                continue
            undo = self.patch_of(step, folder)
            # A name that is found again, should the machine stop here: what was left half written goes.
            beside = hash_of((step.temporary or step.path).encode("utf-8", "surrogatepass"))[:24]
            back = os.path.join(os.path.dirname(step.path), f".{beside}.scrub-new")
            self.disk.remove(back)
            if step.new is None:
                self.disk.write(back, undo.chunks(None), fresh=True)
                if step.dress is not None:
                    self.disk.dress(back, Dress(*step.dress))
            else:
                with open(step.path, "rb", opener=only_files) as stream:
                    self.disk.write(back, undo.chunks(stream), like=step.path, fresh=True)
            self.disk.rename(back, step.path)
        self.sync_targets(steps)

    def patch_of(self, step: Step, folder: str) -> Patch:
        """What undoes a step, as it was kept in the folder of its run. Raises `ValueError` for what is damaged."""
        if step.kept is None:
            raise ValueError("nothing is kept of it")
        name, *span = step.kept
        return Patch.load(self.disk.read(os.path.join(folder, os.path.basename(str(name))), *map(int, span)))

    def rows_of(self, address: str, path: str) -> RowChanges:
        """What takes the rows of a database back, as it was kept. Raises `CannotRead`."""
        try:
            data = self.disk.read(path)
            if self.opens_rows is None:
                raise ValueError("databases cannot be opened here")
            return self.opens_rows(address, data)
        except (OSError, ValueError, KeyError, TypeError, IndexError) as error:
            raise CannotRead(path, "its undo data has expired or is damaged") from error
