"""A connection to a mail server that keeps mailboxes (IMAP, RFC 9051 and 3501), over TLS alone (RFC 8314)."""

from __future__ import annotations

import base64
import contextlib
import imaplib
import re
import ssl
from collections.abc import Callable, Iterator, Sequence
from typing import Any

from scrub.formats.servers import (
    KEEP_PASSWORD,
    PATIENCE,
    distrusted,
    ensure_no_password,
    only_ascii,
    parts_of,
    plain_login,
    reason,
)
from scrub.model.core.lazy_pattern import lazy_pattern
from scrub.model.core.named import NamedTuple
from scrub.model.core.passwords import MAIL, password
from scrub.model.core.problem import FileProblem

#: A line of an answer may be long: one with ten thousand numbers of messages is.
imaplib._MAXLINE = 10_000_000  # type: ignore[attr-defined]


class MailboxAddress(NamedTuple):
    """A mailbox on a server: `imaps://office@mail.huts.example/INBOX`."""

    host: str
    port: int
    user: str
    secure: bool
    mailbox: str
    address: str


def place_of(address: str) -> MailboxAddress:
    """The mailbox that an address names (RFC 5092). Raises `FileProblem`."""
    wrong = "not a mailbox address. Write it like this: imaps://you@mail.huts.example/INBOX"
    parts, port, user, mailbox = parts_of(address, ("imaps", "imap"), wrong)
    ensure_no_password(address, parts, MAIL)
    secure = parts.scheme == "imaps"
    return MailboxAddress(
        str(parts.hostname), port or (993 if secure else 143), user, secure, mailbox or "INBOX", address
    )


def encoded_name(name: str) -> str:
    """The name of a mailbox as it goes over the wire: modified UTF-7 (RFC 3501, 5.1.3), in quotes."""

    def shifted(match: re.Match[str]) -> str:
        if match[0] == "&":
            return "&-"
        data = base64.b64encode(match[0].encode("utf-16-be")).decode("ascii").rstrip("=").replace("/", ",")
        return f"&{data}-"

    plain = re.sub(r"&|[^\x20-\x7e]+", shifted, name)
    return '"' + plain.replace("\\", "\\\\").replace('"', '\\"') + '"'


def connect(place: MailboxAddress) -> imaplib.IMAP4:
    """A connection that is signed in. Raises `FileProblem` with the reason."""

    def problem(what: str) -> FileProblem:
        return FileProblem(place.address, what)

    context = ssl.create_default_context()
    try:
        if place.secure:
            made: imaplib.IMAP4 = imaplib.IMAP4_SSL(place.host, place.port, ssl_context=context, timeout=PATIENCE)
        else:
            made = imaplib.IMAP4(place.host, place.port, timeout=PATIENCE)
            if "STARTTLS" not in made.capabilities:
                raise problem("the server offers no encryption, and Scrub does not read mail unencrypted")
            made.starttls(context)
    except ssl.SSLError as error:
        raise problem(f"the server {distrusted(error)}. Nothing was read") from None
    except (OSError, imaplib.IMAP4.error) as error:
        raise problem(f"the server cannot be reached: {reason(error)}") from None
    if made.state != "AUTH":
        secret = password(MAIL)
        if secret is None:
            raise problem(f"no password for {place.user or 'you'}. {KEEP_PASSWORD}")
        try:
            _log_in(made, place, secret.reveal())
        except (imaplib.IMAP4.abort, OSError) as error:
            raise problem(f"the server closed the connection during the login: {reason(error)}") from None
        except imaplib.IMAP4.error as error:
            if _BUSY.search(str(error)):
                raise problem(f"the server does not accept logins now: {reason(error)}. Run again later") from None
            raise problem(f"the server rejected the password of {place.user}") from None
    return made


#: What a server says that could not look at the password (RFC 5530, 3).
_BUSY = lazy_pattern(r"\[(?:UNAVAILABLE|INUSE|LIMIT|SERVERBUG)\]", re.IGNORECASE)


def _log_in(made: imaplib.IMAP4, place: MailboxAddress, password: str) -> None:
    """Logs in; where a name or password is not ASCII, in UTF-8 (RFC 4616, 2), as LOGIN takes none."""
    if (place.user + password).isascii():
        made.login(place.user, password)
        return
    if "AUTH=PLAIN" not in made.capabilities:
        raise FileProblem(place.address, only_ascii("AUTH=PLAIN"))
    made.authenticate("PLAIN", lambda _: plain_login(place.user, password))


class Lost(FileProblem):
    """The talk ended in the middle of a command: nobody knows whether it was done."""


class Declined(FileProblem):
    """The server said no to a command."""


class Stored(NamedTuple):
    """What a server says of a message: its flags, its size in bytes, when it came, and its headers."""

    flags: frozenset[str]
    size: int
    arrived: str
    headers: bytes


