"""Which program opens files of a type (freedesktop.org, Association between MIME types and applications 1.0.1).

A program that is new on the list becomes the default where nobody chose one. So the one that was the default before is
written down as chosen, and only lines that were written here are removed again.
"""

from __future__ import annotations

import os
import re
import shutil
import subprocess
from collections.abc import Iterable, Iterator
from typing import NamedTuple

from scrub.library.text import write_text

_DEFAULT, _ADDED, _REMOVED = "Default Applications", "Added Associations", "Removed Associations"
_SECTION, _ENTRY = re.compile(r"\s*\[([^\]]*)\]\s*"), re.compile(r"\s*([^=\s]+)\s*=\s*(.*?)\s*")


class Folders(NamedTuple):
    """The folders of a desktop, one's own first (freedesktop.org, Base Directory Specification)."""

    data: tuple[str, ...]
    config: tuple[str, ...]

    @classmethod
    def of_person(cls) -> Folders:
        """Those of the environment."""
        home = os.path.expanduser("~")
        get = os.environ.get
        data = get("XDG_DATA_HOME") or os.path.join(home, ".local", "share")
        config = get("XDG_CONFIG_HOME") or os.path.join(home, ".config")
        all_data = (get("XDG_DATA_DIRS") or "/usr/local/share:/usr/share").split(":")
        all_config = (get("XDG_CONFIG_DIRS") or "/etc/xdg").split(":")
        return cls((data, *filter(None, all_data)), (config, *filter(None, all_config)))

    @property
    def applications(self) -> str:
        """Where one's own entries are."""
        return os.path.join(self.data[0], "applications")

    @property
    def chosen(self) -> str:
        """The file in which a person's choices are."""
        return os.path.join(self.config[0], "mimeapps.list")


class Programs:
    """The programs that open files of a type, as the desktop finds them."""

    def __init__(self, folders: Folders, but: str) -> None:
        """`but` is how the names of our own entries begin, which do not count."""
        self._folders, self._but = folders, but

    def default(self, mime: str) -> str:
        """The name of the entry that opens files of a type, or of a type that it is a special case of; an empty text
        where no program does.
        """
        return next((found for each in self._with_parents(mime) if (found := self._of(each))), "")

    def chosen(self, mime: str) -> str:
        """What a person, or their system, chose for this very type."""
        for path in self._lists():
            for name in _names(_value(_read(path), _DEFAULT, mime)):
                if self._is_there(name):
                    return name
        return ""

    def _of(self, mime: str) -> str:
        chosen = self.chosen(mime)
        if chosen and not chosen.startswith(self._but):
            return chosen
        removed = {name for path in self._lists() for name in _names(_value(_read(path), _REMOVED, mime))}
        added = [name for path in self._lists() for name in _names(_value(_read(path), _ADDED, mime))]
        for folder in self._folders.data:
            added += _names(_value(_read(os.path.join(folder, "applications", "mimeinfo.cache")), "MIME Cache", mime))
        fitting = (name for name in added if name not in removed and not name.startswith(self._but))
        return next((name for name in fitting if self._is_there(name)), "")

    def _is_there(self, name: str) -> bool:
        return any(os.path.isfile(os.path.join(folder, "applications", name)) for folder in self._folders.data)

    def _lists(self) -> Iterator[str]:
        """The files with choices, the strongest first; those of a desktop before those of all."""
        desktops = [each.lower() for each in os.environ.get("XDG_CURRENT_DESKTOP", "").split(":") if each]
        names = [*(f"{each}-mimeapps.list" for each in desktops), "mimeapps.list"]
        for folder in self._folders.config:
            yield from (os.path.join(folder, name) for name in names)
        for folder in self._folders.data:
            yield from (os.path.join(folder, "applications", name) for name in names)

    def _with_parents(self, mime: str) -> list[str]:
        """A type, and those that it is a special case of (Shared MIME-info Database, 2.11)."""
        parents: dict[str, list[str]] = {}
        for folder in self._folders.data:
            for text in _read(os.path.join(folder, "mime", "subclasses")):
                child, _, parent = text.partition(" ")
                parents.setdefault(child, []).append(parent)
        found, waiting = [], [mime]
        while waiting:
            each = waiting.pop(0)
            if each in found:
                continue
            found.append(each)
            waiting += parents.get(each, [])
            if each.startswith("text/") and each != "text/plain":
                waiting.append("text/plain")
        return found


def choose(path: str, defaults: dict[str, str]) -> None:
    """Writes choices into a list, for types that have none there; every other line stays as it is."""
    lines = _read(path)
    fresh = [f"{mime}={name}" for mime, name in defaults.items()]
    if not fresh:
        return
    at = next((number for number, text in enumerate(lines) if _is_section(text, _DEFAULT)), None)
    if at is None:
        lines += ([""] if lines and lines[-1].strip() else []) + [f"[{_DEFAULT}]"]
        at = len(lines) - 1
    lines[at + 1 : at + 1] = fresh
    os.makedirs(os.path.dirname(path), mode=0o700, exist_ok=True)
    write_text(path, "\n".join(lines) + "\n")


def unchoose(path: str, defaults: dict[str, str]) -> None:
    """Removes choices that are still as they were written here."""
    lines, section, left = _read(path), "", []
    for text in lines:
        found = _SECTION.fullmatch(text)
        section = found[1] if found else section
        entry = _ENTRY.fullmatch(text)
        if section == _DEFAULT and entry and defaults.get(entry[1]) == entry[2]:
            continue
        left.append(text)
    if left == lines:
        return
    if not any(text.strip() for text in left if not _is_section(text, _DEFAULT)):
        os.unlink(path)  # there was nothing in it before
    else:
        write_text(path, "\n".join(left) + "\n")


def refresh(folder: str) -> None:
    """Brings the list of types in a folder of entries up to date, which file managers read."""
    tool = shutil.which("update-desktop-database")
    if tool is not None and subprocess.run([tool, "-q", folder], check=False, capture_output=True).returncode == 0:
        return
    types: dict[str, list[str]] = {}
    for name in sorted(os.listdir(folder)):
        if name.endswith(".desktop"):
            for mime in _names(_value(_read(os.path.join(folder, name)), "Desktop Entry", "MimeType")):
                types.setdefault(mime, []).append(name)
    text = "".join(f"{mime}={';'.join(names)};\n" for mime, names in sorted(types.items()))
    write_text(os.path.join(folder, "mimeinfo.cache"), f"[MIME Cache]\n{text}")


def _read(path: str) -> list[str]:
    try:
        with open(path, encoding="utf-8", errors="surrogateescape") as stream:
            return stream.read().splitlines()
    except OSError:
        return []


def _is_section(text: str, name: str) -> bool:
    found = _SECTION.fullmatch(text)
    return found is not None and found[1] == name


def _value(lines: Iterable[str], section: str, key: str) -> str:
    """The value of a key in a section; an empty text where it has none."""
    inside = False
    for text in lines:
        if text.lstrip().startswith("["):
            inside = _is_section(text, section)
        elif inside:
            entry = _ENTRY.fullmatch(text)
            if entry and entry[1] == key:
                return entry[2]
    return ""


def _names(value: str) -> list[str]:
    return [name for name in value.split(";") if name]
