"""Small records of a person's, each one readable JSON file: settings, pins, approvals, use."""

from __future__ import annotations

import contextlib
import json
import os
from collections.abc import Iterable, Iterator, Mapping
from datetime import datetime
from types import MappingProxyType
from typing import Any

from scrub.library.text import held, write_text
from scrub.model.core.charsets import charset_known
from scrub.model.core.named import NamedTuple
from scrub.model.core.problem import BadCall, FileProblem, did_you_mean
from scrub.model.core.values import fold
from scrub.store.disk import only_files, private_folder


class JsonFile:
    """One JSON file with an object in it; missing, it is empty."""

    def __init__(self, path: str) -> None:
        self.path = path

    def load(self) -> dict[str, Any]:
        """What it contains. Raises `FileProblem` when it is damaged; it is never overwritten then."""
        result = self._read()
        wrong = self.wrong(result)
        if wrong:
            raise FileProblem(self.path, f"the file is damaged: {wrong}. Correct it or delete it")
        return result

    def wrong(self, found: dict[str, object]) -> str:
        """What in it cannot be; an empty text for nothing."""
        return ""

    def _read(self) -> dict[str, object]:
        try:
            with open(self.path, encoding="utf-8", opener=only_files) as stream:
                result = json.load(stream)
        except (FileNotFoundError, NotADirectoryError):
            return {}
        except (ValueError, OSError) as error:
            raise FileProblem(self.path, f"the file is damaged ({error}). Correct it or delete it") from None
        if not isinstance(result, dict):
            raise FileProblem(self.path, "the file is damaged: no object found. Correct it or delete it")
        return result

    def save(self, value: dict[str, object]) -> None:
        """Rewrites it, whole or not at all."""
        private_folder(os.path.dirname(self.path))
        write_text(self.path, json.dumps(value, ensure_ascii=False, indent=1))

    @contextlib.contextmanager
    def changing(self, mending: bool = False) -> Iterator[dict[str, Any]]:
        """What it contains, to be changed: nobody else changes it in the meantime, and it is written after. With
        `mending`, what cannot be may be in it.
        """
        with held(os.path.dirname(self.path)):
            found = self._read() if mending else self.load()
            before = json.dumps(found)
            yield found
            if json.dumps(found) != before:
                self.save(found)


class Setting(NamedTuple):
    """One setting: what it is for, and the values it takes (none: any text)."""

    doc: str
    values: tuple[str, ...] = ()


SETTINGS = {
    "date-order": Setting("order of day, month and year in dates", ("day-first", "month-first", "year-first")),
    "decimal-mark": Setting("decimal separator of numbers in text", ("point", "comma")),
    "encoding": Setting("encoding of .csv and text files that are not UTF-8, such as windows-1252"),
    "author": Setting("author name for tracked changes; default: Scrub"),
    "address": Setting("sender of messages, such as Ann Moss <ann@huts.example>"),
    "subject-prefixes": Setting("further prefixes that base-subject removes, such as Doorgest, Antwoord"),
    "mail-server": Setting("mail server: smtps://office@mail.huts.example, or smtp://… for STARTTLS"),
    "max-sent": Setting("maximum messages sent by an unattended run; default: 20"),
    "max-elements": Setting("maximum elements in one part of an office file"),
    "max-minutes": Setting("maximum minutes per file; default: 10"),
    "max-gigabytes": Setting("maximum file size in GB; default: 10"),
    "max-memory": Setting("memory in MB above which changes wait on disk until they are saved; default: 256"),
    "terminal": Setting("terminal that the file manager opens, such as xterm or kitty -e; default: the desktop's own"),
    "editor": Setting("editor for `scrub edit`; default: $VISUAL or $EDITOR"),
    "keep-undo": Setting("days until undo data expires; default: 90"),
    "keep-undo-mb": Setting("maximum size of undo data in MB; default: 1000"),
    "bar-after": Setting("seconds before the progress bar appears; default: 1"),
    "name": Setting("name of this library"),
}


#: What settings that are numbers count.
_COUNTED = {
    "keep-undo": "days", "keep-undo-mb": "MB", "max-sent": "messages", "max-elements": "elements",
    "max-minutes": "minutes", "max-gigabytes": "GB", "max-memory": "MB", "bar-after": "seconds",
}  # fmt: skip


