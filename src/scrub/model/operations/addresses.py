"""Operations of addresses, and of texts that are one; an address has those of texts too."""

from __future__ import annotations

from scrub.model.core.addresses import address_from
from scrub.model.operations.declare import operation


@operation("address", "text")
def name(text: str) -> str:
    """The name in an address such as Ann Moss <ann@huts.example>; an empty text if there is none.

    Example: message.from.name
    Also: sender, who, display name
    """
    return address_from(text).name


@operation("address", "text")
def address(text: str) -> str:
    """The address without the name.

    Example: message.from.address
    Also: mail address, without name, bare
    """
    return address_from(text).mailbox


@operation("address", "text")
def domain(text: str) -> str:
    """The domain, after the @ sign.

    Example: if message.from.domain is "huts.example"
    Also: host, organisation, company
    """
    return address_from(text).mailbox.rpartition("@")[2]
