"""What a macro would change, one question, and the result: the page that the file manager opens."""

from __future__ import annotations

import os
from collections.abc import Iterator, Sequence
from typing import Protocol

import scrub
from scrub.cli.listing import change_lines
from scrub.cli.output import change_count, question_of, saved_counts, sentence, wrapped
from scrub.cli.screen import BOLD, DIM, Line, Page, keys_line, line

#: Lines of changes of a file that are shown before somebody asks for all.
_SHOWN = 12
#: Files without changes above which they are only counted.
_MANY = 5


class Undoing(Protocol):
    """What undoes a run."""

    def __call__(self, run: int) -> object:
        """Undoes it. Raises `ScrubError`."""


class AskPage(Page):
    """Shows what is held, asks, saves, and offers to undo."""

    def __init__(self, held: scrub.Held, names: Sequence[str], undo: Undoing = scrub.undo) -> None:
        self.held = held
        #: Whether the person wants to look at the changes one by one.
        self.review = False
        self._names, self._undo = list(names), undo
        self._all = False
        self._scrolled = 0
        self._result: scrub.RunResult | None = None
        self._told: list[str] = []
        self._undone = False
        self._drawn: tuple[int, bool, list[Line]] = (0, False, [])  # the lines, for a width

    # -- keys

    def press(self, key: str) -> bool:
        """Answers the question, or leaves the page."""
        if key in ("down", "page-down"):
            self._scrolled += 1 if key == "down" else 10
        elif key in ("up", "page-up"):
            self._scrolled = max(0, self._scrolled - (1 if key == "up" else 10))
        elif key == "a":
            self._all, self._scrolled = not self._all, 0
        elif self._result is not None or not self.held.saves:
            return self._after(key)
        elif key == "y":
            self._save()
        elif key == "r":
            self.review = True
            return False
        elif key in ("n", "q", "escape", "ctrl-c"):
            return False
        return True

    def _after(self, key: str) -> bool:
        if key == "u" and self._number is not None and not self._undone:
            try:
                self._undo(self._number)
                self._told, self._undone = [f"Undone: run {self._number}."], True
            except scrub.ScrubError as problem:
                self._told = [sentence(str(problem))]
            return True
        return key not in ("enter", "escape", "ctrl-c", "q", "n")

    @property
    def _number(self) -> int | None:
        return self._result.number if self._result is not None else None

    def _save(self) -> None:
        try:
            result = self.held.commit()
        except scrub.Interrupted as end:
            result = end.result
        except scrub.ScrubError as problem:
            self._told = [sentence(str(problem))]
            return
        self._result = result
        saved = [file for file in result.files if file.problem is None and file.state == "changed"]
        changes = sum(file.change_count for file in saved)
        done = f"{saved_counts(len(saved), changes)} (run {result.number})." if saved else "Nothing was saved."
        self._told = [done]
        before = {id(file) for file in self.held.files if file.problem}
        self._told += [sentence(str(file.problem)) for file in result.files if file.problem and id(file) not in before]
        self._told += [sentence(said) for file in result.files for said in (*file.sent, *file.unsent)]

    # -- what is seen

    def draw(self, columns: int, rows: int) -> list[Line]:
        """The list, and the last lines with the question or the result."""
        folders = {os.path.dirname(os.path.abspath(path)) for path in self._names}
        where = next(iter(folders)) if len(folders) == 1 else scrub.counted(len(folders), "folder")
        head = Line().add(self.held.title, BOLD).add(f"  {scrub.counted(len(self._names), 'file')} in {where}")
        foot = [Line(), *self._foot(columns)]
        body = self._body(columns)
        room = rows - 2 - len(foot)
        self._scrolled = max(0, min(self._scrolled, len(body) - room))
        shown = body[self._scrolled : self._scrolled + room]
        left = len(body) - self._scrolled - len(shown)
        if left:
            shown[-1:] = [line(f"  {left + 1:,} more lines: Page Down", DIM)]
        return [head, Line(), *shown, *[Line()] * (room - len(shown)), *foot]

    def _body(self, columns: int) -> list[Line]:
        """The files: those that fail, those that change, and then the others, of many in one line."""
        if self._drawn[:2] == (columns, self._all):
            return self._drawn[2]
        files = sorted(self.held.files, key=lambda file: (file.problem is None, file.state != "changed"))
        idle = [file for file in files if file.problem is None and file.state != "changed"]
        quiet = idle if len(idle) > _MANY and not self._all else []
        hidden = set(map(id, quiet))
        body = [each for file in files if id(file) not in hidden for each in self._file(file, columns)]
        body += [line(f"Nothing to change in {len(quiet):,} files")] if quiet else []
        self._drawn = (columns, self._all, body)
        return body

    def _file(self, file: scrub.FileResult, columns: int) -> Iterator[Line]:
        name = os.path.basename(file.path)
        if file.problem is not None:
            why = str(file.problem).removeprefix(f"{file.path}: ")
            for number, text in enumerate(wrapped(f"Left out: {name}: {why}", columns, 2)):
                yield Line().add("Left out:", BOLD).add(text[9:]) if number == 0 else line(text)
            yield Line()
            return
        yield Line().add(name, BOLD).add(f"  {change_count(file) if file.change_count else 'nothing to change'}")
        os.environ["COLUMNS"] = str(columns)  # by which lines are cut
        few = None if self._all else _SHOWN
        lines = change_lines(file.changes, None if self._all else 10, file.headings, few)
        lines += [f"  Creates {os.path.basename(path)}" for path in file.made]
        lines += [f"  Changes {path} too" for path in file.also]
        lines += [f"  Sends {task.said}" for task in file.sends]
        lines += [f"  \u2502 {each}" for text in file.said for each in text.split("\n")]
        for each in lines:
            yield from (line(text) for text in wrapped(each.replace("show all with --all", "a shows all"), columns, 4))
        yield Line()

    def _foot(self, columns: int) -> list[Line]:
        told = [line(text, BOLD) for each in self._told for text in wrapped(each, columns, 2)]
        if self._result is not None:
            undo = [] if self._undone or self._number is None else [("u", "undo")]
            return [*told, keys_line(*undo, ("Enter", "close"))]
        if not self.held.saves:
            return [*(told or [line("Nothing to change.", BOLD)]), keys_line(("Enter", "close"))]
        changed = [file for file in self.held.files if file.state == "changed"]
        changes = sum(file.change_count for file in changed)
        sends = sum(len(file.sends) for file in changed)
        keys = keys_line(("y", "yes"), ("n", "no"), ("r", "review one by one"), ("a", "show all"))
        question = line(question_of(changes, len(changed), sends), BOLD)
        together = Line([*question, ("", "   "), *keys])
        last = [together] if together.size <= columns else [question, keys]
        return [*told, line("Preview only; nothing was saved.", DIM), *last]


class Closing(Page):
    """A sentence, until somebody closes it."""

    def __init__(self, text: str) -> None:
        self._text = text

    def draw(self, columns: int, rows: int) -> list[Line]:
        """The sentence and the key."""
        lines = [line(text) for part in self._text.split("    ") for text in wrapped(part, columns, 0)]
        return [*lines[: rows - 2], Line(), keys_line(("Enter", "close"))]

    def press(self, key: str) -> bool:
        """Closes it."""
        return key not in ("enter", "escape", "ctrl-c", "q")
