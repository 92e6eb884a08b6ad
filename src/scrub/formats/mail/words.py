"""The words of headers: decoded for people, encoded and folded for the wire (RFC 2047; RFC 5322, 2.2.3)."""

from __future__ import annotations

import binascii
import re
from collections.abc import Iterator

from scrub.model.core.charsets import charset_known
from scrub.model.core.lazy_pattern import lazy_pattern
from scrub.model.core.problem import Failure

_FOLD = lazy_pattern(rb"\r?\n(?=[ \t])")
_ENCODED = lazy_pattern(r"=\?([!-<>@-~]+?)\?([bBqQ])\?([!->@-~]*)\?=")
#: What is between two encoded words and is not a part of the text (RFC 2047, 6.2).
_BETWEEN = lazy_pattern(r"[ \t\r\n]*")


def unfolded(value: bytes) -> str:
    """The value of a header as characters: unfolded, 8-bit ones as UTF-8 where they are, else as Latin-1."""
    if b"\n" in value:
        value = _FOLD.sub(b"", value)
    value = value.strip(b" \t\r\n").replace(b"\r", b" ")  # one alone ends no line
    try:
        return value.decode("utf-8")
    except UnicodeDecodeError:
        return value.decode("latin-1")


def decoded(text: str) -> str:
    """A text with its encoded words read; one that is broken stays as it is written."""
    if "=?" not in text:
        return text
    found: list[str] = []
    done = 0
    waiting: list[bytes] = []  # of neighbouring words in one encoding: a character may be cut between them
    charset, written = "", 0

    def settle(end: int) -> None:
        if waiting:
            plain = _characters(b"".join(waiting), charset)
            found.append(text[written:end] if plain is None else plain)
            waiting.clear()

    last = 0
    for match in _ENCODED.finditer(text):
        data = _octets(match[2], match[3])
        name = match[1].partition("*")[0].lower()  # a language may follow (RFC 2231, 5)
        if data is None:
            continue
        near = bool(waiting) and _BETWEEN.fullmatch(text, last, match.start()) is not None
        if waiting and (not near or name != charset):
            settle(last)
            done = last
        if not waiting:
            if not near:
                found.append(text[done : match.start()])
            charset, written = name, match.start()
        waiting.append(data)
        last = match.end()
        done = last
    settle(last)
    found.append(text[done:])
    return "".join(found)


def _octets(form: str, body: str) -> bytes | None:
    if form in "qQ":
        return binascii.a2b_qp(body.encode("ascii"), header=True)
    padded = body + "=" * (-len(body) % 4)
    try:
        return binascii.a2b_base64(padded.encode("ascii"), strict_mode=False)
    except binascii.Error:
        return None


def _characters(data: bytes, charset: str) -> str | None:
    try:
        return data.decode(charset) if charset_known(charset) else None
    except ValueError:  # not in that encoding
        return None


#: Characters of a line before it is folded (RFC 5322, 2.1.1).
_LINE = 78
#: Octets that an encoded word contains: it has 64 characters then, so that a line with `Subject: ` before it stays
#: within 76 (RFC 2047, 2).
_OCTETS = 39


def ensure_one_line(text: str, what: str) -> None:
    """Raises `Failure` for a text that cannot be in a header (RFC 5322, 2.2): a line break would begin another one."""
    if any(mark in text for mark in "\r\n\0\x0b\x0c\x85\u2028\u2029"):
        raise Failure(f"{what} would contain a line break, and could add headers. Remove it first: .single-line")


def _plain(word: str) -> bool:
    return word.isascii() and word.isprintable() and "=?" not in word


def phrase(text: str, offset: int, line_end: str = "\r\n") -> bytes:
    """A text as the value of a header whose name and colon take `offset` characters, folded (RFC 5322, 2.2.3)."""
    if len(text) + offset <= _LINE and _plain(text) and text.strip(" ") == text:
        return text.encode("ascii")
    return folded(list(_pieces(text)), offset, line_end)


def folded(pieces: list[str], offset: int, line_end: str) -> bytes:
    """Pieces, each with the spaces before it, in lines that are short enough."""
    lines: list[str] = []
    line = ""
    for piece in pieces:
        room = _LINE - (offset if not lines else 0)
        if line.strip() and len(line) + len(piece) > room and piece[:1] in (" ", "\t") and piece.strip():
            lines.append(line)
            line = ""
        line += piece
    lines.append(line)
    return line_end.join(lines).encode("utf-8")


def _pieces(text: str) -> Iterator[str]:
    """The words of a text with the spaces before each; those that are not plain ASCII as encoded words, from the first
    of them to the last, so that the spaces between them are kept.
    """
    words: list[str] = re.findall(r"[ \t]*[^ \t]+|[ \t]+\Z", text)
    strange = [place for place, word in enumerate(words) if not _plain(word.strip(" \t"))]
    if not strange:
        yield from words
        return
    first, last = strange[0], strange[-1]
    yield from words[:first]
    whole = "".join(words[first : last + 1])
    blanks = whole[: len(whole) - len(whole.lstrip(" \t"))]
    if len(blanks) > 1:  # one space separates the words; the others belong to what is encoded
        whole, blanks = whole[1:], blanks[:1]
    else:
        whole = whole[len(blanks) :]
    for number, word in enumerate(encoded_words(whole)):
        yield (blanks if number == 0 else " ") + word
    yield from words[last + 1 :]


def encoded_words(text: str) -> Iterator[str]:
    """A text as encoded words that are short enough, none of which cuts a character (RFC 2047, 2 and 5)."""
    chunk = b""
    for letter in text:
        octets = letter.encode("utf-8", "surrogateescape")
        if len(chunk) + len(octets) > _OCTETS:
            yield _encoded_word(chunk)
            chunk = b""
        chunk += octets
    if chunk:
        yield _encoded_word(chunk)


def _encoded_word(octets: bytes) -> str:
    """The shorter of the two forms."""
    quoted = "".join(
        chr(byte) if chr(byte).isascii() and (chr(byte).isalnum() or chr(byte) in "!*+-/") else
        "_" if byte == 32 else f"={byte:02X}"
        for byte in octets
    )  # fmt: skip
    base = binascii.b2a_base64(octets, newline=False).decode("ascii")
    return f"=?utf-8?q?{quoted}?=" if len(quoted) <= len(base) else f"=?utf-8?b?{base}?="
