"""The pixels of pictures: turned, made smaller, cut, drawn on, kept as another format."""

from __future__ import annotations

import io
import math
from typing import Any

from scrub.formats.images.containers import exif_of, kind_of
from scrub.formats.images.exif import STEPS
from scrub.formats.images.needed import needed, told_as_damage
from scrub.formats.picture.blocks import turned_blocks
from scrub.formats.picture.opening import opened
from scrub.model.core.problem import Failure

_SAVED = {"jpeg": "JPEG", "png": "PNG", "tiff": "TIFF", "webp": "WEBP"}


def upright(image: object) -> Any:
    """A picture, which becomes one with its pixels as they are to be seen."""
    with told_as_damage():
        needed("PIL.ImageOps").exif_transpose(image, in_place=True)  # a copy of a picture that is right takes time
        return image


def saved(image: Any, kind: str, old: bytes, quality: int) -> bytes:
    """A picture as a file; its colours and what its camera wrote go along, and it needs no mark any more."""
    if not 1 <= quality <= 100:
        raise Failure("quality is 1 to 100")
    more: dict[str, object] = {}
    was = needed("PIL.Image").open(io.BytesIO(old)).info
    if was.get("icc_profile"):
        more["icc_profile"] = was["icc_profile"]
    if was.get("dpi") and kind in ("jpeg", "png", "tiff"):
        more["dpi"] = was["dpi"]
    block = exif_of(old) if kind_of(old) != "tiff" else None
    if block is not None and kind != "tiff":
        block.put_orientation(1)
        more["exif"] = b"Exif\0\0" + bytes(block.data)
    if kind == "jpeg":
        if image.mode in ("RGBA", "LA", "P", "PA"):
            if image.mode != "P" or "transparency" in image.info:
                raise Failure("it has transparent parts, which a JPEG cannot store")
            image = image.convert("RGB")
        more |= {"quality": quality, "optimize": False}
    elif kind == "webp":
        more |= {"quality": quality}
    out = io.BytesIO()
    try:
        image.save(out, _SAVED[kind], **more)
    except (OSError, ValueError) as error:
        raise Failure(f"it cannot be saved as {kind}: {error}") from None
    return out.getvalue()


def smaller(data: bytes, longest: int, quality: int) -> bytes | None:
    """A picture whose longer side has at most that many pixels; None for one that is small enough."""
    if longest < 1:
        raise Failure("the longer side must be at least 1 pixel")
    image = opened(data, about=longest * 2)
    if max(image.size) <= longest:
        return None
    image = upright(image)
    share = longest / max(image.size)
    size = (max(1, round(image.size[0] * share)), max(1, round(image.size[1] * share)))
    if image.mode == "P":
        image = image.convert("RGBA" if "transparency" in image.info else "RGB")
    return saved(image.resize(size, needed("PIL.Image").Resampling.LANCZOS), kind_of(data), data, quality)


def cut(data: bytes, sides: tuple[int, int, int, int], quality: int) -> bytes:
    """A picture without that many pixels on the left, top, right and bottom."""
    image = upright(opened(data))
    left, top, right, bottom = sides
    if min(sides) < 0 or left + right >= image.size[0] or top + bottom >= image.size[1]:
        raise Failure(f"a picture of {image.size[0]:,} x {image.size[1]:,} pixels would have none left")
    box = (left, top, image.size[0] - right, image.size[1] - bottom)
    return saved(image.crop(box), kind_of(data), data, quality)


def straight(data: bytes) -> bytes:
    """A picture with its pixels as they are to be seen, and without a mark; those of a JPEG lose nothing."""
    found = exif_of(data)
    orientation = found.orientation if found is not None else 1
    if orientation == 1:
        return data
    if kind_of(data) == "jpeg":
        return turned_blocks(data, STEPS[orientation])
    return saved(upright(opened(data)), kind_of(data), data, 90)


def drawn_on(data: bytes, stamp: Any, where: tuple[float, float], opacity: float, angle: float, behind: bool) -> bytes:
    """A picture with another one drawn on it at the place of its middle, counted from the left and from above."""
    pillow = needed("PIL.Image")
    image = upright(opened(data))
    mode = image.mode
    if behind:
        raise Failure("a picture has no background layer. Use layer: above")
    stamp = stamp.convert("RGBA").rotate(angle, expand=True, resample=pillow.Resampling.BICUBIC)
    if opacity < 1:
        stamp.putalpha(stamp.getchannel("A").point(lambda value: round(value * opacity)))
    full = image.convert("RGBA")
    corner = (math.floor(where[0] - stamp.size[0] / 2), math.floor(where[1] - stamp.size[1] / 2))
    layer = pillow.new("RGBA", full.size, (0, 0, 0, 0))
    layer.paste(stamp, corner)
    made = pillow.alpha_composite(full, layer)
    return saved(made if mode in ("RGBA", "LA", "P") else made.convert("RGB"), kind_of(data), data, 92)
