"""Messages for the tests, and readers of them that share no code with Scrub."""

from __future__ import annotations

import email
import email.policy
import mailbox
from collections.abc import Sequence
from email.message import EmailMessage, Message
from pathlib import Path
from typing import Any

from conftest import macro

import scrub

#: Messages as they come in: folded, encoded, 8-bit, with other line ends, cut, broken.
SHAPES: dict[str, bytes] = {
    "plain": b"From: Ann Moss <ann@moss.example>\nTo: office@huts.example\nSubject: Fwd: Water at Larch\nDate: Sat, 2 May 2026 10:00:00 +0200\nMessage-ID: <1@moss.example>\n\nDear office,\n\n6  kg of flour, please.\n",
    "crlf": b"From: ann@moss.example\r\nSubject: RE: Water\r\nX-Other: a\r\n\tb\r\n\r\nHello\r\n.\r\nFrom here\r\n",
    "folded": b"Subject: Fwd: Water at the hut of Larch, and what is to be carried there in\n the first week of June by\n\tall who go up\nFrom: Moss\n <ann@moss.example>\n\nHello\n",
    "encoded": b"From: =?utf-8?q?J=C3=BCrg?= <j@moss.example>\nSubject: WG: =?iso-8859-1?q?H=FCtte?= =?iso-8859-1?q?_am_Grat?=\nTo: a@b.example\n\nHello\n",
    "split": b"Subject: Fwd: =?utf-8?b?R3I=?=\n =?utf-8?b?w7zDn2U=?=\nFrom: a@b.example\n\nx\n",
    "8-bit utf-8": "Subject: Fwd: Hütte\nFrom: a@b.example\n\nGrüße\n".encode(),
    "8-bit latin-1": "Subject: Fwd: Hütte\nFrom: a@b.example\n\nGrüße\n".encode("latin-1"),
    "no final line end": b"Subject: TR: Water\nFrom: a@b.example\n\nHello",
    "no body": b"From: a@b.example\nSubject: Re: Fwd: Water\n",
    "no body and no end": b"From: a@b.example\nSubject: Fwd: Water",
    "blanks before the colon": b"From: a@b.example\nSubject : Fwd: Water\n\nHello\n",
    "capitals": b"FROM: a@b.example\nSUBJECT: FW: Water\n\nHello\n",
    "a broken word": b"Subject: Fwd: =?utf-8?b?R3?= and =?nothing?q?x?=\nFrom: a@b.example\n\nHello\n",
    "no empty line": b"From: a@b.example\nSubject: Fwd: Water\nHello, this is no header\n\nMore\n",
    "like another": b"Subject-Old: Fwd: Wood\nFrom: a@b.example\nSubject: Fwd: Water\n\nHello\n",
    "parts": b'From: a@b.example\nSubject: Fwd: Water\nMIME-Version: 1.0\nContent-Type: multipart/mixed; boundary="=b"\n\nFor old programs.\n--=b\nContent-Type: text/plain; charset=utf-8\nContent-Transfer-Encoding: quoted-printable\n\nGr=C3=BC=C3=9Fe  to all\n--=b\nContent-Type: application/pdf; name="card.pdf"\nContent-Disposition: attachment; filename="card.pdf"\nContent-Transfer-Encoding: base64\n\nJVBERi0xLjQgbm90aGluZw==\n--=b--\n',
}


def seen(data: bytes) -> tuple[list[tuple[str, str]], Any]:
    """The headers, but for the subject, and the body as another reader sees them."""
    found = email.message_from_bytes(data)
    return [(name.strip(), str(value)) for name, value in found.items() if name.strip().lower() != "subject"], [
        each.get_payload() for each in found.walk() if not each.is_multipart()
    ]


def subject(data: bytes) -> str:
    """The subject as another reader sees it."""
    return str(email.message_from_bytes(data, policy=email.policy.default)["subject"])


def a_message(number: int = 1, text: str = "Hello\n", **headers: str) -> EmailMessage:
    """A message, built by the library."""
    made = EmailMessage()
    values = {
        "From": "Ann Moss <ann@moss.example>", "To": "Kestrel Ridge Huts <office@huts.example>", "Subject": "Water",
        "Date": "Sat, 02 May 2026 10:00:00 +0000", "Message-ID": f"<{number}@moss.example>",
    } | {name.replace("_", "-"): value for name, value in headers.items()}  # fmt: skip
    for name, value in values.items():
        made[name] = value
    made.set_content(text)
    return made


def mbox(path: Path, *messages: Message | bytes) -> Path:
    """A mailbox of these, written by the library."""
    made = mailbox.mbox(path)
    for each in messages:
        made.add(each)
    made.close()
    return path


def maildir(path: Path, *messages: Message | bytes) -> Path:
    made = mailbox.Maildir(path)
    for each in messages:
        made.add(each)
    made.close()
    return path


def stored(path: Path) -> list[mailbox.mboxMessage]:
    """The messages of a mailbox, as the library reads them."""
    return list(mailbox.mbox(path, create=False))


class Approving(scrub.QuietHost):
    """A person who lets macros do what they do."""

    def approve(self, title: str, reaches: Sequence[str]) -> bool:
        return True


def run(body: str, *paths: Path, kind: str = "mailbox", **options: Any) -> scrub.RunResult:
    """Runs a macro; a problem of the first file is raised."""
    options = {"host": Approving(), **options}
    result = scrub.run(macro(body, kind), [str(path) for path in paths], **options)
    if result.files[0].problem is not None:
        raise result.files[0].problem
    return result
