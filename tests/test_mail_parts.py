"""Texts of messages, what is attached to them, drafts, and what comes in broken."""

from __future__ import annotations

import csv
import email
import mailbox
from email import policy
from email.message import EmailMessage
from pathlib import Path

import openpyxl
import pytest
from conftest import macro
from mails import SHAPES, Approving, a_message, maildir, mbox, run, stored
from test_crash import Cut, CutDisk

import scrub
from scrub.store.disk import Disk
from scrub.store.store import Store

PDF = bytes(range(256)) * 300
#: Names that senders chose, and what a file may be called then.
NAMES = {
    "card.pdf": "card.pdf", "../../x.txt": "-..-x.txt", "..\\up.txt": "-up.txt", "/etc/passwd": "-etc-passwd",
    ".bashrc": "bashrc", "C:\\a.exe": "C-a.exe", "a\u202egpj.exe": "agpj.exe", "NUL.txt": "NUL.txt-", "": "attachment.pdf",
    "Gr\u00fc\u00dfe \u2603.pdf": "Gr\u00fc\u00dfe \u2603.pdf", "a\x00b.txt": "a-b.txt", "x" * 300 + ".pdf": "x" * 196 + ".pdf",
}  # fmt: skip


def read(path: Path) -> EmailMessage:
    found = email.message_from_bytes(path.read_bytes(), policy=policy.default)
    assert isinstance(found, EmailMessage)
    return found


def with_files(*names: str, subject: str = "Water") -> EmailMessage:
    made = a_message(Subject=subject)
    for name in names:
        made.add_attachment(PDF, maintype="application", subtype="pdf", filename=name)
    return made


# -- texts


@pytest.mark.parametrize(("encoding", "charset"), [
    ("7bit", "us-ascii"),  # the library writes it for plain characters alone
    *((encoding, charset) for encoding in ("8bit", "quoted-printable", "base64") for charset in ("us-ascii", "utf-8", "iso-8859-1")),
])  # fmt: skip
@pytest.mark.parametrize("inside", [False, True])
@pytest.mark.parametrize("box", [False, True])
def test_a_text_is_edited_in_its_own_writing(home: Path, encoding: str, charset: str, inside: bool, box: bool) -> None:
    made = EmailMessage()
    made["Subject"] = "Two  blanks"
    made.set_content("6  kg of flour\nFrom here\n", charset=charset, cte=encoding)
    if inside:
        made.add_attachment(PDF, maintype="application", subtype="pdf", filename="card.pdf")
    path = mbox(Path("b.mbox"), made) if box else Path("one.eml")
    if not box:
        path.write_bytes(made.as_bytes())
    before = path.read_bytes()
    result = run(
        'single-spaces\nreplace "flour", by: "Gr\u00fc\u00dfe \u2603"', path, kind="mailbox" if box else "message"
    )
    found = email.message_from_bytes(stored(path)[0].as_bytes(), policy=policy.default) if box else read(path)
    assert isinstance(found, EmailMessage)
    body = found.get_body()
    assert body is not None
    assert body.get_content().replace("\n>From", "\nFrom") == "6 kg of Gr\u00fc\u00dfe \u2603\nFrom here\n"
    assert found["subject"] == "Two blanks"
    assert [each.get_content() for each in found.iter_attachments()] == [PDF] * inside
    scrub.undo(result.number)
    assert path.read_bytes() == before


