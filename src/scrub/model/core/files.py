"""Folders and the files in them, as kinds: for macros that sort, rename and put away."""

from __future__ import annotations

import os
from datetime import datetime

from scrub.model.core.amounts import Size
from scrub.model.core.choice import Choice
from scrub.model.core.declare import FileItem, Item, Reach, action, field
from scrub.model.core.lazy_pattern import lazy_pattern
from scrub.model.core.outline import Contents
from scrub.model.core.problem import Failure
from scrub.model.core.required import required


class FilePath(str):
    """A path as an argument. Pieces that come from data may not climb or hide a separator."""

    __slots__ = ()


class ReadPath(FilePath):
    """The path of a file that is only read, for what is in it. A macro that names one needs approval, like `open`."""

    __slots__ = ()


class FromData(str):
    """A path of which a part comes from a file. `own` is what the macro itself says before, up to a separator."""

    own: str

    def __new__(cls, text: str, own: str = "") -> FromData:
        """The path, and its own beginning."""
        result = super().__new__(cls, text)
        result.own = own
        return result


def placed(folder: str, path: str) -> str:
    """Where a path leads that a macro names, counted from a folder. What comes from data may only name a place below
    what the macro's own text says, or else below the folder, after links are followed. Raises `Failure`.
    """
    plain = str(path).replace("\\", "/")
    if not isinstance(path, FromData):
        return os.path.normpath(os.path.join(folder, os.path.expanduser(plain)))
    own = path.own.replace("\\", "/")
    base = os.path.join(folder, os.path.expanduser(own)) if own else folder
    rest = plain[len(own) :]
    result = os.path.normpath(os.path.join(base, rest))
    top, real = os.path.realpath(base), os.path.realpath(result)
    out = (
        rest.startswith(("/", "~"))
        or _DRIVE.match(rest)
        or (real != top and not real.startswith(top.rstrip(os.sep) + os.sep))
    )
    if out:
        raise Failure(f'"{path}" comes from data and leads to another folder. Write the path in the macro')
    return result


_DRIVE = lazy_pattern(r"[A-Za-z]:")


def ensure_file_name(name: str) -> None:
    """Raises `Failure` for what cannot be the name of a file, on any system."""
    if not name.strip() or any(mark in name for mark in '\\/:*?"<>|\0') or name in (".", ".."):
        raise Failure(f'"{name}" is not a valid file name. Convert it: .as-file-name')


class IfThere(Choice):
    """What to do when a file of that name is there already."""

    NUMBER = "number"
    REPLACE = "replace"


class IfExists(Choice):
    """What to do when a new file would have the name of one that exists."""

    NUMBER = "number"
    REPLACE = "replace"
    FAIL = "fail"


class File(Item):
    """One file in a folder."""

    kind_word = "file"

    @property
    @field
    @required
    def name(self) -> str:
        """The file name with its extension.

        Example: if file.name starts with "Draft"
        Also: file name, title
        """
        raise NotImplementedError

    @property
    @field
    @required
    def stem(self) -> str:
        """The file name without its extension.

        Example: log file.stem
        Also: base name, without extension
        """
        raise NotImplementedError

    @property
    @field
    @required
    def ending(self) -> str:
        """The file extension, without the point.

        Example: if file.ending is "xlsx"
        Also: extension, type, suffix
        """
        raise NotImplementedError

    @property
    @field
    @required
    def path(self) -> str:
        """The full path.

        Example: log file.path
        Also: full name, location, address
        """
        raise NotImplementedError

    @property
    @field
    @required
    def folder(self) -> str:
        """The name of the file's folder.

        Example: if file.folder is "2026"
        Also: directory, parent
        """
        raise NotImplementedError

    @property
    @field
    @required
    def size(self) -> Size:
        """The file size.

        Example: if file.size > 10 MB
        Also: bytes, big, large
        """
        raise NotImplementedError

    @property
    @field
    @required
    def changed_at(self) -> datetime:
        """The date and time of the last change.

        Example: if file.changed-at < now - 30 days
        Also: modified, date, age, old
        """
        raise NotImplementedError

    @action(Reach.FILES, "moves files")
    @required
    def move(self, to: FilePath, if_there: IfThere = IfThere.NUMBER) -> None:
        """Moves the file to a folder, created if necessary.

        to: the folder; a relative path starts from the selected folder.
        if_there: if a file of that name exists: number renames the moved file, replace overwrites the other.
        Example: move to: "old"
        Also: put away, sort, archive
        """
        raise NotImplementedError

    @action(Reach.FILES, "renames files")
    @required
    def rename(self, to: FilePath, if_there: IfThere = IfThere.NUMBER) -> None:
        """Renames the file in its folder. Without an extension, the file keeps its own.

        to: the new name.
        if_there: if a file of that name exists: number adds a number, replace overwrites the other.
        Example: rename to: "{file.stem} 2026"
        Also: name
        """
        raise NotImplementedError

    @action(Reach.FILES, "deletes files")
    @required
    def delete(self) -> None:
        """Deletes the file; undo restores it.

        Example: delete
        Also: remove, trash, clean up
        """
        raise NotImplementedError

    @property
    def label(self) -> str:
        """The file's name."""
        return self.name


class WholeFile(FileItem):
    """What every file has that is an item of its own."""

    @property
    @field
    @required
    def name(self) -> str:
        """The file name with its extension.

        Example: say "Done with {KIND.name}."
        Also: file name
        """
        raise NotImplementedError

    @action(Reach.FILES, "saves copies of files")
    @required
    def save_copy(self, to: FilePath | None = None, name: FilePath | None = None) -> None:
        """Saves a copy of the result under another name or in another folder.

        to: the folder, created if necessary; a relative path starts from the file's own folder.
        name: the name of the copy; default: the file's own name.
        Example: save-copy to: "sent", name: "Season book for the wardens"
        Also: save as, duplicate, export, backup
        """
        raise NotImplementedError

    @property
    def label(self) -> str:
        """The file's name."""
        return self.name

    def contents(self) -> Contents:
        """What a macro can see in it, for a person."""
        return Contents("part")


class MovableFile(WholeFile):
    """A file that a macro can name and put away by what is in it."""

    @action(Reach.FILES, "renames files")
    @required
    def rename(self, to: FilePath) -> None:
        """Renames the file in its folder; if the name exists, a number is added.

        to: the new name; without an extension, the file keeps its own.
        Example: rename to: "{KIND.name.words.first} 2026"
        Also: name, date in the name
        """
        raise NotImplementedError

    @action(Reach.FILES, "moves files")
    @required
    def move(self, to: FilePath) -> None:
        """Moves the file to a folder, created if necessary.

        to: the folder; a relative path starts from the file's own folder.
        Example: move to: "sent"
        Also: put away, sort, archive
        """
        raise NotImplementedError
