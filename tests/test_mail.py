"""Messages and mailboxes: only what is asked for changes, and other readers see just that."""

from __future__ import annotations

import email
import mailbox
import re
from collections.abc import Callable
from email import policy
from email.message import EmailMessage
from pathlib import Path

import pytest
from conftest import Output, examples
from hypothesis import example, given
from hypothesis import strategies as st
from mails import SHAPES, a_message, maildir, mbox, run, seen, stored, subject

import scrub
from scrub.formats.mail.addresses import addresses_in, all_addresses
from scrub.formats.mail.dates import any_date, date_in
from scrub.formats.mail.headers import Headers
from scrub.model.mail.subjects import base_subject

CLEAN = "message.subject = message.base-subject"
EACH = f"each message\n{CLEAN}\nend"


def common(one: bytes, other: bytes) -> int:
    """How many bytes both begin with."""
    return next((at for at, (a, b) in enumerate(zip(one, other, strict=False)) if a != b), min(len(one), len(other)))


# -- headers


@pytest.mark.parametrize("shape", SHAPES)
@pytest.mark.parametrize("new", ["Water", "H\u00fctte am Grat \u2603", "A long subject of many words that must be folded, " * 3 + "end", ""])  # fmt: skip
def test_a_subject_is_set_and_no_other_byte_changes(home: Path, shape: str, new: str) -> None:
    before = SHAPES[shape]
    path = Path("one.eml")
    path.write_bytes(before)
    result = run(f'message.subject = "{new}"', path, kind="message")
    after = path.read_bytes()
    assert subject(after.replace(b"Subject :", b"Subject:").replace(b"\nHello, this is no header", b"\n\n")) == new
    spaced = before.replace(b"Subject :", b"Subject:"), after.replace(b"Subject :", b"Subject:")
    assert seen(spaced[1]) == seen(spaced[0])
    start = common(before, after)
    end = common(before[start:][::-1], after[start:][::-1])
    cut = before[start : len(before) - end].replace(b"\r\n", b"\n")
    assert b"\n\n" not in cut
    assert not [line for line in cut.split(b"\n")[1:] if line and line[:1] not in b" \t"], cut  # of one field alone
    assert all(len(line) <= 78 for line in after[start : len(after) - end].split(b"\n"))
    scrub.undo(result.number)
    assert path.read_bytes() == before


@pytest.mark.parametrize("shape", SHAPES)
def test_a_subject_there_and_back_leaves_no_trace(home: Path, shape: str) -> None:
    Path("one.eml").write_bytes(SHAPES[shape])
    body = 'old = message.subject\nmessage.subject = "other"\nmessage.subject = old'
    assert run(body, Path("one.eml"), kind="message").files[0].state == "unchanged"


@pytest.mark.parametrize(("shape", "wanted"), [
    ("plain", "Water at Larch"), ("crlf", "Water"), ("encoded", "H\u00fctte am Grat"), ("split", "Gr\u00fc\u00dfe"),
    ("8-bit latin-1", "H\u00fctte"), ("a broken word", "G and =?nothing?q?x?="), ("capitals", "Water"),
])  # fmt: skip
def test_marks_go(home: Path, shape: str, wanted: str) -> None:
    Path("one.eml").write_bytes(SHAPES[shape])
    result = run(f'{CLEAN}\nsay "{{message.subject}}"', Path("one.eml"), kind="message")
    assert result.files[0].said == [wanted]


@pytest.mark.parametrize(("subject_", "base"), [
    ("Fwd: Re: Water", "Water"), ("Re[2]: x", "x"), ("RE^3: x", "x"), ("Re (2): x", "x"), ("[Fwd: Water]", "Water"),
    ("Water (fwd)", "Water"), ("Re:", "Re:"), ("AW: WG: TR: R\u00c9F: RV: x", "x"), ("\u56de\u590d\uff1a\u6c34", "\u6c34"),
    ("Booking: Larch", "Booking: Larch"), ("  two  ", "  two  "), ("Are: x", "Are: x"), ("Re : x", "x"),
    ("[Huts] Re: [Huts] Water", "[Huts] Water"), ("Re: [Huts] Re: Water", "[Huts] Water"), ("Antwoord: x", "Antwoord: x"),
    ("Reply: x", "Reply: x"), ("Re: (2 beds)", "(2 beds)"), ("Re: Re: Re: Re: Re: Fwd: x", "x"),
])  # fmt: skip
def test_what_a_base_subject_is(subject_: str, base: str) -> None:
    assert base_subject(subject_) == base
    assert base_subject(base_subject(subject_)) == base


