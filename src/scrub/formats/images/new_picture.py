"""A picture that a file is to show, from a file."""

from __future__ import annotations

import os

from scrub.formats.source import data_of
from scrub.model.core.named import NamedTuple
from scrub.model.core.problem import Failure

#: The ending and the media type of what documents of every program show.
_TYPES = {"png": (".png", "image/png"), "jpeg": (".jpeg", "image/jpeg")}


class NewPicture(NamedTuple):
    """A new picture: its file, its bytes, and its pixels as they are seen."""

    shown: str
    data: bytes
    ending: str
    media_type: str
    wide: int
    high: int


def new_picture(path: str) -> NewPicture:
    """A picture from a file. Raises `Failure` for one that documents do not show alike everywhere."""
    from scrub.formats.images.containers import exif_of, kind_of  # rarely needed
    from scrub.formats.images.segments import frame_of

    shown, data = os.path.basename(path), data_of(path)
    kind = kind_of(data)
    if kind not in _TYPES:
        raise Failure(f"{shown} is not a .png or .jpg picture. Convert it first")
    if kind == "png":  # its header comes first (ISO/IEC 15948, 11.2.2)
        wide, high = int.from_bytes(data[16:20], "big"), int.from_bytes(data[20:24], "big")
    else:
        try:
            frame = frame_of(data)
        except Failure as failure:
            raise failure.at(shown) from None
        wide, high = (frame.wide, frame.high) if frame is not None else (0, 0)
        exif = exif_of(data)
        if exif is not None and exif.orientation != 1:
            raise Failure(
                f"{shown} is rotated by its camera data, which word processors read differently. In a macro for "
                "images: make-upright"
            )
    if not wide or not high:
        raise Failure(f"{shown} is damaged: its size is missing")
    return NewPicture(shown, data, *_TYPES[kind], wide, high)
