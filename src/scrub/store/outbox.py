"""The outbox: what is sent, or done on a server, is noted before and after; nothing is ever done twice."""

from __future__ import annotations

import contextlib
import json
import os
from collections.abc import Iterable, Iterator, Sequence
from typing import Any, NamedTuple

from scrub.store.disk import Disk

#: What becomes of an errand: it waits for those before it, is under way, was done, certainly was not, was begun and not
#: ended, or nobody knows.
WAITING, UNDER_WAY, DONE, NOT_DONE = "waiting", "under way", "{done}", "not {done}"
HALF_DONE, UNKNOWN = "half {done}", "may have been {done}"
#: What becomes of it when the run is undone.
UNDOING, TAKEN_BACK, PERHAPS_TAKEN_BACK = "being undone", "undone", "may have been undone"
#: States in which a living process leaves no errand.
_OPEN = (WAITING, UNDER_WAY, UNDOING)
#: One thing to do on a server, as the format that does it writes it down.
Order = dict[str, object]


class ToNote(NamedTuple):
    """An errand, as it is noted before anything leaves; see `Note`."""

    id: str
    recipients: tuple[str, ...]
    subject: str
    data: bytes
    done: str


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
    back: tuple[Order, ...] = ()  # what undoes it there
    path: str = ""  # where its bytes are, of one that was not, or perhaps not, sent

    @property
    def can_be_undone(self) -> bool:
        """Whether it was done on a server, or begun there, and what undoes it is known."""
        return bool(self.back) and self.state in (self.done, HALF_DONE.format(done=self.done))


class Outbox:
    """The outbox of one person, in a folder of their home."""

    def __init__(self, home: str, disk: Disk) -> None:
        self._folder, self._disk = os.path.join(home, "outbox"), disk

    @contextlib.contextmanager
    def busy(self, run: int) -> Iterator[None]:
        """For the time in which a run does its errands, or they are undone: until then, and while the process lives, no
        other takes them for interrupted.
        """
        self._disk.make_folder(self._folder)
        with self._disk.locked(self._lock(run)):
            yield
        with contextlib.suppress(OSError):  # somebody looks whether it is held; recovery removes it
            self._disk.remove(self._lock(run))

    def note(self, run: int, errands: Iterable[ToNote]) -> list[int]:
        """Notes all that a run is about to send or to do on servers, with the bytes; gives their numbers. They last
        when this returns.
        """
        self._disk.make_folder(self._folder)
        stems = [name.partition(".")[0] for name in self._disk.names(self._folder)]
        number = max((int(stem) for stem in stems if stem.isdecimal()), default=0)
        result = []
        for errand in errands:
            number += 1
            while not self._disk.claim_file(self._path(number, "eml"), b""):
                number += 1
            result.append(number)
            self._disk.write(self._path(number, "eml"), [errand.data])
            self._write({
                "number": number, "run": run, "state": WAITING, "why": "", "id": errand.id,
                "recipients": list(errand.recipients), "subject": errand.subject, "done": errand.done,
                "kept": bool(errand.data),
            })  # fmt: skip
        return result

    def begin(self, number: int) -> None:
        """Notes that an errand is now done: from here on, a stop of the machine leaves open whether it was."""
        self._put(number, UNDER_WAY)

    def settle(self, number: int, state: str, why: str = "", back: Sequence[Order] = (), address: str = "") -> None:
        """Notes what became of an errand, and how to undo it."""
        self._put(number, state, why=why, back=list(back), address=address)

    def undoing(self, number: int, left: Sequence[Order]) -> None:
        """Notes that an errand is now undone, and what is still to undo of it."""
        fresh = self._disk.claim_file(self._path(number, "eml"), b"")  # by which `recover` finds it
        self._put(number, UNDOING, back=list(left), **({"kept": False} if fresh else {}))

    def settle_back(self, number: int, state: str, left: Sequence[Order] = ()) -> None:
        """Notes how far an errand was undone, and what is still to undo of it."""
        self._put(number, state, back=list(left))

    def _put(self, number: int, state: str, **more: object) -> None:
        """Notes the state of an errand. The bytes of one that was done, or undone, are let go."""
        found = {**self._read(number), **more}
        found["state"] = state.format(done=found["done"])
        self._write(found)
        over = found["state"] in (found["done"], TAKEN_BACK)
        if over or not (found["kept"] or found["state"] in _OPEN):
            self._disk.remove(self._path(number, "eml"))

    def recover(self) -> list[str]:
        """A sentence for each message or deed that a stop of the machine left open; those of a run that is still at it
        are passed by.
        """
        told = []
        alive: dict[int, bool] = {}
        for note in reversed(self._notes(".eml")):  # the bytes of one that was done are gone
            if note.state not in _OPEN:
                continue
            if note.run not in alive:
                alive[note.run] = self._disk.exists(self._lock(note.run)) and self._disk.is_locked(self._lock(note.run))
            if alive[note.run]:
                continue
            kept = f". Message: {note.path}" if note.path else ""
            what = f'The message "{note.subject}" to {", ".join(note.recipients)}' if note.recipients else note.subject
            if note.state == WAITING:
                self.settle(note.number, NOT_DONE, "the run was interrupted before")
                told.append(f"{what}: not {note.done}; the run was interrupted before{kept}")
            elif note.state == UNDER_WAY:
                self.settle(note.number, UNKNOWN, "the run was interrupted at this step")
                told.append(
                    f"{what}: may have been {note.done} when the run was interrupted. Scrub does not repeat it. "
                    f"Check your mailbox{kept}"
                )
            else:
                self.settle_back(note.number, PERHAPS_TAKEN_BACK)
                told.append(f"{what}: may have been undone when `scrub undo` was interrupted. Check your mailbox")
        for run in (run for run, lives in alive.items() if not lives):
            self._disk.remove(self._lock(run))
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
        return [note for note in self.notes() if note.run == run and note.can_be_undone]

    def path(self, number: int) -> str:
        """Where the bytes of a message are that was not, or perhaps not, sent."""
        return self._path(number, "eml")

    def _lock(self, run: int) -> str:
        return os.path.join(self._folder, f"run-{run}.lock")

    def _path(self, number: int, ending: str) -> str:
        return os.path.join(self._folder, f"{number}.{ending}")

    def _read(self, number: int) -> dict[str, Any]:
        result: dict[str, object] = json.loads(self._disk.read(self._path(number, "json")))
        return result

    def _write(self, data: dict[str, Any]) -> None:
        path = self._path(data["number"], "json")
        self._disk.write(path + ".new", [json.dumps(data).encode()])
        self._disk.rename(path + ".new", path)
        self._disk.sync_folder(self._folder)