def test_marks_of_one_s_own(home: Path, cli: object) -> None:
    path = mbox(Path("b.mbox"), a_message(Subject="Antwoord: Doorgest: Water"))
    assert run(EACH, path).files[0].state == "unchanged"
    scrub.home().settings.set("subject-prefixes", "Antwoord, Doorgest:")
    run(EACH, path)
    assert stored(path)[0]["subject"] == "Water"


#: Headers as they come: names that begin alike, folds, spaces, line ends.
NAMES = st.sampled_from(["Subject", "SUBJECT", "subject", "Subject-Old", "Sub", "X-Subject", "From", "To", "Subject "])
VALUES = st.text(alphabet="abc :=?\u00fc\t", max_size=12).map(lambda text: text.encode())
FIELDS = st.lists(st.tuples(NAMES, VALUES, st.sampled_from([b"", b"\n folded", b"\n\tSubject: x"])), max_size=5)


@given(FIELDS, st.sampled_from([b"\n", b"\r\n"]), st.booleans())
def test_a_header_is_found_by_search_as_by_the_grammar(
    fields: list[tuple[str, bytes, bytes]], end: bytes, ended: bool
) -> None:
    data = end.join(name.encode() + b":" + value + fold.replace(b"\n", end) for name, value, fold in fields)
    headers = Headers(data + (end if ended and fields else b""))
    for name in ("Subject", "from", "TO", "Sub", "Nothing"):
        assert headers.find(name) == headers.find_plainly(name)
        raw = headers.raw(name)
        assert (raw is None) == (not headers.find_plainly(name))


MAILBOX = st.from_regex(r"[a-z]{1,4}(\.[a-z]{1,3})?@[a-z]{1,4}\.example", fullmatch=True)
PERSON = st.sampled_from(
    ["", "Ann Moss", '"Moss, Ann"', "=?utf-8?q?J=C3=BCrg?= Moss", "O'Neil", "(note) Ann", "Ann (note)"]
)


@given(st.lists(st.tuples(PERSON, MAILBOX, st.booleans()), max_size=3))
def test_addresses_are_read_as_by_the_library(people: list[tuple[str, str, bool]]) -> None:
    text = ", ".join(f"{name} <{address}>" if name or angled else address for name, address, angled in people)
    found = [(each.name, each.mailbox) for each in addresses_in(text)]
    assert found == [(each.name, each.mailbox) for each in all_addresses(text)]
    assert [mailbox_ for _, mailbox_ in found] == [address for _, address, _ in people]


@given(
    st.sampled_from(["", "Sat, ", "Sun, "]), st.integers(1, 31), st.sampled_from(["Jan", "may", "DEC", "Foo"]),
    st.integers(1990, 2040), st.integers(0, 25), st.integers(0, 59), st.sampled_from(["", ":07", ":60"]),
    st.sampled_from(["+0000", "-0500", "+0530", "GMT", "", "+0200 (CEST)", "-0000"]),
)  # fmt: skip
def test_dates_are_read_as_by_the_library(
    week: str, day: int, month: str, year: int, hour: int, minute: int, second: str, zone: str
) -> None:
    text = f"{week}{day} {month} {year} {hour:02}:{minute:02}{second} {zone}".strip()
    short, plain = date_in(text), any_date(text)
    if second != ":60" and not zone.startswith("-0000"):  # a leap second is the last one; an unknown zone is UTC to us
        assert short == plain


