"""What is open at the end of a page's content, and what it closes that it never opened (8.4.2, 14.6)."""

from __future__ import annotations

import re
from typing import Any, NamedTuple

from scrub.formats.pdf.needed import needed

_TEXTS = re.compile(rb"\((?:[^()\\]|\\.)*\)|%[^\r\n]*|<[0-9A-Fa-f\s]*>", re.DOTALL)
_OPERATORS = re.compile(rb"(?<![^\s\[\]<>/()])(?:q|Q|BT|ET|BDC|BMC|EMC|BI)(?![^\s\[\]<>/()])")


class Balance(NamedTuple):
    """What must stand before and behind the content of a page, so that nothing of it reaches what is put there."""

    before: bytes
    behind: bytes


def balance(pdf: Any, page: Any, data: bytes) -> Balance:
    """What brackets the content of a page; `data` are its streams, joined (7.8.2)."""
    plain = _TEXTS.sub(b" ", data)
    words = _OPERATORS.findall(plain)
    if b"BI" in words or b"(" in plain:  # a picture among the words, or texts in texts: these are read properly
        words = _parsed(pdf, page)
    opened, missing, text, marked = 0, 0, False, 0
    for word in words:
        if word == b"q":
            opened += 1
        elif word == b"Q":
            if opened:
                opened -= 1
            else:
                missing += 1
        elif word in (b"BT", b"ET"):
            text = word == b"BT"
        elif word in (b"BDC", b"BMC"):
            marked += 1
        elif word == b"EMC":
            marked = max(0, marked - 1)
    behind = b" ET" * text + b" EMC" * marked + b" Q" * opened
    return Balance(b"q " * missing, behind)


def _parsed(pdf: Any, page: Any) -> list[bytes]:
    parsed = needed("pikepdf").parse_content_stream(page, "q Q BT ET BDC BMC EMC")
    return [str(each.operator).encode() for each in parsed]
