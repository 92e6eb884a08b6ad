"""The hash by which a file is known again: BLAKE2b (RFC 7693), 32 bytes."""

from __future__ import annotations

try:  # the very function of `hashlib`; that module loads OpenSSL too, which costs every command some milliseconds
    from _blake2 import blake2b
except ImportError:
    from hashlib import blake2b

#: A hash that is being made.
Hash = blake2b


def new_hash() -> Hash:
    """A hash of nothing yet."""
    return blake2b(digest_size=32)


def hash_of(data: bytes) -> str:
    """The hash of some bytes, in hexadecimal digits."""
    return blake2b(data, digest_size=32).hexdigest()
