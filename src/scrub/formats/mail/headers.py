"""The headers of a message as they are in its bytes: a field is found where it is, and edited there alone."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterable, Iterator, Mapping
from functools import cache

from scrub.formats.mail.words import decoded, unfolded
from scrub.model.core.lazy_pattern import lazy_pattern
from scrub.model.core.named import NamedTuple

#: Bytes that are read at first to find the end of the headers.
_FIRST = 1 << 12
#: Fields, folded ones whole, up to the first line that is none (RFC 5322, 2.2; spaces before the colon: 4.5.3). A line
#: of a mailbox that was left before them (RFC 4155) belongs to none.
_FIELDS = lazy_pattern(rb"(?:>?From [^\n]*\n)?(?:[!-9;-~]+[ \t]*:[^\n]*(?:\n[ \t][^\n]*)*(?:\n|\Z))*")
_FIELD = lazy_pattern(rb"([!-9;-~]+)[ \t]*:([^\n]*(?:\n[ \t][^\n]*)*)(?:\n|\Z)")


class FoundHeader(NamedTuple):
    """A field: where its value begins, after the colon, and ends, before the line end; where the whole field does."""

    start: int
    value: int
    stop: int
    end: int


class Headers:
    """The bytes of a message's headers, without the empty line after them."""

    __slots__ = ("_low", "data")

    def __init__(self, data: bytes) -> None:
        self.data = data
        self._low: bytes | None = None

    @property
    def line_end(self) -> str:
        """How their lines end."""
        at = self.data.find(b"\n")
        return "\r\n" if at > 0 and self.data[at - 1 : at] == b"\r" else "\n"

    def find(self, name: str) -> list[FoundHeader]:
        """The fields of a name, without regard to case."""
        data, word = self.data, name.lower().encode("ascii", "replace")
        headers: list[FoundHeader] = []
        start = self.low.find(b"\n" + word)
        while start >= 0:
            value = start + len(word)
            if data[value : value + 1] != b":":  # another one that begins like it, or spaces before the colon
                return self.find_plainly(name)
            end = self._end(value)
            headers.append(FoundHeader(start, value + 1, end - (data[end - 1 : end] == b"\r"), min(end + 1, len(data))))
            start = self.low.find(b"\n" + word, end)
        return headers

    def find_plainly(self, name: str) -> list[FoundHeader]:
        """The same for any header, by the grammar of the standard."""
        result = []
        for match in _named(name.lower()).finditer(self.data):
            value, stop = match.span(1)
            if stop > value and self.data[stop - 1 : stop] == b"\r":
                stop -= 1
            result.append(FoundHeader(match.start(), value, stop, match.end()))
        return result

    @property
    def low(self) -> bytes:
        """The headers in lower case, after a line end."""
        if self._low is None:
            self._low = b"\n" + self.data.lower()
        return self._low

    def forget(self) -> None:
        """Lets go what only makes searches fast."""
        self._low = None

    def _end(self, value: int) -> int:
        """Where the line end after a value is: after a folded one, that of its last line."""
        data = self.data
        end = data.find(b"\n", value)
        while end >= 0 and data[end + 1 : end + 2] in (b" ", b"\t"):
            end = data.find(b"\n", end + 1)
        return end if end >= 0 else len(data)

    def raw(self, name: str) -> str | None:
        """The value of the first field of a name, unfolded; None where there is none."""
        data, word = self.data, name.lower().encode("ascii", "replace")
        start = self.low.find(b"\n" + word)
        if start < 0:
            return None
        value = start + len(word)
        if data[value : value + 1] != b":":
            headers = self.find_plainly(name)
            return unfolded(data[headers[0].value : headers[0].stop]) if headers else None
        return unfolded(data[value + 1 : self._end(value)])

    def text(self, name: str) -> str:
        """The same as people read it; an empty text where there is none."""
        found = self.raw(name)
        return "" if found is None else decoded(found)

    def names(self) -> Iterator[tuple[str, bytes]]:
        """Every field: its name in lower case, and its bytes with the line end."""
        for match in _FIELD.finditer(self.data):
            yield match[1].decode("ascii").lower(), match[0]

    def edits(self, values: Mapping[str, bytes | None]) -> list[tuple[int, int, bytes]]:
        """What to put where, so that fields get other values; None takes one out. Names are as they are to be written
        where a field is new.
        """
        found: list[tuple[int, int, bytes]] = []
        fresh = b""
        line_end = self.line_end.encode()
        for name, value in values.items():
            there = self.find(name)
            if value is None:
                found += [(header.start, header.end, b"") for header in there]
            elif there:
                found.append((there[0].value, there[0].stop, b" " + value))
            else:
                fresh += name.encode("ascii") + b": " + value + line_end
        if fresh:
            end = len(self.data)
            found.append((end, end, fresh if not end or self.data.endswith(b"\n") else line_end + fresh))
        return sorted(found, key=lambda each: each[:2])


@cache
def _named(name: str) -> re.Pattern[bytes]:
    word = re.escape(name.encode("ascii", "replace"))
    return re.compile(rb"(?:\A|(?<=\n))%b[ \t]*:([^\n]*(?:\n[ \t][^\n]*)*)(?:\n|\Z)" % word, re.IGNORECASE)


def headers_of(read: Callable[[int, int], bytes], length: int) -> tuple[bytes, int]:
    """The headers of a message, and where its body begins; `read` gives bytes of it from a place up to another.

    A message without an empty line after its headers has a body where the first line is not a header.
    """
    size = min(_FIRST, length)
    while True:
        data = read(0, size)
        match = _FIELDS.match(data)
        end = match.end() if match is not None else 0
        whole = size >= length
        if whole or (end < len(data) and data.find(b"\n", end) >= 0):
            break
        size = min(size * 8, length)
    body = end
    if data.startswith(b"\r\n", end):
        body += 2
    elif data.startswith(b"\n", end):
        body += 1
    return data[:end], body


def marks_in(data: bytes, names: Iterable[str]) -> tuple[bytes, ...] | None:
    """The values of some headers in the first bytes of a message, as they are written; None where they are not found
    so: the headers do not end there, a value is folded, or a field begins like the one that is wanted.
    """
    match = _FIELDS.match(data)
    end = match.end() if match is not None else 0
    if not data.startswith((b"\n", b"\r\n"), end):
        return None
    low = b"\n" + data[:end].lower()
    found = []
    for name in names:
        word = b"\n" + name.lower().encode("ascii")
        start = low.find(word)
        if start < 0:
            found.append(b"")  # a value has the space or line end before it, or nothing at all after a colon
            continue
        value = start + len(word) - 1
        stop = data.find(b"\n", value)
        if data[value : value + 1] != b":" or stop < 0 or data[stop + 1 : stop + 2] in (b" ", b"\t"):
            return None
        found.append(data[value:stop])
    return tuple(found)


def parted(data: bytes) -> tuple[bytes, int]:
    """The headers of a message that is held whole, and where its body begins."""
    return headers_of(lambda start, end: data[start:end], len(data))


def spliced(data: bytes, edits: Iterable[tuple[int, int, bytes]]) -> bytes:
    """Bytes with edits done, which are in order and do not overlap."""
    found: list[bytes] = []
    done = 0
    for start, end, fresh in edits:
        found += [data[done:start], fresh]
        done = end
    return b"".join([*found, data[done:]])
