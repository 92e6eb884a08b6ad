"""A zip package whose untouched members keep their compressed bytes (APPNOTE.TXT 6.3.10).

The standard library's `zipfile` can only read members or write new ones; here a member that no change touches is a
copied range of the old file, with its header, its descriptor and any gap after it.
"""

from __future__ import annotations

import os
import struct
import zlib
from collections.abc import Collection, Iterable, Iterator, Mapping
from typing import Protocol

from scrub.formats.declared import Declared, in_utf8, is_utf8
from scrub.formats.packing import Maker, checksum, inflated, packed_all, packed_bytes, whole_part
from scrub.formats.source import Source
from scrub.model.core.named import NamedTuple
from scrub.model.core.problem import FileProblem
from scrub.store.patch import Copy, Patch, Piece

_END = struct.Struct("<4s4H2LH")  # 4.3.16 end of central directory record
_END64 = struct.Struct("<4sQ2H2L4Q")  # 4.3.14 zip64 end of central directory record
_LOCATOR = struct.Struct("<4sLQL")  # 4.3.15 zip64 end of central directory locator
_ENTRY = struct.Struct("<4s6H3L5H2L")  # 4.3.12 central directory header
_LOCAL = struct.Struct("<4s5H3L2H")  # 4.3.7 local file header

STORED, _DEFLATED = 0, 8
_ENCRYPTED, _DESCRIPTOR = 0x1, 0x8  # bits of the general purpose flag, 4.4.4
_BIG = 0xFFFFFFFF

#: Limits that no office file comes near, and a zip bomb must pass.
MOST_MEMBERS = 65_000
LARGEST_MEMBER = 4 << 30
LARGEST_RATIO = 200
#: All cells of an OpenDocument workbook are one part, and 100,000 rows that are alike pack to a 230th of their size.
LARGEST_CONTENT_RATIO = 400
RATIO_FROM = 32 << 20  # a ratio is looked at only above this size in bytes
#: Bytes of a part in which its XML declaration is.
_DECLARATION = 256


def _largest_ratio(name: str) -> int:
    return LARGEST_CONTENT_RATIO if name == "content.xml" else LARGEST_RATIO


class Member(NamedTuple):
    """One member, as its central directory header tells; offsets and sizes in bytes."""

    name: str
    raw_name: bytes
    made_by: int
    needs: int
    flags: int
    method: int
    time: int
    date: int
    crc: int
    packed: int
    size: int
    extra: bytes
    comment: bytes
    internal: int
    external: int
    offset: int


class Place(NamedTuple):
    """Where the packed bytes of a member are, how many they are and how they are packed."""

    start: int
    packed: int
    size: int
    crc: int
    method: int


class ReadsParts(Protocol):
    """What gives the parts of a package: one that is there, or one that is about to be saved."""

    @property
    def members(self) -> Mapping[str, object]:
        """What is there, by name."""

    def named(self, name: str) -> str | None:
        """The name of a part as the file writes it, found without regard to case; None for none."""

    def problem(self, what: str) -> FileProblem:
        """A problem with the file."""

    def read(self, name: str) -> bytes:
        """The bytes of a part. Raises `FileProblem`."""


