"""A draft as it goes over the wire (RFC 5322, 2.1 and 2.3)."""

from __future__ import annotations

from scrub.formats.mail.headers import Headers, parted, spliced
from scrub.formats.mail.message import OpenMessage
from scrub.formats.mail.parts import LONGEST_LINE
from scrub.model.core.lazy_pattern import lazy_pattern
from scrub.model.core.problem import Failure
from scrub.model.core.sending import Outgoing

_LINE_END = lazy_pattern(rb"\r\n|\r|\n")

#: What may be in no address on its way to a server.
_STRANGE = lazy_pattern(r"[\s<>\x00-\x1f\x7f]")


def outgoing(draft: OpenMessage) -> Outgoing:
    """The message that leaves, without its Bcc. Raises `Failure` for one that no server may be given."""
    sender = draft.from_
    if sender is None:
        raise Failure(f"{draft.label}: the sender is missing. Set it: scrub settings address you@huts.example")
    recipients = list(dict.fromkeys(address.mailbox for address in (*draft.to, *draft.cc, *draft.bcc)))
    if not recipients:
        raise Failure(f"{draft.label}: the message has no recipient")
    strange = next((recipient for recipient in (sender.mailbox, *recipients) if _STRANGE.search(recipient)), None)
    if strange is not None:
        raise Failure(f'{draft.label}: "{strange}" is not a valid address')
    data = draft.whole()
    head, body = parted(data)
    head = spliced(head, Headers(head).edits({"Bcc": None}))
    whole = _LINE_END.sub(b"\r\n", head) + b"\r\n" + _LINE_END.sub(b"\r\n", data[body:])
    for number, line in enumerate(whole.split(b"\r\n"), 1):
        if len(line) > LONGEST_LINE:
            raise Failure(
                f"{draft.label}: line {number} has {len(line):,} characters; a mail server accepts {LONGEST_LINE} (RFC "
                "5322, 2.1.1). Shorten the line, or attach the text as a file"
            )
    if b"\0" in whole:
        raise Failure(f"{draft.label}: it contains a NUL character, which mail servers reject")
    return Outgoing(draft.id, sender.mailbox, tuple(recipients), draft.subject, whole)
