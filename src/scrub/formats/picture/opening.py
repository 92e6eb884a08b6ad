"""How the pixels of a picture are read: nothing damaged, too large or moving comes through."""

from __future__ import annotations

import io
from typing import Any

from scrub.formats.images.needed import needed, told_as_damage
from scrub.formats.images.size import ensure_few_points
from scrub.model.core.problem import Failure


def opened(data: bytes, about: int | None = None) -> Any:
    """The pixels of a picture; a JPEG may come smaller, with at least `about` pixels on its longer side. Raises
    `Failure` for one that is damaged, too large or a moving one.
    """
    pillow = needed("PIL.Image")
    pillow.MAX_IMAGE_PIXELS = None
    with told_as_damage():
        image = pillow.open(io.BytesIO(data))
        ensure_few_points(image.size, len(data))
        if getattr(image, "n_frames", 1) > 1:
            raise Failure("the file contains several pictures; Scrub does not change their pixels")
        if image.mode.startswith(("I", "F")):
            raise Failure("it has 16 bits per colour, which would be lost")
        if about is not None and image.format == "JPEG":
            image.draft(image.mode, (about, about))
        image.load()
    return image
