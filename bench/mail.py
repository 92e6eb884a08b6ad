"""Mailboxes for the benchmark, macros for them, and the scripts one would write with the standard library."""

from __future__ import annotations

import base64
import random
from pathlib import Path

CLEAN_MACRO = """macro Clean the subjects
for mailbox
each message
    message.subject = message.base-subject
end
"""
CLEAN = """
import mailbox, re, sys
box = mailbox.mbox(sys.argv[1])
box.lock()
for key, message in box.items():
    subject = re.sub(r"^((re|fwd?|wg|aw)\\s*:\\s*)+", "", message["Subject"], flags=re.I)
    if subject != message["Subject"]:
        message.replace_header("Subject", subject)
        box[key] = message
box.flush()
box.close()
"""
COUNT_MACRO = """macro Count by sender
for mailbox
say "{count(message where message.from.address is "ann.moss@moss.example")}"
"""
COUNT = """
import email.utils, mailbox, sys
found = 0
for message in mailbox.mbox(sys.argv[1]):
    found += email.utils.parseaddr(message["From"])[1] == "ann.moss@moss.example"
print(found)
"""
FILE_MACRO = """macro File by sender
for mailbox
each message
    if message.from.domain is "moss.example"
        move to: "filed/moss.mbox"
    else if message.from.domain is "birch.example"
        move to: "filed/birch.mbox"
    else if message.from.domain is "alder.example"
        move to: "filed/alder.mbox"
    end
end
"""
FILE = """
import email.utils, mailbox, os, sys
folder = os.path.join(os.path.dirname(sys.argv[1]), "filed")
os.makedirs(folder, exist_ok=True)
box = mailbox.mbox(sys.argv[1])
box.lock()
others = {}
for key, message in box.items():
    name = email.utils.parseaddr(message["From"])[1].partition("@")[2].partition(".")[0]
    if name in ("moss", "birch", "alder"):
        if name not in others:
            others[name] = mailbox.mbox(os.path.join(folder, name + ".mbox"))
        others[name].add(message)
        box.remove(key)
for other in others.values():
    other.close()
box.flush()
box.close()
"""
SAVE_MACRO = """macro Save the attachments
for mailbox
each attachment
    save to: "filed"
end
"""
SAVE = """
import mailbox, os, sys
folder = os.path.join(os.path.dirname(sys.argv[1]), "filed")
os.makedirs(folder, exist_ok=True)
for message in mailbox.mbox(sys.argv[1]):
    for part in message.walk():
        if part.get_filename():
            with open(os.path.join(folder, part.get_filename()), "wb") as stream:
                stream.write(part.get_payload(decode=True))
"""

FIRST = "Ann Ben Clara Dario Edda Finn Greta Hugo".split()
LAST = "Moss Birch Alder Heath Brook Stone".split()


def mailbox_of(path: Path, count: int) -> Path:
    """A mailbox of that many messages, some 5 KB each; half of them have a mark, every tenth a card attached."""
    if path.exists():
        return path
    chance = random.Random(5)
    text = "".join(f"we would like to book the hut and bring our own food, line {line}\n" for line in range(54))
    card = base64.encodebytes(bytes(range(256)) * 12).decode()
    with path.open("w") as stream:
        for number in range(count):
            first, last = chance.choice(FIRST), chance.choice(LAST)
            mark = chance.choice(("", "Fwd: ", "Re: ", "WG: Fwd: ")) if number % 2 else ""
            stream.write(
                f"From office@huts.example Sat May  2 10:{number // 60 % 60:02}:{number % 60:02} 2026\n"
                "Return-Path: <office@huts.example>\n"
                "Received: from mx.huts.example by office.huts.example; Sat, 2 May 2026 10:00:00 +0200\n"
                f"From: {first} {last} <{first.lower()}.{last.lower()}@{last.lower()}.example>\n"
                "To: Kestrel Ridge Huts <office@huts.example>\n"
                f"Subject: {mark}Booking {number} for the Larch Hut\n"
                f"Date: Sat, 2 May 2026 10:00:00 +0200\nMessage-ID: <{number}@huts.example>\nMIME-Version: 1.0\n"
            )
            if number % 10:
                stream.write(f"Content-Type: text/plain; charset=utf-8\n\n{text}\n")
            else:
                stream.write(
                    f'Content-Type: multipart/mixed; boundary="=b"\n\n--=b\nContent-Type: text/plain\n\n{text}\n--=b\n'
                    "Content-Type: application/pdf\nContent-Transfer-Encoding: base64\n"
                    f'Content-Disposition: attachment; filename="card {number}.pdf"\n\n{card}--=b--\n\n'
                )
    return path
