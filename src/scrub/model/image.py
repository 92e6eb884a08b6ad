"""Pictures that are files of their own."""

from __future__ import annotations

from datetime import datetime

from scrub.model.declare import Reach, action, field, may_lack
from scrub.model.files import FilePath, MovableFile
from scrub.model.outline import Contents
from scrub.model.stamping import Stamped
from scrub.model.values import Choice


class ImageFormat(Choice):
    """What a picture is kept as."""

    JPEG = "jpeg"
    PNG = "png"
    TIFF = "tiff"
    WEBP = "webp"


class Turn(Choice):
    """How a picture is turned."""

    LEFT = "left"
    RIGHT = "right"
    UPSIDE_DOWN = "upside-down"


class Image(MovableFile, Stamped):
    """A picture: a file of points."""

    kind_word = "image"
    called = "an image"
    part_word = "place"

    @property
    @field
    def format(self) -> ImageFormat:
        """What it is kept as.

        Example: if image.format is png
        Also: type, jpeg, jpg
        """
        raise NotImplementedError

    @property
    @field
    def width(self) -> int:
        """How many points it is wide, as it is seen.

        Example: if image.width > 2000
        Also: pixels, size, dimensions
        """
        raise NotImplementedError

    @property
    @field
    def height(self) -> int:
        """How many points it is high, as it is seen.

        Example: if image.height > 2000
        Also: pixels, size, dimensions
        """
        raise NotImplementedError

    @property
    @field
    def upright(self) -> bool:
        """no when it only looks upright because a mark in it says how to turn it, which some programs do not heed.

        Example: if not image.upright
        Also: orientation, rotated, exif
        """
        raise NotImplementedError

    @property
    @field
    def taken_at(self) -> datetime | None:
        """When it was taken, as the camera says; nothing where it does not.

        Example: if image.taken-at is not empty
        Also: date taken, exif, camera, photo date
        """
        raise NotImplementedError

    @property
    @field
    def has_location(self) -> bool:
        """yes when it tells where it was taken.

        Example: if image.has-location
        Also: gps, place, coordinates, privacy
        """
        raise NotImplementedError

    @property
    @field
    def frames(self) -> int:
        """How many pictures are in the file: more than one for an animation, or pages that were scanned.

        Example: if image.frames > 1
        Also: animation, pages, multi-page
        """
        raise NotImplementedError

    @action(Reach.CHANGE)
    @may_lack
    def turn(self, to: Turn) -> None:
        """Turns it without touching its points: a mark in it says how it is to be seen.

        to: left, right or upside-down.
        Example: turn to: right
        Also: rotate, orientation
        """
        raise NotImplementedError

    @action(Reach.CHANGE)
    @may_lack
    def make_upright(self) -> None:
        """Puts the points themselves as they are to be seen, so that programs that heed no mark show them right.

        A JPEG loses nothing; where its sides are no whole number of blocks, points at the edge would be lost, and it is
        refused.

        Example: make-upright
        Also: auto rotate, orientation, exif
        """
        raise NotImplementedError

    @action(Reach.CHANGE)
    @may_lack
    def resize(self, longest: int, quality: int = 90) -> None:
        """Makes it smaller, so that its longer side has so many points; one that is small enough stays.

        longest: how many points the longer side has at most.
        quality: of a JPEG, from 1 to 100.
        Example: resize longest: 2000
        Also: shrink, scale, smaller, pixels
        """
        raise NotImplementedError

    @action(Reach.CHANGE)
    @may_lack
    def crop(self, left: int = 0, top: int = 0, right: int = 0, bottom: int = 0, quality: int = 90) -> None:
        """Cuts points off its sides.

        left: how many on the left, as it is seen.
        top: how many at the top.
        right: how many on the right.
        bottom: how many at the bottom.
        quality: of a JPEG, from 1 to 100.
        Example: crop top: 100, bottom: 100
        Also: trim, cut, border
        """
        raise NotImplementedError

    @action(Reach.FILES, "saves copies of files")
    def convert(self, to: ImageFormat, folder: FilePath | None = None, quality: int = 90) -> None:
        """Saves it once more as another format, beside it; the file itself stays.

        to: the format.
        folder: where it goes; a relative one counts from the file's own.
        quality: of a JPEG, from 1 to 100.
        Example: convert to: png
        Also: save as, export, jpeg, change format
        """
        raise NotImplementedError

    @action(Reach.CHANGE)
    @may_lack
    def remove_location(self) -> None:
        """Takes out where it was taken; the points stay as they are.

        Example: remove-location
        Also: gps, privacy, coordinates, exif
        """
        raise NotImplementedError

    @action(Reach.CHANGE)
    @may_lack
    def remove_metadata(self) -> None:
        """Takes out what it tells about camera, place, time and writer; its colours and how it is seen stay.

        Example: remove-metadata
        Also: exif, privacy, anonymous, clean, properties
        """
        raise NotImplementedError

    def picture_bytes(self) -> bytes:
        """The picture as it is now."""
        raise NotImplementedError

    def contents(self) -> Contents:
        """How large it is, when and perhaps where it was taken."""
        said = f"{self.width:,} x {self.height:,} points"
        taken = f"taken {self.taken_at:%Y-%m-%d %H:%M}" if self.taken_at is not None else ""
        marks = [taken, "tells where" if self.has_location else "", "" if self.upright else "turned by a mark"]
        row = {"name": self.format.value, "size": said, "marks": ", ".join(each for each in marks if each)}
        hint = "A macro says: if image.width > 2000 … More: scrub catalog image"
        return Contents("picture", [row], hint=hint)


#: The kinds in pictures.
KINDS = (Image,)
