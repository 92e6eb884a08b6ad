"""What servers have in common: those that take messages, keep them, or keep databases."""

from __future__ import annotations

import socket
import ssl
from collections.abc import Sequence
from urllib.parse import SplitResult, unquote, urlsplit

from scrub.model.core.lazy_pattern import lazy_pattern
from scrub.model.core.problem import FileProblem

_CONTROL = lazy_pattern(r"[\x00-\x1f\x7f-\x9f\u2028\u2029]")
#: Seconds that a server may be silent.
PATIENCE = 60.0
#: How a password comes to be known.
KEEP_PASSWORD = "Save it: scrub secret set mail-password, or set the variable SCRUB_SECRET_MAIL_PASSWORD"


def parts_of(address: str, schemes: Sequence[str], wrong: str) -> tuple[SplitResult, int | None, str, str]:
    """An address split (RFC 3986), with the port, the user and what is named on the server. Raises `FileProblem` that
    says what is wrong for one of another scheme, or without a server.
    """
    try:
        parts = urlsplit(address)
        port = parts.port
    except ValueError:
        raise FileProblem(address, wrong) from None
    if parts.scheme not in schemes or not parts.hostname:
        raise FileProblem(address, wrong)
    # `urlsplit` drops some of them, and others would end a line that goes to the server.
    if _CONTROL.search(unquote(address)):
        raise FileProblem(address, "an address cannot contain line breaks or other control characters")
    return parts, port, unquote(parts.username or ""), unquote(parts.path.strip("/"))


def ensure_no_password(address: str, parts: SplitResult, name: str) -> None:
    """Raises `FileProblem` for a password in an address; it is to be kept under a name."""
    if parts.password is not None:
        bare = address.replace(f":{parts.password}@", "@")
        raise FileProblem(
            bare, (f"a password here would stay in your shell's history. Save it: scrub secret set {name}")
        )


def plain_login(user: str, password: str) -> bytes:
    """A user name and a password in UTF-8, as PLAIN takes them (RFC 4616, 2)."""
    return f"\0{user}\0{password}".encode()


def only_ascii(lacks: str) -> str:
    """What is said of a server without PLAIN, which takes no other passwords."""
    return f"the server accepts only ASCII in user names and passwords (no {lacks}). Set another password"


def distrusted(error: ssl.SSLError) -> str:
    """What is said of a server whose certificate does not hold, and why."""
    why = getattr(error, "verify_message", "") or error.reason or "no agreement"
    return f"has no valid certificate ({why})"


def reason(error: Exception) -> str:
    """Why a server did not answer."""
    if isinstance(error, socket.gaierror):
        return "no such server"
    if isinstance(error, TimeoutError) or isinstance(error.__context__, TimeoutError):
        return "no answer"
    return str(getattr(error, "strerror", None) or error) or type(error).__name__
