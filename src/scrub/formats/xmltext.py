"""Texts and attributes in XML, read from bytes that are known to be well-formed."""

from __future__ import annotations

import re
from datetime import datetime
from xml.parsers import expat

from scrub.model.core.lazy_pattern import lazy_pattern
from scrub.model.core.problem import Failure

_REFERENCE = lazy_pattern(r"&(#x[0-9A-Fa-f]+|#\d+|lt|gt|quot|apos|amp);")
_NAMED = {"lt": "<", "gt": ">", "quot": '"', "apos": "'", "amp": "&"}
_ATTRIBUTE = lazy_pattern(rb"""([^\s=/>]+)\s*=\s*(?:"([^"]*)"|'([^']*)')""")


def plain_text(raw: bytes) -> str:
    """Character data without any markup, as the text it means (XML 1.0, 2.11 and 4.6)."""
    try:
        text = raw.decode()
    except UnicodeDecodeError:
        raise Failure("its XML says UTF-8, but some text is not") from None
    if "\r" in text:
        text = text.replace("\r\n", "\n").replace("\r", "\n")
    if "&" in text:
        text = _REFERENCE.sub(_resolved, text)
    return text


def _resolved(found: re.Match[str]) -> str:
    name = found[1]
    if not name.startswith("#"):
        return _NAMED[name]
    try:
        letter = chr(int(name[2:], 16) if name.startswith("#x") else int(name[1:]))
    except (ValueError, OverflowError):
        return "\ufffd"
    return "\ufffd" if "\ud800" <= letter <= "\udfff" else letter  # half a character is none


def attributes_of(raw: bytes) -> dict[str, str]:
    """The attributes in a piece of a start tag, by local name."""
    return {
        found[1].rpartition(b":")[2].decode("utf-8", "replace"): plain_text(
            found[2] if found[2] is not None else found[3]
        )
        for found in _ATTRIBUTE.finditer(raw)
    }


def text_of(element: bytes) -> str:
    """All character data inside an element, regardless of its form: comments left out, CDATA sections taken."""
    parts: list[str] = []
    parser = expat.ParserCreate()
    parser.buffer_text = True
    parser.CharacterDataHandler = parts.append
    parser.Parse(element, True)
    return "".join(parts)


#: What is written as it is: printed characters without markup.
_USUAL = lazy_pattern(r"[ -%'-;=?-~\u00a0-\u024f]*+")
#: What XML 1.0 cannot contain (2.2).
_UNFIT = r"[\x00-\x08\x0b\x0c\x0e-\x1f\ufffe\uffff\ud800-\udfff]"
_NEVER = lazy_pattern(_UNFIT)
#: What an ST_Xstring escapes besides (ISO/IEC 29500-1, 22.9.2.19): a carriage return, and what reads as an escape.
_TO_ESCAPE = lazy_pattern(_UNFIT + r"|\r|_(?=x[0-9A-Fa-f]{4}_)")
_ESCAPED = lazy_pattern(r"_x([0-9A-Fa-f]{4})_")
_PAIR = lazy_pattern("[\ud800-\udbff][\udc00-\udfff]")
_ALONE = lazy_pattern("[\ud800-\udfff]")


def xstring(text: str) -> str:
    """A text as the character data of an ST_Xstring (22.9.2.19): what XML cannot contain is written `_xHHHH_`."""
    return text if "_" not in text and _USUAL.fullmatch(text) else escaped_text(xstring_value(text))


def xstring_value(text: str) -> str:
    """A text with what an ST_Xstring cannot contain escaped; markup is not."""
    return _TO_ESCAPE.sub(lambda found: f"_x{ord(found[0]):04X}_", text) if _TO_ESCAPE.search(text) else text


def unescaped(text: str) -> str:
    """A text with `_xHHHH_` read as the character it means; two halves of one character are joined."""
    if "_x" not in text:
        return text
    result = _ESCAPED.sub(lambda escape: chr(int(escape[1], 16)), text)
    if _ALONE.search(result):
        result = _PAIR.sub(lambda pair: pair[0].encode("utf-16", "surrogatepass").decode("utf-16"), result)
        result = _ALONE.sub("\ufffd", result)  # half a character is none
    return result


def fit(text: str) -> str:
    """A text without what XML cannot contain, for places that have no way to escape it."""
    return _NEVER.sub("", text)


def escaped_text(text: str) -> str:
    """A text as character data; a carriage return is kept by a reference (XML 1.0, 2.4 and 2.11)."""
    if _USUAL.fullmatch(text):
        return text
    text = fit(text)
    return text.replace("&", "&amp;").replace("<", "&lt;").replace(">", "&gt;").replace("\r", "&#13;")


def is_on(value: str | None, default: bool = False) -> bool:
    """What an attribute of the type ST_OnOff says (ISO/IEC 29500-1, 22.9.2.7); `default` where it is missing."""
    return default if value is None else value in ("1", "true", "on")


def moment(text: str | None) -> datetime | None:
    """When something was written, as annotations say it, without its zone; None where there is none to read."""
    try:
        return datetime.fromisoformat((text or "").removesuffix("Z")).replace(tzinfo=None)
    except ValueError:
        return None
