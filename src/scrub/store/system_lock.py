"""The system's lock on an open file, which it lets go when a process dies.

The system's own calls, because importing a locking package takes a fifth of a small run's time.
"""

from __future__ import annotations

import sys
import time
from typing import BinaryIO

if sys.platform == "win32":
    import msvcrt

    def take(stream: BinaryIO, wait: bool = False) -> bool:
        """Takes the lock; gives whether it has it. Without `wait`, at once."""
        while True:
            stream.seek(0)
            try:
                msvcrt.locking(stream.fileno(), msvcrt.LK_NBLCK, 1)
            except OSError:
                if not wait:
                    return False
                time.sleep(0.05)
            else:
                return True

else:
    import fcntl

    def take(stream: BinaryIO, wait: bool = False) -> bool:
        """The same. Raises `OSError` on a file system without such locks."""
        try:
            fcntl.flock(stream, fcntl.LOCK_EX | (0 if wait else fcntl.LOCK_NB))
        except BlockingIOError:
            return False
        return True
