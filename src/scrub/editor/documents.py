"""The texts that are open in an editor, and what is known of each."""

from __future__ import annotations

import os
import re
import sys
import time
from collections.abc import Mapping
from typing import TYPE_CHECKING
from urllib.parse import unquote, urlsplit

import scrub
from scrub.language.complete import Known
from scrub.language.reading import Reading, read

if TYPE_CHECKING:
    from scrub.home_folder import Home
    from scrub.language.incremental import Edited

#: What ends a line of a macro but not of the protocol (LSP 3.17, Text Documents): shown as a space.
_OTHER_ENDS = re.compile("[\x0b\x0c\x85\u2028\u2029]")


#: Seconds for which the titles of the library are known.
_SECONDS = 5.0


def path_of(uri: str) -> str:
    """The path of a file by its address; an empty text for anything else."""
    parts = urlsplit(uri)
    path = unquote(parts.path) if parts.scheme == "file" else ""
    return path.lstrip("/").replace("/", "\\") if sys.platform == "win32" else path


class OpenDocument:
    """One text: kept in pieces, so that an edit costs what it touches."""

    def __init__(self, home: Home, uri: str, text: str, titles: Titles) -> None:
        self.uri = uri
        self.path = path_of(uri)
        self._titles = titles
        self.edited: Edited = home.edited(_plain(text), self.path)
        self._reading: Reading | None = None
        #: The sample file that was chosen in the editor; None for the one that the text names.
        self.chosen: str | None = None
        self._known: tuple[tuple[str, float], Known] | None = None

    def edit(self, text: str) -> None:
        """Takes a new version."""
        plain = _plain(text)
        if plain != self.edited.text:
            self.edited.edit(plain)
            self._reading = None

    @property
    def reading(self) -> Reading:
        """What is at each place."""
        if self._reading is None:
            self._reading = read(self.edited)
        return self._reading

    @property
    def example(self) -> str:
        """The path of the sample file, if there is one that exists."""
        name = self.chosen or self.edited.macro.example
        folder = os.path.dirname(self.path) if self.path else os.getcwd()
        path = os.path.join(folder, os.path.expanduser(name)) if name else ""
        return path if path and os.path.exists(path) else ""

    def known(self) -> Known:
        """What completion offers of the sample file, the library, and the folder of the text."""
        titles = {title: about for title, (about, _) in self._titles.every().items()}
        return self._in_example()._replace(titles=titles, files=self._files())

    def _in_example(self) -> Known:
        """The names and headings of the sample file, read again when it changes."""
        path = self.example
        if not path:
            return Known()
        try:
            stamp = path, os.stat(path).st_mtime
            if self._known is None or self._known[0] != stamp:
                self._known = stamp, scrub.known_in(path)
        except (OSError, scrub.ScrubError):
            return Known()
        return self._known[1]

    def _files(self) -> list[str]:
        """The files beside the text that a macro can open."""
        folder = os.path.dirname(self.path) if self.path else ""
        endings = tuple(self.edited.vocabulary.endings)
        try:
            return sorted(name for name in os.listdir(folder or ".") if name.lower().endswith(endings))
        except OSError:
            return []


class Titles:
    """The titles of the library, looked up again after some seconds: a library is a folder that others change, too."""

    def __init__(self, home: Home) -> None:
        self._home = home
        self._until = 0.0
        self._known: Mapping[str, tuple[str, str]] = {}

    def every(self) -> Mapping[str, tuple[str, str]]:
        """Each title with what the macro is about, and the path of its file."""
        now = time.monotonic()
        if now >= self._until:
            entries = self._home.library.entries()
            self._known = {entry.title: (entry.about, entry.path) for entry in entries if not entry.unreadable}
            self._until = now + _SECONDS
        return self._known

    def path(self, title: str) -> str:
        """The path of a macro by its title; an empty text for none."""
        return next((path for known, (_, path) in self.every().items() if known.lower() == title.lower()), "")


def _plain(text: str) -> str:
    """A text whose lines are those of the protocol."""
    return _OTHER_ENDS.sub(" ", text) if _OTHER_ENDS.search(text) else text