def test_a_text_that_cannot_change_alone_is_left_and_told(home: Path) -> None:
    twice = a_message(Subject="a  b", text="6  kg\n")
    twice.add_alternative("<p>6  kg</p>", subtype="html")
    signed = a_message(Subject="signed")
    signed.set_type("text/plain")
    data = (
        b"Subject: signed\nContent-Type: multipart/signed; boundary=b; protocol=x\n\n--b\n\n6  kg\n--b\n"
        b"Content-Type: application/pgp-signature\n\nx\n--b--\n"
    )
    page = EmailMessage()
    page.set_content("<html><body><p>6  kg</p><p>of &amp; flour</p></body></html>", subtype="html")
    unknown = b"Subject: x\nContent-Type: text/plain; charset=martian\n\n6  \xff kg\n"
    path = mbox(Path("b.mbox"), twice, data, page, unknown)
    texts = [each.as_bytes().partition(b"\n\n")[2] for each in stored(path)]
    result = run("single-spaces", path)
    assert [each.as_bytes().partition(b"\n\n")[2] for each in stored(path)] == texts
    assert stored(path)[0]["subject"] == "a b"
    assert [line.partition(": ")[2] for line in result.files[0].log] == [
        "it has two versions, plain text and HTML, and only one would change",
        "it is signed, and a change would break that",
        "its text has an unknown encoding",
    ]
    assert run('say "{message(3).text}"', path, preview=True).files[0].said == ["6 kg\n\nof & flour"]
    with pytest.raises(scrub.Failure, match="HTML, which would lose its formatting"):
        run('message(3).text = "x"', path)


# -- attachments


def test_attachments_are_saved_under_safe_names(home: Path) -> None:
    names = [*NAMES, "card.pdf"]
    box = mbox(Path("b.mbox"), *(with_files("x", subject=str(number)) for number in range(len(names))))
    data = box.read_bytes()
    for name in names:
        reader = EmailMessage()
        reader.add_header("Content-Disposition", "attachment", filename=name)
        value = "attachment" if not name else reader.as_bytes().partition(b": ")[2].strip().decode("ascii")
        data = data.replace(b'attachment; filename="x"', value.replace("\n ", " ").encode(), 1)
    box.write_bytes(data)
    Path("cards").mkdir()
    Path("cards/card.pdf").write_bytes(b"mine")
    result = run('each attachment where not attachment.inline\nsave to: "cards"\nend', box)
    saved = {path.name: path.read_bytes() for path in Path("cards").iterdir()}
    assert saved.pop("card.pdf") == b"mine"
    wanted = {name for name in NAMES.values() if name != "card.pdf"} | {"card (2).pdf", "card (3).pdf"}
    assert set(saved) == wanted
    assert set(saved.values()) == {PDF}
    assert box.read_bytes() == data
    scrub.undo(result.number)
    assert [path.name for path in Path("cards").iterdir()] == ["card.pdf"]


def test_attachments_are_taken_out_with_a_line_in_their_place(home: Path) -> None:
    box = mbox(Path("b.mbox"), with_files("card.pdf", "list.pdf"), with_files("other.pdf"))
    before = box.read_bytes()
    body = (
        'each message\neach attachment where attachment.name is "card.pdf" or attachment.size > 1 KB\ndelete\nend\nend'
    )
    told, by_message = (
        run(lines, box).files[0].log
        for lines in (
            "each attachment\nlog message.subject\nend",
            "each message\neach attachment\nlog message.subject\nend\nend",
        )
    )
    assert told == by_message != []
    result = run('each attachment where attachment.name is not "list.pdf"\ndelete\nend\nsay "{count(attachment)}"', box)
    assert result.files[0].said == ["3"]  # what was removed is gone with the end of the macro
    first, second = (email.message_from_bytes(each.as_bytes(), policy=policy.default) for each in stored(box))
    assert [each.get_content_type() for each in first.walk()][1:] == ["text/plain", "text/plain", "application/pdf"]
    assert str(list(first.walk())[2].get_payload()).startswith("[The attachment card.pdf (76.8 KB) was taken out on ")
    assert [each.get_content_type() for each in second.walk()][1:] == ["text/plain", "text/plain"]
    scrub.undo(result.number)
    assert box.read_bytes() == before
    run(body, box)
    assert b"application/pdf" not in box.read_bytes()


def test_an_attached_message_is_saved_whole(home: Path) -> None:
    inner = a_message(2, Subject="inside")
    outer = a_message(1)
    outer.add_attachment(inner)
    box = mbox(Path("b.mbox"), outer)
    run('each attachment\nsave name: "inner.eml"\nend', box)
    assert read(Path("inner.eml"))["subject"] == "inside"