class Settings(JsonFile):
    """What a person has set."""

    def wrong(self, found: dict[str, object]) -> str:
        """What no setting can be."""
        if not _are_texts(found.get("libraries", [])):
            return '"libraries" is a list of folders'
        every = (_refused(name, value) for name, value in found.items() if name in SETTINGS)
        return next((each for each in every if each), "")

    def set(self, name: str, value: str | None) -> None:
        """Sets one, or with None forgets it. Raises `BadCall` for an unknown name or value."""
        if name not in SETTINGS:
            raise BadCall(f'no setting "{name}".{did_you_mean(name, SETTINGS)} List them: scrub settings')
        wrong = _refused(name, value) if value is not None else ""
        if wrong:
            raise BadCall(wrong)
        with self.changing(mending=True) as found:
            found.pop(name, None)
            if value is not None:
                found[name] = value


def _refused(name: str, value: object) -> str:
    """Why a setting cannot have a value; an empty text where it can."""
    values = SETTINGS[name].values
    if not isinstance(value, str):
        return f'"{name}" is text, not {json.dumps(value)}'
    if values and value not in values:
        return f'"{name}" is one of: {", ".join(values)}; not "{value}"'
    if name in _COUNTED and not (value.isascii() and value.isdecimal() and (int(value) > 0 or name == "bar-after")):
        return f'"{name}" is a number of {_COUNTED[name]}, not "{value}"'
    if name == "encoding":
        if not charset_known(value):
            return f'unknown encoding "{value}". Examples: windows-1252, shift-jis'
    return ""


def _are_pairs_of_texts(values: object) -> bool:
    return isinstance(values, dict) and all(isinstance(value, str) for value in values.values())


def _are_texts(values: object) -> bool:
    return isinstance(values, list) and all(isinstance(value, str) for value in values)


class Pin(NamedTuple):
    """A short key for a macro used every day."""

    key: str
    title: str
    label: str
    #: Whether it is in the menu of the file manager, and whether that shows what would change first.
    in_files: bool = False
    asks: bool = True
    #: The text that was pinned there, with all that it runs: another one does not run from there.
    fingerprint: str = ""
    #: The programs that open its files, which were written down so that they go on doing so: media types and entries.
    defaults: Mapping[str, str] = MappingProxyType({})

    def as_dict(self) -> dict[str, object]:
        """The pin as it is kept."""
        kept = {**self._asdict(), "defaults": dict(self.defaults)}
        return kept if self.in_files else {name: kept[name] for name in ("key", "title", "label")}


class Pins(JsonFile):
    """Pinned macros, in the person's order."""

    def wrong(self, found: dict[str, object]) -> str:
        """What is not a key of a macro."""
        pins = found.get("pins", [])
        fine = isinstance(pins, list) and all(
            isinstance(pin, dict)
            and _are_texts([pin.get("key"), pin.get("title"), pin.get("label", ""), pin.get("fingerprint", "")])
            for pin in pins
        )
        if fine and isinstance(pins, list) and not all(_are_pairs_of_texts(pin.get("defaults", {})) for pin in pins):
            return '"defaults" of a key is an object of texts'
        return "" if fine else "a key has no title"

    def all(self) -> list[Pin]:
        """The pins in order."""
        return [
            Pin(
                each["key"],
                each["title"],
                each.get("label", ""),
                each.get("in_files") is True,
                each.get("asks") is not False,
                each.get("fingerprint", ""),
                each.get("defaults", {}),
            )
            for each in self.load().get("pins", [])
        ]

    def find(self, key: str) -> Pin | None:
        """The pin with this key."""
        return next((pin for pin in self.all() if fold(pin.key) == fold(key)), None)

    def pin(self, title: str, key: str, reserved: Iterable[str], label: str = "", place: int | None = None) -> None:
        """Gives a macro a key. Raises `BadCall` when the key is taken, or is a command's name.

        `place` counts from 1; left out, a new pin goes last and an old one stays where it is.
        """
        if not key or any(letter.isspace() for letter in key) or key.startswith("-"):
            raise BadCall(f'"{key}" cannot be a key. Use one word that does not start with a hyphen')
        if key in reserved:
            raise BadCall(f'"{key}" is a command, so it cannot be a key')
        with held(os.path.dirname(self.path)):
            self._pin(title, key, label, place)

    def _pin(self, title: str, key: str, label: str, place: int | None) -> None:
        pins = self.all()
        holder = next((pin for pin in pins if fold(pin.key) == fold(key)), None)
        if holder is not None and fold(holder.title) != fold(title):
            raise BadCall(f'the key "{key}" is used by "{holder.title}". Free it: scrub pin "{holder.title}" --remove')
        old = next((number for number, pin in enumerate(pins) if fold(pin.title) == fold(title)), len(pins))
        label = label or (pins[old].label if old < len(pins) else "")
        pins = [pin for pin in pins if fold(pin.title) != fold(title)]
        before = self.all()[old] if old < len(self.all()) else Pin(key, title, label)
        pins.insert(old if place is None else max(0, place - 1), before._replace(key=key, title=title, label=label))
        self._keep(pins)

    def replace(self, pin: Pin) -> None:
        """Keeps something else of the pin with this key."""
        with held(os.path.dirname(self.path)):
            self._keep([pin if fold(each.key) == fold(pin.key) else each for each in self.all()])

    def unpin(self, title: str) -> bool:
        """Takes the key of a macro away; False when it had none."""
        with held(os.path.dirname(self.path)):
            return self._unpin(title)

    def _unpin(self, title: str) -> bool:
        pins = self.all()
        left = [pin for pin in pins if fold(pin.title) != fold(title)]
        if len(left) < len(pins):
            self._keep(left)
        return len(left) < len(pins)

    def renamed(self, old: str, new: str) -> None:
        """Lets a key follow its macro to a new title."""
        with held(os.path.dirname(self.path)):
            self._keep([pin._replace(title=new) if fold(pin.title) == fold(old) else pin for pin in self.all()])

    def _keep(self, pins: list[Pin]) -> None:
        self.save({"pins": [pin.as_dict() for pin in pins]})


