"""Addresses of mail: who a message is from, and whom it goes to."""

from __future__ import annotations

from scrub.model.core.lazy_pattern import lazy_pattern
from scrub.model.core.problem import Failure

#: One address (RFC 5322, 3.4.1; RFC 6532, 3.2) without its oldest forms: no spaces, a domain after the sign.
_PLACE = r"[^\s@<>(),;:\"\[\]\\]+@[^\s@<>(),;:\"\[\]\\]+\.[^\s@<>(),;:\"\[\]\\.]+"
_ADDRESS = lazy_pattern(rf"\s*(?:(\"(?:[^\"\\\r\n]|\\[^\r\n])*\"|[^<>@\"\r\n]*?)\s*<({_PLACE})>|({_PLACE}))\s*")


class Address(str):
    """An address, `Ann Moss <ann@huts.example>` or `ann@huts.example`, as it is shown and compared."""

    __slots__ = ("mailbox", "name")

    #: The name of the person, without quotes; an empty text where there is none.
    name: str
    #: The address itself: `ann@huts.example`.
    mailbox: str

    def __new__(cls, mailbox: str, name: str = "") -> Address:
        """An address, with the name of its person."""
        address = super().__new__(cls, f"{name} <{mailbox}>" if name else mailbox)
        address.mailbox, address.name = mailbox, name
        return address

    def __reduce__(self) -> tuple[type[Address], tuple[str, str]]:
        return Address, (self.mailbox, self.name)


def address_from(text: str) -> Address:
    """The one address that a text is. Raises `Failure` where it is none, or more than one."""
    if isinstance(text, Address):
        return text
    match = _ADDRESS.fullmatch(text)
    if match is None:
        raise Failure(f'"{text.strip()}" is not an address. Write it like this: ann@huts.example')
    name = (match[1] or "").strip()
    if name.startswith('"'):
        name = _QUOTED.sub(r"\1", name[1:-1])
    return Address(match[2] or match[3], name)


_QUOTED = lazy_pattern(r"\\(.)")


def same_address(left: str, right: str) -> bool:
    """Whether an address is the one that a text names: by the address itself, whatever name is before it."""
    return _bare(left) == _bare(right)


def _bare(text: str) -> str:
    if not isinstance(text, Address):
        match = _ADDRESS.fullmatch(text)
        return (match[2] or match[3] if match is not None else text).casefold()
    return text.mailbox.casefold()
