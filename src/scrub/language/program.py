"""A macro that was checked: what it asks, how far it goes, what its words mean."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from functools import cached_property
from typing import Any

from scrub.language.meanings import Meanings
from scrub.language.tree import Expression, Macro
from scrub.model.core.host import Question
from scrub.model.core.types import Type


class Program:
    """A macro that was checked and can run."""

    def __init__(self, macro: Macro, text: str) -> None:
        self.macro = macro
        self.text = text
        self.questions: list[Question] = []
        self.question_slots: list[int] = []
        self.slots = 0
        self.start_slot = 0
        self.reach = 0
        self.does: dict[str, int] = {}  # what it does, in words, with how far that goes
        self.picked_slot = -1
        self.selection_slot = -1
        self.uses: list[tuple[str, str, int]] = []  # what it changes: kind, field or action, line
        self.inner: list[Program] = []
        self.gives: Type | None = None  # what it gives to a macro that runs it
        self.variants: Mapping[str, Program] = {}
        self.names: dict[str, int] = {}
        self.means = Meanings()
        self.types: dict[Expression, Type] = {}  # of each expression
        self.own_files: Mapping[str, str] = {}
        #: What runs it on a frame, in place of the statements of a macro.
        self.function: Callable[[list[Any]], None] | None = None
        self.kept: dict[str, list[Expression | None]] = {}  # what each name is given; None for what comes from a loop

    def join(self, variants: Mapping[str, Program]) -> None:
        """Makes it mean what the same text means on several kinds of file; what it may do is what any may."""
        self.variants = variants if len(variants) > 1 else {}
        for other in self.variants.values():
            self.reach = max(self.reach, other.reach)
            self.does |= {what: max(reach, self.does.get(what, 0)) for what, reach in other.does.items()}
            known = {inner.title for inner in self.inner}
            self.inner += [inner for inner in other.inner if inner.title not in known]

    def on(self, kind: str) -> Program:
        """What it means on a kind of file."""
        return self.variants.get(kind, self)

    @property
    def every(self) -> list[Program]:
        """This macro and every one that it can run, however deep, each once."""
        found: dict[str, Program] = {}
        waiting = [self]
        while waiting:
            program = waiting.pop(0)
            if program.text not in found:
                found[program.text] = program
                waiting += program.inner
        return list(found.values())

    @property
    def texts(self) -> list[list[str]]:
        """The lines of all these."""
        return [program.macro.lines for program in self.every]

    @cached_property
    def fingerprint(self) -> str:
        """The hash of this very text and of all texts that it runs: what an approval applies to."""
        import hashlib

        found = hashlib.blake2b(self.text.encode(), digest_size=32)
        for inner in self.inner:
            found.update(inner.fingerprint.encode())
        return found.hexdigest()

    @property
    def title(self) -> str:
        """The macro's title."""
        return self.macro.title