class Package:
    """A zip package opened for splicing."""

    def __init__(self, source: Source) -> None:
        self.source = source
        self._directory_at = 0
        #: The parts that are not written in UTF-8.
        self._declared: dict[str, Declared] = {}
        self._comment = b""
        self.members = {member.name: member for member in self._read_directory()}
        self._named = {name.lower(): name for name in self.members}
        self._data_at: dict[str, int] = {}
        self._ends = self._check_layout()

    def problem(self, what: str) -> FileProblem:
        """A problem with this file."""
        return self.source.problem(what)

    def named(self, name: str) -> str | None:
        """The member of this name, capitals do not matter: parts are called so (ISO/IEC 29500-2, 6.2.2.3)."""
        return name if name in self.members else self._named.get(name.lower())

    # -- reading

    def _read_directory(self) -> list[Member]:
        source = self.source
        tail_at = max(0, source.size - 65_557)
        tail = source.read(tail_at, 65_557)
        found = _end_record(tail)
        if found < 0:
            if source.read(0, 8) == b"\xd0\xcf\x11\xe0\xa1\xb1\x1a\xe1":
                raise self.problem(_compound_file(source))
            if source.size == 0:
                raise self.problem("the file is empty")
            if source.read(0, 4) == b"PK\x03\x04":
                raise self.problem("the file is cut short: its end is missing. Get a new copy")
            raise self.problem("not an office file, despite its name (or damaged)")
        end = _END.unpack_from(tail, found)
        count, size, offset = end[4], end[5], end[6]
        end_at = tail_at + found
        self._comment = tail[found + _END.size : found + _END.size + end[7]]
        directory_end = end_at
        if count == 0xFFFF or _BIG in (size, offset):
            count, size, offset, directory_end = self._read_end64(end_at)
        if offset + size > directory_end:
            raise self.problem("the file is cut short or damaged: its list of parts is misplaced")
        if count > MOST_MEMBERS:
            raise self.problem(f"the file claims {count:,} parts; Scrub opens up to {MOST_MEMBERS:,}")
        self._directory_at = offset
        return self._unique(self._entries(source.read(offset, size), count))

    def _read_end64(self, end_at: int) -> tuple[int, int, int, int]:
        locator = self.source.read(end_at - _LOCATOR.size, _LOCATOR.size)
        if len(locator) == _LOCATOR.size and locator[:4] == b"PK\x06\x07":
            at = _LOCATOR.unpack(locator)[2]
            data = self.source.read(at, _END64.size)
            if len(data) == _END64.size and data[:4] == b"PK\x06\x06":
                record = _END64.unpack(data)
                return record[7], record[8], record[9], at
        raise self.problem("the file is damaged: its list of parts cannot be found")

    def _entries(self, directory: bytes, count: int) -> Iterator[Member]:
        at = 0
        for _ in range(count):
            if directory[at : at + 4] != b"PK\x01\x02" or at + _ENTRY.size > len(directory):
                raise self.problem("the file is cut short or damaged: its list of parts ends early")
            f = _ENTRY.unpack_from(directory, at)
            at += _ENTRY.size
            raw = directory[at : at + f[10]]
            extra = directory[at + f[10] : at + f[10] + f[11]]
            comment = directory[at + f[10] + f[11] : at + f[10] + f[11] + f[12]]
            at += f[10] + f[11] + f[12]
            packed, size, offset = f[8], f[9], f[16]
            if _BIG in (packed, size, offset):
                packed, size, offset = self._sizes64(extra, packed, size, offset)
            name = raw.decode("utf-8" if f[3] & 0x800 else "cp437", "replace")
            yield Member(
                name, raw, f[1], f[2], f[3], f[4], f[5], f[6], f[7], packed, size, extra, comment, f[14], f[15], offset
            )

    def _sizes64(self, extra: bytes, packed: int, size: int, offset: int) -> tuple[int, int, int]:
        """The zip64 extended information (4.5.3): only the fields that do not fit, in a fixed order."""
        for tag, body in _extras(extra):
            if tag == 1:
                values = iter(struct.unpack(f"<{len(body) // 8}Q", body[: len(body) // 8 * 8]))
                size = next(values, -1) if size == _BIG else size
                packed = next(values, -1) if packed == _BIG else packed
                offset = next(values, -1) if offset == _BIG else offset
                if min(size, packed, offset) >= 0:
                    return packed, size, offset
        raise self.problem("the file is damaged: the size of a part is missing")

    def _unique(self, members: Iterable[Member]) -> list[Member]:
        seen: dict[str, Member] = {}
        for member in members:
            if member.name.lower() in seen:
                raise self.problem(
                    f'the file contains two parts named "{member.name}". Save it again in its own program'
                )
            seen[member.name.lower()] = member
            if member.flags & _ENCRYPTED:
                raise self.problem("the file is encrypted. Save it without a password in its own program")
            if member.size > LARGEST_MEMBER or (
                member.size > RATIO_FROM and member.size > _largest_ratio(member.name) * max(1, member.packed)
            ):
                raise self.problem(
                    f'its part "{member.name}" would unpack to {member.size:,} bytes from {member.packed:,}. The file '
                    "may "
                    "be an attack; Scrub does not open it"
                )
        return list(seen.values())

    def _check_layout(self) -> dict[str, int]:
        """Where each member's record ends: at the next one. Records that overlap are refused."""
        ends: dict[str, int] = {}
        ordered = sorted(self.members.values(), key=lambda member: member.offset)
        for index, member in enumerate(ordered):
            end = ordered[index + 1].offset if index + 1 < len(ordered) else self._directory_at
            header = self.source.read(member.offset, _LOCAL.size)
            if len(header) < _LOCAL.size or header[:4] != b"PK\x03\x04":
                raise self.problem(f'the file is damaged: its part "{member.name}" is misplaced')
            local = _LOCAL.unpack(header)
            start = member.offset + _LOCAL.size + local[9] + local[10]
            if start + member.packed > end:
                raise self.problem(f'the file is damaged: its part "{member.name}" overlaps another or is cut short')
            self._data_at[member.name] = start
            ends[member.name] = end
        return ends

    def read(self, name: str) -> bytes:
        """The unpacked bytes of a member, checked, XML in UTF-8. Raises `FileProblem` when it is missing or damaged."""
        data, declared = in_utf8(name, self._unpacked(name))
        if declared is not None:
            self._declared[name] = declared
        return data

    def place(self, name: str) -> Place:
        """Where the packed bytes of a member are. Raises `FileProblem` when it is missing."""
        member = self.members.get(name)
        if member is None:
            raise self.problem(f'its part "{name}" is missing. Save the file again in its own program')
        return Place(self._data_at[name], member.packed, member.size, member.crc, member.method)

    def is_utf8(self, name: str) -> bool:
        """Whether an XML member is in UTF-8, as far as its start tells."""
        place = self.place(name)
        if place.method == STORED:
            head = self.source.read(place.start, _DECLARATION)
        else:
            try:
                head = zlib.decompressobj(-15).decompress(self.source.read(place.start, place.packed), _DECLARATION)
            except zlib.error:
                return True
        return is_utf8(head)

    def _unpacked(self, name: str) -> bytes:
        member = self.members.get(name)
        if member is None:
            raise self.problem(f'its part "{name}" is missing. Save the file again in its own program')
        packed = self.source.read(self._data_at[name], member.packed)
        if member.method == STORED:
            data = packed
        elif member.method == _DEFLATED:
            try:
                data = inflated(packed, member.size)
            except zlib.error:
                raise self.problem(f'its part "{name}" is damaged and cannot be unpacked') from None
        else:
            raise self.problem(
                f'its part "{name}" uses a compression method ({member.method}) that office files do not use'
            )
        if len(data) != member.size or checksum(data) != member.crc:
            raise self.problem(f'its part "{name}" is damaged: its checksum is wrong')
        return data

    # -- writing

    def patch(
        self,
        changed: Mapping[str, Maker],
        added: Mapping[str, bytes] = {},
        removed: Collection[str] = (),
    ) -> Patch | None:
        """The patch that gives these members new contents, adds and removes others, and leaves all else as it is; None
        where that comes out as before.

        Each is a function, called when its member is packed, so that large parts are not all held at once.
        """
        makers = [self._as_declared(name, maker) for name, maker in changed.items()]
        packed = dict(zip(changed, packed_all(makers), strict=True))
        pieces: list[Piece] = []
        ordered = sorted(self.members.values(), key=lambda member: member.offset)
        at = ordered[0].offset if ordered else 0
        pieces.append(Copy(0, at))
        placed: dict[str, Member] = {}
        anything = bool(added or removed)
        for member in ordered:
            if member.name in removed:
                continue
            if self._stays(member, packed.get(member.name)):
                length = self._ends[member.name] - member.offset
                pieces.append(Copy(member.offset, length))
                placed[member.name] = member._replace(offset=at)
                at += length
                continue
            data, size, crc = packed[member.name]
            anything = True
            fresh = member._replace(
                offset=at, packed=len(data), size=size, crc=crc, method=_DEFLATED, flags=member.flags & ~_DESCRIPTOR
            )
            header = self._local_header(fresh)
            body = self._sharing(member, data)
            pieces += [header, *body]
            placed[member.name] = fresh
            at += len(header) + len(data)
        if not anything:
            return None
        moved = [placed[name] for name in self.members if name in placed]  # the directory keeps its own order
        for name, content in added.items():
            data, size, crc = packed_bytes(content, is_new=True)
            raw = name.encode()
            fresh = Member(name, raw, 20, 20, 0x800, _DEFLATED, 0, 0x21, crc, len(data), size, b"", b"", 0, 0, at)
            header = self._local_header(fresh)
            pieces += [header, data]
            moved.append(fresh)
            at += len(header) + len(data)
        pieces.append(self._directory(moved, at))
        return Patch(self.source.digest, self.source.size, pieces)

    def _as_declared(self, name: str, maker: Maker) -> Maker:
        """What makes a part, written as the old one declares itself."""
        declared = self._declared.get(name)
        if declared is None:
            return maker

        def make() -> bytes:
            return declared.written(whole_part(maker()))

        return make

    def _stays(self, member: Member, packed: tuple[bytes, int, int] | None) -> bool:
        """Whether a member stays as it is: nothing was done to it, or it came out the same."""
        if packed is None:
            return True
        data, size, crc = packed
        return (size, crc) == (member.size, member.crc) and zlib.decompress(data, -15) == self._unpacked(member.name)

    def _local_header(self, member: Member) -> bytes:
        if max(member.packed, member.size) >= _BIG:
            raise self.problem(f'its part "{member.name}" would grow over 4 GB')
        extra = _without_sizes(member.extra)
        return (
            _LOCAL.pack(
                b"PK\x03\x04", member.needs, member.flags, member.method, member.time, member.date, member.crc,
                member.packed, member.size, len(member.raw_name), len(extra),
            )
            + member.raw_name
            + extra
        )  # fmt: skip

    def _sharing(self, member: Member, data: bytes) -> list[Piece]:
        """The packed bytes, with a common start taken from the old ones: most writers pack as we do."""
        start = self._data_at[member.name]
        old = self.source.read(start, member.packed)
        shared = common_start(old, data)
        if shared < 64:
            return [data]
        return [Copy(start, shared), data[shared:]]

    def _directory(self, members: list[Member], at: int) -> bytes:
        parts: list[bytes] = []
        for member in members:
            extra = _without_sizes(member.extra)
            sizes = (member.size, member.packed, member.offset)
            big = b"".join(struct.pack("<Q", value) for value in sizes if value >= _BIG)
            if big:
                extra = struct.pack("<2H", 1, len(big)) + big + extra
            parts.append(
                _ENTRY.pack(
                    b"PK\x01\x02", member.made_by, member.needs, member.flags, member.method, member.time, member.date,
                    member.crc, min(member.packed, _BIG), min(member.size, _BIG), len(member.raw_name), len(extra),
                    len(member.comment), 0, member.internal, member.external, min(member.offset, _BIG),
                )
                + member.raw_name
                + extra
                + member.comment
            )  # fmt: skip
        directory = b"".join(parts)
        count, size = len(members), len(directory)
        tail = b""
        if count >= 0xFFFF or size >= _BIG or at >= _BIG:
            tail = _END64.pack(b"PK\x06\x06", 44, 45, 45, 0, 0, count, count, size, at)
            tail += _LOCATOR.pack(b"PK\x06\x07", 0, at + size, 1)
        tail += _END.pack(
            b"PK\x05\x06",
            0,
            0,
            min(count, 0xFFFF),
            min(count, 0xFFFF),
            min(size, _BIG),
            min(at, _BIG),
            len(self._comment),
        )
        return directory + tail + self._comment


def _end_record(tail: bytes) -> int:
    """Where the end record starts: the last signature whose comment reaches just to the end of the file.

    A comment may hold the signature itself. Where none fits, the last one counts: something was put after the file.
    """
    last = result = tail.rfind(b"PK\x05\x06", 0, max(0, len(tail) - _END.size + 4))
    while result >= 0:
        if result + _END.size + int.from_bytes(tail[result + 20 : result + 22], "little") == len(tail):
            return result
        result = tail.rfind(b"PK\x05\x06", 0, result)
    return last


def _extras(extra: bytes) -> Iterator[tuple[int, bytes]]:
    """The extra fields of a header (4.5.1)."""
    at = 0
    while at + 4 <= len(extra):
        tag, length = struct.unpack_from("<2H", extra, at)
        yield tag, extra[at + 4 : at + 4 + length]
        at += 4 + length


def _without_sizes(extra: bytes) -> bytes:
    """The extra fields but for the zip64 sizes, which are rewritten."""
    return b"".join(struct.pack("<2H", tag, len(body)) + body for tag, body in _extras(extra) if tag != 1)


def common_start(one: bytes, other: bytes) -> int:
    """How many bytes two byte strings have in common at their start."""
    low, high = 0, min(len(one), len(other))
    while low < high:
        middle = (low + high + 1) // 2
        if one[low:middle] == other[low:middle]:
            low = middle
        else:
            high = middle - 1
    return low


def _compound_file(source: Source) -> str:
    """What to say about a compound file in place of a zip package."""
    start = source.read(0, 1 << 20)
    if "EncryptedPackage".encode("utf-16-le") in start:
        return "the file is encrypted. Save it without a password in its own program"
    ending = os.path.splitext(source.path)[1].lower()
    return (
        f"an older format with a new file extension. In its own program, save it as {ending or '.xlsx'}, and run again"
    )
