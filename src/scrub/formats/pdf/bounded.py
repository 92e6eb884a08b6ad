"""How much the packed parts of a PDF may come to: a few bytes can ask for all the memory there is."""

from __future__ import annotations

import re
import zlib
from collections.abc import Iterable
from typing import Any

from scrub.formats.images.needed import needed, told_as_damage
from scrub.model.core.problem import Failure

#: The most bytes that the content of a page comes to, and what is packed in ways that can only be unpacked whole.
MOST_CONTENT, _MOST_OLD = 64_000_000, 100_000
#: The most bytes of packed objects, where they are more than that many times the file.
_OBJECTS, _TIMES = 32_000_000, 30
_STREAM = re.compile(rb"stream\r?\n")  # without a look after it: a plain word is found ten times as fast
_ESCAPED = re.compile(rb"#([0-9A-Fa-f]{2})")
_CHUNK = 1 << 20
#: What is not packed any more when it was unpacked once.
_TEXT_LIKE = ("/FlateDecode", "/LZWDecode", "/RunLengthDecode", "/ASCIIHexDecode", "/ASCII85Decode")


def unpacked(streams: Iterable[object]) -> bytes:
    """The streams of a page, joined. Raises `Failure` for more than a page can need."""
    found: list[bytes] = []
    room = MOST_CONTENT
    with told_as_damage():
        for stream in streams:
            data = _unpacked(stream, room)
            room -= len(data)
            if room < 0:
                most = MOST_CONTENT // 1_000_000
                raise Failure(f"part of it, such as the content of a page, unpacks to more than {most} MB")
            found.append(data)
    return b"\n".join(found)


def filters_of(stream: Any) -> list[str]:
    """How a stream is packed, the outermost way first (7.4)."""
    filters = stream.get("/Filter")
    return (
        [str(filters)] if isinstance(filters, needed("pikepdf").Name) else [str(filter_) for filter_ in filters or ()]
    )


def _unpacked(stream: Any, room: int) -> bytes:
    """One stream; of a packed one at most a byte more than there is room for."""
    names = filters_of(stream)
    raw = bytes(stream.read_raw_bytes())
    if len(names) > 2 or names.count("/FlateDecode") > 1:
        raise Failure("the content of a page is compressed several times over; no program does that")
    if "/LZWDecode" in names or "/RunLengthDecode" in names:
        if len(raw) > _MOST_OLD:
            raise Failure(
                "the content of a page is large and compressed in an old way. Save the file again in a PDF program"
            )
    elif names == ["/FlateDecode"]:
        made = _inflated(raw, room)
        if len(made) > room or (made and "/DecodeParms" not in stream):
            return made
    elif "/FlateDecode" in names and len(raw) > _MOST_OLD:
        raise Failure("the content of a page is large and compressed twice. Save the file again in a PDF program")
    return bytes(stream.read_bytes())


def _inflated(data: bytes, room: int) -> bytes:
    """What was packed (RFC 1950), at most a byte more than there is room for; nothing where that is damaged."""
    try:
        return zlib.decompressobj().decompress(data, room + 1)
    except zlib.error:
        return b""


def ensure_plainly_packed(pdf: Any) -> None:
    """Raises `Failure` where the library would unpack more than a file can need when it is rewritten: it does so with
    what a part says of itself (14.3.2), and with what is packed in several ways where it encrypts.
    """
    pikepdf = needed("pikepdf")
    for stream in pdf.objects:
        if not isinstance(stream, pikepdf.Stream):
            continue
        names = filters_of(stream)
        if len(names) > 1 and names[0] == "/FlateDecode" and names[1] in _TEXT_LIKE:
            raise Failure("part of it is compressed several times over; no program does that")
        if str(stream.get("/Type", "")) == "/Metadata":
            unpacked([stream])


def ensure_bounded(data: bytes) -> None:
    """Raises `Failure` for a file in which packed objects (7.5.7) come to far more than the file is long.

    A library unpacks each of them whole when it is first asked for one of its objects.
    """
    total, most = 0, max(_OBJECTS, _TIMES * len(data))
    for found in _STREAM.finditer(data):
        if data[max(0, found.start() - 3) : found.start()] == b"end":
            continue
        start = max(data.rfind(b" obj", max(0, found.start() - 4_000), found.start()), found.start() - 4_000, 0)
        head = _ESCAPED.sub(lambda each: bytes([int(each[1], 16)]), data[start : found.start()])
        if b"/First" not in head or b"/N" not in head:
            continue
        total += _length(data, found.end(), most - total)
        if total > most:
            raise Failure(f"its compressed objects unpack to more than {total // 1000000} MB")


def _length(data: bytes, at: int, room: int) -> int:
    """How many bytes were packed at a place; counting ends when there are more than there is room for."""
    worker, length = zlib.decompressobj(), 0
    view = memoryview(data)
    try:
        piece: bytes = b""
        while not worker.eof and length <= room:
            if not piece:
                piece = bytes(view[at : at + _CHUNK])
                at += _CHUNK
                if not piece:
                    break
            length += len(worker.decompress(piece, _CHUNK))
            piece = worker.unconsumed_tail
    except zlib.error:  # encrypted, damaged, or packed in another way
        pass
    return length
