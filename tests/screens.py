"""A program in a terminal of its own: keys go in, and what the screen shows is read as a person reads it."""

from __future__ import annotations

import contextlib
import fcntl
import os
import pty
import select
import signal
import struct
import sys
import termios
import time
from collections.abc import Callable, Mapping, Sequence
from types import TracebackType

import pyte

#: Seconds after which what was waited for will not come.
PATIENCE = int(os.environ.get("SCREEN_PATIENCE", 300))


def pause(seconds: float) -> None:
    """Waits: for what another program does in its own time."""
    time.sleep(seconds)


def until(condition: Callable[[], object], between: Callable[[], object] = lambda: time.sleep(0.1)) -> None:
    """Waits until something is true; `between` is done after each look. Fails where it would never be."""
    end = time.monotonic() + PATIENCE
    while not condition():
        assert time.monotonic() < end, "it never came"
        between()


KEYS = {
    "enter": "\r", "escape": "\x1b", "tab": "\t", "up": "\x1b[A", "down": "\x1b[B", "right": "\x1b[C",
    "left": "\x1b[D", "backspace": "\x7f", "ctrl-c": "\x03", "page-down": "\x1b[6~",
}  # fmt: skip


class Screen:
    """A process at a terminal of some size."""

    def __init__(
        self,
        words: Sequence[str],
        columns: int = 80,
        rows: int = 24,
        environment: Mapping[str, str] | None = None,
        program: Sequence[str] = (sys.executable, "-m", "scrub"),
    ) -> None:
        self._screen = pyte.Screen(columns, rows)
        self._stream = pyte.ByteStream(self._screen)
        self.raw = b""
        self.code: int | None = None
        self.child, self._handle = pty.fork()
        if self.child == 0:
            given = {**os.environ, "TERM": "xterm-256color", "COLUMNS": "", "LINES": "", **(environment or {})}
            os.execvpe(program[0], [*program, *words], given)
        fcntl.ioctl(self._handle, termios.TIOCSWINSZ, struct.pack("HHHH", rows, columns, 0, 0))

    def __enter__(self) -> Screen:
        return self

    def __exit__(self, kind: type[BaseException] | None, error: BaseException | None, at: TracebackType | None) -> None:
        with contextlib.suppress(ProcessLookupError, ChildProcessError):
            os.kill(self.child, signal.SIGKILL)
            os.waitpid(self.child, 0)
        os.close(self._handle)

    def _read(self, seconds: float) -> bool:
        if not select.select([self._handle], [], [], seconds)[0]:
            return False
        try:
            data = os.read(self._handle, 65536)
        except OSError:
            data = b""
        if not data:
            if self.code is None:
                self.code = os.waitstatus_to_exitcode(os.waitpid(self.child, 0)[1])
            return False
        self.raw += data
        self._stream.feed(data)
        if b"\x1b[6n" in data:  # asks where the cursor is
            os.write(self._handle, f"\x1b[{self._screen.cursor.y + 1};{self._screen.cursor.x + 1}R".encode())
        return True

    @property
    def text(self) -> str:
        """What is on the screen."""
        return "\n".join(each.rstrip() for each in self._screen.display).rstrip()

    def looks(self, row: int) -> list[str]:
        """The looks of the characters of a row: bold, reverse."""
        line = self._screen.buffer[row]
        return [
            " ".join(word for word in ("bold", "reverse") if getattr(line[column], word))
            for column in range(self._screen.columns)
        ]

    def wait(self, *texts: str, without: Sequence[str] = ()) -> str:
        """Reads until all these texts are on the screen, and the others are not."""
        end = time.monotonic() + PATIENCE
        while time.monotonic() < end:
            shown = self.text
            if all(text in shown for text in texts) and not any(text in shown for text in without):
                return shown
            if not self._read(0.2) and self.code is not None:
                break
        shown = self.text
        if all(text in shown for text in texts) and not any(text in shown for text in without):
            return shown
        raise AssertionError(f"{texts} not shown; exit code {self.code}:\n{shown}")

    def press(self, *keys: str) -> None:
        """Presses keys; what has no name is typed."""
        for key in keys:
            os.write(self._handle, KEYS.get(key, key).encode())
            if key == "escape":
                self._read(0.15)
                time.sleep(0.1)

    def end(self) -> int:
        """Reads until the process ends; gives its exit code."""
        until(lambda: self.code is not None, lambda: self._read(0.2))
        assert self.code is not None
        return self.code
