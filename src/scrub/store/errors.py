"""What keeps the store from changing a file, each with the file and a sentence."""

from __future__ import annotations


class StoreError(Exception):
    """A file was not changed. `path` names it, `what` says why and how to mend it."""

    what = "could not be changed"

    def __init__(self, path: str, what: str = "") -> None:
        super().__init__(path)
        self.path = path
        self.what = what or type(self).what


class Changed(StoreError):
    """The file is not what it was when it was read."""

    what = "another program changed the file during the run. Nothing was saved; run the macro again"


class RowMoved(Changed):
    """A row of a database is not what it was when it was read. `which` names it, with what became of it."""

    def __init__(self, path: str, which: str) -> None:
        super().__init__(path, f"{which} since it was read. Nothing was saved; run the macro again")
        self.which = which


class Damaged(Changed):
    """The new version was not what was written, just before it was to be put in place."""

    what = "its new version was damaged on the disk. Nothing was changed; run the macro again"


class Unfinished(StoreError):
    """What was decided is being done, and the disk refused on the way."""

    what = "the disk failed during saving. The next run of Scrub completes it"


class EditedSince(StoreError):
    """The file was edited after the run."""

    what = "the file was edited since. To save the earlier version beside it: scrub undo --copy"


class InUse(StoreError):
    """Another program has the file open."""


class ReadOnly(StoreError):
    """The file, or its folder, cannot be written."""


class NoSuchRun(StoreError):
    """There is not a such run, or nothing of it to undo."""


class CannotRead(StoreError):
    """The store's own folder is damaged or cannot be written."""
