"""New files that a macro makes beside the file it works on."""

from __future__ import annotations

import os
from collections.abc import Callable

from scrub.model.core.files import FilePath, placed
from scrub.store.access import note_access
from scrub.store.patch import Effect, Patch, claim, is_claimed, release


class Beside:
    """Gathers what is to be made beside the file at a path."""

    def __init__(self, path: str) -> None:
        self.path = path
        self._files: dict[str, Patch] = {}
        self._taken: set[str] = set()
        self._numbers: dict[str, int] = {}  # the last number that a name got

    @property
    def idle(self) -> bool:
        """Whether there is nothing to make."""
        return not self._files

    def whole(self, to: str) -> str:
        """A path as it is meant: a relative one counts from the picked file."""
        return placed(os.path.dirname(self.path), to)

    def shown(self, path: str) -> str:
        """A path as a person is told it: from the folder of the picked file on."""
        found = os.path.relpath(path, os.path.dirname(self.path))
        return path if found.startswith("..") else found

    def save(self, patch: Patch, to: FilePath | None, name: str) -> tuple[str, Callable[[], None]]:
        """A new file in a folder, under a name that is free there; gives its path, and how to undo it."""
        path = self.free(to or ".", name)
        self._files[path] = patch

        def revert() -> None:
            self._files.pop(path, None)
            self._taken.discard(path)
            release(path)
            self._numbers.clear()

        return self.shown(path), revert

    def free(self, folder: str, name: str) -> str:
        """A path in a folder that is free, with a number where it is taken: many files may have one name."""
        path = os.path.join(self.whole(folder), name)
        stem, ending = os.path.splitext(path)
        number = self._numbers.get(path, 1)
        found = path if number == 1 else f"{stem} ({number}){ending}"
        note_access(found)
        while found in self._taken or is_claimed(found) or os.path.lexists(found):
            number += 1
            found = f"{stem} ({number}){ending}"
            note_access(found)
        self._numbers[path] = number
        self._taken.add(found)
        return claim(found)

    def effects(self) -> list[Effect]:
        """What is to be done."""
        return [Effect(path, patch, None) for path, patch in self._files.items()]