def test_addresses_are_set_and_read(home: Path) -> None:
    path = Path("one.eml")
    path.write_bytes(SHAPES["plain"])
    body = (
        'message.to = "Ben <ben@birch.example>"\nmessage.cc = ["a@b.example", "J\u00fcrg, der Wirt <j@moss.example>"]\n'
        'message.reply-to = message.from\nsay "{message.from.name}|{message.from.address}|{message.from.domain}"\n'
        'if message.from is "ANN@moss.example"\nsay "same"\nend\nif message.cc contains "j@moss.example"\nsay "in"\nend'
    )
    result = run(body, path, kind="message")
    assert result.files[0].said == ["Ann Moss|ann@moss.example|moss.example", "same", "in"]
    found = email.message_from_bytes(path.read_bytes(), policy=policy.default)
    assert str(found["to"]) == "Ben <ben@birch.example>"
    assert [each.addr_spec for each in found["cc"].addresses] == ["a@b.example", "j@moss.example"]
    assert found["cc"].addresses[1].display_name == "J\u00fcrg, der Wirt"
    assert found["reply-to"] == found["from"]
    for value in ("nobody", "a@b.example, c@d.example", "a@b.example{newline}Bcc: x@y.example"):
        with pytest.raises(scrub.Failure, match="is not an address"):
            run(f'message.to = "{value}"', path, kind="message")


def test_a_line_break_never_enters_a_header(home: Path) -> None:
    path = Path("one.eml")
    path.write_bytes(SHAPES["plain"])
    for mark in ("\\n", "\\r", "\\x0b", "\\u2028"):
        Path("list.csv").write_bytes(f'What\n"a{mark.encode().decode("unicode_escape")}Bcc: x@y.example"\n'.encode())
        body = 'list = open("list.csv").sheet("list").column("What").values\nmessage.subject = list.first'
        with pytest.raises(scrub.Failure, match="a line break"):
            run(body, path, kind="message")
    assert path.read_bytes() == SHAPES["plain"]


def test_two_subjects_are_left(home: Path) -> None:
    path = Path("one.eml")
    path.write_bytes(b"Subject: Fwd: one\nSubject: Fwd: two\nFrom: a@b.example\n\nx\n")
    with pytest.raises(scrub.Failure, match='has 2 headers "Subject"'):
        run(CLEAN, path, kind="message")


# -- mailboxes

TEXTS = st.text(alphabet="aF>\u00fc \n.", max_size=30)
LETTERS = st.lists(st.tuples(st.sampled_from(["", "Fwd: ", "WG: ", "Re: Fwd: "]), st.text(alphabet="ab \u00fc", min_size=1, max_size=8), TEXTS, st.booleans()), max_size=6)  # fmt: skip


@examples(40)
@given(LETTERS, st.sets(st.integers(0, 5)), st.sets(st.integers(0, 5)), st.booleans())
@example([("Fwd: ", "a", "From x\n>From y\n\nFrom z", True)] * 3, {1}, {2}, True)
def test_a_mailbox_changes_in_what_is_asked_alone(
    home: Path, letters: list[tuple[str, str, str, bool]], gone: set[int], marked: set[int], crlf: bool
) -> None:
    box = Path("b.mbox")
    box.unlink(missing_ok=True)
    mbox(
        box,
        *(
            a_message(number, f"{text}\nFrom here\n", Subject=(mark + said).strip() or "x")
            for number, (mark, said, text, _) in enumerate(letters)
        ),
    )
    if crlf:
        box.write_bytes(box.read_bytes().replace(b"\n", b"\r\n"))
    before, old = stored(box), box.read_bytes()
    chosen = [number + 1 for number in gone if number < len(letters)]
    flags = [number + 1 for number in marked if number < len(letters)]
    body = EACH + "".join(f"\nmessage({n}).flagged = yes\nmessage({n}).seen = yes" for n in flags)
    body += "".join(f"\nin message({n})\ndelete\nend" for n in chosen)
    result = run(body, box)
    after = stored(box)
    kept = [number for number in range(len(letters)) if number + 1 not in chosen]
    assert len(after) == len(kept)
    for number, now in zip(kept, after, strict=True):
        was = before[number]
        assert now.get_payload() == was.get_payload()
        assert str(email.header.make_header(email.header.decode_header(now["subject"]))) == base_subject(
            str(email.header.make_header(email.header.decode_header(was["subject"])))
        )
        same = [(name, value) for name, value in was.items() if name.lower() not in ("subject", "status", "x-status")]
        assert [(n, v) for n, v in now.items() if n.lower() not in ("subject", "status", "x-status")] == same
        assert set(now.get_flags()) == (
            set(was.get_flags()) | set("RF") if number + 1 in flags else set(was.get_flags())
        )
        assert now.get_from() == was.get_from()
    if result.number is not None and result.files[0].state == "changed":
        scrub.undo(result.number)
    assert box.read_bytes() == old


