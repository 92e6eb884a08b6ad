"""The actions that Python programs have declared: those of this one, and those of installed packages."""

from __future__ import annotations

import os
import sys
from collections.abc import Callable, Iterator
from functools import cache

#: The actions declared so far, by the word of their kind.
OWN_ACTIONS: list[tuple[str, Callable[..., object]]] = []

#: The group of entry points by which a package names its modules with actions.
GROUP = "scrub.actions"


@cache
def load_packages() -> None:
    """Imports the modules that installed packages name under `scrub.actions`, which declare their actions. Raises
    `BadCall` for one that cannot be imported.
    """
    if not any(map(_names_actions, _entry_points())):
        return
    from importlib.metadata import entry_points

    from scrub.model.core.problem import BadCall

    for point in sorted(entry_points(group=GROUP), key=lambda each: each.value):
        try:
            point.load()
        except Exception as error:
            raise BadCall(
                f"the actions of {point.value} cannot be loaded: {type(error).__name__}: {error}. Remove its package, "
                "or install a newer version"
            ) from error


def _entry_points() -> Iterator[str]:
    """The files in which packages name their entry points. To look for the group here takes a hundredth of the time
    that the standard library needs to read them all.
    """
    for folder in dict.fromkeys(sys.path):
        try:
            names = os.listdir(folder or ".")
        except OSError:
            continue
        for name in names:
            if name.endswith((".dist-info", ".egg-info")):
                yield os.path.join(folder, name, "entry_points.txt")


def _names_actions(path: str) -> bool:
    try:
        with open(path, "rb") as stream:
            return GROUP.encode() in stream.read()
    except OSError:
        return False
