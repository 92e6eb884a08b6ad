"""What can be chosen for the pages of a sheet."""

from __future__ import annotations

from scrub.model.core.choice import Choice


class PrintedText(str):
    """A text that is filled in when a page is printed: it can contain page numbers."""

    __slots__ = ()


class Orientation(Choice):
    """How the paper is."""

    PORTRAIT = "portrait"
    LANDSCAPE = "landscape"


class Paper(Choice):
    """The size of the paper."""

    A2 = "a2"
    A3 = "a3"
    A4 = "a4"
    A5 = "a5"
    B4 = "b4"
    B5 = "b5"
    LETTER = "letter"
    LEGAL = "legal"
    TABLOID = "tabloid"
    EXECUTIVE = "executive"
