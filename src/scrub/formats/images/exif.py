"""What cameras write about a picture (EXIF 2.32 in the form of TIFF 6.0): read, and changed in place."""

from __future__ import annotations

import struct
from collections.abc import Iterator
from datetime import datetime

from scrub.model.core.named import NamedTuple
from scrub.model.core.problem import Failure

ORIENTATION, TAKEN, CHANGED, MORE, PLACE, MAKER = 0x0112, 0x9003, 0x0132, 0x8769, 0x8825, 0x927C
#: Bytes of one value of each type (TIFF 6.0, 2).
_SIZES = {1: 1, 2: 1, 3: 2, 4: 4, 5: 8, 6: 1, 7: 1, 8: 2, 9: 4, 10: 8, 11: 4, 12: 8}
_MOST_ENTRIES = 1_000


class ExifEntry(NamedTuple):
    """An entry of a directory: its tag and type, where it is, and where its value is."""

    tag: int
    type: int
    many: int
    at: int
    value: int
    length: int


class Exif:
    """The block with the directories; places are counted from its beginning."""

    def __init__(self, data: bytes) -> None:
        """Raises `Failure` for a block that cannot be read."""
        if data[:2] not in (b"II", b"MM"):
            raise Failure("its camera data cannot be read")
        self.data = bytearray(data)
        self._order = "<" if data[:2] == b"II" else ">"

    def number(self, form: str, at: int) -> int:
        """A number at a place."""
        try:
            result: int = struct.unpack_from(self._order + form, self.data, at)[0]
        except struct.error:
            raise Failure("its camera data is cut short") from None
        return result

    def directory(self, at: int) -> Iterator[ExifEntry]:
        """The entries of a directory."""
        count = self.number("H", at) if at else 0
        for place in range(min(count, _MOST_ENTRIES)):
            start = at + 2 + 12 * place
            tag, type_, many = self.number("H", start), self.number("H", start + 2), self.number("I", start + 4)
            length = _SIZES.get(type_, 1) * many
            value = start + 8 if length <= 4 else self.number("I", start + 8)
            if value + length <= len(self.data):
                yield ExifEntry(tag, type_, many, start, value, length)

    def find(self, tag: int, at: int | None = None) -> ExifEntry | None:
        """An entry of the first directory, or of another."""
        start = self.number("I", 4) if at is None else at
        return next((entry for entry in self.directory(start) if entry.tag == tag), None)

    def _inner(self, tag: int) -> int:
        """Where a directory begins to which an entry leads; 0 where there is none."""
        entry = self.find(tag)
        return self.number("I", entry.value) if entry is not None and entry.type == 4 else 0

    @property
    def orientation(self) -> int:
        """How it is to be turned to be seen: 1 to 8 (4.6.4)."""
        entry = self.find(ORIENTATION)
        value = self.number("H", entry.value) if entry is not None and entry.type == 3 else 1
        return value if 1 <= value <= 8 else 1

    def put_orientation(self, value: int) -> bool:
        """Sets it in place; False where it has no room for it."""
        entry = self.find(ORIENTATION)
        if entry is None or entry.type != 3:
            return value == 1
        struct.pack_into(self._order + "H", self.data, entry.value, value)
        return True

    @property
    def taken_at(self) -> datetime | None:
        """When it was taken."""
        inner = self._inner(MORE)
        for found in (self.find(TAKEN, inner) if inner else None, self.find(CHANGED)):
            if found is not None and found.type == 2:
                written = bytes(self.data[found.value : found.value + found.length]).split(b"\0")[0].decode("latin-1")
                try:
                    return datetime.strptime(written.strip(), "%Y:%m:%d %H:%M:%S")
                except ValueError:
                    continue
        return None

    @property
    def has_place(self) -> bool:
        """Whether it tells where it was taken."""
        inner = self._inner(PLACE)
        return bool(inner) and any(entry.tag for entry in self.directory(inner))

    def forget_place(self) -> None:
        """Blanks where it was taken, in place, and what only the maker of the camera can read."""
        inner = self._inner(PLACE)
        if inner:
            for entry in list(self.directory(inner)):
                self._blank(entry)
            self.data[inner : inner + 2] = b"\0\0"
        more = self._inner(MORE)
        maker = self.find(MAKER, more) if more else None
        if maker is not None:
            self.data[maker.value : maker.value + maker.length] = bytes(maker.length)

    def _blank(self, entry: ExifEntry) -> None:
        self.data[entry.value : entry.value + entry.length] = bytes(entry.length)
        self.data[entry.at : entry.at + 12] = bytes(12)


def only(orientation: int) -> bytes:
    """A block that says how a picture is to be seen, and nothing else."""
    return b"MM\0*\0\0\0\x08\0\x01" + struct.pack(">HHIHH", ORIENTATION, 3, 1, orientation, 0) + b"\0\0\0\0"


#: How a picture with a mark is seen: whether its sides change places, and whether it is then mirrored across and down.
STEPS = {
    1: (False, False, False), 2: (False, True, False), 3: (False, True, True), 4: (False, False, True),
    5: (True, False, False), 6: (True, True, False), 7: (True, True, True), 8: (True, False, True),
}  # fmt: skip
_RIGHT = {1: 6, 2: 7, 3: 8, 4: 5, 5: 2, 6: 3, 7: 4, 8: 1}


def turned(orientation: int, quarters: int) -> int:
    """The mark of a picture that is turned to the right by that many quarters."""
    for _ in range(quarters % 4):
        orientation = _RIGHT[orientation]
    return orientation
