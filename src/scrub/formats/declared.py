"""XML parts that are not written in UTF-8: edited as if they were, and written again as they declare themselves."""

from __future__ import annotations

import re

from scrub.model.core.lazy_pattern import lazy_pattern
from scrub.model.core.named import NamedTuple

#: The marks at the start of a part in UTF-16 (XML 1.0, appendix F.1).
_MARKS = ((b"\xff\xfe", "utf-16-le"), (b"\xfe\xff", "utf-16-be"))
_UNMARKED = ((b"<\x00?\x00", "utf-16-le"), (b"\x00<\x00?", "utf-16-be"))
#: The encoding in an XML declaration (XML 1.0, production 80), and what it is called in Unicode.
_DECLARED = lazy_pattern(rb"""^<\?xml[^>]{1,100}?encoding\s*=\s*["']([A-Za-z][\w.-]*)["']""")
_WORD = r"""^(<\?xml[^>]{1,100}?encoding\s*=\s*["'])([A-Za-z][\w.-]*)(?=["'])"""
_ENDINGS = (".xml", ".rels", ".rdf", ".vml")


class Declared(NamedTuple):
    """How a part is written: the mark at its start, the codec, and the word for it in its declaration."""

    mark: bytes
    codec: str
    word: str

    def written(self, data: bytes) -> bytes:
        """A part in UTF-8 as it declares itself; characters that its encoding lacks become character references (XML
        1.0, 4.1), which mean the same.
        """
        text = re.sub(_WORD, lambda found: found[1] + self.word, data.decode("utf-8"), count=1)
        return self.mark + text.encode(self.codec, "xmlcharrefreplace")


def is_utf8(head: bytes) -> bool:
    """Whether a part that begins like this is in UTF-8."""
    if any(head.startswith(mark) for mark, _ in (*_MARKS, *_UNMARKED)):
        return False
    found = _DECLARED.match(head.removeprefix(b"\xef\xbb\xbf"))
    return found is None or found[1].decode().lower().replace("_", "-") in ("utf-8", "utf8")


def in_utf8(name: str, data: bytes) -> tuple[bytes, Declared | None]:
    """A part in UTF-8, and how it was written; None where it was in UTF-8, or cannot be written again as before."""
    head = data[:4]
    if not name.lower().endswith(_ENDINGS):
        return data, None
    mark, codec = next((each for each in _MARKS if head.startswith(each[0])), (b"", ""))
    codec = codec or next((each for start, each in _UNMARKED if head == start), "")
    if not codec:
        found = _DECLARED.match(data)
        codec = found[1].decode().lower() if found else "utf-8"
        if codec.replace("_", "-") in ("utf-8", "utf8"):
            return data, None
    try:
        text = data[len(mark) :].decode(codec)
    except (LookupError, UnicodeError):
        return data, None
    word = re.match(_WORD, text)
    declared = Declared(mark, codec, word[2] if word else "")
    fresh = re.sub(_WORD, lambda found: f"{found[1]}UTF-8", text, count=1).encode("utf-8", "surrogatepass")
    return (fresh, declared) if declared.written(fresh) == data else (data, None)
