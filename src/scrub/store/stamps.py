"""By what a file is known to be unchanged without reading it again: what the system notes of each change.

A stamp is the device, the number of the file on it, its size, and when its bytes and its entry changed last. Two equal
stamps are of the same bytes where the file system is of this machine and notes these times finely, and where the last
change was two seconds before the first stamp, so that a later one has another time. Anything else is hashed.
"""

from __future__ import annotations

import os
import stat
import sys
import time
from functools import cache
from typing import NamedTuple

#: Nanoseconds since the last change after which a stamp lasts.
_AGE = 2_000_000_000
#: A time that is a multiple of that many nanoseconds may be one of a file system that notes whole ones only.
_COARSE = 1_000_000
#: File systems of this machine that note when a file changed, each time it does.
_LOCAL = frozenset(("ext4", "xfs", "btrfs", "f2fs", "tmpfs", "zfs"))
#: Hashes that are kept, at the most.
_MOST = 4096


class Stamp(NamedTuple):
    """What the system notes of a file."""

    device: int
    number: int
    size: int
    modified: int
    changed: int


def stamp_of(found: os.stat_result) -> Stamp:
    """The stamp of a file."""
    return Stamp(found.st_dev, found.st_ino, found.st_size, found.st_mtime_ns, found.st_ctime_ns)


@cache
def _devices() -> frozenset[int]:
    """The devices whose stamps can be trusted (Linux: proc(5), mountinfo)."""
    devices = set()
    try:
        with open("/proc/self/mountinfo", encoding="utf-8", errors="replace") as stream:
            for line in stream:
                before, _, after = line.partition(" - ")
                major, minor = map(int, before.split()[2].split(":"))
                if after.split()[0] in _LOCAL:
                    devices.add(os.makedev(major, minor))
    except (OSError, ValueError, IndexError):  # another system, or one that does not tell
        return frozenset()
    return frozenset(devices)


def lasts(stamp: Stamp) -> bool:
    """Whether a stamp that was just taken changes with the next change of the file."""
    if sys.platform == "win32" or (stamp.changed % _COARSE == 0 and stamp.modified % _COARSE == 0):
        return False
    if sys.platform == "linux" and stamp.device not in _devices():
        return False
    return time.time_ns() - max(stamp.modified, stamp.changed) > _AGE


class KnownHashes:
    """The hashes of files that were read in this process, by stamps that last."""

    def __init__(self) -> None:
        self._known: dict[Stamp, str] = {}

    def find(self, handle: int) -> str | None:
        """The hash of an open file; None where it must be read."""
        if not self._known:
            return None
        found = os.fstat(handle)
        stamp = stamp_of(found)
        return self._known.get(stamp) if stat.S_ISREG(found.st_mode) else None

    def keep(self, stamp: Stamp, digest: str) -> None:
        """Keeps a hash, under a stamp that lasts."""
        while len(self._known) >= _MOST:
            del self._known[next(iter(self._known))]
        self._known[stamp] = digest


KNOWN = KnownHashes()
