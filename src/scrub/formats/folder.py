"""Folders: files are moved, renamed and removed in memory, and for real only with the commit."""

from __future__ import annotations

import os
from collections.abc import Iterator, Mapping, Sequence
from datetime import datetime
from typing import Any, Protocol, TypeVar

from scrub.formats.opened_item import OpenedItem
from scrub.model.core.amounts import Size
from scrub.model.core.declare import Item
from scrub.model.core.files import File, FilePath, IfThere, ensure_file_name, placed
from scrub.model.core.outline import Contents
from scrub.model.core.problem import Failure, FileProblem
from scrub.model.core.recorder import Within
from scrub.model.core.series import Opening, Series
from scrub.model.document import Document
from scrub.model.folder import Folder
from scrub.model.workbook import Workbook
from scrub.store.access import note_access
from scrub.store.disk import digest_of, only_files
from scrub.store.errors import StoreError
from scrub.store.patch import Copy, Effect, Patch, free_path

K = TypeVar("K", Workbook, Document)


class OpensFiles(Protocol):
    """What opens the files in a folder."""

    @property
    def endings(self) -> Mapping[str, str]:
        """The endings of files that can be opened, with the kind of item each is."""

    def open(self, path: str) -> Any:
        """Opens one. Raises `FileProblem`."""


class PlainFolder(OpenedItem, Folder):
    """A folder of the disk."""

    def __init__(self, path: str, formats: OpensFiles) -> None:
        """`formats` open the files in it."""
        super().__init__()
        self._formats = formats
        self._inside: dict[str, Any] = {}  # the files that were opened in it, by their paths
        self.shown = path
        self.address = os.path.realpath(path)
        self._files: list[PlainFile] | None = None

    def selected(self, place: str | None) -> Item:
        """Nothing can be picked in a folder."""
        raise Failure(f"{self.name}: a folder has no selection")

    def contents(self) -> Contents:
        """Its files."""
        rows = [{"name": file.label, "size": file.size} for file in self.files()]
        return Contents("file", rows, hint="In a macro: each file where file.ending is … More: scrub catalog file")

    @property
    def name(self) -> str:
        """The last part of its path."""
        return os.path.basename(self.address)

    def files(self) -> Iterator[PlainFile]:
        """Its files, those in folders inside it included."""
        if self._files is None:
            self._files = []
            for folder, inner, names in os.walk(self.address):
                note_access(os.path.join(folder, "*"))
                inner[:] = sorted(name for name in inner if not name.startswith("."))
                for name in sorted(names):
                    path = os.path.join(folder, name)
                    if not name.startswith((".", "~$")) and os.path.isfile(path) and not os.path.islink(path):
                        self._files.append(PlainFile(self, path))
        return iter(self._files)

    def workbooks(self) -> Series[Workbook]:
        """Those in subfolders too; each is opened when it is its turn."""
        return self._series(Workbook)

    def documents(self) -> Series[Document]:
        """Those in subfolders too; each is opened when it is its turn."""
        return self._series(Document)

    def _series(self, kind: type[K]) -> Series[K]:
        """Its files of a kind, each opened when it is its turn."""
        word, endings = kind.kind_word, self._formats.endings
        found = [
            file
            for file in self.files()
            if not file.removed and endings.get(os.path.splitext(file.first)[1].lower()) == word
        ]
        return Opening(len(found), lambda place: self._open(found[place]))

    def _open(self, file: PlainFile) -> Any:
        """One of its files, opened as a part of it. The one before is let go; where nothing was changed, for good."""
        for path, other in list(self._inside.items()):
            if path != file.first:
                other.source.rest()
                if not other.recorder:
                    del self._inside[path]
        found = self._inside.get(file.first)
        if found is None:
            if file.path != file.first:
                raise Failure(f"{file.label} was moved in a line above. Change its contents in a macro of its own")
            found = self._formats.open(file.first)
            try:
                found.ensure_free()
            except StoreError as problem:
                raise FileProblem(file.first, problem.what) from None
            found.recorder = Within(self.recorder, file.label)
            self._inside[file.first] = found
        return found.item

    def ensure_unchanged(self, path: str) -> None:
        """Raises `Failure` for a file in which something was changed: it stays where it is."""
        found = self._inside.get(path)
        if found is not None and found.recorder:
            raise Failure(
                f"{os.path.relpath(path, self.address)} was changed in a line above. Move, rename or delete it in "
                "another macro"
            )

    def place(self, wanted: str, if_there: IfThere, own: PlainFile) -> str:
        """Where a file can go: the path itself, or a numbered one where it is taken."""
        result = wanted
        if if_there == IfThere.NUMBER:
            result = free_path(wanted, lambda path: self._taken(path, own))
        if os.path.isdir(result):
            raise Failure(f'"{result}" is a folder')
        return result

    def _taken(self, path: str, own: PlainFile) -> bool:
        others = [file for file in self.files() if file is not own]
        if any(file.path == path and not file.removed for file in others):
            return True
        left = any(file.first == path for file in (*others, own))
        return not left and os.path.lexists(path)

    @property
    def notes(self) -> Sequence[str]:
        """What a person should know about the files that were changed in it."""
        return [note for each in self._inside.values() for note in each.notes]

    def effects(self, into: str | None = None) -> list[Effect]:
        """What is to be done, the new files first."""
        touched = [file for file in self.files() if file.removed or file.path != file.first]
        made: dict[str, Effect] = {}
        gone: list[Effect] = []
        for file in touched:
            digest, size = file.digest_and_size()
            if not file.removed:
                patch = Patch(digest, size, [Copy(0, size)])
                before = digest_at(file.path)
                made[file.path] = Effect(file.path, patch, before, file.first)
            gone.append(Effect(file.first, None, digest))
        inside = [effect for each in self._inside.values() for effect in each.effects()]
        return [*made.values(), *(effect for effect in gone if effect.path not in made), *inside]

    def close(self) -> None:
        """Lets the files go that were opened in it."""
        for each in self._inside.values():
            each.close()


