"""A text whose characters are edited, and pieces of it that move along."""

from __future__ import annotations

import weakref
from collections.abc import Sequence
from typing import Any, Protocol

from scrub.model.core.problem import Failure
from scrub.model.core.required import required
from scrub.model.core.text import Edit, Editing, HoldsTexts, Moved, parted, shrunk


class EditedStretch(Protocol):
    """A piece of such a text, by its characters."""

    start: int
    end: int


class LettersEdited(HoldsTexts):
    """A text that is edited letter by letter: what can be edited is, what cannot is left and told."""

    _passages: weakref.WeakSet[Any] | None = None  # those pieces that somebody contains

    @property
    @required
    def text(self) -> str:
        """What it says."""
        raise NotImplementedError

    def ensure_editable(self, edits: Sequence[Edit]) -> None:
        """Raises `Failure` for edits that cannot be made without harm."""

    @required
    def change_text(self, edits: Sequence[Edit]) -> None:
        """Makes edits that can be made, and notes the change."""
        raise NotImplementedError

    # -- what follows from that

    def edit(self, edits: Sequence[Edit]) -> None:
        """Edits its text; pieces of it move along. Raises `Failure` where that would do harm."""
        fine = shrunk(self.text, edits)
        if fine:
            self.ensure_editable(fine)
            self._make(fine)

    def _make(self, edits: Sequence[Edit]) -> None:
        """Makes edits that were asked about, and are as small as can be."""
        before = [(passage, passage.start, passage.end) for passage in self._passages] if self._passages else ()
        self.change_text(edits)
        for piece, start, end in before:
            piece.start, piece.end = _shifted(edits, start, True), _shifted(edits, end, False)

    def edit_texts(self, editing: Editing, between: str = "") -> None:
        """Edits it; what cannot be edited is left, and the record names it."""
        text = self.text
        wanted = parted(editing, between)(text)
        if wanted:
            self.edit_wanted(text, 0, wanted)

    def edit_range(self, start: int, end: int, editing: Editing) -> None:
        """Edits a piece of it."""
        text = self.text
        wanted = editing(text[start:end])
        if wanted:
            self.edit_wanted(text, start, wanted)

    def edit_wanted(self, text: str, start: int, wanted: Sequence[Edit]) -> None:
        """Makes edits of its text, or of a piece from a place on, as far as they can be made; the record names the
        others.
        """
        edits = (
            [(start + first, start + last, _moved(fresh, start)) for first, last, fresh in wanted] if start else wanted
        )
        fine = shrunk(text, edits)
        try:
            self.ensure_editable(fine)
        except Failure:
            fine = self._editable(fine)
        if fine and (len(fine) == len(edits) or not any(isinstance(fresh, Moved) for _, _, fresh in edits)):
            self._make(fine)  # words that change places do so together, or not at all

    def _editable(self, edits: Sequence[Edit]) -> list[Edit]:
        """Those edits that can be made; what is left is told."""
        fine: list[Edit] = []
        for edit in edits:
            try:
                self.ensure_editable([edit])
                fine.append(edit)
            except Failure as failure:
                self.file.recorder.remarks.append(f"skipped {failure.what}")
        return fine

    def tracks(self, piece: EditedStretch) -> None:
        """Keeps a piece of it in step with later edits."""
        if self._passages is None:
            self._passages = weakref.WeakSet()
        self._passages.add(piece)


def _moved(fresh: str, by: int) -> str:
    return Moved(fresh, fresh.start + by) if isinstance(fresh, Moved) else fresh


def _shifted(edits: Sequence[Edit], place: int, is_start: bool) -> int:
    """Where a place of a text is after edits."""
    by = 0
    for start, end, fresh in edits:
        if end < place or (end == place and not (is_start and start == end)):
            by += len(fresh) - (end - start)
        elif start < place:
            return start + by + (0 if is_start else len(fresh))
    return place + by
