"""Earlier texts of macros: editing, renaming and removing lose nothing."""

from __future__ import annotations

import os
from datetime import datetime

from scrub.library.text import read_macro, write_text
from scrub.model.core.named import NamedTuple
from scrub.model.core.values import fold
from scrub.model.operations import as_file_name
from scrub.store.disk import only_files, private_folder


class Former(NamedTuple):
    """One earlier text: when it was replaced (ISO 8601), why, and where it is."""

    when: str
    why: str
    path: str

    @property
    def text(self) -> str:
        """A macro as it was before a change."""
        return read_macro(self.path)

    @property
    def files(self) -> dict[str, bytes]:
        """The files that were kept with it."""
        folder = self.path.removesuffix(".scrub") + " files"
        result = {}
        for name in sorted(os.listdir(folder)) if os.path.isdir(folder) else ():
            with open(os.path.join(folder, name), "rb", opener=only_files) as stream:
                result[name] = stream.read()
        return result


class FormerTexts:
    """The earlier texts of all macros, a folder for each title."""

    def __init__(self, folder: str) -> None:
        self.folder = folder

    def keep(self, title: str, text: str, why: str, files: str | None = None) -> None:
        """Keeps a text before it is replaced; `why` is one word, `files` a folder that goes along."""
        folder = self._of(title)
        private_folder(folder)
        stamp = datetime.now().strftime("%Y-%m-%dT%H-%M-%S-%f")
        write_text(os.path.join(folder, f"{stamp} {why}.scrub"), text)
        if files and os.path.isdir(files):
            os.rename(files, os.path.join(folder, f"{stamp} {why} files"))

    def renamed(self, old: str, new: str) -> None:
        """Lets the earlier texts follow their macro to a new title."""
        source, target = self._of(old), self._of(new)
        if source == target or not os.path.isdir(source):
            return
        private_folder(target)
        for name in os.listdir(source):
            os.rename(os.path.join(source, name), os.path.join(target, name))
        os.rmdir(source)

    def all(self, title: str) -> list[Former]:
        """The earlier texts of a macro, the last one first."""
        folder = self._of(title)
        names = sorted(os.listdir(folder), reverse=True) if os.path.isdir(folder) else []
        names = [name for name in names if name.endswith(".scrub")]
        result = []
        for name in names:
            stamp, _, why = name.removesuffix(".scrub").partition(" ")
            day, _, time = stamp.partition("T")
            result.append(Former(f"{day} {':'.join(time.split('-')[:3])}", why, os.path.join(folder, name)))
        return result

    def _of(self, title: str) -> str:
        return os.path.join(self.folder, as_file_name(fold(title))[:120])
