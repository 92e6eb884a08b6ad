"""The pieces of which pictures are made: segments, chunks, directories; what is not touched keeps its bytes."""

from __future__ import annotations

import re
import struct
import zlib
from collections.abc import Iterator
from contextlib import suppress

from scrub.formats.images.exif import Exif, only
from scrub.formats.images.segments import segments
from scrub.model.core.named import NamedTuple
from scrub.model.core.problem import Failure

_EXIF, _XMP, _PROFILE = b"Exif\0\0", b"http://ns.adobe.com/xap/1.0/\0", b"ICC_PROFILE\0"
_LARGEST_PROFILE = 4_000_000
#: What tells a place in XMP, as an attribute and as an element.
_XMP_PLACE = re.compile(
    rb"""[\w]+:(?:GPS\w*|City|State|Country|CountryCode|Location|Sublocation)\s*=\s*(?:"[^"]*"|'[^']*')"""
    rb"""|<(?P<name>[\w]+:(?:GPS\w*|City|State|Country|CountryCode|Location|Sublocation))\b[^<>]*>.*?</(?P=name)>""",
    re.DOTALL,
)
#: Chunks of a PNG that tell about its making (ISO/IEC 15948, 11.3.4, and its extensions).
_TELLING = (b"tEXt", b"zTXt", b"iTXt", b"eXIf", b"tIME")


class FilePiece(NamedTuple):
    """A piece of a file: what it is, and its bytes, framing and all."""

    kind: bytes
    data: bytes
    body: bytes


def kind_of(data: bytes) -> str:
    """The format of a picture by its first bytes; an empty text for another file."""
    if data.startswith(b"\xff\xd8"):
        return "jpeg"
    if data.startswith(b"\x89PNG\r\n\x1a\n"):
        return "png"
    if data[:4] in (b"II*\0", b"MM\0*"):
        return "tiff"
    return "webp" if data[:4] == b"RIFF" and data[8:12] == b"WEBP" else ""


def exif_of(data: bytes) -> Exif | None:
    """What a camera wrote; None where nothing is there that can be read."""
    kind = kind_of(data)
    try:
        if kind == "tiff":
            return Exif(data)
        found = next((body for body in _exif_bodies(data, kind)), None)
        return Exif(found) if found is not None else None
    except Failure:
        return None


def _exif_bodies(data: bytes, kind: str) -> Iterator[bytes]:
    if kind == "jpeg":
        for marker, start, end in segments(data):
            if marker == 0xE1 and data[start : start + 6] == _EXIF:
                yield data[start + 6 : end]
    elif kind == "png":
        yield from (piece.body for piece in chunks(data) if piece.kind == b"eXIf")
    elif kind == "webp":
        yield from (piece.body.removeprefix(_EXIF) for piece in riff(data) if piece.kind == b"EXIF")


def profile_of(data: bytes) -> bytes:
    """What says which colours its numbers mean (ISO 15076-1, Annex B; ISO/IEC 15948, 11.3.3.3), where it has that."""
    kind, found = kind_of(data), b""
    if kind == "jpeg":
        pieces = {
            data[start + 12]: data[start + 14 : end]
            for marker, start, end in segments(data)
            if marker == 0xE2 and data[start : start + 12] == _PROFILE and start + 14 <= end <= len(data)
        }
        found = b"".join(pieces[number] for number in sorted(pieces))
    elif kind == "png":
        body = next((piece.body for piece in chunks(data) if piece.kind == b"iCCP"), b"")
        with suppress(zlib.error):
            found = zlib.decompressobj().decompress(body[body.find(b"\0") + 2 :], _LARGEST_PROFILE)
    elif kind == "webp":
        found = next((piece.body for piece in riff(data) if piece.kind == b"ICCP"), b"")
    return found if found[36:40] == b"acsp" and len(found) < _LARGEST_PROFILE else b""


def chunks(data: bytes) -> Iterator[FilePiece]:
    """The chunks of a PNG."""
    at = 8
    while at + 12 <= len(data):
        length = int.from_bytes(data[at : at + 4], "big")
        end = at + 12 + length
        if end > len(data):
            raise Failure("the picture is cut short")
        yield FilePiece(data[at + 4 : at + 8], data[at:end], data[at + 8 : end - 4])
        at = end


def riff(data: bytes) -> Iterator[FilePiece]:
    """The chunks of a WebP (RFC 9649, 2.3)."""
    at = 12
    while at + 8 <= len(data):
        length = int.from_bytes(data[at + 4 : at + 8], "little")
        end = at + 8 + length + length % 2
        if end > len(data) + 1:
            raise Failure("the picture is cut short")
        yield FilePiece(data[at : at + 4], data[at:end], data[at + 8 : at + 8 + length])
        at = end


def with_exif(data: bytes, block: bytes | None) -> bytes:
    """A picture with another block of what its camera wrote; None takes it out."""
    kind = kind_of(data)
    if kind == "jpeg":
        return _jpeg_with(data, block)
    if kind == "png":
        return _png_with(data, block)
    raise Failure(f"a {kind.upper()} picture without metadata cannot get this entry. Convert it first")


