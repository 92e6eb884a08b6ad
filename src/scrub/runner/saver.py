"""Saves prepared files in order, several with one journal, each all or nothing."""

from __future__ import annotations

import contextlib
import os
import signal
import threading
import time
from collections.abc import Callable, Iterator, Sequence

from scrub.model.core.problem import Refused, ScrubError
from scrub.runner.explain import is_of, told
from scrub.runner.results import NOT_TRIED, FileResult, Prepared, RunResult, failed
from scrub.runner.sending import Sender
from scrub.store.access import PathKeys
from scrub.store.errors import StoreError
from scrub.store.patch import Effect
from scrub.store.store import GROUP, GROUP_BYTES, Saving, Store

#: Seconds that what is prepared waits for others with which it is saved.
_PATIENCE = 0.2


class ChangedPaths:
    """The paths that a run has changed, each with the number of files that were saved by then."""

    def __init__(self) -> None:
        self.saved = 0
        self._at: dict[str, int] = {}
        self._places = PathKeys()

    def add(self, effects: Sequence[Effect]) -> None:
        """Adds the effects of one more file. They also change the contents of all folders above it."""
        self.saved += 1
        for effect in effects:
            place = self._places.of(effect.path)
            self._at[place] = self.saved
            while (folder := os.path.dirname(place)) != place:
                place = folder
                self._at[os.path.join(folder, "*")] = self.saved

    def concern(self, prepared: Prepared, since: int) -> bool:
        """Whether a prepared file depends on a path that changed after the first `since` files were saved."""
        if since == self.saved:
            return False
        paths = {*prepared.looked, *(effect.path for effect in prepared.effects)}
        return any(self._at.get(self._places.of(path), 0) > since for path in paths)


class Saver:
    """Saves each prepared file, and reports it. Without a store it only reports."""

    def __init__(
        self,
        result: RunResult,
        store: Store | None,
        sender: Sender | None,
        report: Callable[[FileResult], None],
        record: Callable[[], dict[str, object]],
        stops: bool,
    ) -> None:
        """`report` is told of each file that is done, `record` gives what is kept of the run, and `stops` tells that
        the first file that fails ends it.
        """
        self.result = result
        self.changed = ChangedPaths()
        self.stopped = False
        self.first = 1  # the name of the next commit: it goes on after those of a run that is continued
        self._store, self._sender, self._report, self._record = store, sender, report, record
        self._stops = stops
        self.since = 0  # how many files were saved, as the changes count them, when nothing waited last
        self._waiting: list[Prepared] = []
        self._bytes = 0
        self._until = 0.0

    @property
    def waits(self) -> bool:
        """Whether anything is prepared that is not saved so far."""
        return bool(self._waiting)

    def take(self, prepared: Prepared) -> None:
        """Takes the next one. It is saved now, or soon, with others."""
        self.stopped |= self._stops and any(file.problem is not None for file in prepared.files)
        self._waiting.append(prepared)
        if self._store is None or self._is_full(prepared):
            self.flush()

    def _is_full(self, last: Prepared) -> bool:
        """Whether what waits is to be saved now; `last` came last."""
        effects = last.effects
        if effects:
            self.changed.add(effects)
        self._bytes += sum(effect.patch.fresh_bytes for effect in effects if effect.patch is not None)
        if len(self._waiting) == 1:
            self._until = time.monotonic() + _PATIENCE
        if last.sends or any(effect.rows is not None for effect in effects):
            return True
        return len(self._waiting) >= GROUP or self._bytes >= GROUP_BYTES or time.monotonic() >= self._until

    def flush(self) -> None:
        """Saves all that waits, and reports it."""
        waiting, self._waiting, self._bytes, self.since = self._waiting, [], 0, self.changed.saved
        with _uninterrupted():
            if self._store is not None and waiting:
                self._save(waiting)
            for prepared in waiting:
                self.result.files += prepared.files
        for prepared in waiting:
            for file in prepared.files:
                self._report(file)

    def _save(self, waiting: Sequence[Prepared]) -> None:
        """Saves those that change something. What sends is the last one, as nothing waits beside it for long."""
        names = [str(self.first + number) for number in range(len(waiting))]
        self.first += len(waiting)
        together = [(name, each) for name, each in zip(names, waiting, strict=True) if each.effects and not each.sends]
        if together:
            try:
                number = self._begun()
            except (StoreError, OSError) as error:
                for _, prepared in together:
                    _refused(prepared, error)
            else:
                self._save_together(number, together)
        for name, prepared in zip(names, waiting, strict=True):
            if prepared.sends:
                self._send(name, prepared)

    def _begun(self) -> int:
        assert self._store is not None
        if self.result.number is None:
            self.result.number = self._store.begin(self._record())
        return self.result.number

    def _save_together(self, number: int, together: Sequence[tuple[str, Prepared]]) -> None:
        assert self._store is not None
        commits = [Saving(name, prepared.effects, prepared.record()) for name, prepared in together]
        try:
            failures = self._store.save_many(number, commits, self._stops)
        except (StoreError, OSError) as error:  # the history itself cannot be written
            failures = {name: error for name, _ in together}
        for name, prepared in together:
            problem = failures.get(name)
            if problem is not None:
                _refused(prepared, problem)
                self.stopped |= self._stops
            elif self.stopped and failures and int(name) > min(map(int, failures)):
                for file in prepared.files:
                    file.forget(NOT_TRIED)
            else:
                for file in prepared.files:
                    file.notes += [remark for effect in file.effects if effect.rows for remark in effect.rows.remarks]

    def _send(self, name: str, prepared: Prepared) -> None:
        """Saves one that sends messages, and sends them."""
        assert self._store is not None
        try:
            if self._sender is not None:
                self._sender.ensure_allowed(prepared.sends)
            number = self._begun()
            if prepared.effects:
                self._store.save(number, name, prepared.effects, prepared.record())
        except Refused as refused:
            failed(prepared.files, prepared.files[0], refused)
            return
        except (StoreError, OSError, MemoryError) as error:
            _refused(prepared, error)
            return
        if self._sender is not None:
            try:
                self._sender.send(number, prepared.sends, prepared.files[0])
            except OSError as error:  # what is saved is saved; what could not be noted first was not sent
                prepared.files[0].unsent.append(f"not sent: the outbox cannot be written: {error.strerror or error}")


@contextlib.contextmanager
def _uninterrupted() -> Iterator[None]:
    """Delays Ctrl+C until the current files are saved, and recorded as saved."""
    if threading.current_thread() is not threading.main_thread() or signal.getsignal(signal.SIGINT) is None:
        yield
        return
    pressed: list[int] = []
    former = signal.signal(signal.SIGINT, lambda number, frame: pressed.append(number))
    try:
        yield
    finally:
        signal.signal(signal.SIGINT, former)
        if pressed and callable(former):
            former(pressed[0], None)


def _refused(prepared: Prepared, error: Exception) -> None:
    """Notes that nothing of it could be saved, at the file that was refused."""
    at = next((file for file in prepared.files if is_of(error, file.path)), prepared.files[0])
    problem = error if isinstance(error, ScrubError) else told(error, at.path)
    failed(prepared.files, at, problem)
