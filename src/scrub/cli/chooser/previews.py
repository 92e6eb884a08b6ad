"""Previews in processes of their own: one works, and one waits with everything imported. Another choice ends the one
that works, whatever it does.
"""

from __future__ import annotations

import contextlib
import json
import subprocess
import sys
import threading
from collections.abc import Callable
from typing import Any

#: Seconds for which a choice rests before its preview begins, and after which one that nobody asked for ends.
_REST, _LONGEST = 0.12, 10.0

Event = dict[str, Any]


class _Worker:
    """One process, and a thread that reads what it finds."""

    def __init__(self, tell: Callable[[_Worker, Event], None]) -> None:
        # -P: a file in the current folder that is called like a module is not imported in its place.
        words = [sys.executable, "-P", "-m", "scrub.cli.chooser.worker"]
        self._process = subprocess.Popen(
            words, stdin=subprocess.PIPE, stdout=subprocess.PIPE, stderr=subprocess.DEVNULL, start_new_session=True
        )
        self._tell = tell
        threading.Thread(target=self._read, daemon=True).start()

    def _read(self) -> None:
        assert self._process.stdout is not None
        for text in self._process.stdout:
            with contextlib.suppress(ValueError):
                self._tell(self, json.loads(text))
        self._tell(self, {"is": "ended"})

    def ask(self, request: Event) -> None:
        """Gives it something to do."""
        assert self._process.stdin is not None
        with contextlib.suppress(OSError):
            self._process.stdin.write(json.dumps(request).encode() + b"\n")
            self._process.stdin.flush()

    def end(self) -> None:
        """Ends it at once."""
        self._process.kill()
        with contextlib.suppress(OSError):
            if self._process.stdin is not None:
                self._process.stdin.close()
        threading.Thread(target=self._process.wait, daemon=True).start()


class Previews:
    """Asks for one preview at a time; what is found is told from another thread."""

    def __init__(self, tell: Callable[[Event], None]) -> None:
        self._tell = tell
        self._lock = threading.RLock()
        self._active: _Worker | None = None
        self._spare: _Worker | None = None
        self._timers: list[threading.Timer] = []
        self._busy = self._saving = False

    def warm(self) -> None:
        """Starts the process that waits."""
        with self._lock:
            if self._spare is None:
                self._spare = _Worker(self._heard)

    def want(self, request: Event, at_once: bool = False) -> None:
        """Asks for a preview, in place of the one before; it begins when the choice rests."""
        self.stop()
        self._after(0 if at_once else _REST, lambda: self._begin(request))

    def _begin(self, request: Event) -> None:
        with self._lock:
            self._active = self._spare or _Worker(self._heard)
            self._spare = None
            self._busy = True
            self._active.ask(request)
            if not request["wanted"]:
                self._after(_LONGEST, self._too_long)
            self._after(0.3, self.warm)

    def _too_long(self) -> None:
        with self._lock:
            if not self._busy:
                return
            self._end_active()
        self._tell({"is": "too long"})

    def save(self, request: Event) -> None:
        """Lets the one that prepared a run save it. That is never ended."""
        with self._lock:
            self._forget_timers()
            if self._active is not None:
                self._busy, self._saving = False, True
                self._active.ask(request)

    def stop(self) -> None:
        """Ends what is worked on; nothing of it is kept anywhere."""
        with self._lock:
            self._forget_timers()
            self._end_active()

    def close(self) -> None:
        """Ends both."""
        self.stop()
        with self._lock:
            if self._spare is not None:
                self._spare.end()
                self._spare = None

    def _end_active(self) -> None:
        if self._active is not None and not self._saving:
            self._active.end()
            self._active, self._busy = None, False

    def _heard(self, worker: _Worker, event: Event) -> None:
        with self._lock:
            if worker is not self._active or event["is"] == "ready":
                return
            self._saving = False
            self._busy = self._busy and event["is"] in ("about", "progress", "glimpse")
        self._tell(event)

    def _after(self, seconds: float, do: Callable[[], None]) -> None:
        timer = threading.Timer(seconds, do)
        timer.daemon = True
        self._timers.append(timer)
        timer.start()

    def _forget_timers(self) -> None:
        for timer in self._timers:
            timer.cancel()
        self._timers = []
