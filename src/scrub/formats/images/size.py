"""How large a picture may be."""

from __future__ import annotations

from scrub.model.core.problem import Failure

#: The most pixels that a picture may have: a few bytes can ask for all the memory there is.
MOST_POINTS = 180_000_000
#: From that many pixels on, at most that many for each byte of the file.
_MANY, _TIMES = 33_000_000, 70


def ensure_few_points(pixels: tuple[int, int], size: int) -> None:
    """Raises `Failure` for a picture without pixels, with too many, or with far more than its file is long."""
    (width, height), points = pixels, pixels[0] * pixels[1]
    if not points or points > MOST_POINTS:
        raise Failure(f"a picture of {width:,} x {height:,} pixels is too large; the maximum is {MOST_POINTS:,}")
    if points > _MANY and points > _TIMES * size:
        raise Failure(f"a picture of {width:,} x {height:,} points in {size // 1000:,} KB is too large")
