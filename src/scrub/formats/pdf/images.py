"""Pictures as PDFs hold them (8.9): JPEG and PNG data go in as they are wherever that says the same."""

from __future__ import annotations

import io
import struct
from typing import Any

from scrub.formats.images.containers import exif_of, profile_of
from scrub.formats.images.exif import STEPS
from scrub.formats.images.needed import needed, told_as_damage
from scrub.formats.images.segments import frame_of, segments
from scrub.formats.images.size import MOST_POINTS, ensure_few_points
from scrub.formats.pdf.update import Section
from scrub.model.core.named import NamedTuple
from scrub.model.core.problem import Failure

#: The most pages of one picture.
MOST_FRAMES = 500


#: Points that are kept as they are seen.
UPRIGHT = (1, 0, 0, 1, 0, 0)


class Drawn(NamedTuple):
    """A picture as an object: its entries and its data, and how large it is in pixels of paper."""

    entries: dict[str, bytes]
    data: bytes
    packed: bool
    mask: bytes | None
    size: tuple[float, float]
    pixels: tuple[int, int]
    #: From its pixels, as they are kept, to how it is seen, in a square of one unit (8.9.4).
    matrix: tuple[int, int, int, int, int, int] = UPRIGHT
    #: What its colours are, in the form of ISO 15076-1, and of how many parts each is.
    profile: tuple[bytes, int] | None = None

    def put(self, section: Section) -> int:
        """Adds it to what is appended to a file."""
        entries = dict(self.entries)
        if self.profile is not None:
            data, parts = self.profile
            own = section.put_stream({"N": b"%d" % parts}, data)
            device = b"/DeviceGray" if parts == 1 else b"/DeviceRGB" if parts == 3 else b"/DeviceCMYK"
            entries["ColorSpace"] = entries["ColorSpace"].replace(device, b"[/ICCBased %d 0 R]" % own)
        if self.mask is not None:
            soft = section.put_stream(
                {**_entries(*self.pixels), "ColorSpace": b"/DeviceGray", "BitsPerComponent": b"8"}, self.mask
            )
            entries["SMask"] = b"%d 0 R" % soft
        return section.put_stream(entries, self.data, self.packed)


def drawn(data: bytes, shown: str) -> Drawn:
    """A picture from its bytes. Raises `Failure` for one that is none, damaged, or of several frames."""
    found = drawn_all(data, shown)
    if len(found) > 1:
        raise Failure(f"{shown} is an animation or has several pages")
    return found[0]


def drawn_all(data: bytes, shown: str) -> list[Drawn]:
    """A picture from its bytes, or each page of a TIFF. Raises `Failure` for one that is none, or damaged."""
    jpeg, png = data.startswith(b"\xff\xd8"), data.startswith(b"\x89PNG\r\n\x1a\n")
    try:
        with told_as_damage():
            return [
                _as_seen(each, data) for each in ([_jpeg(data)] if jpeg else [_png(data)] if png else _others(data))
            ]
    except Failure as failure:
        raise failure.at(shown) from None


def _as_seen(found: Drawn, data: bytes) -> Drawn:
    """The same with its mark and its profile heeded."""
    profile = profile_of(data)
    parts = {b"GRAY": 1, b"RGB ": 3, b"CMYK": 4}.get(profile[16:20], 0)
    device = {1: b"/DeviceGray", 3: b"/DeviceRGB", 4: b"/DeviceCMYK"}.get(parts, b"none")
    if device in found.entries["ColorSpace"]:
        found = found._replace(profile=(profile, parts))
    mark = exif_of(data) if data[:2] not in (b"II", b"MM") else None  # the pixels of a TIFF come as they are seen
    swap, across, down = STEPS[mark.orientation if mark is not None else 1]

    def seen(x: int, y: int) -> tuple[int, int]:
        right, below = (1 - y, x) if swap else (x, 1 - y)
        return 1 - right if across else right, below if down else 1 - below

    (e, f), (a, b), (c, d) = seen(0, 0), seen(1, 0), seen(0, 1)
    size = found.size[::-1] if swap else found.size
    return found._replace(matrix=(a - e, b - f, c - e, d - f, e, f), size=size)


