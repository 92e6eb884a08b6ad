"""The parts of a message as ranges of its bytes (RFC 2045 to 2049); what they say is decoded by the library."""

from __future__ import annotations

import binascii
import re
from collections.abc import Iterator
from functools import cached_property
from typing import TYPE_CHECKING

from scrub.formats.mail.headers import Headers, headers_of
from scrub.formats.mail.words import decoded
from scrub.model.core.charsets import charset_known
from scrub.model.core.lazy_pattern import lazy_pattern

if TYPE_CHECKING:
    from email.message import Message as Reader

#: Parts inside parts that are followed; deeper ones are one part.
_DEEPEST = 40
#: Octets of a line, without its end, that every mail server takes (RFC 5322, 2.1.1), and of a line in base64 or
#: quoted-printable (RFC 2045, 6.7 and 6.8).
LONGEST_LINE, _ENCODED_LINE = 998, 76


def new_reader() -> Reader:
    """Headers as the library reads and writes them, which takes long to load: subjects need none of it."""
    from email.message import Message

    return Message()


class Part:
    """A part: its headers begin at `start`, its body at `body`, and it ends at `end`, all in bytes of the message."""

    def __init__(self, headers: Headers, start: int, body: int, end: int, above: Part | None = None) -> None:
        self.headers = headers
        self.start, self.body, self.end, self.above = start, body, end, above
        self.depth: int = 0 if above is None else above.depth + 1
        self.inner: list[Part] = []

    @property
    def boundary(self) -> str:
        """What parts the parts inside it; an empty text where there are none, or they are too deep."""
        return self._parameter("boundary") if self.is_multipart and self.depth < _DEEPEST else ""

    @cached_property
    def is_multipart(self) -> bool:
        """Whether it is made of parts."""
        return self.type.startswith("multipart/")

    @cached_property
    def _fields(self) -> Reader:
        """The headers that say what it is, as the library reads them."""
        reader = new_reader()
        for name in ("Content-Type", "Content-Disposition", "Content-Transfer-Encoding"):
            value = self.headers.raw(name)
            if value is not None:
                reader[name] = value
        return reader

    def _parameter(self, name: str) -> str:
        from email.utils import collapse_rfc2231_value

        found = self._fields.get_param(name)
        return "" if found is None else str(collapse_rfc2231_value(found)).rstrip()

    @cached_property
    def type(self) -> str:
        """What it is: `text/plain` where it does not say (RFC 2045, 5.2), a message in a digest (RFC 2046, 5.1.5)."""
        value = self.headers.raw("Content-Type")
        if value is None:
            return (
                "message/rfc822" if self.above is not None and self.above.type == "multipart/digest" else "text/plain"
            )
        plain = _PLAIN_TYPE.match(value)
        return plain[1].lower() if plain is not None else str(self._fields.get_content_type())

    @cached_property
    def name(self) -> str:
        """The name of the file that it is; an empty text for none."""
        return decoded(self._fields.get_filename("") or "").strip()

    @property
    def encoding(self) -> str:
        """How its octets are written (RFC 2045, 6)."""
        found: str = str(self._fields.get("Content-Transfer-Encoding", "7bit"))
        return found.strip().lower()

    @property
    def is_encoded(self) -> bool:
        """Whether its octets are written as others, so that nothing of it can be quoted or too long."""
        return self.encoding in ("base64", "quoted-printable")

    @property
    def charset(self) -> str:
        """The encoding of its characters."""
        found = self._parameter("charset")
        return found.strip().lower() or "us-ascii"

    def type_with(self, charset: str) -> bytes:
        """Its type, with all that is said of it, as a text in this encoding of characters."""
        reader = new_reader()
        reader["Content-Type"] = self.headers.raw("Content-Type") or "text/plain"
        reader.set_param("charset", charset)
        return str(reader["Content-Type"]).encode("ascii", "replace")

    @property
    def is_attached(self) -> bool:
        """Whether it is a file rather than text to be read."""
        if self.inner or self.is_multipart:
            return False
        if self.type == "text/plain" and self.headers.raw("Content-Disposition") is None and _is_bare(self.headers):
            return False
        said = (self._fields.get_content_disposition() or "") == "attachment"
        return said or bool(self.name) or not self.type.startswith("text/")

    @property
    def is_inline(self) -> bool:
        """Whether it is shown inside the text: it says so, or the text can name it (RFC 2392)."""
        said = self._fields.get_content_disposition()
        if said is not None:
            return str(said) == "inline"
        return self.headers.raw("Content-ID") is not None

    @property
    def sealed(self) -> str:
        """Why nothing of it may change, or an empty text: what is signed or encrypted (RFC 1847; RFC 8551)."""
        part: Part | None = self
        while part is not None:
            if part.type in ("multipart/signed", "multipart/encrypted") or part.type.startswith("application/pkcs7"):
                return "signed" if part.type == "multipart/signed" else "encrypted or signed"
            part = part.above
        return ""

    def walk(self) -> Iterator[Part]:
        """It and all parts inside it, in order."""
        yield self
        for part in self.inner:
            yield from part.walk()

    def octets(self, data: bytes) -> bytes:
        """What it contains, decoded; `data` are the bytes of the message."""
        return unencoded(data[self.body : self.end], self.encoding)

    def text(self, data: bytes) -> str:
        """What it says. Characters that cannot be read are shown as such; an unknown encoding is read as Latin-1."""
        octets = self.octets(data)
        charset = self.charset
        if charset in ("us-ascii", "ascii") or not charset_known(charset):
            charset = "utf-8" if _is_utf8(octets) else "latin-1"
        return octets.decode(charset, "replace").replace("\r\n", "\n")

    def is_readable(self, data: bytes) -> bool:
        """Whether every character of it can be read, and written again as before."""
        octets, charset = self.octets(data), self.charset
        if charset in ("us-ascii", "ascii"):
            return octets.isascii() or _is_utf8(octets)
        if not charset_known(charset):
            return False
        try:
            octets.decode(charset)
        except (UnicodeDecodeError, ValueError):
            return False
        return True