WORDS = "From me\n>From you\nx\n"


def unquoted(text: str) -> str:
    return re.sub("(?m)^>(>*From )", r"\1", text)


@pytest.mark.parametrize("target", ["new.mbox", "there.mbox", "crlf.mbox", "unended.mbox", "dir"])
@pytest.mark.parametrize("source", ["mbox", "maildir"])
def test_a_message_goes_into_another_mailbox_as_it_is(home: Path, source: str, target: str) -> None:
    messages = [a_message(n, WORDS, Subject=f"Fwd: {n}") for n in range(3)]
    messages[1].add_attachment(b"%PDF", maintype="application", subtype="pdf", filename="a.pdf")
    box = (mbox if source == "mbox" else maildir)(Path("from.mbox" if source == "mbox" else "from"), *messages)
    there = mbox(Path("there.mbox"), a_message(9, Subject="there"))
    Path("crlf.mbox").write_bytes(there.read_bytes().replace(b"\n", b"\r\n"))
    Path("unended.mbox").write_bytes(there.read_bytes().rstrip(b"\n"))
    maildir(Path("dir"), a_message(9, Subject="there"))
    files = {path: path.read_bytes() for path in sorted(Path().rglob("*")) if path.is_file()}
    body = (
        f'each message where message.subject is not "Fwd: 0"\nmessage.flagged = yes\n{CLEAN}\nmove to: "{target}"\nend'
    )
    result = run(body, box)
    read = mailbox.Maildir(Path(target)) if target == "dir" else mailbox.mbox(target)
    found = {str(each["subject"]): each for each in read}
    assert sorted(found) == sorted(["1", "2", *([] if target == "new.mbox" else ["there"])])
    for name in ("1", "2"):
        assert "F" in found[name].get_flags()
        again = email.message_from_bytes(found[name].as_bytes(), policy=policy.default)
        assert isinstance(again, EmailMessage)
        said = again.get_body()
        assert said is not None
        text = said.get_content().replace("\r\n", "\n")
        if target == "dir":  # the library quotes one line of the two only, so that they cannot be determined apart
            assert text.startswith("From me\nFrom you\nx\n" if source == "mbox" else WORDS)
        else:
            assert (text if source == "mbox" else unquoted(text)).startswith(">" * (source == "mbox") + WORDS)
    left = mailbox.Maildir(box) if source == "maildir" else mailbox.mbox(box)
    assert [each["subject"] for each in left] == ["Fwd: 0"]
    scrub.undo(result.number)
    assert {path: path.read_bytes() for path in sorted(Path().rglob("*")) if path.is_file()} == files


def test_there_and_back_between_a_file_and_a_folder_is_the_same_message(home: Path) -> None:
    data = b"Subject: x\nFrom: a@b.example\n\nFrom me\n>From you\n>>From all\n"
    folder, box = maildir(Path("dir"), data), Path("b.mbox")
    run('each message\nmove to: "b.mbox"\nend', folder)
    assert b"\n>From me\n>>From you\n>>>From all\n" in box.read_bytes()
    run('each message\nsay "{message.text}"\nmove to: "dir"\nend', box)
    (path,) = (each for each in folder.rglob("*") if each.is_file())
    assert path.read_bytes() == data
    assert box.read_bytes() == b""


def test_flags_of_a_folder_are_in_its_names(home: Path) -> None:
    folder = maildir(Path("dir"), a_message(1), a_message(2))
    before = {path.name: path.read_bytes() for path in folder.rglob("*") if path.is_file()}
    result = run("each message\nmessage.seen = yes\nmessage.answered = yes\nend", folder)
    assert [each.get_flags() for each in mailbox.Maildir(folder)] == ["RS", "RS"]
    assert [each.get_subdir() for each in mailbox.Maildir(folder)] == ["cur", "cur"]
    assert run('say "{count(message where message.seen)}"', folder).files[0].said == ["2"]
    scrub.undo(result.number)
    assert {path.name: path.read_bytes() for path in folder.rglob("*") if path.is_file()} == before


