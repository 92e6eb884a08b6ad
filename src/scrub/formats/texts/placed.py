"""What stands among the words of a document: a link, a picture, a bookmark."""

from __future__ import annotations

from typing import Generic, Protocol, TypeVar

from scrub.formats.texts.pieced import PiecedDocument


class SomewhereInText(Protocol):
    """Where something stands."""

    @property
    def home(self) -> PiecedDocument:
        """Its document."""

    @property
    def label(self) -> str:
        """That of its paragraph."""


P = TypeVar("P", bound=SomewhereInText)


class Placed(Generic[P]):
    """An item that stands somewhere in a document."""

    _place: P

    @property
    def file(self) -> PiecedDocument:
        """The document."""
        return self._place.home

    @property
    def label(self) -> str:
        """The paragraph it stands in."""
        return self._place.label
