"""Which names are those of character sets, among all codecs that Python knows."""

from __future__ import annotations

import codecs

#: Codecs of Python that are no character sets (RFC 2978): they write names and source code.
_OTHERS = frozenset(("idna", "punycode", "undefined", "unicode_escape", "raw_unicode_escape", "mbcs", "oem"))


def charset_known(name: str) -> bool:
    """Whether texts in it can be read."""
    try:
        found = codecs.lookup(name).name.replace("-", "_")
        b"\0\0\0\0".decode(name)  # some codecs make bytes of bytes, or text of text
    except (LookupError, ValueError):
        return False
    return found not in _OTHERS
