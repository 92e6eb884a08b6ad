"""Pictures as PDFs hold them (8.9): JPEG and PNG data go in as they are wherever that says the same."""

from __future__ import annotations

import io
import struct
import zlib
from collections.abc import Iterator
from typing import NamedTuple

from scrub.formats.pdf.needed import needed
from scrub.formats.pdf.update import Section
from scrub.model.problem import Failure

#: The most points that a picture may have: a few bytes can ask for all the memory there is.
MOST_POINTS = 180_000_000


class Drawn(NamedTuple):
    """A picture as an object: its entries and its data, and how large it is in points of paper."""

    entries: dict[str, bytes]
    data: bytes
    packed: bool
    mask: bytes | None
    size: tuple[float, float]
    pixels: tuple[int, int]

    def put(self, section: Section) -> int:
        """Adds it to what is appended to a file."""
        entries = dict(self.entries)
        if self.mask is not None:
            soft = section.put_stream(
                {**_image(*self.pixels), "ColorSpace": b"/DeviceGray", "BitsPerComponent": b"8"}, self.mask
            )
            entries["SMask"] = b"%d 0 R" % soft
        return section.put_stream(entries, self.data, self.packed)


def drawn(data: bytes, shown: str) -> Drawn:
    """A picture from its bytes. Raises `Failure` for one that is none, or damaged."""
    try:
        if data.startswith(b"\xff\xd8"):
            return _jpeg(data)
        if data.startswith(b"\x89PNG\r\n\x1a\n"):
            return _png(data)
        return _other(data)
    except Failure as failure:
        raise failure.at(shown) from None
    except (struct.error, IndexError, ValueError, OSError, zlib.error, KeyError) as error:
        raise Failure(f"{shown} is no picture that can be read, or a damaged one ({error})") from None


def _image(width: int, height: int) -> dict[str, bytes]:
    if width * height > MOST_POINTS or not width or not height:
        raise Failure(f"a picture of {width:,} x {height:,} points is too large; one has at most {MOST_POINTS:,}")
    return {"Type": b"/XObject", "Subtype": b"/Image", "Width": b"%d" % width, "Height": b"%d" % height}


def _points(pixels: tuple[int, int], across: float, down: float) -> tuple[float, float]:
    """The size on paper, by the points in an inch; 96 where a picture does not say."""
    across, down = (each if 10 <= each <= 10_000 else 96 for each in (across, down))
    return pixels[0] * 72 / across, pixels[1] * 72 / down


def segments(data: bytes) -> Iterator[tuple[int, int, int]]:
    """The marker segments of a JPEG before its scan: marker, start of the content, end (ITU-T T.81, B.1.1)."""
    at = 2
    while at + 4 <= len(data):
        if data[at] != 0xFF:
            raise Failure("its segments are damaged")
        marker = data[at + 1]
        if marker == 0xFF:
            at += 1
            continue
        if marker in (0x01, *range(0xD0, 0xD9)):
            at += 2
            continue
        if marker == 0xD9:
            return
        length = int.from_bytes(data[at + 2 : at + 4], "big")
        if length < 2:
            raise Failure("its segments are damaged")
        yield marker, at + 4, at + 2 + length
        if marker == 0xDA:
            return
        at += 2 + length


def _jpeg(data: bytes) -> Drawn:
    across = down = 0.0
    adobe, frame = False, None
    for marker, start, _ in segments(data):
        if marker == 0xE0 and data[start : start + 5] == b"JFIF\0":
            unit, across, down = struct.unpack(">BHH", data[start + 7 : start + 12])
            across, down = (each * {1: 1, 2: 2.54}.get(unit, 0) for each in (across, down))
        elif marker == 0xEE and data[start : start + 5] == b"Adobe":
            adobe = True
        elif 0xC0 <= marker <= 0xCF and marker not in (0xC4, 0xC8, 0xCC):
            depth, high, wide, parts = struct.unpack(">BHHB", data[start : start + 6])
            frame = (depth, wide, high, parts)
    if frame is None or frame[0] != 8 or frame[3] not in (1, 3, 4):
        raise Failure("it is a JPEG of a sort that PDFs do not hold")
    _, wide, high, parts = frame
    entries = {
        **_image(wide, high), "ColorSpace": {1: b"/DeviceGray", 3: b"/DeviceRGB", 4: b"/DeviceCMYK"}[parts],
        "BitsPerComponent": b"8", "Filter": b"/DCTDecode",
    }  # fmt: skip
    if parts == 4 and adobe:  # stored the other way round
        entries["Decode"] = b"[1 0 1 0 1 0 1 0]"
    return Drawn(entries, data, True, None, _points((wide, high), across, down), (wide, high))


def _png(data: bytes) -> Drawn:
    """A PNG (ISO/IEC 15948): its data are those of a PDF unless it is interlaced or has transparency (7.4.4.4)."""
    at, packed, palette, across, clear = 8, [], b"", 0.0, False
    head = b""
    while at + 8 <= len(data):
        length, kind = struct.unpack(">I4s", data[at : at + 8])
        body = data[at + 8 : at + 8 + length]
        if kind == b"IHDR":
            head = body
        elif kind == b"PLTE":
            palette = body
        elif kind == b"tRNS":
            clear = True
        elif kind == b"pHYs" and body[8:9] == b"\1":
            across = int.from_bytes(body[:4], "big") * 0.0254
        elif kind == b"IDAT":
            packed.append(body)
        at += 12 + length
    wide, high, depth, colour, _, _, interlaced = struct.unpack(">IIBBBBB", head)
    entries = _image(wide, high)
    if interlaced or clear or colour in (4, 6):
        return _other(data)
    parts = 3 if colour == 2 else 1
    space = {0: b"/DeviceGray", 2: b"/DeviceRGB"}.get(colour)
    if space is None:
        space = b"[/Indexed /DeviceRGB %d <%b>]" % (len(palette) // 3 - 1, palette.hex().encode())
    columns = b"<< /Predictor 15 /Colors %d /BitsPerComponent %d /Columns %d >>" % (parts, depth, wide)
    entries |= {
        "ColorSpace": space, "BitsPerComponent": b"%d" % depth, "Filter": b"/FlateDecode", "DecodeParms": columns,
    }  # fmt: skip
    return Drawn(entries, b"".join(packed), True, None, _points((wide, high), across, across), (wide, high))


def _other(data: bytes) -> Drawn:
    """Any other picture, by its points; what is clear becomes a mask."""
    pillow = needed("PIL.Image")
    pillow.MAX_IMAGE_PIXELS = MOST_POINTS
    image = pillow.open(io.BytesIO(data))
    entries = _image(*image.size)
    if getattr(image, "n_frames", 1) > 1:
        raise Failure("it is an animation or has several pages")
    across = float(image.info.get("dpi", (96, 96))[0] or 96)
    mask = None
    if image.mode in ("RGBA", "LA", "PA") or "transparency" in image.info:
        full = image.convert("RGBA")
        mask = full.getchannel("A").tobytes()
        image = full.convert("RGB")
    elif image.mode not in ("L", "RGB"):
        image = image.convert("RGB")
    space = b"/DeviceGray" if image.mode == "L" else b"/DeviceRGB"
    entries |= {"ColorSpace": space, "BitsPerComponent": b"8"}
    return Drawn(entries, image.tobytes(), False, mask, _points(image.size, across, across), image.size)