def _is_utf8(octets: bytes) -> bool:
    try:
        octets.decode("utf-8")
    except UnicodeDecodeError:
        return False
    return True


def _is_bare(headers: Headers) -> bool:
    """Whether its type names no file: the commonest case, known without the library."""
    return "name" not in (headers.raw("Content-Type") or "").lower()


def parsed(data: bytes, start: int, end: int, above: Part | None = None) -> Part:
    """A range of the bytes of a message as a part, with the parts inside it."""
    head, body = headers_of(lambda first, last: data[start + first : start + min(last, end - start)], end - start)
    part = Part(Headers(head), start, start + body, end, above)
    boundary = part.boundary
    if boundary:
        part.inner = [parsed(data, first, last, part) for first, last in between(data, part.body, end, boundary)]
    return part


def between(data: bytes, start: int, end: int, boundary: str) -> Iterator[tuple[int, int]]:
    """Where the parts between boundaries are (RFC 2046, 5.1.1). The last one of a message that was cut goes on to the
    end of it.
    """
    mark = b"--" + boundary.encode("utf-8", "surrogateescape")
    begun = -1
    at = data.find(mark, start, end)
    while at >= 0:
        following = data.find(b"\n", at, end)
        line_end = following if following >= 0 else end
        rest = data[at + len(mark) : line_end].rstrip(b" \t\r")
        if (at == start or data[at - 1 : at] == b"\n") and rest in (b"", b"--"):
            if begun >= 0:
                yield begun, max(begun, at - (2 if data[at - 2 : at - 1] == b"\r" else 1))
            if rest:
                return
            begun = min(line_end + 1, end)
        at = data.find(mark, line_end, end)
    if begun >= 0:
        yield begun, end


def unencoded(body: bytes, encoding: str) -> bytes:
    """Octets as they were before they were written for the wire (RFC 2045, 6). Broken base64 is read as far as it makes
    sense.
    """
    if encoding == "base64":
        try:
            return binascii.a2b_base64(body)
        except binascii.Error:
            pass  # it was cut, or something was put into it
        clean = _NO_BASE64.sub(b"", body)
        clean = clean.partition(b"=")[0]
        if len(clean) % 4 == 1:
            clean = clean[:-1]
        return binascii.a2b_base64(clean + b"=" * (-len(clean) % 4))
    if encoding == "quoted-printable":
        return binascii.a2b_qp(body)
    return body


#: A type as nearly all are written.
_PLAIN_TYPE = lazy_pattern(r"([A-Za-z0-9-]+/[A-Za-z0-9.+-]+)(?=\s*(?:;|$))")
_NO_BASE64 = lazy_pattern(rb"[^A-Za-z0-9+/=]+")


def encoded(octets: bytes, encoding: str, line_end: bytes) -> bytes:
    """Octets as they go over the wire; texts have LF at the ends of their lines."""
    if encoding == "base64":
        whole = binascii.b2a_base64(octets, newline=False)
        lines = [whole[at : at + _ENCODED_LINE] for at in range(0, len(whole), _ENCODED_LINE)]
        return line_end.join(lines) + (line_end if lines else b"")
    if encoding == "quoted-printable":
        found = binascii.b2a_qp(octets.replace(b"\r\n", b"\n"), istext=True)
        found = _LINE_START.sub(lambda match: b"=%02X" % match[0][0] + match[0][1:], found)
        return found.replace(b"\n", line_end) if line_end != b"\n" else found
    return octets if line_end == b"\n" else octets.replace(b"\r\n", b"\n").replace(b"\n", line_end)


#: What mail programs would change at the start of a line (RFC 2049, 3).
_LINE_START = lazy_pattern(rb"^(?:From |\.$)", re.MULTILINE)


def fits_plain(octets: bytes) -> bool:
    """Whether octets can be written as they are, line by line (RFC 2045, 2.7 and 2.8)."""
    return all(len(line) <= LONGEST_LINE for line in octets.split(b"\n")) and b"\0" not in octets
