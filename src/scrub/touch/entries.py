"""Macros in the menu of a file manager: one entry each (freedesktop.org, Desktop Entry Specification 1.0)."""

from __future__ import annotations

import os
import re
import shutil
import sys
from collections.abc import Iterable, Sequence

from scrub.library.records import Pin
from scrub.library.text import write_text
from scrub.model.core.problem import BadCall, listed
from scrub.touch import mimeapps
from scrub.touch.mimeapps import Folders, Programs

#: How the names of our entries begin.
_OURS = "scrub-pin-"
#: The media types of the files that can be opened, by their ending (IANA, Media Types; shared-mime-info).
_OFFICE = "application/vnd.openxmlformats-officedocument"
MIME_TYPES: dict[str, tuple[str, ...]] = {
    ".xlsx": (f"{_OFFICE}.spreadsheetml.sheet",),
    ".xlsm": ("application/vnd.ms-excel.sheet.macroEnabled.12",),
    ".csv": ("text/csv",),
    ".tsv": ("text/tab-separated-values",),
    ".docx": (f"{_OFFICE}.wordprocessingml.document",),
    ".docm": ("application/vnd.ms-word.document.macroEnabled.12",),
    ".odt": ("application/vnd.oasis.opendocument.text",),
    ".txt": ("text/plain",),
    ".md": ("text/markdown",),
    ".mbox": ("application/mbox",),
    ".eml": ("message/rfc822",),
    ".pdf": ("application/pdf",),
    ".jpg": ("image/jpeg",),
    ".png": ("image/png",),
    ".tif": ("image/tiff",),
    ".webp": ("image/webp",),
    ".sqlite": ("application/vnd.sqlite3", "application/x-sqlite3"),
}
_FOLDER = "inode/directory"


def entry_name(key: str) -> str:
    """The name of the entry of a key; what no such name can contain is written as a number."""
    return _OURS + re.sub(r"[^A-Za-z0-9-]", lambda found: f"_{ord(found[0]):x}_", key) + ".desktop"


def media_types(kinds: Iterable[str], endings: dict[str, str]) -> dict[str, str]:
    """The media types of the files of some kinds, each with an ending that a person knows it by."""
    wanted = set(kinds)
    found = {
        mime: ending
        for ending, kind in endings.items()
        if kind in wanted
        for mime in MIME_TYPES.get(ending, ())
    }  # fmt: skip
    return {**found, **({_FOLDER: "a folder"} if "folder" in wanted else {})}


class DesktopEntries:
    """The entries of a person's desktop."""

    def __init__(self, folders: Folders | None = None) -> None:
        self._folders = folders or Folders.of_person()
        self._programs = Programs(self._folders, _OURS)

    def undefended(self, types: dict[str, str]) -> list[str]:
        """The endings of those types that no other program opens: a double click would open our entry."""
        return [ending for mime, ending in types.items() if not self._programs.default(mime)]

    def is_default(self, key: str, types: Iterable[str]) -> bool:
        """Whether a double click opens the entry of a key for one of these types."""
        name = entry_name(key)
        return any(self._programs.chosen(mime) == name or not self._programs.default(mime) for mime in types)

    def add(self, pin: Pin, about: str, types: dict[str, str], home: str, others: Sequence[Pin]) -> Pin:
        """Writes the entry of a pin, and keeps the programs that open its files as they are. Gives the pin with the
        choices that were written for that. `others` are the other pins: what was written for them is theirs too.
        """
        written = {mime: name for other in others for mime, name in other.defaults.items()}
        defaults: dict[str, str] = {}
        fresh: dict[str, str] = {}
        for mime in types:
            former = self._programs.default(mime)
            if mime in written and self._programs.chosen(mime) == written[mime]:
                defaults[mime] = written[mime]
            elif former and not self._programs.chosen(mime):
                defaults[mime] = fresh[mime] = former
        mimeapps.choose(self._folders.chosen, fresh)
        folder = self._folders.applications
        os.makedirs(folder, exist_ok=True)
        write_text(os.path.join(folder, entry_name(pin.key)), _entry(pin, about, list(types), home))
        mimeapps.refresh(folder)
        return pin._replace(in_files=True, defaults={**pin.defaults, **defaults})

    def remove(self, pin: Pin, others: Sequence[Pin]) -> None:
        """Removes the entry of a pin, and the choices that were written for it alone."""
        path = os.path.join(self._folders.applications, entry_name(pin.key))
        if os.path.exists(path):
            os.unlink(path)
            mimeapps.refresh(self._folders.applications)
        shared = {mime for other in others for mime in other.defaults}
        own = {mime: name for mime, name in pin.defaults.items() if mime not in shared}
        mimeapps.unchoose(self._folders.chosen, own)


def _entry(pin: Pin, about: str, types: Sequence[str], home: str) -> str:
    """The text of an entry."""
    program = window_program()
    words = [program, *(["--home", home] if home else []), "--", pin.key]
    lines = {
        "Type": "Application",
        "Version": "1.0",
        "Name": _escaped(pin.label or pin.title),
        "Comment": _escaped(about),
        "Exec": _escaped(" ".join([*map(_quoted, words), "%F"])),
        "TryExec": _escaped(program),
        "Icon": _escaped(os.path.join(os.path.dirname(__file__), "scrub.svg")),
        "Terminal": "false",
        "NoDisplay": "true",
        "MimeType": "".join(f"{mime};" for mime in types),
    }
    text = "".join(f"{key}={value}\n" for key, value in lines.items() if value)
    return f"[Desktop Entry]\n{text}"


def window_program() -> str:
    """The full path of what an entry starts. Raises `BadCall` where it is not installed."""
    name = "scrub-window"
    beside = os.path.join(os.path.dirname(sys.executable), name)
    found = beside if os.path.exists(beside) else shutil.which(name)
    if found is None:
        raise BadCall(f"{name} was not found beside {sys.executable}. Install Scrub again: pip install scrub-macros")
    return os.path.abspath(found)


def _escaped(text: str) -> str:
    """A text as a value of an entry (Desktop Entry Specification, 4)."""
    text = text.replace("\\", "\\\\").replace("\n", "\\n").replace("\t", "\\t").replace("\r", "\\r")
    return f"\\s{text[1:]}" if text.startswith(" ") else text


def _quoted(word: str) -> str:
    """An argument of a command in an entry (Desktop Entry Specification, 7)."""
    word = word.replace("%", "%%")
    if re.fullmatch(r"[\w./%:@+,-]+", word, re.ASCII):
        return word
    return '"' + re.sub(r'(["`$\\])', r"\\\1", word) + '"'


def told(endings: Sequence[str]) -> str:
    """What a person is told where no other program opens some files."""
    return f"No other program opens {listed(endings, 'or')} here, so a double click will show this preview."
