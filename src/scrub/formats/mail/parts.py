"""The parts of a message as ranges of its bytes (RFC 2045 to 2049); what they say is decoded by the library."""

from __future__ import annotations

import binascii
import re
from collections.abc import Iterator
from email.message import Message as Reader
from email.utils import collapse_rfc2231_value

from scrub.formats.mail.headers import Headers, headers_of
from scrub.formats.mail.words import charset_known, decoded
from scrub.model.late import late

#: Parts inside parts that are followed; deeper ones are one part.
_DEEPEST = 40
#: Octets of a line, without its end, that every mail server takes (RFC 5322, 2.1.1), and of a line in base64 or
#: quoted-printable (RFC 2045, 6.7 and 6.8).
LONGEST_LINE, _ENCODED_LINE = 998, 76


class Part:
    """A part: its headers begin at `start`, its body at `body`, and it ends at `end`, all in bytes of the message."""

    __slots__ = ("_reader", "above", "body", "end", "headers", "inner", "start")

    def __init__(self, data: bytes, start: int, end: int, above: Part | None = None) -> None:
        head, body = headers_of(lambda first, last: data[start + first : start + min(last, end - start)], end - start)
        self.headers = Headers(head)
        self.start, self.body, self.end, self.above = start, start + body, end, above
        self.inner: list[Part] = []
        self._reader: Reader | None = None
        depth, outer = 0, above
        while outer is not None:
            depth, outer = depth + 1, outer.above
        boundary = self._parameter("boundary") if self.type.startswith("multipart/") and depth < _DEEPEST else ""
        if boundary:
            self.inner = [Part(data, first, last, self) for first, last in _between(data, self.body, end, boundary)]

    @property
    def _fields(self) -> Reader:
        """The headers that say what it is, as the library reads them."""
        if self._reader is None:
            self._reader = Reader()
            for name in ("Content-Type", "Content-Disposition", "Content-Transfer-Encoding"):
                value = self.headers.raw(name)
                if value is not None:
                    self._reader[name] = value
        return self._reader

    def _parameter(self, name: str) -> str:
        found = self._fields.get_param(name)
        return "" if found is None else str(collapse_rfc2231_value(found)).rstrip()

    @property
    def type(self) -> str:
        """What it is: `text/plain` where it does not say (RFC 2045, 5.2)."""
        return str(self._fields.get_content_type())

    @property
    def name(self) -> str:
        """The name of the file that it is; an empty text for none."""
        return decoded(self._fields.get_filename("") or "").strip()

    @property
    def encoding(self) -> str:
        """How its octets are written (RFC 2045, 6)."""
        found: str = str(self._fields.get("Content-Transfer-Encoding", "7bit"))
        return found.strip().lower()

    @property
    def charset(self) -> str:
        """The encoding of its characters."""
        found = self._parameter("charset")
        return found.strip().lower() or "us-ascii"

    def type_with(self, charset: str) -> bytes:
        """Its type, with all that is said of it, as a text in this encoding of characters."""
        reader = Reader()
        reader["Content-Type"] = self.headers.raw("Content-Type") or "text/plain"
        reader.set_param("charset", charset)
        return str(reader["Content-Type"]).encode("ascii", "replace")

    @property
    def is_attached(self) -> bool:
        """Whether it is a file rather than text to be read."""
        if self.inner or self.type.startswith("multipart/"):
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
        for each in self.inner:
            yield from each.walk()

    def octets(self, data: bytes) -> bytes:
        """What it holds, decoded; `data` are the bytes of the message."""
        return unencoded(data[self.body : self.end], self.encoding)

    def text(self, data: bytes) -> str:
        """What it says. Characters that cannot be read are shown as such; an unknown encoding is read as Latin-1."""
        octets = self.octets(data)
        charset = self.charset
        if charset in ("us-ascii", "ascii") or not charset_known(charset):
            charset = "utf-8" if _is_utf8(octets) else "latin-1"
        return octets.decode(charset, "replace").replace("\r\n", "\n")

    def is_readable(self, data: bytes) -> bool:
        """Whether every character of it can be read, and written again as it was."""
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


def _between(data: bytes, start: int, end: int, boundary: str) -> Iterator[tuple[int, int]]:
    """Where the parts between boundaries are (RFC 2046, 5.1.1). The last one of a message that was cut goes on to the
    end of it.
    """
    mark = re.escape(boundary.encode("utf-8", "surrogateescape"))
    line = re.compile(rb"(?:\r?\n|(?<![^\n]))--" + mark + rb"(--)?[ \t]*(?:\r?\n|\Z)")
    begun = -1
    at = start
    while True:
        match = line.search(data, at, end)
        if match is None:
            break
        if begun >= 0:
            yield begun, max(match.start(), begun)
        begun = match.end()
        at = max(match.end() - 1, at + 1)  # the line end may be that of an empty part too
        if match[1] is not None:
            return
    if begun >= 0:
        yield begun, end


def unencoded(body: bytes, encoding: str) -> bytes:
    """Octets as they were before they were written for the wire (RFC 2045, 6). Broken base64 is read as far as it
    makes sense.
    """
    if encoding == "base64":
        clean = _NO_BASE64.sub(b"", body)
        clean = clean.partition(b"=")[0]
        if len(clean) % 4 == 1:
            clean = clean[:-1]
        return binascii.a2b_base64(clean + b"=" * (-len(clean) % 4))
    if encoding == "quoted-printable":
        return binascii.a2b_qp(body)
    return body


_NO_BASE64 = late(rb"[^A-Za-z0-9+/=]+")


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
_LINE_START = late(rb"^(?:From |\.$)", re.MULTILINE)


def fits_plain(octets: bytes) -> bool:
    """Whether octets can be written as they are, line by line (RFC 2045, 2.7 and 2.8)."""
    return all(len(line) <= LONGEST_LINE for line in octets.split(b"\n")) and b"\0" not in octets
