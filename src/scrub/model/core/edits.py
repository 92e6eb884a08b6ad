"""A change that was just made, with the way back."""

from __future__ import annotations

from collections.abc import Hashable

from scrub.model.core.change import Change
from scrub.model.core.changes import Changes
from scrub.model.core.required import required


class RecordedEdit:
    """A change that was just made, with the way to undo it in memory."""

    __slots__ = ()

    @property
    @required
    def thing(self) -> tuple[Hashable, Hashable]:
        """What was changed: in what many are changed, and what of it. Several changes of one thing are one."""
        raise NotImplementedError

    @property
    @required
    def change(self) -> Change:
        """As it is listed and stored."""
        raise NotImplementedError

    @property
    def proof(self) -> object:
        """What tells its outcome apart from others that are told in the same words; None where the words do."""
        return None

    def tell(self, changes: Changes) -> None:
        """Puts it after other changes, unless it changed nothing."""
        change = self.change
        if change.before != change.after:
            changes.append(change)

    @required
    def revert(self) -> None:
        """Undoes it."""
        raise NotImplementedError
