"""JPEGs turned by their blocks: what is in these only changes places and signs, so that nothing is lost."""

from __future__ import annotations

import os
import struct
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from typing import Any

from scrub.formats.images.containers import with_orientation
from scrub.formats.images.needed import needed, told_as_damage
from scrub.formats.images.segments import segments
from scrub.formats.picture.opening import opened
from scrub.model.core.problem import Failure


def turned_blocks(data: bytes, steps: tuple[bool, bool, bool]) -> bytes:
    """A JPEG whose sides change places, and which is then mirrored across and down. Raises `Failure` where pixels at
    its edge would be lost.
    """
    opened(data)  # what is damaged must not reach the other library
    jpeglib = needed("jpeglib")
    swap, across, down = steps
    with tempfile.TemporaryDirectory() as folder:
        source, target = os.path.join(folder, "source.jpeg"), os.path.join(folder, "target.jpeg")
        with open(source, "wb") as stream:
            stream.write(data)
        with _nothing_said(), told_as_damage():
            picture = jpeglib.read_dct(source)
        _ensure_whole(data, swap, across, down)
        planes = {name: getattr(picture, name, None) for name in ("Y", "Cb", "Cr", "K")}
        turned = {name: _turned(plane, swap, across, down) for name, plane in planes.items() if plane is not None}
        tables = picture.qt.transpose(0, 2, 1).copy() if swap else picture.qt
        made_of = jpeglib.from_dct(**turned, qt=tables, quant_tbl_no=picture.quant_tbl_no)
        size = (picture.width, picture.height) if swap else (picture.height, picture.width)
        made_of.height, made_of.width = size
        made_of.write_dct(target)
        with open(target, "rb") as stream:
            made = stream.read()
    return with_orientation(_with_segments(made, data), 1)


@contextmanager
def _nothing_said() -> Iterator[None]:
    """Raises `Failure` where the library complains: it prints that to the terminal and goes on with blocks that it made
    up for those that it could not read.
    """
    terminal = os.dup(2)
    with tempfile.TemporaryFile() as said:
        os.dup2(said.fileno(), 2)
        try:
            yield
        finally:
            os.dup2(terminal, 2)
            os.close(terminal)
        said.seek(0)
        lines = said.read(2000).decode("ascii", "replace").splitlines()
    for line in lines:
        if line.strip() and "extraneous bytes" not in line:  # those are between blocks, and no block is missing
            raise Failure(f"the image is damaged ({line.strip()}); missing parts cannot be restored")


def _turned(plane: Any, swap: bool, across: bool, down: bool) -> object:
    made = plane.transpose(1, 0, 3, 2) if swap else plane
    made = made.copy()
    if across:
        made = made[:, ::-1].copy()
        made[..., 1::2] *= -1
    if down:
        made = made[::-1].copy()
        made[..., 1::2, :] *= -1
    return made.copy()


def _ensure_whole(data: bytes, swap: bool, across: bool, down: bool) -> None:
    """Raises `Failure` where a side that is mirrored is not a whole number of blocks, or colours are kept in another
    form across than down.
    """
    for marker, start, _ in segments(data):
        if 0xC0 <= marker <= 0xCF and marker not in (0xC4, 0xC8, 0xCC):
            high, wide = struct.unpack(">HH", data[start + 1 : start + 5])
            factors = [data[start + 7 + 3 * part] for part in range(data[start + 5])]
            most = max(each >> 4 for each in factors), max(each & 15 for each in factors)
            if swap and any(each >> 4 != each & 15 for each in factors):
                raise Failure(
                    "its colours are sampled differently across and down, so it cannot be rotated without loss"
                )
            wide, high = (high, wide) if swap else (wide, high)
            if (across and wide % (8 * most[0])) or (down and high % (8 * most[1])):
                raise Failure(
                    f"{wide} x {high} pixels is not a whole number of blocks, so rotating would lose the edge. Resize "
                    "it: that makes it upright too"
                )
            return
    raise Failure("the picture is damaged")


def _with_segments(made: bytes, old: bytes) -> bytes:
    """A JPEG with what the old one said of itself, in place of what the library writes."""
    said = b"".join(
        old[start - 4 : end] for marker, start, end in segments(old) if 0xE0 <= marker <= 0xEF or marker == 0xFE
    )
    out, at = bytearray(made[:2] + said), 2
    for marker, start, end in segments(made):
        if 0xE0 <= marker <= 0xEF or marker == 0xFE:
            out += made[at : start - 4]
            at = end
    return bytes(out + made[at:])