def _image(pixels: tuple[int, int], size: int) -> dict[str, bytes]:
    ensure_few_points(pixels, size)
    return _entries(*pixels)


def _entries(width: int, height: int) -> dict[str, bytes]:
    return {"Type": b"/XObject", "Subtype": b"/Image", "Width": b"%d" % width, "Height": b"%d" % height}


def _points(pixels: tuple[int, int], across: float, down: float) -> tuple[float, float]:
    """The size on paper, by the pixels in an inch; 96 where a picture does not say."""
    across, down = (each if 10 <= each <= 10_000 else 96 for each in (across, down))
    return pixels[0] * 72 / across, pixels[1] * 72 / down


def _jpeg(data: bytes) -> Drawn:
    across = down = 0.0
    adobe = False
    for marker, start, _ in segments(data):
        if marker == 0xE0 and data[start : start + 5] == b"JFIF\0":
            unit, across, down = struct.unpack(">BHH", data[start + 7 : start + 12])
            across, down = (each * {1: 1, 2: 2.54}.get(unit, 0) for each in (across, down))
        elif marker == 0xEE and data[start : start + 5] == b"Adobe":
            adobe = True
    frame = frame_of(data)
    if frame is None or frame.depth != 8 or frame.parts not in (1, 3, 4):
        raise Failure("PDFs do not support this kind of JPEG")
    _, high, wide, parts = frame
    entries = {
        **_image((wide, high), len(data)),
        "ColorSpace": {1: b"/DeviceGray", 3: b"/DeviceRGB", 4: b"/DeviceCMYK"}[parts],
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
    entries = _image((wide, high), len(data))
    if interlaced or clear or colour in (4, 6):
        return _others(data)[0]
    parts = 3 if colour == 2 else 1
    space = {0: b"/DeviceGray", 2: b"/DeviceRGB"}.get(colour)
    if space is None:
        space = b"[/Indexed /DeviceRGB %d <%b>]" % (len(palette) // 3 - 1, palette.hex().encode())
    columns = b"<< /Predictor 15 /Colors %d /BitsPerComponent %d /Columns %d >>" % (parts, depth, wide)
    entries |= {
        "ColorSpace": space, "BitsPerComponent": b"%d" % depth, "Filter": b"/FlateDecode", "DecodeParms": columns,
    }  # fmt: skip
    return Drawn(entries, b"".join(packed), True, None, _points((wide, high), across, across), (wide, high))


def _others(data: bytes) -> list[Drawn]:
    """Any other picture, by its pixels; of a TIFF all that it has."""
    pillow = needed("PIL.Image")
    pillow.MAX_IMAGE_PIXELS = MOST_POINTS
    try:
        image = pillow.open(io.BytesIO(data))
    except pillow.UnidentifiedImageError:
        raise Failure("not a picture that Scrub can read") from None
    frames = int(getattr(image, "n_frames", 1))
    if frames > 1 and image.format != "TIFF":
        raise Failure("the picture is an animation")
    if frames > MOST_FRAMES:
        raise Failure(f"it has more than {MOST_FRAMES} pages")
    result = []
    for frame in range(frames):
        image.seek(frame)
        result.append(_by_points(image, len(data)))
    return result


def _by_points(image: Any, size: int) -> Drawn:
    """What is clear in a picture becomes a mask."""
    entries = _image(image.size, size)
    if image.mode.startswith(("I", "F")):
        raise Failure("it has 16 bits per colour, which would be lost")
    across = float(image.info.get("dpi", (96, 96))[0] or 96)
    mask = None
    if image.mode in ("RGBA", "LA", "PA") or "transparency" in image.info:
        full = image.convert("RGBA")
        mask = full.getchannel("A").tobytes()
        image = full.convert("RGB")
    elif image.mode not in ("1", "L", "RGB"):
        image = image.convert("RGB")
    space = b"/DeviceRGB" if image.mode == "RGB" else b"/DeviceGray"
    entries |= {"ColorSpace": space, "BitsPerComponent": b"1" if image.mode == "1" else b"8"}
    return Drawn(entries, image.tobytes(), False, mask, _points(image.size, across, across), image.size)
