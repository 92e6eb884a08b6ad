"""What is done quickly in messages gives what the plain way, or the library, gives."""

from __future__ import annotations

import base64
import binascii
import contextlib
import email
from email.header import decode_header, make_header
from email.message import Message
from itertools import pairwise
from pathlib import Path
from typing import Any

from conftest import examples
from hypothesis import assume, example, given
from hypothesis import strategies as st
from mails import run

import scrub
from scrub.formats.mail.boxed import MessageSeries
from scrub.formats.mail.eml import open_message
from scrub.formats.mail.headers import Headers
from scrub.formats.mail.parts import Part, between, new_reader, unencoded
from scrub.formats.mail.words import _pieces as pieces
from scrub.formats.mail.words import decoded, encoded_words, folded, phrase, unfolded

TYPES = st.sampled_from(["text/plain", "TEXT/PLAIN; charset=utf-8", "text/html", "application/pdf; name=\"a.pdf\"", "image/png;name=x",
                         "text/plain; NAME=b.txt", "text/plain;name*=utf-8''c.txt", ";;", "text", "", "message/rfc822", "x-a/b.c+d ; e=f",
                         "text/plain (note)", "text / plain", "multipart/mixed"])  # fmt: skip
DISPOSITIONS = st.sampled_from(
    [None, "attachment", "inline", 'ATTACHMENT; filename="x.txt"', "inline; filename=y", "=?", ""]
)


@given(TYPES, DISPOSITIONS)
def test_what_a_part_is_is_known_as_by_the_library(type_: str, disposition: str | None) -> None:
    head = f"Content-Type: {type_}\n" + ("" if disposition is None else f"Content-Disposition: {disposition}\n")
    part = Part(Headers(head.encode()), 0, len(head), len(head))
    plain = new_reader()
    plain["Content-Type"] = type_
    if disposition is not None:
        plain["Content-Disposition"] = disposition
    assert part.type == plain.get_content_type()
    named = bool((plain.get_filename() or "").strip())
    attached = plain.get_content_disposition() == "attachment" or named or not part.type.startswith("text/")
    assert part.is_attached == (attached and not part.type.startswith("multipart/"))


#: Trees of parts: a leaf is a text, a branch a list.
TREES = st.recursive(
    st.sampled_from(["a", "--b\n", "", "x\n\n", "--=0\nno", "--=0-- no\n", "\r\n"]),
    lambda inner: st.lists(inner, max_size=3),
    max_leaves=8,
)


def built(tree: object, depth: int = 0) -> bytes:
    if not isinstance(tree, list):
        return b"Content-Type: text/plain\n\n" + str(tree).encode()
    mark = f"={depth}x".encode()
    inner = b"".join(b"--" + mark + b"\n" + built(each, depth + 1) + b"\n" for each in tree)
    return (
        b'Content-Type: multipart/mixed; boundary="' + mark + b'"\n\nbefore\n' + inner + b"--" + mark + b"--\nbehind\n"
    )


def leaves(message: Message) -> list[tuple[str, Any]]:
    return [
        (each.get_content_type(), each.get_payload(decode=True) or b"")
        for each in message.walk()
        if not each.is_multipart()
    ]


@examples(150)
@given(TREES, st.booleans())
@example([["a"], []], True)
def test_parts_are_where_the_library_sees_them(tree: object, crlf: bool) -> None:
    data = b"Subject: x\n" + built(tree)
    if crlf:
        data = data.replace(b"\r\n", b"\n").replace(b"\n", b"\r\n")
    path = Path("one.eml")
    path.write_bytes(data)
    file = open_message(str(path))
    try:
        whole, root = file.message.parts()
        ours = [(each.type, each.octets(whole)) for each in root.walk() if not each.inner]
        assert [each.start for each in file.message.walk()] == [each.start for each in root.walk()]
    finally:
        file.close()
    wanted = leaves(email.message_from_bytes(data))
    # An empty list of parts is one part to us and a broken one to the library; all else is the same.
    assume(b"--\n--" not in data.replace(b"\r", b""))
    if "[]" not in str(tree):
        assert [(type_, content.replace(b"\r\n", b"\n")) for type_, content in ours] == [
            (type_, content.replace(b"\r\n", b"\n")) for type_, content in wanted
        ]


@given(st.binary(max_size=200), st.sampled_from(["", "\n", "\r\n", " ", "!", "\xff"]), st.integers(0, 3))
def test_base64_is_read_as_by_the_library_and_as_far_as_it_goes(octets: bytes, between_lines: str, lost: int) -> None:
    written = base64.b64encode(octets)
    lines = between_lines.encode("latin-1").join(written[at : at + 20] for at in range(0, len(written), 20))
    assert unencoded(lines, "base64") == octets
    cut = lines.rstrip(b"=")
    found = unencoded(cut[: len(cut) - lost], "base64")
    assert octets.startswith(found)
    assert len(found) >= len(octets) - 1 - lost
    with contextlib.suppress(binascii.Error):
        assert unencoded(lines + b"\n", "base64") == binascii.a2b_base64(lines)


