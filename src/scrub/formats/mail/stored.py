"""A message as its bytes: what of them is kept and what is put in their place is known at any moment."""

from __future__ import annotations

from collections.abc import Iterator, Mapping

from scrub.formats.mail.headers import Headers, headers_of
from scrub.formats.mail.parts import Part, parsed
from scrub.formats.mail.words import unfolded
from scrub.model.core.change import Undo
from scrub.model.core.named import NamedTuple
from scrub.model.core.problem import Failure
from scrub.model.core.required import required
from scrub.model.mail.messages import Message


class Span(NamedTuple):
    """A range of the bytes of a message."""

    start: int
    end: int


#: What a message is to be: ranges of what it was, and new bytes.
Pieces = list["Span | bytes"]


#: What is put in the place of a range: from, to, new bytes.
Edit = tuple[int, int, bytes]


class StoredMessage(Message):
    """A message of a file. Nothing is kept of one that nobody changed: a mailbox may hold a million."""

    #: How lines end where the message itself does not say.
    line_end = "\n"

    def __init__(self, length: int) -> None:
        self.length = length
        self._head: tuple[Headers, int] | None = None
        self._values: dict[str, bytes | None] = {}  # headers that get another value, or none
        self._splices: dict[tuple[int, int], Edit] = {}  # what is put in the place of ranges of the body
        self._raws: dict[str, str] = {}  # headers that were asked for
        self.gone = False

    # -- what each format offers

    @required
    def octets(self, start: int, end: int) -> bytes:
        """The original bytes of the message, from one place up to another."""
        raise NotImplementedError

    def touch(self) -> None:
        """Is told that something of it is about to change."""

    # -- what follows from that

    @property
    def removed(self) -> bool:
        """Whether it was removed, or moved, during this run."""
        return self.gone

    @property
    def head(self) -> tuple[Headers, int]:
        """Its headers, and where its body begins."""
        if self._head is None:
            data, body = headers_of(self.octets, self.length)
            self._head = (Headers(data), body)
        return self._head

    def whole(self) -> bytes:
        """All its original bytes."""
        return self.octets(0, self.length)

    def parts(self) -> tuple[bytes, Part]:
        """All its bytes, and its parts in them."""
        data = self.whole()
        return data, parsed(data, 0, len(data))

    def walk(self) -> Iterator[Part]:
        """Its parts, in order; of a message that is one part, nothing but the headers is read."""
        headers, body = self.head
        whole = Part(headers, 0, body, self.length)
        return self.parts()[1].walk() if whole.is_multipart else iter((whole,))

    @property
    def touched(self) -> bool:
        """Whether any of its bytes are to be other ones."""
        return bool(self._values or self._splices)

    def raw(self, name: str) -> str:
        """The value of a header as it is now, with its encoded words; an empty text for none."""
        if name in self._values:
            value = self._values[name]
            return "" if value is None else unfolded(value)
        result = self._raws.get(name)
        if result is None:
            result = self._raws[name] = self.head[0].raw(name) or ""
        return result

    def put_header(self, name: str, value: bytes | None) -> Undo:
        """Gives a header another value, or takes it out; returns how to undo it. Raises `Failure` where it is twice,
        as nobody knows which one counts.
        """
        times = len(self.head[0].find(name))
        if times > 1:
            raise Failure(f'{self.label} has {times} headers "{name}", but only one is allowed. Skipped')
        return self.put_edits({**self._values, name: value})

    def replace_part(self, part: Part, fresh: bytes) -> Undo:
        """Puts bytes in the place of a part inside it, headers and all; returns how to undo it."""
        return self.put_edits(self._values, {**self._splices, (part.start, 0): (part.start, part.end, fresh)})

    def put_part(self, part: Part, fresh: bytes, values: Mapping[str, bytes | None]) -> Undo:
        """Gives a part another body and headers of it other values; returns how to undo it."""
        if fresh:
            fresh = self._parted(self.octets(part.start, part.body)) + fresh
        splices = {**self._splices, (part.body, 1): (part.body, part.end, fresh)}
        if part.above is None:
            return self.put_edits({**self._values, **values}, splices)
        for start, end, bytes_ in part.headers.edits(values):
            splices[part.start + start, 0] = (part.start + start, part.start + end, bytes_)
        return self.put_edits(self._values, splices)

    def _parted(self, headers: bytes) -> bytes:
        """What a body needs before it where a part has no empty line after its headers (RFC 5322, 2.1)."""
        if headers.endswith((b"\n\n", b"\n\r\n")) or headers in (b"\n", b"\r\n"):
            return b""
        end = self.head[0].line_end.encode() if self.head[0].data else self.line_end.encode()
        return end if not headers or headers.endswith(b"\n") else end * 2

    def put_edits(self, values: dict[str, bytes | None], splices: dict[tuple[int, int], Edit] | None = None) -> Undo:
        """Stores a change; returns how to undo it."""
        self.touch()
        before = self._values, self._splices
        self._values, self._splices = values, self._splices if splices is None else splices
        self._raws = {}  # of a message that is kept, no more is held than is needed
        if self._head is not None:
            self._head[0].forget()

        def revert() -> None:
            self._values, self._splices = before

        return revert

    def undo_header(self, name: str) -> Undo:
        """Gives a header the value that it had when the file was opened."""
        return self.put_edits({word: value for word, value in self._values.items() if word != name})

    def pieces(self, values: Mapping[str, bytes | None] | None = None) -> Pieces:
        """What it is to be; `values` are headers that it gets on its way to another file."""
        if not self.touched and not values:
            return [Span(0, self.length)]
        # Where a body begins, its headers end: they come first, though both edits have one place.
        ordered = sorted(self._splices.items(), key=lambda each: (*each[1][:2], each[0][1]))
        edits = [edit for _, edit in ordered]
        changed = {**self._values, **(values or {})}
        headers, body = self.head
        if edits and headers.find("Content-Length"):
            more = sum(len(fresh) - (end - start) for start, end, fresh in edits)
            changed["Content-Length"] = str(self.length - body + more).encode()
        found: Pieces = []
        done = 0
        for start, end, fresh in [*headers.edits(changed), *edits]:
            found += [Span(done, start), fresh]
            done = end
        found.append(Span(done, self.length))
        return [each for each in found if isinstance(each, bytes) or each.start < each.end]

    def written(self, values: Mapping[str, bytes | None] | None = None) -> bytes:
        """All its bytes as they are to be."""
        return b"".join(
            piece if isinstance(piece, bytes) else self.octets(piece.start, piece.end) for piece in self.pieces(values)
        )
