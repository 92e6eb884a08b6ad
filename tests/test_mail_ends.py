"""Messages as other programs leave them: empty parts, parts without headers, digests, lines of a mailbox."""

from __future__ import annotations

import email
import email.policy
from pathlib import Path
from typing import Any

import pytest
from conftest import examples
from hypothesis import given
from hypothesis import strategies as st
from mails import maildir, run

import scrub

TOP = b"From: Ann <ann@kestrel.example>\nSubject: Water\nMIME-Version: 1.0\n"


def read(data: bytes) -> Any:
    return email.message_from_bytes(data, policy=email.policy.default)


@given(
    st.sampled_from(
        [
            b"",
            b"\n",
            b"Content-Type: text/plain",
            b"Content-Type: text/plain\n",
            b"Content-Type: text/plain\n\n",
            b"\nold\n",
            b"Content-ID: <a@b>\n\nold\n",
        ]
    ),
    st.sampled_from(["new", "Note: new\nmore", "größer", "a b " * 400]),
    st.sampled_from([b"\n", b"\r\n"]),
)
@examples(40)
def test_a_text_comes_below_the_headers_of_its_part(home: Path, part: bytes, text: str, end: bytes) -> None:
    path = Path("water.eml")
    data = (
        TOP
        + b'Content-Type: multipart/mixed; boundary="b"\n\n--b\n'
        + part
        + b"\n--b\nContent-Type: application/pdf\n\nx\n--b--\n"
    )
    path.write_bytes(data.replace(b"\n", end))
    before = path.read_bytes()
    lines = text.replace("\n", "{newline}")
    run(f'message.text = "{lines}"', path, kind="message")
    found = read(path.read_bytes())
    parts = list(found.iter_parts())
    assert [each.get_content_type() for each in parts] == ["text/plain", "application/pdf"]
    assert parts[0].get_content().replace("\r\n", "\n").strip() == text.strip()
    assert not parts[0].defects
    assert not set(parts[0].keys()) - {"Content-Type", "Content-Transfer-Encoding", "Content-ID"}
    scrub.undo()
    assert path.read_bytes() == before


@pytest.mark.parametrize("data", [b"", b"\n", b"Subject: x", b"Subject: x\n", b"Subject: x\n\n"])
def test_a_message_without_a_body_gets_one(home: Path, data: bytes) -> None:
    path = Path("bare.eml")
    path.write_bytes(TOP + data.replace(b"Subject", b"X-Own") if data else TOP)
    run('message.text = "größer"', path, kind="message")
    found = read(path.read_bytes())
    assert found.get_content().strip() == "größer"
    assert found["Subject"] == "Water"


def test_the_parts_of_a_digest_are_messages(home: Path) -> None:
    path = Path("digest.eml")
    inner = b"\n\nFrom: Ben <ben@kestrel.example>\nSubject: Wood\n\nDry wood.\n"
    path.write_bytes(
        TOP
        + b'Content-Type: multipart/digest; boundary="b"\n\n--b'
        + inner
        + b"--b\nContent-Type: text/plain\n\nplain\n--b--\n"
    )
    found = run("each attachment\nsay attachment.type\nend\nsay message.text", path, kind="message").files[0]
    types = [each.get_content_type() for each in read(path.read_bytes()).iter_parts()]
    assert types == ["message/rfc822", "text/plain"]
    assert found.said == ["message/rfc822", "plain"]


def test_any_header_is_asked_for(home: Path) -> None:
    path = Path("list.eml")
    path.write_bytes(TOP + b"List-Id: Huts <huts.kestrel.example>\n\nHello\n")
    found = run(
        'if message.header("List-Id") is not empty\nsay message.header("list-id")\nend\nsay "[{message.header("X-Other")}]"',
        path,
        kind="message",
    )
    assert found.files[0].said == ["Huts <huts.kestrel.example>", "[]"]


@pytest.mark.parametrize(
    "mark", [b"From ann@kestrel.example Fri May  1 10:00:00 2026\n", b">From ann Fri May  1 10:00:00 2026\n"]
)
def test_a_line_of_a_mailbox_hides_no_headers(home: Path, mark: bytes) -> None:
    data = mark + TOP + b"\nHello\n"
    path, box = Path("one.eml"), Path("box")
    path.write_bytes(data)
    maildir(box, data)
    for kind, where in (("message", path), ("mailbox", box)):
        body = 'say message.subject\nmessage.subject = "Wood"'
        found = run(body if kind == "message" else f"each message\n{body}\nend", where, kind=kind)
        assert found.files[0].said == ["Water"]
    changed = path.read_bytes()
    assert changed == data.replace(b"Subject: Water", b"Subject: Wood")
    assert [each.read_bytes() for each in box.glob("*/*")] == [changed]
