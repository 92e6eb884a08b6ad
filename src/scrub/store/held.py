"""What is held to undo runs: how much it is, and what is let go."""

from __future__ import annotations

import os
import time
from typing import NamedTuple

from scrub.store.disk import Disk

#: The file that keeps a run from being forgotten.
PINNED = "kept"
#: Days with later runs before a run counts as old, whatever the clock says.
_DAYS_OF_USE = 7


class Held(NamedTuple):
    """What takes one run back: its size in bytes, when it was written, whether it is pinned, and its files."""

    size: int
    newest: float
    pinned: bool
    names: tuple[str, ...]


def held_in(disk: Disk, runs: str) -> dict[int, Held]:
    """What takes each run back, of the runs in this folder for which anything is held."""
    result: dict[int, Held] = {}
    for name in disk.names(runs):
        entries = disk.entries(os.path.join(runs, name)) if name.isdecimal() else {}
        kept = {entry: stat for entry, stat in entries.items() if entry.endswith((".undo", ".redo"))}
        if kept:
            size = sum(stat.st_size for stat in kept.values())
            newest = max(stat.st_mtime for stat in kept.values())
            result[int(name)] = Held(size, newest, PINNED in entries, tuple(kept))
    return result


def forget_in(disk: Disk, runs: str, days: int, size: int) -> int:
    """Removes what undoes runs older than that many days, and of the others the oldest until the rest is not bigger
    than `size` bytes; gives the number of runs. A run is old once there were runs on some later days too: a clock that
    is wrong for a day makes nothing old. Their records stay, and so do runs that were pinned.
    """
    held = held_in(disk, runs)
    oldest, total = time.time() - days * 86_400, sum(each.size for each in held.values())
    used = _used_since(held)
    forgotten = 0
    for number in sorted(held)[:-1]:  # the last run can always be undone
        is_old = held[number].newest < oldest and used[number] >= min(days, _DAYS_OF_USE)
        if held[number].pinned or not (is_old or total > size):
            continue
        for name in held[number].names:
            disk.remove(os.path.join(runs, str(number), name))
        total -= held[number].size
        forgotten += 1
    return forgotten


def _used_since(held: dict[int, Held]) -> dict[int, int]:
    """For each run, on how many days there were later ones."""
    result: dict[int, int] = {}
    days: set[int] = set()
    for number in sorted(held, reverse=True):
        result[number] = len(days)
        days.add(int(held[number].newest // 86_400))
    return result
