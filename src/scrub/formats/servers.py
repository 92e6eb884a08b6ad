"""What mail servers have in common, whether they take messages or keep them."""

from __future__ import annotations

import socket
import ssl

#: Seconds that a server may be silent.
PATIENCE = 60.0
#: How a password comes to be known.
KEEP_PASSWORD = "Keep it: scrub secret set mail-password, or put it into the variable SCRUB_SECRET_MAIL_PASSWORD"


def distrusted(error: ssl.SSLError) -> str:
    """What is said of a server whose certificate does not hold, and why."""
    why = getattr(error, "verify_message", "") or error.reason or "no agreement"
    return f"cannot show that it is itself ({why})"


def reason(error: Exception) -> str:
    """Why a server did not answer."""
    if isinstance(error, socket.gaierror):
        return "there is no such server"
    if isinstance(error, TimeoutError) or isinstance(error.__context__, TimeoutError):
        return "it is silent"
    return str(getattr(error, "strerror", None) or error) or type(error).__name__