def _jpeg_with(data: bytes, block: bytes | None) -> bytes:
    fresh = b""
    if block is not None:
        body = _EXIF + block
        if len(body) + 2 > 0xFFFF:
            raise Failure("its camera data would be too long")
        fresh = b"\xff\xe1" + struct.pack(">H", len(body) + 2) + body
    at, first = 2, True
    out, done = bytearray(data[:2]), False
    for marker, start, end in segments(data):
        is_exif = marker == 0xE1 and data[start : start + 6] == _EXIF
        if is_exif:
            out += data[at : start - 4] + (b"" if done else fresh)
            at, done = end, True
        elif not done and fresh and not (first and marker == 0xE0) and not _has_exif(data):
            out += data[at : start - 4] + fresh
            at, done = start - 4, True
        first = False
        if marker == 0xDA:
            break
    return bytes(out + data[at:])


def _has_exif(data: bytes) -> bool:
    return any(marker == 0xE1 and data[start : start + 6] == _EXIF for marker, start, _ in segments(data))


def _png_with(data: bytes, block: bytes | None) -> bytes:
    out, pieces = bytearray(data[:8]), list(chunks(data))
    fresh = chunk(b"eXIf", block) if block is not None else b""
    has = any(piece.kind == b"eXIf" for piece in pieces)
    for piece in pieces:
        if piece.kind == b"eXIf":
            out += fresh
            continue
        out += piece.data
        if piece.kind == b"IHDR" and not has:
            out += fresh
    return bytes(out)


def chunk(kind: bytes, body: bytes) -> bytes:
    """A chunk of a PNG."""
    return struct.pack(">I", len(body)) + kind + body + struct.pack(">I", zlib.crc32(kind + body))


def with_orientation(data: bytes, orientation: int) -> bytes:
    """A picture with another mark of how it is to be seen: two bytes, where it has one."""
    found = exif_of(data)
    if found is not None and found.put_orientation(orientation):
        return bytes(found.data) if kind_of(data) == "tiff" else replaced_exif(data, bytes(found.data))
    if orientation == 1:
        return data
    if found is not None:
        raise Failure("its camera data has no room for the rotation. Remove the data first: remove-metadata")
    return with_exif(data, only(orientation))


def replaced_exif(data: bytes, block: bytes) -> bytes:
    """A picture with a block of the same length in place of the one it has."""
    kind = kind_of(data)
    if kind == "webp":
        out = bytearray(data[:12])
        for piece in riff(data):
            if piece.kind == b"EXIF":
                lead = _EXIF if piece.body.startswith(_EXIF) else b""
                out += piece.data[:8] + lead + block + piece.data[8 + len(piece.body) :]
            else:
                out += piece.data
        return bytes(out)
    return with_exif(data, block)


def without_place(data: bytes) -> bytes:
    """A picture without where it was taken."""
    found = exif_of(data)
    if found is not None:
        found.forget_place()
        data = bytes(found.data) if kind_of(data) == "tiff" else replaced_exif(data, bytes(found.data))
    if kind_of(data) != "jpeg":
        return data
    out = bytearray(data)
    for marker, start, end in segments(data):
        if marker == 0xE1 and data[start : start + len(_XMP)] == _XMP:
            blank = _XMP_PLACE.sub(lambda each: b" " * len(each[0]), data[start:end])
            out[start:end] = blank
    return bytes(out)


def tells_place(data: bytes) -> bool:
    """Whether a picture tells where it was taken."""
    found = exif_of(data)
    if found is not None and found.has_place:
        return True
    if kind_of(data) != "jpeg":
        return False
    return any(
        marker == 0xE1 and data[start : start + len(_XMP)] == _XMP and b":GPS" in data[start:end]
        for marker, start, end in segments(data)
    )


def without_telling(data: bytes) -> bytes:
    """A picture without what it tells about camera, time and writer; its colours and how it is seen stay."""
    kind, found = kind_of(data), exif_of(data)
    orientation = found.orientation if found is not None else 1
    if kind == "jpeg":
        out, at = bytearray(data[:2]), 2
        for marker, start, end in segments(data):
            keeps = marker == 0xE0 or marker == 0xEE or (marker == 0xE2 and data[start : start + 11] == b"ICC_PROFILE")
            if (0xE1 <= marker <= 0xEF or marker == 0xFE) and not keeps:
                out += data[at : start - 4]
                at = end
        made = bytes(out + data[at:])
    elif kind == "png":
        made = data[:8] + b"".join(piece.data for piece in chunks(data) if piece.kind not in _TELLING)
    elif kind == "webp":
        if orientation != 1:
            raise Failure("its rotation is part of this metadata. Rotate the pixels first: make-upright")
        pieces = [piece for piece in riff(data) if piece.kind not in (b"EXIF", b"XMP ")]
        body = b"".join(
            piece.data[:8] + bytes([piece.data[8] & ~0x0C]) + piece.data[9:] if piece.kind == b"VP8X" else piece.data
            for piece in pieces
        )
        return b"RIFF" + struct.pack("<I", len(body) + 4) + b"WEBP" + body
    else:
        raise Failure("the metadata of a TIFF cannot be removed. Convert it first")
    return with_exif(made, only(orientation)) if orientation != 1 else made