class Connection:
    """A connection with one mailbox open. Every problem is a `FileProblem` with a sentence."""

    def __init__(self, place: MailboxAddress, writing: bool) -> None:
        self.place = place
        self._open = connect(place)
        self._between: str | None = None  # what parts the names of boxes inside boxes
        try:
            # Most servers say what they can only to whom they know (RFC 9051, 6.1.1).
            said = self._done(self._open.capability)
            self.can = frozenset(str(said[-1] or b"", "ascii", "replace").upper().split())
            answer = self._done(self._open.select, self.named(place.mailbox), not writing)
            self.count = int(answer[0] or 0)
            found = self._open.response("UIDVALIDITY")[1]
            self.validity = int(found[0]) if found and found[0] else 0
        except BaseException:
            self.close()
            raise

    def _done(self, work: Callable[..., Any], *words: object) -> list[Any]:
        """A command done. Raises `Declined` where the server says no, `Lost` where it says nothing."""
        try:
            state, answer = work(*words)
        except imaplib.IMAP4.abort as error:
            raise Lost(self.place.address, f"the server closed the connection: {reason(error)}") from None
        except OSError as error:
            raise Lost(self.place.address, f"the server did not answer: {reason(error)}") from None
        except imaplib.IMAP4.error as error:
            raise FileProblem(self.place.address, f"the server reported an error: {reason(error)}") from None
        if state != "OK":
            said = answer[0].decode("utf-8", "replace") if answer and isinstance(answer[0], bytes) else state
            raise Declined(self.place.address, f"the server refused: {said}")
        result: list[object] = answer
        return result

    def uid(self, *words: str) -> list[Any]:
        """A command on messages by their UIDs."""
        return self._done(self._open.uid, *words)

    def uids(self, deleted: bool = False) -> list[int]:
        """The UIDs of all messages, in their order; those marked as deleted only with `deleted`."""
        return self._searched("ALL" if deleted else "UNDELETED")

    def _searched(self, *what: str) -> list[int]:
        found = self.uid("SEARCH", *what)
        return sorted(int(word) for word in b" ".join(each for each in found if each).split())

    def stored(self, uids: Sequence[int]) -> dict[int, Stored]:
        """What is known of messages; those that are gone are left out."""
        what = "(UID FLAGS RFC822.SIZE INTERNALDATE BODY.PEEK[HEADER])"
        result: dict[int, Stored] = {}
        for words, data in self._fetched(uids, what):
            uid, size, moment = _UID.search(words), _SIZE.search(words), _MOMENT.search(words)
            flags = _FLAGS.search(words)
            if uid is not None and data is not None:
                named = frozenset((flags[1].decode("ascii", "replace") if flags is not None else "").split())
                when = moment[1].decode("ascii") if moment is not None else ""
                result[int(uid[1])] = Stored(named, int(size[1]) if size is not None else len(data), when, data)
        return result

    def whole(self, uid: int) -> bytes | None:
        """The bytes of a message, or None where it is gone. It is not marked as seen (BODY.PEEK, RFC 9051, 6.4.5)."""
        return next((data for _, data in self._fetched([uid], "(UID BODY.PEEK[])") if data is not None), None)

    def _fetched(self, uids: Sequence[int], what: str) -> list[tuple[bytes, bytes | None]]:
        """The answers to a FETCH: the words of each, and its bytes."""
        result: list[tuple[bytes, bytes | None]] = []
        for part in batches(uids):
            for each in self.uid("FETCH", spoken(part), what):
                if isinstance(each, tuple):
                    result.append((each[0], each[1]))
                elif result and isinstance(each, bytes):  # words that came after the bytes
                    words, data = result[-1]
                    result[-1] = (words + b" " + each, data)
        return result

    def named(self, mailbox: str) -> str:
        """The name of a mailbox as this server takes it: a macro parts the boxes inside boxes by a slash."""
        if "/" not in mailbox:
            return encoded_name(mailbox)
        if self._between is None:
            found = self._done(self._open.list, '""', '""')
            match = _DELIMITER.search(found[0]) if found and isinstance(found[0], bytes) else None
            self._between = match[1].decode("ascii") if match is not None else "/"
        return encoded_name(mailbox.replace("/", self._between))

    def append(self, mailbox: str, flags: str, moment: str, data: bytes) -> tuple[int, list[int]] | None:
        """Puts a message into a mailbox; gives the UIDVALIDITY there and its UID, where the server says (RFC 4315)."""
        stamp = f'"{moment}"' if moment else None
        return _told(_APPENDED, self._done(self._open.append, self.named(mailbox), flags, stamp, data))

    def uid_there(self, command: str, uids: Sequence[int], mailbox: str) -> tuple[int, list[int]] | None:
        """Messages moved or copied to a mailbox; gives the UIDVALIDITY there and their UIDs, where the server says."""
        self._open.untagged_responses.pop("COPYUID", None)
        answer = self.uid(command, spoken(uids), self.named(mailbox))
        return _told(_COPIED, answer) or self.come_there()

    def come_there(self) -> tuple[int, list[int]] | None:
        """The same, of what was moved before the server stopped (RFC 6851, 4.3)."""
        said = self._open.untagged_responses.pop("COPYUID", None)
        return _told(_COPIED, [b"[COPYUID %b]" % each for each in said or () if isinstance(each, bytes)])

    @property
    def moves(self) -> bool:
        """Whether the server moves messages in one step (RFC 6851)."""
        return "MOVE" in self.can or "IMAP4REV2" in self.can

    @property
    def removes(self) -> bool:
        """Whether the server removes certain messages, and says where new ones are (RFC 4315)."""
        return "UIDPLUS" in self.can or "IMAP4REV2" in self.can

    def next_there(self, mailbox: str) -> tuple[int, int] | None:
        """The UIDVALIDITY of a mailbox and the UID of its next message, where the server says (RFC 9051, 6.3.11)."""
        answer = self._done(self._open.status, self.named(mailbox), "(UIDVALIDITY UIDNEXT)")
        said = b" ".join(each for each in answer if isinstance(each, bytes))
        validity, following = _VALIDITY.search(said), _NEXT.search(said)
        return (int(validity[1]), int(following[1])) if validity is not None and following is not None else None

    def come_since(self, mailbox: str, before: tuple[int, int] | None, count: int) -> tuple[int, list[int]] | None:
        """The messages of a mailbox that came since `next_there`; None unless there are just that many."""
        if before is None:
            return None
        other = Connection(self.place._replace(mailbox=mailbox), writing=False)
        try:
            found = [uid for uid in other._searched("UID", f"{before[1]}:*") if uid >= before[1]]
            return (other.validity, found) if other.validity == before[0] and len(found) == count else None
        finally:
            other.close()

    def ensure_mailbox(self, mailbox: str) -> None:
        """Makes a mailbox that is not there."""
        found = self._done(self._open.list, '""', self.named(mailbox))
        if not [each for each in found if each]:
            self._done(self._open.create, self.named(mailbox))

    def close(self) -> None:
        """Ends the talk. A mailbox is not closed first: that would remove what others marked as deleted."""
        with contextlib.suppress(OSError, imaplib.IMAP4.error):
            self._open.logout()


