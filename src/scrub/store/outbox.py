"""The outbox: what is about to be sent is noted first, and what became of it behind; nothing is ever sent twice."""

from __future__ import annotations

import json
import os
from typing import Any, NamedTuple

from scrub.store.disk import Disk

#: What became of a message: it is being sent, was sent, surely was not, or nobody knows.
SENDING, SENT, NOT_SENT, UNKNOWN = "sending", "sent", "not sent", "may have been sent"


class Note(NamedTuple):
    """One message in the outbox."""

    number: int
    run: int
    state: str
    why: str
    id: str
    recipients: tuple[str, ...]
    subject: str
    path: str = ""  # where its bytes are, of one that was not, or perhaps not, sent


class Outbox:
    """The outbox of one person, in a folder of their home."""

    def __init__(self, home: str, disk: Disk) -> None:
        self._folder, self._disk = os.path.join(home, "outbox"), disk

    def note(self, run: int, id_: str, recipients: tuple[str, ...], subject: str, data: bytes) -> int:
        """Notes a message that is about to be sent, with its bytes; gives its number. It lasts when this returns."""
        self._disk.make_folder(self._folder)
        numbers = [int(name.partition(".")[0]) for name in self._disk.names(self._folder) if name[:1].isdigit()]
        number = max(numbers, default=0) + 1
        while not self._disk.claim_file(self._path(number, "eml"), b""):
            number += 1
        self._disk.write(self._path(number, "eml"), [data])
        self._write({
            "number": number, "run": run, "state": SENDING, "why": "", "id": id_, "recipients": list(recipients),
            "subject": subject,
        })  # fmt: skip
        return number

    def settle(self, number: int, state: str, why: str = "") -> None:
        """Notes what became of a message. The bytes of one that was sent are let go."""
        found = self._read(number)
        self._write({**found, "state": state, "why": why})
        if state == SENT:
            self._disk.remove(self._path(number, "eml"))

    def recover(self) -> list[str]:
        """A sentence for each message of which a stop of the machine left unknown whether it was sent."""
        told = []
        for each in self.notes():
            if each.state == SENDING:
                self.settle(each.number, UNKNOWN, "the machine stopped while it was being sent")
                told.append(
                    f'The message "{each.subject}" to {", ".join(each.recipients)} may have been sent when the last '
                    f"run was cut short. It is not sent again. Look into your mailbox; its text is kept: "
                    f"{self._path(each.number, 'eml')}"
                )
        return told

    def notes(self) -> list[Note]:
        """Every message that was ever noted, the last one first."""
        found = []
        for name in self._disk.names(self._folder):
            if name.endswith(".json"):
                try:
                    data = self._read(int(name.partition(".")[0]))
                    path = "" if data["state"] == SENT else self._path(data["number"], "eml")
                    found.append(Note(**{**data, "recipients": tuple(data["recipients"]), "path": path}))
                except (ValueError, TypeError, KeyError):
                    continue  # damaged, and said of nobody
        return sorted(found, reverse=True)

    def path(self, number: int) -> str:
        """Where the bytes of a message are that was not, or perhaps not, sent."""
        return self._path(number, "eml")

    def _path(self, number: int, ending: str) -> str:
        return os.path.join(self._folder, f"{number}.{ending}")

    def _read(self, number: int) -> dict[str, Any]:
        found: dict[str, Any] = json.loads(self._disk.read(self._path(number, "json")))
        return found

    def _write(self, data: dict[str, Any]) -> None:
        path = self._path(data["number"], "json")
        self._disk.write(path + ".new", [json.dumps(data, ensure_ascii=False).encode()])
        self._disk.rename(path + ".new", path)
        self._disk.sync_folder(self._folder)
