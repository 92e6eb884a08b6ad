"""Operations of addresses, and of texts that are one; an address has those of texts too."""

from __future__ import annotations

from scrub.model.addresses import address_from
from scrub.model.operations.declare import operation


@operation("address", "text")
def name(text: str) -> str:
    """The name of the person in an address such as Ann Moss <ann@huts.example>; an empty text where there is none.

    Example: message.from.name
    Also: sender, who, display name
    """
    return address_from(text).name


@operation("address", "text")
def address(text: str) -> str:
    """The address alone, without a name in front of it.

    Example: message.from.address
    Also: mail address, without name, bare
    """
    return address_from(text).mailbox


@operation("address", "text")
def domain(text: str) -> str:
    """What stands behind the @ sign of an address.

    Example: if message.from.domain is "huts.example"
    Also: host, organisation, company
    """
    return address_from(text).mailbox.rpartition("@")[2]
