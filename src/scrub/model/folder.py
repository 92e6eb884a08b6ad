"""Folders: the files in them, and the workbooks and documents among these, which can be changed there."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from scrub.model.core.declare import FileItem, field, holds, holds_files
from scrub.model.core.files import File
from scrub.model.core.required import required
from scrub.model.document import Document
from scrub.model.workbook import Workbook


class Folder(FileItem):
    """A folder with its files, those in folders inside it included."""

    kind_word = "folder"
    part_word = "file"

    @property
    @field
    @required
    def name(self) -> str:
        """The folder's name.

        Example: say "Sorted {folder.name}."
        Also: directory
        """
        raise NotImplementedError

    @holds
    @required
    def files(self) -> Iterator[File]:
        """Its files, by name; hidden ones are left out."""
        raise NotImplementedError

    @property
    def label(self) -> str:
        """The folder's name."""
        return self.name

    @holds_files
    @required
    def workbooks(self) -> Sequence[Workbook]:
        """Its workbooks, by name; what is changed in them is saved with all that is done to the folder."""
        raise NotImplementedError

    @holds_files
    @required
    def documents(self) -> Sequence[Document]:
        """Its documents, by name; what is changed in them is saved with all that is done to the folder."""
        raise NotImplementedError


#: The kinds in folders.
KINDS = (Folder, File, Workbook, Document)
