"""The words of pages, read by a library that draws them, in processes that can be ended."""

from __future__ import annotations

import json
import os
import subprocess
import sys
from collections import deque

from scrub.formats.images.needed import needed
from scrub.formats.pdf import reading
from scrub.model.core.problem import Failure

#: Pages that are read ahead once somebody goes through them one after the other, and in how many processes.
_AHEAD, _READERS = 16, 2
_TOO_MUCH = f"reading the text of a page takes more than {reading.SECONDS} seconds or too much memory"
#: What is asked of a page, counted from 0: its words, or whether nothing is seen on it.
Asked = tuple[str, int]
_WORDS, _BLANK = "words", "blank"


class Words:
    """The words of one file. Raises `Failure` where they cannot be read."""

    def __init__(self, path: str, password: str | None, pages: int) -> None:
        needed("pypdfium2")  # says what to install where it is not there
        self._path, self._password, self._pages = path, password, pages
        self._readers: list[_Reader] = []
        self._known: dict[Asked, str | Failure] = {}
        self._last: Asked = "", -1
        self._in_turn = 0  # how often the next page was asked for after the one before it

    def page(self, index: int) -> str:
        """The words of a page, counted from 0."""
        return self._found((_WORDS, index))

    def is_blank(self, index: int) -> bool:
        """Whether nothing is seen on a page, counted from 0."""
        return bool(self._found((_BLANK, index)))

    def _found(self, asked: Asked) -> str:
        kind, index = asked
        if asked != self._last:
            self._in_turn = self._in_turn + 1 if self._last == (kind, index - 1) else 0
            self._last = asked
        if asked not in self._known:
            self._read(asked)
        if self._in_turn > 1:
            self._read_ahead(kind, index + 1)
        found = self._known[asked]
        if isinstance(found, Failure):
            del self._known[asked]
            raise Failure(found.what)
        return found

    def _read(self, asked: Asked) -> None:
        """Waits for an answer that is under way, or asks for it."""
        reader = next((each for each in self._readers if asked in each.waiting), None)
        if reader is None:
            reader = self._quietest(1)
            reader.ask(asked)
        while asked not in self._known:
            first, answer = reader.answer()
            wrong = None if answer is None else answer.get("wrong")
            if answer is not None and wrong is None:
                self._known[first] = answer["read"]
                continue
            self._known[first] = Failure(_TOO_MUCH if answer is None else f"it is damaged: {wrong}")
            self._readers.remove(reader)  # what else it was asked is asked again where somebody wants to know it
            reader.close()
            if first != asked:
                reader = self._quietest(1)
                reader.ask(asked)

    def _read_ahead(self, kind: str, index: int) -> None:
        """Asks for the next pages before somebody does, where a processor is free for that."""
        if not _is_free():
            return
        for ahead in range(index, min(index + _AHEAD, self._pages)):
            asked = kind, ahead
            if asked not in self._known and not any(asked in each.waiting for each in self._readers):
                self._quietest(_READERS).ask(asked)

    def _quietest(self, most: int) -> _Reader:
        """The reader that has least to do, or one more."""
        if len(self._readers) < most:
            reader = _Reader(self._path, self._password)
            self._readers.append(reader)
            return reader
        return min(self._readers, key=lambda each: len(each.waiting))

    def close(self) -> None:
        """Lets the file go."""
        for reader in self._readers:
            reader.close()
        self._readers = []


def _is_free() -> bool:
    """Whether others of this run leave a processor: not in one of many processes that each work on a file."""
    others = sys.modules.get("multiprocessing.process")
    if others is not None and others.parent_process() is not None:
        return False
    return (len(os.sched_getaffinity(0)) if hasattr(os, "sched_getaffinity") else os.cpu_count() or 1) > 1


class _Reader:
    """A process that reads pages, and what it was asked and has not answered."""

    def __init__(self, path: str, password: str | None) -> None:
        words = [sys.executable, "-P", reading.__file__, path]
        self._process = subprocess.Popen(
            words, stdin=subprocess.PIPE, stdout=subprocess.PIPE, stderr=subprocess.DEVNULL, encoding="utf-8"
        )
        self.waiting: deque[Asked] = deque()
        self._write(password)
        self._open = False  # whether it has answered that the file is open

    def _write(self, what: object) -> None:
        assert self._process.stdin is not None
        try:
            self._process.stdin.write(json.dumps(what) + "\n")
            self._process.stdin.flush()
        except OSError:  # it has ended, which is seen where it is to answer
            return

    def ask(self, asked: Asked) -> None:
        """Asks it; it answers in its turn."""
        kind, index = asked
        self._write(index if kind == _WORDS else [index])
        self.waiting.append(asked)

    def answer(self) -> tuple[Asked, dict[str, str] | None]:
        """The next answer, and to what; None where it has ended over that, or the file cannot be opened."""
        answer = self._line()
        if not self._open and answer is not None and "wrong" not in answer:
            self._open, answer = True, self._line()
        return self.waiting.popleft(), answer

    def _line(self) -> dict[str, str] | None:
        assert self._process.stdout is not None
        try:
            line = self._process.stdout.readline()
        except (OSError, UnicodeError):
            return None
        found: dict[str, str] | None = json.loads(line) if line else None
        return found

    def close(self) -> None:
        """Ends it."""
        self._process.kill()
        self._process.communicate()
