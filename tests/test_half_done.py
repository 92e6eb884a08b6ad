# ruff: noqa: F811 - fixtures of other modules are named in each test
"""What a mail server refuses in the middle of a deed, and what a stop leaves of many errands: each is known, and undone."""

from __future__ import annotations

import imaplib
from collections.abc import Callable
from pathlib import Path
from typing import Any

import pytest
from conftest import Output
from mails import Approving, a_message, mbox
from test_crash import Cut
from test_imap import Server, on_server, pytestmark, server  # noqa: F401 - fixtures
from test_sending import SEND, Post, home_that_stops, post  # noqa: F401

import scrub
from scrub.formats.imap import connection
from scrub.formats.imap.connection import Connection, batches, spoken
from scrub.formats.imap.mailbox import ServerMailbox
from scrub.store.disk import Disk
from scrub.store.outbox import ToNote
from scrub.store.store import Store

BASE = "each message\nmessage.subject = message.base-subject\nend"


def refusing(monkeypatch: pytest.MonkeyPatch, command: str, after: int = 0) -> list[str]:
    """Lets the server say no to a command, once it took so many of them; gives all lines that it was sent."""
    said: list[str] = []
    real = imaplib.IMAP4.uid

    def uid(self: imaplib.IMAP4, word: str, *words: str) -> Any:
        said.append(" ".join((word, *words)))
        if command and sum(each.startswith(command) for each in said) > after and word == command:
            return "NO", [b"[OVERQUOTA] not now"]
        return real(self, word, *words)

    monkeypatch.setattr(imaplib.IMAP4, "uid", uid)
    return said


@pytest.mark.parametrize(
    ("body", "command", "after", "moves"),
    [
        (BASE, "STORE", 0, True),
        (BASE, "EXPUNGE", 0, True),
        ('each message\nmove to: "Old"\nend', "STORE", 0, False),
        ('each message\nmove to: "Old"\nend', "EXPUNGE", 0, False),
        ("each message\ndelete\nend", "EXPUNGE", 0, True),
    ],
)
def test_the_half_that_was_done_is_told_and_can_be_undone(
    server: Server,
    cli: Callable[..., Output],
    monkeypatch: pytest.MonkeyPatch,
    body: str,
    command: str,
    after: int,
    moves: bool,
) -> None:
    server.put(a_message(1, Subject="Fwd: 1"), flags="(\\Seen)")
    server.put(a_message(2, Subject="Fwd: 2"))
    server.put(mailbox="INBOX")
    before = server.all()
    if not moves:
        monkeypatch.setattr(Connection, "moves", False)
    with monkeypatch.context() as patched:
        refusing(patched, command, after)
        result = on_server(body)
    assert result.unsent
    assert all(
        each.startswith("half done: ") and each.endswith("To undo that half: scrub undo 1") for each in result.unsent
    )
    assert "the server refused: [OVERQUOTA] not now" in result.unsent[0]
    assert {note.state for note in scrub.outbox()} == {"half done"}
    assert "half done" in cli("outbox").out
    told = cli("undo")
    assert told.code == 0, told.err
    assert "Not undone" not in told.out
    assert sorted(server.all(), key=repr) == sorted(before, key=repr)
    assert {note.state for note in scrub.outbox()} == {"undone"}


