"""Pictures that come into a document, whatever its format."""

from __future__ import annotations

import os
from typing import NamedTuple

from scrub.formats.source import data_of
from scrub.model.problem import Failure

#: The ending and the media type of what documents of every program show.
_TYPES = {"png": (".png", "image/png"), "jpeg": (".jpeg", "image/jpeg")}


class NewPicture(NamedTuple):
    """A picture that is to be shown: its file, its bytes, and its points as they are seen."""

    shown: str
    data: bytes
    ending: str
    media_type: str
    wide: int
    high: int


def new_picture(path: str) -> NewPicture:
    """A picture from a file. Raises `Failure` for one that documents do not show alike everywhere."""
    from scrub.formats.picture.containers import exif_of, kind_of  # rarely needed
    from scrub.formats.picture.segments import frame_of

    shown, data = os.path.basename(path), data_of(path)
    kind = kind_of(data)
    if kind not in _TYPES:
        raise Failure(f"{shown} is no picture that goes into documents: those are .png and .jpg. Convert it first")
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
                f"{shown} is turned by a mark in it, which word processors read in different ways. Make it upright "
                "first, by a macro for images: make-upright"
            )
    if not wide or not high:
        raise Failure(f"{shown} is damaged: it does not say how large it is")
    return NewPicture(shown, data, *_TYPES[kind], wide, high)


def file_name(wanted: str, inside: str) -> str:
    """A safe name of a file for a picture that is called so inside a document, with the ending of that."""
    from scrub.model.operations import as_file_name  # rarely needed

    ending = os.path.splitext(inside)[1].lower()
    stem = wanted[: -len(ending)] if ending and wanted.lower().endswith(ending) else wanted
    return f"{as_file_name(stem)}{ending}"
