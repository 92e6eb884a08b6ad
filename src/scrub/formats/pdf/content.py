"""What is open at the end of a page's content, and what it closes that it never opened (8.4.2, 14.6)."""

from __future__ import annotations

import re
import zlib
from collections.abc import Iterable
from contextlib import suppress
from typing import Any, NamedTuple

from scrub.formats.pdf.needed import needed, told_as_damage
from scrub.model.problem import Failure

_TEXTS = re.compile(rb"\((?:[^()\\]|\\.)*\)|%[^\r\n]*|<[0-9A-Fa-f\s]*>", re.DOTALL)
#: Words that open and close, between white-space and delimiters (7.2.3); a name such as /q is none.
_OPERATORS = re.compile(rb"(?<![^\0\t\n\f\r \[\]<>()])(?:q|Q|BT|ET|BDC|BMC|EMC|BI)(?![^\0\t\n\f\r \[\]<>/()%])")


_OF_TEXTS = {b"BT", b"ET"}


class Balance(NamedTuple):
    """What must stand before and behind the content of a page, so that nothing of it reaches what is put there."""

    before: bytes
    behind: bytes


#: The most bytes that the content of a page comes to when it is unpacked.
MOST_CONTENT = 256_000_000


def streams_of(contents: Any) -> list[Any]:
    """The streams of a page's content, one or several (7.7.3.3)."""
    pikepdf = needed("pikepdf")
    found = list(contents) if isinstance(contents, pikepdf.Array) else [contents]
    return [each for each in found if isinstance(each, pikepdf.Stream)]


def unpacked(streams: Iterable[Any]) -> bytes:
    """The streams of a page, joined. Raises `Failure` for more than a page can need: a few bytes can stand for all the
    memory there is.
    """
    found: list[bytes] = []
    room = MOST_CONTENT
    for stream in streams:
        with told_as_damage():
            data = _unpacked(stream, room)
        room -= len(data)
        if room < 0:
            raise Failure(f"the content of a page unpacks to more than {MOST_CONTENT // 1_000_000} MB")
        found.append(data)
    return b"\n".join(found)


def _unpacked(stream: Any, room: int) -> bytes:
    """One stream; of a packed one at most a byte more than there is room for."""
    filters = stream.get("/Filter")
    names = [str(filters)] if isinstance(filters, needed("pikepdf").Name) else [str(each) for each in filters or ()]
    if names == ["/FlateDecode"] and "/DecodeParms" not in stream:
        worker = zlib.decompressobj()
        with suppress(zlib.error):  # damaged: the library mends what can be mended
            return worker.decompress(stream.read_raw_bytes(), room + 1)
    elif len(names) > 2 or names.count("/FlateDecode") > 1:
        raise Failure("the content of a page is packed several times over, which no program needs")
    return bytes(stream.read_bytes())


def balance(pdf: Any, page: Any, data: bytes) -> Balance:
    """What brackets the content of a page; `data` are its streams, joined (7.8.2)."""
    # Most pages open nothing but texts, even if words in these texts counted, and end with the end of one.
    if data.rstrip().endswith((b" ET", b"\nET", b"\rET")) and not set(_OPERATORS.findall(data)) - _OF_TEXTS:
        return Balance(b"", b"")
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
    with told_as_damage():
        parsed = needed("pikepdf").parse_content_stream(page, "q Q BT ET BDC BMC EMC")
        return [str(each.operator).encode() for each in parsed]
