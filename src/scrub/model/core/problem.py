"""Everything that can go wrong, each a sentence for the person at the keyboard."""

from __future__ import annotations

import os
from collections.abc import Iterable, Sequence


class ScrubError(Exception):
    """Any problem that Scrub explains to a person. `str()` is the whole explanation."""

    exit_code = 1

    def __reduce__(self) -> tuple[object, ...]:
        """Problems can go from one process to another, whatever their constructors take."""
        return _again, (type(self), self.args, vars(self))


def _again(cls: type[ScrubError], arguments: tuple[object, ...], state: dict[str, object]) -> ScrubError:
    """A problem as it was in another process."""
    error = cls.__new__(cls)
    error.args = arguments
    vars(error).update(state)
    return error


class FileProblem(ScrubError):
    """A file is missing, damaged, of another format, or cannot be written."""

    def __init__(self, path: str, what: str) -> None:
        super().__init__(f"{path}: {what}")
        self.path = path
        self.what = what


class Failure(ScrubError):
    """A macro failed on one file: nothing of that file is saved.

    `line` is the macro's line (from 1), filled in by the runner; `title` names the macro.
    """

    def __init__(self, what: str) -> None:
        super().__init__(what)
        self.what = what
        self.title: str | None = None
        self.line: int | None = None
        self.placed = False  # whether `what` says already which cell it is about
        self.filled = False  # whether something is there for sure that only could not be read

    def at(self, place: str) -> Failure:
        """The failure, told of a place in the file."""
        if not self.placed:
            self.what = f"{place}: {self.what}"
            self.placed = True
        return self

    def __str__(self) -> str:
        if self.line is None:
            return self.what
        return f"{self.what}  ({self.title}, line {self.line})"


class Missing(Failure):
    """Something that was looked up is not there; whoever asks whether it exists gets a no instead."""


class WrongPassword(Failure):
    """A password does not open what it should. It ends the run, whatever is around it: an attempt is not a way to find
    one out.
    """


class BadCall(ScrubError):
    """The call is wrong, or an answer is missing: nothing was started."""

    exit_code = 2


class RunsItself(BadCall):
    """Macros run each other in a circle."""


class Refused(ScrubError):
    """Not done because it would not be safe: a file is in use, was edited since, or is not approved."""

    exit_code = 3


class Problem:
    """One slip in a macro: where it is, what is wrong, and how to mend it.

    `line` and `column` count from 1; `length` is in characters. `code` names the kind of slip, the same in every
    version; `replacement` is what to write in its place, where that is one word.
    """

    __slots__ = ("code", "column", "length", "line", "message", "name", "replacement", "source")

    def __init__(
        self,
        message: str,
        line: int,
        column: int,
        length: int = 1,
        code: str = "syntax",
        replacement: str | None = None,
    ) -> None:
        self.message = message
        self.code = code
        self.replacement = replacement
        self.line = line
        self.column = column
        self.length = max(1, length)
        self.name = ""
        self.source = ""

    @property
    def excerpt(self) -> tuple[str, int, int]:
        """Its line without indentation, cut where it is long; where the error starts in it, and how long it is."""
        shown = self.source.expandtabs(1).rstrip()
        indent = len(shown) - len(shown.lstrip())
        start, length = self.column - 1 - indent, self.length
        shown = shown[indent:]
        if len(shown) > 160:
            cut = max(0, start - 60)
            shown, start, length = shown[cut : cut + 160], start - cut, min(length, 80)
        return shown, max(0, start), length

    def __str__(self) -> str:
        head = f"{self.name}, line {self.line}, column {self.column}"
        shown, start, length = self.excerpt
        return f"{head}\n    {shown}\n    {' ' * start}{'^' * length} {self.message}"

    def as_dict(self) -> dict[str, object]:
        """The problem as JSON shows it."""
        found: dict[str, object] = {"line": self.line, "column": self.column, "length": self.length}
        found |= {"message": self.message, "code": self.code}
        return found if self.replacement is None else {**found, "replacement": self.replacement}

    def __repr__(self) -> str:
        return f"Problem({self.line}:{self.column} {self.message!r})"


class MacroProblems(ScrubError):
    """A macro that cannot run, with all its problems at once."""

    exit_code = 2

    def __init__(self, problems: Sequence[Problem]) -> None:
        super().__init__("\n".join(str(problem) for problem in problems))
        self.problems = tuple(problems)


def with_article(words: str) -> str:
    """`a sheet`, `an attachment`."""
    return f"{'an' if words[:1] in 'aeio' else 'a'} {words}"


def listed(words: Iterable[str], joint: str = "and") -> str:
    """The words as a person lists them: `a, b and c`."""
    every = list(words)
    if len(every) < 2:
        return "".join(every)
    return f"{', '.join(every[:-1])} {joint} {every[-1]}"


def nearest(word: str, candidates: Iterable[str], cutoff: float = 0.7) -> str | None:
    """The candidate most like `word`, or None when none is near."""
    from difflib import SequenceMatcher

    best, score = None, cutoff
    low = word.casefold()
    for candidate in candidates:
        ratio = SequenceMatcher(None, low, candidate.casefold()).ratio()
        if ratio > score or (ratio == score and best is None):
            best, score = candidate, ratio
    return best


def did_you_mean(word: str, candidates: Iterable[str]) -> str:
    """The end of a sentence about an unknown word: the nearest right one, or nothing."""
    near = nearest(word, candidates)
    return f' Did you mean "{near}"?' if near else ""


def counted(number: int, thing: str, things: str | None = None) -> str:
    """`1 sheet`, `2 sheets`."""
    return f"{number:,} {thing if number == 1 else things or thing + 's'}"


def bug_name(error: Exception) -> str:
    """What a mistake in Scrub's own code is called in a report: its type, and the last line that it came from."""
    at = error.__traceback__
    while at is not None and at.tb_next is not None:
        at = at.tb_next
    if at is None:
        return type(error).__name__
    return f"{type(error).__name__} in {os.path.basename(at.tb_frame.f_code.co_filename)}, line {at.tb_lineno}"
