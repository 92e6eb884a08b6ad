"""Subjects of messages without the marks that mail programs put before them (RFC 5256, 2.1)."""

from __future__ import annotations

import re
from collections.abc import Sequence
from functools import cache

from scrub.model.core.lazy_pattern import lazy_pattern

#: What mail programs put before a subject when a message is answered or passed on, in the languages of offices.
MARKS = (
    "Re Fw Fwd AW WG Antw Doorst TR R\u00c9F RV RES ENC RIF SV VS VB VL ODP PD V\u00c1 YNT \u0130LT "
    "\u0391\u03a0 \u03a3\u03a7\u0395\u03a4 \u03a0\u03a1\u0398 \u041e\u0442\u0432 \u041d\u0410 \u56de\u590d "
    "\u56de\u8986 \u7b54\u590d \u8f6c\u53d1 \u8f49\u5bc4"
).split()


def base_subject(subject: str, more: Sequence[str] = ()) -> str:
    """The subject without `Re:`, `Fwd:` and their like before, also repeated, counted (`Fwd[2]:`) or as `(fwd)` after.
    Names in brackets, as mailing lists put them, stay: `Re: [Huts] Re: Water` becomes `[Huts] Water`.
    """
    found = subject.strip()
    while True:
        before = found
        if found.endswith((")", "]")):
            found = _TRAILER.sub("", found)
            whole = _WHOLE.fullmatch(found)
            found = found if whole is None else whole[1]
        match = _MARK.match(found)
        if match is not None and match[2].casefold() in _marks(tuple(more)):
            rest = found[match.end() :]
            found = rest if match[1] and rest.startswith(match[1].strip()) else match[1] + rest
        if found == before:
            return found if found != subject.strip() else subject  # one without marks keeps its own spaces


@cache
def _marks(more: tuple[str, ...]) -> frozenset[str]:
    return frozenset(mark.casefold() for mark in (*MARKS, *more))


#: A word before, after names in brackets, and perhaps with a number: `[Huts] Fwd[2]: `. A mark alone stays.
_MARK = lazy_pattern(
    r"((?:\[[^\[\]]*\]\s*)*)([^\[\]():\uff1a^*\d\s][^\[\]():\uff1a^*\d]{0,24}?)"
    r"\s*(?:\[\d*\]|\(\d+\)|[\^*]\d+)?\s*[:\uff1a]\s*(?=\S)"
)
#: A subject that is in the brackets of a mark, and a mark after a subject.
_WHOLE = lazy_pattern(r"\[\s*(?:Fwd|Fw)\s*:\s*(.+?)\s*\]", re.IGNORECASE | re.DOTALL)
_TRAILER = lazy_pattern(r"(?<=\S)\s*\(fwd\)\s*\Z", re.IGNORECASE)
