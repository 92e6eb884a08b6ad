"""The digest of 16 bits that old workbooks keep of a password (ISO/IEC 29500-4, 14.7.1)."""

from __future__ import annotations


def old_hashes(text: str) -> frozenset[int]:
    """The 16-bit hash of a password (ISO/IEC 29500-4, 14.7.1), for each single-byte form of its characters."""
    found = set()
    for encoding in ("latin-1", "cp1252", "cp1250", "cp1251", "utf-8"):
        try:
            letters = text.encode(encoding)
        except UnicodeEncodeError:
            continue
        value = 0
        for letter in reversed(letters[:255]):
            value = (value >> 14 & 1 | value << 1 & 0x7FFF) ^ letter
        value = (value >> 14 & 1 | value << 1 & 0x7FFF) ^ len(letters[:255]) ^ 0xCE4B
        found.add(value)
    return frozenset(found)
