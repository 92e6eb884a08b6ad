"""Runs in a notebook: how far one has come is shown below its cell."""

from __future__ import annotations

import time
from typing import Any

from scrub.model.core.host import QuietHost

#: Seconds after which a run shows how far it has come, and between two times.
_AFTER, _PAUSE = 1.0, 0.5


class NotebookHost(QuietHost):
    """Whoever works in a notebook: told how far a long run has come."""

    watching = True

    def __init__(self) -> None:
        super().__init__()
        self._began = time.monotonic()
        self._next = self._began + _AFTER
        self._display: Any = None

    def progress(self, done: float, of: int, label: str) -> None:
        """Shows it, in one line that is written again."""
        now = time.monotonic()
        if now < self._next:
            return
        self._next = now + _PAUSE
        from IPython import display as module

        display: Any = module.display
        text = f"{int(done):,} of {of:,} files done; now {label}"
        if self._display is None:
            self._display = display({"text/plain": text}, raw=True, display_id=True)
        else:
            self._display.update({"text/plain": text}, raw=True)

    def done(self) -> None:
        """Takes the line away."""
        if self._display is not None:
            self._display.update({"text/plain": ""}, raw=True)
