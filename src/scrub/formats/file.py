"""What all files of the disk have in common when they are open: where they are, their changes, their copies."""

from __future__ import annotations

import io
import os
from collections.abc import Sequence

from scrub.formats.endings import ENDINGS
from scrub.formats.opened_item import OpenedItem
from scrub.formats.rewritten import rewritten
from scrub.formats.source import Source
from scrub.model.core.files import FilePath, WholeFile, ensure_file_name, placed
from scrub.model.core.problem import Failure, FileProblem
from scrub.model.core.required import required
from scrub.store.inuse import ensure_free
from scrub.store.patch import Copy, Effect, Patch, free_path, release, whole


class PickedFile(OpenedItem, WholeFile):
    """A file opened for changes. Nothing is written; `effects` says what is to be written."""

    def __init__(self, source: Source) -> None:
        super().__init__()
        self.source = source
        self._copies: list[str] = []
        self._moved: tuple[str, FilePath | None] | None = None  # another name, and another folder

    def problem(self, what: str) -> FileProblem:
        """A problem with this file."""
        return self.source.problem(what)

    @property
    def address(self) -> str:
        """Its path, with links followed."""
        return self.source.path

    @property
    def shown(self) -> str:
        """Its path as the person wrote it."""
        return self.source.shown

    @property
    def name(self) -> str:
        """The file's name, with its ending."""
        return os.path.basename(self.source.shown)

    def embed(self, title: str, text: str) -> None:
        """Puts a macro inside."""
        raise Failure(f"{self.name}: files of this format cannot contain macros. Save it as .xlsx first")

    def save_copy(self, to: FilePath | None = None, name: FilePath | None = None) -> None:
        """Saves it once more."""
        path = copy_path(self.source.path, self.name, to, name, self._copies)
        self._copies.append(path)

        def revert() -> None:
            self._copies.remove(path)
            release(path)

        self.changed(f"copy {path}", None, path, revert, f"copy saved: {os.path.relpath(path)}")

    def rename(self, to: FilePath) -> None:
        """Gives it another name in its folder."""
        name = str(to).strip()
        ensure_file_name(name)
        name = name if os.path.splitext(name)[1] else name + os.path.splitext(self.name)[1]
        before, folder = self._moved or (self.name, None)
        if name != before:
            self._move("name", before, name, (name, folder))

    def move(self, to: FilePath) -> None:
        """Puts it into another folder."""
        name, before = self._moved or (self.name, None)
        placed(os.path.dirname(self.source.path), to)  # fails where it leads out
        if to != before:
            self._move("folder", before, str(to), (name, to))

    def _move(self, field: str, before: str | None, after: str, moved: tuple[str, FilePath | None]) -> None:
        if self.source.fresh:
            raise Failure(f"{self.name} is a new file. Name it in the line that creates it")
        former, self._moved = self._moved, moved

        def revert() -> None:
            self._moved = former

        self.changed(field, before, after, revert)

    @required
    def patch(self) -> Patch | None:
        """What makes the changed file of the old one, or None when nothing is to be written."""
        raise NotImplementedError

    def rewritten(self, fresh: bytes) -> Patch:
        """What makes other bytes of the old ones; what both begin and end with is kept."""
        return rewritten(self.source, fresh)

    def ensure_free(self) -> None:
        """Raises `InUse` or `ReadOnly` when it cannot be changed now."""
        ensure_free(self.source.path)

    def effects(self, into: str | None = None) -> list[Effect]:
        """What saving it comes to: its copies, and the file itself where it was changed, or `into` in its place."""
        source, patch = self.source, self.patch()
        if source.fresh and into is not None:
            data = source.read(0, source.size)
            return [Effect(into, whole(data if patch is None else b"".join(patch.chunks(io.BytesIO(data)))), None)]
        if not self._copies and self._moved is None and into is None:
            return [Effect(source.path, patch, source.digest)] if patch else []
        copied = patch or Patch(source.digest, source.size, [Copy(0, source.size)])
        found = [Effect(path, copied, None, source.path) for path in self._copies]  # they read it before it changes
        if self._moved is not None:
            return [*found, *self._as_moved(*self._moved, copied, into)]
        if into is not None:
            return [Effect(into, copied, None, source.path), *found]
        return [*found, Effect(source.path, patch, source.digest)] if patch else found

    def _as_moved(self, name: str, folder: FilePath | None, patch: Patch, into: str | None) -> list[Effect]:
        """It is elsewhere; with `into` the file itself stays."""
        source = self.source
        where = placed(os.path.dirname(into or source.path), folder or ".")
        target = free_path(os.path.join(where, name), lambda each: os.path.lexists(each) or each in self._copies)
        made = Effect(target, patch, None, source.path)
        return [made] if into is not None else [made, Effect(source.path, None, source.digest)]

    def close(self) -> None:
        """Lets the file go."""
        self.source.close()


def copy_path(path: str, name: str, to: FilePath | None, wanted: FilePath | None, taken: Sequence[str]) -> str:
    """Where a copy goes: a free path in a folder, under the file's own or another name. Raises `Failure`."""
    own, ending = str(wanted) if wanted else name, os.path.splitext(name)[1]
    if os.path.splitext(own)[1].lower() in ENDINGS and os.path.splitext(own)[1].lower() != ending.lower():
        raise Failure(
            f'"{own}" has another format than {name}, and a copy keeps its format. Leave the file extension out: '
            f"{ending} is added"
        )
    if os.path.splitext(own)[1].lower() != ending.lower():
        own += ending
    ensure_file_name(own)
    path = os.path.join(placed(os.path.dirname(path), to or "."), own)
    return free_path(path, lambda each: each in taken or os.path.lexists(each))