WORDS = st.text(alphabet="ab \u00fc\u2603=?_\t", max_size=120)


@given(WORDS, st.integers(5, 40))
@example("a" * 70, 9)
@example("=?utf-8?q?x?=", 9)
def test_a_header_is_written_as_the_plain_way_and_read_as_by_the_library(text: str, offset: int) -> None:
    text = text.strip(" \t")
    value = phrase(text, offset)
    assert value == folded(list(pieces(text)), offset, "\r\n")
    assert decoded(unfolded(value)) == text
    if "\t" not in text and "=?" not in text:
        assert str(make_header(decode_header(value.decode("utf-8").replace("\r\n", "")))).replace(
            "  ", " "
        ) == text.replace("  ", " ")
    assert all(len(word) <= 75 for word in encoded_words(text))


@given(st.binary(max_size=60).map(lambda data: data.replace(b"\r", b"")), st.booleans())
def test_bounds_between_parts_never_overlap(data: bytes, ended: bool) -> None:
    body = b"\n--b\n".join([data, data, data]) + (b"\n--b--\n" if ended else b"")
    spans = list(between(body, 0, len(body), "b"))
    assert all(0 <= start <= end <= len(body) for start, end in spans)
    assert all(first[1] <= second[0] for first, second in pairwise(spans))


def test_the_same_macro_by_part_and_by_whole(home: Path) -> None:
    Path("one.eml").write_bytes(b"Subject: x\nContent-Type: application/pdf; name=a.pdf\n\nabc")
    assert run('say "{count(attachment)}"', Path("one.eml"), kind="message").files[0].said == ["1"]


#: Headers of messages in many spellings: in one mailbox most are alike, and some only nearly.
HEADERS = [
    "From: Ann Moss <ann@moss.example>", "FROM: Ann Moss <ann@moss.example>", "From:Ann Moss <ann@moss.example>", "From : ann@moss.example",
    "From: Ann\n Moss <ann@moss.example>", "From:\n\tann@moss.example", "From: =?utf-8?q?Ann?= <ann@moss.example>", "From: bea@tarn.example", "From:",
    "Fromage: ann@moss.example", "X-From: ann@moss.example", "Subject: Fwd: Huts", "Subject: Re: Huts\r", "Subject: =?utf-8?b?SHV0cw==?=",
    "Subject:Huts", "Subject: huts", "subject: 12", "To: ann@moss.example, bea@tarn.example", "not a header", "From: one@moss.example\nFrom: two@tarn.example",
]  # fmt: skip
SIEVES = [
    'message.from.address is "ann@moss.example"', 'message.subject is "huts"', 'message.base-subject is "huts"', 'message.from is empty',
    'message.from.domain is "moss.example" and not (message.subject contains "fwd")', 'message.to.count > 1', "message.from.name is who",
    'message.subject starts with "Re" or message.from is "bea@tarn.example"', "message.date > 2020-01-01", "message.id is empty",
]  # fmt: skip
BODIES = [
    'say "{count(message where CONDITION)}"', 'each message where CONDITION\nlog "{message.subject}"\nend',
    'say list(message.subject in message where CONDITION).joined(", ")',
    'each message where CONDITION\nmessage.subject = "{message.subject}!"\nend\nsay "{count(message where CONDITION)}"',
    "each message where CONDITION\ndelete\nend\nsay \"{count(message where CONDITION)}\"",
    'each message where CONDITION\nwho = "Bea"\nmessage.subject = "late"\nend',
]  # fmt: skip


@examples(150)
@given(
    heads=st.lists(st.lists(st.sampled_from(HEADERS), max_size=4), min_size=1, max_size=8),
    condition=st.sampled_from(SIEVES),
    body=st.sampled_from(BODIES),
)
def test_messages_that_are_alike_are_asked_about_once(
    home: Path, tmp_path: Path, monkeypatch: Any, heads: list[list[str]], condition: str, body: str
) -> None:
    path = tmp_path / "all.mbox"
    messages = ["\n".join(["From x Sat May  2 10:00:00 2026", *head, "", "text", "", ""]) for head in heads * 2]
    before = "".join(messages).encode()
    text = 'who = "Ann"\n' + body.replace("CONDITION", condition)

    def outcome() -> tuple[Any, ...]:
        path.write_bytes(before)
        try:
            found = run(text, path).files[0]
        except scrub.ScrubError as problem:
            return (str(problem),)
        changes = [each.as_dict() for each in found.changes]
        return path.read_bytes(), found.said, found.log, found.notes, changes

    quick = outcome()
    with monkeypatch.context() as patched:
        patched.setattr(MessageSeries, "chosen", lambda *_: None)
        assert quick == outcome(), condition
