"""How messages are in a mailbox that is a file (RFC 4155): what parts them, what is quoted, how flags are kept."""

from __future__ import annotations

import os
import re
import time
from datetime import datetime

from scrub.model.core.lazy_pattern import lazy_pattern
from scrub.model.core.problem import FileProblem
from scrub.store.inuse import is_mailbox

#: The flags that mailboxes share.
SEEN, FLAGGED, ANSWERED = "S", "F", "R"
#: The characters of Status and X-Status for them, as mail programs write them.
_STATUS = {SEEN: "R"}
_MORE = {ANSWERED: "A", FLAGGED: "F"}

#: A line of a body that would begin a message, and one that was quoted so that it does not: each reader takes one sign
#: off again.
_UNQUOTED = lazy_pattern(rb"^(>*From )", re.MULTILINE)
_QUOTED = lazy_pattern(rb"^>(>*From )", re.MULTILINE)


def quoted(octets: bytes) -> bytes:
    """A text as it is in such a file: a line that begins with From, or was quoted before, gets a sign before."""
    return _UNQUOTED.sub(rb">\1", octets)


def unquoted(octets: bytes) -> bytes:
    """A text as it was before it came into such a file."""
    return _QUOTED.sub(rb"\1", octets)


def from_line(sender: str, moment: datetime | None) -> bytes:
    """The line that begins a message: who sent it, and when it came, in UTC (RFC 4155, appendix A)."""
    stamp = time.gmtime(moment.timestamp() if moment is not None else None)
    who = sender if sender.isascii() and sender and not re.search(r"\s", sender) else "MAILER-DAEMON"
    return f"From {who} {time.asctime(stamp)}\n".encode("ascii")


def flags_in(status: str, more: str) -> frozenset[str]:
    """The flags that the headers Status and X-Status name."""
    found = {flag for flag, letter in _STATUS.items() if letter in status}
    return frozenset(found | {flag for flag, letter in _MORE.items() if letter in more})


def status_of(flags: frozenset[str], status: str = "", more: str = "") -> tuple[bytes | None, bytes | None]:
    """The values of Status and X-Status for flags; characters of other meanings stay. None takes a header out."""

    def value(letters: dict[str, str], old: str) -> bytes | None:
        kept = "".join(letter for letter in old if letter.isalpha() and letter not in letters.values())
        found = "".join(letter for flag, letter in letters.items() if flag in flags) + kept
        return found.encode("ascii") if found else None

    return value(_STATUS, status), value(_MORE, more)


def is_mbox(path: str) -> bool:
    """Whether a file begins as such a mailbox does, or is empty."""
    try:
        return is_mailbox(path) or not os.path.getsize(path)
    except OSError:
        return False


def ensure_own(path: str) -> None:
    """Raises `FileProblem` for the box into which the system delivers mail: a delivery agent may have it open, and
    would write into a file that nobody reads any more.
    """
    real = os.path.realpath(path)
    spool = os.environ.get("MAIL", "")
    boxes = [os.path.realpath(spool)] if spool else []
    if real in boxes or re.match(r"(?:/private)?/var/(?:spool/)?mail/", real):
        raise FileProblem(
            path,
            (
                "new mail arrives in this file, and could get lost. First move the messages to another mailbox with "
                "your mail program"
            ),
        )
