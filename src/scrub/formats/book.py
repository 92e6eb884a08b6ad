"""What all formats of workbooks have in common: their file, its changes, its copies."""

from __future__ import annotations

import os
from collections.abc import Sequence

from scrub.formats.endings import ENDINGS
from scrub.formats.source import Source
from scrub.model.change import Change, Recorder
from scrub.model.files import FilePath
from scrub.model.problem import Failure, FileProblem
from scrub.model.workbook import Workbook
from scrub.store.patch import Copy, Effect, Patch, free_path


class OpenWorkbook(Workbook):
    """A workbook opened for changes. Nothing is written; `effects` says what is to be written."""

    def __init__(self, source: Source) -> None:
        self.source = source
        self.recorder = Recorder()
        self._copies: list[str] = []

    def problem(self, what: str) -> FileProblem:
        """A problem with this file."""
        return self.source.problem(what)

    @property
    def name(self) -> str:
        """The file's name, with its ending."""
        return os.path.basename(self.source.shown)

    @property
    def changes(self) -> list[Change]:
        """What was changed so far."""
        return self.recorder.net()

    def save_copy(self, to: FilePath | None = None, name: FilePath | None = None) -> None:
        """Saves it once more."""
        path = _copy_path(self.source.path, self.name, to, name, self._copies)
        self._copies.append(path)

        def revert() -> None:
            self._copies.remove(path)

        self.changed(f"copy {path}", None, path, revert, f"saved once more: {os.path.relpath(path)}")

    def patch(self) -> Patch | None:
        """What makes the changed file of the old one, or None when nothing is to be written."""
        raise NotImplementedError

    def effects(self) -> list[Effect]:
        """What saving it comes to: the file itself where it was changed, and its copies."""
        source, patch = self.source, self.patch()
        found = [Effect(source.path, patch, source.digest)] if patch else []
        copied = patch or Patch(source.digest, source.size, [Copy(0, source.size)])
        copies = [Effect(path, copied, None, source.path) for path in self._copies]
        return [*copies, *found]  # the copies read the file before it changes

    def close(self) -> None:
        """Lets the file go."""
        self.source.close()


def _copy_path(path: str, name: str, to: FilePath | None, wanted: FilePath | None, taken: Sequence[str]) -> str:
    """Where a copy goes: a free path in a folder, under the file's own or another name. Raises `Failure`."""
    own, ending = str(wanted) if wanted else name, os.path.splitext(name)[1]
    if os.path.splitext(own)[1].lower() in ENDINGS and os.path.splitext(own)[1].lower() != ending.lower():
        raise Failure(
            f'"{own}" would be another format: a copy of {name} is a {ending} file too. '
            f"Name it without its ending, and convert the copy in its own program"
        )
    if os.path.splitext(own)[1].lower() != ending.lower():
        own += ending
    if any(mark in own for mark in '\\/:*?"<>|'):
        raise Failure(f'"{own}" cannot be the name of a file. Make it one: .as-file-name')
    folder = os.path.expanduser(str(to or ".").replace("\\", "/"))
    whole = os.path.normpath(os.path.join(os.path.dirname(path), folder, own))
    return free_path(whole, lambda each: each in taken or os.path.lexists(each))
