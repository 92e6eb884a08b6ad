"""Folders and the files in them, as kinds: for macros that sort, rename and put away."""

from __future__ import annotations

import os
from datetime import datetime

from scrub.model.amounts import Size
from scrub.model.declare import FileItem, Item, Reach, action, field
from scrub.model.late import late
from scrub.model.outline import Contents
from scrub.model.problem import Failure
from scrub.model.values import Choice


class FilePath(str):
    """A path as an argument. Pieces that come from data may not climb or hide a separator."""

    __slots__ = ()


class FromData(str):
    """A path of which a part comes from a file. `own` is what the macro itself says in front, up to a separator."""

    own: str

    def __new__(cls, text: str, own: str = "") -> FromData:
        """The path, and its own beginning."""
        found = super().__new__(cls, text)
        found.own = own
        return found


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
    found = os.path.normpath(os.path.join(base, rest))
    top, real = os.path.realpath(base), os.path.realpath(found)
    out = (
        rest.startswith(("/", "~"))
        or _DRIVE.match(rest)
        or (real != top and not real.startswith(top.rstrip(os.sep) + os.sep))
    )
    if out:
        raise Failure(f'"{path}" comes from data and leads out of the folder. Write the path into the macro')
    return found


_DRIVE = late(r"[A-Za-z]:")


def ensure_file_name(name: str) -> None:
    """Raises `Failure` for what cannot be the name of a file, on any system."""
    if not name.strip() or any(mark in name for mark in '\\/:*?"<>|\0') or name in (".", ".."):
        raise Failure(f'"{name}" cannot be the name of a file. Make it one: .as-file-name')


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
    def name(self) -> str:
        """Its name, with its ending.

        Example: if file.name starts with "Draft"
        Also: file name, title
        """
        raise NotImplementedError

    @property
    @field
    def stem(self) -> str:
        """Its name without its ending.

        Example: log file.stem
        Also: base name, without extension
        """
        raise NotImplementedError

    @property
    @field
    def ending(self) -> str:
        """What stands behind the last point of its name, without the point.

        Example: if file.ending is "xlsx"
        Also: extension, type, suffix
        """
        raise NotImplementedError

    @property
    @field
    def path(self) -> str:
        """Where it is: its whole path.

        Example: log file.path
        Also: full name, location, address
        """
        raise NotImplementedError

    @property
    @field
    def folder(self) -> str:
        """The name of the folder in which it is.

        Example: if file.folder is "2026"
        Also: directory, parent
        """
        raise NotImplementedError

    @property
    @field
    def size(self) -> Size:
        """How big it is.

        Example: if file.size > 10 MB
        Also: bytes, big, large
        """
        raise NotImplementedError

    @property
    @field
    def changed_at(self) -> datetime:
        """When it was last changed.

        Example: if file.changed-at < now - 30 days
        Also: modified, date, age, old
        """
        raise NotImplementedError

    @action(Reach.FILES, "moves files")
    def move(self, to: FilePath, if_there: IfThere = IfThere.NUMBER) -> None:
        """Moves the file into a folder, which is made if it is not there.

        to: the folder; a relative one counts from the picked folder.
        if_there: what to do when a file of that name is there: number gives the moved one a new name.
        Example: move to: "old"
        Also: put away, sort, archive
        """
        raise NotImplementedError

    @action(Reach.FILES, "renames files")
    def rename(self, to: FilePath, if_there: IfThere = IfThere.NUMBER) -> None:
        """Gives the file another name in its folder. Without an ending in it, the file keeps its own.

        to: the new name.
        if_there: what to do when a file of that name is there: number gives this one a number.
        Example: rename to: "{file.stem} 2026"
        Also: name
        """
        raise NotImplementedError

    @action(Reach.FILES, "removes files")
    def delete(self) -> None:
        """Removes the file; undo brings it back.

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
    def name(self) -> str:
        """The file's name, with its ending.

        Example: say "Done with {KIND.name}."
        Also: file name
        """
        raise NotImplementedError

    @action(Reach.FILES, "saves copies of files")
    def save_copy(self, to: FilePath | None = None, name: FilePath | None = None) -> None:
        """Saves the file, as it is at the end of the macro, once more under another name or in another folder.

        to: the folder, which is made if it is not there; a relative one counts from the file's own.
        name: the name of the copy; left out, the file's own.
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
    def rename(self, to: FilePath) -> None:
        """Gives the file another name in its folder; one that is taken gets a number.

        to: the new name; without an ending in it, the file keeps its own.
        Example: rename to: "{KIND.name.words.first} 2026"
        Also: name, date in the name
        """
        raise NotImplementedError

    @action(Reach.FILES, "moves files")
    def move(self, to: FilePath) -> None:
        """Puts the file into a folder, which is made if it is not there.

        to: the folder; a relative one counts from the file's own.
        Example: move to: "sent"
        Also: put away, sort, archive
        """
        raise NotImplementedError
