"""The keys of protections of an Open Document (OpenDocument 1.3, part 3, 19.697, 19.698): digests of passwords."""

from __future__ import annotations

from collections.abc import Mapping

from scrub.formats.old_digests import old_hashes
from scrub.model.core.problem import Failure
from scrub.model.core.values import Secret

#: A key and the names of its digests, in the attributes of a protection as they are kept while a run lasts.
KEY, DIGESTS = "openKey", "openDigest"
SHA1 = "http://www.w3.org/2000/09/xmldsig#sha1"
_SHA256 = ("http://www.w3.org/2000/09/xmldsig#sha256", "http://www.w3.org/2001/04/xmlenc#sha256")
_LEGACY = "http://docs.oasis-open.org/office/ns/table/legacy-hash-excel"


def hashed_password(password: Secret) -> dict[str, str]:
    """The attributes of a password: programs write the SHA-1 of its UTF-16, and this is what all of them open."""
    import base64

    key: bytes = password.derived("open sha1", lambda text: _digest("sha1", text.encode("utf-16-le")))
    return {KEY: base64.b64encode(key).decode(), DIGESTS: SHA1}


def opens_key(attributes: Mapping[str, str], password: Secret) -> bool:
    """Whether a password is the one of a key. Raises `Failure` for a digest that nobody knows."""
    import base64

    names = attributes.get(DIGESTS, "").split() or [SHA1]
    try:
        wanted = base64.b64decode(attributes[KEY], validate=True)
    except ValueError:
        raise Failure("its protection is damaged: the key of the password cannot be read") from None
    if names[0] == _LEGACY:
        found = password.derived("open legacy", _legacy)
    elif names[0] == SHA1:
        found = password.derived("open sha1s", lambda text: _digests("sha1", text))
    elif names[0] in _SHA256:
        found = password.derived("open sha256s", lambda text: _digests("sha256", text))
    else:
        raise Failure(f'its password was hashed with "{names[0]}", which Scrub does not know')
    return wanted in found


def _digest(name: str, data: bytes) -> bytes:
    import hashlib  # only passwords pay for loading it

    result: bytes = getattr(hashlib, name)(data).digest()
    return result


def _digests(name: str, text: str) -> frozenset[bytes]:
    return frozenset(_digest(name, text.encode(encoding)) for encoding in ("utf-16-le", "utf-8"))


def _legacy(text: str) -> frozenset[bytes]:
    """The keys of files that come from other workbooks: the old digest of 16 bits, and the SHA-1 of that."""
    shorts = [number.to_bytes(2, order) for number in old_hashes(text) for order in ("big", "little")]
    return frozenset([*shorts, *(_digest("sha1", short) for short in shorts)])
