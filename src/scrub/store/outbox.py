"""The outbox: what is sent, or done on a server, is noted before and after; nothing is ever done twice."""

from __future__ import annotations

import json
import os
from collections.abc import Sequence
from typing import Any, NamedTuple

from scrub.store.disk import Disk

#: What became of an errand: it is under way, was done, certainly was not, nobody knows, or it was undone.
UNDER_WAY, DONE, NOT_DONE, UNKNOWN = "under way", "{done}", "not {done}", "may have been {done}"
TAKEN_BACK = "undone"


class Note(NamedTuple):
    """One message, or deed on a server, in the outbox."""

    number: int
    run: int
    state: str
    why: str
    id: str
    recipients: tuple[str, ...]
    subject: str
    done: str = "sent"  # the word for what became of it
    address: str = ""  # the server on which it was done
    back: tuple[dict[str, Any], ...] = ()  # what undoes it there
    path: str = ""  # where its bytes are, of one that was not, or perhaps not, sent


class Outbox:
    """The outbox of one person, in a folder of their home."""

    def __init__(self, home: str, disk: Disk) -> None:
        self._folder, self._disk = os.path.join(home, "outbox"), disk

    def note(self, run: int, id_: str, recipients: tuple[str, ...], subject: str, data: bytes, done: str) -> int:
        """Notes a message that is about to be sent, with its bytes; gives its number. It lasts when this returns."""
        self._disk.make_folder(self._folder)
        stems = [name.partition(".")[0] for name in self._disk.names(self._folder)]
        numbers = [int(stem) for stem in stems if stem.isdecimal()]
        number = max(numbers, default=0) + 1
        while not self._disk.claim_file(self._path(number, "eml"), b""):
            number += 1
        self._disk.write(self._path(number, "eml"), [data])
        self._write({
            "number": number, "run": run, "state": UNDER_WAY, "why": "", "id": id_, "recipients": list(recipients),
            "subject": subject, "done": done, "kept": bool(data),
        })  # fmt: skip
        return number

    def settle(
        self, number: int, state: str, why: str = "", back: Sequence[dict[str, Any]] = (), address: str = ""
    ) -> None:
        """Notes what became of an errand, and how to undo it. The bytes of one that was done are let go."""
        found = self._read(number)
        more = {"back": list(back), "address": address}
        self._write({**found, **more, "state": state.format(done=found["done"]), "why": why})
        if state == DONE or not found["kept"]:
            self._disk.remove(self._path(number, "eml"))

    def recover(self) -> list[str]:
        """A sentence for each message of which a stop of the machine left unknown whether it was sent."""
        told = []
        for each in self._notes(".eml"):  # the bytes of one that was done are gone
            if each.state == UNDER_WAY:
                self.settle(each.number, UNKNOWN, "the computer stopped during sending")
                what = (
                    f'The message "{each.subject}" to {", ".join(each.recipients)}' if each.recipients else each.subject
                )
                kept = f"; message: {each.path}" if each.path else ""
                told.append(
                    f"{what} may have been {each.done} when the last run was interrupted. Scrub does not repeat it. "
                    f"Check your mailbox{kept}"
                )
        return told

    def notes(self) -> list[Note]:
        """Every message that was ever noted, the last one first."""
        return self._notes(".json")

    def _notes(self, ending: str) -> list[Note]:
        """The notes that have a file with this ending."""
        found = []
        for name in self._disk.names(self._folder):
            stem = name.partition(".")[0]
            if name == f"{stem}{ending}" and stem.isdecimal():
                try:
                    data = self._read(int(stem))
                    gone = not data.pop("kept") or data["state"] == data["done"]
                    path = "" if gone else self._path(data["number"], "eml")
                    lists = {"recipients": tuple(data["recipients"]), "back": tuple(data.get("back", ()))}
                    found.append(Note(**{**data, **lists, "path": path}))
                except (ValueError, TypeError, KeyError, OSError):
                    continue  # damaged, and said of nobody
        return sorted(found, reverse=True)

    def keep(self, number: int, data: bytes) -> str:
        """Keeps bytes by which an errand can be undone; gives their name."""
        name = f"{number}-{sum(each.startswith(f'{number}-') for each in self._disk.names(self._folder)) + 1}.eml"
        self._disk.write(os.path.join(self._folder, name), [data])
        return name

    def kept(self, name: str) -> bytes:
        """The bytes that were kept under a name."""
        return self._disk.read(os.path.join(self._folder, os.path.basename(name)))

    def to_take_back(self, run: int) -> list[Note]:
        """What a run did on servers that can be undone, the last first."""
        return [each for each in self.notes() if each.run == run and each.back and each.state == each.done]

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
        self._disk.write(path + ".new", [json.dumps(data).encode()])
        self._disk.rename(path + ".new", path)
        self._disk.sync_folder(self._folder)
