"""The mailbox of bookings, and a message to pass on: all made up, and the same at any time."""

from __future__ import annotations

import mailbox
import random
from datetime import UTC, datetime, timedelta, timezone
from email.message import EmailMessage
from email.utils import format_datetime
from pathlib import Path

HUTS = ("Larch", "Kite", "Sorrel", "Gannet", "Rowan", "Tarn", "Scree", "Col")
PEOPLE = (
    ("Ann Moss", "moss"), ("Ben Birch", "birch"), ("Clara Alder", "alder"), ("J\u00f6rg Heath", "heath"),
    ("Edda Brook", "brook"), ("Stone, Finn", "stone"), ("Greta Field", "field"), ("Hugo Thorn", "thorn"),
)  # fmt: skip
OFFICE = "Kestrel Ridge Huts <office@huts.example>"
MARKS = ("", "", "", "Fwd: ", "Re: ", "WG: ", "TR: ", "FW: Fwd: ", "Re[2]: ")


def route_card(hut: str) -> bytes:
    """A route card as a PDF of one page (ISO 32000-2), drawn word by word."""
    text = f"BT /F1 24 Tf 60 760 Td ({hut} Hut) Tj 0 -40 Td /F1 12 Tf (Car park to hut: 4 h, 900 m up.) Tj ET"
    objects = [
        "<< /Type /Catalog /Pages 2 0 R >>",
        "<< /Type /Pages /Kids [3 0 R] /Count 1 >>",
        "<< /Type /Page /Parent 2 0 R /MediaBox [0 0 595 842] /Contents 4 0 R "
        "/Resources << /Font << /F1 5 0 R >> >> >>",
        f"<< /Length {len(text)} >>\nstream\n{text}\nendstream",
        "<< /Type /Font /Subtype /Type1 /BaseFont /Helvetica >>",
    ]
    data, places = b"%PDF-1.4\n", []
    for number, each in enumerate(objects, 1):
        places.append(len(data))
        data += f"{number} 0 obj\n{each}\nendobj\n".encode()
    start = len(data)
    table = "".join(f"{place:010} 00000 n \n" for place in places)
    tail = (
        f"xref\n0 {len(objects) + 1}\n0000000000 65535 f \n{table}trailer\n<< /Size {len(objects) + 1} /Root 1 0 R >>"
    )
    return data + f"{tail}\nstartxref\n{start}\n%%EOF\n".encode()


def _message(number: int, chance: random.Random, picture: bytes) -> EmailMessage:
    name, domain = PEOPLE[number % len(PEOPLE)]
    hut = HUTS[number * 3 % len(HUTS)]
    when = datetime(2026, 3, 2, 8, 30, tzinfo=timezone(timedelta(hours=1))) + timedelta(
        days=number * 6, minutes=number * 17
    )
    arrival = when.date() + timedelta(days=40 + number % 9)
    made = EmailMessage()
    made["Received"] = f"from mx.{domain}.example by mail.huts.example; {format_datetime(when)}"
    made["From"] = f'"{name}" <{name.split()[-1].split(",")[0].lower()}@{domain}.example>'
    made["To"] = OFFICE
    kind = number % 5
    topic = {3: f"The path to the {hut} Hut", 4: "Lost: a red cap"}.get(kind, f"Booking for the {hut} Hut")
    made["Subject"] = MARKS[number * 7 % len(MARKS)] + topic
    made["Date"] = format_datetime(when)
    made["Message-ID"] = f"<{number:04}.booking@{domain}.example>"
    guests, nights = chance.randrange(1, 7), chance.randrange(1, 5)
    stay = f"we are {guests} guests and would like to stay {nights} nights, from {arrival}."
    words = {
        3: "is the bridge over the Tarn open again? We would come up with  two children.",
        4: f"I left a red cap in the {hut} Hut. Could you send it on?",
    }.get(kind, f"{stay}\nOne of us is a vegetarian.")
    text = f"Dear office,\n\n{words}\n\nKind regards\n{name}\n"
    made.set_content(text, cte="8bit" if not text.isascii() else "7bit")
    if number % 4 == 1:
        lines = "".join(f"<p>{line}</p>" for line in text.split("\n\n"))
        made.add_alternative(f'<html><body>{lines}<img src="cid:ridge"></body></html>', subtype="html")
        page = made.get_payload()[1]  # type: ignore[index]
        page.add_related(picture, "image", "png", cid="<ridge>", filename="ridge.png", disposition="inline")  # type: ignore[union-attr]
    if kind == 3:
        made.add_attachment(
            route_card(hut), maintype="application", subtype="pdf", filename=f"Route card {hut} Hut.pdf"
        )
    return made


def bookings_by_mail(path: Path, picture: bytes) -> None:
    """A mailbox of thirty-two messages, two of them twice, some seen and some marked."""
    chance = random.Random(21)
    random.seed(21)  # the library takes boundaries between parts from here
    path.unlink(missing_ok=True)
    box = mailbox.mbox(path)
    every = [_message(number, chance, picture) for number in range(30)]
    for number, each in enumerate([*every, every[6], every[11]]):
        stored = mailbox.mboxMessage(each)
        moment = datetime(2026, 3, 2, 7, 30, tzinfo=UTC) + timedelta(days=number * 6)
        stored.set_from(str(each["From"].addresses[0].addr_spec), moment.timetuple())
        stored.set_flags(("RO" if number % 3 else "") + ("F" if number % 8 == 2 else ""))
        box.add(stored)
    box.close()


def water(path: Path, picture: bytes) -> None:
    """A message to pass on, with a picture inside it and a route card attached."""
    random.seed(22)
    made = _message(1, random.Random(22), picture)
    del made["Subject"]
    made["Subject"] = "Fwd: WG: Water at the Larch Hut"
    made.add_attachment(route_card("Larch"), maintype="application", subtype="pdf", filename="Route card Larch Hut.pdf")
    path.write_bytes(made.as_bytes())
