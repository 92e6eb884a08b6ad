"""An open picture: its bytes as they should be."""

from __future__ import annotations

import io
import math
import os
from collections.abc import Callable
from datetime import datetime
from decimal import Decimal
from typing import Any

from scrub.formats.file import PickedFile
from scrub.formats.images import containers
from scrub.formats.images.exif import turned
from scrub.formats.images.needed import needed, told_as_damage
from scrub.formats.images.system_fonts import fonts
from scrub.formats.picture import opening, points
from scrub.formats.source import Source, data_of, opened
from scrub.model.core.colours import colour_of
from scrub.model.core.files import FilePath, placed
from scrub.model.core.problem import Failure
from scrub.model.pages.image import Image, ImageFormat, Turn
from scrub.model.pages.stamping import Layer, Placing, Spot
from scrub.store.patch import Effect, Patch, free_path, release, whole

_ENDINGS = {"jpeg": ".jpg", "png": ".png", "tiff": ".tiff", "webp": ".webp"}
_MOST = 500_000_000
_QUARTERS = {Turn.RIGHT: 1, Turn.UPSIDE_DOWN: 2, Turn.LEFT: 3}
_ACROSS = {Spot.TOP_LEFT: 0, Spot.LEFT: 0, Spot.BOTTOM_LEFT: 0, Spot.TOP: 1, Spot.MIDDLE: 1, Spot.BOTTOM: 1}
_DOWN = {Spot.TOP_LEFT: 0, Spot.TOP: 0, Spot.TOP_RIGHT: 0, Spot.LEFT: 1, Spot.MIDDLE: 1, Spot.RIGHT: 1}


