"""The words of pages, read by a library that draws them, in a process that can be ended."""

from __future__ import annotations

import json
import subprocess
import sys

from scrub.formats.images.needed import needed
from scrub.formats.pdf import reading
from scrub.model.core.problem import Failure


class Words:
    """The words of one file. Raises `Failure` where they cannot be read."""

    def __init__(self, path: str, password: str | None) -> None:
        needed("pypdfium2")  # says what to install where it is not there
        self._path, self._password = path, password
        self._worker: subprocess.Popen[str] | None = None
        self._known: dict[int, str] = {}
        self._blank: dict[int, bool] = {}

    def page(self, index: int) -> str:
        """The words of a page, counted from 0."""
        if index not in self._known:
            self._start()
            self._known[index] = str(self._asked(index))
        return self._known[index]

    def is_blank(self, index: int) -> bool:
        """Whether nothing is seen on a page, counted from 0."""
        if index not in self._blank:
            self._start()
            self._blank[index] = bool(self._asked([index]))
        return self._blank[index]

    def _start(self) -> None:
        if self._worker is None:
            words = [sys.executable, "-P", reading.__file__, self._path]
            self._worker = subprocess.Popen(
                words, stdin=subprocess.PIPE, stdout=subprocess.PIPE, stderr=subprocess.DEVNULL, encoding="utf-8"
            )
            self._asked(self._password)

    def _asked(self, what: object) -> object:
        worker = self._worker
        assert worker is not None
        assert worker.stdin is not None
        assert worker.stdout is not None
        try:
            worker.stdin.write(json.dumps(what) + "\n")
            worker.stdin.flush()
            line = worker.stdout.readline()
        except (OSError, UnicodeError):
            line = ""
        if not line:
            self.close()
            raise Failure(f"reading the text of a page takes more than {reading.SECONDS} seconds or too much memory")
        answer = json.loads(line)
        if "wrong" in answer:
            self.close()
            raise Failure(f"it is damaged: {answer['wrong']}")
        return answer["read"]

    def close(self) -> None:
        """Lets the file go."""
        if self._worker is not None:
            self._worker.kill()
            self._worker.communicate()
            self._worker = None