# -- drafts

FORWARD = 'draft = forward(to: "Ben <ben@birch.example>")\ndraft.subject = message.base-subject'


@pytest.mark.parametrize("shape", SHAPES)
def test_a_message_is_passed_on_to_the_byte_and_without_what_it_went_through(home: Path, shape: str) -> None:
    more = b"Received: from a by b\nBcc: secret@x.example\nDKIM-Signature: v=1\nResent-To: x@y.example\nReturn-Path: <a@b>\n"
    path = Path("one.eml")
    end = b"\r\n" if b"\r\n" in SHAPES[shape] else b"\n"
    path.write_bytes(more.replace(b"\n", end) + SHAPES[shape])
    run(FORWARD, path, kind="message")
    (made,) = Path("drafts").iterdir()
    was, now = read(path), read(made)
    assert now["to"] == "Ben <ben@birch.example>"
    assert set(map(str.lower, now.keys())) <= {"to", "subject", "date", "message-id", "mime-version", "content-type"}
    if shape not in ("no empty line", "blanks before the colon"):
        assert now["subject"] == scrub.open(str(path)).item.base_subject
        start = path.read_bytes().find(end + end)
        body = path.read_bytes()[start + 2 * len(end) :] if start >= 0 else b""
        assert made.read_bytes().partition(end + end)[2] == body
        assert [each.get_payload() for each in now.walk() if not each.is_multipart()] == [
            each.get_payload() for each in was.walk() if not each.is_multipart()
        ]


def test_a_text_goes_on_top_of_both_texts(home: Path) -> None:
    made = a_message(text="6 kg\n")
    made.add_alternative("<html><BODY class='a'><p>6 kg</p></body></html>", subtype="html")
    made.add_attachment(PDF, maintype="application", subtype="pdf", filename="card.pdf")
    box = mbox(Path("b.mbox"), made, with_files("only.pdf"))
    run('each message\ndraft = forward(to: ["a@b.example", "c@d.example"], text: "F\u00fcr <dich>")\nend', box)
    first = read(Path("drafts/Water.eml"))
    plain, page = first.get_body(("plain",)), first.get_body(("html",))
    assert plain is not None
    assert page is not None
    assert plain.get_content() == "F\u00fcr <dich>\n\n6 kg\n"
    assert "<BODY class='a'><p>F\u00fcr &lt;dich&gt;</p><p>6 kg</p>" in page.get_content()
    assert [each.get_content() for each in first.iter_attachments()] == [PDF]
    assert str(first["to"]) == "a@b.example, c@d.example"


def test_an_answer_belongs_to_what_it_answers(home: Path) -> None:
    long = " ".join(f"<{number}.of.a.long.thread@moss.example>" for number in range(9))
    path = Path("one.eml")
    path.write_bytes(a_message(7, Subject="Re: Water", References=long, Reply_To="desk@moss.example").as_bytes())
    scrub.home().settings.set("address", "Kestrel Ridge Huts <office@huts.example>")
    Path("card.pdf").write_bytes(PDF)
    body = 'answer = reply(text: "Thank you.")\nin answer\nattach "card.pdf"\nattach "card.pdf"\nsave-draft to: "later"\nend'
    result = run(body, path, kind="message")
    (made,) = Path("later").iterdir()
    found = read(made)
    assert found["to"] == "desk@moss.example"
    assert found["from"] == "Kestrel Ridge Huts <office@huts.example>"
    assert found["subject"] == "Re: Water"
    assert found["in-reply-to"] == "<7@moss.example>"
    assert str(found["references"]).split() == [*long.split(), "<7@moss.example>"]
    text = found.get_body()
    assert text is not None
    assert text.get_content() == "Thank you.\n"
    assert [each.get_payload(decode=True) for each in found.walk() if each.get_filename()] == [PDF, PDF]
    assert found["message-id"].endswith("@huts.example>")
    scrub.undo(result.number)
    assert not Path("later").exists()