class Names(JsonFile):
    """The names under which passwords are kept."""

    def wrong(self, found: dict[str, object]) -> str:
        """What is not a name."""
        return "" if _are_texts(found.get("names", [])) else '"names" is a list of names'


class Approvals(JsonFile):
    """Which texts may do what: each by the fingerprint of the very text and of all that it runs."""

    def wrong(self, found: dict[str, Any]) -> str:
        """What is not an approval."""
        fine = all(isinstance(each, dict) and isinstance(each.get("title"), str) for each in found.values())
        if fine and not all(isinstance(each.get("servers", []), list) for each in found.values()):
            return "an approval has no list of servers"
        return "" if fine else "an approval has no title"

    def allows(self, fingerprint: str) -> bool:
        """Whether the person approved this text."""
        return bool(self.load().get(fingerprint, {}).get("approved"))

    def trusts(self, fingerprint: str) -> bool:
        """Whether this text was written here or approved, and so gets stored secrets."""
        return fingerprint in self.load()

    def allows_server(self, fingerprint: str, server: str) -> bool:
        """Whether the person approved this text for the databases of this server."""
        return server in self.load().get(fingerprint, {}).get("servers", ())

    def is_written(self, fingerprint: str) -> bool:
        """Whether this text was written here."""
        entry = self.load().get(fingerprint)
        return entry is not None and bool(entry.get("written") or not entry.get("approved"))

    def approve(self, fingerprint: str, title: str, server: str = "") -> None:
        """Lets this text do what it says, or work on the databases of a server."""
        if not server:
            self._note(fingerprint, title, approved=True)
            return
        servers = self.load().get(fingerprint, {}).get("servers", [])
        self._note(fingerprint, title, approved=True, servers=[*servers, server])

    def written(self, fingerprint: str, title: str) -> None:
        """Notes that this text was written here."""
        self._note(fingerprint, title, written=True)

    def withdraw(self, title: str) -> int:
        """Undoes every approval of a macro with this title; tells how many there were."""
        with self.changing() as found:
            gone = [key for key, each in found.items() if fold(each["title"]) == fold(title)]
            for key in gone:
                del found[key]
        return len(gone)

    def _note(self, fingerprint: str, title: str, **more: bool | list[str]) -> None:
        with self.changing() as found:
            entry = found.get(fingerprint, {"title": title, "when": datetime.now().isoformat(timespec="seconds")})
            found[fingerprint] = {**entry, **more}


class Use(JsonFile):
    """How often each macro was run, and when last. It is a comfort: what goes wrong with it stops nothing."""

    def wrong(self, found: dict[str, Any]) -> str:
        """What counts nothing."""
        fine = all(isinstance(each, list) and list(map(type, each)) == [int, str] for each in found.values())
        return "" if fine else "the number of runs of a macro is missing"

    def count(self, title: str) -> None:
        """Counts one run."""
        with contextlib.suppress(FileProblem, OSError), self.changing() as found:
            times = found.get(title, [0, ""])[0]
            found[title] = [times + 1, datetime.now().isoformat(timespec="minutes")]

    def of(self) -> dict[str, tuple[int, str]]:
        """Runs and last time (ISO 8601) of each title."""
        with contextlib.suppress(FileProblem):
            return {title: (times, last) for title, (times, last) in self.load().items()}
        return {}
