"""A row of a table as it was read."""

from __future__ import annotations

from collections.abc import Mapping

from scrub.formats.database.row_changes import Key


class StoredRow:
    """A row as it was read: its key, and some of its columns."""

    __slots__ = ("key", "places", "sure", "values")

    def __init__(self, key: Key, values: tuple[object, ...], places: Mapping[str, int], sure: bool = False) -> None:
        """`sure` tells that the condition by which it was found is certainly true."""
        self.key, self.values, self.places, self.sure = key, values, places, sure

    def __eq__(self, other: object) -> bool:
        return isinstance(other, StoredRow) and self.key == other.key

    def __hash__(self) -> int:
        return hash(self.key)
