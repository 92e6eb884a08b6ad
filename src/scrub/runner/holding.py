"""A run that was prepared, is shown, and is then saved exactly as shown, without a second run."""

from __future__ import annotations

import os
from collections.abc import Callable, Iterable, Sequence

from scrub.model.core.host import Host
from scrub.model.core.problem import BadCall, Refused, listed
from scrub.runner.results import CHANGED, FileResult, Interrupted, Prepared, RunResult, failed
from scrub.store.hashing import new_hash


class Held:
    """What a run would do, kept in memory. `files` are its results, as those of a preview; `commit` saves them."""

    def __init__(
        self,
        title: str,
        prepared: Sequence[Prepared],
        commit: Callable[[Sequence[Prepared], Host | None], RunResult],
        only_reads: bool = False,
    ) -> None:
        self._prepared, self._commit, self._only_reads = list(prepared), commit, only_reads
        self.title = title
        #: The run that came of it; None before.
        self.result: RunResult | None = None

    @property
    def files(self) -> list[FileResult]:
        """What would come of each file."""
        return [file for prepared in self._prepared for file in prepared.files]

    @property
    def preview(self) -> RunResult:
        """The same as the result of a preview."""
        result = RunResult(self.title, True)
        result.only_reads, result.files = self._only_reads, self.files
        return result

    @property
    def saves(self) -> bool:
        """Whether anything would be saved or sent."""
        return any(file.state == CHANGED for file in self.files)

    def __repr__(self) -> str:
        state = "held" if self.result is None else f"run {self.result.number}"
        return f"<Held {self.title!r}: {state}, {len(self.files)} files>"

    def commit(self, only: Iterable[str] | None = None, host: Host | None = None) -> RunResult:
        """Saves exactly what was shown, as a run that can be undone; `only` names the files to save, None for all.
        `host` decides about what is to be sent; None for the one that the run was prepared with.

        A file that was edited in between fails, and so does one whose result depends on a file that this very run
        changes: prepare those again. Raises `BadCall` for files that were not prepared, and at the second call, and
        `Interrupted` as `run` does.
        """
        if self.result is not None:
            raise BadCall("these changes were saved already. Prepare the run again")
        chosen = self._prepared if only is None else self._chosen(list(only))
        try:
            self.result = self._commit(chosen, host)
        except Interrupted as end:
            self.result = end.result
            raise
        return self.result

    def _chosen(self, only: list[str]) -> list[Prepared]:
        """What was prepared of these files, in its order."""
        wanted = {os.path.realpath(path) for path in only}
        known = {os.path.realpath(file.path): file.path for file in self.files}
        unknown = sorted(wanted - known.keys())
        if unknown:
            raise BadCall(f"not prepared: {listed(unknown)}. Prepared: {listed(known.values())}")
        found = []
        for prepared in self._prepared:
            inside = {os.path.realpath(file.path) for file in prepared.files} & wanted
            if inside and len(inside) < len(prepared.files):
                raise BadCall(f'"{self.title}" works on all files together: save all of them, or none')
            found += [prepared] if inside else []
        return found


def outdated(prepared: Prepared, why: str = "its result depends on a file that this run changes") -> None:
    """Makes what was prepared of a file a failure, since it would not be what was shown."""
    problem = Refused(f"{prepared.files[0].path}: {why}, so it is not what was shown. Prepare it again")
    failed(prepared.files, prepared.files[0], problem)


def size_of(prepared: Prepared) -> int:
    """How many bytes are kept of what was prepared."""
    return sum(effect.patch.fresh_bytes for effect in prepared.effects if effect.patch is not None)


def proof_of(prepared: Prepared) -> bytes:
    """What is the same where the same was prepared again: the changes, and the files that are changed."""
    found = new_hash()
    for file in prepared.files:
        found.update(file.pack().data)
        found.update(repr((file.path, file.state, file.made, file.also, file.said, str(file.problem))).encode())
    found.update(repr([(effect.path, effect.before) for effect in prepared.effects]).encode("utf-8", "surrogatepass"))
    return found.digest()
