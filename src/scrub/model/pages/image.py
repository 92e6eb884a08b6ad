"""Pictures that are files of their own."""

from __future__ import annotations

from datetime import datetime

from scrub.model.core.choice import Choice
from scrub.model.core.declare import Reach, action, field, may_lack
from scrub.model.core.files import FilePath, MovableFile
from scrub.model.core.outline import Contents
from scrub.model.core.required import required
from scrub.model.pages.stamping import Stamped


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
    """A picture: a file of pixels."""

    kind_word = "image"
    called = "an image"
    part_word = "place"

    @property
    @field
    @required
    def format(self) -> ImageFormat:
        """The file format.

        Example: if image.format is png
        Also: type, jpeg, jpg
        """
        raise NotImplementedError

    @property
    @field
    @required
    def width(self) -> int:
        """The width in pixels, as displayed.

        Example: if image.width > 2000
        Also: pixels, size, dimensions
        """
        raise NotImplementedError

    @property
    @field
    @required
    def height(self) -> int:
        """The height in pixels, as displayed.

        Example: if image.height > 2000
        Also: pixels, size, dimensions
        """
        raise NotImplementedError

    @property
    @field
    @required
    def upright(self) -> bool:
        """Whether the pixels are upright. If not, an entry in the camera data rotates the picture, which some programs
        ignore.

        Example: if not image.upright
        Also: orientation, rotated, exif
        """
        raise NotImplementedError

    @property
    @field
    @required
    def taken_at(self) -> datetime | None:
        """The date and time the picture was taken; nothing if the camera data has none.

        Example: if image.taken-at is not empty
        Also: date taken, exif, camera, photo date
        """
        raise NotImplementedError

    @property
    @field
    @required
    def has_location(self) -> bool:
        """Whether the picture contains its location.

        Example: if image.has-location
        Also: gps, place, coordinates, privacy
        """
        raise NotImplementedError

    @property
    @field
    @required
    def frames(self) -> int:
        """The number of pictures in the file: more than one for an animation or scanned pages.

        Example: if image.frames > 1
        Also: animation, pages, multi-page
        """
        raise NotImplementedError

    @action(Reach.CHANGE)
    @may_lack
    def turn(self, to: Turn) -> None:
        """Rotates the picture by an entry in its camera data; the pixels are unchanged.

        to: the direction.
        Example: turn to: right
        Also: rotate, orientation
        """
        raise NotImplementedError

    @action(Reach.CHANGE)
    @may_lack
    def make_upright(self) -> None:
        """Rotates the pixels themselves, so that every program shows the picture upright. A JPEG loses nothing; if its
        sides do not fit whole blocks, it is refused.



        Example: make-upright
        Also: auto rotate, orientation, exif
        """
        raise NotImplementedError

    @action(Reach.CHANGE)
    @may_lack
    def resize(self, longest: int, quality: int = 90) -> None:
        """Shrinks the picture so that its longer side has up to this many pixels. A smaller picture is unchanged.

        longest: the maximum of the longer side, in pixels.
        quality: the JPEG quality, from 1 to 100.
        Example: resize longest: 2000
        Also: shrink, scale, smaller, pixels
        """
        raise NotImplementedError

    @action(Reach.CHANGE)
    @may_lack
    def crop(self, left: int = 0, top: int = 0, right: int = 0, bottom: int = 0, quality: int = 90) -> None:
        """Crops the picture, in pixels.

        left: pixels to remove at the left, as displayed.
        top: pixels to remove at the top.
        right: pixels to remove at the right.
        bottom: pixels to remove at the bottom.
        quality: the JPEG quality, from 1 to 100.
        Example: crop top: 100, bottom: 100
        Also: trim, cut, border
        """
        raise NotImplementedError

    @action(Reach.FILES, "saves copies of files")
    @required
    def convert(self, to: ImageFormat, folder: FilePath | None = None, quality: int = 90) -> None:
        """Saves a copy in another format beside the file.

        to: the format.
        folder: the folder; a relative path starts from the file's own folder.
        quality: the JPEG quality, from 1 to 100.
        Example: convert to: png
        Also: save as, export, jpeg, change format
        """
        raise NotImplementedError

    @action(Reach.CHANGE)
    @may_lack
    def remove_location(self) -> None:
        """Removes the location; the pixels are unchanged.

        Example: remove-location
        Also: gps, privacy, coordinates, exif
        """
        raise NotImplementedError

    @action(Reach.CHANGE)
    @may_lack
    def remove_metadata(self) -> None:
        """Removes the metadata about camera, place, time and author; colours and rotation remain.

        Example: remove-metadata
        Also: exif, privacy, anonymous, clean, properties
        """
        raise NotImplementedError

    @required
    def picture_bytes(self) -> bytes:
        """The picture as it is now."""
        raise NotImplementedError

    def contents(self) -> Contents:
        """How large it is, when and perhaps where it was taken."""
        said = f"{self.width:,} x {self.height:,} pixels"
        taken = f"taken {self.taken_at:%Y-%m-%d %H:%M}" if self.taken_at is not None else ""
        marks = [
            taken,
            "with location" if self.has_location else "",
            "" if self.upright else ("rotated by its camera data"),
        ]
        row = {"name": self.format.value, "size": said, "marks": ", ".join(mark for mark in marks if mark)}
        hint = "In a macro: if image.width > 2000 … More: scrub catalog image"
        return Contents("picture", [row], hint=hint)


#: The kinds in pictures.
KINDS = (Image,)
