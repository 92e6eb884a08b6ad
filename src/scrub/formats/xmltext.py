"""Texts and attributes in XML, read from bytes that are known to be well-formed."""

from __future__ import annotations

import re
from xml.parsers import expat

_REFERENCE = re.compile(r"&(#x[0-9A-Fa-f]+|#\d+|lt|gt|quot|apos|amp);")
_NAMED = {"lt": "<", "gt": ">", "quot": '"', "apos": "'", "amp": "&"}
_ATTRIBUTE = re.compile(rb"""([^\s=/>]+)\s*=\s*(?:"([^"]*)"|'([^']*)')""")


def plain_text(raw: bytes) -> str:
    """Character data without any markup, as the text it stands for (XML 1.0, 2.11 and 4.6)."""
    text = raw.decode()
    if "\r" in text:
        text = text.replace("\r\n", "\n").replace("\r", "\n")
    if "&" in text:
        text = _REFERENCE.sub(_resolved, text)
    return text


def _resolved(found: re.Match[str]) -> str:
    name = found[1]
    if name.startswith("#x"):
        return chr(int(name[2:], 16))
    return chr(int(name[1:])) if name.startswith("#") else _NAMED[name]


def attributes_of(raw: bytes) -> dict[str, str]:
    """The attributes in a piece of a start tag, by local name."""
    return {
        found[1].rpartition(b":")[2].decode(): plain_text(found[2] if found[2] is not None else found[3])
        for found in _ATTRIBUTE.finditer(raw)
    }


def text_of(element: bytes) -> str:
    """All character data inside an element, whatever its form: comments left out, CDATA sections taken."""
    parts: list[str] = []
    parser = expat.ParserCreate()
    parser.buffer_text = True
    parser.CharacterDataHandler = parts.append
    parser.Parse(element, True)
    return "".join(parts)


def escaped_text(text: str) -> str:
    """A text as character data; a carriage return is kept by a reference (XML 1.0, 2.4 and 2.11)."""
    return text.replace("&", "&amp;").replace("<", "&lt;").replace(">", "&gt;").replace("\r", "&#13;")
