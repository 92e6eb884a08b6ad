"""Changes that are recorded, so that a reviewer can accept or reject each (ISO/IEC 29500-1, 17.13.5)."""

from __future__ import annotations

from collections.abc import Iterable
from datetime import datetime

from scrub.formats.spans import Span, Splice, ended, escaped
from scrub.formats.wordprocessing.read import inner, value
from scrub.model.core.lazy_pattern import lazy_pattern

_ID = lazy_pattern(rb'\bid="(-?\d+)"')


class Tracking:
    """Who records the changes, when, and the numbers that are still free for them."""

    def __init__(self, author: str, parts: Iterable[bytes]) -> None:
        """`parts` are the parts with annotations: their numbers are unique over all of them (17.13.2)."""
        self.author = author
        self._author = escaped(author)
        self.when = f"{datetime.now().isoformat(timespec='seconds')}Z"  # as is usual: the time of the place
        #: The number of the last change.
        self.last = max((int(found) for data in parts for found in _ID.findall(data)), default=0)

    def number(self) -> int:
        """A number that no annotation has."""
        self.last = (self.last + 1) & 0x7FFFFFFF
        return self.last

    def attributes(self, prefix: str) -> str:
        """The attributes of one tracked change."""
        return f' {prefix}id="{self.number()}" {prefix}author="{self._author}" {prefix}date="{self.when}"'

    def is_own(self, change: Span | None) -> bool:
        """Whether a tracked change is by the same author."""
        return change is not None and value(change, "author") == self.author


#: What is before the setting, in the order of the schema (17.15.1.78).
_BEFORE = frozenset((
    "writeProtection", "view", "zoom", "removePersonalInformation", "removeDateAndTime",
    "doNotDisplayPageBoundaries", "displayBackgroundShape", "printPostScriptOverText", "printFractionalCharacterWidth",
    "printFormsData", "embedTrueTypeFonts", "embedSystemFonts", "saveSubsetFonts", "saveFormsData", "mirrorMargins",
    "alignBordersAndEdges", "bordersDoNotSurroundHeader", "bordersDoNotSurroundFooter", "gutterAtTop",
    "hideSpellingErrors", "hideGrammaticalErrors", "activeWritingStyle", "proofState", "formsDesign",
    "attachedTemplate", "linkStyles", "stylePaneFormatFilter", "stylePaneSortMethod", "documentType", "mailMerge",
    "revisionView",
))  # fmt: skip


def recording(data: bytes, settings: Span, on: bool) -> list[Splice]:
    """The splices that make a document record changes, or no longer (17.15.1.90)."""
    old = inner(settings, "trackRevisions")
    if old is not None:
        return [Splice(old.start, old.end, b"" if not on else f"<{old.raw_name}/>".encode())]
    if not on:
        return []
    element = f"<{settings.prefix}trackRevisions/>".encode()
    if settings.open_end == settings.end:
        return ended(data, settings, element)
    at = max((child.end for child in settings.children if child.name in _BEFORE), default=settings.open_end)
    return [Splice(at, at, element)]