def test_a_round_letter_to_the_records_of_a_table(home: Path) -> None:
    Path("guests.csv").write_text("Guest,Mail,Card\nAnn,ann@moss.example,a.pdf\nBen,ben@birch.example,b.pdf\n")
    for name in "ab":
        Path(f"{name}.pdf").write_bytes(name.encode())
    body = (
        'each record\nletter = new-message(to: record.mail, subject: "Your booking, {record.guest}", text: "Dear {record.guest}")\n'
        "in letter\nattach record.card\nend\nend"
    )
    result = run(body, Path("guests.csv"), kind="workbook")
    made = {path.name: read(path) for path in Path("drafts").iterdir()}
    assert sorted(made) == ["Your booking, Ann.eml", "Your booking, Ben.eml"]
    assert [each.get_content() for each in made["Your booking, Ben.eml"].iter_attachments()] == [b"b"]
    scrub.undo(result.number)
    assert not Path("drafts").exists()
    Path("guests.csv").write_text("Guest,Mail,Card\nAnn,nobody,a.pdf\n")
    with pytest.raises(scrub.Failure, match='"nobody" is not an address'):
        run(body, Path("guests.csv"), kind="workbook")
    assert not Path("drafts").exists()


def test_a_table_is_made_of_the_messages(home: Path) -> None:
    box = mbox(Path("b.mbox"), *(a_message(n, f"We are {n} guests.\n", Subject=f"Booking {n}") for n in range(3)))
    body = (
        'list = new-file("bookings.csv")\nbook = new-file("bookings.xlsx", to: "out")\n'
        'each message where message.subject contains "booking"\nguests = message.text.between("are ", end: " guests").as-number\n'
        'in list.sheet("bookings")\nadd-row [message.date, message.from.address, guests]\nend\n'
        'in book.sheet("bookings")\nadd-row [message.date, message.from.address, guests]\nend\nend'
    )
    result = run(body, box)
    rows = list(csv.reader(Path("bookings.csv").read_text().splitlines()))
    assert [row[1:] for row in rows] == [["ann@moss.example", str(n)] for n in range(3)]
    sheet = openpyxl.load_workbook("out/bookings.xlsx")["bookings"]
    assert [row[2] for row in sheet.iter_rows(values_only=True)] == [0, 1, 2]
    scrub.undo(result.number)
    assert not Path("bookings.csv").exists()
    assert not Path("out").exists()
    with pytest.raises(scrub.Failure, match=r"New files end in .xlsx"):
        run('list = new-file("a.docx")', box)


# -- killed


@pytest.mark.parametrize("target", ["to.mbox", "there.mbox", "dir"])
def test_a_message_is_in_one_place_whenever_the_machine_stops(home: Path, target: str, tmp_path: Path) -> None:
    text = macro('each message where message.subject is "go"\nmove to: "../T"\nend'.replace("../T", target), "mailbox")

    def places(folder: Path) -> list[str]:
        box = list(mailbox.mbox(folder / "b.mbox", create=False))
        other = folder / target
        if other.is_dir():
            box += list(mailbox.Maildir(other))  # type: ignore[arg-type]
        elif other.exists():
            box += list(mailbox.mbox(other))
        return sorted(str(each["message-id"]) for each in box)

    for after in range(200):
        folder = tmp_path / f"f{after}"
        folder.mkdir()
        mbox(folder / "b.mbox", a_message(1, Subject="stay"), a_message(2, Subject="go"), a_message(3, Subject="go"))
        mbox(folder / "there.mbox", a_message(9))
        maildir(folder / "dir")
        wanted = places(folder)
        home_ = scrub.home()
        home_.folder = str(tmp_path / f"h{after}")
        disk = CutDisk(after)
        home_.store = Store(home_.folder, disk)
        options = scrub.RunOptions(Approving())
        try:
            home_.run(text, [str(folder / "b.mbox")], options)
        except Cut:
            disk.tidy()
            Store(home_.folder, Disk()).recover()
            assert places(folder) == wanted, after
            assert not list(folder.rglob("*.lock")), after
            continue
        disk.tidy()
        assert places(folder) == wanted
        return
    raise AssertionError("the run never came to its end")


