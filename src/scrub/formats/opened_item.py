"""What is open, whatever it is: a file, a folder, a database, a mailbox of many files, a new message."""

from __future__ import annotations

from collections.abc import Sequence

from scrub.model.core.change import Change
from scrub.model.core.changes import Changes
from scrub.model.core.declare import FileItem, Item
from scrub.model.core.problem import Failure
from scrub.model.core.recorder import Recorder
from scrub.model.core.sending import OutboundTask


class OpenedItem(FileItem):
    """Something open as an item: it notes its changes, sends nothing, and is free, unless it says otherwise."""

    def __init__(self) -> None:
        super().__init__()
        self.recorder = Recorder()

    @property
    def item(self) -> Item:
        """What a macro runs on: itself."""
        return self

    @property
    def notes(self) -> Sequence[str]:
        """What a person should know about saving the changes: nothing."""
        return ()

    @property
    def recalculated(self) -> Sequence[Change]:
        """The results of formulas that follow from the changes: none."""
        return ()

    @property
    def sends(self) -> Sequence[OutboundTask]:
        """What is to be sent: nothing leaves."""
        return ()

    @property
    def changes(self) -> Changes:
        """What was changed so far."""
        return self.recorder.net()

    def selected(self, place: str | None) -> Item:
        """What a person picked in it, or all of it, by the method of its kind that says so."""
        for base in type(self).__mro__:
            for name, method in vars(base).items():
                if hasattr(method, "scrub_selects"):
                    item: Item = getattr(self, name)(place)
                    return item
        raise Failure(f"{self.label}: a {self.kind_word} has no selection")

    def embedded(self) -> list[str]:
        """The texts of the macros inside it."""
        return []

    def ensure_free(self) -> None:
        """Raises `InUse` or `ReadOnly` when it cannot be changed now."""

    def close(self) -> None:
        """Lets it go."""
