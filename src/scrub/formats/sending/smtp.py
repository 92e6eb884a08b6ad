"""Sending through a mail server (RFC 5321), over TLS alone (RFC 8314; RFC 3207)."""

from __future__ import annotations

import base64
import contextlib
import smtplib
import ssl
from collections.abc import Callable
from urllib.parse import unquote, urlsplit

from scrub.formats.servers import KEEP_PASSWORD, PATIENCE, distrusted, only_ascii, plain_login, reason
from scrub.model.core.named import NamedTuple
from scrub.model.core.problem import BadCall
from scrub.model.core.sending import Declined, NotSent, Outgoing, PerhapsSent
from scrub.model.core.values import Secret


class Server(NamedTuple):
    """A mail server: its name and port, who signs in there, and whether the connection begins with TLS."""

    host: str
    port: int
    user: str
    secure: bool


def server_of(address: str) -> Server:
    """The server that a setting names: `smtps://office@mail.huts.example` or, for STARTTLS, `smtp://…`.

    Raises `BadCall` for anything else, and for a password in it.
    """
    try:
        parts = urlsplit(address)
        port = parts.port
    except ValueError:
        parts, port = urlsplit(""), None
    if parts.scheme not in ("smtps", "smtp") or not parts.hostname:
        raise BadCall(
            f'"{address}" is not a mail server. Write it like this: smtps://office@mail.huts.example, or smtp://… '
            "for STARTTLS"
        )
    if parts.password is not None:
        raise BadCall("a password must not be in a setting. Save it: scrub secret set mail-password")
    secure = parts.scheme == "smtps"
    return Server(parts.hostname, port or (465 if secure else 587), unquote(parts.username or ""), secure)