class PlainFile(File):
    """A file of the disk."""

    def __init__(self, folder: PlainFolder, path: str) -> None:
        self._folder = folder
        self.first = self._path = path
        self._removed = False

    @property
    def file(self) -> PlainFolder:
        """The picked folder."""
        return self._folder

    @property
    def path(self) -> str:
        """Where it is."""
        return self._path

    @property
    def folder(self) -> str:
        """The name of the folder in which it is."""
        return os.path.basename(os.path.dirname(self._path))

    @property
    def name(self) -> str:
        """Its name."""
        return os.path.basename(self.path)

    @property
    def stem(self) -> str:
        """Its name without its ending."""
        return os.path.splitext(self.name)[0]

    @property
    def ending(self) -> str:
        """Its ending without the point."""
        return os.path.splitext(self.name)[1][1:]

    @property
    def size(self) -> Size:
        """How big it is, in megabytes, kilobytes or bytes."""
        return Size.of_bytes(os.stat(self.first).st_size)

    @property
    def changed_at(self) -> datetime:
        """When it was last changed."""
        return datetime.fromtimestamp(int(os.stat(self.first).st_mtime))

    @property
    def removed(self) -> bool:
        """Whether it was deleted during this run."""
        return self._removed

    @property
    def label(self) -> str:
        """Its first name, by which the person knows it."""
        return os.path.relpath(self.first, self._folder.address)

    def move(self, to: FilePath, if_there: IfThere = IfThere.NUMBER) -> None:
        """Moves it into a folder."""
        self._go(os.path.join(placed(self._folder.address, to), self.name), if_there, "moved")

    def rename(self, to: FilePath, if_there: IfThere = IfThere.NUMBER) -> None:
        """Gives it another name."""
        name = str(to).strip()
        ensure_file_name(name)
        if not os.path.splitext(name)[1]:
            name += os.path.splitext(self.name)[1]
        self._go(os.path.join(os.path.dirname(self.path), name), if_there, "renamed")

    def _go(self, wanted: str, if_there: IfThere, what: str) -> None:
        if wanted == self.path:
            return
        self._folder.ensure_unchanged(self.first)
        before, target = self.path, self._folder.place(wanted, if_there, self)
        self._path = target

        def revert() -> None:
            self._path = before

        shown = [os.path.relpath(path, self._folder.address) for path in (before, target)]
        self.changed("place", shown[0], shown[1], revert, f"{what} to {shown[1]}")

    def delete(self) -> None:
        """Removes it."""
        self._folder.ensure_unchanged(self.first)
        self._removed = True

        def revert() -> None:
            self._removed = False

        self.changed("deleted", False, True, revert, "deleted")

    def digest_and_size(self) -> tuple[str, int]:
        """Its hash and size now."""
        try:
            with open(self.first, "rb", opener=only_files) as stream:
                return digest_of(stream), os.fstat(stream.fileno()).st_size
        except OSError as error:
            raise FileProblem(self.first, f"the folder cannot be read: {error.strerror}") from None


def digest_at(path: str) -> str | None:
    """The hash of the file at a path, or None where there is none."""
    if not os.path.lexists(path):
        return None
    with open(path, "rb", opener=only_files) as stream:
        return digest_of(stream)
