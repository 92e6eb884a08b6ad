"""Lists of addresses as headers have them (RFC 5322, 3.4)."""

from __future__ import annotations

from collections.abc import Sequence
from functools import lru_cache

from scrub.formats.mail.words import decoded, encoded_words, ensure_one_line, folded
from scrub.model.core.addresses import Address
from scrub.model.core.lazy_pattern import lazy_pattern

#: The commonest forms of one address: `ann@huts.example`, `Ann Moss <ann@huts.example>`, `"Moss, Ann" <…>`.
_ONE = lazy_pattern(
    r"(?:(?:\"([^\"\\\r\n]*)\"|([A-Za-z0-9 =?_'./+*-]*?)) *<([^\s@<>(),;:\"\[\]\\]+@[A-Za-z0-9.-]+)>"
    r"|([^\s@<>(),;:\"\[\]\\]+@[A-Za-z0-9.-]+))"
)
#: Characters that may be in a name without quotes (RFC 5322, 3.2.3).
_ATOMS = lazy_pattern(r"[A-Za-z0-9!#$%&'*+/=?^_`{|}~ -]*")


def addresses_in(text: str) -> list[Address]:
    """The addresses in the value of a header, in their order; groups are split, anything else is left out."""
    return list(_addresses(text))


@lru_cache(maxsize=1024)
def _addresses(text: str) -> tuple[Address, ...]:
    match = _ONE.fullmatch(text)
    if match is not None:
        name = match[1] if match[1] is not None else match[2] or ""
        return (Address(match[3] or match[4], decoded(name).strip()),)
    return tuple(all_addresses(text))


def all_addresses(text: str) -> list[Address]:
    """The same for any list, by the library's own reader."""
    from email.utils import getaddresses

    return [Address(mailbox, decoded(name).strip()) for name, mailbox in getaddresses([text]) if "@" in mailbox]


def address_list(addresses: Sequence[Address], offset: int, line_end: str) -> bytes:
    """Addresses as the value of a header whose name and colon take `offset` characters."""
    pieces: list[str] = []
    for address in addresses:
        ensure_one_line(address, "the address")
        if pieces:
            pieces[-1] += ","
        pieces += [f" {piece}" for piece in _name(address.name)]
        pieces.append(f" <{address.mailbox}>" if address.name else f" {address.mailbox}")
    return folded(pieces, offset, line_end).lstrip(b" ")


def _name(name: str) -> list[str]:
    if not name.isascii() or "=?" in name:
        return list(encoded_words(name))
    if _ATOMS.fullmatch(name):
        return name.split()
    return ['"' + name.replace("\\", "\\\\").replace('"', '\\"') + '"']