def _told(form: re.Pattern[bytes], answer: Sequence[object]) -> tuple[int, list[int]] | None:
    """The UIDVALIDITY and UIDs that an answer names."""
    for each in answer:
        match = form.search(each) if isinstance(each, bytes) else None
        if match is not None:
            return int(match[1]), uids_in(match[2].decode("ascii"))
    return None


def uids_in(words: str) -> list[int]:
    """The UIDs of a set: `4:6,9` (RFC 9051, 9)."""
    uids: list[int] = []
    for each in words.split(","):
        first, _, last = each.partition(":")
        uids += range(int(first), int(last or first) + 1)
    return uids


def spoken(uids: Sequence[int]) -> str:
    """UIDs as a command takes them: neighbours as a range (RFC 9051, 9)."""
    found: list[str] = []
    first = last = 0
    for uid in [*sorted(uids), 0]:
        if first and uid != last + 1:
            found.append(str(first) if first == last else f"{first}:{last}")
            first = 0
        first, last = first or uid, uid
    return ",".join(found)


def batches(uids: Sequence[int]) -> Iterator[Sequence[int]]:
    """UIDs in parts that a server takes in one line each (RFC 2683, 3.2.1.5: about 1,000 octets)."""
    ordered = sorted(uids)
    while ordered:
        count = len(ordered)
        while len(spoken(ordered[:count])) > _LONGEST_SET:
            count = (count + 1) // 2
        yield ordered[:count]
        ordered = ordered[count:]


_LONGEST_SET = 800
_APPENDED = lazy_pattern(rb"\[APPENDUID (\d+) ([\d:,]+)\]")
_COPIED = lazy_pattern(rb"\[COPYUID (\d+) [\d:,]+ ([\d:,]+)\]")
_DELIMITER = lazy_pattern(rb'\) "(.)" ')
_VALIDITY = lazy_pattern(rb"\bUIDVALIDITY (\d+)")
_NEXT = lazy_pattern(rb"\bUIDNEXT (\d+)")
_UID = lazy_pattern(rb"\bUID (\d+)")
_SIZE = lazy_pattern(rb"\bRFC822\.SIZE (\d+)")
_MOMENT = lazy_pattern(rb'\bINTERNALDATE "([^"]+)"')
_FLAGS = lazy_pattern(rb"\bFLAGS \(([^)]*)\)")
