"""What an open file offers the runner, regardless of its kind and format."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Protocol

from scrub.model.core.addresses import Address
from scrub.model.core.change import Change
from scrub.model.core.changes import Changes
from scrub.model.core.declare import FileItem, Item
from scrub.model.core.outline import Contents
from scrub.model.core.recorder import Recorder
from scrub.model.core.sending import OutboundTask
from scrub.store.patch import Effect


class Opened(Protocol):
    """A file opened for changes. Nothing is written; `effects` says what is to be written."""

    recorder: Recorder
    #: What its changes are counted by: "sheet", "file".
    part_word: str

    @property
    def address(self) -> str:
        """Where it is: the path, with links followed, or the address on a server. The history knows it by that."""

    @property
    def shown(self) -> str:
        """The same as the person wrote it."""

    @property
    def item(self) -> Item:
        """What a macro runs on; not always the file itself."""

    @property
    def file(self) -> FileItem:
        """The file as an item."""

    @property
    def notes(self) -> Sequence[str]:
        """What a person should know about saving the changes."""

    @property
    def recalculated(self) -> Sequence[Change]:
        """The results of formulas that follow from the changes."""

    @property
    def sends(self) -> Sequence[OutboundTask]:
        """What is to be sent when all is saved, in order."""

    @property
    def changes(self) -> Changes:
        """What was changed so far."""

    def headings_over(self, changes: Sequence[Change]) -> dict[str, Mapping[str, str]]:
        """What is over the columns of the places that have many changes: place, column, heading."""

    def selected(self, place: str | None) -> Item:
        """What a person picked in it with `--at`, or all of it. Raises `Failure` for a place that is not there."""

    def contents(self) -> Contents:
        """What a macro can see in it."""

    def ensure_free(self) -> None:
        """Raises `InUse` or `ReadOnly` when it cannot be changed now."""

    def effects(self, into: str | None = None) -> list[Effect]:
        """What saving it comes to. With `into` it stays as it is, and that path gets the result, changed or not."""

    def close(self) -> None:
        """Lets the file go."""


class Opens(Protocol):
    """What opens files."""

    def exists(self, path: str, kinds: Sequence[str]) -> bool:
        """Whether there is something at a path that could be one of these kinds."""

    def open(self, path: str, kinds: Sequence[str] = ()) -> Opened:
        """Opens one. Raises `FileProblem` when it is missing, damaged or of another format."""

    def new(self, path: str) -> Opened:
        """A file with nothing in it that is to be at a path, of the format of its ending."""

    def message(self, folder: str, to: Sequence[Address], subject: str, text: str) -> Opened:
        """A message that is to be sent, or kept as a draft in a folder."""
