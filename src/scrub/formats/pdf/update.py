"""What is appended to a PDF (7.5.6): new and changed objects, and where they are. The old bytes stay as they are."""

from __future__ import annotations

import hashlib
import re
import zlib
from collections.abc import Mapping
from decimal import Decimal
from typing import Any

from scrub.formats.images.needed import needed, told_as_damage
from scrub.formats.pdf.cipher import Cipher
from scrub.formats.pdf.objects import held, listed, misses_hidden, whole_number
from scrub.model.core.lazy_pattern import lazy_pattern
from scrub.model.core.problem import Failure

_START = re.compile(rb"startxref\s+(\d+)\s+%%EOF\s*\Z")
#: Streams below this size in bytes are not worth packing.
_SMALL = 200


_MEND = "Save it again in a PDF program, then run again"


#: What qpdf says of objects that it had to guess: where they are, and where they end (ISO 32000-2, 7.3.8 and 7.5.4).
_DAMAGE = lazy_pattern(r"file is damaged|reconstruct|expected end(?:obj|stream)|recover")


class Section:
    """The objects to be appended to one file."""

    def __init__(self, pdf: Any, data: bytes) -> None:
        """`pdf` is the file as pikepdf has it, `data` its bytes. Raises `Failure` for one that nothing can be appended
        to.
        """
        if not data.startswith(b"%PDF-"):
            raise Failure(f"there is other data before its start, so Scrub cannot append to it. {_MEND}")
        match = _START.search(data[-1100:])
        if match is None:
            raise Failure(f"its list of objects cannot be read, so Scrub cannot append to it. {_MEND}")
        for warning in map(str, pdf.get_warnings()):
            if _DAMAGE.search(warning):  # others are about what every reader takes, as a page without resources
                raise Failure(f"it is damaged, and other programs may read it in another way. {_MEND}")
        with told_as_damage():
            if misses_hidden(pdf):
                raise Failure(
                    f"its objects are listed twice, for older and newer readers, and the lists differ. {_MEND}"
                )
        self._before = int(match[1])
        self._is_table = data[self._before : self._before + 20].lstrip().startswith(b"xref")
        self._pdf = pdf
        self._size = len(data)
        self._lead = b"" if data.endswith((b"\n", b"\r")) else b"\n"
        trailer = pdf.trailer
        known = (object_ for object_ in pdf.objects if isinstance(object_, needed("pikepdf").Object))
        highest = max((each.objgen[0] for each in known), default=0)
        self._known = whole_number(trailer, "/Size")
        self._next = max(self._known, highest + 1)
        self._cipher = Cipher(pdf) if pdf.is_encrypted else None
        self._made: dict[tuple[int, int], bytes] = {}
        self.info: int | None = None

    @property
    def encrypted(self) -> bool:
        """Whether strings and streams are encrypted."""
        return self._cipher is not None

    def number(self) -> int:
        """A number for a new object: one that is free, also of plain numbers, which do not tell theirs."""
        while self._pdf.get_object((self._next, 0)) is not None:
            self._next += 1
        self._next += 1
        return self._next - 1

    @property
    def _count(self) -> int:
        """The highest number of an object, and one (7.5.5, Size): that of the file, unless higher ones were added."""
        return max([self._known, *(number + 1 for number, _ in self._made)])

    def put(self, body: bytes, number: int | None = None, generation: int = 0) -> int:
        """Adds an object, or gives one another body; gives its number."""
        number = self.number() if number is None else number
        self._made[number, generation] = body
        return number

    def put_stream(
        self, entries: Mapping[str, bytes], data: bytes, packed: bool = False, number: int | None = None
    ) -> int:
        """Adds a stream; `packed` tells that its data are as a filter in the entries wants them."""
        number = self.number() if number is None else number
        said = dict(entries)
        if not packed and len(data) >= _SMALL:
            data, said["Filter"] = zlib.compress(data), b"/FlateDecode"
        if self._cipher is not None:
            data = self._cipher(data, number)
        said["Length"] = b"%d" % len(data)
        self._made[number, 0] = dictionary(said) + b"\nstream\n" + data + b"\nendstream"
        return number

    def text(self, value: str, number: int) -> bytes:
        """A text as the object of a number contains it (7.9.2.2)."""
        try:
            plain = value.encode("ascii")
        except UnicodeEncodeError:
            plain = b"\xfe\xff" + value.encode("utf-16-be")
        if self._cipher is not None:
            plain = self._cipher(plain, number)
        return b"<" + plain.hex().encode() + b">"

    def own(self, value: object, number: int, generation: int) -> bytes:
        """A value of the file, as an object of this number contains it; in an encrypted one strings are encrypted
        again.
        """
        if isinstance(value, needed("pikepdf").Object) and (self._cipher is None or value.is_indirect):
            return bytes(value.unparse())
        return self._written(value, number, generation)

    def _written(self, value: object, number: int, generation: int) -> bytes:
        pikepdf = needed("pikepdf")
        if isinstance(value, pikepdf.Object) and value.is_indirect:
            return bytes(value.unparse())
        if isinstance(value, pikepdf.Dictionary):
            return dictionary({str(key)[1:]: self._written(value[key], number, generation) for key in value})
        if isinstance(value, pikepdf.Array):
            return b"[" + b" ".join(self._written(each, number, generation) for each in value) + b"]"
        return self.plain(value, number, generation)

    def plain(self, value: object, number: int, generation: int = 0) -> bytes:
        """A value with nothing in it, as the object of a number contains it: a number, a name, a string."""
        pikepdf = needed("pikepdf")
        if isinstance(value, pikepdf.String) and self._cipher is not None:
            return b"<" + self._cipher(bytes(value), number, generation).hex().encode() + b">"
        if isinstance(value, pikepdf.Object):
            return bytes(value.unparse())
        if isinstance(value, bool):
            return b"true" if value else b"false"
        return (
            b"null" if value is None else f"{value:f}".encode() if isinstance(value, Decimal) else str(value).encode()
        )

    def finish(self) -> bytes:
        """What is to be appended; nothing where nothing was added."""
        if not self._made:
            return b""
        out = bytearray(self._lead)
        places: dict[tuple[int, int], int] = {}
        for (number, generation), body in sorted(self._made.items()):
            places[number, generation] = self._size + len(out)
            out += b"%d %d obj\n" % (number, generation) + body + b"\nendobj\n"
        start = self._size + len(out)
        out += self._table(places) if self._is_table else self._stream(places, start)
        return bytes(out) + b"startxref\n%d\n%%%%EOF\n" % start

    def _trailer(self, size: int, digest: bytes) -> dict[str, bytes]:
        trailer = self._pdf.trailer
        said = {"Size": b"%d" % size, "Root": trailer.Root.unparse(), "Prev": b"%d" % self._before}
        if self.info is not None:
            said["Info"] = b"%d 0 R" % self.info
        elif (info := held(trailer, "/Info")).is_indirect:
            said["Info"] = info.unparse()
        if "/Encrypt" in trailer:
            said["Encrypt"] = trailer.Encrypt.unparse()
        identity = listed(trailer, "/ID")
        if len(identity) == 2:  # the second half distinguishes versions (14.4)
            first = bytes(identity[0]) if isinstance(identity[0], needed("pikepdf").String) else b""
            said["ID"] = b"[<" + first.hex().encode() + b"> <" + digest.hex().encode() + b">]"
        return said

    def _digest(self) -> bytes:
        made = hashlib.md5(usedforsecurity=False)
        for key, body in sorted(self._made.items()):
            made.update(repr(key).encode() + body)
        return made.digest()

    def _table(self, places: Mapping[tuple[int, int], int]) -> bytes:
        out = b"xref\n"
        for first, last in _runs(sorted(number for number, _ in places)):
            out += b"%d %d\n" % (first, last - first + 1)
            for number in range(first, last + 1):
                generation, place = self._of(number, places)
                out += b"%010d %05d n \n" % (place, generation)
        trailer = self._trailer(self._count, self._digest())
        return out + b"trailer\n" + dictionary(trailer) + b"\n"

    def _of(self, number: int, places: Mapping[tuple[int, int], int]) -> tuple[int, int]:
        if (number, 0) in places:
            return 0, places[number, 0]
        return next((generation, at) for (place, generation), at in places.items() if place == number)

    def _stream(self, places: Mapping[tuple[int, int], int], start: int) -> bytes:
        """A cross-reference stream, which lists itself too (7.5.8)."""
        own = self._next
        every = {**places, (own, 0): start}
        numbers = sorted(number for number, _ in every)
        index = b" ".join(b"%d %d" % (first, last - first + 1) for first, last in _runs(numbers))
        width = max(4, (start.bit_length() + 7) // 8)
        rows = b"".join(
            b"\x01" + place.to_bytes(width, "big") + generation.to_bytes(2, "big")
            for generation, place in (self._of(number, every) for number in numbers)
        )
        packed = zlib.compress(rows)
        said = {
            "Type": b"/XRef", "W": b"[1 %d 2]" % width, "Index": b"[" + index + b"]",
            **self._trailer(own + 1, self._digest()), "Filter": b"/FlateDecode", "Length": b"%d" % len(packed),
        }  # fmt: skip
        return b"%d 0 obj\n" % own + dictionary(said) + b"\nstream\n" + packed + b"\nendstream\nendobj\n"


def dictionary(entries: Mapping[str, bytes]) -> bytes:
    """A dictionary object (7.3.7)."""
    return (
        b"<<"
        + b"".join(b" /" + key.encode("utf-8", "surrogateescape") + b" " + value for key, value in entries.items())
        + b" >>"
    )


def _runs(numbers: list[int]) -> list[tuple[int, int]]:
    """Numbers that follow each other, from the first to the last."""
    runs: list[tuple[int, int]] = []
    for number in numbers:
        if runs and runs[-1][1] == number - 1:
            runs[-1] = (runs[-1][0], number)
        else:
            runs.append((number, number))
    return runs


def real(value: object) -> bytes:
    """A number as PDFs write it."""
    return f"{float(str(value)):.5f}".rstrip("0").rstrip(".").encode() or b"0"