# -- what comes in broken

BAD = {
    "nul bytes": b"\0\0\0\0", "empty": b"", "words": b"Dear office,\n\nhello\n", "blanks": b"\n\n\n",
}  # fmt: skip


@pytest.mark.parametrize("data", BAD.values(), ids=BAD)
def test_what_is_no_message_is_refused(home: Path, data: bytes) -> None:
    Path("one.eml").write_bytes(data)
    with pytest.raises(scrub.FileProblem, match="not a message"):
        run('message.subject = "x"', Path("one.eml"), kind="message")
    assert Path("one.eml").read_bytes() == data


def nested(depth: int) -> bytes:
    data = b"Content-Type: text/plain\n\ninside\n"
    for number in range(depth):
        data = b'Content-Type: multipart/mixed; boundary="b%d"\n\n--b%d\n%s\n--b%d--\n' % (number, number, data, number)
    return b"Subject: Fwd: x\n" + data


ODD = {
    "cut inside a part": SHAPES["parts"][:-60].replace(b"  to", b" to"),
    "no boundary": b"Subject: Fwd: x\nContent-Type: multipart/mixed\n\n--b\n\nhello\n",
    "a boundary that never comes": b'Subject: Fwd: x\nContent-Type: multipart/mixed; boundary="zz"\n\nhello\n',
    "1,000 nested parts": nested(1000),
    "unknown charset": b"Subject: Fwd: x\nContent-Type: text/plain; charset=martian\n\n6  \xffkg\n",
    "broken base64": b"Subject: Fwd: x\nContent-Type: text/plain\nContent-Transfer-Encoding: base64\n\n!!!a\xffGVsbG8gd29ybGQ\n",
    "base64 cut": b"Subject: Fwd: x\nContent-Type: application/pdf; name=a.pdf\nContent-Transfer-Encoding: base64\n\naGVsbG8gd\n",
    "broken quoted-printable": b"Subject: Fwd: x\nContent-Type: text/plain\nContent-Transfer-Encoding: quoted-printable\n\n6 =\xff=Z kg=\n",
    "a header of 10 MB": b"Subject: Fwd: x\nX-Long: " + b"a" * 10_000_000 + b"\n\nhello\n",
    "10,000 headers": b"Subject: Fwd: x\n" + b"".join(b"X-%d: y\n" % number for number in range(10_000)) + b"\nhello\n",
    "nul in the text": b"Subject: Fwd: x\n\nhe\0llo\n",
    "lone carriage returns": b"Subject: Fwd: x\rFrom: y\n\nhello\rworld\n",
    "odd types": b"Subject: Fwd: x\nContent-Type: ;;;\nContent-Disposition: =?\n\nhello\n",
    "a date that is none": b"Subject: Fwd: x\nDate: someday\nFrom: <<>>\nTo: ,,;:\n\nhello\n",
}  # fmt: skip


@pytest.mark.parametrize("data", ODD.values(), ids=ODD)
def test_what_is_broken_is_read_as_far_as_it_goes_and_never_harmed(home: Path, data: bytes) -> None:
    path = Path("one.eml")
    path.write_bytes(data)
    body = (
        'x = "{message.text.length} {message.date} {message.from} {message.to} {message.size}"\nsingle-spaces\n'
        'each attachment\ny = "{attachment.name} {attachment.type} {attachment.size} {attachment.inline}"\nsave to: "out"\nend\n'
        f"{FORWARD}\nmessage.subject = message.base-subject"
    )
    result = run(body, path, kind="message")

    def rest(data: bytes) -> list[bytes]:
        return [line for line in data.split(b"\n") if not line.startswith((b"Subject:", b"6 "))]

    assert rest(path.read_bytes()) == rest(data)
    scrub.undo(result.number)
    assert path.read_bytes() == data
    box = Path("b.mbox")
    box.write_bytes(b"From a Sat May  2 10:00:00 2026\n" + data)
    assert run("each message\nmessage.subject = message.base-subject\nend", box).files[0].problem is None