def test_a_refusal_leaves_the_rest_undone_and_undo_begins_where_it_stopped(
    server: Server,
    cli: Callable[..., Output],
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    server.put(*(a_message(n, Subject=f"Fwd: {n}") for n in range(3)))
    before = server.all()
    assert on_server(BASE).unsent == []
    with monkeypatch.context() as patched:
        refusing(patched, "EXPUNGE", 1)
        assert "Not undone" in cli("undo").out
    assert "half done" in {note.state for note in scrub.outbox()}
    again = cli("undo", 1)
    assert again.code == 0, again.err
    assert {note.state for note in scrub.outbox()} == {"undone"}
    assert sorted(str(each) for each in server.subjects()) == ["Fwd: 0", "Fwd: 1", "Fwd: 2"]
    assert len(server.all()) == len(before)


def test_no_line_to_a_server_is_longer_than_the_shortest_limit(
    server: Server,
    cli: Callable[..., Output],
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    server.put(*(a_message(n, Subject=f"Fwd: {n}") for n in range(700)))
    lines = refusing(monkeypatch, "")
    before = server.all()
    result = on_server("n = 0\neach message\nn = n + 1\nif n.remainder(2) is 0\nmessage.flagged = yes\nend\nend")
    assert result.unsent == []
    assert sum("\\Flagged" in flags for flags, _ in server.all()) == 350
    assert any(line.startswith("STORE") for line in lines)
    assert max(map(len, lines)) < 1000
    assert cli("undo").code == 0
    assert server.all() == before
    uids = list(range(1, 90_000, 3))
    assert [uid for part in batches(uids) for uid in part] == uids
    assert max(len(spoken(part)) for part in batches(uids)) <= 800


def test_flags_that_others_set_meanwhile_survive_a_rewrite(
    server: Server,
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    server.put(a_message(1, Subject="Fwd: 1"), flags="(\\Seen $Old)")
    real = ServerMailbox._write

    def meanwhile(self: ServerMailbox) -> Connection:
        if self._writing is None:
            talk = server.talk()
            talk.select("INBOX")
            talk.store("1", "+FLAGS", "(\\Flagged $Work)")
            talk.store("1", "-FLAGS", "($Old)")
            talk.logout()
        return real(self)

    monkeypatch.setattr(ServerMailbox, "_write", meanwhile)
    body = "each message\nmessage.subject = message.base-subject\nmessage.seen = no\nmessage.answered = yes\nend"
    assert on_server(body).unsent == []
    assert [flags for flags, _ in server.all()] == [{"\\Flagged", "$Work", "\\Answered"}]
    assert server.subjects() == ["1"]


@pytest.mark.parametrize("mark", ["%0d%0aA1 LOGOUT", "\r\n", "\n", "%00", "\t", "%C2%85", "%E2%80%A8"])
@pytest.mark.parametrize(
    "address", ["imaps://office{}@mail.huts.example/INBOX", "imaps://office@mail.huts.example/IN{}BOX"]
)
def test_an_address_with_control_characters_is_refused(
    cli: Callable[..., Output], monkeypatch: pytest.MonkeyPatch, address: str, mark: str
) -> None:
    monkeypatch.setattr(connection, "connect", lambda place: pytest.fail("it was connected"))
    told = cli("inside", address.format(mark))
    assert told.code == 1
    assert "an address cannot contain line breaks or other control characters" in told.err


def test_a_stop_among_many_messages_leaves_each_of_them_known(home: Path, post: Post, tmp_path: Path) -> None:
    seen: set[tuple[str, ...]] = set()
    for after in range(200):
        folder = tmp_path / f"f{after}"
        folder.mkdir()
        box = mbox(folder / "b.mbox", *(a_message(n, Subject=f"Fwd: {n}") for n in range(3)))
        post.taken.clear()
        home_, disk = home_that_stops(tmp_path / f"h{after}", after)
        text = f"macro Test\nfor mailbox\neach message\n{SEND}\nend\n"
        ended = False
        try:
            home_.run(text, [str(box)], scrub.RunOptions(Approving()))
            ended = True
        except Cut:
            pass
        disk.tidy()
        store = Store(home_.folder, Disk())
        noted = [note.state for note in reversed(store.outbox.notes())]
        told = store.recover()
        states = [note.state for note in reversed(store.outbox.notes())]
        sent = len(post.taken)
        if "sent" in states or sent:
            assert len(states) == 3  # all were noted before the first one left
        assert states.count("may have been sent") <= 1
        assert states.count("sent") <= sent <= len(states) - states.count("not sent")
        assert len(told) == sum(state in ("waiting", "under way") for state in noted)
        assert store.recover() == []
        kept = [note.path for note in store.outbox.notes() if note.state != "sent"]
        assert all(Path(path).read_bytes() for path in kept)
        seen.add(tuple(states))
        if ended:
            break
    assert ("sent", "sent", "sent") in seen
    assert ("sent", "may have been sent", "not sent") in seen


def test_what_a_living_process_is_sending_is_not_taken_for_interrupted(home: Path) -> None:
    errand = ToNote("a@huts", ("ann@moss.example",), "Wood", b"Subject: Wood\r\n\r\n", "sent")
    here, other = Store(str(home), Disk()), Store(str(home), Disk())
    with here.outbox.busy(7):
        (number,) = here.outbox.note(7, [errand])
        assert other.recover() == []
        here.outbox.begin(number)
        assert other.recover() == []
        assert other.outbox.notes()[0].state == "under way"
    assert "may have been sent" in other.recover()[0]
