"""Lines of texts that follow each other: what is needed to mend a text whose lines were broken by hand."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Protocol

from scrub.model.core.declare import FileItem
from scrub.model.core.required import required
from scrub.model.core.text import Edit, HoldsTexts


class Line(Protocol):
    """A line or paragraph that another one can be joined to."""

    @property
    def file(self) -> FileItem:
        """What is saved as a whole."""

    @property
    def label(self) -> str:
        """How a person calls it."""

    @property
    def text(self) -> str:
        """What it says."""

    @property
    def level(self) -> int | None:
        """Its level as a heading; nothing for other lines."""

    def edit(self, edits: Sequence[Edit]) -> None:
        """Edits its text."""

    def can_take(self, following: Line) -> bool:
        """Whether the next one can be joined to it without harm."""

    def take(self, following: Line, between: str) -> None:
        """Joins the next one to it, with `between` in the middle."""


class HoldsLines(HoldsTexts):
    """An item of lines that follow each other."""

    __slots__ = ()

    @required
    def lines(self) -> Sequence[Sequence[Line]]:
        """Its lines, in groups that are together in one place."""
        raise NotImplementedError
