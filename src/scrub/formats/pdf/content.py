"""What is open at the end of a page's content, and what it closes that it never opened (8.4.2, 14.6)."""

from __future__ import annotations

import re
from collections.abc import Iterator
from typing import Any

from scrub.formats.images.needed import needed, told_as_damage
from scrub.model.core.named import NamedTuple
from scrub.model.core.problem import Failure

_TEXT = rb"\((?:[^()\\]|\\(?:.|\Z))*+(?:\)|\Z)|%[^\r\n]*+"
_TEXTS = re.compile(_TEXT + rb"|<[0-9A-Fa-f\s]*>", re.DOTALL)
#: From the start on, up to a text in a text. Where there is one, the texts are not looked for: each may be read to its
#: end from every parenthesis in it.
_NO_TEXT_IN_TEXT = re.compile(rb"(?:[^(%]++|" + _TEXT + rb")*+", re.DOTALL)


def _words_like(which: bytes) -> re.Pattern[bytes]:
    """Finds words between white-space and delimiters (7.2.3); a name such as /q is none."""
    return re.compile(rb"(?<![^\0\t\n\f\r \[\]<>()])(?:" + which + rb")(?![^\0\t\n\f\r \[\]<>/()%])")


_OPERATORS = _words_like(b"q|Q|BT|ET|BDC|BMC|EMC|BI")
_OTHERS, _PICTURE = _words_like(b"q|Q|BDC|BMC|EMC|BI"), _words_like(b"BI")
_LETTERS = re.compile(rb"q|Q|BDC|BMC|EMC|BI")  # a fifth of the work, and enough for most pages
#: The most of these words, and the most bytes of a content that a library must take apart.
_MOST_WORDS, _MOST_PARSED = 3_000_000, 20_000_000


class Balance(NamedTuple):
    """What must be before and after the content of a page, so that nothing of it reaches what is put there."""

    before: bytes
    behind: bytes


def streams_of(contents: object) -> list[Any]:
    """The streams of a page's content, one or several (7.7.3.3)."""
    pikepdf = needed("pikepdf")
    found = list(contents) if isinstance(contents, pikepdf.Array) else [contents]
    return [each for each in found if isinstance(each, pikepdf.Stream)]


def balance(pdf: object, page: object, data: bytes) -> Balance:
    """What brackets the content of a page; `data` are its streams, joined (7.8.2)."""
    # Most pages open nothing but texts, even if words in these texts counted, and end with the end of one.
    ends = data[-40:].rstrip().endswith((b" ET", b"\nET", b"\rET"))
    if ends and (_LETTERS.search(data) is None or _OTHERS.search(data) is None):
        return Balance(b"", b"")
    match = _NO_TEXT_IN_TEXT.match(data)
    nested = match is None or match.end() < len(data)
    plain = b"" if nested else _TEXTS.sub(b" ", data)
    # A picture among the words, or texts in texts: these are read properly.
    whole = nested or _PICTURE.search(plain) is not None
    opened, missing, text, marked = 0, 0, False, 0
    for count, word in enumerate(_parsed(pdf, page, data) if whole else _words(plain)):
        if count > _MOST_WORDS:
            raise Failure(f"the content of a page opens and closes more than {_MOST_WORDS:,} groups")
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


def _words(plain: bytes) -> Iterator[bytes]:
    return (found[0] for found in _OPERATORS.finditer(plain))


def _parsed(pdf: object, page: object, data: bytes) -> Iterator[bytes]:
    if len(data) > _MOST_PARSED:
        raise Failure(f"the content of a page has more than {_MOST_PARSED // 1000000} MB and contains inline pictures")
    with told_as_damage():
        parsed = needed("pikepdf").parse_content_stream(page, "q Q BT ET BDC BMC EMC")
        yield from (str(each.operator).encode() for each in parsed)
