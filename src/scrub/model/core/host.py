"""The only way in which the core talks to a person."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Protocol

from scrub.model.core.named import NamedTuple
from scrub.model.core.sending import Outgoing


class Question(NamedTuple):
    """A question at the top of a macro. `type` is the word after `as:`; `choices` come from `from:`.

    `problem` says what was wrong with the answer before; it is then asked again. `twice` is for a new password, which
    is typed twice.
    """

    name: str
    prompt: str
    type: str = "text"
    choices: tuple[object, ...] = ()
    default: object = None
    secret: bool = False
    problem: str = ""
    twice: bool = False


class Host(Protocol):
    """What a run needs from whoever runs it: the command line, a test, or a script of your own."""

    def say(self, text: str) -> None:
        """Tells the person something."""

    def log(self, text: str) -> None:
        """Notes a line of the run's record."""

    def ask(self, question: Question) -> str | None:
        """The answer as typed, or None when there is nobody to ask."""

    def secret(self, question: Question) -> str | None:
        """A password, or None when there is nobody to ask. It must not be echoed or kept."""

    def progress(self, done: float, of: int, label: str) -> None:
        """Is told before each file: `done` of `of` files are finished, `label` is next. A host whose attribute
        `watching` is true is also told on the way: `done` then has a fraction, `label` the place that is worked on.
        """

    def approve(self, title: str, reaches: Sequence[str]) -> bool:
        """Whether the person lets this macro do what `reaches` says in plain words."""

    def approve_sending(self, messages: Sequence[Outgoing]) -> bool | None:
        """Whether the person lets these messages leave; None when there is nobody to ask."""


class QuietHost:
    """A host with nobody there: collects what is said and logged, and has no answers."""

    def __init__(self) -> None:
        self.said: list[str] = []
        self.logged: list[str] = []

    def say(self, text: str) -> None:
        """Keeps it in `said`."""
        self.said.append(text)

    def log(self, text: str) -> None:
        """Keeps it in `logged`."""
        self.logged.append(text)

    def ask(self, question: Question) -> str | None:
        """Nobody is there."""
        return None

    def secret(self, question: Question) -> str | None:
        """Nobody is there."""
        return None

    def progress(self, done: float, of: int, label: str) -> None:
        """Nobody looks."""

    def approve(self, title: str, reaches: Sequence[str]) -> bool:
        """Nobody can allow it."""
        return False

    def approve_sending(self, messages: Sequence[Outgoing]) -> bool | None:
        """Nobody is there."""
        return None
