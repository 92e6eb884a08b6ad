"""The characters of pasted text: what a word processor, a web page or an e-mail puts in place of plain ones."""

from __future__ import annotations

#: Characters that reverse the reading direction: refused everywhere, since approval rests on reading.
DIRECTION_MARKS = frozenset("\u200e\u200f\u061c\u202a\u202b\u202c\u202d\u202e\u2066\u2067\u2068\u2069")

#: Characters that a terminal obeys and nobody sees; all but tabs and what ends a line. Refused everywhere, too.
CONTROLS = frozenset(chr(code) for code in (*range(32), *range(0x7F, 0xA0)) if chr(code) not in "\t\n\r\x0b\x0c\x85")

#: What no macro may hold, since approval rests on reading.
HIDDEN = DIRECTION_MARKS | CONTROLS

#: Marks without width, passed over outside texts.
ZERO_WIDTH = frozenset("\u200b\u200c\u200d\u2060\ufeff\u00ad")

SPACES = frozenset(
    " \t\u00a0\u1680\u2000\u2001\u2002\u2003\u2004\u2005\u2006\u2007\u2008\u2009\u200a\u202f\u205f\u3000"
)

DASHES = frozenset("-\u2010\u2011\u2012\u2013\u2014\u2015\u2212\ufe58\ufe63\uff0d")

CURLY_QUOTES = frozenset("\u201c\u201d\u201e\u201f")

LINE_ENDS = ("\r\n", "\r", "\n", "\x0b", "\x0c", "\x85", "\u2028", "\u2029")

#: Signs that an editor makes of typed ones.
SIGNS = {"\u2264": "<=", "\u2265": ">=", "\u00d7": "*", "\u00f7": "/"}


def plain(text: str) -> str:
    """A header line or a word with its pasted characters made plain, trimmed."""
    if text.isascii():  # as most are, and nothing in it was pasted
        return " ".join(text.split())
    letters = []
    for letter in text:
        if letter in SPACES:
            letters.append(" ")
        elif letter not in ZERO_WIDTH:
            letters.append(letter)
    return " ".join("".join(letters).split())
