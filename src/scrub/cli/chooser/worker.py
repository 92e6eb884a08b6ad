"""A process that prepares a run for the chooser and, when that is wanted, saves exactly what it prepared.

It reads requests from its standard input and writes what it finds to its standard output, each as one line of JSON. A
process can be ended whatever it does, which a thread cannot; it ends when its standard input is closed.
"""

from __future__ import annotations

import json
import os
import sys
import threading
from collections.abc import Mapping, Sequence
from queue import SimpleQueue
from typing import Any

import scrub
from scrub.cli.listing import change_lines
from scrub.cli.output import change_count, short_path

#: Lines of changes of one file that are sent.
_LINES = 300


class _Wrong(Exception):
    """An answer is none that its question takes."""

    def __init__(self, name: str, problem: str) -> None:
        super().__init__(problem)
        self.name, self.problem = name, problem


class _PipedHost(scrub.QuietHost):
    """The person, at the other end of the pipe: their answers came with the request."""

    watching = True

    def __init__(self, answers: Mapping[str, str], allowed: bool) -> None:
        super().__init__()
        self._answers, self._allowed = answers, allowed

    def ask(self, question: scrub.Question) -> str | None:
        if question.problem:
            raise _Wrong(question.name, question.problem)
        return self._answers.get(question.name)

    def secret(self, question: scrub.Question) -> str | None:
        return self._answers.get(question.name)

    def progress(self, done: float, of: int, label: str) -> None:
        _tell("progress", done=done, of=of, label=label)

    def approve(self, title: str, reaches: Sequence[str]) -> bool:
        return self._allowed

    def approve_sending(self, messages: Sequence[scrub.Outgoing]) -> bool | None:
        return self._allowed


def _tell(what: str, **more: object) -> None:
    sys.stdout.write(json.dumps({"is": what, **more}) + "\n")
    sys.stdout.flush()


def _file(found: scrub.FileResult) -> dict[str, Any]:
    """What the page shows of a file."""
    lines = [] if found.problem else change_lines(found.changes, 10, found.headings, _LINES)
    return {
        "path": found.path,
        "state": found.state,
        "problem": str(found.problem).removeprefix(f"{found.path}: ") if found.problem else "",
        "changes": found.change_count,
        "count": change_count(found) if found.change_count else "",
        "lines": [line.removeprefix("  ") for line in lines],
        "made": [short_path(path) for path in found.made if path != found.saved_as],
        "also": [short_path(path) for path in found.also],
        "said": [] if found.problem else found.said,
        "notes": [] if found.problem else [*found.notes, *found.log],
        "sends": [task.said for task in found.sends],
    }


def _text(value: object) -> str:
    return "yes" if value is True else "no" if value is False else str(value)


class _Work:
    """What was asked for last, and what is held of it."""

    def __init__(self) -> None:
        self._held: scrub.Held | None = None
        self._shown: list[dict[str, Any]] = []
        self._request: dict[str, Any] = {}

    def look(self, request: dict[str, Any]) -> None:
        """Says what a macro is, and prepares it where that is harmless or wanted."""
        self._held, self._request = None, request
        os.environ["COLUMNS"] = str(request["columns"])
        home = scrub.home()
        program = home.program(request["macro"])
        approved = program.reach <= scrub.Reach.CHANGE or home.approvals.allows(program.fingerprint)
        own = scrub.Reach.CHANGE.sentence
        does = [] if approved else [each for each in home.permissions(program) if each != own]
        asks = home.open_questions(program)
        _tell(
            "about",
            does=does,
            asks=[
                {
                    "name": each.name, "prompt": each.prompt, "type": each.type, "secret": each.secret,
                    "twice": each.twice, "choices": [_text(choice) for choice in each.choices],
                    "default": None if each.default is None else _text(each.default),
                }
                for each in asks
            ],
        )  # fmt: skip
        if (asks or does) and not request["wanted"]:
            return
        host = _PipedHost(request["answers"], False)
        if approved:
            self._held = scrub.prepare(request["macro"], request["files"], host=host, glimpse=self._glimpse)
            result = self._held.preview
        else:
            result = scrub.run(request["macro"], request["files"], host=host, preview=True)
        self._show(result, does)

    def _show(self, result: scrub.RunResult, does: Sequence[str]) -> None:
        self._shown = [_file(file) for file in result.files]
        saves = self._held.saves if self._held is not None else any(file.state == "changed" for file in result.files)
        _tell("prepared", files=self._shown, saves=saves, does=does)

    @staticmethod
    def _glimpse(path: str, changes: scrub.Changes) -> None:
        """The first changes of a file, while it is still worked on."""
        lines = change_lines(changes, 10, None, 10)
        _tell("glimpse", path=path, lines=[line.removeprefix("  ") for line in lines])

    def save(self, request: dict[str, Any]) -> None:
        """Saves what was shown. What needed an approval is prepared now, and has to be the same."""
        host = _PipedHost(self._request["answers"], True)
        if self._held is None:
            self._held = scrub.prepare(self._request["macro"], self._request["files"], host=host)
            before = self._shown
            if [_file(file) for file in self._held.files] != before:
                self._show(self._held.preview, [])
                return
        known = {file.path: file.problem for file in self._held.files}
        result = self._held.commit(host=host)
        _tell(
            "saved",
            number=result.number,
            files=sum(1 for file in result.files if file.problem is None and file.state == "changed"),
            changes=sum(file.change_count for file in result.files if file.problem is None),
            problems=[
                f"{short_path(file.path)}: {str(file.problem).removeprefix(f'{file.path}: ')}"
                for file in result.files
                if file.problem and file.problem is not known.get(file.path)
            ],
            sent=[said for file in result.files for said in (*file.sent, *file.unsent)],
            made=[short_path(path) for file in result.files for path in file.made],
        )


def main() -> None:
    """Works until the standard input ends."""
    requests: SimpleQueue[dict[str, Any]] = SimpleQueue()
    saving = threading.Lock()

    def read() -> None:
        for text in sys.stdin:
            requests.put(json.loads(text))
        with saving:  # what is being saved is finished first
            os._exit(0)

    threading.Thread(target=read, daemon=True).start()
    _warm()
    _tell("ready")
    work = _Work()
    while True:
        request = requests.get()
        try:
            if request["do"] == "look":
                work.look(request)
            else:
                with saving:
                    work.save(request)
        except _Wrong as wrong:
            _tell("wrong", name=wrong.name, problem=wrong.problem)
        except scrub.ScrubError as problem:
            _tell("failed", problem=str(problem))
        except Exception as error:
            _tell("failed", problem=f"a bug in Scrub ({scrub.bug_name(error)}); your files are intact")


def _warm() -> None:
    """Imports what a preview needs, while nothing is asked for yet."""
    vocabulary = scrub.vocabulary()
    from importlib import import_module

    for name in ("runner.run", "runner.holding", "language.checker", "formats.workbook.book"):
        import_module(f"scrub.{name}")
    assert vocabulary.kinds


if __name__ == "__main__":
    main()
