"""What a stop of the machine cut short is finished, or undone, when Scrub runs again."""

from __future__ import annotations

import contextlib
import json
import os
from collections.abc import Sequence

from scrub.store.commit import Committer, Journal, Step, kept_rows, make_rows
from scrub.store.errors import StoreError
from scrub.store.locks import locked, unlock_after_crash
from scrub.store.rows import Look, RowChanges


def _rows_are_there(fate: bool | None, look: Look) -> bool | None:
    """Whether the rows of an interrupted run are there, by what is found of those that take them back; None where
    nobody can tell. What was committed may have been taken back since, by a recovery that was interrupted too.
    """
    if look.new and not look.old:
        return False
    return fate if fate is not None or look.made is None else not look.made


class Recovery:
    """Finishes or undoes what a committer was stopped at."""

    def __init__(self, committer: Committer) -> None:
        self._committer, self._disk = committer, committer.disk

    def recover(self) -> list[str]:
        """Finishes or undoes what was cut short; a sentence for each file that needs a person. No journal stops
        another one.
        """
        told: list[str] = []
        entries = self._disk.names(self._committer.pending)
        for entry in entries:
            path = os.path.join(self._committer.pending, entry)
            if not entry.endswith((".json", ".back")):
                continue
            try:
                journal = Journal.read(self._disk.read(path))
            except (ValueError, KeyError, TypeError, AttributeError):
                told.append(self._set_aside(path))
                continue
            steps = journal.steps
            addresses = [address for part in journal.parts for address in part["rows"]]
            away = next((step.path for step in steps if not os.path.isdir(os.path.dirname(step.path))), None)
            if away is not None:
                told.append(f"{away}: its folder is missing. An interrupted run there is completed when it is back.")
                continue
            try:
                folder = os.path.join(self._committer.runs, str(journal.run))
                bases = [
                    self._committer.rows_of(address, kept_rows(folder, journal.name, index, journal.keep))
                    for index, address in enumerate(addresses)
                ]
                told += self._recover_one(path, folder, journal, bases)
            except (OSError, ValueError, KeyError, TypeError, StoreError) as error:
                what = getattr(error, "strerror", None) or getattr(error, "what", "its recovery data is damaged")
                at = steps[0].path if steps else addresses[0] if addresses else path
                told.append(f"{at}: an interrupted run there could not be completed: {what}.")
        waiting = [entry for entry in self._disk.names(self._committer.pending) if entry.endswith((".json", ".back"))]
        left = {entry.rpartition(".")[0] for entry in waiting}
        for entry in entries:
            if entry.endswith((".plan", ".new")) and entry.rpartition(".")[0].removesuffix(".json") not in left:
                self._clear_plan(os.path.join(self._committer.pending, entry))
        return told

    def _set_aside(self, path: str) -> str:
        aside = os.path.join(os.path.dirname(self._committer.pending), "aside")
        self._disk.make_folder(aside)
        kept = os.path.join(aside, os.path.basename(path))
        self._disk.rename(path, kept)
        return f"The recovery data of an interrupted run cannot be read. It was moved to: {kept}"

    def _clear_plan(self, path: str) -> None:
        """Removes the temporary files of a commit that was cut short before it counted."""
        if path.endswith(".plan") and self._disk.exists(path):
            try:
                temporaries = json.loads(self._disk.read(path))
            except ValueError:  # cut while it was written: nothing was staged yet
                temporaries = []
            for temporary in temporaries if isinstance(temporaries, list) else ():
                if isinstance(temporary, str) and temporary.endswith(".scrub-new"):
                    with contextlib.suppress(OSError):
                        self._disk.remove(temporary)
        self._disk.remove(path)

    def _recover_one(self, path: str, folder: str, journal: Journal, bases: Sequence[RowChanges]) -> list[str]:
        for step in journal.steps:
            unlock_after_crash(self._disk, step.path)
        with locked(self._disk, [step.path for step in journal.steps]):
            return self._settle(path, folder, journal, bases)

    def _settle(self, path: str, folder: str, journal: Journal, bases: Sequence[RowChanges]) -> list[str]:
        """What is to be done with one journal, while its targets are held. `bases` take the rows of databases back,
        and are of one part alone.
        """
        fates = [base.fate() for base in bases]
        looks = [base.look() for base in bases]
        there = [_rows_are_there(fate, look) for fate, look in zip(fates, looks, strict=True)]
        told = [
            f"{base.address}: other programs have since changed records of an interrupted run. They are unchanged."
            for base, look, made in zip(bases, looks, there, strict=True)
            if look.changed(None if made is None else not made)
        ]  # fmt: skip
        forward = [
            part for part in journal.parts if path.endswith(".json") and all(there) and self._is_fine(part["steps"])
        ]
        back = [part for part in journal.parts if part not in forward]
        self._finish_steps([step for part in forward for step in part["steps"]])
        for part in back:
            told += self._go_back(part["steps"], folder)
        if back:
            for base, made in zip(bases, there, strict=True):
                ours = base.still(False) if made else None
                if ours is not None:
                    make_rows(ours)
        if forward:
            if back:  # only what was done becomes a part of the history
                rewritten = journal._replace(parts=forward)
                self._disk.write(path + ".new", rewritten.written())
                self._disk.rename(path + ".new", path)
                self._disk.sync_folder(self._committer.pending)
            self._committer.finished(path, folder, journal.name)
            return told
        kept = {str(step.kept[0]) for step in journal.steps if step.kept is not None}
        for name in sorted(kept):
            self._disk.remove(os.path.join(folder, os.path.basename(name)))
        self._disk.remove(path)
        self._disk.sync_folder(self._committer.pending)
        for index in range(len(bases)):  # a journal that is still there needs them
            self._disk.remove(kept_rows(folder, journal.name, index, journal.keep))
        return told

    def _is_fine(self, steps: Sequence[Step]) -> bool:
        """Whether a part can be finished: each target is new, or is old and its new version is there."""
        for step in steps:
            found = self._disk.digest_afresh(step.path)
            if found != step.new and not (found == step.old and self._staged(step)):
                return False
        return True

    def _go_back(self, steps: Sequence[Step], folder: str) -> list[str]:
        now = [self._disk.digest_afresh(step.path) for step in steps]
        self._committer.go_back(steps, folder)
        told = []
        for step, found in zip(steps, now, strict=True):
            if found not in (step.old, step.new):
                told.append(self._keep_both(step))
            elif step.temporary is not None:
                self._disk.remove(step.temporary)
        return told

    def _finish_steps(self, steps: Sequence[Step]) -> None:
        """Puts in place what is not there yet."""
        for step in steps:
            if self._disk.digest_afresh(step.path) != step.new:
                self._committer.apply(step)
            elif step.temporary is not None:
                self._disk.remove(step.temporary)
        self._committer.sync_targets(steps)

    def _staged(self, step: Step) -> bool:
        return step.temporary is None or self._disk.digest_afresh(step.temporary) == step.new

    def _keep_both(self, step: Step) -> str:
        if step.temporary is None or not self._disk.exists(step.temporary):
            return f"{step.path} was edited after a run was interrupted. It is unchanged."
        stem, ending = os.path.splitext(step.path)
        beside, number = f"{stem} (from the run){ending}", 2
        while self._disk.exists(beside):
            beside, number = f"{stem} (from the run {number}){ending}", number + 1
        self._disk.rename(step.temporary, beside)
        return f"{step.path} was edited after a run was interrupted. It is unchanged; the run's version is {beside}."