def test_doubles_go(home: Path) -> None:
    other = a_message(1, "Another text\n")
    box = mbox(Path("b.mbox"), a_message(1), a_message(2), a_message(1, Subject="Fwd: Water"), other, a_message(2))
    result = run("delete-duplicates", box)
    assert [each["message-id"] for each in stored(box)] == ["<1@moss.example>", "<2@moss.example>", "<1@moss.example>"]
    assert len(result.files[0].changes) == 2


@pytest.mark.parametrize(("data", "what"), [
    (b"Subject: x\n\nno mailbox\n", 'does not start with "From "'),
    (b"From a Sat May  2 10:00:00 2026\nSubject: x\n\nHello\nFrom b Sat May  2 10:00:00 2026\n\n", "line 5 starts with"),
    (b"From a Sat May  2 10:00:00 2026\nSubject: x\n\nHello\n\nFrom here we walk\n", "line 6 starts with"),
])  # fmt: skip
def test_what_may_be_two_things_is_refused(home: Path, data: bytes, what: str) -> None:
    Path("b.mbox").write_bytes(data)
    with pytest.raises(scrub.FileProblem, match=what):
        run(EACH, Path("b.mbox"))
    assert Path("b.mbox").read_bytes() == data


def test_what_parts_messages_is_found_wherever_blocks_end(home: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    from scrub.formats.mail import mbox as module

    box = mbox(Path("b.mbox"), *(a_message(n, "x" * n + "\n") for n in range(30)))
    wanted = [(each["message-id"], each.get_payload()) for each in stored(box)]
    for block in (7, 64, 301, 4096):
        monkeypatch.setattr(module, "_BLOCK", block)
        found = run('each message\nlog "{message.id}|{message.text}"\nend', box, preview=True).files[0].log
        assert found == [f"{id_}|{text}" for id_, text in wanted]


def test_a_mailbox_that_a_mail_program_holds_or_fills_is_left(home: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    box = mbox(Path("b.mbox"), a_message(1, Subject="Fwd: x"))
    before = box.read_bytes()
    Path("b.mbox.lock").write_bytes(b"4711")
    result = scrub.run(f"macro Test\nfor mailbox\n{EACH}\n", ["b.mbox"])
    assert "a mail program is using it" in str(result.files[0].problem)
    Path("b.mbox.lock").unlink()
    monkeypatch.setenv("MAIL", str(box.absolute()))
    with pytest.raises(scrub.FileProblem, match="new mail arrives in this file"):
        run(EACH, box)
    monkeypatch.delenv("MAIL")
    body = f'{EACH}\nsay "{{message(1).id}}"'

    class Filling(scrub.QuietHost):
        def say(self, text: str) -> None:
            with box.open("ab") as stream:
                stream.write(b"From a Sat May  2 10:00:00 2026\nSubject: new\n\nx\n\n")

    result = scrub.run(f"macro Test\nfor mailbox\n{body}\n", ["b.mbox"], host=Filling())
    assert "another program" in str(result.files[0].problem)
    assert box.read_bytes().startswith(before)
    assert len(stored(box)) == 2
    assert not Path("b.mbox.lock").exists()


# -- at the command line


@pytest.fixture
def box(home: Path) -> Path:
    made = [a_message(n, Subject=f"Fwd: Booking {n}" if n % 2 else f"Re: Path {n}") for n in range(1, 7)]
    made[4].replace_header("From", "Ben Birch <ben@birch.example>")
    found = [mailbox.mboxMessage(each) for each in made]
    found[1].set_flags("RF")
    return mbox(Path("b.mbox"), *found)


@pytest.mark.parametrize(("place", "numbers"), [
    ("message 3", [3]), ("messages 2-4", [2, 3, 4]), ('subject "booking"', [1, 3, 5]), ('from "birch"', [5]), ("flagged", [2]),
    ("unseen", [1, 3, 4, 5, 6]), ('from "birch", message 1, flagged', [1, 2, 5]), ("Messages 5\u20136", [5, 6]),
])  # fmt: skip
def test_messages_are_picked(box: Path, place: str, numbers: list[int]) -> None:
    body = f"if selection.picked\neach message in selection\n{CLEAN}\nend\nend"
    result = run(body, box, at=place)
    assert [change.place.split(",")[0] for change in result.files[0].changes] == [
        f"message {number}" for number in numbers
    ]
    assert run("in selection\nsingle-spaces\nend", box, at=place).files[0].state == "unchanged"


@pytest.mark.parametrize(("place", "what"), [
    ("message 9", "no message 9: b.mbox has 6"), ('subject "wood"', "no such message"), ("paragraph 1", "not a place in a mailbox"),
])  # fmt: skip
def test_what_cannot_be_picked_is_told(box: Path, place: str, what: str) -> None:
    with pytest.raises(scrub.Failure, match=what):
        run(f"each message in selection\n{CLEAN}\nend", box, at=place)


def test_a_mailbox_at_the_command_line(box: Path, cli: Callable[..., Output]) -> None:
    Path("clean.scrub").write_text(f"macro Clean\nfor mailbox\n{EACH}\n")
    before = box.read_bytes()
    told = cli("inside", box)
    assert "mailbox: 6 messages from 2 senders" in told.out
    assert "5 unread; from 2026-05-02 to 2026-05-02" in told.out
    preview = cli("run", "clean.scrub", box, "--preview")
    assert 'message 1, Ann Moss   subject: "Fwd: Booking 1" -> "Booking 1"' in preview.out
    assert "Would change b.mbox: 6 changes on 6 messages." in preview.out
    assert box.read_bytes() == before
    assert "Saved b.mbox: 6 changes on 6 messages." in cli("run", "clean.scrub", box).out
    assert "6 changes" in cli("history").out
    assert 'subject: "Re: Path 2" -> "Path 2"' in cli("changes").out
    assert cli("undo").code == 0
    assert box.read_bytes() == before
    Path("draft.scrub").write_text('macro Draft\nfor mailbox\nin message(1)\nx = forward(to: "a@b.example")\nend\n')
    assert "Would create drafts/Fwd- Booking 1.eml" in cli("run", "draft.scrub", box, "--preview").out
    refused = cli("run", "draft.scrub", box)
    assert (refused.code, "needs your approval: it writes drafts of messages" in refused.err) == (3, True)
    shown = cli("inside", maildir(Path("dir"), a_message(1)))
    assert "dir  mailbox: 1 message from 1 sender" in shown.out
    Path("one.eml").write_bytes(SHAPES["parts"])
    alone = cli("inside", "one.eml")
    assert "one.eml  message: 1 attachment" in alone.out
    assert "From a@b.example to nobody, no date\nSubject: Fwd: Water\nGr\u00fc\u00dfe to all" in alone.out


def test_what_a_file_alone_cannot_keep_is_said_before(home: Path) -> None:
    path = Path("one.eml")
    path.write_bytes(SHAPES["plain"])
    for body, word in (("message.seen = yes", "seen"), ("delete", "delete"), ('move to: "x.mbox"', "move")):
        with pytest.raises(scrub.Failure, match=f'cannot store "{word}" of a message'):
            run(f"{CLEAN}\n{body}", path, kind="message")
    assert path.read_bytes() == SHAPES["plain"]
    with pytest.raises(scrub.Failure, match="a mailbox cannot store"):
        run("save-copy", maildir(Path("dir"), a_message(1)))


def test_steps_are_tried_on_a_mailbox(box: Path) -> None:
    before = box.read_bytes()
    trial = scrub.trial(str(box), scrub.QuietHost())
    assert len(trial.step(EACH).changes) == 6
    assert len(trial.step("message(2).flagged = no").changes) == 1
    trial.back()
    assert trial.steps == [EACH]
    assert box.read_bytes() == before
    trial.write("Tried", scrub.QuietHost())
    assert [each["subject"] for each in stored(box)][:2] == ["Booking 1", "Path 2"]