class ImageFile(PickedFile, Image):
    """A picture opened for changes."""

    def __init__(self, source: Source) -> None:
        super().__init__(source)
        if source.size > _MOST:
            raise self.problem("the file is larger than 500 MB")
        self._now = self._first = source.read(0, source.size)
        if not containers.kind_of(self._now):
            raise self.problem("not a picture that Scrub knows, despite its name")
        self._made: list[tuple[str, bytes]] = []
        self._sizes: dict[bytes, tuple[int, int]] = {}

    def _change(
        self, field: str, before: object, after: object, made: Callable[[bytes], bytes], said: str = ""
    ) -> None:
        """Gives it other bytes, and notes the change. Raises `Failure` with its name."""
        former = self._now
        try:
            fresh = made(former)
        except Failure as failure:
            raise failure.at(self.name) from None
        if fresh == former:
            return
        self._now = fresh

        def revert() -> None:
            self._now = former

        self.changed(field, before, after, revert, said)

    def _read(self) -> Any:
        try:
            with told_as_damage():
                return needed("PIL.Image").open(io.BytesIO(self._now))
        except Failure as failure:
            raise self.problem(str(failure)) from None

    @property
    def format(self) -> ImageFormat:
        """What it is kept as."""
        return ImageFormat(containers.kind_of(self._now))

    def _orientation(self) -> int:
        found = containers.exif_of(self._now)
        return found.orientation if found is not None else 1

    def _size(self) -> tuple[int, int]:
        """Its size as it is seen."""
        wide, high = self._read().size
        turned_later = self._orientation() >= 5 and self.format != ImageFormat.TIFF  # which the library turns itself
        return (high, wide) if turned_later else (wide, high)

    @property
    def width(self) -> int:
        """How many pixels it is wide."""
        return self._size()[0]

    @property
    def height(self) -> int:
        """How many pixels it is high."""
        return self._size()[1]

    @property
    def upright(self) -> bool:
        """Whether it needs no mark to be seen right."""
        return self._orientation() == 1

    @property
    def taken_at(self) -> datetime | None:
        """When it was taken."""
        found = containers.exif_of(self._now)
        try:
            return found.taken_at if found is not None else None
        except Failure:
            return None

    @property
    def has_location(self) -> bool:
        """Whether it tells where it was taken."""
        try:
            return containers.tells_place(self._now)
        except Failure:
            return False

    @property
    def frames(self) -> int:
        """How many pictures are in it."""
        return int(getattr(self._read(), "n_frames", 1))

    # -- what is done to it

    def turn(self, to: Turn) -> None:
        """Turns it by its mark."""
        fresh = turned(self._orientation(), _QUARTERS[to])
        self._change("turned", False, True, lambda data: containers.with_orientation(data, fresh), f"rotated {to}")

    def make_upright(self) -> None:
        """Turns its pixels upright."""
        self._change("upright", False, True, points.straight, "rotated as displayed")

    def resize(self, longest: int, quality: int = 90) -> None:
        """Makes it smaller."""
        before = self._size()
        if max(before) > longest:
            made = self._said_size(before, longest)
            self._change("size", _by(before), _by(made), lambda data: points.smaller(data, longest, quality) or data)

    @staticmethod
    def _said_size(before: tuple[int, int], longest: int) -> tuple[int, int]:
        share = longest / max(before)
        return max(1, round(before[0] * share)), max(1, round(before[1] * share))

    def crop(self, left: int = 0, top: int = 0, right: int = 0, bottom: int = 0, quality: int = 90) -> None:
        """Cuts pixels off its sides."""
        before, sides = self._size(), (left, top, right, bottom)
        if any(sides):
            after = (before[0] - left - right, before[1] - top - bottom)
            self._change("size", _by(before), _by(after), lambda data: points.cut(data, sides, quality))

    def convert(self, to: ImageFormat, folder: FilePath | None = None, quality: int = 90) -> None:
        """Saves it once more as another format."""
        stem = os.path.splitext(self.name)[0]
        where = placed(os.path.dirname(self.source.path), folder or ".")
        taken = {path for path, _ in self._made}
        path = free_path(
            os.path.join(where, stem + _ENDINGS[to.value]), lambda each: each in taken or os.path.lexists(each)
        )
        try:
            data = points.saved(points.upright(opening.opened(self._now)), to.value, self._now, quality)
        except Failure as failure:
            raise failure.at(self.name) from None
        made = (path, data)
        self._made.append(made)
        said = f"saved as {os.path.relpath(path)}"

        def revert() -> None:
            self._made.remove(made)
            release(path)

        self.changed(f"copy {path}", None, path, revert, said)

    def remove_location(self) -> None:
        """Removes where it was taken."""
        self._change("location", True, None, containers.without_place, "location removed")

    def remove_metadata(self) -> None:
        """Removes what it tells about camera, place, time and writer."""
        self._change("metadata", True, None, containers.without_telling, "metadata removed")

    # -- stamps

    def put_picture(self, path: FilePath, width: Decimal | None, at: Placing) -> None:
        """Draws another picture on it; lengths count by the pixels in an inch, 96 where it does not say."""
        file = placed(os.path.dirname(self.source.path), path)
        data = data_of(file)
        try:
            stamp = points.upright(opening.opened(data))
        except Failure as failure:
            raise failure.at(os.path.basename(file)) from None
        if width is not None:
            wide = max(1, round(float(width) * self._density()))
            stamp = stamp.resize((wide, max(1, round(stamp.size[1] * wide / stamp.size[0]))))
        self._draw(stamp, at, os.path.basename(file))

    def put_text(self, text: str, size: Decimal, colour: str, at: Placing) -> None:
        """Draws a text on it."""
        drawing, known = needed("PIL.ImageDraw"), fonts()
        height = max(4, round(float(size) * self._density()))
        of = needed("PIL.ImageFont")
        font = of.truetype(known[0], height) if known else of.load_default(height)
        left, top, right, bottom = font.getbbox(text)
        stamp = needed("PIL.Image").new("RGBA", (max(1, int(right - left)), max(1, int(bottom - top))), (0, 0, 0, 0))
        parts = tuple(int(colour_of(colour)[place : place + 2], 16) for place in (1, 3, 5))
        drawing.Draw(stamp).text((-left, -top), text, font=font, fill=(*parts, 255))
        self._draw(stamp, at, f'"{text}"')

    def take_stamp(self, called: str) -> None:
        """What was drawn on pixels is part of them."""
        raise Failure(f"{self.name}: a stamp on a picture can only be removed by undoing the run: scrub undo")

    def _density(self) -> float:
        """Points of the picture in a point of paper."""
        said = self._read().info.get("dpi", (96, 96))[0]
        return (float(said) if 10 <= float(said) <= 10_000 else 96.0) / 72

    def _draw(self, stamp: Any, at: Placing, said: str) -> None:
        angle, (wide, high) = float(at.angle), self._size()
        cos, sin = abs(math.cos(math.radians(angle))), abs(math.sin(math.radians(angle)))
        box = (stamp.size[0] * cos + stamp.size[1] * sin, stamp.size[0] * sin + stamp.size[1] * cos)
        margin = float(at.margin) * self._density()
        places = ((_ACROSS.get(at.spot, 2), wide, box[0]), (_DOWN.get(at.spot, 2), high, box[1]))
        x, y = ((margin + own / 2, room / 2, room - margin - own / 2)[place] for place, room, own in places)
        behind = at.layer == Layer.BEHIND
        self._change(
            at.called, None, f"{said}, {at.words()}",
            lambda data: points.drawn_on(data, stamp, (x, y), float(at.opacity), angle, behind),
        )  # fmt: skip

    def picture_bytes(self) -> bytes:
        """The picture as it is now."""
        return self._now

    # -- saving

    def patch(self) -> Patch | None:
        """What makes the changed file of the old one."""
        return self.rewritten(self._now) if self._now != self._first else None

    def effects(self, into: str | None = None) -> list[Effect]:
        """What saving it comes to: also as other formats."""
        return [*super().effects(into), *(Effect(path, whole(data), None) for path, data in self._made)]


def _by(size: tuple[int, int]) -> str:
    return f"{size[0]:,} x {size[1]:,}"


def open_image(path: str) -> ImageFile:
    """Opens one. Raises `FileProblem`."""
    return opened(path, ImageFile)
