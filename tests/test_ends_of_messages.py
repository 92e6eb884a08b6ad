"""The empty line between two messages of a mailbox is not a space to trim."""

from __future__ import annotations

import mailbox
import re
from pathlib import Path

import pytest
from conftest import examples
from hypothesis import given
from hypothesis import strategies as st
from mails import run

import scrub

BODIES = ["  hello  \n\n", "bye\n", "\n", "", "a\n \n\t\n\n", "=?x\n>From here\n", "last line without an end"]
#: What is done to texts, and may leave nothing of them.
EDITS = [
    "trim", "single-spaces", 'each message\nmessage.text = "x"\nend', 'each message\nmessage.text = ""\nend', 'each message\nmessage.text = message.text.trimmed\nend',
    'replace-matching "\\s+", by: ""', 'replace "bye", by: ""', 'each message\nmessage.text = "x{newline}{newline}"\nend',
]  # fmt: skip


def box(path: Path, bodies: list[str], line_end: str, part: str = "") -> Path:
    text = ""
    for number, body in enumerate(bodies, 1):
        head = f"From a@b Sat May  2 10:00:00 2026\nFrom: ann@huts.example\nSubject: Note {number}\n{part}\n"
        text += head + body + ("" if not body or body.endswith("\n") else "\n") + "\n"
    path.write_bytes(text.replace("\n", line_end).encode())
    return path


@given(st.lists(st.sampled_from(BODIES), min_size=2, max_size=4), st.sampled_from(EDITS), st.sampled_from(["\n", "\r\n"]), st.sampled_from(["", "Content-Type: text/plain\nContent-Transfer-Encoding: base64\n"]))  # fmt: skip
@examples(60)
def test_messages_stay_parted_by_an_empty_line(
    home: Path, tmp_path: Path, bodies: list[str], edit: str, line_end: str, part: str
) -> None:
    import base64

    if part:
        bodies = [base64.b64encode(each.encode()).decode() + "\n" for each in bodies]
    path = box(tmp_path / "two.mbox", bodies, line_end, part)
    run(edit, path)
    after = path.read_bytes()
    starts = [found.start() for found in re.finditer(rb"^From a@b", after, re.MULTILINE)]
    assert len(starts) == len(bodies) == len(mailbox.mbox(str(path)))
    ends = line_end.encode()
    assert all(after[:at].endswith(ends + ends) for at in starts[1:])
    assert after.endswith(ends)
    run(edit, path)
    assert path.read_bytes() == after  # done twice it is as done once


@pytest.mark.parametrize("line_end", ["\n", "\r\n"])
def test_trimmed_once_is_trimmed(home: Path, line_end: str) -> None:
    path = box(Path("two.mbox"), BODIES[:2], line_end)
    before = path.read_bytes()
    run("trim", path)
    assert path.read_bytes() == before.replace(b"  hello  ", b"hello").replace(
        b"hello" + line_end.encode() * 3, b"hello" + line_end.encode() * 2
    )
    scrub.undo()
    assert path.read_bytes() == before
