"""Which merged range covers a cell, however many and however large they are."""

from __future__ import annotations

from collections.abc import Collection, Iterator

from scrub.model.core.area import Area


class Covered:
    """Ranges by the fields of a raster in which they are. Each is in the raster of its own size, so in four fields at
    the most, and a field contains few of them, since ranges that are merged do not overlap.
    """

    def __init__(self, areas: Collection[Area]) -> None:
        self._rasters: dict[tuple[int, int], dict[tuple[int, int], list[Area]]] = {}
        for area in areas:
            self.add(area)

    def add(self, area: Area) -> None:
        """Takes a range in."""
        raster = self._rasters.setdefault(_size(area), {})
        for field in _fields(area):
            raster.setdefault(field, []).append(area)

    def take(self, area: Area) -> None:
        """Takes a range out."""
        raster = self._rasters[_size(area)]
        for field in _fields(area):
            raster[field].remove(area)

    def over(self, row: int, column: int) -> Area | None:
        """The range that a cell is under; the first cell of one is not under it."""
        for (tall, wide), raster in self._rasters.items():
            for area in raster.get((row >> tall, column >> wide), ()):
                if area.holds(row, column) and (row, column) != (area.top, area.left):
                    return area
        return None


def _size(area: Area) -> tuple[int, int]:
    """The powers of two that a range is not taller and not wider than."""
    return (area.bottom - area.top).bit_length(), (area.right - area.left).bit_length()


def _fields(area: Area) -> Iterator[tuple[int, int]]:
    tall, wide = _size(area)
    for row in {area.top >> tall, area.bottom >> tall}:
        for column in {area.left >> wide, area.right >> wide}:
            yield row, column