class SmtpCarrier:
    """One connection to a mail server, made when the first message goes out."""

    def __init__(self, server: Server, password: Callable[[], Secret | None], patience: float = PATIENCE) -> None:
        self.server, self._password, self._patience = server, password, patience
        self._open: smtplib.SMTP | None = None

    def _connected(self) -> smtplib.SMTP:
        if self._open is not None:
            return self._open
        server, context = self.server, ssl.create_default_context()
        try:
            made: smtplib.SMTP
            if server.secure:
                made = smtplib.SMTP_SSL(server.host, server.port, timeout=self._patience, context=context)
            else:
                made = smtplib.SMTP(server.host, server.port, timeout=self._patience)
                made.starttls(context=context)
            made.ehlo_or_helo_if_needed()
            if server.user:
                password = self._password()
                if password is None:
                    raise NotSent(f"no password for {server.user} at {server.host}. {KEEP_PASSWORD}")
                _log_in(made, server.user, password.reveal())
        except smtplib.SMTPAuthenticationError as error:
            if error.smtp_code not in _WRONG:
                raise NotSent(f"{server.host} does not accept logins now: {_reason(error)}. Run again later") from None
            raise NotSent(f"{server.host} rejected the password of {server.user}") from None
        except smtplib.SMTPNotSupportedError:
            raise NotSent(f"{server.host} offers no encryption. Scrub does not send unencrypted") from None
        except ssl.SSLError as error:
            raise NotSent(f"{server.host} {distrusted(error)}. Nothing was sent") from None
        except (OSError, smtplib.SMTPException) as error:
            raise NotSent(f"{server.host} cannot be reached: {_reason(error)}") from None
        self._open = made
        return made

    def carry(self, message: Outgoing) -> None:
        """Sends one. Raises `NotSent` or `PerhapsSent`."""
        connection = self._connected()
        try:
            self._envelope(connection, message)
        except (OSError, smtplib.SMTPException) as error:
            self._drop()
            raise NotSent(f"{self.server.host} closed the connection: {_reason(error)}") from None
        try:
            connection.send(_stuffed(message.data))
            code, answer = connection.getreply()
        except (OSError, smtplib.SMTPException) as error:
            self._drop()
            raise PerhapsSent(
                f"{self.server.host} did not answer after the message was handed over ({_reason(error)})"
            ) from None
        if 200 <= code < 300:  # RFC 5321, 4.2.1: whatever else the digits say
            return
        if code == 421:
            self._drop()  # it closes the connection (3.8)
        if 400 <= code < 600:
            raise Declined(f"{self.server.host} rejected it: {_said(answer)}")
        self._drop()
        raise PerhapsSent(f"{self.server.host} gave an unknown answer after the message was handed over")

    def _envelope(self, connection: smtplib.SMTP, message: Outgoing) -> None:
        """All that comes before the message itself; a recipient that is refused stops it (RFC 5321, 3.3)."""
        options = []
        if not message.data.isascii():
            head = message.data.partition(b"\r\n\r\n")[0]
            if not connection.has_extn("8bitmime"):
                raise NotSent(f"{self.server.host} accepts only ASCII text (no 8BITMIME, RFC 6152)")
            options.append("BODY=8BITMIME")
            if not head.isascii() or not all(
                recipient.isascii() for recipient in (message.sender, *message.recipients)
            ):
                if not connection.has_extn("smtputf8"):
                    raise NotSent(f"{self.server.host} accepts only ASCII addresses (no SMTPUTF8, RFC 6531)")
                options.append("SMTPUTF8")
        if connection.has_extn("size"):
            options.append(f"SIZE={message.size}")
        self._expect(connection, 250, f"MAIL FROM:<{message.sender}>{''.join(f' {option}' for option in options)}")
        for recipient in message.recipients:
            self._expect(connection, 250, f"RCPT TO:<{recipient}>", 251)
        self._expect(connection, 354, "DATA")

    def _expect(self, connection: smtplib.SMTP, wanted: int, command: str, also: int = 0) -> None:
        connection.command_encoding = "utf-8" if not command.isascii() else "ascii"
        connection.putcmd(command)
        code, answer = connection.getreply()
        if code not in (wanted, also):
            with contextlib.suppress(OSError, smtplib.SMTPException):
                connection.docmd("RSET")
            what = command.partition(" SIZE")[0].partition(" BODY")[0]
            raise Declined(f"{self.server.host} rejected {what}: {_said(answer)}")

    def _drop(self) -> None:
        if self._open is not None:
            self._open.close()
            self._open = None

    def close(self) -> None:
        """Ends the connection."""
        if self._open is not None:
            with contextlib.suppress(OSError, smtplib.SMTPException):
                self._open.quit()
            self._drop()


#: Answers by which a server says that the user or the password is wrong, or is not enough (RFC 4954, 4 and 6).
_WRONG = (530, 534, 535, 538, 550, 553)


def _log_in(connection: smtplib.SMTP, user: str, password: str) -> None:
    """Logs in; where a name or password is not ASCII, in UTF-8 (RFC 4616, 2), which smtplib does not write."""
    if (user + password).isascii():
        connection.login(user, password)
        return
    connection.ehlo_or_helo_if_needed()
    if "PLAIN" not in connection.esmtp_features.get("auth", "").upper().split():
        raise NotSent(only_ascii("AUTH PLAIN"))
    secret = base64.b64encode(plain_login(user, password)).decode("ascii")
    code, answer = connection.docmd("AUTH", f"PLAIN {secret}")
    if code not in (235, 503):
        raise smtplib.SMTPAuthenticationError(code, answer)


def _stuffed(data: bytes) -> bytes:
    """A message as it follows DATA: dots at the start of lines are doubled, a dot alone ends it (RFC 5321, 4.5.2)."""
    body = data if data.endswith(b"\r\n") else data + b"\r\n"
    body = b"." + body if body.startswith(b".") else body
    return body.replace(b"\r\n.", b"\r\n..") + b".\r\n"


def _said(answer: bytes) -> str:
    return answer.decode("utf-8", "replace").replace("\n", " ")[:200]


def _reason(error: Exception) -> str:
    if isinstance(error, smtplib.SMTPResponseException):
        said = error.smtp_error
        return _said(said if isinstance(said, bytes) else str(said).encode())
    return reason(error)
